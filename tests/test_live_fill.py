"""The front that follows the hand: its quick mesh, and what it says beside the full fill."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely import LineString, MultiLineString, Polygon, box

from bibulon.demo import DEMO_FILES, demo_job
from bibulon.flow.fill import fill
from bibulon.flow.live import live_fill, match_to
from bibulon.flow.problem import flow_problem
from bibulon.flow.quick_mesh import quick_mesh
from bibulon.job import Job
from bibulon.job.edits import changed, moved_points, revised, with_line


def moved(job: Job, by_m: float) -> Job:
    """*job* with its last feed moved up the plan."""
    feed = job.feeds[-1]
    return with_line(job, revised(feed, points=moved_points(feed.points, 0.0, by_m)))


@given(
    corners=st.lists(st.tuples(st.floats(0.6, 1.4), st.floats(0.0, 1.0)), min_size=3, max_size=9),
    line=st.tuples(*[st.floats(-0.4, 0.4)] * 4).filter(lambda c: math.dist(c[:2], c[2:]) > 0.1),
    split=st.floats(-0.5, 0.5),
)
def test_a_quick_mesh_covers_the_part_and_has_its_lines_as_edges(corners, line, split) -> None:
    turns = np.cumsum([0.2 + turn for _, turn in corners])
    turns *= 2 * math.pi / turns[-1]
    part = Polygon([(r * math.cos(a), r * math.sin(a)) for (r, _), a in zip(corners, turns, strict=True)])
    if not part.is_valid or part.area < 0.5:
        return
    cells = [p for p in (part & box(-2, -2, split, 2), part & box(split, -2, 2, 2)) if isinstance(p, Polygon)]
    whole = sum(cell.area for cell in cells)
    course = MultiLineString([LineString([line[:2], line[2:]])])
    if len(cells) < 2 or abs(whole - part.area) > 1e-9 or not part.contains(course):
        return
    mesh = quick_mesh(cells, [course], 0.15, 200)
    assert mesh is not None
    assert mesh.areas_m2.sum() == pytest.approx(part.area, rel=0.02)
    assert mesh.lengths_m(mesh.edges_on(course)).sum() == pytest.approx(course.length, rel=1e-3)
    of_first = mesh.areas_m2[mesh.cell == 0].sum()
    assert of_first == pytest.approx(cells[0].area, abs=0.06 * part.area)


@pytest.mark.parametrize("file", DEMO_FILES[:2])
def test_the_front_under_the_hand_goes_as_the_full_fill_does(file: str) -> None:
    job = demo_job(file)
    # the same resin for all, so that the closeness is that of the flow
    job = changed(job, flow=revised(job.flow, by_batch=False))
    before = fill(flow_problem(job, 1000, 4))
    match_to(job, before)
    for by_m in (0.0, 0.06):
        full = before if by_m == 0 else fill(flow_problem(moved(job, by_m), 1000, 4))
        live = live_fill(moved(job, by_m), 200)
        assert live.stopped_by == full.stopped_by == "filled"
        assert live.fill_time_s == pytest.approx(full.fill_time_s, rel=0.03 if by_m == 0 else 0.12)
        places = live.mesh.points_m[np.isfinite(live.arrival_s)]
        seen = np.array([full.arrival_s[full.mesh.nearest(*place)] for place in places])
        off = live.arrival_s[np.isfinite(live.arrival_s)] - seen
        assert np.sqrt(np.nanmean(off**2)) < 0.13 * full.fill_time_s


def test_the_charge_does_not_jump_under_the_hand(demo: Job) -> None:
    """A laminate that stands still holds what the one that swelled did at the end."""
    full = fill(flow_problem(demo, 600, 2))
    match_to(demo, full)
    live = live_fill(moved(demo, 0.02), 200)
    assert live.swollen_m3 == pytest.approx(full.swollen_m3, rel=0.1)
