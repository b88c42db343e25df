"""When the front passed each node, smooth within steps.

Behind a front the accumulated impulse ``W`` of a node, over that of the air ahead, grows as the square of the front's
distance beyond it, ``W ≈ c d²/(2T)`` (the obstacle problem that W solves has W = ∇W = 0 on the front). With ℓ the
node's own size, the signed distance of the front beyond a node under the film is taken as ``(S − ½) ℓ`` until the node
is full and ``√(ℓ²/4 + 2TW/c)`` after; the two agree with the exact one-dimensional front at every half cell. The
arrival is where a parabola of time over that distance, through the ends of three steps, is at distance zero: a front at
constant pressure is such a parabola. The first is the step's start if the node was partly full by then; else the front
jumped over it. A node on a level below is fed from above too; it counts when a share of it is wet that grows from a
half, where the lag length ``√(T/g)`` is much shorter than the cell, to the whole, where the mesh resolves it.
"""

from __future__ import annotations

import math

import numpy as np
from scipy.spatial import cKDTree

from bibulon.arrays import Flags, Floats, Integers
from bibulon.flow.mesh import Mesh
from bibulon.flow.network import Network

RECENT_STEPS = 3
EVENINGS = 3
STIFFNESS = 1e-6
MOST_CHANGE = 1.5
"""A front whose speed changes more from one step to the next has met something: no curve is drawn through that."""
POINTS = 3
"""A front's way past a node is told from where it was at the ends of so many steps."""
SLOWING = 0.93
"""A front loses about this much speed from one step to the next."""


class _Passed:
    """Nodes that the front passed in one step, and how far beyond them it was at the ends of steps round then."""

    def __init__(self, nodes: Integers, start: float, end: float, share: Floats, through: Floats) -> None:
        self.nodes, self._start, self._end = nodes, start, end
        self._share, self._through = share, through
        self.times: list[float] = []
        self._beyond: list[Floats] = []

    def take(self, time: float, beyond: Floats) -> None:
        self.times.append(time)
        self._beyond.append(beyond)

    def marks(self) -> Floats:
        """When the front was at the nodes: time as a polynomial of distance through what is known, at distance 0."""
        marks = np.full(len(self.nodes), self._end)
        if len(self.times) > 1:
            (t0, t1), (d0, d1) = self.times[:2], self._beyond[:2]
            slow = _slowness(t1 - t0, d1 - d0)
            marks = t0 - d0 * slow
            if len(self.times) > 2:
                d2 = self._beyond[2]
                slower = _slowness(self.times[2] - t1, d2 - d1)
                alike = (slower > 0) & (slower < MOST_CHANGE * slow) & (slow < MOST_CHANGE * slower)
                bend = np.where(alike, slower - slow, 0.0) / np.where(alike, d2 - d0, 1.0)
                marks = marks + d0 * d1 * bend
            marks = np.clip(marks, self._start, self._end)
        marks_: Floats = marks + self._share * (self._through - marks)
        return marks_


def _slowness(time: float, way: Floats) -> Floats:
    """Time over *way*, 0 where the front did not come on."""
    return np.divide(time, way, out=np.zeros(len(way)), where=way > 0)


