"""Layouts of lines for a part by the trade's strategies: what a planner would think of first.

Over the part's tightest rectangle, along and across: edge to edge, feeds opened in turn, station to station, from the
middle out; perimeter in and out; a spine with branches. Thick zones may have a feed or a vacuum point of their own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from shapely import LineString, Polygon, distance, get_coordinates, get_parts, points
from shapely import Point as Place
from shapely.geometry.base import BaseGeometry
from shapely.geometry.polygon import orient
from shapely.ops import substring

from bibulon.assess import assess
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.edits import changed, new_id, revised, with_card, with_line
from bibulon.job.lines import AtTime, Line, MediaPatch, Trigger, Turn, WhenReached, WhenTurned
from bibulon.job.places import ring_of
from bibulon.laminate.thick_zones import thick_zones
from bibulon.planning.hand import brake, feeds_for
from bibulon.planning.line_patterns import (
    PatternRefusal,
    with_branches,
    with_feed_all_round,
    with_new_line,
    with_vent_all_round,
)
from bibulon.planning.mould_layouts import mould_candidates
from bibulon.plumbing.mending import with_ports
from bibulon.stock.choice import tubes_for, with_line_cards, with_media_card

INSET_M = 0.03
"""Feeds keep this far from the part's edge; vents reach it, lest a corner stays dry behind their ends."""
HALF_OFF_M = 0.006
MOST_FEEDS = 6
FACING = 0.6
"""An edge faces to a side if its outward normal has so much of that direction."""
SMOOTH_M = 0.003
SHORTEST_LINE_M = 0.05
SMALLEST_PATCH_M2 = 0.005
BESIDE_ZONE_M = 0.03
"""A line so near a thick zone feeds or drains it."""
VACUUM_POINT_M = 0.06
"""A vacuum point of its own is a line as short as this."""


@dataclass(frozen=True)
class _Axes:
    """The part's tightest rectangle: a corner and unit vectors along and across with their lengths."""

    corner: np.ndarray
    along: np.ndarray
    across: np.ndarray
    length_m: float
    width_m: float


def _axes(shape: Polygon) -> list[_Axes]:
    """Seen so that flow goes across, over the shorter and then over the longer side."""
    p = get_coordinates(shape.minimum_rotated_rectangle)[:4]
    axes = []
    for a, b, d in ((p[0], p[1], p[3]), (p[1], p[2], p[0])):
        length, width = float(np.linalg.norm(b - a)), float(np.linalg.norm(d - a))
        axes.append(_Axes(a, (b - a) / length, (d - a) / width, length, width))
    return sorted(axes, key=lambda way: way.width_m)


def _course(shape: Polygon, axes: _Axes, share: float, kind: str) -> tuple[Point, ...] | None:
    """The line over the part at a share of its width, along its edge at 0 and 1; None where there is none.

    A feed stays on the part, a vent at an edge lies half off it; both follow an edge that is curved.
    """
    if share in (0.0, 1.0):
        return _edge_course(shape, axes, share, kind)
    start = axes.corner + axes.across * share * axes.width_m
    reach = axes.along * axes.length_m
    whole = LineString([start - reach, start + 2 * reach]).intersection(shape)
    pieces = [piece for piece in get_parts(whole) if isinstance(piece, LineString)]
    if not pieces:
        return None
    longest = max(pieces, key=lambda piece: piece.length)
    inset = min(INSET_M, longest.length / 8) if kind == "feed" else 0.0
    if longest.length - 2 * inset < SHORTEST_LINE_M:
        return None
    ends = [longest.interpolate(inset), longest.interpolate(longest.length - inset)]
    return tuple((round(end.x, 4), round(end.y, 4)) for end in ends)


