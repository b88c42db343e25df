"""The dose of a catalyst: gel time over dose and temperature, and a resin card at another dose."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from bibulon.arrays import Floats
from bibulon.job.resin_card import Component, Dose, ResinCard

TIME_SLOPE_K = 6500.0
"""Class default of d(ln t)/d(1/T): about half the time for 10 K more."""
APART_K, APART_DOSES = 1.0, 0.05
"""Figures at temperatures closer together than this, or at doses by less than this share, do not tell how it goes with
them: their errors would."""
USUAL_POWER = 0.7
"""Of the dose, where a table has one only: half as much again makes a gel a quarter sooner."""
AS_DOSED = 0.01
"""A dose that is off by less than this share of itself was weighed as planned."""


def dose_of(resin: ResinCard) -> float:
    """The dose that the card's parts by weight have, as a share of the mass of all else."""
    if resin.dose is None:
        return 0.0
    return _share_of_it(resin, resin.dose, [one.parts_by_weight for one in resin.components])


def dose_weighed(resin: ResinCard, masses_kg: Sequence[float]) -> float | None:
    """The dose of catalyst in what was weighed, by component; None for a resin that is not dosed, or where the masses
    are not those of its components."""
    if resin.dose is None or len(masses_kg) != len(resin.components):
        return None
    return _share_of_it(resin, resin.dose, masses_kg)


def _share_of_it(resin: ResinCard, dose: Dose, parts: Sequence[float]) -> float:
    """The *parts* of the component that is dosed, of all others that it is stirred into."""
    stirred = [(one, part) for one, part in zip(resin.components, parts, strict=True) if not one.filler]
    of_it = sum(part for one, part in stirred if one.name == dose.component)
    return of_it / max(sum(part for _, part in stirred) - of_it, 1e-9)


def dose_as_weighed(resin: ResinCard, masses_kg: Sequence[float]) -> float | None:
    """The dose that resin which was weighed is reckoned with: at most the maker's range, beyond which nothing is known;
    None where it is that of the card."""
    weighed, dose = dose_weighed(resin, masses_kg), resin.dose
    if weighed is None or dose is None or abs(weighed / max(dose_of(resin), 1e-12) - 1) < AS_DOSED:
        return None
    return min(max(weighed, dose.least), dose.most)


@dataclass(frozen=True)
class DoseFit:
    """``ln gel = a + slope/T − power·ln dose`` through the points of a dose table."""

    a: float
    slope_k: float
    power: float

    def gel_s(self, dose: float, temperature_k: float) -> float:
        return math.exp(self.a + self.slope_k / temperature_k - self.power * math.log(dose))


def dose_fit(resin: ResinCard) -> DoseFit | None:
    """The fit of the card's dose table by least squares; None without one. What the points do not tell (one
    temperature, one dose, or each dose at a temperature of its own) is taken as usual."""
    if resin.dose is None or not resin.dose.points:
        return None
    points = resin.dose.points
    logs = np.log([one.gel_s for one in points])
    inverse, doses = np.array([1 / one.temperature_k for one in points]), np.log([one.dose for one in points])
    columns, rest = [np.ones(len(points))], logs.copy()
    fits_slope = float(np.ptp([one.temperature_k for one in points])) >= APART_K
    fits_power = float(np.ptp(doses)) >= APART_DOSES
    if fits_slope and fits_power and _go_together(inverse, doses):
        fits_slope = False
    if fits_slope:
        columns.append(inverse)
    else:
        rest -= TIME_SLOPE_K * inverse
    if fits_power:
        columns.append(-doses)
    else:
        rest += USUAL_POWER * doses
    found = list(np.linalg.lstsq(np.stack(columns, axis=1), rest, rcond=None)[0])
    a = float(found.pop(0))
    slope = float(found.pop(0)) if fits_slope else TIME_SLOPE_K
    return DoseFit(a, slope, float(found.pop(0)) if fits_power else USUAL_POWER)


def _go_together(inverse: Floats, doses: Floats) -> bool:
    """Whether one of the two (n,) follows from the other, so that nobody can tell which of them does it."""
    both = np.stack([values - values.mean() for values in (inverse / np.ptp(inverse), doses / np.ptp(doses))], axis=1)
    return int(np.linalg.matrix_rank(both, tol=0.05)) < 2


@lru_cache(maxsize=64)
def dosed(resin: ResinCard, dose: float | None) -> ResinCard:
    """*resin* with a dose of catalyst other than that of its parts: its gel, pot life and thickening follow."""
    if dose is None or resin.dose is None or abs(dose / max(dose_of(resin), 1e-12) - 1) < 1e-9:
        return resin
    fit = dose_fit(resin)
    power = fit.power if fit is not None else USUAL_POWER
    slower = (dose_of(resin) / dose) ** power
    others = sum(one.parts_by_weight for one in resin.components if one.name != resin.dose.component and not one.filler)
    same = [one for one in resin.components if one.name == resin.dose.component]

    def with_parts(one: Component) -> Component:
        if one not in same:
            return one
        share = one.parts_by_weight / sum(other.parts_by_weight for other in same)
        return one.model_copy(update={"parts_by_weight": dose * others * share, "parts_by_volume": None})

    faster = math.log(slower)
    cure = resin.cure
    if cure is not None:
        cure = cure.model_copy(update={"ln_k1": cure.ln_k1 - faster, "ln_k2": cure.ln_k2 - faster})
    return resin.model_copy(
        update={
            "components": tuple(with_parts(one) for one in resin.components),
            "film_gel": tuple(one.model_copy(update={"time_s": one.time_s * slower}) for one in resin.film_gel),
            "pot_life": tuple(one.model_copy(update={"time_s": one.time_s * slower}) for one in resin.pot_life),
            "thickening_time_s": resin.thickening_time_s * slower,
            "cure": cure,
        }
    )
