"""Viscosity and gel of a resin card at a temperature and age.

Fits: ``ln μ`` and ``ln t`` straight against ``1/T`` (Arrhenius) through the points of the data sheet; a single point
takes a class-default slope. Thickening: ``μ(t) = μ₀·exp(t/τ)``, with τ scaled with temperature as the film gel time is.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np

from bibulon.job.cards import ResinCard

VISCOSITY_SLOPE_K = 5500.0
"""Class default of d(ln μ)/d(1/T) where a card gives one temperature only."""
TIME_SLOPE_K = 6500.0
"""Class default of d(ln t)/d(1/T): about half the time for 10 K more."""


def arrhenius(points: Sequence[tuple[float, float]], temperature_k: float, default_slope_k: float) -> float:
    """Value at *temperature_k* of the Arrhenius line through ``(temperature_k, value)`` points (least squares)."""
    return _on_line(tuple(points), temperature_k, default_slope_k)


@lru_cache(maxsize=512)
def _on_line(points: tuple[tuple[float, float], ...], temperature_k: float, default_slope_k: float) -> float:
    inverse = np.array([1 / temperature for temperature, _ in points])
    logs = np.log([value for _, value in points])
    spread = inverse - inverse.mean()
    slope = float(spread @ logs / (spread @ spread)) if float(spread @ spread) > 0 else default_slope_k
    return math.exp(float(logs.mean()) + slope * (1 / temperature_k - float(inverse.mean())))


def fresh_viscosity_pa_s(resin: ResinCard, temperature_k: float) -> float:
    """Viscosity of the mix at age zero."""
    points = [(point.temperature_k, point.viscosity_pa_s) for point in resin.viscosity]
    return arrhenius(points, temperature_k, VISCOSITY_SLOPE_K)


def film_gel_s(resin: ResinCard, temperature_k: float) -> float:
    """Gel time of the thin film in the bag."""
    return arrhenius([(point.temperature_k, point.time_s) for point in resin.film_gel], temperature_k, TIME_SLOPE_K)


def pot_life_s(resin: ResinCard, temperature_k: float, mass_kg: float) -> float:
    """Pot life of *mass_kg* mixed in one pot: the sheet's value scaled by ``(m/m_ref)^-n``; more mass heats sooner."""
    sheet = arrhenius([(point.temperature_k, point.time_s) for point in resin.pot_life], temperature_k, TIME_SLOPE_K)
    return float(sheet * (max(mass_kg, 0.05) / resin.pot_life_mass_kg) ** -resin.pot_life_mass_exponent)


@dataclass(frozen=True)
class Rheology:
    """How the resin of one shot flows: ``μ(t) = viscosity·exp(t/thickening)`` until gel or the flow limit.

    The fluidity time ``θ(t) = ∫ dt/μ`` (1/Pa) is the clock that flow with growing viscosity runs on.
    """

    viscosity_pa_s: float
    thickening_s: float
    gel_s: float
    flow_limit_s: float

    @property
    def stops_s(self) -> float:
        """When the resin stops flowing, at gel or at the flow limit."""
        return min(self.gel_s, self.flow_limit_s)

    @property
    def stopped_by(self) -> Literal["gel", "flow limit"]:
        """What stops it first."""
        return "gel" if self.gel_s <= self.flow_limit_s else "flow limit"

    def viscosity_at(self, time_s: float) -> float:
        return self.viscosity_pa_s * math.exp(time_s / self.thickening_s)

    def fluidity_time(self, time_s: float) -> float:
        return -self.thickening_s * math.expm1(-time_s / self.thickening_s) / self.viscosity_pa_s

    def time_at(self, fluidity_time: float) -> float:
        """Inverse of :meth:`fluidity_time`; infinite where the resin never gets that far."""
        rest = 1 - fluidity_time * self.viscosity_pa_s / self.thickening_s
        return -self.thickening_s * math.log(rest) if rest > 0 else math.inf


def rheology(resin: ResinCard, temperature_k: float) -> Rheology:
    """The resin as it flows in the part at *temperature_k*, aged from the start of the shot."""
    viscosity = fresh_viscosity_pa_s(resin, temperature_k)
    gel = film_gel_s(resin, temperature_k)
    thickening = resin.thickening_time_s * gel / film_gel_s(resin, resin.film_gel[0].temperature_k)
    limit = thickening * math.log(max(resin.flow_limit_pa_s / viscosity, 1.0))
    return Rheology(viscosity, thickening, gel, limit)


def poured(resin: Rheology, age_s: float) -> Rheology:
    """*resin* as it flows from its pouring on, *age_s* after it was mixed."""
    thicker = math.exp(age_s / resin.thickening_s)
    return Rheology(
        resin.viscosity_pa_s * thicker, resin.thickening_s, max(resin.gel_s - age_s, 0.0), resin.flow_limit_s - age_s
    )
