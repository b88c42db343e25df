"""What holds a fill back: each thing that is off good practice is eased in turn, and the simulator asked again.

Trials run coarse, with resin that does not age, so that one figure compares them: how long the part takes to fill. Only
where nothing that is off practice matters is it the distance that resin has to go.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
from shapely import LineString, Polygon
from shapely import Point as Place
from shapely.affinity import translate
from shapely.ops import nearest_points, unary_union

from bibulon.flow.fill import fill
from bibulon.flow.network import pipe_conductance_m3
from bibulon.flow.problem import PREVIEW_PACE, flow_problem
from bibulon.flow.refusal import FlowRefusal
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.cards import CoreCard, FabricCard, MediaCard, PeelPlyCard
from bibulon.job.edits import changed, new_id, revised, with_card, with_line
from bibulon.job.gear_cards import TubeCard
from bibulon.job.lines import AtTime, Line, MediaPatch, Turn
from bibulon.job.stock_card import Measured
from bibulon.laminate.cells import laminate_of
from bibulon.laminate.compaction import fibre_fraction, kozeny_carman_ratio
from bibulon.resin.viscosity import fresh_viscosity_pa_s
from bibulon.stock import shelf, shelf_card
from bibulon.workers.report import Progress, no_progress

CauseKind = Literal[
    "hose", "viscosity", "vacuum", "bucket", "vent", "feed", "medium", "core", "fabric", "distance", "fabric through",
    "batch", "stop",
]  # fmt: skip

MOST_TRIAL_NODES = 260
USUAL_BORE_M, USUAL_LINE_BORE_M, USUAL_HOSE_M = 0.012, 0.009, 3.0
USUAL_VACUUM_PA = 3_000.0
POOR_VACUUM_PA = 10_000.0
USUAL_BELOW_M = 1.0
"""A bucket stands no further below the part, as a rule."""
SHORT_FEED, FROM_EDGE_M = 0.67, 0.05
"""A feed that covers less of the part than this share, from so far within its edges, is short."""
USUAL_FABRIC, USUAL_MEDIA = "glass-biax-800", "media-knitted"
WORTH = 0.85
"""A cause counts if without it the part fills in less than this share of the time."""
STRAIGHT, FAR_M = 0.98, 100.0
"""A line whose ends are nearly as far apart as it is long is straight; how far it is drawn on to leave the part."""
WELL_COVERED = 0.5
"""Media over this share of the part is enough."""
LESS_LAG = 0.7


@dataclass(frozen=True)
class Cause:
    """Something that holds the fill back: eased, the part fills in ``share`` of the time (or, of a fabric that lets
    resin *through* slowly, the tool side lags by that share). ``subject`` is the thing's identifier, ``name`` its name
    or label."""

    kind: CauseKind
    share: float
    subject: str = ""
    name: str = ""
    place: Point | None = None


def is_slow(job: Job, result: FillResult) -> bool:
    """Whether *result* keeps less than the margin that is asked, for want of speed: also with resin that the mould
    holds at its temperature."""
    if result.margin_held_s is None:
        return result.stopped_by in ("gel", "flow limit")
    return result.margin_held_s < job.charge.gel_margin_s


def lags(job: Job, result: FillResult) -> bool:
    """Whether the tool side of *result* fills late."""
    return result.fill_time_s is not None and result.lag_max_s > job.house.late_share * result.fill_time_s


def causes_of(job: Job, result: FillResult, progress: Progress = no_progress) -> tuple[Cause, ...]:
    """What holds the fill of *job* back, the worst first; nothing if it is quick enough.

    *progress* is called between trials and may raise to give up.
    """
    causes: list[Cause] = []
    if is_slow(job, result):
        causes += _of_slowness(job, result, progress)
    if lags(job, result):
        causes += _of_lag(job, _nodes(result), progress)
    return tuple(causes)


def _of_slowness(job: Job, result: FillResult, progress: Progress) -> list[Cause]:
    base, nodes = _ageless(job), _nodes(result)
    before = _fill_time_s(base, nodes)
    if before is None:
        return []
    waited_s = {wait.batch: min(wait.until_s, result.end_s) - wait.since_s for wait in result.waits}
    # the share of the time in which no batch is waited for: trials know of none
    flows = 1 - sum(waited_s.values()) / result.end_s
    causes: list[Cause] = []
    if flows < WORTH and (in_time_s := _fill_time_s(_all_in_time(job), nodes)) is not None:
        latest = max(waited_s, key=lambda number: waited_s[number])
        causes.append(Cause("batch", in_time_s / result.end_s, name=f"B{latest}"))

    def tried(kind: CauseKind, eased: Job, subject: str, name: str, place: Point | None) -> None:
        progress(1.0)
        after = _fill_time_s(eased, nodes)
        share = 1.0 if after is None else 1 - flows * (1 - after / before)
        if share < WORTH:
            causes.append(Cause(kind, share, subject, name, place))

    for eased in _eased_jobs(base, result):
        tried(*eased)
    causes.sort(key=lambda cause: cause.share)
    if not causes and (nearer := _with_feed_between(base, result)) is not None:
        tried("distance", nearer, "", "", result.last_filled)
    return causes


def _all_in_time(job: Job) -> Job:
    """*job* with every batch mixed when it is wanted."""
    batches = tuple(revised(batch, mix_s=None) for batch in job.charge.batches)
    return changed(job, charge=revised(job.charge, batches=batches))


def _of_lag(job: Job, nodes: int, progress: Progress) -> Iterator[Cause]:
    before = _trial(_ageless(job), nodes)
    for card, eased, place in _opened_fabrics(_ageless(job), through=True):
        progress(1.0)
        after = _trial(eased, nodes)
        if before is not None and after is not None and after.lag_max_s < LESS_LAG * before.lag_max_s:
            yield Cause("fabric through", after.lag_max_s / before.lag_max_s, card.id, card.name, place)


def _nodes(result: FillResult) -> int:
    """How fine the trials are: no finer than what they are asked about."""
    return min(MOST_TRIAL_NODES, len(result.mesh.points_m))


def _trial(job: Job, nodes: int) -> FillResult | None:
    try:
        return fill(flow_problem(job, nodes, pace=PREVIEW_PACE))
    except FlowRefusal:
        return None


def _fill_time_s(job: Job, nodes: int) -> float | None:
    result = _trial(job, nodes)
    return None if result is None else result.fill_time_s


def _ageless(job: Job) -> Job:
    """*job* with resin that stays as it was poured, and without what only costs time to simulate."""
    gel = tuple(revised(point, time_s=min(point.time_s * 1e4, 1e9)) for point in job.resin.film_gel)
    flow = revised(job.flow, thickening=False, trapped_air=False, by_batch=False, swelling=False)
    return changed(with_card(job, revised(job.resin, film_gel=gel)), flow=flow)


# -- what can be put right ---------------------------------------------------------------------------------------------

EasedJob = tuple[CauseKind, Job, str, str, Point | None]


def _eased_jobs(job: Job, result: FillResult) -> Iterator[EasedJob]:
    for ease in (_hoses, _viscosity, _vacuum, _bucket, _vents, _stops, _short_feeds, _medium, _core):
        yield from ease(job)
    for card, eased, place in _opened_fabrics(job, through=False):
        yield "fabric", eased, card.id, card.name, place


def tightest_feed(job: Job) -> Line:
    """The feed whose hose lets least through. Raises ValueError if there is no feed."""

    def conductance_m3(feed: Line) -> float:
        return pipe_conductance_m3(job.card(feed.hose, TubeCard).bore_m, feed.hose_length_m)

    return min(job.feeds, key=conductance_m3)


def _usual_tube(job: Job, identifier: str, least_m: float) -> tuple[Job, str]:
    """*job* with a card like that one and no narrower than *least_m*; and its identifier."""
    card = job.card(identifier, TubeCard)
    if card.bore_m >= least_m:
        return job, identifier
    wider = revised(card, id=f"{identifier[:60]} wider", bore_m=least_m, outer_m=max(card.outer_m, least_m + 0.004))
    return with_card(job, wider), wider.id


def _hoses(job: Job) -> Iterator[EasedJob]:
    eased = job
    for feed in job.feeds:
        eased, hose = _usual_tube(eased, feed.hose, USUAL_BORE_M)
        eased, tube = _usual_tube(eased, feed.tube, USUAL_LINE_BORE_M)
        length = min(feed.hose_length_m, USUAL_HOSE_M)
        eased = with_line(eased, revised(feed, hose=hose, tube=tube, hose_length_m=length))
    manifolds = []
    for manifold in job.manifolds:
        eased, hose = _usual_tube(eased, manifold.hose, USUAL_BORE_M)
        eased, tube = _usual_tube(eased, manifold.tube, USUAL_BORE_M)
        length = min(manifold.hose_length_m, USUAL_HOSE_M)
        manifolds.append(revised(manifold, hose=hose, tube=tube, hose_length_m=length))
    eased = changed(eased, manifolds=tuple(manifolds))
    if eased.feeds != job.feeds or eased.manifolds != job.manifolds:
        worst = tightest_feed(job)
        yield "hose", eased, worst.id, worst.label, worst.points[0]


def _viscosity(job: Job) -> Iterator[EasedJob]:
    ratio = job.house.thick_pa_s / fresh_viscosity_pa_s(job.resin, job.mould_temperature_k)
    if ratio < 1:
        points = tuple(revised(point, viscosity_pa_s=point.viscosity_pa_s * ratio) for point in job.resin.viscosity)
        yield "viscosity", with_card(job, revised(job.resin, viscosity=points)), job.resin.id, job.resin.name, None


def _vacuum(job: Job) -> Iterator[EasedJob]:
    better = max(USUAL_VACUUM_PA, job.resin.lowest_pressure_pa)
    if job.vacuum_pa > POOR_VACUUM_PA:
        yield "vacuum", changed(job, vacuum=revised(job.vacuum, cavity_pa=better)), "", "", None


def _bucket(job: Job) -> Iterator[EasedJob]:
    if job.bucket.below_part_m > USUAL_BELOW_M and job.bucket.over_pressure_pa <= 0:
        yield "bucket", changed(job, bucket=revised(job.bucket, below_part_m=USUAL_BELOW_M)), "", "", None


def _short_feeds(job: Job) -> Iterator[EasedJob]:
    """Straight feeds from bucket or manifold that could be much longer, all drawn right across the part."""
    inner, eased, short = job.part.shape.buffer(-FROM_EDGE_M), job, []
    feeds = {feed.id for feed in job.feeds}
    for feed in job.feeds:
        course = LineString(feed.points)
        start, end = np.array(feed.points[0]), np.array(feed.points[-1])
        along = float(np.hypot(*(end - start)))
        if feed.is_port or feed.fed_by in feeds or along < STRAIGHT * course.length:
            continue
        far = (end - start) * FAR_M / along
        pieces = LineString([start - far, end + far]).intersection(inner)
        longer = min(getattr(pieces, "geoms", [pieces]), key=course.distance)
        if isinstance(longer, LineString) and course.length < SHORT_FEED * longer.length:
            (ax, ay), (bx, by) = longer.coords[0], longer.coords[-1]
            eased = with_line(eased, revised(feed, points=((ax, ay), (bx, by))))
            short.append((course.length / longer.length, feed))
    if short:
        worst = min(short, key=lambda pair: pair[0])[1]
        yield "feed", eased, worst.id, worst.label, worst.points[0]


def _vents(job: Job) -> Iterator[EasedJob]:
    shut = [vent for vent in job.vents if vent.is_clamped]
    eased = job
    for vent in shut:
        eased = with_line(eased, revised(vent, turns=()))
    if shut:
        first = shut[0]
        yield "vent", eased, first.id, first.label, first.points[0]


def _stops(job: Job) -> Iterator[EasedJob]:
    """Feeds that are clamped for a while."""
    eased, stopped = job, []
    for feed in job.feeds:
        turns: list[Turn] = []
        for turn in feed.turns:
            if turn.to != "clamped" and turns and turns[-1].to == "clamped":
                turns.pop()
            else:
                turns.append(turn)
        if len(turns) < len(feed.turns):
            stopped.append(feed)
            eased = with_line(eased, revised(feed, turns=tuple(turns)))
    if stopped:
        yield "stop", eased, stopped[0].id, stopped[0].label, stopped[0].points[0]


def _medium(job: Job) -> Iterator[EasedJob]:
    part = job.part.shape
    covered = unary_union([Polygon(patch.outline) for patch in job.media]).intersection(part)
    if covered.area > WELL_COVERED * part.area:
        return
    vents = unary_union([LineString(vent.points) for vent in job.vents]).buffer(job.house.brake_m)
    shapes = [area for area in getattr(part.difference(vents), "geoms", [part.difference(vents)]) if area.area > 1e-4]
    usual = next((job.card(patch.card, MediaCard) for patch in job.media), None) or shelf_card(USUAL_MEDIA)
    eased = with_card(job, usual)
    if eased.peel_ply is None:
        peel_ply = next(card for card in shelf() if isinstance(card, PeelPlyCard))
        eased = changed(with_card(eased, peel_ply), peel_ply=peel_ply.id)
    patches = tuple(
        MediaPatch(id=new_id("media"), card=usual.id, outline=tuple(shape.exterior.coords)) for shape in shapes
    )
    if patches:
        bare = part.difference(covered).representative_point()
        yield "medium", changed(eased, media=patches), "", usual.name, (bare.x, bare.y)


def _core(job: Job) -> Iterator[EasedJob]:
    eased, plain = job, []
    for card in job.cards:
        if isinstance(card, CoreCard) and card.grooves == "none" and any(entry.card == card.id for entry in job.layup):
            plain.append(card)
            grooved = {"grooves": "two ways", "groove_pitch_m": 0.02, "groove_width_m": 0.002}
            deep = min(0.002, card.thickness_m)
            eased = with_card(eased, revised(card, perforation_pitch_m=0.02, groove_depth_m=deep, **grooved))
    if plain:
        cells = [
            cell for cell in laminate_of(job).cells if any(layer.card == plain[0].id for layer in cell.stack.layers)
        ]
        place = (cells[0].polygon if cells else job.part.shape).representative_point()
        where = place.x, place.y
        yield "core", eased, next(entry.id for entry in job.layup if entry.card == plain[0].id), plain[0].name, where


def _opened_fabrics(job: Job, through: bool) -> Iterator[tuple[FabricCard, Job, Point | None]]:
    """Fabrics of the largest stack that conduct far less than usual cloth and than the rest of it, and *job* with each
    as open as the tighter of the two: next to mat every cloth is slow."""
    laid = [cell for cell in laminate_of(job).cells if cell.stack.layers]
    if not laid:
        return
    cell = max(laid, key=lambda cell: cell.area_m2)
    pressure = job.shop.barometer_pa - job.vacuum_pa
    cards = {card.id: card for card in job.cards}
    fabrics = {layer.card: cards[layer.card] for layer in cell.stack.layers}
    opens = {name: _openness(card, pressure, through) for name, card in fabrics.items() if isinstance(card, FabricCard)}
    usual = shelf_card(USUAL_FABRIC)
    assert isinstance(usual, FabricCard)
    for name, value in opens.items():
        others = [other for key, other in opens.items() if key != name]
        aim = min(_openness(usual, pressure, through), float(np.exp(np.mean(np.log(others)))) if others else np.inf)
        if value >= job.house.slow_share * aim:
            continue
        card = cards[name]
        assert isinstance(card, FabricCard)
        ways = ("through",) if through else ("along", "across")
        opened = {
            f"permeability_{way}_m2": Measured(value=getattr(card, f"permeability_{way}_m2").value * aim / value)
            for way in ways
        }
        place = cell.polygon.representative_point()
        yield card, with_card(job, revised(card, **opened)), (place.x, place.y)


def _openness(card: FabricCard, pressure_pa: float, through: bool) -> float:
    """Permeability (m²) under *pressure_pa*, in the plane or through it."""
    scaled = kozeny_carman_ratio(fibre_fraction(card, pressure_pa), card.fibre_fraction)
    if through:
        return card.permeability_through_m2.value * scaled
    return float(np.sqrt(card.permeability_along_m2.value * card.permeability_across_m2.value)) * scaled


def _with_feed_between(job: Job, result: FillResult) -> Job | None:
    """*job* with one more feed, half-way between the place that fills last and the feed next to it."""
    last = Place(result.last_filled)
    feed = min(job.feeds, key=lambda feed: LineString(feed.points).distance(last))
    line = LineString(feed.points)
    start = nearest_points(line, last)[0]
    moved = translate(line, (last.x - start.x) / 2, (last.y - start.y) / 2).intersection(job.part.shape)
    pieces = [
        piece for piece in getattr(moved, "geoms", [moved]) if isinstance(piece, LineString) and piece.length > 0.02
    ]
    if not pieces:
        return None
    points = tuple((x, y) for x, y in max(pieces, key=lambda piece: piece.length).coords)
    return with_line(job, revised(feed, id=new_id("feed"), points=points, opens=AtTime(), turns=()))
