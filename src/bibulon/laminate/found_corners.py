"""Corners that the mould's heights show: where its face turns sharply, how tight, by how much, and to which side.

The face's shape operator ``I⁻¹·II`` of the height field z(x, y) on a grid gives the sharper of its two curvatures at a
place and its direction. Places next to one another that curve more than :data:`TIGHT_M` to the same side are one
corner. Through its tightest place a section is laid along that direction: from end to end of the bend its slope turns
by θ over a length l of the face, so its radius is ``l/θ``. Source: differential geometry of surfaces.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import pairwise

import numpy as np
from scipy.ndimage import label
from shapely import LineString, Point, contains_xy, distance, points

from bibulon.arrays import Flags, Floats, Integers
from bibulon.job.mould import Corner
from bibulon.job.part import Part
from bibulon.laminate.corner import BLUNTEST_DEG, along_edge
from bibulon.laminate.relief import heights_at
from bibulon.laminate.relief_shapes import made_heights

TIGHT_M = 0.15
"""Cloth follows wider bends by itself."""
LEAST_TURN_DEG = 15.0
CELLS = 160
"""Of the grid, along the longer side."""
FINEST_M = 0.003
EDGE_CELLS = 1.5
"""So near the part's edge the heights of its surroundings would count."""
SHORTEST_M = 0.04
MOST_CORNERS = 20
FINER = 8
"""The section is so many times finer than the grid."""
NEARLY = 0.9
SLENDER = 3.0
"""A corner runs along an edge where its places reach so many times as far one way as the other."""
EDGE_POINTS = 5
WAYS = 4
"""Ways in which something may bend that are told from one another."""
LEAST_SIDE = 0.15
"""A straight side of a ring is at least so long, as a share of how far the ring reaches."""
BAND_CELLS, STRAIGHT_CELLS = 4.0, 2.0
"""So many cells beside its course a corner's places may lie, and the course of a straight one beside its chord."""
BEND_SHARE = 0.2
"""The bend reaches to where it curves by this share of its most."""


def found_corners(part: Part) -> tuple[Corner, ...]:
    """The corners of the face of *part*, the tightest first; none of a flat mould."""
    if not part.relief:
        return ()
    low_x, low_y, high_x, high_y = part.shape.bounds
    step = max(max(high_x - low_x, high_y - low_y) / CELLS, FINEST_M)
    xs, ys = (np.arange(low + step / 2, high, step) for low, high in ((low_x, high_x), (low_y, high_y)))
    if len(xs) < 3 or len(ys) < 3:
        return ()
    gx, gy = np.meshgrid(xs, ys)
    heights = _heights(part, np.column_stack([gx.ravel(), gy.ravel()])).reshape(gx.shape)
    curved, way = _sharpest(heights, step)
    all_places = np.column_stack([gx.ravel(), gy.ravel()])
    inside = contains_xy(part.shape.buffer(-EDGE_CELLS * step), gx, gy)
    found = []
    for sign in (1, -1):
        tight: Flags = inside & (sign * curved > 1 / TIGHT_M)
        numbers, count = label(tight, np.ones((3, 3)))
        for mine, edge in _runs(numbers, count, all_places, np.abs(curved), way, step):
            places = all_places[mine]
            if float(np.hypot(*np.ptp(places, axis=0))) < SHORTEST_M:
                continue
            at = _middle_of_the_sharpest(mine, np.abs(curved.ravel()[mine]), places)
            place = float(gx.ravel()[at]), float(gy.ravel()[at])
            bend = _bend(part, place, way.reshape(-1, 2)[at], step)
            if bend is not None:
                fields = along_edge(edge) if edge else {"place": place}
                corner = Corner(label="R", radius_m=bend[0], turn_deg=bend[1], inside=sign > 0, **fields)
                found.append((bend[0], corner))
    found.sort(key=lambda pair: pair[0])
    return tuple(
        corner.model_copy(update={"label": f"R{number}"}) for number, (_, corner) in enumerate(found[:MOST_CORNERS], 1)
    )


def _heights(part: Part, places: Floats) -> Floats:
    """Heights of the face at *places*: by the figures that made it, where it has some, for the face between its points
    is of facets; else between its points."""
    if part.relief_from is not None:
        return made_heights(part.outline, part.relief_from, places)
    return heights_at(part.relief, places)


def _runs(
    numbers: Integers, count: int, places: Floats, curved: Floats, way: Floats, step: float
) -> Iterator[tuple[Integers, tuple[tuple[float, float], ...]]]:
    """Of places that are numbered by what hangs together: those of each corner, and its course.

    What runs round, as the foot of a rim does, is taken apart by the way in which it bends, and its straight sides are
    corners each; where it has none, as round a dish, it stays one without a course.
    """
    strength = curved.ravel()
    bends = np.arctan2(way[..., 1], way[..., 0]) % math.pi  # a bend has no front and back
    sides = np.round(bends / (math.pi / WAYS)).astype(np.int64) % WAYS
    for number in range(1, count + 1):
        mine = np.flatnonzero(numbers.ravel() == number)
        course = _course(places[mine], strength[mine], step)
        if course and _near(places[mine], course, step):
            yield mine, course
            continue
        straight = []
        for side in range(WAYS):
            parts, some = label((numbers == number) & (sides == side), np.ones((3, 3)))
            for part in range(1, some + 1):
                of_side = np.flatnonzero(parts.ravel() == part)
                along = _course(places[of_side], strength[of_side], step)
                long_enough = bool(along) and LineString(along).length > LEAST_SIDE * float(
                    np.hypot(*np.ptp(places[mine], axis=0))
                )
                if long_enough and _near(places[of_side], along, step) and _straight(along, step):
                    straight.append((of_side, along))
        yield from straight or [(mine, ())]


