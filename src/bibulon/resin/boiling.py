"""Vacuum against vapour: the pressure at which the lightest part of a resin boils.

``ln P`` straight against ``1/T`` (Clausius and Clapeyron) through the points of the card; a single one, or the lowest
pressure that the card allows, taken at 25 °C, with the slope that is usual for what boils first.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from bibulon.job.dosing import APART_K
from bibulon.job.resin_card import ResinCard
from bibulon.resin.viscosity import arrhenius_line

SLOPE_K = -4800.0
"""d(ln P)/d(1/T) of what boils first out of a resin: some 40 kJ/mol, as of styrene and of water."""
CARD_AT_K = 298.15
ABOVE = 1.25
"""The vacuum is kept at so many times the pressure that boils."""


@dataclass(frozen=True)
class Boiling:
    """The line of a resin; ``assumed`` says what of it nothing on the card tells."""

    ln_at_infinity: float
    slope_k: float
    assumed: str = ""

    def pressure_pa(self, temperature_k: float) -> float:
        """The absolute pressure at which it boils."""
        return math.exp(self.ln_at_infinity + self.slope_k / temperature_k)

    def deepest_pa(self, temperature_k: float) -> float:
        """The deepest vacuum that is safe at a temperature, as an absolute pressure."""
        return ABOVE * self.pressure_pa(temperature_k)


def boiling_of(resin: ResinCard) -> Boiling | None:
    """Of a *resin* card; None where it says nothing at all of it."""
    if resin.boiling:
        points = [(point.temperature_k, point.pressure_pa) for point in resin.boiling]
        line = arrhenius_line(points, SLOPE_K)
        one = float(np.ptp([temperature for temperature, _ in points])) < APART_K
        if line[1] >= 0:  # two points that say it boils sooner when it is cold are one and a slip of the pen
            line, one = arrhenius_line(points[:1], SLOPE_K), True
        return Boiling(*line, "how it grows with temperature" if one else "")
    if resin.lowest_pressure_pa <= 0:
        return None
    line = arrhenius_line([(CARD_AT_K, resin.lowest_pressure_pa / ABOVE)], SLOPE_K)
    return Boiling(*line, "all but the card's lowest pressure, taken at room temperature")
