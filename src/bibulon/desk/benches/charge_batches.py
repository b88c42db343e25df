"""Charge: batches. As few as pot life allows, or as somebody has planned them; and what would make them work."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout

from bibulon.desk.benches.charge_section import ChargeSection
from bibulon.desk.widgets.fields import FreeField, column, label, tool_button
from bibulon.desk.work.job_tasks import schedule_help
from bibulon.desk.work.newest_answer import NewestAnswer
from bibulon.durations import clock_time
from bibulon.flow.refusal import FlowRefusal, MixedTooEarly
from bibulon.job.charge import ChargePlan, PlannedBatch
from bibulon.job.edits import changed, revised
from bibulon.job.words import feed_word
from bibulon.planning.charge_spread import charge_spread
from bibulon.planning.schedule_help import Draw, Help, draw_of
from bibulon.quantities import show
from bibulon.quantity_text import QuantityError, parse, parse_clock_near
from bibulon.stock.choice import hardeners_for

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench


class BatchesSection(ChargeSection):
    """Batches, and whether they are short or over."""

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self.help = NewestAnswer(schedule_help, bench)
        self.help.answered.connect(bench.refresh)

    def build(self) -> None:
        bench = self.bench
        bench.section("Batches")
        self.rows = column(3)
        bench.watch(self.key, self.rows, self._fill)
        bench.watch(self.key, column(), self._fill_mixed)
        self.ways = column()
        bench.watch(self._ways_key, self.ways, self._fill_ways)
        self.helps = column(3)
        bench.watch(self._helps_key, self.helps, self._fill_helps)
        bench.quantity("Who can mix", "count", "charge/people", "People who mix at the same time.")
        bench.quantity("Scales", "count", "charge/scales")
        bench.quantity("Largest batch", "mass", "charge/largest_batch_kg")
        bench.quantity("Share of pot life", "share", "charge/pot_life_share", "A batch is used up within it.")
        bench.quantity("Time to mix one", "duration", "charge/mix_time_s", "Weighed, mixed, and carried to the bucket.")
        bench.section("Short or over")
        self.spread = column(2)
        bench.watch(self.key, self.spread, self._fill_spread)

    def _ways_key(self) -> tuple[bool, bool]:
        return bool(self.document.assessment.batches), bool(self.document.job.charge.batches)

    def _fill_ways(self, layout: QVBoxLayout) -> None:
        known, planned = self._ways_key()
        row = QHBoxLayout()
        self.bench.button("Plan them by hand", self._plan, into=row).setEnabled(known and not planned)
        self.bench.button("As few as will do", self._forget, into=row).setEnabled(planned)
        layout.addLayout(row)

    def _fill(self, layout: QVBoxLayout) -> None:
        batches = self.document.assessment.batches
        if not batches:
            layout.addWidget(label("Batches follow from the fill, which is not known yet.", "muted"))
            return
        if self.document.job.charge.batches:
            self._fill_planned(layout)
            return
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(2)
        for at, head in enumerate(("", "Mass", "Mix at", "Pour at", "Use by")):
            grid.addWidget(label(head, "muted"), 0, at)
        start = self.document.job.shot_start_s
        for row, batch in enumerate(batches, 1):
            times = (batch.mix_s, batch.pour_s, batch.usable_until_s)
            cells = (
                f"B{batch.number}", self.bench.shown(batch.mass_kg, "mass"),
                *(clock_time(start + time_s) for time_s in times),
            )  # fmt: skip
            for at, cell in enumerate(cells):
                grid.addWidget(label(cell, "" if at else "figure", wrap=False), row, at)
        layout.addLayout(grid)

    def _fill_mixed(self, layout: QVBoxLayout) -> None:
        """Which of the batches are no longer planned."""
        job = self.document.job
        if not (count := min(len(job.weighed), len(self.document.assessment.batches))):
            return
        which = "B1 is" if count == 1 else f"B1 to B{count} are"
        words = f"{which} as mixed for this shot, by its log and its mixing sheets."
        if any(event.kind == "finished" for event in job.shot):
            words += " They are planned anew once the next run is begun at Shoot."
        layout.addWidget(label(words, "muted"))

    # -- by hand -----------------------------------------------------------------------------------------------------

    def _fill_planned(self, layout: QVBoxLayout) -> None:
        start = self.document.job.shot_start_s
        made = {batch.number: batch for batch in self.document.assessment.batches}
        for at in range(len(self.document.job.charge.batches)):
            row = QHBoxLayout()
            mass = FreeField(f"B{at + 1} weighs", partial(self._mass, at), partial(self._set_mass, at))
            row.addWidget(mass, 1)
            remove = partial(self._put, f"delete batch {at + 1}", at, None)
            row.addWidget(tool_button("remove", f"Delete batch {at + 1}", remove))
            layout.addLayout(row)
            field = FreeField(
                f"B{at + 1} mixed from", partial(self._mix, at), partial(self._set_mix, at),
                "Time of day; empty: as late as it may be.",
            )  # fmt: skip
            layout.addWidget(field)
            batch = made.get(at + 1)
            if batch is None:
                layout.addWidget(label("Not needed: the charge is mixed before it.", "muted"))
                continue
            words = (
                f"Poured {clock_time(start + batch.pour_s)}, used up {clock_time(start + batch.used_s)}, "
                f"good until {clock_time(start + batch.usable_until_s)}."
            )
            if batch.comes_late:
                job, late = self.document.job, show(batch.late_s, "duration")
                words += f" The {job.supply} waits {late} for it, {feed_word(job)}s clamped."
            layout.addWidget(label(words, "muted" if batch.in_time and not batch.comes_late else "error"))
        if missing := self.document.assessment.unplanned_kg:
            layout.addWidget(label(f"{self.bench.shown(missing, 'mass')} of the charge are in no batch.", "error"))
        self.bench.button("Add a batch", self._add, into=layout)

    def _batches(self) -> tuple[PlannedBatch, ...]:
        return self.document.job.charge.batches

    def _mass(self, at: int) -> str:
        return self.bench.shown(self._batches()[at].mass_kg, "mass")

    def _set_mass(self, at: int, text: str) -> None:
        mass = parse(text, "mass", self.document.assessment.units)
        if mass <= 0:
            raise QuantityError("A batch weighs something.")
        self._put(f"mass of batch {at + 1}", at, revised(self._batches()[at], mass_kg=mass))

    def _mix(self, at: int) -> str:
        mix_s = self._batches()[at].mix_s
        return "" if mix_s is None else clock_time((self.document.job.shot_start_s + mix_s) % 86_400)

    def _set_mix(self, at: int, text: str) -> None:
        mix_s = None
        if text.strip():
            mix_s = parse_clock_near(text, self.document.job.shot_start_s)
        self._put(f"mixing of batch {at + 1}", at, revised(self._batches()[at], mix_s=mix_s))

    def _put(self, words: str, at: int, batch: PlannedBatch | None) -> None:
        batches = list(self._batches())
        batches[at : at + 1] = [] if batch is None else [batch]
        self._set(words, revised(self.document.job.charge, batches=tuple(batches)))

    def _set(self, words: str, charge: ChargePlan) -> None:
        self.document.edit(words, changed(self.document.job, charge=charge))

    def _add(self) -> None:
        batches = self._batches()
        like = batches[-1] if batches else PlannedBatch(mass_kg=self.document.job.charge.largest_batch_kg)
        self._set("add a batch", revised(self.document.job.charge, batches=(*batches, revised(like, mix_s=None))))

    def _plan(self) -> None:
        batches = tuple(
            PlannedBatch(mass_kg=float(f"{batch.mass_kg:.4g}")) for batch in self.document.assessment.batches
        )
        self._set("batches by hand", revised(self.document.job.charge, batches=batches))

    def _forget(self) -> None:
        self._set("batches as few as will do", revised(self.document.job.charge, batches=()))

    # -- what helps --------------------------------------------------------------------------------------------------

    def _helps_key(self) -> object:
        return self.key(), self.document.assessment.refusal, self.help.newest, self.help.message

    def _fill_helps(self, layout: QVBoxLayout) -> None:
        assessment, key = self.document.assessment, self.key()
        of = assessment.job if isinstance(assessment.refusal, MixedTooEarly) else draw_of(assessment)
        if of is None or (isinstance(of, Draw) and all(batch.in_time for batch in assessment.batches)):
            return
        self.help.ask(key, lambda: (of, hardeners_for(assessment.job)[1:], assessment.units))
        helps = self.help.of(key)
        if helps is None:
            words = self.help.message or "What would make it work is being tried …"
            layout.addWidget(label(words, "muted"))
            return
        if isinstance(helps, FlowRefusal):
            layout.addWidget(label(f"Resin that has just been mixed does not fill it either. {helps}", "error"))
            return
        if not helps:
            words = "No single change makes this schedule hold, nor one beside a second person: fill it in two shots."
            layout.addWidget(label(words, "error"))
            return
        layout.addWidget(label("It would work with", "figure"))
        for one in helps:
            batches = "1 batch" if one.batches == 1 else f"{one.batches} batches"
            row = QHBoxLayout()
            row.addWidget(label(f"{one.words}: {batches}.", "muted"), 1)
            if one.plan is not None:
                self.bench.button("Use it", partial(self._use, one), into=row)
            layout.addLayout(row)

    def _use(self, one: Help) -> None:
        if one.plan is not None:
            self._set(one.words, one.plan)

    # -- short or over -----------------------------------------------------------------------------------------------

    def _fill_spread(self, layout: QVBoxLayout) -> None:
        job, units = self.document.job, self.document.assessment.units
        spread = charge_spread(self.document.assessment)
        low, high, mixed = (self.bench.shown(one, "mass") for one in (spread.least_kg, spread.most_kg, spread.mixed_kg))
        layout.addWidget(label(f"The part may take {low} to {high}, by {spread.why}; {mixed} are mixed.", ""))
        if spread.short_kg > 1e-3:
            words = f"Where it takes the most, {self.bench.shown(spread.short_kg, 'mass')} more are wanted"
            if spread.clamp_s is not None and spread.mix_by_s is not None:
                start = job.shot_start_s
                words += (
                    f": mix them from {clock_time(start + spread.mix_by_s)}. If they are not there at "
                    f"{clock_time(start + spread.clamp_s)}, clamp the feed before the tube draws air"
                )
            layout.addWidget(label(f"{words}.", ""))
        cost = "" if spread.over_cost is None else f", {show(spread.over_cost, 'money', units)} thrown away"
        left = self.bench.shown(spread.over_kg, "mass")
        layout.addWidget(label(f"Where it takes the least, {left} stay in the pots{cost}.", "muted"))
