"""Mould: where the resin of a shot goes, and the mass at which to stop it."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QVBoxLayout

from bibulon.desk.benches.mould_halves import put_pair
from bibulon.desk.widgets.fields import column, label
from bibulon.job.edits import revised
from bibulon.mould.shot_mass import ShotMass, shot_mass
from bibulon.quantities import QuantityKind, show
from bibulon.quantities_in_words import from_to

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

LARGE_KG = 1.0


class ShotSection:
    """The shot of a *bench*."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document

    def build(self) -> None:
        self.bench.section("The shot")
        self.bench.figure("In, in all", self._drawn_in)
        self.bench.figure("Stays in the part", partial(self._mass_of, "part_kg", "At gel, what bleeds out left off."))
        if self.document.job.closed:
            self.bench.figure("In the rim channel", partial(self._mass_of, "channel_kg", "Trimmed off: waste."))
        self.bench.figure("In lines and hoses", partial(self._mass_of, "lines_kg", "Thrown away with them."))
        self.bench.figure("In the pot", self._in_pot)
        self.bench.watch(lambda: (self.document.assessment, self.document.settings), column(4), self._fill_stop)

    def _shot(self) -> ShotMass | None:
        a = self.document.assessment
        return shot_mass(a.job, a.fill) if a.fill is not None else None

    def _drawn_in(self) -> tuple[str, str]:
        shot = self._shot()
        if shot is None:
            return "–", self.document.assessment.why_no_fill
        mass, volume = self.bench.shown(shot.drawn_kg, "mass"), self.bench.shown(shot.drawn_m3, "volume")
        return f"{mass}, {volume}", "Until the end of the fill: what a scale, or a machine's meter, counts."

    def _mass_of(self, which: str, how: str) -> tuple[str, str]:
        shot = self._shot()
        return ("–", self.document.assessment.why_no_fill) if shot is None else (self._small(getattr(shot, which)), how)

    def _small(self, mass_kg: float) -> str:
        """A mass that may be one of grams."""
        kind: QuantityKind = "mass" if mass_kg >= LARGE_KG else "small mass"
        return self.bench.shown(mass_kg, kind)

    def _in_pot(self) -> tuple[str, str]:
        shot = self._shot()
        if shot is None:
            return "–", self.document.assessment.why_no_fill
        text = f"{self._small(shot.pot_kg)} at the least"
        how = "Simulated: with the inlets clamped the moment the vent shows resin."
        if shot.pot_usual_kg is not None:
            low, high = (self._small(kg) for kg in shot.pot_usual_kg)
            text = f"{from_to(low, high)} as a rule"
            simulated = self._small(shot.pot_kg)
            how = f"Between the limits of the shop's own shots. Simulated, clamped at once: {simulated}."
        return text, how

    def _fill_stop(self, layout: QVBoxLayout) -> None:
        shot, units = self._shot(), self.document.assessment.units
        if shot is None:
            layout.addWidget(label(self.document.assessment.why_no_fill, "muted"))
            return
        fill = self.document.assessment.fill
        if fill is None or fill.fill_time_s is None:
            layout.addWidget(label("The part does not fill like this: there is no mass to stop at.", "muted"))
            return
        stop, more = show(shot.stop_kg, "mass", units), show(max(shot.runs_on_kg, 0.0), "small mass", units)
        text = f"Give the word at {stop} in: {more} run on until the inlets are clamped."
        self.bench.answer(layout, text, partial(self._stop_at, round(shot.stop_kg, 3)))

    def _stop_at(self, stop_kg: float) -> None:
        injection = revised(self.document.job.pair.injection, stop="by mass", stop_kg=stop_kg)
        put_pair(self.document, "shot mass", injection=injection)
