"""Cautions about feed and vent lines, media, bucket, pots and hoses, and the fill they give."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from shapely import LineString, Point, Polygon
from shapely.ops import nearest_points, unary_union

from bibulon.assess import Assessment
from bibulon.cautions.registry import Finding, caution
from bibulon.flow.problem import GRAVITY_M_S2
from bibulon.job.cards import TubeCard
from bibulon.quantities import show, show_full

BRAKE_M = 0.060
SHORTEST_EDGE_M = 0.1
SMALLEST_POCKET_M2 = 1e-3
VENT_REACH_M = 0.15
FEED_OFF_MEDIA_M = 0.05
LARGE_PART_M2 = 8.0
POT_RESERVE = 2.0


@caution(
    "no-fill",
    "stop",
    "lines",
    why="Without a fill nobody knows whether this part gets wet before the resin gels.",
    remedy="Mend what the message names; the fill then runs by itself.",
)
def no_fill(assessment: Assessment) -> Iterator[Finding]:
    if assessment.refusal is not None:
        yield Finding(str(assessment.refusal), assessment.refusal.place)


@caution(
    "media-reaches-vent",
    "caution",
    "lines",
    why="Resin runs through the media straight to the pot; the tool side stays dry and the pot floods.",
    remedy="End the media 60 mm short of the vent, so that the last stretch goes through the laminate.",
    of_plan=True,
)
def media_reaches_vent(assessment: Assessment) -> Iterator[Finding]:
    part = assessment.job.part.shape
    for patch in assessment.job.media:
        media = Polygon(patch.outline).intersection(part)
        for vent in assessment.job.vents:
            line = LineString(vent.points)
            if media.is_empty or (gap := media.distance(line)) >= BRAKE_M - 1e-6:
                continue
            place = nearest_points(media, line)[0]
            brake, asked = (show(length, "length", assessment.units) for length in (gap, BRAKE_M))
            text = "Flow media lies under" if gap == 0 else f"Flow media ends only {brake} from"
            yield Finding(f"{text} vent {vent.label}; the brake should be {asked}.", (place.x, place.y), patch.id)


@caution(
    "feed-off-media",
    "caution",
    "lines",
    why="A feed that does not lie on the media feeds the bare laminate only, and slowly.",
    remedy="Put the line on the media, or reach the media under it.",
    of_plan=True,
)
def feed_off_media(assessment: Assessment) -> Iterator[Finding]:
    if not assessment.job.media:
        return
    media = unary_union([Polygon(patch.outline) for patch in assessment.job.media])
    for feed in assessment.job.feeds:
        bare = LineString(feed.points).difference(media)
        if bare.length > FEED_OFF_MEDIA_M:
            place = bare.interpolate(0.5, normalized=True) if isinstance(bare, LineString) else bare.centroid
            length = show(bare.length, "length", assessment.units)
            yield Finding(f"{length} of feed {feed.label} lies off the media.", (place.x, place.y), feed.id)


@caution(
    "last-filled-no-vent",
    "caution",
    "lines",
    why="Air ends up where resin comes last. With no vent there it stays as a dry or porous spot.",
    remedy="Bring a vent to the place that fills last, or change the feeds so that it fills last at a vent.",
)
def last_filled_no_vent(assessment: Assessment) -> Iterator[Finding]:
    if assessment.fill is None or assessment.fill.fill_time_s is None or not assessment.job.vents:
        return
    x, y = assessment.fill.last_filled
    gap = min(LineString(vent.points).distance(Point(x, y)) for vent in assessment.job.vents)
    if gap > VENT_REACH_M:
        distance = show(gap, "length", assessment.units)
        yield Finding(f"The place that fills last is {distance} from the nearest vent.", (x, y))


MEET_ON_A_VENT = "Let the fronts meet on a vent, open the feeds in another order, or bring a vent to the place."
WHY_DRY = {
    "gel": ("the resin gels first", ""),
    "flow limit": ("the resin grows too thick to flow first", ""),
    "trapped air": ("resin closes round air that has no way out", MEET_ON_A_VENT),
    "too high for the vacuum": (
        "the vacuum cannot lift the resin any higher",
        "Raise the bucket, feed from higher up, pull a better vacuum, or put the resin under pressure.",
    ),
    "no feed open": (
        "every feed is clamped or waits for resin that never comes",
        "Open a feed by the clock, or by something that resin comes to, and clamp it later.",
    ),
    "dry area behind the vents": (
        "resin has no way on to it past the vents",
        "Move the vent beyond the dry place, or bring a feed to it, so that it lies between feed and vent.",
    ),
}
"""What stopped the fill, in words, and the remedy where it is another one than more reach."""


@caution(
    "stays-dry",
    "stop",
    "lines",
    why="Dry fibre means a scrapped part.",
    remedy="Shorten the way resin has to go, open another feed, warm the shop or take a slower hardener.",
)
def stays_dry(assessment: Assessment) -> Iterator[Finding]:
    fill = assessment.fill
    if fill is None or fill.fill_time_s is not None:
        return
    area = show(fill.dry_area_m2, "area", assessment.units)
    reason, remedy = WHY_DRY[fill.stopped_by]
    full = show_full(fill.filled_fraction)
    yield Finding(f"{area} stay dry ({full} filled): {reason}.", fill.last_filled, remedy=remedy)


@caution(
    "air-trapped",
    "caution",
    "lines",
    why="Fronts closed round air with no vent on it. Squeezed by the resin, it stays as a dry spot or a void.",
    remedy=MEET_ON_A_VENT,
)
def air_trapped(assessment: Assessment) -> Iterator[Finding]:
    if assessment.fill is None:
        return
    for pocket in assessment.fill.pockets:
        if pocket.area_m2 < SMALLEST_POCKET_M2:
            continue
        size = show(pocket.area_m2, "area", assessment.units)
        pressure = show(pocket.pressure_pa, "pressure", assessment.units)
        yield Finding(f"Air is trapped over {size}, squeezed to {pressure}.", (pocket.x_m, pocket.y_m))


@caution(
    "race-track-suspected",
    "note",
    "lines",
    why="Half a millimetre beside a core carries resin faster than the laminate and shuts off what lies behind.",
    remedy="Close the gap when the core is laid, or set its width at Lines and see what the front makes of it.",
    of_plan=True,
)
def race_track_suspected(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    if job.flow.core_gap_m > 0:
        return
    cored = [cell for cell in assessment.laminate.cells if any(job.is_core(layer.card) for layer in cell.stack.layers)]
    plain = [cell for cell in assessment.laminate.cells if cell not in cored and cell.stack.layers]
    if not cored or not plain:
        return
    edge = unary_union([cell.polygon for cell in cored]).boundary
    inside = edge.intersection(unary_union([cell.polygon for cell in plain]).buffer(1e-3))
    if inside.length > SHORTEST_EDGE_M:
        place = inside.representative_point()
        length = show(inside.length, "distance", assessment.units)
        yield Finding(f"Plies meet {length} of core edge, where resin may race along a gap.", (place.x, place.y))


@caution(
    "over-pressure-under-film",
    "stop",
    "lines",
    why="Film holds resin by the atmosphere only. Pressed beyond it, resin lifts the film and floods the part.",
    remedy="Take the pressure off the pot, or use a closed mould that is rated for it.",
    of_plan=True,
)
def over_pressure_under_film(assessment: Assessment) -> Iterator[Finding]:
    bucket = assessment.job.bucket
    head = assessment.job.resin.density_kg_m3 * GRAVITY_M_S2 * bucket.below_part_m
    beyond = bucket.over_pressure_pa - max(head, 0.0)
    if bucket.over_pressure_pa > 0 and beyond > 0:
        pressure = show(beyond, "pressure difference", assessment.units)
        yield Finding(f"The resin is pressed {pressure} beyond what the film can hold.")


@caution(
    "margin-short",
    "stop",
    "lines",
    why="Resin thickens before it gels, and a shot never goes quite to plan.",
    remedy="More or better placed feeds, a slower hardener, or a warmer mix within the data sheet.",
)
def margin_short(assessment: Assessment) -> Iterator[Finding]:
    margin, asked = assessment.gel_margin_s, assessment.job.charge.gel_margin_s
    if margin is not None and margin < asked:
        left, wanted = show(margin, "duration"), show(asked, "duration")
        yield Finding(f"Only {left} between the end of the fill and resin that no longer flows; {wanted} asked.")


@caution(
    "label-missing",
    "caution",
    "lines",
    why="Crews act on labels, over radios. A valve without its own label is opened at the wrong time.",
    remedy="Give every valve and pot one short label of its own and write it on the bag.",
    of_plan=True,
)
def labels(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    taken = [*(line.label for line in job.lines), *(pot.label for pot in job.pots)]
    counts = Counter(label.strip().upper() for label in taken)
    for line in job.lines:
        label = line.label.strip()
        if not label:
            yield Finding(f"A {line.kind} line has no label.", line.points[0], line.id)
        elif counts[label.upper()] > 1:
            yield Finding(f"“{label}” is the label of more than one valve or pot.", line.points[0], line.id)


@caution(
    "hose-not-clampable",
    "caution",
    "lines",
    why="A tube that a clamp cannot shut leaks all day, and cannot be closed when the bucket runs dry.",
    remedy="Take a hose that the clamp in use can shut, at least for the stretch under the clamp.",
    of_plan=True,
)
def hose_clampable(assessment: Assessment) -> Iterator[Finding]:
    for line in assessment.job.lines:
        hose = assessment.job.card(line.hose, TubeCard)
        if not hose.clampable:
            yield Finding(f"The hose of {line.label}, {hose.name}, cannot be clamped.", line.points[0], line.id)


@caution(
    "bucket-above-part",
    "stop",
    "lines",
    why="Resin standing above the part runs in by itself, lifts the film and floods the laminate.",
    remedy="Stand the bucket below the part.",
    of_plan=True,
)
def bucket_above(assessment: Assessment) -> Iterator[Finding]:
    below = assessment.job.bucket.below_part_m
    if below < 0:
        yield Finding(f"The bucket stands {show(-below, 'length', assessment.units)} above the part.")


@caution(
    "pot-too-small",
    "stop",
    "lines",
    why="Resin that overruns the catch pot gets into the pump; the vacuum is lost with it.",
    remedy="Put a catch pot between part and pump that holds the bleed and as much again.",
)
def pot_size(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    if not job.pots:
        yield Finding("There is no catch pot between the part and the pump.")
        return
    density = job.resin.density_kg_m3
    bleed = job.charge.bleed_kg / density
    if assessment.fill is not None:
        bleed = max(bleed, float(assessment.fill.in_pots_m3[-1]))
    room = sum(pot.capacity_m3 for pot in job.pots)
    if room < POT_RESERVE * bleed:
        has, wants = show(room, "volume", assessment.units), show(POT_RESERVE * bleed, "volume", assessment.units)
        yield Finding(f"The catch pots hold {has}; the expected bleed with reserve is {wants}.")


@caution(
    "one-pot-large-part",
    "note",
    "lines",
    why="On a large part the bleed varies more, and a full pot cannot be changed under vacuum.",
    remedy="Set two pots in series.",
    of_plan=True,
)
def one_pot(assessment: Assessment) -> Iterator[Finding]:
    area = assessment.laminate.total.area_m2
    if len(assessment.job.pots) == 1 and area > LARGE_PART_M2:
        yield Finding(f"One catch pot for {show(area, 'area', assessment.units)}.")
