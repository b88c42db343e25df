"""What sits on a mould at a place: clamps and dowels on its flange, gauges in its cavity; the seals' and rim's lines.

Between two seals the flange's middle is where clamps and dowels sit; a mould with a bladder has them round its plan.
"""

from __future__ import annotations

import math

import numpy as np
from shapely import Point as Place
from shapely import Polygon

from bibulon.flow.cavity import grown
from bibulon.flow.reading import top_nodes
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.edits import new_id, revised, with_pair
from bibulon.job.pair import Fitting, FittingKind

LETTERS: dict[FittingKind, str] = {"clamp": "C", "dowel": "D", "gauge": "G"}
LEAST_SEAL_OFF_M, LEAST_FLANGE_M = 0.005, 0.01
LEAST_LAND_M = 0.002
"""What is left between the rim channel and the inner seal."""
BESIDE_PLAN_M = 0.03
"""Clamps of a mould with a bladder sit so far off the plan."""
ROUND_M = 1e-3


def seal_ring(job: Job, which: str) -> Polygon:
    """What lies within the "inner seal" or the "outer seal"."""
    off = job.pair.seal_off_m + (job.pair.flange_m if which == "outer seal" else 0.0)
    return grown(job.part.outline.polygon, off)


def flange_ring(job: Job) -> Polygon:
    """What lies within the line that clamps and dowels sit on."""
    off = job.pair.seal_off_m + job.pair.flange_m / 2 if job.closed else BESIDE_PLAN_M
    return grown(job.part.outline.polygon, off)


def place_for(job: Job, kind: FittingKind, near: Point) -> Point:
    """Where a fitting of that *kind* put *near* comes to sit."""
    if kind == "gauge":
        return round(near[0], 4), round(near[1], 4)
    ring = flange_ring(job).exterior
    at = ring.interpolate(ring.project(Place(near)))
    return round(at.x, 4), round(at.y, 4)


def with_fitting(job: Job, kind: FittingKind, near: Point) -> Job:
    """*job* with one more fitting of that *kind*, labelled with the next free number."""
    taken = {fitting.label for fitting in job.pair.fittings}
    letter = LETTERS[kind]
    label = next(f"{letter}{number}" for number in range(1, 1000) if f"{letter}{number}" not in taken)
    made = Fitting(id=new_id(kind), kind=kind, label=label, place=place_for(job, kind, near))
    return with_pair(job, fittings=(*job.pair.fittings, made))


def fitting_of(job: Job, identifier: str) -> Fitting:
    """The fitting of that identifier. Raises KeyError."""
    for fitting in job.pair.fittings:
        if fitting.id == identifier:
            return fitting
    raise KeyError(identifier)


def with_fitting_at(job: Job, identifier: str, near: Point) -> Job:
    """*job* with that fitting moved to *near*, or to where on the flange that is."""
    moved = tuple(
        revised(fitting, place=place_for(job, fitting.kind, near)) if fitting.id == identifier else fitting
        for fitting in job.pair.fittings
    )
    return with_pair(job, fittings=moved)


def without_fitting(job: Job, identifier: str) -> Job:
    """*job* without that fitting."""
    return with_pair(job, fittings=tuple(fitting for fitting in job.pair.fittings if fitting.id != identifier))


def clamps_spread(job: Job, count: int) -> Job:
    """*job* with so many clamps spread evenly round the flange, in place of those that were there."""
    ring = flange_ring(job).exterior
    others = tuple(fitting for fitting in job.pair.fittings if fitting.kind != "clamp")
    clamps = []
    for number in range(count):
        at = ring.interpolate((number + 0.5) / count, normalized=True)
        place = (round(at.x, 4), round(at.y, 4))
        clamps.append(Fitting(id=new_id("clamp"), kind="clamp", label=f"C{number + 1}", place=place))
    clamp = revised(job.pair.clamp, count=max(count, 1))
    return with_pair(job, fittings=(*others, *clamps), clamp=clamp)


def clamp_count(job: Job) -> int:
    """How many clamps hold the mould: those on the plan, or as many as are typed while none is."""
    placed = sum(fitting.kind == "clamp" for fitting in job.pair.fittings)
    return placed or job.pair.clamp.count