class Arrivals:
    """Collects the steps of a fill into arrival marks on the fluidity clock."""

    def __init__(self, network: Network) -> None:
        count = network.shell_count
        self._count = count
        self._capacity = network.capacity_m3[:count]
        self._size = np.sqrt(network.area_m2)
        # under the film a front runs along, so it has come when half a node's cell is wet; a level below counts when it
        # is wet through, as far as the mesh can tell: where the lag is shorter than a cell, half of that is the front's
        above = network.reach_m3[network.top[network.place]]
        lag_m = np.sqrt(np.divide(above, network.joint_m, out=np.full(count, np.inf), where=network.joint_m > 0))
        self._from_above: Floats = 1 - 1 / (1 + lag_m / self._size)
        self._from_above[network.top] = 0.0
        self._when = 0.5 + 0.5 * self._from_above
        self.margin_m = (1 - self._when) * self._size
        """(shell,) how far beyond a node the far edge of its cell is."""
        self._curvature = 2 * network.reach_m3 * network.area_m2 / self._capacity
        self._vents = network.vent_nodes
        self._place = np.column_stack([network.mesh.points_m, network.mesh.heights_m])[network.place]
        self._level = network.level
        self._work: Floats = np.zeros(count)
        self._mark: Floats = np.full(count, np.nan)
        self.front_m: Floats = -self._when * self._size
        """(shell,) how far the front lies beyond each node, negative where it has not come."""
        self._speed: Floats = np.zeros(count)
        self._rate: Floats = np.zeros(count)
        self._span = (0.0, 0.0)
        self._passed: list[_Passed] = []

    def beyond(self, saturation: Floats, impulse: Floats) -> Floats:
        """(n,) signed distance (m) of the front beyond each node, after a step that is not kept."""
        partly = (saturation - self._when) * self._size
        work = self._work + impulse
        full = np.sqrt(self.margin_m**2 + self._curvature * np.maximum(work, 0.0))
        distance: Floats = np.where(saturation < 1 - 1e-9, partly, full)
        distance[self._vents] = partly[self._vents]
        return distance

    def add(self, start: float, end: float, before: Floats, after: Floats, impulse: Floats) -> None:
        """Take in the step from *start* to *end*; the nodes (n,) were full to *before*, now to *after*."""
        distance = self.beyond(after, impulse)
        self._work = self._work + impulse
        self._follow(end, distance)
        passed = np.isnan(self._mark) & (distance >= 0)
        earlier = before - self._when
        begun = earlier > -self._when + 1e-9
        for nodes, known in ((np.flatnonzero(passed & begun), True), (np.flatnonzero(passed & ~begun), False)):
            # a node wet through from above fills on as fast as in the step before, then stands still
            share = np.where(self._rate[nodes] > 0, self._from_above[nodes], 0.0) if known else np.zeros(len(nodes))
            rate = np.where(share > 0, self._rate[nodes], 1.0)
            through = np.clip(start - earlier[nodes] / rate, start, end)
            fresh = _Passed(nodes, start, end, share, through)
            if known:
                fresh.take(start, earlier[nodes] * self._size[nodes])
            fresh.take(end, distance[nodes])
            self._mark[nodes] = fresh.marks()
            self._passed.append(fresh)
        span = max(end - start, math.ulp(end))  # a clock that all but stands may not show a step
        self._rate = (after - before) / span
        self._speed = np.where(self.front_m >= self.margin_m, (distance - self.front_m) / span, np.nan)
        self.front_m, self._span = distance, (start, end)

    def ahead_of_front(self, air_pa: Floats, full: Flags) -> Floats:
        """(n,) *air_pa* (n,) of nodes that are not *full*, and for those that are that of the nearest one ahead."""
        spread_pa = air_pa.copy()
        behind = np.flatnonzero(full)
        for level in np.unique(self._level[behind]):
            mine = behind[self._level[behind] == level]
            ahead = np.flatnonzero(~full & (self._level == level))
            if len(ahead):
                spread_pa[mine] = air_pa[ahead[cKDTree(self._place[ahead]).query(self._place[mine])[1]]]
        return spread_pa

    def _follow(self, end: float, distance: Floats) -> None:
        """Tell the nodes passed lately how far the front is beyond them at *end*."""
        for passed in self._passed:
            passed.take(end, distance[passed.nodes])
            self._mark[passed.nodes] = passed.marks()
        self._passed = [passed for passed in self._passed if len(passed.times) < POINTS]

    def turn(self) -> None:
        """A valve turned: what the front does from here on tells nothing of what it did before."""
        self._passed = [passed for passed in self._passed if len(passed.times) < 2]

    def ahead(self, length: float) -> Flags:
        """(n,) the nodes that the front should have filled after a further step of *length*, if it keeps its way."""
        reached = np.zeros(self._count, dtype=bool)
        start, end = self._span
        if end <= start:
            return reached
        full = self.front_m >= self.margin_m
        # nodes that the front had passed before the last step know its speed
        near = full & ~np.isnan(self._speed) & (self._mark >= end - RECENT_STEPS * (end - start))
        reach = self.front_m + SLOWING * np.nan_to_num(self._speed) * length
        dry = np.flatnonzero(~full)
        for level in np.unique(self._level[near]):
            front = np.flatnonzero(near & (self._level == level))
            mine = dry[self._level[dry] == level]
            if not len(mine):
                continue
            gap, which = cKDTree(self._place[front]).query(self._place[mine], distance_upper_bound=reach[front].max())
            close = np.isfinite(gap)
            nodes = mine[close]
            reached[nodes] = gap[close] + self.margin_m[nodes] <= reach[front[which[close]]]
        return reached

    def close(self) -> None:
        """The fill is over: nodes jumped over in its last step take the speed that the front had near them."""
        end = self._span[1]
        waiting = [passed.nodes for passed in self._passed if len(passed.times) < 2]
        known = ~np.isnan(self._speed) & (self._speed > 0) & (self._mark >= end - RECENT_STEPS * (end - self._span[0]))
        for nodes in waiting:
            for level in np.unique(self._level[nodes]):
                mine, near = nodes[self._level[nodes] == level], np.flatnonzero(known & (self._level == level))
                if len(near):
                    _, which = cKDTree(self._place[near]).query(self._place[mine])
                    self._mark[mine] = np.maximum(end - self.front_m[mine] / self._speed[near[which]], self._span[0])

    def marks(self, end: float) -> Floats:
        """(n,) arrival on the fluidity clock, NaN where the front has not come."""
        return np.where(self._mark <= end * (1 + 1e-12), self._mark, np.nan)


