"""Cautions about feed and vent lines, media, bucket and pots, and the fill they give."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from itertools import product

import numpy as np
from shapely import LineString, Point, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.ops import nearest_points, unary_union

from bibulon.assess import Assessment
from bibulon.cautions.places import beside_feeds, distances_m, inside, listed, middle_of
from bibulon.cautions.registry import Finding, Fix, InMould, caution
from bibulon.flow.result import STOP_WORDS, StopReason
from bibulon.flow.stage import GRAVITY_M_S2
from bibulon.job import UNDER_FILM, Job
from bibulon.job.base import Point as PlanPoint
from bibulon.job.edits import changed, new_id, revised, with_media
from bibulon.job.lines import Line
from bibulon.job.places import ring_of
from bibulon.mould.cavity_height import lacks_height, too_tight_to_close
from bibulon.quantities_in_words import brief, brief_each, show_full

SHORTEST_EDGE_M = 0.1
SMALLEST_POCKET_M2 = 1e-3
SMALLEST_POCKET_SHARE = 1e-3
"""Of the part's area; less is a bubble, not a dry place."""
UNDER_FEED_M = 0.05
"""Media that is reached under a feed comes so far out on both sides."""
WORTH_REACHING = 0.5
"""Media that would leave more than this share of the bare feed off it is not reached there."""
CUT_TO_M = 5e-4
"""Media is cut no more exactly than this."""
BESIDE_VENT_M = 0.02
LATER = 1.02
MOST_STRETCHED = 0.1
LEAST_LATE_SHARE = 0.01
"""Of the part's area that fills after the vents were reached; less is a corner."""


@caution(
    "no-fill",
    "stop",
    "lines",
    why="Without a fill nobody knows whether this part gets wet before the resin gels.",
    remedy="Mend what the message names; the fill then runs by itself.",
    in_mould=InMould(station="mould"),
)
def no_fill(assessment: Assessment) -> Iterator[Finding]:
    refusal = assessment.refusal
    job = assessment.job
    if refusal is not None and not lacks_height(job) and not too_tight_to_close(job):  # those have their own cautions
        yield Finding(str(refusal), refusal.place, station=refusal.station)


def _free_of_media(job: Job) -> BaseGeometry:
    """What is to be free of media round the vents of *job*, large enough for corners that are put on a grid."""
    vents = unary_union([LineString(vent.points) for vent in job.vents])
    return vents.buffer(1.0005 * job.house.brake_m + 2e-4, quad_segs=32, join_style="mitre")


def _with_brake(job: Job) -> Job:
    """*job* with its media cut back from the vents; a patch that would fall apart, or away, stays as it is."""
    vents, kept_free = unary_union([LineString(vent.points) for vent in job.vents]), _free_of_media(job)
    for patch in job.media:
        media = Polygon(patch.outline)
        if media.distance(vents) >= job.house.brake_m - CUT_TO_M:
            continue
        cut = media.difference(kept_free)
        if (outline := ring_of(cut)) is not None:
            job = with_media(job, revised(patch, outline=outline))
    return job


def _unstretched(job: Job) -> Job:
    return changed(job, media=tuple(revised(patch, stretched=0.0) for patch in job.media))


@caution(
    "media-stretched",
    "caution",
    "lines",
    why="Stretched media is thin here and thick there: resin runs ahead in streaks, and closes round dry places.",
    remedy="Cut it to size and lay it without pull; where one width is short, butt another against it.",
    fix=Fix("Lay it without pull", _unstretched, lambda job: any(patch.stretched > 0 for patch in job.media)),
    of_plan=True,
    processes=UNDER_FILM,
)
def media_stretched(assessment: Assessment) -> Iterator[Finding]:
    for patch in assessment.job.media:
        if patch.stretched > MOST_STRETCHED:
            by = brief(patch.stretched, "share", assessment.units)
            yield Finding(f"A patch of media is stretched by {by}.", inside(patch.outline.polygon), patch.id)


