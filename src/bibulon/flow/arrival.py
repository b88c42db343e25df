"""When the front passed each node, smooth within steps.

Behind a front the accumulated impulse ``W`` of a node grows as the square of the front's distance beyond it,
``W ≈ c d²/(2T)`` (the obstacle problem that W solves has W = ∇W = 0 on the front). With ℓ the node's own size, the
signed distance of the front beyond a node under the film is taken as ``(S − ½) ℓ`` until the node is full and
``√(ℓ²/4 + 2TW/c)`` after; the two agree with the exact one-dimensional front at every half cell. Its zero, straight
between the ends of steps, is the arrival; a node that the front jumped over within one step takes the front's speed
from the step after. A node on a level below is fed from above too; it counts when a share of it is wet that grows from
a half, where the lag length ``√(T/g)`` is much shorter than the cell, to the whole, where the mesh resolves it.
"""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from bibulon.flow.conductors import Flags
from bibulon.flow.mesh import Floats, Mesh
from bibulon.flow.network import Network

RECENT_STEPS = 3
EVENINGS = 3
SLOWING = 0.93
"""A front loses about this much speed from one step to the next."""


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
        self._margin = (1 - self._when) * self._size
        self._curvature = 2 * network.reach_m3 * network.area_m2 / self._capacity
        self._vents = network.vent_nodes
        self._place = np.column_stack([network.mesh.points_m, network.mesh.heights_m])[network.place]
        self._level = network.level
        self._work: Floats = np.zeros(count)
        self._mark: Floats = np.full(count, np.nan)
        # nodes passed in the step before, waiting for the next step to tell the front's speed
        self._waiting = np.zeros(count, dtype=bool)
        self._distance: Floats = np.zeros(count)
        self._speed: Floats = np.zeros(count)
        self._rate: Floats = np.zeros(count)
        self._span = (0.0, 0.0)

    def _beyond(self, saturation: Floats, work: Floats) -> Floats:
        partly = (saturation - self._when) * self._size
        full = np.sqrt(self._margin**2 + self._curvature * np.maximum(work, 0.0))
        distance: Floats = np.where(saturation < 1 - 1e-9, partly, full)
        distance[self._vents] = partly[self._vents]
        return distance

    def beyond(self, saturation: Floats, impulse: Floats) -> Floats:
        """(n,) signed distance (m) of the front beyond the far edge of each node, after a step that is not kept."""
        found: Floats = self._beyond(saturation, self._work + impulse[: self._count]) - self._margin
        return found

    def add(self, start: float, end: float, before: Floats, after: Floats, impulse: Floats) -> None:
        """Take in the step from *start* to *end*; the nodes (n,) were full to *before*, now to *after*."""
        self._work = self._work + impulse[: self._count]
        distance = self._beyond(after, self._work)
        self._settle(end, distance)
        passed = np.isnan(self._mark) & (distance >= 0)
        earlier = before - self._when
        known = passed & (earlier > -self._when + 1e-9)
        behind = earlier * self._size
        self._mark[known] = start + (end - start) * behind[known] / (behind[known] - distance[known])
        # a node wet through from above fills on as fast as in the step before, then stands still
        below = np.flatnonzero(known & (self._from_above > 0) & (self._rate > 0))
        through = np.clip(start - earlier[below] / self._rate[below], start, end)
        self._mark[below] += self._from_above[below] * (through - self._mark[below])
        self._rate = (after - before) / (end - start)
        self._waiting = passed & ~known
        self._mark[self._waiting] = end
        self._speed = np.where(self._distance >= self._margin, (distance - self._distance) / (end - start), np.nan)
        self._distance, self._span = distance, (start, end)

    def _settle(self, end: float, distance: Floats) -> None:
        nodes = np.flatnonzero(self._waiting)
        if not len(nodes):
            return
        start, middle = self._span
        speed = (distance[nodes] - self._distance[nodes]) / (end - middle)
        mark = middle - self._distance[nodes] / np.maximum(speed, 1e-300)
        self._mark[nodes] = np.clip(mark, start, middle)
        self._waiting[:] = False

    def ahead(self, length: float) -> Flags:
        """(n,) the nodes that the front should have filled after a further step of *length*, if it keeps its way."""
        found = np.zeros(self._count, dtype=bool)
        start, end = self._span
        if end <= start:
            return found
        full = self._distance >= self._margin
        # nodes that the front had passed before the last step know its speed
        near = full & ~np.isnan(self._speed) & (self._mark >= end - RECENT_STEPS * (end - start))
        reach = self._distance + SLOWING * np.nan_to_num(self._speed) * length
        dry = np.flatnonzero(~full)
        for level in np.unique(self._level[near]):
            front = np.flatnonzero(near & (self._level == level))
            mine = dry[self._level[dry] == level]
            if not len(mine):
                continue
            gap, which = cKDTree(self._place[front]).query(self._place[mine], distance_upper_bound=reach[front].max())
            close = np.isfinite(gap)
            nodes = mine[close]
            found[nodes] = gap[close] + self._margin[nodes] <= reach[front[which[close]]]
        return found

    def look_beyond(self, end: float, after: Floats, impulse: Floats) -> None:
        """Take the speed of the front at the end from a step that was not kept."""
        self._settle(end, self._beyond(after, self._work + impulse[: self._count]))

    def marks(self, end: float) -> Floats:
        """(n,) arrival on the fluidity clock, NaN where the front has not come."""
        return np.where(self._mark <= end * (1 + 1e-12), self._mark, np.nan)


def evened(mesh: Mesh, values: Floats) -> Floats:
    """*values* at the mesh's points, evened out over neighbours; NaN stays NaN.

    The lag between levels is often no longer than the front takes through one cell, and known no better than that.
    """
    a, b = mesh.edges.T
    found = values
    known = ~np.isnan(values)
    both = known[a] & known[b]
    a, b = a[both], b[both]
    count = np.bincount(a, minlength=len(values)) + np.bincount(b, minlength=len(values))
    for _ in range(EVENINGS):
        total = np.bincount(a, found[b], len(values)) + np.bincount(b, found[a], len(values))
        found = np.where(count > 0, (found + total / np.maximum(count, 1)) / 2, found)
    return found