def widest_gap(job: Job) -> tuple[float, float, Point] | None:
    """The longest way round the flange between two clamps that are on the plan, that of as many spread evenly, and the
    middle of it; None with fewer than two."""
    ring = flange_ring(job).exterior
    at = sorted(ring.project(Place(fitting.place)) for fitting in job.pair.fittings if fitting.kind == "clamp")
    if len(at) < 2:
        return None
    gaps = np.diff([*at, at[0] + ring.length])
    number = int(gaps.argmax())
    middle = ring.interpolate((at[number] + gaps[number] / 2) % ring.length)
    return float(gaps[number]), ring.length / len(at), (middle.x, middle.y)


def dowels_apart_m(job: Job) -> float | None:
    """The longest way between two dowels; 0 with one, None with none."""
    places = [fitting.place for fitting in job.pair.fittings if fitting.kind == "dowel"]
    if not places:
        return None
    return max(math.dist(one, other) for one in places for other in places)


def gauge_pa(fill: FillResult, place: Point, time_s: float) -> float | None:
    """The absolute pressure that a gauge at *place* shows at *time_s* of the fill; None off the part."""
    found = fill.mesh.locate(*place)
    if found is None:
        return None
    corners, weights = found
    pressure = fill.pressure_pa[:, top_nodes(fill)[corners]].astype(np.float64) @ weights
    return float(np.interp(time_s, fill.times_s, pressure)) + fill.problem.vent_pa


def seal_pulled(job: Job, which: str, to: Point) -> Job:
    """*job* with the "inner seal" or the "outer seal" pulled to a place: all of it is as far off the part as that."""
    off = job.part.outline.polygon.distance(Place(to))
    return _seal_off(job, which, off)


def seal_stepped(job: Job, which: str, by_m: float) -> Job:
    """*job* with that seal so much further out."""
    now = job.pair.seal_off_m + (job.pair.flange_m if which == "outer seal" else 0.0)
    return _seal_off(job, which, now + by_m)


def _seal_off(job: Job, which: str, off_m: float) -> Job:
    off = round(off_m / ROUND_M) * ROUND_M
    pair = job.pair
    if which == "outer seal":
        return with_pair(job, flange_m=round(max(off - pair.seal_off_m, LEAST_FLANGE_M), 4))
    outer = pair.seal_off_m + pair.flange_m  # stays where it is
    channel_m = 0.0 if pair.channel.profile == "none" else pair.channel.width_m / 2 + LEAST_LAND_M
    inner = min(max(off, LEAST_SEAL_OFF_M, channel_m), outer - LEAST_FLANGE_M)
    return with_pair(job, seal_off_m=round(inner, 4), flange_m=round(outer - inner, 4))


def channel_pulled(job: Job, to: Point) -> Job:
    """*job* with the channel so wide that its edge lies at a place, short of the inner seal; it keeps its shape."""
    return _channel_width(job, 2 * job.part.outline.polygon.exterior.distance(Place(to)))


def channel_stepped(job: Job, by_m: float) -> Job:
    """*job* with the channel wider by a fifth of the step that a seal would take."""
    return _channel_width(job, job.pair.channel.width_m + by_m / 5)


def widest_channel_m(job: Job) -> float:
    """The widest channel round the part's edge that leaves the inner seal its land."""
    return max(2 * (job.pair.seal_off_m - LEAST_LAND_M), 0.002)


def channel_under_seal(job: Job) -> bool:
    """Whether the channel, half of which lies outside the part's edge, reaches the inner seal."""
    channel = job.pair.channel
    return job.closed and channel.profile != "none" and channel.width_m / 2 >= job.pair.seal_off_m


def with_channel_clear(job: Job) -> Job:
    """*job* with the channel as wide as the inner seal leaves room for, in the shape it has."""
    return _channel_width(job, job.pair.channel.width_m)


def _channel_width(job: Job, width_m: float) -> Job:
    channel = job.pair.channel
    width = max(math.floor(min(width_m, widest_channel_m(job)) / ROUND_M + 0.5 - 1e-9) * ROUND_M, 0.002)
    height = channel.height_m * width / channel.width_m
    return with_pair(job, channel=revised(channel, width_m=round(width, 4), height_m=round(max(height, 0.001), 4)))
