"""What lies under the pointer on the plan: corners, edges and whole objects, against plain geometry."""

from __future__ import annotations

import math

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from PySide6.QtCore import QPointF, QRectF
from shapely import LineString, Polygon
from shapely import Point as Place

from bibulon.demo import demo_job
from bibulon.desk.plan.frame import MANY_POINTS, Frame, fitted
from bibulon.desk.plan.things import GRAB_PX, KINDS, edge_at, grip_at, nearest, points_of, with_points
from bibulon.desk.plan.tools import GRID_M, SNAP_PX, snapped, squared
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.edits import changed, revised
from bibulon.job.part import Part

EVERY = tuple(KINDS)
JOB = demo_job()
FRAME = fitted((0.0, 0.0), (4.2, 1.4), QRectF(0, 0, 840, 280))
REACH_M = GRAB_PX / FRAME.scale

on_the_plan = st.tuples(st.floats(-0.2, 4.4), st.floats(-0.2, 1.6))


def wavy(count: int) -> Part:
    """A round outline of so many points."""
    turns = [2 * math.pi * k / count for k in range(count)]
    wave = [1 + 0.05 * math.cos(9 * a) for a in turns]
    return Part(
        outline=tuple((2 + 1.8 * w * math.cos(a), 1 + 0.8 * w * math.sin(a)) for a, w in zip(turns, wave, strict=True))
    )


@given(at=on_the_plan, zoom=st.floats(0.1, 40), about=st.tuples(st.floats(0, 800), st.floats(0, 300)))
def test_the_plan_and_the_screen_agree_however_it_is_zoomed(at: Point, zoom: float, about: tuple[float, float]) -> None:
    frame = FRAME.zoomed(zoom, QPointF(*about)).moved(13.0, -7.0)
    assert frame.to_plan(frame.to_screen(at)) == pytest.approx(at, abs=1e-9)
    held = FRAME.to_plan(QPointF(*about))
    kept = FRAME.zoomed(zoom, QPointF(*about)).to_screen(held)
    assert (kept.x(), kept.y()) == pytest.approx(about, abs=1e-6), "what is under the pointer stays there"


@given(at=on_the_plan)
def test_the_nearest_corner_is_the_nearest(at: Point) -> None:
    for points in (JOB.part.outline, JOB.lines[0].points, wavy(700).outline):
        best = min(math.dist(point, at) for point in points)
        assert math.dist(points[nearest(points, at)], at) == pytest.approx(best)


@given(at=on_the_plan)
def test_what_is_taken_hold_of_lies_under_the_pointer(at: Point) -> None:
    grip = grip_at(JOB, FRAME, at, "", EVERY)
    if grip is None:
        shapes = [(KINDS[name], points) for name in EVERY for points in KINDS[name].points(JOB).values()]
        for kind, points in shapes:
            if kind.whole:
                shape = Polygon(points) if kind.closed else LineString(points)
                assert shape.distance(Place(at)) > (0 if kind.closed else REACH_M)
        return
    points = points_of(JOB, grip)
    if grip.point is not None:
        assert math.dist(points[grip.point], at) <= REACH_M
    else:
        kind = KINDS[grip.kind]
        shape = Polygon(points) if kind.closed else LineString(points)
        assert shape.distance(Place(at)) <= (1e-12 if kind.closed else REACH_M)


@given(along=st.floats(0, 0.9999), off=st.floats(-1.5, 1.5))
def test_an_edge_is_found_where_it_is_near_and_a_new_corner_comes_onto_it(along: float, off: float) -> None:
    """Between the corners of a polygon of twenty, on either side of its edge."""
    job = changed(JOB, part=wavy(20), regions=(), media=(), lines=(), layup=())
    ring = job.part.shape.exterior
    foot = ring.interpolate(along, normalized=True)
    further = ring.interpolate(along + 1e-4, normalized=True)
    long = math.dist((foot.x, foot.y), (further.x, further.y))
    aside = ((further.y - foot.y) / long, -(further.x - foot.x) / long)
    at = foot.x + aside[0] * off * REACH_M, foot.y + aside[1] * off * REACH_M
    corners = min(math.dist(at, one) for one in job.part.outline)
    assume(corners > 2.5 * REACH_M and abs(abs(off) - 1) > 0.02)
    found = edge_at(job, FRAME, at, ("outline",))
    assert (found is not None) == (abs(off) <= 1)
    if found is not None:
        grip, spot = found
        assert ring.distance(Place(spot)) < 1e-4 and math.dist(spot, at) == pytest.approx(abs(off) * REACH_M, abs=1e-3)
        points = list(job.part.outline)
        points.insert(grip.point or 0, spot)
        reshaped = with_points(job, grip, tuple(points))
        assert reshaped.part.shape.area == pytest.approx(job.part.shape.area, rel=1e-4)
        assert len(reshaped.part.outline) == 21


