"""The law of a resin card.

Where the card has fitted constants of cure they are taken, and viscosity grows by ``(α_g/(α_g − α))^(a + bα)`` (Castro
and Macosko). Else it has the usual rate for its chemistry, ``k1 = β·k2`` and ``m = 1``, timed so that resin kept at T
gels in the film gel time of its card, with β by the pot life of its card; its viscosity grows e-fold in the card's
thickening time.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import lru_cache

import numpy as np
from scipy.integrate import quad
from scipy.optimize import minimize_scalar

from bibulon.arrays import Floats
from bibulon.job.dosing import TIME_SLOPE_K, dosed
from bibulon.job.filling import FILLER_HEAT_J_KG_K, filler_share, without_filler
from bibulon.job.resin_card import ResinCard
from bibulon.resin.law import GEL_SHARES, ResinLaw
from bibulon.resin.pot import OUT_AT_RISE_K, Pot, pot_course
from bibulon.resin.viscosity import VISCOSITY_SLOPE_K, arrhenius_line, film_gel_s

HEAT_J_KG = {"epoxy": 420e3, "vinyl ester": 350e3, "polyester": 300e3}
CURE_AT_GEL = {"epoxy": 0.55, "vinyl ester": 0.25, "polyester": 0.12}
TG_FULL_K = {"epoxy": 358.15, "vinyl ester": 383.15, "polyester": 353.15}
TG_FRESH_K = {"epoxy": 238.15, "vinyl ester": 223.15, "polyester": 223.15}
MOST_EXOTHERM_K = {"epoxy": 373.15, "vinyl ester": 413.15, "polyester": 413.15}
"""Beyond it resins of the kind discolour, shrink and crack."""
HEAT_CAPACITY_J_KG_K = 1850.0
BEGINNING, ORDER = 0.03, 1.5
"""β and n where nothing tells them."""
TG_BEND = 0.45
"""λ of DiBenedetto's formula."""
LEAST_BEGINNING, MOST_BEGINNING, BEGINNINGS_TRIED = 2e-4, 1.0, 13
POT_LIFE_SPREAD, BEGINNING_SPREAD = 0.03, 1.5
"""What a pot life of a sheet, and the usual β, are worth, as standard deviations of their logarithms."""


@lru_cache(maxsize=64)
def law_of(resin: ResinCard) -> ResinLaw:
    """The law of a *resin* card: its fitted constants, else the usual rate timed by its gel and pot life."""
    plain = _plain_law(resin, BEGINNING)
    if resin.cure is not None:
        return plain
    beginning = _sheet_beginning(without_filler(resin))
    if beginning is None:
        return replace(plain, assumed=(*plain.assumed, "how the rate of cure begins"))
    return _plain_law(resin, beginning)


def _plain_law(resin: ResinCard, beginning: float) -> ResinLaw:
    chemistry, constants = resin.chemistry, resin.cure
    line = arrhenius_line([(point.temperature_k, point.viscosity_pa_s) for point in resin.viscosity], VISCOSITY_SLOPE_K)
    heat, capacity, share = resin.heat_j_kg, resin.heat_capacity_j_kg_k, filler_share(resin)
    full_k = resin.tg_full_k or TG_FULL_K[chemistry]
    assumed = [
        words
        for words, known in (
            ("heat of cure", heat is not None),
            ("heat capacity", capacity is not None),
            ("glass transition once cured through", resin.tg_full_k is not None),
        )
        if not known
    ]
    if constants is not None:
        k1, slope1, k2, slope2 = constants.ln_k1, constants.slope1_k, constants.ln_k2, constants.slope2_k
        m, n, gel = constants.m, constants.n, constants.gel_cure
        cures = gel * GEL_SHARES
        near = np.log(gel / np.maximum(gel - cures, 1e-6 * gel))
        growth = near * (constants.steepness + constants.bend * cures)
        growth = np.maximum.accumulate(growth)
    else:
        gel, m, n = CURE_AT_GEL[chemistry], 1.0, ORDER
        ln_gel, slope = arrhenius_line([(point.temperature_k, point.time_s) for point in resin.film_gel], TIME_SLOPE_K)
        to_gel = _to(gel, beginning)
        k2, slope2 = math.log(to_gel) - ln_gel, slope
        k1, slope1 = k2 + math.log(beginning), slope
        at = resin.film_gel[0].temperature_k
        growth = _grown(gel, beginning) * film_gel_s(resin, at) / resin.thickening_time_s
        assumed += ["degree of cure at gel", "shape of the rate of cure"]
    return ResinLaw(
        ln_k1=k1,
        slope1_k=slope1,
        ln_k2=k2,
        slope2_k=slope2,
        m=m,
        n=n,
        gel_cure=gel,
        heat_j_kg=(heat or HEAT_J_KG[chemistry]) * (1 - share),
        heat_capacity_j_kg_k=(capacity or HEAT_CAPACITY_J_KG_K) * (1 - share) + FILLER_HEAT_J_KG_K * share,
        ln_fresh=line[0],
        fresh_slope_k=line[1],
        flow_limit_pa_s=resin.flow_limit_pa_s,
        growth=growth,
        tg_fresh_k=min(TG_FRESH_K[chemistry], full_k - 40.0),
        tg_full_k=full_k,
        tg_bend=TG_BEND,
        assumed=tuple(assumed),
    )


