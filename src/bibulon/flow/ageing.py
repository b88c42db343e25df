"""Resin in the part ages batch by batch: when the resin at each node was poured, and how fluid it is.

The time of pouring is carried along with the flow: in a step the resin of a node mixes with what flows in from
upstream, by an implicit upwind balance that holds for steps of any size. Each batch ages from its own pouring; resin
stops at gel or the flow limit.
"""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from bibulon.arrays import Floats
from bibulon.flow.network import Network
from bibulon.flow.problem import FlowProblem
from bibulon.flow.stage import GRAVITY_M_S2
from bibulon.flow.step import Step
from bibulon.flow.upwind import Upwind

STOPPED = 1e-9
"""Fluidity of resin that has stopped, as a share of fresh resin's: not zero, so that no node hangs loose."""


class Ageing:
    """Follows the batches of a fill; times in seconds on the run clock."""

    def __init__(self, network: Network, problem: FlowProblem) -> None:
        self._network, self._problem, self._resin = network, problem, problem.resin
        self._weight = problem.density_kg_m3 * GRAVITY_M_S2
        self.pours_s = [0.0]
        self._poured: Floats = np.zeros(len(network.capacity_m3))
        self._wetted = np.zeros(len(network.capacity_m3), dtype=bool)
        self._wetted[network.bucket] = True
        self._places = network.mesh.points_m[network.place]

    @property
    def stops_s(self) -> float:
        """When the newest resin stops."""
        return self.pours_s[-1] + self._resin.stops_s

    def poured_s(self) -> Floats:
        """(N,) when the resin at each node was poured; 0 where there is none yet."""
        return self._poured

    def fluidity(self, start_s: float, end_s: float) -> Floats | None:
        """(e,) mean fluidity along the edges, as a share of that of resin poured at the start; None if all was."""
        if len(self.pours_s) == 1:
            return None
        resin = self._resin
        poured = np.minimum(self._extended(), start_s)

        def flown(time_s: float) -> Floats:
            age = np.clip(time_s - poured, 0.0, resin.stops_s)
            return np.asarray(-np.expm1(-age / resin.thickening_s))

        whole = np.exp(-start_s / resin.thickening_s) - np.exp(-end_s / resin.thickening_s)
        share = np.maximum((flown(end_s) - flown(start_s)) / max(whole, 1e-300), STOPPED)
        edges = self._network.edges
        return np.asarray((share[edges.starts] + share[edges.ends]) / 2)

    def _extended(self) -> Floats:
        """(N,) the pouring times, dry nodes as the nearest at the front: that is what will reach them."""
        poured, count = self._poured.copy(), self._network.shell_count
        wet = self._wetted
        a, b = self._network.edges.starts, self._network.edges.ends
        at_front = wet[a] != wet[b]
        front = np.zeros(len(wet), dtype=bool)
        front[a[at_front]] = front[b[at_front]] = True
        front = np.flatnonzero((front & wet)[:count])
        dry = np.flatnonzero(~wet[:count])
        if len(front) and len(dry):
            poured[dry] = poured[front[cKDTree(self._places[front]).query(self._places[dry])[1]]]
        poured[count:][~self._wetted[count:]] = self.pours_s[-1]
        return poured

    def take(self, step: Step, before: Floats, drawn_m3: tuple[float, float], span_s: tuple[float, float]) -> None:
        """Take in a kept *step* from the filling *before*, in which the resin drawn grew between two volumes."""
        if not self._problem.batches_m3:
            return
        if len(self.pours_s) > 1:
            self._carry(step, before)
        else:
            self._wetted |= step.filled_m3 > 0
        low, high = drawn_m3
        while high > (used_up := self._problem.used_up_m3(len(self.pours_s))):
            share = (used_up - low) / max(high - low, 1e-300)
            self.pours_s.append(span_s[0] + min(max(share, 0.0), 1.0) * (span_s[1] - span_s[0]))
        self._poured[self._network.bucket] = self.pours_s[-1]

    def _carry(self, step: Step, before: Floats) -> None:
        flow = Upwind(self._network, step, self._weight)
        held = np.where(self._wetted, before, 0.0)
        whole = held + flow.into_nodes()
        still = whole <= 1e-12 * float(self._network.capacity_m3.max())
        self._poured = flow.carried(whole, held * self._poured, self._poured, still).clip(0.0, self.pours_s[-1])
        self._wetted = self._wetted | ~still
