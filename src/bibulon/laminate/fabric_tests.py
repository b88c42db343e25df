"""What the shop's own tests say of a fabric: permeability from a strip test, packing from thickness readings.

Strip test: a strip of the fabric under film is filled from one end at constant pressure, and the front's place is
noted against time. Source: ``x² = 2 K Δp/(φ μ) · (t − t₀)``, a straight line through x² against t whose slope is
K's; ``t₀`` takes up the hose's delay. Packing: ``Vf = n w/(ρ h)`` and ``ln Vf = ln Vf₀ + B ln(P/P₀)``.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from bibulon.arrays import Floats
from bibulon.job.cards import FabricCard
from bibulon.quantities_in_words import percent
from bibulon.refusal import Refusal

CONFIDENCE = 0.975


class FabricTestRefusal(Refusal):
    """Readings that tell nothing; the message says why."""


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class StripFit:
    """Permeability (m²) with its 95 % band, the geometric spread of one standard deviation, the hose's delay, and how
    far (m) each reading lies off the curve."""

    permeability_m2: float
    low_m2: float
    high_m2: float
    spread: float
    delay_s: float
    residuals_m: Floats
    slope_m2_s: float

    def front_m(self, time_s: Floats) -> Floats:
        """Where the fitted front is."""
        return np.sqrt(np.maximum(self.slope_m2_s * (time_s - self.delay_s), 0.0))


def fit_strip(
    readings: Sequence[tuple[float, float]], fibre_fraction: float, viscosity_pa_s: float, drive_pa: float
) -> StripFit:
    """Permeability from ``(time_s, front_m)`` *readings*. Raises :class:`FabricTestRefusal`."""
    if len(readings) < 3:
        raise FabricTestRefusal("At least three readings are needed, each a time and a distance.")
    if viscosity_pa_s <= 0 or drive_pa <= 0:
        raise FabricTestRefusal("Viscosity and driving pressure have to be above zero.")
    time, front = np.array(readings, dtype=np.float64).T
    if (np.diff(time) <= 0).any() or (front < 0).any():
        raise FabricTestRefusal("Times have to grow, and distances to be no less than zero.")
    if (np.diff(front) < 0).any():
        raise FabricTestRefusal("The front goes back somewhere: check the distances.")
    slope, start, error = _line(time, front**2)
    if slope <= 0:
        raise FabricTestRefusal("The front does not move, so nothing can be said.")
    factor = (1 - fibre_fraction) * viscosity_pa_s / (2 * drive_pa)
    band = error * float(stdtrit(max(len(time) - 2, 1), CONFIDENCE))
    delay = -start / slope
    return StripFit(
        permeability_m2=slope * factor,
        low_m2=max(slope - band, 0.0) * factor,
        high_m2=(slope + band) * factor,
        spread=math.exp(min(error / slope, 4.0)),
        delay_s=delay,
        residuals_m=front - np.sqrt(np.maximum(slope * (time - delay), 0.0)),
        slope_m2_s=slope,
    )


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class PackingFit:
    """Fibre fraction at the card's reference pressure and exponent B, each with one standard deviation."""

    fibre_fraction: float
    exponent: float
    fraction_error: float
    exponent_error: float
    residuals: Floats
    """Measured fibre fraction less the fitted one."""


def fit_packing(readings: Sequence[tuple[float, float]], plies: int, card: FabricCard) -> PackingFit:
    """Packing of *plies* plies of *card* from ``(pressure_pa, thickness_m)``. Raises :class:`FabricTestRefusal`."""
    if len(readings) < 2:
        raise FabricTestRefusal("At least two readings are needed, each a pressure and a thickness.")
    pressure, thickness = np.array(readings, dtype=np.float64).T
    if (pressure <= 0).any() or (thickness <= 0).any() or plies < 1:
        raise FabricTestRefusal("Pressures, thicknesses and the count of plies have to be above zero.")
    if np.ptp(np.log(pressure)) < 0.1:
        raise FabricTestRefusal("The pressures lie too close together to tell how the fabric packs.")
    fraction = plies * card.areal_weight_kg_m2 / (card.fibre_density_kg_m3 * thickness)
    if fraction.max() > 0.9 or fraction.min() < 0.02:
        worst = float(fraction[np.argmax(np.abs(fraction - 0.5))])
        raise FabricTestRefusal(f"That would be {percent(worst)} of fibre: check the thickness and the count of plies.")
    ratio = np.log(pressure / card.reference_pressure_pa)
    exponent, start, error = _line(ratio, np.log(fraction))
    middle = float(ratio.mean())
    scatter = np.log(fraction) - start - exponent * ratio
    freedom = max(len(ratio) - 2, 1)
    level = math.sqrt(
        float((scatter**2).sum()) / freedom * (1 / len(ratio) + middle**2 / float(((ratio - middle) ** 2).sum()))
    )
    at_reference = math.exp(start)
    residuals = fraction - at_reference * np.exp(exponent * ratio)
    return PackingFit(at_reference, exponent, at_reference * level, error, residuals)


def _line(x: Floats, y: Floats) -> tuple[float, float, float]:
    """Slope, value at 0 and the slope's standard error of the straight line through the points."""
    middle = x.mean()
    spread = float(((x - middle) ** 2).sum())
    slope = float(((x - middle) * y).sum()) / spread
    start = float(y.mean()) - slope * float(middle)
    left = y - start - slope * x
    error = math.sqrt(float((left**2).sum()) / max(len(x) - 2, 1) / spread)
    return slope, start, error
