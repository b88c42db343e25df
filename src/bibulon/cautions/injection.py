"""Cautions about the injection of a closed mould: how it fills, and what the resin is."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from shapely import LineString, MultiLineString
from shapely import Point as Place

from bibulon.assess import Assessment
from bibulon.cautions.registry import Finding, Fix, caution
from bibulon.job import CLOSED, IN_MOULD, Job
from bibulon.job.base import Point
from bibulon.job.edits import revised, with_pair
from bibulon.job.gear_cards import TubeCard
from bibulon.quantities_in_words import brief, brief_each

OFF_RIM_M = 0.02
"""An inlet no further off the rim is on its channel."""

# -- filling -----------------------------------------------------------------------------------------------------------


@caution(
    "inlet-off-channel",
    "caution",
    "mould",
    why="An inlet off the rim channel fills the part from its own place, and the channel not at all.",
    remedy="Put it on the rim.",
    of_plan=True,
    processes=CLOSED,
)
def inlet_off_channel(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    if job.pair.channel.profile == "none":
        return
    rim = job.part.outline.polygon.exterior
    for line in job.feeds:
        off = rim.distance(Place(line.place))
        if line.is_port and off > OFF_RIM_M:
            shown = brief(off, "length", assessment.units)
            yield Finding(f"Inlet {line.label} is {shown} off the channel.", line.place, line.id)


@caution(
    "inlets-uneven",
    "caution",
    "mould",
    why="Where the rim lies far from an inlet it fills late, and the front does not close in from all sides.",
    remedy="Spread the inlets evenly round the rim.",
    of_plan=True,
    processes=CLOSED,
)
def inlets_uneven(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    rim = job.part.outline.polygon.exterior
    inlets = [line for line in job.feeds if line.is_port and rim.distance(Place(line.place)) <= OFF_RIM_M]
    if len(inlets) < 2 or job.pair.channel.profile == "none":
        return
    at = np.sort([rim.project(Place(line.place)) for line in inlets])
    gaps = np.diff([*at, at[0] + rim.length])
    even = rim.length / len(inlets)
    widest = int(gaps.argmax())
    if gaps[widest] > job.house.rim_uneven * even:
        middle = rim.interpolate((at[widest] + gaps[widest] / 2) % rim.length)
        far, usual = brief_each((float(gaps[widest]) / 2, even / 2), "distance", assessment.units)
        text = f"The rim is up to {far} from an inlet; spread evenly it would be {usual}."
        yield Finding(text, (middle.x, middle.y))


@caution(
    "channel-too-narrow",
    "caution",
    "mould",
    why="A channel that takes long to fill feeds the near side of the part first: the front does not close in evenly.",
    remedy="Widen the channel, or put another inlet on it.",
    processes=CLOSED,
)
def channel_too_narrow(assessment: Assessment) -> Iterator[Finding]:
    job, fill = assessment.job, assessment.fill
    if fill is None or job.pair.channel.profile == "none" or not job.feeds:
        return
    sides = fill.mesh.edges_on(_rim(job))
    on_rim = np.unique(sides)
    if not len(on_rim):
        return
    if np.isnan(fill.seen_s[on_rim]).all():
        return
    last = int(on_rim[int(np.nanargmax(fill.seen_s[on_rim]))])
    late = float(fill.seen_s[last])
    if late > job.house.rim_share * fill.end_s:
        x, y = (float(at) for at in fill.mesh.points_m[last])
        share = brief(late / fill.end_s, "share", assessment.units)
        length = brief(_along_rim_m(job, (x, y)), "distance", assessment.units)
        yield Finding(f"The channel is full round the rim after {share} of the fill, {length} from an inlet.", (x, y))


def _along_rim_m(job: Job, place: Point) -> float:
    """How far it is round the rim from a *place* on it to the nearest feed."""
    rim = job.part.outline.polygon.exterior
    ends = (
        rim.project(Place(point)) for line in job.feeds for point in ((line.place,) if line.is_port else line.points)
    )
    there = rim.project(Place(place))
    ways = [abs(end - there) for end in ends]
    return float(min(min(way, rim.length - way) for way in ways))


def _rim(job: Job) -> MultiLineString:
    return MultiLineString([job.part.outline.polygon.exterior.coords])


@caution(
    "vent-off-last",
    "caution",
    "mould",
    why="Resin that passes the vent before the part is full leaves through it, and what lies behind stays dry.",
    remedy="Move the vent to where the front ends, or propose a layout.",
    processes=IN_MOULD,
)
def vent_off_last(assessment: Assessment) -> Iterator[Finding]:
    job, fill = assessment.job, assessment.fill
    if fill is None or not job.vents:
        return
    last = fill.last_filled
    vents = [
        (math.dist(vent.place, last) if vent.is_port else LineString(vent.points).distance(Place(last)))
        for vent in job.vents
    ]
    if min(vents) > job.house.vent_reach_m:
        off = brief(min(vents), "length", assessment.units)
        yield Finding(f"The place that fills last is {off} from a vent.", last)


@caution(
    "stop-mass-not-said",
    "caution",
    "mould",
    why="Nobody knows when to clamp the inlets: the shot goes on until the vent shows resin, and into the pot.",
    remedy="Say at Mould what is to be in when the word is given.",
    fix=Fix(
        "Stop when the vent shows resin",
        lambda job: with_pair(job, injection=revised(job.pair.injection, stop="at the vent")),
    ),
    of_plan=True,
    processes=IN_MOULD,
)
def stop_mass_not_said(assessment: Assessment) -> Iterator[Finding]:
    injection = assessment.job.pair.injection
    if injection.stop == "by mass" and injection.stop_kg is None:
        yield Finding("The shot is to be stopped by mass, and no mass is said.")


# -- resin -------------------------------------------------------------------------------------------------------------


@caution(
    "injected-too-warm",
    "stop",
    "mould",
    why="Warmer than its kind allows, resin gasses, gels in the hose, or boils off what it is thinned with.",
    remedy="Set the heater lower.",
    of_plan=True,
    processes=IN_MOULD,
)
def injected_too_warm(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    warm = job.pair.injection.resin_temperature_k
    if warm is not None and warm > job.resin.highest_temperature_k:
        has, most = brief_each((warm, job.resin.highest_temperature_k), "temperature", assessment.units)
        yield Finding(f"The resin is to leave the hose at {has}; {job.resin.name} is kept below {most}.")


@caution(
    "cold-slug",
    "caution",
    "mould",
    why="What stood in the hose since the last shot is cold and thick, and goes into the part first.",
    remedy="Recirculate until the hose is at temperature.",
    fix=Fix(
        "Recirculate first",
        lambda job: with_pair(job, injection=revised(job.pair.injection, recirculated=True)),
    ),
    of_plan=True,
    processes=IN_MOULD,
)
def cold_slug(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    warm, injection = job.pair.injection.resin_temperature_k, job.pair.injection
    if warm is None or injection.recirculated or warm <= job.shop.temperature_k + job.house.mix_temperature_k:
        return
    volume = sum(math.pi / 4 * job.card(feed.hose, TubeCard).bore_m ** 2 * feed.hose_length_m for feed in job.feeds)
    slug = brief(volume * job.resin.density_kg_m3, "mass", assessment.units)
    is_at, wanted = brief_each((job.shop.temperature_k, warm), "temperature", assessment.units)
    yield Finding(f"{slug} of resin at {is_at} stands in the hoses, and {wanted} is wanted.")


@caution(
    "filler-settled",
    "caution",
    "mould",
    why="Filler that has settled leaves thin resin on top and a paste below: viscosity, shrinkage and weight wander.",
    remedy="Stir, keep it moving, and weigh a known volume again.",
    of_plan=True,
    processes=IN_MOULD,
)
def filler_settled(assessment: Assessment) -> Iterator[Finding]:
    job, injection = assessment.job, assessment.job.pair.injection
    if injection.filler_share <= 0 or injection.density_kg_m3 is None:
        return
    wanted = job.resin.density_kg_m3
    if abs(injection.density_kg_m3 / wanted - 1) > job.house.filler_off:
        has, should = brief_each((injection.density_kg_m3, wanted), "density", assessment.units)
        yield Finding(f"The filled resin weighs {has}; mixed through it weighs {should}.")
