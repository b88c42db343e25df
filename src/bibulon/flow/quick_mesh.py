"""A mesh made in a small part of the mesher's time, for fills that are drawn while the hand still moves.

Points along the lines and the borders of cells and a pattern of equilateral triangles between them are joined by a
Delaunay triangulation; a piece of a line that is none of its edges is halved until its parts are (conforming Delaunay
triangulation). Borders are smoothed and followed as far as the triangles allow: each belongs to the cell that its
middle lies in.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from scipy.spatial import Delaunay, QhullError, cKDTree
from shapely import (
    MultiLineString,
    Point,
    Polygon,
    STRtree,
    contains_xy,
    difference,
    get_coordinates,
    get_parts,
    points,
    prepare,
    segmentize,
    set_precision,
    simplify,
    union_all,
)
from shapely.geometry.base import BaseGeometry

from bibulon.arrays import Floats, Integers
from bibulon.flow.mesh import Mesh
from bibulon.laminate.cells import GRID_M

CLEAR = 0.7
"""A point between the lines lies at least so many sizes from the nearest point on one."""
BESIDE_LINE = 0.2
"""A border nearer than so many sizes to a line is not followed: the line stands for it."""
SMOOTHED = 0.05
"""Borders are smoothed by so many sizes at most."""
RINGS, RING = (0.25, 0.55), 12
"""Round a place where the mesh is to be finer: rings of so many sizes, of so many points each."""
MOST_HALVINGS = 24
MOST_POINTS = 4.0
"""There may be so many times the points asked for; where more are needed, the mesher does it."""
SLIVER = 1e-6
"""Triangles smaller than this share of a square of the size are left out: they lie on a straight border."""


def quick_mesh(
    cells: Sequence[Polygon],
    courses: Sequence[MultiLineString],
    size_m: float,
    nodes: int,
    fine_at: Sequence[Point] = (),
) -> Mesh | None:
    """Triangles of about *size_m* over the *cells* that have the *courses* as edges, smaller ones round the places
    *fine_at*; None where that takes many more than so many *nodes*, or does not come out."""
    lines = union_all([set_precision(course, GRID_M) for course in courses], grid_size=GRID_M)
    borders = difference(union_all([cell.boundary for cell in cells]), lines.buffer(BESIDE_LINE * size_m, 2))
    on_lines, segments = _pieces(lines, size_m)
    on_borders = _pieces(simplify(borders, SMOOTHED * size_m), size_m)[0]
    part = union_all(list(cells))
    prepare(part)
    fixed = np.concatenate([on_lines, on_borders])
    fixed = np.concatenate([fixed, _round(fine_at, part, fixed, size_m)])
    if len(fixed) > MOST_POINTS * nodes:
        return None
    try:
        places, triangles = _conforming(np.concatenate([fixed, _between(part, fixed, size_m)]), segments)
    except QhullError:
        return None
    if triangles is None or len(places) > MOST_POINTS * nodes:
        return None
    a, b, c = (places[triangles[:, corner]] for corner in range(3))
    double = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]
    triangles = np.where((double < 0)[:, None], triangles[:, [0, 2, 1]], triangles)
    middles = (a + b + c) / 3
    kept = (np.abs(double) > SLIVER * size_m**2) & contains_xy(part, *middles.T)
    owner = STRtree(cells).query_nearest(points(middles[kept]), all_matches=False)[1]
    used, numbers = np.unique(triangles[kept], return_inverse=True)
    return Mesh(places[used], numbers.reshape(-1, 3), owner.astype(np.int64), np.zeros(len(used)))


def _pieces(courses: BaseGeometry, size_m: float) -> tuple[Floats, Integers]:
    """Points (n, 2) along the *courses*, no more than *size_m* apart, and the pieces (k, 2) between them."""
    parts = [part for part in get_parts(segmentize(courses, size_m)) if part.geom_type == "LineString"]
    corners, owner = get_coordinates(parts, return_index=True)
    if not len(corners):
        return np.zeros((0, 2)), np.zeros((0, 2), dtype=np.int64)
    _, first, number = np.unique(np.round(corners / GRID_M), axis=0, return_index=True, return_inverse=True)
    pieces = np.column_stack([number[:-1], number[1:]])[owner[1:] == owner[:-1]]
    pieces = np.unique(np.sort(pieces[pieces[:, 0] != pieces[:, 1]], axis=1), axis=0)
    return corners[first], pieces.astype(np.int64)


def _round(places: Sequence[Point], part: BaseGeometry, fixed: Floats, size_m: float) -> Floats:
    """(k, 2) rings of points of the *part* round each of the *places*, clear of the *fixed* points."""
    if not places:
        return np.zeros((0, 2))
    turns = np.arange(RING) * 2 * math.pi / RING
    rings = [size_m * share * np.column_stack([np.cos(turns), np.sin(turns)]) for share in RINGS]
    around = np.concatenate([get_coordinates(place) + ring for place in places for ring in rings])
    around = around[contains_xy(part, *around.T)]
    clear = np.isinf(cKDTree(fixed).query(around, distance_upper_bound=BESIDE_LINE / 2 * size_m)[0])
    return np.asarray(around[clear])


def _between(part: BaseGeometry, fixed: Floats, size_m: float) -> Floats:
    """(k, 2) a pattern of equilateral triangles inside the *part*, clear of the *fixed* points."""
    (left, low), (right, high) = fixed.min(axis=0), fixed.max(axis=0)
    rise = size_m * math.sqrt(3) / 2
    rows, columns = np.arange(low + rise / 2, high, rise), np.arange(left, right + size_m, size_m)
    x = columns[None, :] + (np.arange(len(rows)) % 2)[:, None] * size_m / 2
    pattern = np.column_stack([x.ravel(), np.repeat(rows, len(columns))])
    clear = np.isinf(cKDTree(fixed).query(pattern, distance_upper_bound=CLEAR * size_m)[0])
    return np.asarray(pattern[clear & contains_xy(part, *pattern.T)])


def _conforming(places: Floats, segments: Integers) -> tuple[Floats, Integers | None]:
    """The *places* with those added that a triangulation needs to have all *segments* (k, 2), or their parts, as edges,
    and its triangles (m, 3); no triangles where that takes too many."""
    made = Delaunay(places, incremental=True)
    for _ in range(MOST_HALVINGS):
        triangles = np.asarray(made.simplices, dtype=np.int64)
        pairs = np.sort(triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
        count = len(places)
        ends = np.sort(segments, axis=1)
        there = np.isin(ends[:, 0] * count + ends[:, 1], pairs[:, 0] * count + pairs[:, 1])
        if there.all():
            return places, triangles
        missing, middles = segments[~there], np.arange(count, count + int((~there).sum()))
        made.add_points(places[missing].mean(axis=1))
        places = np.asarray(made.points)
        halves = [np.column_stack([missing[:, end], middles]) for end in (0, 1)]
        segments = np.concatenate([segments[there], *halves])
    return places, None