def _edge_course(shape: Polygon, axes: _Axes, share: float, kind: str) -> tuple[Point, ...] | None:
    """As :func:`_course`, along the longest run of the part's edge that faces to the low side (share 0) or the high."""
    beside = shape.buffer(-INSET_M if kind == "feed" else HALF_OFF_M, join_style="mitre")
    areas = [area for area in get_parts(beside) if isinstance(area, Polygon) and not area.is_empty]
    if not areas:
        return None
    ring = get_coordinates(orient(max(areas, key=lambda area: float(area.area))).exterior)
    steps = np.diff(ring, axis=0)
    lengths = np.hypot(*steps.T)
    outward = np.column_stack([steps[:, 1], -steps[:, 0]]) / np.maximum(lengths, 1e-12)[:, None]
    faces = outward @ (axes.across * (2 * share - 1)) > FACING
    if not faces.any() or faces.all():
        return None
    first = int(np.flatnonzero(faces & ~np.roll(faces, 1))[0])
    runs: list[list[int]] = []
    for at in (np.arange(len(faces)) + first) % len(faces):
        if faces[at] and faces[at - 1] and runs:
            runs[-1].append(int(at))
        elif faces[at]:
            runs.append([int(at)])
    longest = max(runs, key=lambda run: float(lengths[run].sum()))
    run = LineString([ring[longest[0]], *(ring[at + 1] for at in longest)])
    past = HALF_OFF_M if kind == "vent" else 0.0  # not past the part's corners
    course = substring(run, past, run.length - past).simplify(SMOOTH_M)
    if course.length < SHORTEST_LINE_M:
        return None
    places = get_coordinates(course)
    if (places[-1] - places[0]) @ axes.along < 0:
        places = places[::-1]
    return tuple((round(x, 4), round(y, 4)) for x, y in places.tolist())


def _laid(job: Job, feeds: list[tuple[Point, ...]], vents: list[tuple[Point, ...]]) -> Job:
    """*job* with these lines for its own; feeds after the first open when resin has passed them."""
    lines: list[Line] = []
    for kind, courses in (("feed", feeds), ("vent", vents)):
        like = next((line for line in job.lines if line.kind == kind), None)
        job, tube, hose = with_line_cards(job, kind)
        for number, course in enumerate(courses, 1):
            identifier = new_id(kind)
            opens: Trigger = WhenReached(line=identifier) if kind == "feed" and number > 1 else AtTime()
            lines.append(
                Line(
                    id=identifier,
                    kind="feed" if kind == "feed" else "vent",
                    label=f"{kind[0].upper()}{number}",
                    points=course,
                    tube=tube,
                    hose=hose,
                    hose_length_m=like.hose_length_m if like else 2.0,
                    membrane=like.membrane if like else False,
                    opens=opens,
                )
            )
    return with_media_laid(changed(job, lines=tuple(lines)))


def with_media_laid(job: Job) -> Job:
    """*job* with its media, if it has any, laid anew over the part but for the brake before every vent."""
    return changed(job, media=_media(job)) if job.media else job


def _media(job: Job) -> tuple[MediaPatch, ...]:
    """The media of *job* laid anew: over the part but for the brake before every vent."""
    like = job.media[0]
    short = brake(assess(job)).value or 0.06
    area: BaseGeometry = job.part.shape
    for vent in job.vents:
        area = area.difference(LineString(vent.points).buffer(short))
    patches = []
    for piece in get_parts(area):
        feeds = any(LineString(feed.points).intersects(piece) for feed in job.feeds)
        if not isinstance(piece, Polygon) or piece.area < SMALLEST_PATCH_M2 or not feeds:
            continue
        if (corners := ring_of(Polygon(piece.exterior).simplify(0.005))) is not None:
            patches.append(revised(like, id=new_id("media"), outline=corners))
    return tuple(patches)


def candidates(job: Job) -> Iterator[tuple[str, Job]]:
    """Layouts for the part, each with its name in the trade's words; the plainest come first.

    Under film they have the media of *job*; where it has none, each is there without and with media of the shelf.
    """
    if job.closed:
        yield from mould_candidates(job)
        return
    yield from _strategies(job)
    if not job.media and not job.in_mould:
        job, card = with_media_card(job)
        over = MediaPatch(id="all", card=card, outline=job.part.outline)
        for name, laid in _strategies(changed(job, media=(over,))):
            yield f"{name}, with media", laid


def _strategies(job: Job) -> Iterator[tuple[str, Job]]:
    shape = job.part.shape
    for axes, way in zip(_axes(shape), ("across", "along"), strict=True):
        yield from _straight(job, shape, axes, way)
    yield from _all_round(job)


