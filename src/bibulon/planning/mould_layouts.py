"""Layouts of a closed mould to be tried: inlets on the rim, channels, the vent where the front closes in."""

from __future__ import annotations

import math
from collections.abc import Iterator

from shapely import LineString, Point, Polygon
from shapely.ops import polylabel, substring

from bibulon.flow.fill import fill
from bibulon.flow.line_courses import BESIDE_PART_M
from bibulon.flow.problem import PREVIEW_PACE, flow_problem
from bibulon.flow.refusal import FlowRefusal
from bibulon.job import Job
from bibulon.job.base import Point as PlanPoint
from bibulon.job.edits import changed, new_id, revised, with_line
from bibulon.job.gear_cards import TubeCard
from bibulon.job.lines import Line
from bibulon.stock.choice import with_line_cards

PORT_M = 0.01
"""A port is drawn so wide where its hose is not known."""
TRIAL_NODES = 300
MOST_MOVES = 4
NEAR_ENOUGH = 0.04
"""A vent no further from where the front ends than this share of the part's reach stays."""
CHANNEL_WIDTHS_M = (0.010, 0.016, 0.024)


def port_place(job: Job, kind: str, near: PlanPoint) -> PlanPoint:
    """Where a port that is put at *near* comes to lie: an inlet between two halves where the rim is nearest.

    Raises ValueError for a place off the part.
    """
    if kind != "feed" or not job.closed:
        if job.part.shape.distance(Point(near)) > BESIDE_PART_M:
            raise ValueError("That place is off the part: a port lies in the cavity, or on its edge.")
        return near
    rim = job.part.outline.polygon.exterior
    place = rim.interpolate(rim.project(Point(near)))
    return round(place.x, 4), round(place.y, 4)


def port_points(job: Job, kind: str, place: PlanPoint, bore_m: float = PORT_M) -> tuple[PlanPoint, PlanPoint]:
    """The two sides of the bore of a port at *place*: of an inlet between two halves along the rim."""
    if kind == "feed" and job.closed:
        rim = job.part.outline.polygon.exterior
        at = rim.project(Point(place))
        low = min(max(at - bore_m / 2, 0.0), rim.length - bore_m)
        piece = substring(rim, low, low + bore_m)
        (x0, y0), (x1, y1) = piece.coords[0], piece.coords[-1]
    else:
        (x0, x1), y0, y1 = (place[0] - bore_m / 2, place[0] + bore_m / 2), place[1], place[1]
    return (round(x0, 5), round(y0, 5)), (round(x1, 5), round(y1, 5))


def with_port(job: Job, kind: str, place: PlanPoint, label: str) -> Job:
    """*job* with an inlet ("feed", put on the rim of two halves) or a vent at *place*."""
    job, _, hose = with_line_cards(job, kind)
    bore = job.card(hose, TubeCard).bore_m
    like = next((line for line in job.lines if line.kind == kind and line.is_port), None)
    at = port_place(job, kind, place)
    port = Line(
        id=new_id("inlet" if kind == "feed" else "vent"),
        kind="feed" if kind == "feed" else "vent",
        label=label,
        points=port_points(job, kind, at, bore),
        tube=hose,
        hose=hose,
        hose_length_m=like.hose_length_m if like else 1.5,
        is_port=True,
    )
    return changed(job, lines=(*job.lines, port))


def with_port_at(job: Job, identifier: str, place: PlanPoint) -> Job:
    """*job* with the port of that name moved to *place*, an inlet between two halves to where the rim is nearest."""
    port = job.line(identifier)
    at = port_place(job, port.kind, place)
    bore = math.dist(*port.points[:2])
    return with_line(job, revised(port, points=port_points(job, port.kind, at, bore)))


def next_port_label(job: Job, kind: str) -> str:
    """The next free label: I1, I2 … for inlets, V1, V2 … for vents."""
    letter, taken = "I" if kind == "feed" else "V", {line.label for line in job.lines}
    return next(f"{letter}{number}" for number in range(1, 1000) if f"{letter}{number}" not in taken)


def mould_candidates(job: Job) -> Iterator[tuple[str, Job]]:
    """Layouts of a closed mould, each with its name: one and two inlets, by the width of the channel."""
    shape = job.part.outline.polygon
    middle = shape.centroid
    box = shape.minimum_rotated_rectangle
    assert isinstance(box, Polygon)
    corners = list(box.exterior.coords)[:4]
    sides = [LineString([corners[at], corners[(at + 1) % 4]]) for at in range(4)]
    sides.sort(key=lambda side: side.length)
    ends = [(side.interpolate(0.5, normalized=True).x, side.interpolate(0.5, normalized=True).y) for side in sides]
    start = polylabel(shape, shape.length / 500) if not shape.contains(middle) else middle
    height = job.pair.channel.height_m / max(job.pair.channel.width_m, 1e-6)
    for width in CHANNEL_WIDTHS_M:
        channel = revised(
            job.pair.channel,
            profile="half round" if job.pair.channel.profile == "none" else job.pair.channel.profile,
            width_m=width,
            height_m=round(width * height, 4),
        )
        shaped = changed(job, pair=revised(job.pair, channel=channel), lines=())
        for count, places in ((1, ends[:1]), (2, ends[:2])):
            laid = shaped
            for number, place in enumerate(places, 1):
                laid = with_port(laid, "feed", place, f"I{number}")
            try:
                vented = _vented(laid, (start.x, start.y))
            except FlowRefusal:
                continue
            inlets = "one inlet" if count == 1 else "two inlets"
            yield f"{inlets}, channel {width * 1000:.0f} mm wide", vented


def _vented(job: Job, start: PlanPoint) -> Job:
    """*job* with its vent where the front ends, found by a few coarse fills."""
    place, reach = start, math.sqrt(job.part.outline.polygon.area)
    stiff = changed(job, pair=revised(job.pair, upper=revised(job.pair.upper, rigid=True)))
    for _ in range(MOST_MOVES):
        vented = with_port(stiff, "vent", place, "V1")
        result = fill(flow_problem(vented, TRIAL_NODES, 1, pace=PREVIEW_PACE))
        last = result.last_filled
        if math.dist(last, place) <= NEAR_ENOUGH * reach:
            break
        place = (round((place[0] + last[0]) / 2, 3), round((place[1] + last[1]) / 2, 3))
    return with_port(job, "vent", place, "V1")