def _near(places: Floats, course: tuple[tuple[float, float], ...], step: float) -> bool:
    """Whether all *places* lie beside their *course*, as those of a band do and those of a ring do not."""
    line = LineString(course)
    return float(distance(points(places), line).max()) <= max(BAND_CELLS * step, line.length / (2 * SLENDER))


def _straight(course: tuple[tuple[float, float], ...], step: float) -> bool:
    chord = LineString([course[0], course[-1]])
    return max(chord.distance(Point(place)) for place in course) <= STRAIGHT_CELLS * step


def _course(places: Floats, curved: Floats, step: float) -> tuple[tuple[float, float], ...]:
    """The line along which the *places* of a corner curve most; empty where they lie in a spot, a ring or a field."""
    if len(places) < EDGE_POINTS:
        return ()
    middle = places.mean(axis=0)
    _, _, axes = np.linalg.svd(places - middle, full_matrices=False)
    along, across = (places - middle) @ axes.T[:, 0], (places - middle) @ axes.T[:, 1]
    long = float(np.ptp(along))
    if long < SLENDER * max(float(np.ptp(across)), step):
        return ()
    borders = np.linspace(along.min(), along.max(), EDGE_POINTS + 1)
    middles = []
    for low, high in pairwise(borders):
        mine = (along >= low) & (along <= high)
        if not mine.any():
            return ()
        middles.append(np.average(places[mine], axis=0, weights=curved[mine] ** 2))
    first, last = (middles[end] + axes[0] * (along[which] - (middles[end] - middle) @ axes[0])
                   for end, which in ((0, int(along.argmin())), (-1, int(along.argmax()))))  # fmt: skip
    course = LineString([first, *middles[1:-1], last]).simplify(step)
    return tuple((round(x, 3), round(y, 3)) for x, y in course.coords)


def _middle_of_the_sharpest(cells: Integers, curved: Floats, places: Floats) -> int:
    """Of the *cells* that curve most, the one nearest to their middle."""
    sharpest = curved >= NEARLY * curved.max()
    off = np.hypot(*(places - places[sharpest].mean(axis=0)).T)
    return int(cells[np.argmin(np.where(sharpest, off, np.inf))])


def _sharpest(heights: Floats, step: float) -> tuple[Floats, Floats]:
    """(rows, columns) the curvature greatest by amount (1/m), above zero in a hollow, and (…, 2) its direction."""
    q, p = np.gradient(heights, step)
    s, r = np.gradient(p, step)
    t, _ = np.gradient(q, step)
    root = np.sqrt(1 + p**2 + q**2)
    first = np.stack([np.stack([1 + p**2, p * q], -1), np.stack([p * q, 1 + q**2], -1)], -2)
    second = np.stack([np.stack([r, s], -1), np.stack([s, t], -1)], -2) / root[..., None, None]
    values, vectors = np.linalg.eig(np.linalg.solve(first, second))
    values, vectors = values.real, vectors.real
    which = np.argmax(np.abs(values), axis=-1)
    rows, columns = np.indices(which.shape)
    return values[rows, columns, which], vectors[rows, columns, :, which]


def _bend(part: Part, place: tuple[float, float], way: Floats, step: float) -> tuple[float, float] | None:
    """Radius (m) and turn (°) of the bend at *place* in a section along *way*; None if it turns too little."""
    fine = step / FINER
    far = max(2 * TIGHT_M, 6 * step)
    along = np.arange(-far, far + fine, fine)
    heights = _heights(part, np.array(place) + along[:, None] * way / float(np.hypot(*way)))
    slopes = np.arctan2(np.diff(heights), fine)
    # over a cell of the grid, lest the facets of the heights count as so many corners
    even = np.convolve(slopes, np.ones(FINER) / FINER, mode="valid")
    lengths = fine / np.cos(even)
    curved = np.diff(even) / lengths[1:]
    middle = len(curved) // 2
    near = slice(max(middle - FINER, 0), middle + FINER)
    at = near.start + int(np.argmax(np.abs(curved[near])))
    least = BEND_SHARE * abs(float(curved[at]))
    low = high = at
    while low > 0 and curved[low - 1] * curved[at] > 0 and abs(curved[low - 1]) > least:
        low -= 1
    while high < len(curved) - 1 and curved[high + 1] * curved[at] > 0 and abs(curved[high + 1]) > least:
        high += 1
    turn = abs(float(even[high + 1] - even[low]))
    if math.degrees(turn) < LEAST_TURN_DEG:
        return None
    long = float(lengths[low : high + 1].sum()) - fine * (FINER - 1)
    return max(long / turn, fine), min(math.degrees(turn), BLUNTEST_DEG)
