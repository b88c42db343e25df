"""Sections of the Lines bench that ask of the plan: hand figures, a proposed layout, how sure, what the fill counts."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout

from bibulon.desk.benches.base import Bench
from bibulon.desk.widgets.choices import ToggleField
from bibulon.desk.widgets.fields import column, label
from bibulon.desk.widgets.figure_rows import shown_figure
from bibulon.desk.work.background import Background
from bibulon.job import Job
from bibulon.job.edits import changed, with_value
from bibulon.job.flow import FlowChoices
from bibulon.job.paths import path_in
from bibulon.planning.hand import brake, feeds_for, part_width_m, reach
from bibulon.quantities import show
from bibulon.quantities_in_words import from_to, percent

if TYPE_CHECKING:
    from bibulon.planning.proposal import Layout, Proposal

STUDY = "Study the spread"
PROPOSE = "Propose a layout"
STOPPING = "Stopping …"
EFFECTS = tuple(
    (name, field.title, field.description or "")
    for name, field in FlowChoices.model_fields.items()
    if field.title is not None
)
"""What the fill may count or leave out, as the job's model declares it: field, words and hint."""


class PlanningSections(QObject):
    """The sections, built into a *bench*."""

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self.bench, self.desk, self.document = bench, bench.desk, bench.document
        self._proposal: tuple[Job, Proposal] | None = None
        self._left = False
        """Whether what is being looked for is no longer wanted."""

    # -- the planner's questions -------------------------------------------------------------------------------------

    def build_questions(self) -> None:
        bench = self.bench
        bench.section("Where to begin")
        bench.figure("One feed reaches", shown_figure(self.document, lambda: reach(self.document.assessment)))
        bench.figure("Feeds for the width", self._feeds)
        bench.figure("Brake", shown_figure(self.document, lambda: brake(self.document.assessment)))
        self.build_proposal()

    def build_proposal(self) -> None:
        """What asks for a proposed layout, and shows it under the buttons, which stay in place as the words change."""
        bench = self.bench
        self.propose = bench.button(PROPOSE, lambda: self._proposing.toggle())
        self.offer = column(4)
        bench.watch(lambda: (self._proposal, self.document.job, self.document.settings), self.offer, self._fill_offer)
        self._proposing = _LongWork(self.propose, self.desk.proposals, "Stop trying", self._propose)
        self.propose.setToolTip("Tries line layouts for this part and shows the best beside the present one.")
        self.desk.proposals.delivered.connect(self._keep)
        self.desk.proposals.finished.connect(self._keep)

    def _feeds(self) -> tuple[str, str]:
        units = self.document.assessment.units
        plan = feeds_for(self.document.assessment, part_width_m(self.document.assessment))
        if plan is None:
            return "–", "Nothing flows yet."
        how = (
            f"Over the part's width of {show(plan.width_m, 'length', units)}: n feeds opened in turn take n fronts of "
            f"w/n, n = ⌈(w/L)²⌉; all at once between vents, n = ⌈w/(2L)⌉."
        )
        if plan.in_turn == 1:
            return "1", how
        opened = ", ".join(show(max(time_s, 0.0), "duration", units) for time_s in plan.in_turn_s)
        return f"{plan.in_turn} in turn, or {plan.at_once} at once", f"{how} In turn they open at {opened}."

    def _propose(self) -> None:
        self._left = False
        self.desk.proposals.start(self.document.job)

    def _keep(self, job: Job, proposal: Proposal) -> None:
        if self._left:
            return
        self._proposal = (job, proposal)
        self.bench.refresh()

    def _fill_offer(self, layout: QVBoxLayout) -> None:
        if self._proposal is None or self._proposal[0] != self.document.job:
            self.desk.plan.set_proposed(None)
            return  # asked of another plan
        proposal = self._proposal[1]
        self.desk.plan.set_proposed((proposal.proposed.job, proposal.proposed.result))
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(3)
        heads = ("", "As it is", "Proposed")
        for column_, text in enumerate(heads):
            grid.addWidget(label(text, "muted", wrap=False), 0, column_)
        for row, (name, read) in enumerate(self._rows(), 1):
            grid.addWidget(label(name, wrap=False), row, 0)
            for column_, tried in ((1, proposal.present), (2, proposal.proposed)):
                grid.addWidget(label("–" if tried is None else read(tried), "figure", wrap=False), row, column_)
        row_ = QHBoxLayout()
        self.bench.button("Take it", partial(self._take, proposal.proposed), into=row_)
        self.bench.button("Leave it", self._leave, into=row_)
        layout.addLayout(row_)
        layout.addWidget(label(_says(proposal), "figure"))
        layout.addLayout(grid)
        layout.addWidget(label("Both filled coarsely, to compare them; taken, it is filled finely.", "muted"))

    def _rows(self) -> tuple[tuple[str, Callable[[Layout], str]], ...]:
        units = self.document.assessment.units

        def time(layout: Layout) -> str:
            return (
                "not full" if layout.result.fill_time_s is None else show(layout.result.fill_time_s, "duration", units)
            )

        def share(filled: float | None) -> str:
            return "–" if filled is None else f"{percent(filled)} of fills"

        def spread(layout: Layout) -> str:
            if layout.risk is None:
                return "–"
            low, high = (layout.risk.fill_percentile_s(percent) for percent in (10, 90))
            ends = ("not full" if end is None else show(end, "duration", units) for end in (low, high))
            return from_to(*ends)

        def margin(layout: Layout) -> str:
            return "–" if layout.result.margin_s is None else show(layout.result.margin_s, "duration", units)

        return (
            ("Feeds, vents", lambda layout: f"{layout.feeds}, {len(layout.job.vents)}"),
            ("Fill", time),
            ("Gel margin", margin),
            ("Charge", lambda layout: show(layout.charge_kg, "mass", units)),
            ("Fills in time", lambda layout: share(layout.filled_share)),
            ("Eight of ten in", spread),
        )

    def _forget(self) -> None:
        self._proposal, self._left = None, True
        if self.desk.proposals.busy:
            self.desk.proposals.cancel()
        self.desk.plan.set_proposed(None)

    def _take(self, chosen: Layout) -> None:
        self._forget()
        of = chosen.job
        self.document.edit(
            "proposed layout",
            changed(self.document.job, lines=of.lines, media=of.media, plumbing=of.plumbing, cards=of.cards),
        )

    def _leave(self) -> None:
        self._forget()
        self.bench.refresh()

    # -- how sure ----------------------------------------------------------------------------------------------------

    def build_sure(self) -> None:
        bench = self.bench
        bench.section("How sure is it?")
        self.sure = column(3)
        bench.watch(lambda: (self.document.study, self.document.settings), self.sure, self._fill_sure)
        self.study = bench.button(STUDY, lambda: self._studying.toggle())
        self._studying = _LongWork(self.study, self.desk.studies, "Stop the study", self._study)

    def _study(self) -> None:
        self.desk.studies.start(self.document.job)

    def _fill_sure(self, layout: QVBoxLayout) -> None:
        study = self.document.study
        if study is None:
            layout.addWidget(
                label("Cards are never exact. A study fills the plan many times with its spreads.", "muted")
            )
            return
        ensemble = study.ensemble
        low, middle, high = (ensemble.fill_percentile_s(percent) for percent in (10, 50, 90))

        def text(time_s: float | None) -> str:
            return "not full" if time_s is None else show(time_s, "duration")

        density = self.document.job.resin.density_kg_m3
        drawn = [
            show(ensemble.drawn_percentile_m3(p) * density, "mass", self.document.assessment.units)
            for p in (10, 50, 90)
        ]
        layout.addWidget(label(f"Fill {from_to(text(low), text(high))}, middle {text(middle)}", "figure"))
        layout.addWidget(label(f"Resin drawn {from_to(drawn[0], drawn[2])}, middle {drawn[1]}", "figure"))
        number = len(ensemble.fill_time_s)
        first = ", then ".join(f"{name} ({weight:+.2f})" for name, weight in ensemble.influence[:3])
        layout.addWidget(
            label(
                f"Eight of ten of {number} fills lie between. {percent(ensemble.filled_share)} of them fill before the "
                f"resin stops. What matters most: {first}.",
                "muted",
            )
        )

    # -- what the fill counts ----------------------------------------------------------------------------------------

    def build_effects(self) -> None:
        bench, job = self.bench, self.document.job
        bench.section("What the fill counts")
        grid = QGridLayout()
        grid.setSpacing(2)
        effects = [effect for effect in EFFECTS if not (job.closed and effect[0] == "swelling")]  # no film that gives
        for at, (name, text, hint) in enumerate(effects):
            field = ToggleField(text, partial(self._counts, name), partial(self._count, name), hint)
            bench.keep_fresh(field)
            grid.addWidget(field, at // 2, at % 2)
        bench.body.addLayout(grid)
        bench.quantity("Gap beside core", "thickness", "flow/core_gap_m", "Resin races along it. 0: none.")
        bench.quantity("Gap along edge", "thickness", "flow/edge_gap_m", "Between laminate and mould edge or seal.")
        bench.choice(
            "When full, feeds",
            lambda: [
                ("are clamped", "clamped"),
                ("stay open until gel", "open"),
                ("go to the pots by the bypass", "to the pots"),
            ],
            lambda: self.document.job.flow.feeds_after,
            partial(self._after, "feeds_after"),
        )
        if not job.in_mould:  # Mould has what becomes of its vent
            bench.choice(
                "When full, vents",
                lambda: [("stay open until gel", "open"), ("are shut", "shut")],
                lambda: self.document.job.flow.vents_after,
                partial(self._after, "vents_after"),
            )
        if not job.closed:
            bench.figure("Until gel", self._levelling)

    def _counts(self, name: str) -> bool:
        return bool(getattr(self.document.job.flow, name))

    def _count(self, name: str, on: bool) -> None:
        self.document.edit("what the fill counts", with_value(self.document.job, path_in("flow", name), on))

    def _after(self, name: str, value: str) -> None:
        self.document.edit("valves after the fill", with_value(self.document.job, path_in("flow", name), value))

    def _levelling(self) -> tuple[str, str]:
        fill = self.document.assessment.fill
        if fill is None or fill.after is None:
            return "–", "Followed on the fine mesh only."
        if fill.problem.film_pa <= 0:
            return "no change", "The laminate is taken as rigid."
        job, units = self.document.job, self.document.assessment.units
        density = job.resin.density_kg_m3 * job.parts_together
        bled = show(fill.after.bled_m3 * density, "mass", units)
        if not fill.after.whole:
            until = show(float(fill.after.times_s[-1]), "duration", units)
            return f"over {bled} bleed", (
                f"Followed until {until} after the first feed is opened only: down this slope resin drains in too many "
                "small steps. The plan shows the thickness and fibre fraction then."
            )
        return f"{bled} bleed", (
            "Where resin carried load the laminate is thick; it evens out until the resin stops, and what is too much "
            f"leaves through the vents. Still drawn: {show(fill.after.drawn_m3 * density, 'mass', units)}. "
            "The plan shows the thickness and fibre fraction it ends with."
        )


def _says(proposal: Proposal) -> str:
    proposed, present = proposal.proposed, proposal.present
    if not proposal.settled:
        return f"The best so far: {proposed.name}. {proposal.tried} tried; still looking for a better and a surer one."
    surer = present is not None and (present.filled_share or 0) > (proposed.filled_share or 0)
    says = "none is surer than the present one" if surer else "the surest"
    return f"Proposed: {proposed.name}. Of {proposal.tried} tried, {says}."


class _LongWork(QObject):
    """A *button* that begins long *work*, tells how far it is, and stops it."""

    def __init__(self, button: QPushButton, work: Background, stop: str, start: Callable[[], None]) -> None:
        super().__init__(button)
        self._button, self._work, self._stop, self._start = button, work, stop, start
        self._idle = button.text()
        work.progressed.connect(self._going)
        work.ended.connect(self._over)
        if work.busy:  # for the job that was on the desk before
            self._stopping()

    def toggle(self) -> None:
        """Begin, or stop what is under way."""
        if self._work.busy:
            self._work.cancel()
            self._stopping()
        else:
            self._button.setText(self._stop)
            self._start()

    def _stopping(self) -> None:
        self._button.setEnabled(False)
        self._button.setText(STOPPING)

    def _going(self, share: float) -> None:
        if self._button.isEnabled():
            self._button.setText(f"{self._stop} ({percent(share)})")

    def _over(self) -> None:
        self._button.setEnabled(True)
        self._button.setText(self._idle)