def _straight(job: Job, shape: Polygon, axes: _Axes, way: str) -> Iterator[tuple[str, Job]]:
    """Straight lines, one beside the other."""
    edges = [_course(shape, axes, share, "feed") for share in (0.0, 1.0)]
    if edges[0] is None or edges[1] is None:
        return
    # from the wide end toward the narrow end
    turned = LineString(edges[1]).length > LineString(edges[0]).length + 1e-3
    shares = (1.0, 0.0) if turned else (0.0, 1.0)
    feed, vent = edges[int(shares[0])], _course(shape, axes, shares[1], "vent")
    vents = [course for share in (0.0, 1.0) if (course := _course(shape, axes, share, "vent")) is not None]
    if feed is None or vent is None:
        return
    yield f"edge to edge, {way}", _laid(job, [feed], [vent])
    back = _course(shape, axes, shares[0], "vent")
    other = edges[int(shares[1])]
    if other is not None and back is not None and (job.part.relief is not None or job.regions):
        yield f"edge to edge, {way} the other way", _laid(job, [other], [back])
    middle = _course(shape, axes, 0.5, "feed")
    if middle is not None:
        yield f"from the middle out, {way}", _laid(job, [middle], vents)
        both = _course(shape, axes, 0.5, "vent")
        if both is not None:
            yield f"from both edges in, {way}", _at_once(_laid(job, [feed, other or feed], [both]))
    hand = feeds_for(assess(job), axes.width_m)
    least = min(max(hand.in_turn if hand else 2, 2), MOST_FEEDS)
    for count in sorted({2, least, min(least + 1, MOST_FEEDS)}):
        stations = [shares[0] + (shares[1] - shares[0]) * k / count for k in range(count)]
        courses = [_course(shape, axes, station, "feed") for station in stations]
        known = [course for course in courses if course is not None]
        if len(known) == count:
            laid = _laid(job, known, [vent])
            yield f"{count} feeds opened in turn, {way}", laid
            if count == least:
                yield f"{count} feeds from station to station, {way}", _clamped_in_turn(laid)


def _all_round(job: Job) -> Iterator[tuple[str, Job]]:
    """Perimeter in, perimeter out, and a spine with branches."""
    bare = changed(job, lines=())
    spine = _course(job.part.shape, _axes(job.part.shape)[0], 0.5, "feed")

    def branched(bare: Job) -> Job:
        job, _ = with_branches(bare, spine or ())
        ringed, _ = with_vent_all_round(bare)
        return changed(_with_cards_of(job, ringed), lines=(*job.lines, *ringed.vents))

    patterns: tuple[tuple[str, Callable[[Job], Job]], ...] = (
        ("feed in the middle, vent all round", lambda bare: with_vent_all_round(bare)[0]),
        ("feed all round, vent in the middle", lambda bare: with_feed_all_round(bare)[0]),
        ("spine with branches, vent all round", branched),
    )
    for name, put in patterns:
        with suppress(PatternRefusal):
            if spine is not None or put is not branched:
                yield name, with_media_laid(_as_present(put(bare), job))


def _with_cards_of(job: Job, other: Job) -> Job:
    """*job* with the cards that *other* carries besides."""
    own = {card.id for card in job.cards}
    return changed(job, cards=(*job.cards, *(card for card in other.cards if card.id not in own)))


def _as_present(laid: Job, present: Job) -> Job:
    """*laid* with the tubes and hoses that the *present* lines have."""
    laid = _with_cards_of(laid, present)
    for line in laid.lines:
        like = next((other for other in present.lines if other.kind == line.kind and not other.is_port), None)
        if like is not None:
            hose_m = line.hose_length_m if line.fed_by else like.hose_length_m
            as_there = revised(line, tube=like.tube, hose=like.hose, hose_length_m=hose_m)
            if line.kind == "vent":
                as_there = revised(as_there, membrane=like.membrane)
            laid = with_line(laid, as_there)
    return laid


def _at_once(job: Job) -> Job:
    return changed(job, lines=tuple(revised(line, opens=AtTime()) for line in job.lines))


def _clamped_in_turn(job: Job) -> Job:
    """Every feed clamped when the next takes over."""
    feeds = job.feeds
    for one, other in pairwise(feeds):
        job = with_line(job, revised(one, turns=(Turn(to="clamped", when=WhenTurned(line=other.id)),)))
    return job


# -- thick zones -------------------------------------------------------------------------------------------------------


def with_thick_zones_served(job: Job) -> Iterator[tuple[str, Job]]:
    """*job* with a feed, and with a vacuum point, for every thick zone that no line lies at; none if there is none."""
    zones = [zone.area for zone in thick_zones(assess(job).laminate.cells, job.house.high_build)]
    unserved = [
        zone for zone in zones if min(zone.distance(LineString(line.points)) for line in job.lines) > BESIDE_ZONE_M
    ]
    if not unserved:
        return
    for kind, words in (("feed", "a feed"), ("vent", "a vacuum point")):
        served = job
        for zone in unserved:
            served = _with_line_at(served, kind, zone)
        yield f"with {words} at the thick zone{'s' if len(unserved) > 1 else ''}", with_media_laid(served)


