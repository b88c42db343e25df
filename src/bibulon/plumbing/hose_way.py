"""The way of a hose as it is drawn on the plan: how long it is, and how tight its tightest bend is."""

from __future__ import annotations

import math
from collections.abc import Sequence

from shapely import LineString

from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.edits import revised, with_line
from bibulon.job.lines import Line

LEAST_TURN = math.radians(5)
"""A hose that turns less at a place of its way counts as straight there."""
ROUNDED_UP_M = 0.01
"""A hose is cut to the centimetre."""


def way_of(line: Line) -> tuple[Point, ...]:
    """The places that the hose of *line* is led past, from its port on; empty where its way is not drawn."""
    if not line.hose_way:
        return ()
    port = LineString(line.points).interpolate(line.port_at, normalized=True)
    return ((port.x, port.y), *line.hose_way)


def length_m(job: Job, line: Line) -> float:
    """How long the hose of *line* is by its drawn way; one from the bucket also goes down or up to it."""
    along = LineString(way_of(line)).length
    from_bucket = line.kind == "feed" and line.fed_by is None
    whole = along + (abs(job.bucket.below_part_m) if from_bucket else 0.0)
    return math.ceil(round(whole / ROUNDED_UP_M, 6)) * ROUNDED_UP_M


def tightest_bend(way: Sequence[Point], elbows: int = 0) -> tuple[float, Point] | None:
    """The radius that every bend of a hose led along *way* can have, and where it is tightest; None where it runs
    straight. So many *elbows* each take the turn where it is tightest before.

    An arc of radius R round a corner that turns by φ begins ``R tan(φ/2)`` before it; two corners share the piece
    between them, so ``R (tan(φ₁/2) + tan(φ₂/2)) ≤ L`` for every piece of length L.
    """
    places = [place for at, place in enumerate(way) if at == 0 or math.dist(place, way[at - 1]) > 1e-9]
    tangents = [0.0]
    for before, place, after in zip(places, places[1:], places[2:], strict=False):
        turn = math.atan2(place[1] - before[1], place[0] - before[0]) - math.atan2(
            after[1] - place[1], after[0] - place[0]
        )
        turn = abs(math.remainder(turn, 2 * math.pi))
        tangents.append(math.tan(min(turn, math.pi - 1e-9) / 2) if turn > LEAST_TURN else 0.0)
    tangents.append(0.0)
    while True:
        pieces = [
            (math.dist(places[at], places[at + 1]) / (tangents[at] + tangents[at + 1]), at)
            for at in range(len(places) - 1)
            if tangents[at] + tangents[at + 1] > 0
        ]
        if not pieces:
            return None
        radius, at = min(pieces)
        sharper = at if tangents[at] > tangents[at + 1] else at + 1
        if elbows == 0:
            return radius, places[sharper]
        tangents[sharper], elbows = 0.0, elbows - 1


def measured(job: Job, line: Line) -> Line:
    """*line* with its hose as long as its drawn way; as it is where none is drawn."""
    return revised(line, hose_length_m=length_m(job, line)) if line.hose_way else line


def with_way(job: Job, identifier: str, places: tuple[Point, ...]) -> Job:
    """*job* with the hose of that line led past *places*, from its port on, and as long as that; none: not drawn."""
    return with_line(job, measured(job, revised(job.line(identifier), hose_way=places)))