@lru_cache(maxsize=512)
def _to(cure: float, beginning: float) -> float:
    """∫ dα / ((β + α)(1 − α)ⁿ) up to *cure*."""
    return float(quad(lambda done: 1 / ((beginning + done) * (1 - done) ** ORDER), 0, cure)[0])


@lru_cache(maxsize=64)
def _grown(gel: float, beginning: float) -> Floats:
    """The share of the gel time at which resin kept at any temperature has each of :data:`GEL_SHARES` of its cure at
    gel."""
    places, weights = np.polynomial.legendre.leggauss(5)
    cures = gel * GEL_SHARES
    at = cures[:-1, None] + np.diff(cures)[:, None] * (places + 1) / 2
    spans = (1 / ((beginning + at) * (1 - at) ** ORDER)) @ weights * np.diff(cures) / 2
    grown = np.concatenate([[0.0], np.cumsum(spans)])
    return np.asarray(grown / grown[-1])


def most_exotherm_k(resin: ResinCard) -> float:
    """How hot *resin* may get by its own cure."""
    return resin.most_exotherm_k or MOST_EXOTHERM_K[resin.chemistry]


@lru_cache(maxsize=64)
def _sheet_beginning(resin: ResinCard) -> float | None:
    """β that the card's first pot life tells: with it the pot of the sheet is :data:`OUT_AT_RISE_K` warmer at its end.
    None if no pot of it ever is.

    A rate that begins slowly (a small β) and then runs off gives a longer pot life for the same gel time. A pot life
    is worth :data:`POT_LIFE_SPREAD`, so β stays near what is usual where it hardly tells one from another. A dose of
    catalyst changes how fast resin cures, not how it begins: β is that of the middle of the maker's range for all.
    """
    if resin.dose is not None:
        resin = dosed(resin, math.sqrt(resin.dose.least * resin.dose.most))
    point = resin.pot_life[0]
    mass = point.mass_kg or resin.pot_life_mass_kg
    pot = Pot(point.shape, point.temperature_k)

    def off(ln_beginning: float) -> float:
        course = pot_course(
            _plain_law(resin, math.exp(ln_beginning)), resin.density_kg_m3, mass, point.temperature_k, pot
        )
        late_s = _first_at(course.temperature_k, course.times_s, point.temperature_k + OUT_AT_RISE_K)
        if late_s is None:
            return math.inf
        late, unusual = math.log(max(late_s, 1.0) / point.time_s), ln_beginning - math.log(BEGINNING)
        return (late / POT_LIFE_SPREAD) ** 2 + (unusual / BEGINNING_SPREAD) ** 2

    tried = np.linspace(math.log(LEAST_BEGINNING), math.log(MOST_BEGINNING), BEGINNINGS_TRIED)
    offs = [off(float(one)) for one in tried]
    best = int(np.argmin(offs))
    if not math.isfinite(offs[best]):
        return None
    low, high = tried[max(best - 1, 0)], tried[min(best + 1, len(tried) - 1)]
    return math.exp(float(minimize_scalar(off, bounds=(low, high), method="bounded", options={"xatol": 0.01}).x))


def _first_at(values: Floats, times_s: Floats, level: float) -> float | None:
    """When *values* first come to *level*, straight between their times; None if they never do."""
    there = np.flatnonzero(values >= level)
    if not len(there):
        return None
    at = max(int(there[0]), 1)
    return float(np.interp(level, values[at - 1 : at + 1], times_s[at - 1 : at + 1]))
