"""How the resin of one shot flows at the mould's temperature: the clock that a fill runs on.

Thickening: ``μ(t) = μ₀·exp(t/τ)``, with τ scaled with temperature as the film gel time is; for a card with fitted
constants of cure as its law says, exponential between the times of a table.
"""

from __future__ import annotations

import bisect
import itertools
import math
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np

from bibulon.job.resin_card import ResinCard
from bibulon.resin.card_law import law_of
from bibulon.resin.law import THICK, isothermal
from bibulon.resin.viscosity import film_gel_s, fresh_viscosity_pa_s

SOLID = 300.0
"""ln of what viscosity has grown by beyond which nothing is told apart."""


@dataclass(frozen=True)
class Rheology:
    """How the resin of one shot flows: ``μ(t) = viscosity·exp(t/thickening)`` until gel or the flow limit.

    With ``growth``, pairs of a time and ln of what viscosity has grown by, it goes by those, and on by the thickening
    after the last. The fluidity time ``θ(t) = ∫ dt/μ`` (1/Pa) is the clock that flow with growing viscosity runs on.
    """

    viscosity_pa_s: float
    thickening_s: float
    gel_s: float
    flow_limit_s: float
    growth: tuple[tuple[float, float], ...] = ()

    @property
    def stops_s(self) -> float:
        """When the resin stops flowing, at gel or at the flow limit."""
        return min(self.gel_s, self.flow_limit_s)

    @property
    def stopped_by(self) -> Literal["gel", "flow limit"]:
        """What stops it first."""
        return "gel" if self.gel_s <= self.flow_limit_s else "flow limit"

    @cached_property
    def _pieces(self) -> tuple[tuple[float, float, float, float], ...]:
        """Pieces of the growth: when each begins, μ there, e-fold time in it, θ at its beginning."""
        points = self.growth or ((0.0, 0.0),)
        pieces, theta = [], 0.0
        for (start, grown), (end, more) in itertools.pairwise(points):
            tau = (end - start) / (more - grown) if more - grown > 1e-12 else 1e12
            viscosity = self.viscosity_pa_s * math.exp(grown)
            pieces.append((start, viscosity, tau, theta))
            theta += -tau * math.expm1(-(end - start) / tau) / viscosity
        last, grown = points[-1]
        return (*pieces, (last, self.viscosity_pa_s * math.exp(grown), self.thickening_s, theta))

    @property
    def longest_fluidity_time(self) -> float:
        """What the clock never gets past."""
        _, viscosity, tau, theta = self._pieces[-1]
        return theta + tau / viscosity

    def _piece_at(self, time_s: float) -> tuple[float, float, float, float]:
        return self._pieces[max(bisect.bisect_right(self._pieces, time_s, key=lambda piece: piece[0]) - 1, 0)]

    def viscosity_at(self, time_s: float) -> float:
        start, viscosity, tau, _ = self._piece_at(time_s)
        return viscosity * math.exp(min((time_s - start) / tau, THICK))

    def fluidity_time(self, time_s: float) -> float:
        start, viscosity, tau, theta = self._piece_at(time_s)
        return theta - tau * math.expm1(-(time_s - start) / tau) / viscosity

    def time_at(self, fluidity_time: float) -> float:
        """Inverse of :meth:`fluidity_time`; infinite where the resin never gets that far."""
        at = bisect.bisect_right(self._pieces, fluidity_time, key=lambda piece: piece[3]) - 1
        start, viscosity, tau, theta = self._pieces[max(at, 0)]
        rest = 1 - (fluidity_time - theta) * viscosity / tau
        return start - tau * math.log(rest) if rest > 0 else math.inf


def rheology(resin: ResinCard, temperature_k: float) -> Rheology:
    """The resin as it flows in the part at *temperature_k*, aged from the start of the shot."""
    if resin.cure is not None:
        return _by_law(resin, temperature_k)
    viscosity = fresh_viscosity_pa_s(resin, temperature_k)
    gel = film_gel_s(resin, temperature_k)
    thickening = resin.thickening_time_s * gel / film_gel_s(resin, resin.film_gel[0].temperature_k)
    limit = thickening * math.log(max(resin.flow_limit_pa_s / viscosity, 1.0))
    return Rheology(viscosity, thickening, gel, limit)


def _by_law(resin: ResinCard, temperature_k: float) -> Rheology:
    law = law_of(resin)
    still, gel = isothermal(law, temperature_k), law.time_to(temperature_k, law.gel_cure)
    viscosity = fresh_viscosity_pa_s(resin, temperature_k)
    if len(still.times_s) < 2:
        return Rheology(viscosity, gel, gel, 0.0)
    grown = -np.log(still.fluidity / still.fluidity[0])
    end = still.stops_s
    stops_at_limit = float(still.cure[-1]) < law.gel_cure * (1 - 1e-5)
    thickening = end / max(float(grown[-1]), 1e-3)
    growth = tuple((float(time), float(more)) for time, more in zip(still.times_s, grown, strict=True))
    return Rheology(viscosity, thickening, gel, end if stops_at_limit else math.inf, growth)


def poured(resin: Rheology, age_s: float) -> Rheology:
    """*resin* as it flows from its pouring on, *age_s* after it was mixed."""
    gel_s, limit_s = max(resin.gel_s - age_s, 0.0), resin.flow_limit_s - age_s
    if not resin.growth:
        thicker = math.exp(min(age_s / resin.thickening_s, SOLID))
        return replace(resin, viscosity_pa_s=resin.viscosity_pa_s * thicker, gel_s=gel_s, flow_limit_s=limit_s)
    now = resin.viscosity_at(age_s)
    later = tuple(
        (time - age_s, more - math.log(now / resin.viscosity_pa_s)) for time, more in resin.growth if time > age_s
    )
    return Rheology(now, resin.thickening_s, gel_s, limit_s, ((0.0, 0.0), *later))
