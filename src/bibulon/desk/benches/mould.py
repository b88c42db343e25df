"""Mould: the two halves, whether they stay shut, what the part comes to, and the ports."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QVBoxLayout

from bibulon.desk.benches.base import Bench
from bibulon.desk.benches.line_card import line_card
from bibulon.desk.benches.lines_planning import PlanningSections
from bibulon.desk.benches.lines_supply import SupplySections
from bibulon.desk.benches.mould_bladder import BladderSections, JointsSection
from bibulon.desk.benches.mould_fittings import FittingsSection
from bibulon.desk.benches.mould_halves import HalvesSections, put_pair
from bibulon.desk.benches.mould_injection import InjectionSection
from bibulon.desk.benches.mould_shot import ShotSection
from bibulon.desk.benches.valve_turns import ValveSection, valve_key
from bibulon.desk.plan.maps import MAPS
from bibulon.desk.widgets import icons
from bibulon.desk.widgets.choices import ChoiceField, ToggleField
from bibulon.desk.widgets.fields import FreeField, QuantityField, TextField, column, label, tool_button
from bibulon.desk.widgets.figure_rows import shown_figure
from bibulon.desk.widgets.line_chart import LineChart
from bibulon.durations import run_clock
from bibulon.job import CLAMPED_BY_VACUUM, WITH_BLADDER
from bibulon.job.edits import revised, with_card, with_line, without_line
from bibulon.job.gear_cards import TubeCard
from bibulon.job.lines import Line
from bibulon.job.pair import MouldPair
from bibulon.job.paths import path_of
from bibulon.mould.clamp import (
    balance,
    clamp_n_m,
    flange_needed_pa,
    highest_injection_pa,
    holding,
    off_at_gel,
    seals_n_m,
)
from bibulon.planning.mould_layouts import with_port_at
from bibulon.quantities import brief, percent, show, signed_share
from bibulon.quantity_text import parse_place, place_text
from bibulon.stock.choice import tubes_for

SENSE_M2 = 2.0
SHORT_S = 300.0
"""A course that is shorter is drawn over seconds."""
SIGHT_PX = 160
"""What is brought into sight comes with so much below it."""


class MouldBench(Bench):
    """What holds the mould shut, and what the shot makes of it."""

    long = True

    def build(self) -> None:
        self._chosen = ""
        self.chart: LineChart | None = None
        self.figure("Fill", self._fill_time)
        blown = self.document.job.process in WITH_BLADDER
        self.figure(
            "Bladder presses by" if blown else "Stays shut by",
            shown_figure(self.document, lambda: self.document.assessment.stays_shut),
        )
        self.figure("Part at gel", self._at_gel)
        self.figure("Fibre", self._fibre)
        self.figure("To have ready", shown_figure(self.document, lambda: self.document.assessment.charge_mass))
        self.figure("A shot every", self._cycle)
        self.choice("Plan shows", self._maps, lambda: self.desk.plan.map.name, self.desk.plan.set_map)
        if self.document.job.process in CLAMPED_BY_VACUUM:
            self._build_clamp()
        if blown:
            self.bladder = BladderSections(self)
            self.bladder.build()
        self.shot = ShotSection(self, self._answer)
        self.shot.build()
        self.halves = HalvesSections(self)
        self.halves.build_cavity()
        self._build_ports()
        self.fittings = FittingsSection(self)
        self.fittings.build()
        self.halves.build()
        self.injection = InjectionSection(self)
        self.injection.build()
        self.joints = JointsSection(self)
        self.joints.build()

    def _build_clamp(self) -> None:
        self.section("Clamp over the shot")
        self.chart = LineChart("What the clamp holds beyond what pulls at it, against time")
        self.body.addWidget(self.chart)
        self._drawn: object = None
        self.sum_shown = False
        self.add(ToggleField("Show the sum", lambda: self.sum_shown, self._show_sum, "Every force, as by hand."))
        self.watch(lambda: (self.sum_shown, self.document.assessment), column(3), self._fill_sum)
        self.section("What it may be asked")
        self.watch(lambda: (self.document.assessment, self.document.settings), column(4), self._fill_answers)

    def _build_ports(self) -> None:
        self.section("Inlets and vents")
        row = QHBoxLayout()
        for icon, text, tool in (("inlet", "Inlet", "inlet"), ("vent", "Vent", "vent port")):
            button = self.button(text, partial(self.desk.plan.set_tool, tool), into=row)
            icons.put(button, icon)
            button.setToolTip(f"Put {'an inlet' if icon == 'inlet' else 'a vent'} in the mould")
        self.body.addLayout(row)
        self.watch(self._ports_key, column(6), self._fill_ports)
        SupplySections(self).build_pots()
        if self.document.job.closed:
            self.planning = PlanningSections(self)
            self.planning.build_proposal()

    def refresh(self) -> None:
        super().refresh()
        if self._chosen != self.desk.plan.chosen:
            self._chosen = self.desk.plan.chosen
            head = self.halves.heads.get(self._chosen)
            if head is not None:  # the figures of what was chosen on the plan come into sight
                self.ensureWidgetVisible(head, 0, SIGHT_PX)
        for field in self.findChildren(FreeField) + self.findChildren(QuantityField) + self.findChildren(TextField):
            field.refresh()
        self._draw_chart()

    @property
    def pair(self) -> MouldPair:
        return self.document.job.pair

    def _maps(self) -> list[tuple[str, str]]:
        return [(kind.words, kind.name) for kind in MAPS if kind.offered(self.document)]

    # -- figures -----------------------------------------------------------------------------------------------------

    def _cycle(self) -> tuple[str, str]:
        cycle = self.document.assessment.cycle
        every = show(cycle.every_s, "duration")
        return every, f"Held up by {cycle.held_up_by}; its steps are at Series."

    def _fill_time(self) -> tuple[str, str]:
        text, how = shown_figure(self.document, lambda: self.document.assessment.fill_time)()
        usual = show(SENSE_M2, "area", self.document.assessment.units)
        return text, f"{how} A check of sense: by vacuum alone {usual} of mat often take 10 to 15 minutes."

    def _at_gel(self) -> tuple[str, str]:
        if self.document.job.process in WITH_BLADDER:
            thick = self.document.assessment.laminate.total.thickness_m
            how = "Under the bladder's pressure; no mould half holds its thickness."
            return (self.shown(thick, "thickness"), how) if thick > 0 else ("–", "Nothing lies in the mould yet.")
        fill = self.document.assessment.fill
        off = off_at_gel(fill) if fill is not None else None
        if off is None:
            rigid = fill is not None and fill.upper is None
            return (
                ("as built", "The upper half does not bend.") if rigid else ("–", self.document.assessment.why_no_fill)
            )
        tolerance = self.document.job.series.thickness_tolerance
        asked = "" if tolerance is None else f" ± {percent(tolerance)} is asked."
        low, high = (signed_share(value, 1) for value in off)
        text = low if low == high else f"{low} to {high}"
        return text, f"Thickness against the cavity as it was built, when the resin stops.{asked}"

    def _fibre(self) -> tuple[str, str]:
        shares = [cell.stack.fibre_fraction for cell in self.document.assessment.laminate.cells if cell.stack.layers]
        if not shares:
            return "–", "Nothing lies in the cavity yet."
        low, high = percent(min(shares), 1), percent(max(shares), 1)
        how = "at the height the cavity was built to" if self.document.job.closed else "under the bladder"
        return low if low == high else f"{low} to {high}", f"Fibre by volume {how}."

    # -- the clamp ---------------------------------------------------------------------------------------------------

    def _draw_chart(self) -> None:
        margin = self.document.assessment.clamp
        if self.chart is None:
            return
        self.chart.setVisible(margin is not None)
        key = (margin, self.document.settings.system)
        if margin is None or key == self._drawn:
            return
        self._drawn = key
        units = self.document.assessment.units
        unit = show(1.0, "line force", units).split()[-1]
        scale = 1 / 1000 if unit == "kN/m" else 1 / 175.127
        until = (
            min(3 * float(self.document.assessment.fill.end_s), float(margin.times_s[-1]))
            if (self.document.assessment.fill)
            else 0.0
        )
        kept = margin.times_s <= until
        along, of_time = (60.0, "min") if until >= SHORT_S else (1.0, "s")
        self.chart.draw(margin.times_s[kept] / along, margin.least_n_m[kept] * scale, of_time, unit, zero=True)

    def _show_sum(self, on: bool) -> None:
        self.sum_shown = on
        self.refresh()

    def _fill_sum(self, layout: QVBoxLayout) -> None:
        a = self.document.assessment
        if not self.sum_shown or a.fill is None or a.fill.upper is None or a.clamp is None:
            return
        at = int(a.clamp.least_n_m.argmin())
        when = run_clock(float(a.clamp.times_s[at]))
        layout.addWidget(label(f"At {when}, when least is left.", "muted"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setColumnStretch(0, 1)
        lines = balance(a.job, a.fill.upper, at, a.units)
        total = sum(line.force_n for line in lines)
        for row, (name, force, how) in enumerate(
            (*((line.name, line.force_n, line.how) for line in lines), ("Left", total, "What holds it shut, in all."))
        ):
            named, value = label(name), label(show(force, "force", a.units), "figure", wrap=False)
            named.setToolTip(how)
            value.setToolTip(how)
            grid.addWidget(named, 2 * row, 0)
            grid.addWidget(value, 2 * row, 1)
            grid.addWidget(label(how, "muted"), 2 * row + 1, 0, 1, 2)
        layout.addLayout(grid)
        a_metre = (
            f"By the metre: the flange holds {show(clamp_n_m(a.job), 'line force', a.units)}, the seals push with "
            f"{show(seals_n_m(a.job), 'line force', a.units)}."
        )
        layout.addWidget(label(a_metre, "muted"))

    # -- answers -----------------------------------------------------------------------------------------------------

    def _fill_answers(self, layout: QVBoxLayout) -> None:
        a = self.document.assessment
        if a.fill is None or a.fill.upper is None or a.clamp is None:
            rigid = a.fill is not None and a.fill.upper is None
            layout.addWidget(
                label("A rigid upper half asks for a clamp by force." if rigid else a.why_no_fill, "muted")
            )
            return
        highest = highest_injection_pa(a.job, a.fill.upper)
        if a.fill.upper.even is None:  # the sketch, while the hand moves or the fill is computed
            text, use = a.why_no_fill, None
        elif highest is None:
            text, use = "The clamp does not hold even the cavity's vacuum.", None
        elif highest < 0:
            text = f"Injection: vacuum alone, and a vent that is never shut: {self._gauge(highest)} is the most."
            use = None
        else:
            text = f"Injection: up to {self._gauge(highest)} over the atmosphere stays shut, even with the vent shut."
            use = partial(self._use_pressure, highest)
        self._answer(layout, text, use)
        self._fill_flange(layout, flange_needed_pa(a.job, a.clamp))
        self._fill_holding(layout)

    def _fill_flange(self, layout: QVBoxLayout, needed_pa: float) -> None:
        """The least vacuum of the flange that holds the mould shut, and draws at least as hard as the cavity. What is
        used is the house's level where that is deeper still."""
        job, units = self.document.job, self.document.assessment.units
        if needed_pa <= 0:
            self._answer(layout, "Flange: no vacuum in it holds the mould shut. Widen it.", None)
            return
        cavity_pa, house_pa = self.pair.cavity_pa, max(job.shop.barometer_pa - job.house.flange_vacuum_pa, 0.0)
        text = f"Flange: {show(needed_pa, 'pressure', units)} or better holds it shut through this shot"
        if cavity_pa < needed_pa:
            text += f"; {show(cavity_pa, 'pressure', units)} keeps it as deep as the cavity"
        level_pa = _round_down(min(needed_pa, cavity_pa))
        if house_pa < level_pa:
            text, level_pa = f"{text}; the house's level is {show(house_pa, 'pressure', units)}", house_pa
        use = partial(put_pair, self.document, "flange vacuum", flange_pa=level_pa)
        self._answer(layout, f"{text}.", use)

    def _fill_holding(self, layout: QVBoxLayout) -> None:
        a = self.document.assessment
        held = holding(a.job, a.fill.upper) if a.fill is not None and a.fill.upper is not None else None
        if held is None:
            layout.addWidget(label(a.why_no_fill, "muted"))
            return
        best = show(held.best_pa, "pressure", a.units)
        text = f"Hold at {best} until gel: then the part is nowhere more than {percent(held.off, 1)} off."
        if held.low_pa is not None and held.high_pa is not None:
            low, high = show(held.low_pa, "pressure", a.units), show(held.high_pa, "pressure", a.units)
            text += f" From {low} to {high} it keeps to its tolerance."
        elif a.job.series.thickness_tolerance is not None:
            text += " No vacuum keeps it to its tolerance: change the stack or stiffen the upper half."
        self._answer(layout, text, partial(put_pair, self.document, "holding vacuum", hold_pa=round(held.best_pa, -2)))

    def _gauge(self, pressure_pa: float) -> str:
        return brief(pressure_pa, "pressure difference", self.document.assessment.units)

    def _answer(self, layout: QVBoxLayout, text: str, use: Callable[[], None] | None) -> None:
        row = QHBoxLayout()
        row.addWidget(label(text), 1)
        if use is not None:
            self.button("Use it", use, into=row).setAccessibleName(f"Use it: {text}")
        layout.addLayout(row)

    def _use_pressure(self, highest_pa: float) -> None:
        injection = self.pair.injection
        pressure = _round_down(min(highest_pa, injection.rated_pa))
        steps = tuple(
            revised(step, over_pressure_pa=pressure) if step.until.kind != "until a pressure" else step
            for step in injection.steps
        )
        source = "pressure pot" if injection.source == "bucket" else injection.source
        put_pair(self.document, "injection pressure", injection=revised(injection, steps=steps, source=source))

    # -- ports -------------------------------------------------------------------------------------------------------

    def _ports_key(self) -> object:
        job = self.document.job
        ports = tuple((line.id, line.label, line.hose, line.is_port, valve_key(line)) for line in job.lines)
        return ports, self.desk.plan.chosen, self.document.settings.system

    def _fill_ports(self, layout: QVBoxLayout) -> None:
        for line in self.document.job.lines:
            layout.addWidget(self._card(line, line.id == self.desk.plan.chosen))
        if not self.document.job.lines:
            layout.addWidget(label("None yet. Put an inlet and a vent, or draw lines at Lines.", "muted"))

    def _card(self, line: Line, open_: bool) -> QFrame:
        frame, box, head = line_card(line, line.word, open_, self.desk.plan.choose)
        head.addWidget(label(f"{line.label or '?'}  {_kind_of(line)}", "figure"), 1)
        remove = partial(self._delete, line)
        head.addWidget(tool_button("remove", f"Delete {line.label}", remove))
        box.addLayout(head)
        if open_ and line.is_port:
            self._details(line, box)
        elif open_:
            box.addWidget(label("A line: its figures are at Lines.", "muted"))
        return frame

    def _delete(self, line: Line) -> None:
        self.document.edit(f"delete {line.label}", without_line(self.document.job, line.id))

    def _details(self, line: Line, box: QVBoxLayout) -> None:
        path = partial(path_of, "lines", line.id)
        box.addWidget(TextField(self.document, "Label", path("label"), "On the valve and on the plan."))
        box.addWidget(
            FreeField(
                "Place x, y", partial(self._place, line.id), partial(self._move, line.id), "Two lengths with a comma."
            )
        )
        cards = tubes_for(self.document.job, "hose")
        box.addWidget(
            ChoiceField(
                "Hose",
                lambda: [(card.name, key) for key, card in cards.items()],
                lambda: line.hose,
                partial(self._take_hose, line.id, cards),
            )
        )
        box.addWidget(QuantityField(self.document, "Hose length", "distance", path("hose_length_m")))
        ValveSection(self, line.id).build(box)

    def _place(self, identifier: str) -> str:
        return place_text(self.document.job.line(identifier).place, self.document.assessment.units)

    def _move(self, identifier: str, text: str) -> None:
        place = parse_place(text, self.document.assessment.units)
        self.document.edit("place of port", with_port_at(self.document.job, identifier, place))

    def _take_hose(self, identifier: str, cards: dict[str, TubeCard], hose: str) -> None:
        job = with_card(self.document.job, cards[hose])
        line = revised(job.line(identifier), hose=hose, tube=hose)
        self.document.edit(f"hose of {line.label}", with_line(job, line))


def _kind_of(line: Line) -> str:
    if not line.is_port:
        return f"{line.kind} line"
    return line.word


def _round_down(pressure_pa: float) -> float:
    """To a whole millibar, on the safe side."""
    return float(pressure_pa // 100.0 * 100.0)