@caution(
    "media-reaches-vent",
    "caution",
    "lines",
    why="Resin runs through the media straight to the pot; the tool side stays dry and the pot floods.",
    remedy="End the media short of the vent, so that the last stretch goes through the laminate.",
    fix=Fix("Cut the media back", _with_brake, lambda job: _with_brake(job) != job),
    of_plan=True,
    processes=UNDER_FILM,
)
def media_reaches_vent(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    part, wanted = job.part.shape, job.house.brake_m
    places: list[tuple[float, PlanPoint, str, str]] = []
    for patch in job.media:
        media = Polygon(patch.outline).intersection(part)
        for vent in job.vents:
            line = LineString(vent.points)
            if not media.is_empty and (gap := media.distance(line)) < wanted - CUT_TO_M:
                close = nearest_points(media, line)[0]
                places.append((gap, (close.x, close.y), vent.label, patch.id))
    if places:
        gap, place, _, patch_id = min(places)
        brake, asked = brief_each((gap, wanted), "length", assessment.units)
        text = "Flow media lies under" if gap == 0 else f"Flow media ends only {brake} from"
        which = listed(label for *_, label, _ in sorted(places))
        yield Finding(f"{text} vent {which}; the brake should be {asked}.", place, patch_id)


def _with_media_under(job: Job) -> Job:
    """*job* with its media reached under the feeds that lie off it, as far as the brake before the vents leaves; a feed
    far from all media has a strip of the nearest laid under it, one beside a vent nothing."""
    free = job.part.outline.polygon.difference(unary_union([hole.polygon for hole in job.part.holes]))
    kept_free = _free_of_media(job)
    for feed in job.feeds:
        line = LineString(feed.points)
        bare = line.difference(unary_union([patch.outline.polygon for patch in job.media]))
        if bare.length <= job.house.off_media_m:
            continue
        strip = bare.buffer(UNDER_FEED_M, join_style="mitre").intersection(free.difference(kept_free))
        nearest = min(job.media, key=lambda patch: patch.outline.polygon.distance(bare))
        if (outline := ring_of(nearest.outline.polygon.union(strip))) is not None:
            patch = revised(nearest, outline=outline)
        elif (outline := ring_of(strip)) is not None:
            patch = revised(nearest, id=new_id("media"), outline=outline)
        else:
            continue
        if bare.difference(patch.outline.polygon).length < WORTH_REACHING * bare.length:
            job = with_media(job, patch)
    return job


@caution(
    "feed-off-media",
    "caution",
    "lines",
    why="A feed that does not lie on the media feeds the bare laminate only, and slowly.",
    remedy="Put the line on the media, or reach the media under it.",
    fix=Fix("Reach the media under it", _with_media_under, lambda job: _with_media_under(job) != job),
    of_plan=True,
    processes=UNDER_FILM,
)
def feed_off_media(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    if not job.media:
        return
    media = unary_union([Polygon(patch.outline) for patch in job.media])
    bare = [(LineString(feed.points).difference(media), feed) for feed in job.feeds]
    off = [(line, feed) for line, feed in bare if line.length > job.house.off_media_m]
    if off:
        line, feed = max(off, key=lambda pair: pair[0].length)
        length = brief(line.length, "length", assessment.units)
        others = listed(other.label for _, other in off if other is not feed)
        more = f", and {others} as well" if others else ""
        yield Finding(f"{length} of feed {feed.label} lies off the media{more}.", middle_of(line), feed.id)


@caution(
    "feed-beside-vent",
    "caution",
    "lines",
    why="Resin takes the shortest way: straight into the vent and the pot, while the rest of the part stays behind.",
    remedy="Put the feed away from the vent, or keep the one clamped while the other is open.",
    of_plan=True,
    processes=UNDER_FILM,
)
def feed_beside_vent(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    courses = {line.id: LineString(line.points) for line in job.lines}

    def apart_m(pair: tuple[Line, Line]) -> float:
        feed, vent = pair
        return float(courses[feed.id].distance(courses[vent.id]))

    open_vents = [vent for vent in job.vents if not vent.is_clamped]
    feed, vent = min(product(job.feeds, open_vents), key=apart_m, default=(None, None))
    if feed is not None and vent is not None and (gap_m := apart_m((feed, vent))) < job.house.brake_m:
        place = nearest_points(courses[feed.id], courses[vent.id])[0]
        gap = brief(gap_m, "length", assessment.units)
        yield Finding(f"Feed {feed.label} runs {gap} from vent {vent.label}.", (place.x, place.y), feed.id)


@caution(
    "last-filled-no-vent",
    "caution",
    "lines",
    why="Air ends up where resin comes last. With no vent there it stays as a dry or porous spot.",
    remedy="Bring a vent to the place that fills last, or change the feeds so that it fills last at a vent.",
    processes=UNDER_FILM,
)
def last_filled_no_vent(assessment: Assessment) -> Iterator[Finding]:
    job, fill = assessment.job, assessment.fill
    if fill is None or fill.fill_time_s is None or not job.vents:
        return
    gaps = distances_m(job.vents, fill.mesh.points_m).min(axis=0)
    reach = max(job.house.vent_reach_m, float(gaps.min()) + BESIDE_VENT_M)
    full_s = fill.half_full_s
    late = (full_s > LATER * float(np.nanmax(full_s[gaps <= reach], initial=0.0))) & (gaps > reach)
    areas = np.zeros(len(gaps))
    np.maximum.at(areas, fill.place, fill.node_area_m2)
    if areas[late].sum() > max(SMALLEST_POCKET_M2, LEAST_LATE_SHARE * areas.sum()):
        last = int(np.argmax(np.where(late, full_s, -np.inf)))
        gap = brief(float(gaps[last]), "length", assessment.units)
        area = brief(float(areas[late].sum()), "area", assessment.units)
        x, y = (float(value) for value in fill.mesh.points_m[last])
        text = f"{area} fill after all that lies near a vent; the last place is {gap} from the nearest."
        yield Finding(text, (x, y))


MEET_ON_A_VENT = "Let the fronts meet on a vent, open the feeds in another order, or bring a vent to the place."
DRY_REMEDIES: dict[StopReason, str] = {
    "trapped air": MEET_ON_A_VENT,
    "too high for the vacuum": "Raise the bucket, feed from higher up, pull a better vacuum, or put the resin under "
    "pressure.",
    "no feed open": "Open a feed by the clock, or by something that resin comes to, and clamp it later.",
    "dry area behind the vents": "Move the vent beyond the dry place, or bring a feed to it, so that it lies between "
    "feed and vent.",
}
"""The remedy for what stopped a fill, where it is another one than more reach."""


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
    area = brief(fill.dry_area_m2, "area", assessment.units)
    reason, remedy = STOP_WORDS[fill.stopped_by], DRY_REMEDIES.get(fill.stopped_by, "")
    full = show_full(fill.filled_fraction)
    yield Finding(f"{reason}: {area} stay dry, {full} of it is filled.", fill.last_filled, remedy=remedy)


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
    least = max(SMALLEST_POCKET_M2, SMALLEST_POCKET_SHARE * assessment.laminate.total.area_m2)
    vents = unary_union([LineString(vent.points) for vent in assessment.job.vents])
    pockets = [  # what lies under a vent it draws off, bubble by bubble
        pocket
        for pocket in assessment.fill.pockets
        if pocket.area_m2 >= least and Point(pocket.x_m, pocket.y_m).distance(vents) > assessment.job.house.brake_m
    ]
    if pockets:
        worst = max(pockets, key=lambda pocket: pocket.area_m2)
        size = brief(worst.area_m2, "area", assessment.units)
        pressure = brief(worst.pressure_pa, "pressure", assessment.units)
        more = f" It is the largest of {len(pockets)} places." if len(pockets) > 1 else ""
        yield Finding(f"Air is trapped over {size}, squeezed to {pressure}.{more}", (worst.x_m, worst.y_m))


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
        length = brief(inside.length, "distance", assessment.units)
        yield Finding(f"Plies meet {length} of core edge, where resin may race along a gap.", (place.x, place.y))


@caution(
    "over-pressure-under-film",
    "stop",
    "lines",
    why="Film holds resin by the atmosphere only. Pressed beyond it, resin lifts the film and floods the part.",
    remedy="Take the pressure off the pot, or use a closed mould that is rated for it.",
    fix=Fix("Take the pressure off", lambda job: changed(job, bucket=revised(job.bucket, over_pressure_pa=0.0))),
    of_plan=True,
    processes=UNDER_FILM,
)
def over_pressure_under_film(assessment: Assessment) -> Iterator[Finding]:
    bucket = assessment.job.bucket
    head = assessment.job.resin.density_kg_m3 * GRAVITY_M_S2 * bucket.below_part_m
    beyond = bucket.over_pressure_pa - max(head, 0.0)
    if bucket.over_pressure_pa > 0 and beyond > 0:
        pressure = brief(beyond, "pressure difference", assessment.units)
        yield Finding(f"The resin is pressed {pressure} beyond what the film can hold.", beside_feeds(assessment.job))


LOST_TO_HEAT = 0.9
"""A margin of less than this share of that of resin held at the mould's temperature is told to be lost to heat."""
COOL_IT = "Take its heat away: two thinner shots, a slower hardener, a cooler mould, smaller batches in a bath."


@caution(
    "margin-short",
    "stop",
    "lines",
    why="Resin thickens before it gels, and a shot never goes quite to plan.",
    remedy="More or better placed feeds, a slower hardener, or a warmer mix within the data sheet.",
)
def margin_short(assessment: Assessment) -> Iterator[Finding]:
    fill, margin, asked = assessment.fill, assessment.gel_margin_s, assessment.job.charge.gel_margin_s
    if fill is None or margin is None or margin >= asked:
        return
    left, wanted = brief_each((margin, asked), "duration")
    text = f"The part is full only {left} before its resin stops flowing; {wanted} are asked for."
    held_s = fill.margin_held_s
    if held_s is None or margin > LOST_TO_HEAT * held_s:
        yield Finding(text, fill.last_filled)
        return
    held = brief(held_s, "duration")
    text += f" Kept at the mould's temperature it would have {held}: its warmth and its own cure take the rest."
    yield Finding(text, fill.last_filled, remedy=COOL_IT if held_s >= asked else f"{COOL_IT} More feeds help as well.")


def _labelled(job: Job) -> Job:
    """*job* in which every line, manifold and pot has a label of its own; those that have one keep it."""
    taken: set[str] = set()

    def own(label: str, letter: str) -> str:
        label, number = label.strip(), 1
        while not label or label.upper() in taken:
            label, number = f"{letter}{number}", number + 1
        taken.add(label.upper())
        return label

    lines = tuple(revised(line, label=own(line.label, line.kind[0].upper())) for line in job.lines)
    manifolds = tuple(revised(manifold, label=own(manifold.label, "M")) for manifold in job.manifolds)
    return changed(
        job, lines=lines, manifolds=manifolds, pots=tuple(revised(pot, label=own(pot.label, "P")) for pot in job.pots)
    )


@caution(
    "label-missing",
    "caution",
    "lines",
    why="Crews act on labels, over radios. A valve without its own label is opened at the wrong time.",
    remedy="Give every valve and pot one short label of its own and write it on the bag.",
    fix=Fix("Give each a label of its own", _labelled),
    of_plan=True,
    in_mould=InMould(remedy="Give every valve and pot one short label of its own and write it on the mould."),
)
def labels(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    things: list[tuple[str, str, PlanPoint | None, str]]
    things = [(line.label.strip(), f"A {line.kind} line", line.points[0], line.id) for line in job.lines]
    things += [(manifold.label.strip(), "A manifold", beside_feeds(job), manifold.id) for manifold in job.manifolds]
    things += [(pot.label.strip(), "A catch pot", None, "") for pot in job.pots]
    counts = Counter(label.upper() for label, *_ in things)
    bare = [thing for thing in things if not thing[0]]
    twins = [thing for thing in things if thing[0] and counts[thing[0].upper()] > 1]
    if bare:
        words = listed(f"{what.lower()}" for _, what, *_ in bare)
        yield Finding(f"{words[0].upper()}{words[1:]} {'has' if len(bare) == 1 else 'have'} no label.", *bare[0][2:])
    if twins:
        shown = listed(f"“{label}”" for label in dict.fromkeys(thing[0].upper() for thing in twins))
        is_ = "is" if len({thing[0].upper() for thing in twins}) == 1 else "are each"
        yield Finding(f"{shown} {is_} the label of more than one valve or pot.", *twins[0][2:])
