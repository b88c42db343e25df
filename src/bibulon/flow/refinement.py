"""Where the mesh of a fill is refined."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from shapely import LinearRing, LineString, MultiLineString, Point, get_parts, union_all
from shapely.geometry.base import BaseGeometry

from bibulon.flow.meshing import FINE, Fine
from bibulon.flow.problem import FlowProblem
from bibulon.job.lines import AtTime

NEAR_VENT_SIZES = 4.0
SHARES_OF_FEED = 40.0
"""A feed is at least so many triangles long."""
SHARP_DEG = 30.0


def worth_refining(problem: FlowProblem, part: BaseGeometry, size_m: float) -> list[Fine]:
    """Where a finer mesh pays most: along feeds, where the pressure falls most steeply, the more so the shorter they
    are; at ends of vents, and at sharp corners near them, where the last of the resin comes slowly."""
    return [*_beside_feeds(problem, size_m), (union_all(last_places(problem, part, size_m)), FINE * size_m)]


def last_places(problem: FlowProblem, part: BaseGeometry, size_m: float) -> list[Point]:
    """Ends of vents, and sharp corners of the *part* near them."""
    vents = MultiLineString([piece for line in problem.lines if line.kind == "vent" for piece in line.pieces])
    ends = [Point(end) for piece in get_parts(vents) for end in (piece.coords[0], piece.coords[-1])]
    corners = [
        Point(corner)
        for ring in _rings(part)
        for corner in _sharp_corners(ring)
        if vents.distance(Point(corner)) <= NEAR_VENT_SIZES * size_m
    ]
    return [*ends, *corners]


def _beside_feeds(problem: FlowProblem, size_m: float) -> Iterator[Fine]:
    for line in problem.lines:
        for piece in line.pieces if line.kind == "feed" else ():
            course, least_m = LineString(piece), FINE * size_m
            if isinstance(line.opens, AtTime):
                least_m = min(least_m, course.length / SHARES_OF_FEED)
            else:  # resin passes it first, and gets into it over its whole width
                least_m = min(max(least_m, line.bore_m), size_m)
            yield course, least_m


def _rings(shape: BaseGeometry) -> list[LinearRing]:
    return [ring for part in get_parts(shape) for ring in (part.exterior, *part.interiors)]


def _sharp_corners(ring: LinearRing) -> list[tuple[float, float]]:
    """Corners of *ring* at which it turns by more than :data:`SHARP_DEG`."""
    places = np.asarray(ring.coords)[:-1, :2]
    before, after = places - np.roll(places, 1, axis=0), np.roll(places, -1, axis=0) - places
    turn = np.arctan2(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0], (before * after).sum(axis=1))
    return [(x, y) for x, y in places[np.abs(turn) > math.radians(SHARP_DEG)].tolist()]
