"""Resin that enters warm, or warms by its own cure: how warm it is at each node, and how much more fluid for it.

Followed is the excess θ of resin and fibre over the mould's temperature. Resin gives its heat to the fibre that it
wets at once, and to the mould with the time constant of a slab whose two faces are held, ``τ = h²/(π² a)``, or of one
that only its tool face is held of, four times that; it is carried with the flow by :mod:`bibulon.flow.upwind`. Hoses,
lines and channel keep their heat, and none is made in them. In the part resin that cures by ``Δα`` gives off
``H/c · Δα`` (K, of resin alone) to itself and its fibre.
"""

from __future__ import annotations

import math

import numpy as np

from bibulon.arrays import Floats
from bibulon.flow.fed_resin import FedResin
from bibulon.flow.network import Network
from bibulon.flow.self_heating import (
    FIBRE_HEAT_J_M3_K,
    RESIN_HEAT_J_M3_K,
    UntilStopped,
    relaxes_in_s,
    resin_heat_share,
    until_stopped,
)
from bibulon.flow.stage import GRAVITY_M_S2, WarmResin
from bibulon.flow.step import Step
from bibulon.flow.upwind import Upwind


class Warmth:
    """The excess temperature over the nodes of a *network* while resin that is *warm* fills it."""

    def __init__(self, network: Network, warm: WarmResin, density_kg_m3: float) -> None:
        self._network, self._warm = network, warm
        self._weight = density_kg_m3 * GRAVITY_M_S2
        count, shell = len(network.capacity_m3), network.shell_count
        self.excess_k: Floats = np.zeros(count)
        self.enter(warm.excess_k)
        high = np.where(network.built_m > 0, network.built_m, network.laminate_m)
        self._tau_s: Floats = np.full(count, math.inf)
        self._tau_s[:shell] = relaxes_in_s(high, warm.both_faces)[network.place]
        pores = network.capacity_m3 * network.in_part_share
        packed = np.clip(network.fibre_m / np.maximum(network.laminate_m, 1e-9), 0.0, 0.9)
        self._fibre_m3: Floats = np.zeros(count)
        self._fibre_m3[:shell] = pores[:shell] * (packed / (1 - packed))[network.place]
        self._resin_share: Floats = np.zeros(count)
        self._resin_share[:shell] = resin_heat_share(packed)[network.place]

    def enter(self, excess_k: float) -> None:
        """What comes in from now is warmer than the mould by so much."""
        self._entering_k = excess_k
        self.excess_k[self._network.bucket] = excess_k

    def excess_grid_k(self) -> Floats:
        """Excesses from the least to the most that there is anywhere."""
        return np.linspace(float(self.excess_k.min()), float(self.excess_k.max()) + 1e-9, 41)

    def fluidity(self) -> Floats:
        """(e,) how many times as fluid resin is along the edges as at the mould's temperature."""
        warm, edges = self._warm, self._network.edges
        by_node = np.interp(self.excess_k, warm.excesses_k, warm.fluidity)
        return np.asarray((by_node[edges.starts] + by_node[edges.ends]) / 2)

    def until_stopped(self, fed: FedResin, age_s: Floats, faster: Floats) -> UntilStopped:
        """(N,) what becomes of resin that stays at its node, as old as it is there and curing so much *faster*."""
        return until_stopped(fed, age_s, faster, self.excess_k, self._tau_s, self._resin_share)

    def take(self, step: Step, before_m3: Floats, span_s: float, cured_k: Floats | float) -> None:
        """Take in a kept *step* of so many seconds from the filling *before_m3* (N,), in which what is at each node by
        its end cured so far that resin alone would warm by *cured_k* (N,)."""
        network, bucket = self._network, self._network.bucket
        capacity = np.maximum(network.capacity_m3, 1e-300)
        wet_before, wet_after = (np.minimum(some / capacity, 1.0) for some in (before_m3, step.filled_m3))
        fibre = FIBRE_HEAT_J_M3_K / RESIN_HEAT_J_M3_K * self._fibre_m3
        flow = Upwind(network, step, self._weight)
        # heat capacities in volumes of resin
        before = before_m3 + fibre * wet_before
        in_part = step.filled_m3 * network.in_part_share  # bores keep their heat
        gone = (in_part + fibre * wet_after) * span_s / self._tau_s
        whole = before + flow.into_nodes() + fibre * np.maximum(wet_after - wet_before, 0.0) + gone
        still = whole <= 1e-12 * float(network.capacity_m3.max())
        still[bucket] = True
        self.excess_k = flow.carried(whole, before * self.excess_k + in_part * cured_k, self.excess_k, still)
        self.excess_k[bucket] = self._entering_k
