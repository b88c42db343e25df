"""Values on the mesh's nodes drawn onto a regular grid, for pictures."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bibulon.flow.mesh import Floats, Mesh


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Grid:
    """A picture of a field: ``values`` (rows, columns), NaN off the mesh; row 0 at the top (largest y)."""

    left_m: float
    bottom_m: float
    width_m: float
    height_m: float
    values: Floats

    def at(self, x_m: float, y_m: float) -> float | None:
        """The value at a place, None off the field."""
        rows, columns = self.values.shape
        column = int((x_m - self.left_m) / self.width_m * columns)
        row = int((self.bottom_m + self.height_m - y_m) / self.height_m * rows)
        if not (0 <= row < rows and 0 <= column < columns):
            return None
        value = float(self.values[row, column])
        return None if np.isnan(value) else value


def rasterised(mesh: Mesh, values: Floats, longest: int = 900) -> Grid:
    """*values* (n,) interpolated linearly onto a grid of at most *longest* cells a side."""
    low, high = mesh.points_m.min(axis=0), mesh.points_m.max(axis=0)
    size = float((high - low).max()) / longest
    columns, rows = (max(int(np.ceil(length / size)), 1) for length in high - low)
    picture = np.full((rows, columns), np.nan)
    corners = (mesh.points_m[mesh.triangles] - low) / size - 0.5
    field = values[mesh.triangles]
    first = np.floor(corners.min(axis=1)).astype(int)
    span = (np.ceil(corners.max(axis=1)).astype(int) - first + 1).max(axis=1)
    for extent in np.unique(span):
        chosen = np.flatnonzero(span == extent)
        for chunk in np.array_split(chosen, max(len(chosen) * int(extent) ** 2 // 2_000_000, 1)):
            _draw(picture, corners[chunk], field[chunk], first[chunk], int(extent))
    return Grid(float(low[0]), float(low[1]), columns * size, rows * size, picture[::-1].astype(np.float32))


def _draw(picture: Floats, corners: Floats, field: Floats, first: np.ndarray[tuple[int, int]], extent: int) -> None:
    steps = np.arange(extent)
    x = first[:, 0, None, None] + steps[None, None, :]
    y = first[:, 1, None, None] + steps[None, :, None]
    a, b, c = (corners[:, i, None, None, :] for i in range(3))
    double = (b - a)[..., 0] * (c - a)[..., 1] - (b - a)[..., 1] * (c - a)[..., 0]
    second = ((x - a[..., 0]) * (c - a)[..., 1] - (y - a[..., 1]) * (c - a)[..., 0]) / double
    third = ((b - a)[..., 0] * (y - a[..., 1]) - (b - a)[..., 1] * (x - a[..., 0])) / double
    inside = (second >= -1e-6) & (third >= -1e-6) & (second + third <= 1 + 1e-6)
    x, y = np.broadcast_to(x, inside.shape), np.broadcast_to(y, inside.shape)
    inside &= (x >= 0) & (y >= 0) & (x < picture.shape[1]) & (y < picture.shape[0])
    value = field[:, 0, None, None] * (1 - second - third)
    value = value + field[:, 1, None, None] * second + field[:, 2, None, None] * third
    picture[y[inside], x[inside]] = value[inside]
