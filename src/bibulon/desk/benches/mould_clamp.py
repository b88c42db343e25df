"""Mould: do the halves stay shut, the sum of the forces as by hand, and what may be asked of them."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QVBoxLayout

from bibulon.desk.benches.mould_halves import put_pair
from bibulon.desk.widgets.choices import ToggleField
from bibulon.desk.widgets.fields import column, label
from bibulon.desk.widgets.line_chart import LineChart
from bibulon.durations import run_clock
from bibulon.job import CLAMPED_BY_FORCE, CLAMPED_BY_VACUUM
from bibulon.job.edits import revised
from bibulon.mould.clamp import (
    BalanceLine,
    balance,
    clamp_n_m,
    flange_needed_pa,
    highest_injection_pa,
    holding,
    seals_n_m,
)
from bibulon.mould.press import PressForces, press_balance, press_holds_pa
from bibulon.quantities import QuantityKind, number_shown, show, unit_shown
from bibulon.quantities_in_words import brief, percent

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

SHORT_S = 300.0
"""A course that is shorter is drawn over seconds."""
LEAST_OFF = 0.001
"""Less than this share is not told of a part's thickness."""


class ClampSections:
    """What holds the halves of a *bench* together, over the shot."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document
        self.chart: LineChart | None = None
        self.sum_shown = False
        self._drawn: object = None

    def build(self) -> None:
        """The sections; none where neither vacuum nor force holds two halves together."""
        process = self.document.job.process
        if process not in CLAMPED_BY_VACUUM | CLAMPED_BY_FORCE:
            return
        bench = self.bench
        bench.section("Clamp over the shot")
        self.chart = LineChart("What the clamp holds beyond what pulls at it, against time")
        bench.body.addWidget(self.chart)
        bench.add(ToggleField("Show the sum", lambda: self.sum_shown, self._show_sum, "Every force, as by hand."))
        bench.watch(lambda: (self.sum_shown, self.document.assessment), column(3), self._fill_sum)
        bench.section("What it may be asked")
        bench.watch(lambda: (self.document.assessment, self.document.settings), column(4), self._fill_answers)

    # -- over time ---------------------------------------------------------------------------------------------------

    def draw(self) -> None:
        """The chart, where it is of another fill than the one drawn."""
        if self.chart is None:
            return
        a = self.document.assessment
        margin, press = a.clamp, a.press
        self.chart.setVisible(margin is not None or press is not None)
        key = (margin, press, self.document.settings.system)
        if a.fill is None or key == self._drawn:
            return
        self._drawn = key
        kind: QuantityKind = "force" if press is not None else "line force"
        if press is not None:
            times_s, left = press.times_s, press.given_n - press.worst_n
        elif margin is not None:
            times_s, left = margin.times_s, margin.least_n_m
        else:
            return
        until = min(3 * float(a.fill.end_s), float(times_s[-1]))
        kept = times_s <= until
        along, of_time = (60.0, "min") if until >= SHORT_S else (1.0, "s")
        scale = number_shown(1.0, kind, a.units)
        self.chart.draw(times_s[kept] / along, left[kept] * scale, of_time, unit_shown(kind, a.units), zero=True)

    def _show_sum(self, on: bool) -> None:
        self.sum_shown = on
        self.bench.refresh()

    def _fill_sum(self, layout: QVBoxLayout) -> None:
        a = self.document.assessment
        if not self.sum_shown or a.fill is None:
            return
        if a.press is not None:
            at = a.press.at
            self._lay_sum(layout, float(a.press.times_s[at]), press_balance(a.job, a.press, at, a.units))
        elif a.fill.upper is not None and a.clamp is not None:
            at = int(a.clamp.least_n_m.argmin())
            self._lay_sum(layout, float(a.clamp.times_s[at]), balance(a.job, a.fill.upper, at, a.units))
            a_metre = (
                f"By the metre: the flange holds {show(clamp_n_m(a.job), 'line force', a.units)}, the seals push with "
                f"{show(seals_n_m(a.job), 'line force', a.units)}."
            )
            layout.addWidget(label(a_metre, "muted"))

    def _lay_sum(self, layout: QVBoxLayout, when_s: float, lines: tuple[BalanceLine, ...]) -> None:
        """The forces under one another, and what is left of them."""
        layout.addWidget(label(f"At {run_clock(when_s)}, when least is left.", "muted"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setColumnStretch(0, 1)
        total = sum(line.force_n for line in lines)
        for row, (name, force, how) in enumerate(
            (*((line.name, line.force_n, line.how) for line in lines), ("Left", total, "What still holds it shut."))
        ):
            named, value = (
                label(name),
                label(show(force, "force", self.document.assessment.units), "figure", wrap=False),
            )
            named.setToolTip(how)
            value.setToolTip(how)
            grid.addWidget(named, 2 * row, 0)
            grid.addWidget(value, 2 * row, 1, Qt.AlignmentFlag.AlignRight)
            grid.addWidget(label(how, "muted"), 2 * row + 1, 0, 1, 2)
        layout.addLayout(grid)

    # -- answers -----------------------------------------------------------------------------------------------------

    def _fill_answers(self, layout: QVBoxLayout) -> None:
        a = self.document.assessment
        if a.press is not None:
            self._fill_highest_of_press(layout, a.press)
            return
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
        self.bench.answer(layout, text, use)
        self._fill_flange(layout, flange_needed_pa(a.job, a.clamp))
        self._fill_holding(layout)

    def _fill_highest_of_press(self, layout: QVBoxLayout, press: PressForces) -> None:
        """What the clamps hold with the whole cavity under one pressure: alone, and with the reserve of the house."""
        job = self.document.job
        alone, safe = press_holds_pa(job, press), press_holds_pa(job, press, job.house.clamp_reserve)
        if alone < 0:
            holder = "the press holds" if job.pair.clamp.kind == "press" else "the clamps hold"
            below = f"up to {self._gauge(-alone)} below the atmosphere"
            text = f"Injection: none over the atmosphere. Once the vent is shut {holder} a cavity {below} only."
            self.bench.answer(layout, text, None)
            return
        text = f"Injection: up to {self._gauge(alone)} over the atmosphere stays shut, even with the vent shut"
        if safe < 0:
            self.bench.answer(layout, f"{text}; nothing of it with the reserve of the house.", None)
            return
        use = partial(self._use_pressure, safe)
        self.bench.answer(layout, f"{text}; with the reserve of the house {self._gauge(safe)}.", use)

    def _fill_flange(self, layout: QVBoxLayout, needed_pa: float) -> None:
        """The least vacuum of the flange that holds the mould shut, and draws at least as hard as the cavity. What is
        used is the house's level where that is deeper still."""
        job, units = self.document.job, self.document.assessment.units
        if needed_pa <= 0:
            self.bench.answer(layout, "Flange: no vacuum in it holds the mould shut. Widen it.", None)
            return
        cavity_pa, house_pa = (
            self.document.job.pair.cavity_pa,
            max(job.shop.barometer_pa - job.house.flange_vacuum_pa, 0.0),
        )
        text = f"Flange: {show(needed_pa, 'pressure', units)} or better holds it shut through this shot"
        if cavity_pa < needed_pa:
            text += f"; {show(cavity_pa, 'pressure', units)} keeps it as deep as the cavity"
        level_pa = _round_down(min(needed_pa, cavity_pa))
        if house_pa < level_pa:
            text, level_pa = f"{text}; the house's level is {show(house_pa, 'pressure', units)}", house_pa
        use = partial(put_pair, self.document, "flange vacuum", flange_pa=level_pa)
        self.bench.answer(layout, f"{text}.", use)

    def _fill_holding(self, layout: QVBoxLayout) -> None:
        a = self.document.assessment
        held = holding(a.job, a.fill.upper) if a.fill is not None and a.fill.upper is not None else None
        if held is None:
            layout.addWidget(label(a.why_no_fill, "muted"))
            return
        best = show(held.best_pa, "pressure", a.units)
        text = (
            f"Hold at {best} until gel: then the part is nowhere more than {percent(max(held.off, LEAST_OFF), 1)} off."
        )
        if held.low_pa is not None and held.high_pa is not None:
            low, high = show(held.low_pa, "pressure", a.units), show(held.high_pa, "pressure", a.units)
            text += f" From {low} to {high} it keeps to its tolerance."
        elif a.job.series.thickness_tolerance is not None:
            text += " No vacuum keeps it to its tolerance: change the stack or stiffen the upper half."
        self.bench.answer(
            layout, text, partial(put_pair, self.document, "holding vacuum", hold_pa=round(held.best_pa, -2))
        )

    def _gauge(self, pressure_pa: float) -> str:
        return brief(pressure_pa, "pressure difference", self.document.assessment.units)

    def _use_pressure(self, highest_pa: float) -> None:
        injection = self.document.job.pair.injection
        pressure = _round_down(min(highest_pa, injection.rated_pa))
        steps = tuple(
            revised(step, over_pressure_pa=pressure) if step.until.kind != "until a pressure" else step
            for step in injection.steps
        )
        source = "pressure pot" if injection.source == "bucket" else injection.source
        put_pair(self.document, "injection pressure", injection=revised(injection, steps=steps, source=source))


def _round_down(pressure_pa: float) -> float:
    """To a whole millibar, on the safe side."""
    return float(pressure_pa // 100.0 * 100.0)
