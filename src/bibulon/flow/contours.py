"""Lines of equal value on the mesh, by marching triangles."""

from __future__ import annotations

import math

import numpy as np
from shapely import MultiLineString, get_coordinates, get_parts, line_merge

from bibulon.arrays import Floats
from bibulon.flow.mesh import Mesh

GRAIN_DECIMALS = 7
"""Ends of segments that neighbouring triangles share are the same to so many decimals of a metre."""


def contour(mesh: Mesh, values: Floats, level: float) -> Floats:
    """Segments (k, 2, 2) of the line where linear *values* (n,) equal *level*; triangles with NaN are passed over."""
    corners = values[mesh.triangles]
    usable = np.isfinite(corners).all(axis=1)
    above = corners > level
    count = above.sum(axis=1)
    crossed = usable & (count > 0) & (count < 3)
    triangles, corners, above, count = (
        mesh.triangles[crossed], corners[crossed], above[crossed], count[crossed]
    )  # fmt: skip
    lone = np.where(count == 1, above.argmax(axis=1), (~above).argmax(axis=1))
    rows = np.arange(len(triangles))
    ends = []
    for offset in (1, 2):
        other = (lone + offset) % 3
        first, second = corners[rows, lone], corners[rows, other]
        share = ((level - first) / (second - first))[:, None]
        start, stop = mesh.points_m[triangles[rows, lone]], mesh.points_m[triangles[rows, other]]
        ends.append(start + share * (stop - start))
    return np.stack(ends, axis=1)


def joined(segments: Floats) -> list[Floats]:
    """Lines (n, 2) that run on along the *segments* (k, 2, 2) as far as those meet, the longest first; rings end where
    they begin."""
    if not len(segments):
        return []
    merged = get_parts(line_merge(MultiLineString(list(np.round(segments, GRAIN_DECIMALS)))))
    lines = sorted(merged.tolist(), key=lambda line: -float(line.length))
    return [get_coordinates(line) for line in lines if line.length > 0]


def round_levels(end_s: float, about: int = 8) -> list[float]:
    """Times for contours up to *end_s*: about *about* of them at a step people count in."""
    steps = (10, 15, 30, 60, 120, 300, 600, 900, 1200, 1800, 3600, 7200, 14400, 28800, 86400)
    step = next((step for step in steps if end_s / step <= about + 1), math.ceil(end_s / about) or 1)
    return [float(step * i) for i in range(1, int(end_s / step) + 1) if step * i < end_s * 0.999]
