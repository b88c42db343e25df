"""Every parcel of resin in the part has its own age and temperature: carried with the flow, and how fluid it is.

Age is counted at the mould's temperature: a parcel that has cured as far as resin kept there does in ten minutes is ten
minutes old, however warm it was in its pot (``dα/dt`` from the resin's law gives how much faster it ages while it is
warmer or colder). Resin leaves a node first in, first out (:mod:`bibulon.flow.contents`), by a balance that holds for
steps of any size. What comes from the bucket is as old and as warm as its batch is in the pot by then, mixed with the
heel that it was poured on. Resin stops at gel or the flow limit.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from bibulon.arrays import Floats
from bibulon.flow.contents import Contents
from bibulon.flow.fed_resin import FedResin
from bibulon.flow.network import Network
from bibulon.flow.problem import FlowProblem
from bibulon.flow.stage import GRAVITY_M_S2
from bibulon.flow.step import Step
from bibulon.flow.upwind import Upwind
from bibulon.flow.warmth import Warmth

STOPPED = 1e-9
"""Fluidity of resin that has stopped, as a share of that of the clock: not zero, so that no node hangs loose."""


@dataclass(frozen=True)
class _Heel:
    """What was left in the bucket at the last pouring: its share of the mix, its age and excess temperature then."""

    share: float
    age_s: float
    excess_k: float


class Parcels:
    """Follows the resin of a fill; times in seconds on the run clock."""

    def __init__(self, network: Network, problem: FlowProblem) -> None:
        self._network, self._problem, self._resin = network, problem, problem.resin
        self._weight = problem.density_kg_m3 * GRAVITY_M_S2
        fed, warm = problem.fed, problem.warm
        self.warmth = Warmth(network, warm, problem.density_kg_m3) if warm is not None else None
        self.pours_s = [0.0]
        self._heel = _Heel(0.0, 0.0, 0.0)
        self.stops_s = problem.resin.stops_s
        """When the newest resin stops."""
        count = len(network.capacity_m3)
        self.age_s: Floats = np.zeros(count)
        """(N,) of the resin at each node, at the mould's temperature; 0 where there is none yet."""
        self._contents = Contents(count)
        """Of each node, by how old it would have been when resin began to age there."""
        self._aged_s: Floats = np.zeros(count)
        """(N,) by how much resin at each node has aged since the start, or would have."""
        self._wetted = np.zeros(count, dtype=bool)
        self._wetted[network.bucket] = True
        self._places = network.mesh.points_m[network.place]
        if fed is not None:
            self.age_s[network.bucket] = self._fed(fed, 0.0)
            self.stops_s = float(fed.still.times_s[-1] - self.age_s[network.bucket])

    def _fed(self, fed: FedResin, time_s: float) -> float:
        """The age of what leaves the bucket at a time; *warmth* takes how warm it is."""
        age_s, excess_k = self._in_bucket(fed, time_s)
        if self.warmth is not None and fed.from_pot:
            self.warmth.enter(excess_k)
        return age_s

    def _in_bucket(self, fed: FedResin, time_s: float) -> tuple[float, float]:
        """Age of what is in the bucket at a time, and its excess over the mould's temperature: the batch that was
        poured last, mixed with the heel that it was poured on."""
        since_s, heel = time_s - self.pours_s[-1], self._heel
        age_s, excess_k = fed.at(len(self.pours_s), since_s)
        return (
            age_s + heel.share * (heel.age_s + since_s - age_s),
            excess_k + heel.share * (heel.excess_k - excess_k),
        )

    def _pour(self, fed: FedResin, time_s: float) -> None:
        """The next batch comes on what is left of those before."""
        left_m3, batch_m3 = fed.left_m3(len(self.pours_s)), fed.batch(len(self.pours_s) + 1).volume_m3
        self._heel = _Heel(left_m3 / (left_m3 + batch_m3), *self._in_bucket(fed, time_s))
        self.pours_s.append(time_s)

    def fluidity(self, start_s: float, end_s: float) -> Floats | None:
        """(e,) mean fluidity along the edges over that span, as a share of that of the resin whose viscosity the clock
        counts; None if all is such."""
        fed = self._problem.fed
        if fed is None:
            return self.warmth.fluidity() if self.warmth is not None else None
        if self.warmth is None and len(self.pours_s) == 1 and not fed.fresh:
            return None
        age_s = self._extended(start_s)
        whole = self._resin.fluidity_time(end_s) - self._resin.fluidity_time(start_s)
        if self.warmth is None:
            flown = fed.flown(age_s + (end_s - start_s)) - fed.flown(age_s)
        else:
            faster, thinner = self._warm_factors(fed)
            flown = (fed.flown(age_s + faster * (end_s - start_s)) - fed.flown(age_s)) * thinner / faster
        share = np.maximum(flown / max(whole, 1e-300), STOPPED)
        edges = self._network.edges
        return np.asarray((share[edges.starts] + share[edges.ends]) / 2)

    def _warm_factors(self, fed: FedResin) -> tuple[Floats, Floats]:
        """(N,) how many times as fast resin ages where it is, and as fluid it is, as at the mould's temperature."""
        assert self.warmth is not None
        grid = self.warmth.excess_grid_k()
        faster, thinner = fed.factors(grid)
        return np.interp(self.warmth.excess_k, grid, faster), np.interp(self.warmth.excess_k, grid, thinner)

    def _extended(self, now_s: float) -> Floats:
        """(N,) the ages, dry nodes as the nearest at the front: that is what will reach them."""
        age, count = self.age_s.copy(), self._network.shell_count
        wet = self._wetted
        a, b = self._network.edges.starts, self._network.edges.ends
        at_front = wet[a] != wet[b]
        front = np.zeros(len(wet), dtype=bool)
        front[a[at_front]] = front[b[at_front]] = True
        front = np.flatnonzero((front & wet)[:count])
        dry = np.flatnonzero(~wet[:count])
        if len(front) and len(dry):
            age[dry] = age[front[cKDTree(self._places[front]).query(self._places[dry])[1]]]
        age[count:][~self._wetted[count:]] = age[self._network.bucket]
        return age

    def take(self, step: Step, before: Floats, drawn_m3: tuple[float, float], span_s: tuple[float, float]) -> None:
        """Take in a kept *step* from the filling *before*, in which the resin drawn grew between two volumes."""
        fed = self._problem.fed
        if fed is not None:
            self._carry(fed, step, span_s)
        if self.warmth is not None:
            self.warmth.take(step, before, span_s[1] - span_s[0])
        if fed is None:
            return
        low, high = drawn_m3
        while high > (used_up := fed.used_up_m3(len(self.pours_s))):
            share = (used_up - low) / max(high - low, 1e-300)
            self._pour(fed, span_s[0] + min(max(share, 0.0), 1.0) * (span_s[1] - span_s[0]))
        self.age_s[self._network.bucket] = self._fed(fed, span_s[1])
        left = float(fed.still.times_s[-1] - self.age_s[self._network.bucket])
        self.stops_s = max(self.stops_s, span_s[1] + left) if left > 0 else self.stops_s

    def _carry(self, fed: FedResin, step: Step, span_s: tuple[float, float]) -> None:
        """The age after a step: what is there has aged, or has come on its way through the step."""
        network, (start_s, end_s) = self._network, span_s
        faster: Floats | float = self._warm_factors(fed)[0] if self.warmth is not None else 1.0
        ages = faster * (end_s - start_s)
        flow = Upwind(network, step, self._weight)
        holds = np.maximum(step.filled_m3, 0.0)
        entering = self._fed(fed, (start_s + end_s) / 2)
        self._contents.pass_through(flow, self._aged_s + ages / 2, entering, network.bucket, holds)
        self._aged_s += ages
        self._wetted |= self._contents.any()
        most = fed.still.times_s[-1] * 2
        self.age_s = np.where(self._wetted, self._aged_s + self._contents.mean(), 0.0).clip(0.0, most)