def smoothed(mesh: Mesh, values: Floats, separate: Flags) -> Floats:
    """*values* at the mesh's points, each taken from the plane of least squares through it and its neighbours.

    A front's place is known to a part of a cell, and that part differs from node to node; a plane through some seven of
    them evens it out and leaves a front that runs straight as it is. *Separate* points, as on a bore that resin runs
    along ahead of the laminate, keep their values and are no neighbours; NaN stays NaN.
    """
    a, b = mesh.edges.T
    count = len(values)
    usable = ~np.isnan(values) & ~separate
    both = usable[a] & usable[b]
    if not both.any():
        return values
    here, there = np.concatenate([a[both], b[both]]), np.concatenate([b[both], a[both]])
    way = mesh.points_m[there] - mesh.points_m[here]
    way /= math.sqrt(float((way**2).sum(axis=1).mean()))
    columns = (np.ones(len(way)), way[:, 0], way[:, 1])
    matrix = np.array([[np.bincount(here, column * other, count) for other in columns] for column in columns])
    matrix[0, 0] += 1  # the point itself
    matrix[(1, 2), (1, 2)] += STIFFNESS  # too few neighbours for a slope: their mean
    rise = values[there] - values[here]
    right = np.array([np.bincount(here, column * rise, count) for column in columns])
    off = np.linalg.solve(matrix.transpose(2, 0, 1), right.T[:, :, None])[:, 0, 0]
    return np.where(usable, values + off, values)


def evened(mesh: Mesh, values: Floats) -> Floats:
    """*values* at the mesh's points, evened out over neighbours; NaN stays NaN.

    The lag between levels is often no longer than the front takes through one cell, and known no better than that.
    """
    a, b = mesh.edges.T
    even = values
    known = ~np.isnan(values)
    both = known[a] & known[b]
    a, b = a[both], b[both]
    count = np.bincount(a, minlength=len(values)) + np.bincount(b, minlength=len(values))
    for _ in range(EVENINGS):
        total = np.bincount(a, even[b], len(values)) + np.bincount(b, even[a], len(values))
        even = np.where(count > 0, (even + total / np.maximum(count, 1)) / 2, even)
    return even
