"""A strip test typed or pasted in: the fitted permeability with its plot, to be kept on the fabric's card."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from bibulon.desk.dialogs.fabric_readings import ReadingsDialog, parse_pairs
from bibulon.job.cards import FabricCard
from bibulon.job.edits import revised
from bibulon.job.stock_card import Measured
from bibulon.laminate.compaction import fibre_fraction, kozeny_carman_ratio
from bibulon.laminate.fabric_tests import StripFit, fit_strip
from bibulon.quantities import Units, number_shown, show, unit_shown
from bibulon.quantities_in_words import percent, show_power
from bibulon.quantity_text import parse

LEAST_SPREAD = 1.1
"""Strips of one roll differ by more than one test can show."""


def parse_fronts(text: str, units: Units) -> tuple[tuple[float, float], ...]:
    """``(time_s, front_m)`` from lines of a time and a distance; bare times are minutes. Raises QuantityError."""
    return parse_pairs(text, ("duration", "length"), "min", "a time and a distance, like 5 min, 180 mm", units)


class StripTestDialog(ReadingsDialog):
    """The front of resin in a strip, against time."""

    title = "Strip test"
    intro = "{name}, front against time under film, fed along its roll."
    asked = "Time, distance of the front: one reading a line"
    nothing = "The strip lies flat, so that resin neither climbs nor falls."

    def build(self) -> None:
        self.axes = (f"front, {unit_shown('length', self._units)}", "min")
        self._fraction = self.card.fibre_fraction
        self.fit: StripFit | None = None
        self.viscosity = self.line("Viscosity", "mean of the test's start and end")
        drive = show(95_000.0, "pressure difference", self._units, 0)
        self.drive = self.line("Driving pressure", "atmosphere less the vacuum reached", drive)

    def read(self) -> Sequence[tuple[float, float]]:
        return parse_fronts(self.readings.toPlainText(), self._units)

    def fit_to(self, readings: Sequence[tuple[float, float]]) -> tuple[str, str]:
        viscosity = parse(self.viscosity.text(), "viscosity", self._units)
        drive = parse(self.drive.text(), "pressure difference", self._units)
        self._fraction = fraction = fibre_fraction(self.card, drive)
        self.fit = fit = fit_strip(readings, fraction, viscosity, drive)
        worst = show(float(np.abs(fit.residuals_m).max()), "length", self._units)
        return f"K = {show_power(fit.permeability_m2, 'm²', 3)}", (
            f"95 % between {show_power(fit.low_m2, 'm²', 3)} and {show_power(fit.high_m2, 'm²', 3)}, "
            f"at {percent(fraction)} fibre. Readings lie within {worst} of the curve. "
            "Across and through keep their ratio to it."
        )

    def draw(self, readings: Sequence[tuple[float, float]], fitted: bool) -> None:
        if not readings:
            return
        time, front = np.array(readings).T

        def shown(values: np.ndarray) -> list[float]:
            return [number_shown(float(value), "length", self._units) for value in values]

        if fitted and self.fit is not None:
            steps = np.linspace(max(self.fit.delay_s, 0.0), time[-1], 120)
            self.curve(steps / 60, shown(self.fit.front_m(steps)))
        self.dots(time / 60, shown(front))

    def with_found(self) -> FabricCard:
        assert self.fit is not None
        # the card's figures hold at its own fibre fraction
        packed = kozeny_carman_ratio(self._fraction, self.card.fibre_fraction)
        value = self.fit.permeability_m2 / packed
        ratio = value / self.card.permeability_along_m2.value
        spread = max(self.fit.spread, LEAST_SPREAD)
        along = Measured(value=value, spread=spread, source="strip test")
        # across and through were not measured: they keep their ratio to it, and their own spread
        across = revised(self.card.permeability_across_m2, value=self.card.permeability_across_m2.value * ratio)
        through = revised(self.card.permeability_through_m2, value=self.card.permeability_through_m2.value * ratio)
        return revised(
            self.card, permeability_along_m2=along, permeability_across_m2=across, permeability_through_m2=through
        )
