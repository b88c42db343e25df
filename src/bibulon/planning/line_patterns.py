"""Lines in a usual pattern, put on the plan at one go: feeds from station to station, a spine with branches, a feed or
a vent all round. What is put is lines like any other, to be moved and changed by hand."""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import pairwise

from shapely import LineString, Point, Polygon, get_coordinates, get_parts
from shapely.geometry.base import BaseGeometry
from shapely.ops import polylabel

from bibulon.assess import assess
from bibulon.job import Job
from bibulon.job.base import Point as PlanPoint
from bibulon.job.edits import new_id, next_label, revised, with_line
from bibulon.job.lines import AtTime, Line, Turn, WhenReached, WhenTurned
from bibulon.planning.hand import feeds_for, reach
from bibulon.refusal import Refusal
from bibulon.stock.choice import with_line_cards

EDGE_M = 0.03
"""Lines that lie on the part stay so far off its edge."""
SHORTEST_M = 0.05
SHORT_LINE_M = 0.10
MOST_STATIONS = 12
USUAL_SPACING_M = 0.5
BRANCH_HOSE_M = 0.05
"""A branch hangs on its spine by a tee."""
SMOOTH_M = 1e-3


class PatternRefusal(Refusal):
    """A pattern that does not fit the part; the message says why."""


def with_stations(job: Job, start: PlanPoint, end: PlanPoint) -> tuple[Job, str]:
    """*job* with feeds across the way from *start* to *end*, and a vent where it ends; the identifier of the first feed
    besides. Each is opened when resin has passed it, and the one before is clamped then.

    There are so many as the hand figure asks for over that length. Raises :class:`PatternRefusal`.
    """
    way = math.dist(start, end)
    if way < 2 * SHORTEST_M:
        raise PatternRefusal("The way from the first feed to the vent is too short.")
    plan = feeds_for(assess(job), way)
    asked = plan.in_turn if plan is not None else math.ceil(way / USUAL_SPACING_M)
    count = min(max(asked, 2), MOST_STATIONS)
    inner = _inner(job)
    u = ((end[0] - start[0]) / way, (end[1] - start[1]) / way)
    before: str | None = None
    first = ""
    for number in range(count):
        at = start[0] + u[0] * way * number / count, start[1] + u[1] * way * number / count
        course = _across(inner, at, u)
        if course is None:
            raise PatternRefusal(f"Feed {number + 1} of {count} would not lie on the part: draw the way over it.")
        job, made = with_new_line(job, "feed", course)
        if before is None:
            first = made.id
            job = with_line(job, revised(made, opens=AtTime()))
        else:
            job = with_line(job, revised(made, opens=WhenReached(line=made.id)))
            turn = Turn(to="clamped", when=WhenTurned(line=made.id))
            job = with_line(job, revised(job.line(before), turns=(turn,)))
        before = made.id
    vent = _across(job.part.shape, end, u) or _across(inner, end, u)
    if vent is None:
        raise PatternRefusal("The vent at the end would not lie on the part: end the way on it.")
    job, _ = with_new_line(job, "vent", vent)
    return job, first


def with_branches(job: Job, points: tuple[PlanPoint, ...]) -> tuple[Job, str]:
    """*job* with a feed along *points*, and branches square to it on both sides, all the way to the part's edge, open
    with it; the identifier of the spine besides. Raises :class:`PatternRefusal`."""
    inner = _inner(job)
    spine = _longest(LineString(points).intersection(inner))
    if spine is None:
        raise PatternRefusal("The spine does not lie on the part.")
    job, made = with_new_line(job, "feed", spine)
    job = with_line(job, revised(made, opens=AtTime()))
    apart = _spacing(job)
    count = max(math.floor(spine.length / apart), 1)
    for number in range(count):
        along = spine.length * (number + 0.5) / count
        at, ahead = spine.interpolate(along), spine.interpolate(min(along + 1e-3, spine.length))
        behind = spine.interpolate(max(along - 1e-3, 0.0))
        turn = math.hypot(ahead.x - behind.x, ahead.y - behind.y) or 1.0
        u = ((ahead.x - behind.x) / turn, (ahead.y - behind.y) / turn)
        for side in _halves(inner, (at.x, at.y), u):
            job, branch = with_new_line(job, "feed", side)
            job = with_line(
                job, revised(branch, opens=AtTime(), fed_by=made.id, hose_length_m=BRANCH_HOSE_M, port_at=0.0)
            )
    return job, made.id


def with_feed_all_round(job: Job) -> tuple[Job, str]:
    """*job* with a feed all round on its edge, so that no air stays outside it, and a vent in the middle: perimeter in.
    Raises :class:`PatternRefusal`."""
    job, feed = with_new_line(job, "feed", _ring(job.part.outline.polygon))
    job = with_line(job, revised(feed, opens=AtTime()))
    job, _ = with_new_line(job, "vent", _middle(job))
    return job, feed.id


