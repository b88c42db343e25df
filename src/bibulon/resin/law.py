"""How a parcel of resin ages: its degree of cure α and temperature T say how fast it cures, how thick it is, its Tg.

``dα/dt = (k1 + k2·αᵐ)(1 − α)ⁿ`` with ``k = exp(ln k − slope/T)`` (Kamal and Sourour), gel at ``α_g``. Viscosity is
that of the fresh mix at T (Arrhenius) times what the cure has grown it by. Glass transition by DiBenedetto:
``(Tg − Tg0)/(Tg1 − Tg0) = λα/(1 − (1 − λ)α)``. Which law a resin card has is in ``card_law.py``.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from scipy.integrate import quad

from bibulon.arrays import Floats

COLDEST_K, WARMEST_K = 200.0, 700.0
"""Temperatures that the rate is asked for lie between."""
GLASS_OVER_K, GLASS_WIDTH_K = 15.0, 5.0
GEL_SHARES: Floats = np.unique(np.concatenate([np.geomspace(1e-5, 2.5e-3, 60), np.linspace(0.0, 1.0, 401)]))
"""Shares of the cure at gel by which resin is tabulated, the first ones fine: a cure that begins slowly takes long for
them."""
THICK = 60.0
"""ln of the growth beyond which resin is a solid."""


@dataclass(frozen=True, eq=False)
class ResinLaw:
    """The law of one resin. Arrays in give arrays out; temperatures in K, times in s."""

    ln_k1: float
    slope1_k: float
    ln_k2: float
    slope2_k: float
    m: float
    n: float
    gel_cure: float
    heat_j_kg: float
    heat_capacity_j_kg_k: float
    ln_fresh: float
    """ln of the fresh viscosity (Pa·s) at infinite temperature, ``ln μ = ln_fresh + fresh_slope/T``."""
    fresh_slope_k: float
    flow_limit_pa_s: float
    growth: Floats
    """ln of what viscosity has grown by, at :data:`GEL_SHARES`."""
    tg_fresh_k: float
    tg_full_k: float
    tg_bend: float
    assumed: tuple[str, ...] = ()
    """What nothing on the card tells, in words."""

    def rate(self, temperature_k: Floats | float, cure: Floats | float) -> Floats:
        """dα/dt (1/s)."""
        inverse = 1 / np.clip(temperature_k, COLDEST_K, WARMEST_K)
        done = np.clip(cure, 0.0, 1.0)
        k1, k2 = np.exp(self.ln_k1 - self.slope1_k * inverse), np.exp(self.ln_k2 - self.slope2_k * inverse)
        return np.asarray((k1 + k2 * done**self.m) * (1 - done) ** self.n)

    def rate_as_glass(self, temperature_k: Floats | float, cure: Floats | float) -> Floats:
        """dα/dt (1/s) of resin that slows down as it turns to glass: times ``1/(1 + exp((Tg − T − 15 K)/5 K))``.

        Resin cured at room temperature so stands still well before it is cured through. Class defaults.
        """
        over = (self.tg_k(cure) - np.asarray(temperature_k) - GLASS_OVER_K) / GLASS_WIDTH_K
        return np.asarray(self.rate(temperature_k, cure) / (1 + np.exp(np.clip(over, -50.0, 50.0))))

    def ln_viscosity(self, temperature_k: Floats | float, cure: Floats | float) -> Floats:
        """ln of the viscosity (Pa·s) before gel."""
        share = np.clip(np.asarray(cure) / self.gel_cure, 0.0, 1.0)
        return np.asarray(
            self.ln_fresh + self.fresh_slope_k / np.asarray(temperature_k) + np.interp(share, GEL_SHARES, self.growth)
        )

    def fluidity(self, temperature_k: Floats | float, cure: Floats | float) -> Floats:
        """1/μ (1/(Pa·s)); 0 from gel or the flow limit on."""
        ln_viscosity = self.ln_viscosity(temperature_k, cure)
        flows = (np.asarray(cure) < self.gel_cure) & (ln_viscosity < math.log(self.flow_limit_pa_s))
        return np.where(flows, np.exp(-np.minimum(ln_viscosity, THICK)), 0.0)

    def aged(self, temperature_k: float, cure: float, span_s: float, glass: bool = False) -> float:
        """α after *span_s* at a temperature that stays; with *glass* resin slows down as it turns to it."""
        cures, times = _clock(self, round(temperature_k, 6), glass)
        now = float(np.interp(min(max(cure, 0.0), float(cures[-1])), cures, times))
        return max(float(np.interp(now + max(span_s, 0.0), times, cures)), cure)

    def time_to(self, temperature_k: float, cure: float, start: float = 0.0) -> float:
        """How long resin kept at a temperature takes from *start* to a degree of *cure*; infinite if it never does."""
        if cure <= start:
            return 0.0
        if cure >= 1 and self.n >= 1:
            return math.inf
        # of what takes ages to begin the answer is rough: said by full_output, else warned of
        time = quad(lambda done: 1 / float(self.rate(temperature_k, done)), start, cure, limit=200, full_output=1)[0]
        return float(time) if math.isfinite(time) else math.inf

    def tg_k(self, cure: Floats | float) -> Floats:
        """Glass transition of resin with that degree of cure."""
        done = np.clip(cure, 0.0, 1.0)
        share = self.tg_bend * done / (1 - (1 - self.tg_bend) * done)
        return np.asarray(self.tg_fresh_k + (self.tg_full_k - self.tg_fresh_k) * share)

    def cure_at_tg(self, tg_k: float) -> float:
        """The degree of cure that has a glass transition; above 1 if no cure has."""
        share = (tg_k - self.tg_fresh_k) / (self.tg_full_k - self.tg_fresh_k)
        if share >= 1:
            return 1.0 if share == 1 else math.inf
        return max(share / (self.tg_bend + share * (1 - self.tg_bend)), 0.0)

    @property
    def adiabatic_rise_k(self) -> float:
        """By how much resin warms that keeps all the heat of its cure: ``H/c``."""
        return self.heat_j_kg / self.heat_capacity_j_kg_k


def faster_than(planned: ResinLaw, other: ResinLaw, temperature_k: float) -> float:
    """How many times as fast as with the *planned* law of a resin it cures with the *other*, half way to gel."""
    half = planned.gel_cure / 2
    return 1.0 if planned is other else float(other.rate(temperature_k, half) / planned.rate(temperature_k, half))


@lru_cache(maxsize=64)
def hastened(law: ResinLaw, faster: float) -> ResinLaw:
    """*law* of the same resin where it cures so many times as fast, as with more catalyst."""
    return law if faster == 1 else replace(law, ln_k1=law.ln_k1 + math.log(faster), ln_k2=law.ln_k2 + math.log(faster))


@dataclass(frozen=True)
class Isothermal:
    """Resin that is kept at one temperature from its mixing on, (k,) each: time, α and fluidity, until it stops."""

    times_s: Floats
    cure: Floats
    fluidity: Floats

    @property
    def stops_s(self) -> float:
        """When it gels or is too thick to flow."""
        return float(self.times_s[-1])


@lru_cache(maxsize=256)
def _clock(law: ResinLaw, temperature_k: float, glass: bool) -> tuple[Floats, Floats]:
    """When resin that is kept at a temperature comes to each degree of cure: α, finely where it begins and ends, and
    times, by Gauss's rule between them."""
    evenly = np.linspace(0.0, 1.0, 1200)
    cures = np.minimum(evenly**3 * (1 - evenly) + evenly * (1 - (1 - evenly) ** 3), 1 - 1e-7)
    cures = np.unique(np.clip(cures, 0.0, 1 - 1e-7))
    places, weights = np.polynomial.legendre.leggauss(4)
    widths = np.diff(cures)
    at = cures[:-1, None] + widths[:, None] * (places + 1) / 2
    rate = law.rate_as_glass(temperature_k, at) if glass else law.rate(temperature_k, at)
    spans = (1 / np.maximum(rate, 1e-300)) @ weights * widths / 2
    return cures, np.concatenate([[0.0], np.cumsum(spans)])


