"""The mesh: triangles that follow the outline, the borders of cells and every line."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from shapely import (
    MultiLineString,
    dwithin,
    points,
    prepare,
)

from bibulon.arrays import Floats, Integers
from bibulon.laminate.cells import GRID_M


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Mesh:
    """Triangles over the plan, lifted by the mould's relief.

    ``points_m`` (n, 2) on the plan; ``triangles`` (m, 3) node numbers; ``cell`` (m,) which cell each triangle lies in;
    ``heights_m`` (n,). Areas and lengths are those of the surface.
    """

    points_m: Floats
    triangles: Integers
    cell: Integers
    heights_m: Floats

    @cached_property
    def slopes(self) -> Floats:
        """(m, 2) gradient of the height on the plan."""
        a, b, c = (self.points_m[self.triangles[:, corner]] for corner in range(3))
        z = self.heights_m[self.triangles]
        rises = np.stack([z[:, 1] - z[:, 0], z[:, 2] - z[:, 0]], axis=1)
        return np.asarray(np.linalg.solve(np.stack([b - a, c - a], axis=1), rises[..., None])[..., 0])

    @cached_property
    def areas_m2(self) -> Floats:
        """(m,) areas of the triangles."""
        a, b, c = (self.points_m[self.triangles[:, corner]] for corner in range(3))
        flat: Floats = 0.5 * np.abs((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0])
        return flat * np.sqrt(1 + (self.slopes**2).sum(axis=1)) if self.heights_m.any() else flat

    @property
    def onto_plan(self) -> tuple[Floats, Floats]:
        """``M⁻¹`` (m, 2, 2) and ``det M`` (m,): a tensor T of the surface acts on the plan as ``det M · M⁻¹ T M⁻ᵀ``.

        The surface's axes are the plan's x axis laid on it and the direction square to that; M turns a step on the
        plan into one along them.
        """
        if not self.heights_m.any():
            return np.broadcast_to(np.eye(2), (len(self.triangles), 2, 2)), np.ones(len(self.triangles))
        p, q = self.slopes.T
        along = np.sqrt(1 + p**2)
        stretch = np.sqrt(1 + p**2 + q**2)
        inverse = np.zeros((len(p), 2, 2))
        inverse[:, 0, 0] = 1 / along
        inverse[:, 0, 1] = -p * q / (along * stretch)
        inverse[:, 1, 1] = along / stretch
        return inverse, stretch

    def lengths_m(self, edges: Integers) -> Floats:
        """(k,) lengths of *edges* (k, 2)."""
        rise = np.diff(self.heights_m[edges], axis=1)[:, 0]
        return np.asarray(np.hypot(np.linalg.norm(np.diff(self.points_m[edges], axis=1)[:, 0], axis=1), rise))

    @cached_property
    def edges(self) -> Integers:
        """(e, 2) every edge once, smaller node number first."""
        corners, count = np.sort(self.triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1), len(self.points_m)
        return np.column_stack(np.divmod(np.unique(corners[:, 0] * count + corners[:, 1]), count))

    def edges_on(self, course: MultiLineString) -> Integers:
        """(k, 2) the edges that lie on *course*."""
        prepare(course)
        near = np.asarray(dwithin(course, points(self.points_m), 2 * GRID_M))
        edges = self.edges[near[self.edges].all(axis=1)]
        middles = self.points_m[edges].mean(axis=1)
        return edges[np.asarray(dwithin(course, points(middles), 2 * GRID_M))] if len(edges) else edges

    def nearest(self, x_m: float, y_m: float) -> int:
        """Number of the node nearest to a place."""
        return int(np.argmin(((self.points_m - (x_m, y_m)) ** 2).sum(axis=1)))

    def locate(self, x_m: float, y_m: float) -> tuple[Integers, Floats] | None:
        """Nodes (3,) and weights (3,) of the triangle over a place, or None off the mesh."""
        ((triangle, weights),) = self.located(np.array([[x_m, y_m]]))
        return None if triangle < 0 else (self.triangles[triangle], weights)

    def located(self, places: Floats) -> list[tuple[int, Floats]]:
        """The triangle over each of *places* (k, 2), −1 off the mesh, with the weights (3,) of its corners."""
        a, b, c = (self.points_m[self.triangles[:, corner]] for corner in range(3))
        ab, ac = b - a, c - a
        double = ab[:, 0] * ac[:, 1] - ab[:, 1] * ac[:, 0]
        hits: list[tuple[int, Floats]] = []
        for place in places:
            ap = place - a
            second = (ap[:, 0] * ac[:, 1] - ap[:, 1] * ac[:, 0]) / double
            third = (ab[:, 0] * ap[:, 1] - ab[:, 1] * ap[:, 0]) / double
            worst = np.minimum(np.minimum(second, third), 1 - second - third)
            best = int(np.argmax(worst))
            weights = np.array([1 - second[best] - third[best], second[best], third[best]]).clip(0, 1)
            hits.append((best if worst[best] >= -1e-3 else -1, weights / weights.sum()))
        return hits