def with_vent_all_round(job: Job) -> tuple[Job, str]:
    """*job* with a vent all round along its edge, and a feed in the middle: perimeter out. Raises
    :class:`PatternRefusal`."""
    job, feed = with_new_line(job, "feed", _middle(job))
    job = with_line(job, revised(feed, opens=AtTime()))
    job, _ = with_new_line(job, "vent", _ring(job.part.outline.polygon))
    return job, feed.id


# -- courses -----------------------------------------------------------------------------------------------------------


def with_new_line(job: Job, kind: str, course: LineString) -> tuple[Job, Line]:
    """*job* with a feed or vent along *course*, with the cards of the first of its kind, and that line."""
    like = next((line for line in job.lines if line.kind == kind and line.fed_by is None), None)
    job, tube, hose = with_line_cards(job, kind)
    points = tuple((round(x, 4), round(y, 4)) for x, y in course.simplify(SMOOTH_M).coords)
    line = Line(
        id=new_id(kind), kind="feed" if kind == "feed" else "vent", label=next_label(job, kind), points=points,
        tube=tube, hose=hose, hose_length_m=like.hose_length_m if like else 2.5,
    )  # fmt: skip
    return with_line(job, line), line


def _inner(job: Job) -> BaseGeometry:
    inner = job.part.shape.buffer(-EDGE_M, join_style="mitre")
    if inner.is_empty:
        raise PatternRefusal("The part is too narrow for that.")
    return inner


def _longest(course: BaseGeometry) -> LineString | None:
    pieces = [piece for piece in get_parts(course) if isinstance(piece, LineString) and piece.length >= SHORTEST_M]
    return max(pieces, key=lambda piece: piece.length, default=None)


def _across(shape: BaseGeometry, at: PlanPoint, u: tuple[float, float]) -> LineString | None:
    """The longest course over *shape*, square to *u*, through *at* or the nearest place of the way that has one."""
    far = math.dist(*_corners(shape))
    for step in (0.0, 0.01, 0.03, 0.06, 0.1):
        for way in (step, -step):
            x, y = at[0] + u[0] * way, at[1] + u[1] * way
            line = LineString([(x + u[1] * far, y - u[0] * far), (x - u[1] * far, y + u[0] * far)])
            course = _longest(line.intersection(shape))
            if course is not None:
                return course
    return None


def _halves(shape: BaseGeometry, at: PlanPoint, u: tuple[float, float]) -> Iterator[LineString]:
    """The two branches from *at*, square to *u*, as far as the *shape* goes, each beginning at the spine."""
    far = math.dist(*_corners(shape))
    for sign in (1.0, -1.0):
        ray = LineString([at, (at[0] - sign * u[1] * far, at[1] + sign * u[0] * far)])
        for piece in get_parts(ray.intersection(shape)):
            if (
                isinstance(piece, LineString)
                and piece.distance(Point(at)) < SMOOTH_M
                and piece.length >= 2 * SHORTEST_M
            ):
                near = piece if Point(piece.coords[0]).distance(Point(at)) < SMOOTH_M else piece.reverse()
                yield near


def _corners(shape: BaseGeometry) -> tuple[PlanPoint, PlanPoint]:
    low_x, low_y, high_x, high_y = shape.bounds
    return (low_x, low_y), (high_x, high_y)


def _ring(shape: BaseGeometry) -> LineString:
    """The closed course round the largest piece of *shape*."""
    pieces = [piece for piece in get_parts(shape) if isinstance(piece, Polygon)]
    return LineString(max(pieces, key=_area).exterior.coords)


def _middle(job: Job) -> LineString:
    """A course along the middle of the part: short where it is as wide as long, else along its length."""
    inner = _inner(job)
    heart = polylabel(max((piece for piece in get_parts(inner) if isinstance(piece, Polygon)), key=_area), 1e-3)
    radius = float(heart.distance(inner.boundary))
    around = job.part.shape.minimum_rotated_rectangle
    box = get_coordinates(around).tolist()
    sides = sorted(pairwise(box[:3]), key=lambda side: math.dist(*side))
    (a, b), length = sides[-1], math.dist(*sides[-1])
    u = ((b[0] - a[0]) / length, (b[1] - a[1]) / length)
    half = max((length - 2 * radius - 2 * EDGE_M) / 2, SHORT_LINE_M / 2)
    centre = around.centroid if half > SHORT_LINE_M else heart
    course = LineString(
        [(centre.x - u[0] * half, centre.y - u[1] * half), (centre.x + u[0] * half, centre.y + u[1] * half)]
    )
    piece = _longest(course.intersection(inner))
    if piece is None:
        raise PatternRefusal("The part has no middle that a line could lie on.")
    return piece


def _area(shape: Polygon) -> float:
    return float(shape.area)


def _spacing(job: Job) -> float:
    """How far branches lie apart: resin has to come half of it."""
    far = reach(assess(job)).value
    return USUAL_SPACING_M if far is None else min(max(0.8 * far, 2 * SHORTEST_M), 2 * USUAL_SPACING_M)
