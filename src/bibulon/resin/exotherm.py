"""How hot a stack gets by its own heat of cure: one-dimensional heat flow through the plies with generation.

``ρc ∂T/∂t = ∂/∂z(k ∂T/∂z) + q ∂α/∂t`` with ``∂α/∂t = r(T)·(α₀ + α)(1 − α)ⁿ``, an autocatalytic rate scaled so that
resin kept at T reaches its degree of cure at gel in the film gel time of its card. Faces lose heat to still air by a
coefficient, or, against core, lose none. Class defaults throughout: a guess of whether a stack has to be laid up in
more than one shot, not of its cure.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from scipy.integrate import quad, solve_ivp

from bibulon.arrays import Floats
from bibulon.job.cards import ResinCard
from bibulon.resin.viscosity import film_gel_s

HEAT_J_KG = {"epoxy": 420e3, "vinyl ester": 350e3, "polyester": 300e3}
CURE_AT_GEL = {"epoxy": 0.55, "vinyl ester": 0.25, "polyester": 0.12}
BEGINNING, ORDER = 0.03, 1.5
CONDUCTIVITY_W_MK = 0.35
HEAT_CAPACITY_J_M3K = 1.9e6
TO_AIR_W_M2K = 10.0
PLACES = 12
GEL_TIMES = 8.0
"""The stack is followed for so many gel times."""

COLDEST_K, MOST_POWER = 100.0, 100.0
"""Bounds on what the solver tries on its way: no temperature of a part comes near them."""


@lru_cache(maxsize=64)
def peak_temperature_k(
    resin: ResinCard, temperature_k: float, thickness_m: float, resin_share: float, against_core: bool = False
) -> float:
    """The hottest that plies of *thickness_m* with *resin_share* of their volume resin get, wetted at *temperature_k*
    between air of that temperature on both faces, or on one and core on the other."""
    gel_cure = CURE_AT_GEL[resin.chemistry]
    to_gel = quad(lambda cure: 1 / ((BEGINNING + cure) * (1 - cure) ** ORDER), 0, gel_cure)[0]
    step = thickness_m / PLACES
    heat_k = HEAT_J_KG[resin.chemistry] * resin.density_kg_m3 * resin_share / HEAT_CAPACITY_J_M3K
    between = CONDUCTIVITY_W_MK / step / (HEAT_CAPACITY_J_M3K * step)
    face = 1 / (1 / TO_AIR_W_M2K + step / 2 / CONDUCTIVITY_W_MK) / (HEAT_CAPACITY_J_M3K * step)

    gel_here_s, warmer_k = film_gel_s(resin, temperature_k), temperature_k + 10.0
    slope_k = float(np.log(film_gel_s(resin, warmer_k) / gel_here_s)) / (1 / warmer_k - 1 / temperature_k)

    def slopes(_: float, state: Floats) -> Floats:
        warm, cure = state[:PLACES], np.clip(state[PLACES:], 0.0, 1.0)
        slower = slope_k * (1 / np.maximum(warm, COLDEST_K) - 1 / temperature_k)
        gel_s = gel_here_s * np.exp(np.clip(slower, -MOST_POWER, MOST_POWER))
        rate = to_gel / gel_s * (BEGINNING + cure) * (1 - cure) ** ORDER
        flow = np.diff(warm) * between
        gained = rate * heat_k
        gained[:-1] += flow
        gained[1:] -= flow
        gained[0] -= face * (warm[0] - temperature_k)
        if not against_core:
            gained[-1] -= face * (warm[-1] - temperature_k)
        return np.concatenate([gained, rate])

    start = np.concatenate([np.full(PLACES, temperature_k), np.zeros(PLACES)])
    end_s = GEL_TIMES * gel_here_s
    course = solve_ivp(slopes, (0.0, end_s), start, method="LSODA", rtol=1e-5, atol=1e-4)
    return float(course.y[:PLACES].max())
