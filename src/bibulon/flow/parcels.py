"""Every parcel of resin in the part has its own age and temperature: carried with the flow, and how fluid it is.

Age is counted at the mould's temperature: a parcel that has cured as far as resin kept there does in ten minutes is ten
minutes old, however warm it was in its pot (``dα/dt`` from the resin's law gives how much faster it ages while it is
warmer or colder, and by its dose of catalyst). Resin leaves a node first in, first out
(:mod:`bibulon.flow.contents`), by a balance that holds for steps of any size. What comes from the bucket is as old and
as warm as its batch is in the pot by then, mixed with the heel that it was poured on. Resin stops at gel or the flow
limit.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

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
class _InBucket:
    """What is in the bucket: its age and its excess over the mould's temperature, and how many times as fast as the
    planned resin it cures by its dose of catalyst."""

    age_s: float
    excess_k: float
    faster: float

    def after(self, span_s: float) -> _InBucket:
        """It so much later, as warm as it was."""
        return replace(self, age_s=self.age_s + self.faster * span_s)

    def mixed_with(self, other: _InBucket, share: float) -> _InBucket:
        """It with so large a *share* of *other*."""
        return _InBucket(
            self.age_s + share * (other.age_s - self.age_s),
            self.excess_k + share * (other.excess_k - self.excess_k),
            self.faster + share * (other.faster - self.faster),
        )


class Parcels:
    """Follows the resin of a fill; times in seconds on the run clock."""

    def __init__(self, network: Network, problem: FlowProblem) -> None:
        self._network, self._problem, self._resin = network, problem, problem.resin
        self._weight = problem.density_kg_m3 * GRAVITY_M_S2
        fed, warm = problem.fed, problem.warm
        self.warmth = Warmth(network, warm, problem.density_kg_m3) if warm is not None else None
        self.pours_s = [0.0 if fed is None else max(fed.ready_s(1), 0.0)]
        self._heel, self._heel_share = _InBucket(0.0, 0.0, 1.0), 0.0
        """What was left in the bucket at the last pouring, and its share of the mix."""
        self.stops_s = problem.resin.stops_s
        """When the newest resin stops."""
        count = len(network.capacity_m3)
        self.age_s: Floats = np.zeros(count)
        """(N,) of the resin at each node, at the mould's temperature; 0 where there is none yet."""
        self.faster: Floats = np.ones(count)
        """(N,) how many times as fast as the planned resin that at each node cures, by its dose of catalyst."""
        self._doses = None if fed is None or fed.as_dosed else Contents(count)
        self._contents = Contents(count)
        """Of each node, by how old it would have been when resin began to age there."""
        self._aged_s: Floats = np.zeros(count)
        """(N,) by how much resin at each node has aged since the start, or would have."""
        self._wetted = np.zeros(count, dtype=bool)
        self._wetted[network.bucket] = True
        self._places = network.mesh.points_m[network.place]
        if fed is not None:
            self.age_s[network.bucket] = self._fed(fed, 0.0)
            self.stops_s = self.pours_s[0] + float(self._left_s(fed)[network.bucket])

    def _left_s(self, fed: FedResin) -> Floats:
        """(N,) how long the resin at each node still flows at the mould's temperature."""
        return fed.left_s(self.age_s, self.faster)

    def left_s(self, fed: FedResin) -> Floats:
        """(shell,) how long the resin at each node of the part still flows if it stays there, as warm as it is and gets
        by its own cure."""
        if self.warmth is None:
            return self.held_left_s(fed)
        return self.warmth.until_stopped(fed, self.age_s, self.faster).left_s[: self._network.shell_count]

    def held_left_s(self, fed: FedResin) -> Floats:
        """(shell,) how long it would still flow at the mould's temperature."""
        return self._left_s(fed)[: self._network.shell_count]

    def _fed(self, fed: FedResin, time_s: float) -> float:
        """The age of what leaves the bucket at a time; *warmth* takes how warm it is."""
        entering = self._in_bucket(fed, time_s)
        if self.warmth is not None and fed.from_pot:
            self.warmth.enter(entering.excess_k)
        self.faster[self._network.bucket] = entering.faster
        return entering.age_s

    def _in_bucket(self, fed: FedResin, time_s: float) -> _InBucket:
        """What is in the bucket at a time: the batch that was poured last, mixed with the heel that it was poured
        on."""
        since_s, number = max(time_s - self.pours_s[-1], 0.0), len(self.pours_s)
        batch = _InBucket(*fed.at(number, since_s), fed.batch(number).faster)
        return batch.mixed_with(self._heel.after(since_s), self._heel_share)

    def _pour(self, fed: FedResin, time_s: float) -> None:
        """The next batch comes on what is left of those before."""
        left_m3, batch_m3 = fed.left_m3(len(self.pours_s)), fed.batch(len(self.pours_s) + 1).volume_m3
        self._heel, self._heel_share = self._in_bucket(fed, time_s), left_m3 / (left_m3 + batch_m3)
        self.pours_s.append(time_s)

    def fluidity(self, start_s: float, end_s: float) -> Floats | None:
        """(e,) mean fluidity along the edges over that span, as a share of that of the resin whose viscosity the clock
        counts; None if all is such."""
        fed = self._problem.fed
        if fed is None:
            return self.warmth.fluidity() if self.warmth is not None else None
        if self.warmth is None and len(self.pours_s) == 1 and not fed.fresh and self._doses is None:
            return None
        age_s, by_dose = self.with_dry()
        whole = self._resin.fluidity_time(end_s) - self._resin.fluidity_time(start_s)
        if self.warmth is None and self._doses is None:
            flown = fed.flown(age_s + (end_s - start_s)) - fed.flown(age_s)
        else:
            by_warmth, thinner = self._warm_factors(fed)
            faster = by_warmth * by_dose
            flown = (fed.flown(age_s + faster * (end_s - start_s)) - fed.flown(age_s)) * thinner / faster
        share = np.maximum(flown / max(whole, 1e-300), STOPPED)
        edges = self._network.edges
        return np.asarray((share[edges.starts] + share[edges.ends]) / 2)

    def _warm_factors(self, fed: FedResin) -> tuple[Floats | float, Floats | float]:
        """(N,) how many times as fast resin ages where it is, and as fluid it is, as at the mould's temperature."""
        if self.warmth is None:
            return 1.0, 1.0
        grid = self.warmth.excess_grid_k()
        faster, thinner = fed.factors(grid)
        return np.interp(self.warmth.excess_k, grid, faster), np.interp(self.warmth.excess_k, grid, thinner)

    def with_dry(self) -> tuple[Floats, Floats]:
        """(N,) the ages, and how fast resin cures by its dose; dry nodes as the nearest at the front, where there is
        none as the bucket: that is what will reach them."""
        age, faster, count = self.age_s.copy(), self.faster.copy(), self._network.shell_count
        wet = self._wetted
        a, b = self._network.edges.starts, self._network.edges.ends
        at_front = wet[a] != wet[b]
        front = np.zeros(len(wet), dtype=bool)
        front[a[at_front]] = front[b[at_front]] = True
        front = np.flatnonzero((front & wet)[:count])
        dry = np.flatnonzero(~wet[:count])
        for value in (age, faster):
            value[~wet] = value[self._network.bucket]
        if len(front) and len(dry):
            nearest = front[cKDTree(self._places[front]).query(self._places[dry])[1]]
            age[dry], faster[dry] = age[nearest], faster[nearest]
        return age, faster

    def take(self, step: Step, before: Floats, drawn_m3: tuple[float, float], span_s: tuple[float, float]) -> None:
        """Take in a kept *step* from the filling *before*, in which the resin drawn grew between two volumes."""
        fed, cured_k = self._problem.fed, np.zeros(len(self.age_s))
        if fed is not None:
            aged_s = self._carry(fed, step, span_s)
            if self.warmth is not None:
                cured_k = fed.heat_k(self.age_s) - fed.heat_k(np.maximum(self.age_s - aged_s, 0.0))
        if self.warmth is not None:
            self.warmth.take(step, before, span_s[1] - span_s[0], cured_k)
        if fed is None:
            return
        low, high = drawn_m3
        while high > (used_up := fed.used_up_m3(len(self.pours_s))):
            share = (used_up - low) / max(high - low, 1e-300)
            wanted_s = span_s[0] + min(max(share, 0.0), 1.0) * (span_s[1] - span_s[0])
            self._pour(fed, max(wanted_s, fed.ready_s(len(self.pours_s) + 1)))
        self.age_s[self._network.bucket] = self._fed(fed, span_s[1])
        left = float(self._left_s(fed)[self._network.bucket])
        self.stops_s = max(self.stops_s, span_s[1] + left) if left > 0 else self.stops_s

    def _carry(self, fed: FedResin, step: Step, span_s: tuple[float, float]) -> Floats:
        """The age after a step: what is there has aged, or has come on its way through the step. Returns by how much
        (N,) resin at each node has aged in it (s)."""
        network, (start_s, end_s) = self._network, span_s
        ages = self._warm_factors(fed)[0] * self.faster * (end_s - start_s)
        flow = Upwind(network, step, self._weight)
        holds = np.maximum(step.filled_m3, 0.0)
        entering = self._fed(fed, (start_s + end_s) / 2)
        self._contents.pass_through(flow, self._aged_s + ages / 2, entering, network.bucket, holds)
        if self._doses is not None:
            nothing = np.zeros_like(holds)
            by_dose = float(self.faster[network.bucket])
            self._doses.pass_through(flow, nothing, by_dose, network.bucket, holds)
            self.faster = np.where(self._doses.any(), self._doses.mean(), by_dose)
            self.faster[network.bucket] = by_dose
        self._aged_s += ages
        self._wetted |= self._contents.any()
        most = fed.still.times_s[-1] * 2
        self.age_s = np.where(self._wetted, self._aged_s + self._contents.mean(), 0.0).clip(0.0, most)
        return np.broadcast_to(ages, self.age_s.shape)
