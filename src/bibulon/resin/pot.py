"""Mixed resin in its pot: how warm it gets by its own cure, how far it has cured, and how long it lasts.

Lumped heat balance ``m c dT/dt = m H dα/dt − U A (T − T_around)``: a pot of one temperature that loses heat through its
walls to air or a bath. Areas: a bucket as deep as it is wide, ``A = 1.5 π d²``; a tray filled to 30 mm unless it is
said, both faces and the rim. Transmission through walls and what stands before them: class defaults.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.integrate import solve_ivp

from bibulon.arrays import Floats
from bibulon.job.resin_card import PotShape
from bibulon.resin.law import ResinLaw

TO_AIR_W_M2_K, TO_BATH_W_M2_K = 9.0, 60.0
TRAY_DEPTH_M = 0.03
OUT_AT_RISE_K = 20.0
"""A pot that is warmer than it was mixed by so much is about to run away: it has to be out of the shop."""
FOLLOWED_GELS = 2.0
"""A pot is followed for so many times what its resin takes to gel at the temperature it was mixed at."""
ROWS = 160
LONGEST_S = 30 * 86_400.0
LEAST_KG = 1e-6


@dataclass(frozen=True)
class Pot:
    """What resin stands in: its shape, the air around it, and a water bath if it stands in one."""

    shape: PotShape = "bucket"
    air_k: float = 293.15
    bath_k: float | None = None
    tray_depth_m: float = TRAY_DEPTH_M
    """How deep resin stands in a tray."""

    def area_m2(self, volume_m3: float) -> float:
        """The surface of *volume_m3* in it."""
        if self.shape == "tray":
            face = volume_m3 / self.tray_depth_m
            return 2 * face + 4 * self.tray_depth_m * math.sqrt(face)
        wide = (4 * volume_m3 / math.pi) ** (1 / 3)
        return float(1.5 * math.pi * wide**2)

    def loss_w_k(self, volume_m3: float) -> float:
        """``U A`` (W/K): all of the surface against a bath if there is one, else against air."""
        area = self.area_m2(volume_m3)
        return area * (TO_AIR_W_M2_K if self.bath_k is None else TO_BATH_W_M2_K)

    @property
    def around_k(self) -> float:
        return self.air_k if self.bath_k is None else self.bath_k


@dataclass(frozen=True)
class PotCourse:
    """A pot from its mixing on, (k,) each."""

    times_s: Floats
    temperature_k: Floats
    cure: Floats
    life_s: float
    """When it is too warm or too thick; infinite if it never is."""
    hottest_k: float

    def at(self, age_s: Floats | float) -> tuple[Floats, Floats]:
        """Temperature and α at an age."""
        return (
            np.asarray(np.interp(age_s, self.times_s, self.temperature_k)),
            np.asarray(np.interp(age_s, self.times_s, self.cure)),
        )


def pot_course(
    law: ResinLaw,
    density_kg_m3: float,
    mass_kg: float,
    mixed_k: float,
    pot: Pot,
    cured: float = 0.0,
    followed_s: float | None = None,
) -> PotCourse:
    """*mass_kg* mixed at *mixed_k* in a *pot* that nothing is taken from.

    Resin that has stood before is at *mixed_k* and *cured* so far when it begins. It is followed to well past its gel,
    or for *followed_s*.
    """
    return _course(law, density_kg_m3, float(f"{max(mass_kg, LEAST_KG):.6g}"), mixed_k, pot, cured, followed_s)


def fresh_course(mixed_k: float) -> PotCourse:
    """Resin that is mixed as it is wanted, at *mixed_k*: as fresh whenever it comes."""
    return PotCourse(np.array([0.0]), np.array([mixed_k]), np.array([0.0]), math.inf, mixed_k)


@lru_cache(maxsize=2048)
def _course(
    law: ResinLaw,
    density_kg_m3: float,
    mass_kg: float,
    mixed_k: float,
    pot: Pot,
    cured: float,
    followed_s: float | None,
) -> PotCourse:
    loss = pot.loss_w_k(mass_kg / density_kg_m3) / (mass_kg * law.heat_capacity_j_kg_k)
    rise_k, around = law.adiabatic_rise_k, pot.around_k
    k1, k2, slope1, slope2, m, n = law.ln_k1, law.ln_k2, law.slope1_k, law.slope2_k, law.m, law.n

    def slopes(_: float, state: Floats) -> tuple[float, float]:
        warm, done = min(max(float(state[0]), 200.0), 700.0), min(max(float(state[1]), 0.0), 1.0)
        rate = (math.exp(k1 - slope1 / warm) + math.exp(k2 - slope2 / warm) * done**m) * (1 - done) ** n
        return rise_k * rate - loss * (warm - around), rate

    if followed_s is None:
        followed_s = min(FOLLOWED_GELS * law.time_to(mixed_k, law.gel_cure), LONGEST_S)
    end_s = max(followed_s, 1.0)
    done = solve_ivp(
        slopes, (0.0, end_s), (mixed_k, cured), method="LSODA", dense_output=True, rtol=1e-6, atol=(1e-4, 1e-7)
    )
    times, warm, cure = done.t, done.y[0], np.clip(done.y[1], 0.0, 1.0)
    # as fine as anything is asked for: even in time, and even in cure where that is quick
    at = np.union1d(np.linspace(0.0, end_s, ROWS), np.interp(np.linspace(0.0, cure[-1], ROWS), cure, times))
    warm, cure = done.sol(at)
    times, cure = at, np.clip(cure, 0.0, 1.0)
    return PotCourse(times, warm, cure, _life_s(law, times, warm, cure, mixed_k), float(warm.max()))


def _life_s(law: ResinLaw, times: Floats, warm: Floats, cure: Floats, mixed_k: float) -> float:
    over = (warm - max(mixed_k, warm[0])) / OUT_AT_RISE_K
    thick = np.maximum(
        cure / law.gel_cure,
        np.exp(np.minimum(law.ln_viscosity(warm, cure) - math.log(law.flow_limit_pa_s), 5.0)),
    )
    ended = np.maximum(over, thick)
    late = np.flatnonzero(ended >= 1)
    if not len(late):
        return math.inf
    at = int(late[0])
    if at == 0:
        return 0.0
    before, after = float(ended[at - 1]), float(ended[at])
    return float(times[at - 1] + (1 - before) / (after - before) * (times[at] - times[at - 1]))
