"""Outlines of a drawing: its chains joined to closed contours, the largest the outline, those inside it holes."""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree
from shapely import Polygon, STRtree, get_coordinates, is_valid_reason, simplify

from bibulon.arrays import Floats
from bibulon.exchange.drawings import Chain, Drawing, DrawingRefusal
from bibulon.job.base import Point as PlanPoint
from bibulon.job.places import Outline

THINNED_M = 2e-5
"""Points of an outline that lie this close to the line between their neighbours are left out."""
MOST_HOLES = 500
SMALLEST_M, LARGEST_M = 0.02, 200.0


@dataclass(frozen=True)
class FoundOutline:
    """An outline and its holes in metres, their lower left corner at 0, 0, with notes on what was done."""

    outline: tuple[PlanPoint, ...]
    holes: tuple[tuple[PlanPoint, ...], ...]
    notes: tuple[str, ...]


def outline_of(drawing: Drawing, unit_m: float, layers: Collection[str], gap_m: float) -> FoundOutline:
    """The outline that the chains on *layers* make, one drawing unit being *unit_m*; gaps up to *gap_m* are closed.

    Raises :class:`~bibulon.exchange.drawings.DrawingRefusal` naming the place in drawing units.
    """
    chosen = [chain for chain in drawing.chains if chain.layer in layers]
    if not chosen:
        raise DrawingRefusal("No layer is chosen.")
    rings, healed = _rings(chosen, gap_m / unit_m, unit_m)
    for ring in rings:
        _check(ring)
    rings.sort(key=lambda ring: -abs(Polygon(ring).area))
    outer = Polygon(rings[0])
    size_m = max(np.ptp(rings[0], axis=0)) * unit_m
    if not SMALLEST_M <= size_m <= LARGEST_M:
        raise DrawingRefusal(f"The part would be {size_m:.4g} m long. Is the drawing in another unit?")
    if len(rings) - 1 > MOST_HOLES:
        raise DrawingRefusal(f"There are {len(rings) - 1} contours inside one another; {MOST_HOLES} is the most.")
    inners = [Polygon(ring) for ring in rings[1:]]
    tree = STRtree(inners)
    holes: list[Floats] = []
    for number, (ring, inner) in enumerate(zip(rings[1:], inners, strict=True)):
        x, y = ring[0]
        if not outer.contains(inner):
            where = "crosses the outline" if outer.intersects(inner) else "lies beside it"
            raise DrawingRefusal(f"A second contour {where}. Choose the layers of one part.", (float(x), float(y)))
        if (tree.query(inner, predicate="intersects") != number).any():
            raise DrawingRefusal("A contour lies in or on a hole.", (float(x), float(y)))
        holes.append(ring)
    corner = rings[0].min(axis=0)
    notes = [f"{healed} gaps closed"] if healed > 1 else ["1 gap closed"] if healed else []
    made = [_thinned((ring - corner) * unit_m) for ring in (rings[0], *holes)]
    dropped = sum(len(ring) for ring in (rings[0], *holes)) - sum(len(ring) for ring in made)
    if dropped > 0:
        notes.append(f"{dropped} point{'s' if dropped > 1 else ''} on a straight line left out")
    return FoundOutline(made[0], tuple(made[1:]), tuple(notes))


def _rings(chains: list[Chain], gap: float, unit_m: float) -> tuple[list[Floats], int]:
    """Closed contours (n, 2) without the repeated point, and how many gaps had to be closed for them."""
    rings = [chain.points[:-1] if _same(chain.points) else chain.points for chain in chains if chain.closed]
    runs = [chain.points for chain in chains if not chain.closed]
    rings += [run[:-1] for run in runs if len(run) > 3 and _same(run)]
    runs = [run for run in runs if not (len(run) > 3 and _same(run))]
    if not runs:
        return rings, 0
    ends = np.concatenate([run[[0, -1]] for run in runs])
    tree = cKDTree(ends)
    partner = np.full(len(ends), -1)
    healed = 0
    for number, place in enumerate(ends):
        near = [other for other in tree.query_ball_point(place, gap) if other != number]
        if len(near) > 1:
            nearest = sorted(near, key=lambda other: float(np.linalg.norm(ends[other] - place)))
            first, second = (float(np.linalg.norm(ends[other] - place)) for other in nearest[:2])
            if second < 2 * first + 1e-9:
                raise DrawingRefusal("More than two lines end here, so it is not clear which go on.", _at(place))
            near = nearest[:1]
        if not near:
            away = float(np.sort(np.linalg.norm(ends - place, axis=1))[1]) if len(ends) > 1 else 0.0
            raise DrawingRefusal(
                f"The contour is open: the next end of a line is {away * unit_m * 1000:.4g} mm away.", _at(place)
            )
        partner[number] = near[0]
    for number, other in enumerate(partner):
        if partner[other] != number:
            raise DrawingRefusal("More than two lines end here, so it is not clear which go on.", _at(ends[number]))
        healed += number < other and float(np.linalg.norm(ends[number] - ends[other])) > 1e-6 * float(np.ptp(ends))
    waiting = set(range(len(runs)))
    while waiting:
        start = at = min(waiting) * 2
        pieces = []
        while True:
            run, backwards = at // 2, at % 2 == 1
            waiting.discard(run)
            points = runs[run][::-1] if backwards else runs[run]
            pieces.append(points[:-1] if np.linalg.norm(points[-1] - ends[partner[at ^ 1]]) <= gap else points)
            at = int(partner[at ^ 1])
            if at == start:
                break
        rings.append(np.concatenate(pieces))
    return rings, int(healed)


def _same(points: Floats) -> bool:
    return bool(np.allclose(points[0], points[-1], rtol=0, atol=1e-9 * max(float(np.ptp(points)), 1e-12)))


def _at(place: Floats) -> PlanPoint:
    return float(place[0]), float(place[1])


def _check(ring: Floats) -> None:
    """Refuse a contour that has no area or meets itself, naming where."""
    if len(ring) < 3:
        raise DrawingRefusal("A contour of fewer than three points encloses nothing.", _at(ring[0]))
    polygon = Polygon(ring)
    if polygon.is_valid and polygon.area > 0:
        return
    said = re.search(r"\[(\S+) (\S+)\]", is_valid_reason(polygon))  # the first place only: there may be millions
    if said and polygon.convex_hull.area > 0:
        raise DrawingRefusal("The contour crosses itself.", (float(said[1]), float(said[2])))
    raise DrawingRefusal("A contour encloses no plain area.", _at(ring[0]))


def _thinned(ring: Floats) -> tuple[PlanPoint, ...]:
    thin = get_coordinates(simplify(Polygon(ring), THINNED_M))[:-1]
    rounded = tuple((round(float(x), 6), round(float(y), 6)) for x, y in thin)
    try:
        return Outline(rounded)
    except ValueError as error:
        raise DrawingRefusal(str(error)) from error