@given(at=on_the_plan)
def test_a_point_snaps_to_a_corner_else_to_the_edge_else_to_the_grid(at: Point) -> None:
    reach = SNAP_PX / FRAME.scale
    found = snapped(JOB, FRAME, at)
    corners = [*JOB.part.outline]
    corners += [place for line in JOB.lines for place in (line.points[0], line.points[-1])]
    corners += [place for patch in JOB.media for place in patch.outline]
    best = min(corners, key=lambda corner: math.dist(corner, at))
    if math.dist(best, at) <= reach:
        assert math.dist(found, at) == pytest.approx(math.dist(best, at))
    elif JOB.part.shape.exterior.distance(Place(at)) <= reach:
        assert JOB.part.shape.exterior.distance(Place(found)) < 1e-4
    else:
        assert math.dist(found, at) <= GRID_M * 0.7072
        assert all(abs(value / GRID_M - round(value / GRID_M)) < 1e-6 for value in found)


@given(start=on_the_plan, at=on_the_plan)
def test_a_square_stroke_runs_at_a_multiple_of_45_degrees_and_is_as_long(start: Point, at: Point) -> None:
    assume(math.dist(start, at) > 0.05)
    x, y = squared(start, at)
    angle = math.degrees(math.atan2(y - start[1], x - start[0]))
    assert abs(angle / 45 - round(angle / 45)) < 0.02
    assert math.dist(start, (x, y)) == pytest.approx(math.dist(start, at), abs=2e-4)


@pytest.mark.parametrize("scale", [20.0, 200.0, 2000.0])
def test_an_outline_of_thousands_of_points_is_drawn_as_finely_as_is_seen(scale: float) -> None:
    part = wavy(12_000)
    frame = Frame(scale, 0.0, 0.0)
    drawn = frame.polygon(part.outline)
    assert 3 <= drawn.count() <= 12_000
    shape = Polygon([(point.x(), point.y()) for point in (drawn.at(at) for at in range(drawn.count()))])
    whole = Polygon([(x * scale, -y * scale) for x, y in part.outline])
    assert shape.symmetric_difference(whole).area < 1.0 * whole.length, "within about a pixel all round"
    if scale == 20.0:
        assert drawn.count() < 1000
    few = wavy(MANY_POINTS)
    assert frame.polygon(few.outline).count() == MANY_POINTS


@given(dx=st.integers(-30, 30), dy=st.integers(-30, 30))
def test_a_whole_object_moved_keeps_its_shape_and_the_rest_its_place(dx: int, dy: int) -> None:
    step = dx * GRID_M, dy * GRID_M
    for name, identifier in (("line", JOB.lines[0].id), ("media", JOB.media[0].id)):
        grip = next(
            found
            for place in KINDS[name].points(JOB)[identifier]
            if (found := grip_at(JOB, FRAME, place, identifier, (name,))) is not None
        )
        assert grip.id == identifier
        before = points_of(JOB, grip)
        moved = tuple((round(x + step[0], 6), round(y + step[1], 6)) for x, y in before)
        job = with_points(JOB, grip, moved)
        assert points_of(job, grip) == moved
        assert rest_of(job, name, identifier) == rest_of(JOB, name, identifier)


def rest_of(job: Job, kind: str, identifier: str) -> list[tuple[str, str, tuple[Point, ...]]]:
    return [
        (name, one, points)
        for name in EVERY
        if name != "joint"  # joints follow from the plies
        for one, points in KINDS[name].points(job).items()
        if (name, one) != (kind, identifier)
    ]


def test_the_chosen_objects_corners_come_before_what_lies_over_them() -> None:
    """A chosen region's corner under a feed line is taken, not the line."""
    region = JOB.regions[0]
    corner = region.outline[0]
    job = changed(JOB, lines=(revised(JOB.lines[0], points=(corner, (corner[0] + 1, corner[1]))), *JOB.lines[1:]))
    taken = grip_at(job, FRAME, corner, region.name, ("region",))
    assert taken is not None and taken.kind == "region" and taken.point == 0
    other = grip_at(job, FRAME, corner, "", ("line", "region"))
    assert other is not None and other.kind == "line"