def _with_line_at(job: Job, kind: str, zone: Polygon) -> Job:
    """*job* with a feed along the *zone*, opened when resin has passed it, or a short vent in its heart."""
    (axes, *_) = _axes(zone)
    heart = zone.representative_point()
    half = axes.length_m / 2 if kind == "feed" else VACUUM_POINT_M / 2
    at = np.array([heart.x, heart.y])
    course = LineString([at - axes.along * half, at + axes.along * half]).intersection(
        zone if kind == "feed" else job.part.shape
    )
    pieces = [piece for piece in get_parts(course) if isinstance(piece, LineString)]
    longest = max(pieces, key=lambda piece: piece.length)
    job, line = with_new_line(job, kind, longest)
    return with_line(job, revised(line, opens=WhenReached(line=line.id))) if kind == "feed" else job


def with_wider_tubes(job: Job) -> Iterator[tuple[str, Job]]:
    """*job* with the next wider hose on all its feeds, and with the next wider tube, of those that the shop has; with
    a port between them where they are no longer of one size. Of two as wide it is the one that can be clamped, of the
    material that is there."""
    feeds = [line for line in job.feeds if not line.is_port]
    for use, field in (("hose", "hose"), ("feed line", "tube")):
        known = tubes_for(job, use)
        bores = [known[name].bore_m for feed in feeds if (name := getattr(feed, field)) in known]
        wider = [card for card in known.values() if bores and card.bore_m > max(bores)]
        if wider:
            there = {known[name].material for feed in feeds if (name := getattr(feed, field)) in known}
            card = min(wider, key=lambda card: (card.bore_m, not card.clampable, card.material not in there))
            changed_job = with_card(job, card)
            for feed in feeds:
                changed_job = with_line(changed_job, revised(feed, **{field: card.id}))
            yield f"with a wider {'hose' if use == 'hose' else 'feed line'}", with_ports(changed_job)


# -- lines moved -------------------------------------------------------------------------------------------------------


def moved_lines(job: Job, step_m: float) -> Iterator[Job]:
    """*job* with one of its lines on the part moved by a step to either side, media laid anew.

    Straight lines stay as long as the part is wide there; lines on its edge, all round it and branches stay.
    """
    shape = job.part.shape
    spines = {line.fed_by for line in job.lines if line.fed_by}
    for line in job.lines:
        course = LineString(line.points)
        places = get_coordinates(course.segmentize(INSET_M))
        on_edge = float(distance(shape.exterior, points(places)).max()) < 2 * INSET_M and line.kind == "vent"
        if line.is_port or line.fed_by or line.id in spines or course.is_ring or on_edge:
            continue
        ends = np.array(line.points[-1]) - np.array(line.points[0])
        length = float(np.hypot(*ends))
        if length < SHORTEST_LINE_M / 2:
            continue
        along, across = ends / length, np.array([-ends[1], ends[0]]) / length
        short = length < 4 * VACUUM_POINT_M
        for way in (across, -across, along, -along) if short else (across, -across):
            course_moved = _moved(shape, line, way * step_m, whole=not short)
            if course_moved is not None:
                yield with_media_laid(with_line(job, revised(line, points=course_moved)))


def _moved(shape: Polygon, line: Line, by: np.ndarray, whole: bool) -> tuple[Point, ...] | None:
    """The course of *line* moved; a straight one over the whole width of the part there. None where it leaves it."""
    points = np.array(line.points) + by
    inner = shape.buffer(-INSET_M, join_style="mitre") if line.kind == "feed" else shape
    if len(points) == 2 and whole:
        way = points[1] - points[0]
        reach = way * float(np.hypot(*np.ptp(np.array(shape.exterior.coords), axis=0))) / float(np.hypot(*way))
        cut = LineString([points[0] - reach, points[1] + reach]).intersection(inner)
        pieces = [piece for piece in get_parts(cut) if isinstance(piece, LineString)]
        middle = Place(points.mean(axis=0))
        if not pieces:
            return None
        course = min(pieces, key=lambda piece: piece.distance(middle))
        if course.length < SHORTEST_LINE_M:
            return None
    else:
        course = LineString(points)
        if not inner.contains(course):
            return None
    return tuple((round(x, 4), round(y, 4)) for x, y in course.coords)
