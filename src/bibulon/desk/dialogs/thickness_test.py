"""Thickness readings typed or pasted in: how the fabric packs, with its plot, to be kept on its card."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from bibulon.desk.dialogs.fabric_readings import ReadingsDialog, parse_pairs
from bibulon.job.cards import FabricCard
from bibulon.job.edits import revised
from bibulon.laminate.compaction import kozeny_carman_ratio
from bibulon.laminate.fabric_tests import PackingFit, fit_packing
from bibulon.quantities import Units, number_shown, show, unit_shown
from bibulon.quantities_in_words import percent
from bibulon.quantity_text import parse

LEAST_SPREAD = 1.01
FAR_APART = 1.35
"""A fibre fraction so many times that of the card, or less, is doubted."""
"""Rolls of one fabric differ by more than one test can show."""


def parse_thicknesses(text: str, units: Units) -> tuple[tuple[float, float], ...]:
    """``(pressure_pa, thickness_m)`` from lines of a pressure on the stack and its thickness. Raises QuantityError."""
    example = "a pressure on the stack and its thickness, like 950 mbar, 2.4 mm"
    bare = unit_shown("pressure difference", units)
    return parse_pairs(text, ("pressure difference", "thickness"), bare, example, units)


class ThicknessDialog(ReadingsDialog):
    """The thickness of a dry stack, against the pressure on it."""

    title = "Thickness readings"
    intro = "{name}, a dry stack of it pressed under film or a plate."
    asked = "Pressure on the stack, thickness: one reading a line"
    nothing = "The pressure on a stack under film is the atmosphere's less what is left under the film."

    def build(self) -> None:
        self.axes = ("fibre by volume, %", f"pressure, {unit_shown('pressure difference', self._units)}")
        self.fit: PackingFit | None = None
        self._plies = 1
        self.plies = self.line("Plies", "in the stack", "4")

    def read(self) -> Sequence[tuple[float, float]]:
        return parse_thicknesses(self.readings.toPlainText(), self._units)

    def fit_to(self, readings: Sequence[tuple[float, float]]) -> tuple[str, str]:
        self._plies = int(parse(self.plies.text(), "count", self._units))
        self.fit = fit = fit_packing(readings, self._plies, self.card)
        at = show(self.card.reference_pressure_pa, "pressure difference", self._units, 0)
        worst = float(np.abs(fit.residuals).max())
        ratio = max(fit.fibre_fraction / self.card.fibre_fraction, self.card.fibre_fraction / fit.fibre_fraction)
        doubt = (
            f" The card has {percent(self.card.fibre_fraction)}: count the plies again." if ratio > FAR_APART else ""
        )
        return f"Vf = {percent(fit.fibre_fraction, 1)} at {at}, B = {fit.exponent:.3f}", (
            f"One standard deviation: Vf ± {percent(fit.fraction_error, 1)}, B ± {fit.exponent_error:.3f}. Readings "
            f"lie within {percent(worst, 1)} of the curve. The card's permeabilities are moved to the new fibre "
            f"fraction.{doubt}"
        )

    def draw(self, readings: Sequence[tuple[float, float]], fitted: bool) -> None:
        def shown(values: np.ndarray) -> list[float]:
            return [number_shown(float(value), "pressure difference", self._units) for value in values]

        pressures = np.array([value for value, _ in readings] or [2e3, 1e5], dtype=np.float64)
        steps = np.geomspace(pressures.min(), pressures.max(), 80)
        vf, exponent = self.card.fibre_fraction, self.card.compaction_exponent
        if fitted and self.fit is not None:
            vf, exponent = self.fit.fibre_fraction, self.fit.exponent
        self.curve(shown(steps), 100 * vf * (steps / self.card.reference_pressure_pa) ** exponent)
        if readings and (pressures > 0).all() and all(value > 0 for _, value in readings):
            solid = self._plies * self.card.areal_weight_kg_m2 / self.card.fibre_density_kg_m3
            self.dots(shown(pressures), [100 * solid / thickness for _, thickness in readings])

    def with_found(self) -> FabricCard:
        assert self.fit is not None
        # permeabilities hold at the card's fibre fraction: moved along Kozeny-Carman they say what they said
        ratio = kozeny_carman_ratio(self.fit.fibre_fraction, self.card.fibre_fraction)
        moved = {
            name: revised(getattr(self.card, name), value=getattr(self.card, name).value * ratio)
            for name in ("permeability_along_m2", "permeability_across_m2", "permeability_through_m2")
        }
        spread = max(1 + self.fit.fraction_error / self.fit.fibre_fraction, LEAST_SPREAD)
        return revised(
            self.card,
            fibre_fraction=self.fit.fibre_fraction,
            compaction_exponent=max(self.fit.exponent, 0.0),
            fibre_fraction_spread=spread,
            fibre_fraction_source="measured",
            **moved,
        )