@lru_cache(maxsize=256)
def isothermal(law: ResinLaw, temperature_k: float) -> Isothermal:
    """*law* at one temperature."""
    ends = law.gel_cure * np.concatenate([GEL_SHARES[GEL_SHARES <= 0.98], 1 - np.geomspace(0.019, 1e-6, 60)])
    # the flow limit may come first
    within = law.ln_viscosity(temperature_k, ends) < math.log(law.flow_limit_pa_s)
    if not within[0]:
        return Isothermal(np.zeros(1), np.zeros(1), np.zeros(1))
    if not within.all():
        last = int(np.argmin(within))
        low, high = float(ends[last - 1]), float(ends[last])
        for _ in range(40):
            middle = (low + high) / 2
            if float(law.ln_viscosity(temperature_k, middle)) < math.log(law.flow_limit_pa_s):
                low = middle
            else:
                high = middle
        ends = np.append(ends[:last], low)
    places, weights = np.polynomial.legendre.leggauss(6)
    widths = np.diff(ends)
    at = ends[:-1, None] + widths[:, None] * (places + 1) / 2
    spans = (1 / np.maximum(law.rate(temperature_k, at), 1e-300)) @ weights * widths / 2
    times = np.concatenate([[0.0], np.cumsum(spans)])
    return Isothermal(times, ends, np.exp(-law.ln_viscosity(temperature_k, ends)))
