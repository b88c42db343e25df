"""Values on the mesh's nodes drawn onto a regular grid, for pictures."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from bibulon.arrays import Floats, Integers
from bibulon.flow.mesh import Mesh

Singles = npt.NDArray[np.float32]
Integers32 = npt.NDArray[np.int32]


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Grid:
    """A picture of a field: ``values`` (rows, columns), NaN off the mesh; row 0 at the top (largest y)."""

    left_m: float
    bottom_m: float
    width_m: float
    height_m: float
    values: Singles

    def at(self, x_m: float, y_m: float) -> float | None:
        """The value at a place, None off the field."""
        rows, columns = self.values.shape
        column = int((x_m - self.left_m) / self.width_m * columns)
        row = int((self.bottom_m + self.height_m - y_m) / self.height_m * rows)
        if not (0 <= row < rows and 0 <= column < columns):
            return None
        value = float(self.values[row, column])
        return None if np.isnan(value) else value


class Canvas:
    """A regular grid over a mesh, of at most *longest* cells a side: which triangle each cell lies in, found once."""

    def __init__(self, mesh: Mesh, longest: int = 900) -> None:
        low, high = mesh.points_m.min(axis=0), mesh.points_m.max(axis=0)
        size = float((high - low).max()) / longest
        columns, rows = (max(int(np.ceil(length / size)), 1) for length in high - low)
        self._place = float(low[0]), float(low[1]), columns * size, rows * size
        self._shape = rows, columns
        corners = (mesh.points_m[mesh.triangles] - low) / size - 0.5
        first = np.floor(corners.min(axis=1)).astype(int)
        span = (np.ceil(corners.max(axis=1)).astype(int) - first + 1).max(axis=1)
        owner = np.full(rows * columns, -1, dtype=np.int32)
        weights = np.zeros((rows * columns, 2), dtype=np.float32)
        for extent in np.unique(span):
            chosen = np.flatnonzero(span == extent)
            for chunk in np.array_split(chosen, max(len(chosen) * int(extent) ** 2 // 2_000_000, 1)):
                self._claim(owner, weights, chunk, corners[chunk], first[chunk], int(extent))
        self._cells = np.flatnonzero(owner >= 0)
        self._nodes = mesh.triangles[owner[self._cells]].astype(np.int32)
        second, third = weights[self._cells].T
        self._weights = np.stack([1 - second - third, second, third], axis=1)

    def _claim(
        self, owner: Integers32, weights: Singles, triangles: Integers, corners: Floats, first: Integers, extent: int
    ) -> None:
        """Enter the *triangles*, no larger than *extent* cells, as owners of the cells in them."""
        steps = np.arange(extent)
        x = first[:, 0, None, None] + steps[None, None, :]
        y = first[:, 1, None, None] + steps[None, :, None]
        a, b, c = (corners[:, i, None, None, :] for i in range(3))
        double = (b - a)[..., 0] * (c - a)[..., 1] - (b - a)[..., 1] * (c - a)[..., 0]
        second = ((x - a[..., 0]) * (c - a)[..., 1] - (y - a[..., 1]) * (c - a)[..., 0]) / double
        third = ((b - a)[..., 0] * (y - a[..., 1]) - (b - a)[..., 1] * (x - a[..., 0])) / double
        inside = (second >= -1e-6) & (third >= -1e-6) & (second + third <= 1 + 1e-6)
        rows, columns = self._shape
        inside &= (x >= 0) & (y >= 0) & (x < columns) & (y < rows)
        cells = np.broadcast_to((rows - 1 - y) * columns + x, inside.shape)[inside]
        owner[cells] = np.broadcast_to(triangles[:, None, None], inside.shape)[inside]
        weights[cells, 0], weights[cells, 1] = second[inside], third[inside]

    def draw(self, values: Floats) -> Grid:
        """*values* (n,) at the mesh's points, straight between them."""
        picture = np.full(self._shape[0] * self._shape[1], np.nan, dtype=np.float32)
        picture[self._cells] = (values[self._nodes] * self._weights).sum(axis=1)
        return Grid(*self._place, picture.reshape(self._shape))
