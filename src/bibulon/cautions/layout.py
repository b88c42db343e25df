"""Cautions about where lines and media lie: thick zones, ends, vents, and what holds the fill back."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from shapely import LineString, MultiLineString, Polygon
from shapely.affinity import rotate
from shapely.ops import unary_union

from bibulon.assess import Assessment
from bibulon.cautions.places import distances_m, inside
from bibulon.cautions.registry import Finding, Fix, InMould, caution
from bibulon.flow.causes import USUAL_BELOW_M, Cause
from bibulon.job import UNDER_FILM
from bibulon.job.edits import changed, revised
from bibulon.job.words import feed_word
from bibulon.laminate.thick_zones import thick_zones
from bibulon.quantities_in_words import brief, brief_each

BESIDE_ZONE_M = 0.03
"""A line so near a thick zone feeds or drains it."""
AT_AN_END = 0.2
"""A line is at an end of the part if it lies in this share of the way between feed and vent."""


@caution(
    "thick-zone-unfed",
    "caution",
    "lines",
    why="Inserts, pads and stringers take longest to fill, and resin runs round them: their middle stays dry.",
    remedy="Give it a feed, a patch of media or a vacuum point of its own.",
    of_plan=True,
    processes=UNDER_FILM,
)
def thick_zone_unfed(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    if not job.lines:
        return
    lines = unary_union([LineString(line.points) for line in job.lines])
    media = unary_union([Polygon(patch.outline) for patch in job.media])
    for zone in thick_zones(assessment.laminate.cells, job.house.high_build):
        area = zone.area
        if area.distance(lines) >= BESIDE_ZONE_M and area.intersection(media).area <= 0.5 * area.area:
            thickness, around = brief_each((zone.thickness_m, zone.usual_m), "thickness", assessment.units)
            text = f"{thickness} of plies, {around} round about, have no feed, media or vacuum point of their own."
            yield Finding(text, inside(area))
            return


@caution(
    "feed-on-narrow-end",
    "caution",
    "lines",
    why="From the narrow end the front widens: it slows down, spreads unevenly, and the far corners come last.",
    remedy="Feed the wide end and let the vent take the narrow one.",
    of_plan=True,
    processes=UNDER_FILM,
)
def feed_on_narrow_end(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    if not job.feeds or not job.vents:
        return
    feeds, vents = (MultiLineString([line.points for line in some]) for some in (job.feeds, job.vents))
    way = np.array(vents.centroid.coords[0]) - np.array(feeds.centroid.coords[0])
    length = float(np.hypot(*way))
    if length < 1e-6:
        return
    turn = -float(np.degrees(np.arctan2(way[1], way[0])))
    part: Polygon = rotate(job.part.shape, turn, origin=(0, 0))
    feed, vent = (rotate(lines, turn, origin=(0, 0)) for lines in (feeds, vents))
    low, _, high, _ = part.bounds
    to_feed, from_vent = (feed.bounds[2] - low) / (high - low), (vent.bounds[0] - low) / (high - low)
    if to_feed > AT_AN_END or from_vent < 1 - AT_AN_END:
        return  # a centre feed, or a vent all round
    at_feed, at_vent = (
        _width(part, low + share * (high - low)) for share in (max(to_feed, 0.02), min(from_vent, 0.98))
    )
    if at_feed < job.house.narrow_end * at_vent:
        narrow, wide = brief_each((at_feed, at_vent), "length", assessment.units)
        line = job.feeds[0]
        text = f"The part is {narrow} wide where feed {line.label} lies and {wide} at the vent."
        yield Finding(text, line.points[0], line.id)


def _width(part: Polygon, x: float) -> float:
    _, low, _, high = part.bounds
    return float(part.intersection(LineString([(x, low - 1), (x, high + 1)])).length)


@caution(
    "vents-unequal",
    "caution",
    "lines",
    why="The vent that resin reaches first bleeds it to the pot and takes the pull off the rest of the part.",
    remedy="Clamp the early vent when it shows resin, take a line that holds resin back, or move it to where the front "
    "comes last.",
)
def vents_unequal(assessment: Assessment) -> Iterator[Finding]:
    job, fill = assessment.job, assessment.fill
    if fill is None or len(job.vents) < 2:
        return
    clamped = {event.line: event.time_s for event in reversed(fill.events) if event.action == "clamped"}
    reached: dict[str, float] = {}
    for vent, near in zip(job.vents, distances_m(job.vents, fill.mesh.points_m), strict=True):
        times = fill.seen_s[near <= float(near.min()) + 0.02]
        if len(times) and not np.isnan(times).all():
            reached[vent.id] = float(np.nanmin(times))
    open_early = {
        vent.id: reached[vent.id]
        for vent in job.vents
        if vent.id in reached
        and not vent.membrane
        and clamped.get(vent.id, np.inf) > reached[vent.id] + job.house.vents_apart * fill.end_s
    }
    if not open_early or len(reached) < 2:
        return
    first, last = min(open_early, key=lambda label: open_early[label]), max(reached, key=lambda label: reached[label])
    if reached[last] - reached[first] > job.house.vents_apart * fill.end_s:
        early, late = (brief(reached[label], "duration") for label in (first, last))
        vent = job.line(first)
        text = f"Resin comes to vent {vent.label} after {early}, to {job.line(last).label} after {late}."
        yield Finding(text, vent.points[0], vent.id)


@caution(
    "edge-gap-open",
    "caution",
    "lines",
    why="Resin races along a gap at the edge, reaches the vent first and leaves the middle dry.",
    remedy="Cut the plies to the edge, seal the edge with tape or tight cloth, or let the vent stop short of it.",
    fix=Fix("Plan it closed", lambda job: changed(job, flow=revised(job.flow, edge_gap_m=0.0))),
    of_plan=True,
    in_mould=InMould(remedy="Cut the fibre to the edge, fill the gap with tight cloth, or change the template."),
)
def edge_gap_open(assessment: Assessment) -> Iterator[Finding]:
    gap = assessment.job.flow.edge_gap_m
    if gap >= assessment.job.house.open_gap_m:
        place = assessment.job.part.shape.exterior.interpolate(0.125, normalized=True)
        yield Finding(
            f"A gap of {brief(gap, 'thickness', assessment.units)} is planned along the part's edge.",
            (place.x, place.y),
        )


# -- what holds the fill back ------------------------------------------------------------------------------------------


@caution(
    "slow-fabric",
    "caution",
    "layup",
    why="One tight fabric sets the pace of the whole stack: resin reaches less far, or the tool side fills late.",
    remedy="Put a more open fabric in its place, lay it beside one that conducts, or bring the feeds closer.",
)
def slow_fabric(assessment: Assessment) -> Iterator[Finding]:
    first = assessment.causes[:1]
    for cause in (*first, *(cause for cause in assessment.causes[1:] if cause.kind == "fabric through")):
        share = brief(cause.share, "share", assessment.units)
        layer = next((entry.id for entry in assessment.job.layup if entry.card == cause.subject), "")
        if cause.kind == "fabric":
            text = f"{cause.name} holds the fill back: as open as usual cloth, the part fills in {share} of the time."
            yield Finding(text, cause.place, layer)
        elif cause.kind == "fabric through":
            text = (
                f"{cause.name} keeps resin from the tool side: as open as usual cloth, it lags by {share} of the time."
            )
            yield Finding(text, cause.place, layer)


@caution(
    "fill-held-back",
    "caution",
    "lines",
    why="The fill does not keep its margin, and of all that could be mended this would help most.",
    remedy="Mend this first, and look at the margin again.",
)
def fill_held_back(assessment: Assessment) -> Iterator[Finding]:
    if assessment.causes:
        cause = assessment.causes[0]
        words = _held_back_by(assessment, cause, brief(cause.share, "share", assessment.units))
        if words:
            yield Finding(words, cause.place, cause.subject)


def _held_back_by(assessment: Assessment, cause: Cause, share: str) -> str:
    """The sentence for *cause*; "" for what has a caution of its own."""
    job, units = assessment.job, assessment.units
    in_time = f"the part fills in {share} of the time"
    if cause.kind == "viscosity":
        return f"Thick resin holds the fill back: at {brief(job.house.thick_pa_s, 'viscosity', units)} {in_time}."
    if cause.kind == "vacuum":
        has = brief(job.vacuum_pa, "pressure", units)
        return f"A vacuum of only {has} holds the fill back: with a usual one {in_time}."
    if cause.kind == "bucket":
        below, usual = (brief(one, "length", units) for one in (job.bucket.below_part_m, USUAL_BELOW_M))
        return f"Lifting the resin by {below} holds the fill back: with the bucket {usual} below {in_time}."
    if cause.kind == "feed":
        return f"Feed {cause.name} is short and holds the fill back: drawn right across the part, {in_time}."
    if cause.kind == "vent":
        return f"Clamping vent {cause.name} holds the fill back: left open, {in_time}."
    if cause.kind == "stop":
        return f"Clamping {feed_word(job)} {cause.name} for a while holds the fill back: left open, {in_time}."
    if cause.kind == "medium":
        return f"Bare laminate holds the fill back: with flow media up to the brake {in_time}."
    if cause.kind == "core":
        return f"{cause.name} carries no resin: with grooves both ways and holes {in_time}."
    if cause.kind == "distance":
        return f"Resin has too far to go from the feeds: with one more feed half-way to the last place {in_time}."
    return ""
