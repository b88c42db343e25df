"""Cautions about the two halves of a closed mould: does it stay shut, does it fill, does the part come out right."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from shapely import LineString, MultiLineString
from shapely import Point as Place

from bibulon.assess import Assessment
from bibulon.cautions.places import in_cell, inside
from bibulon.cautions.registry import Finding, Fix, Rank, caution
from bibulon.job import CLAMPED_BY_FORCE, CLAMPED_BY_VACUUM, CLOSED, Job
from bibulon.job.base import Point
from bibulon.job.cards import TubeCard
from bibulon.job.edits import changed, revised
from bibulon.laminate.closed_mould import fibre_load_pa
from bibulon.laminate.joints import plies_of
from bibulon.mould.clamp import highest_injection_pa, holding, off_at_gel
from bibulon.mould.press import press_forces
from bibulon.mould.shots import shots_of
from bibulon.quantities import brief, brief_each, run_clock

LOOSE_PA = 2_000.0
"""Fibre that is pressed less lies loose: resin runs over it."""
OFF_RIM_M = 0.02
TOO_SOFT = 1.0
"""An upper half that gives by more than this share of the cavity's height bulges."""
DOUBLE_LOAD = 3.0
"""A lap may press so many times what the clamp pulls with before it holds the mould open."""


def _with_pair(job: Job, **fields: object) -> Job:
    return changed(job, pair=revised(job.pair, **fields))


# -- staying shut ------------------------------------------------------------------------------------------------------


@caution(
    "mould-opens",
    "stop",
    "mould",
    why="Where the mould opens, resin runs past the part through the gap, thickness is lost, and the seals may blow.",
    remedy="Inject with less, pull more on the flange, widen it, or stiffen the upper half.",
    processes=CLAMPED_BY_VACUUM,
)
def mould_opens(assessment: Assessment) -> Iterator[Finding]:
    margin = assessment.clamp
    if margin is None or margin.opens is None:
        return
    when_s, place = margin.opens
    lacks = brief(-margin.worst[0], "line force", assessment.units)
    when = "before any resin comes" if when_s <= 0 else f"{run_clock(when_s)} into the shot"
    yield Finding(f"The mould opens {when}: the clamp lacks {lacks} at the worst.", place)


@caution(
    "vent-shut-opens",
    "note",
    "mould",
    why="A vent that is shut, or full of resin, while resin still presses puts the whole cavity under that pressure.",
    remedy="Keep the vent open until the inlet is clamped, or inject with less.",
    processes=CLAMPED_BY_VACUUM,
)
def vent_shut_opens(assessment: Assessment) -> Iterator[Finding]:
    course = assessment.fill.upper if assessment.fill is not None else None
    if course is None or assessment.clamp is None or assessment.clamp.opens is not None:
        return
    highest = highest_injection_pa(assessment.job, course)
    planned = max(step.over_pressure_pa for step in assessment.job.pair.injection.steps)
    if course.even is not None and (highest is None or highest < planned):
        has = brief(planned, "pressure difference", assessment.units)
        most = "less" if highest is None else brief(highest, "pressure difference", assessment.units)
        yield Finding(f"With the vent shut the mould opens at {most} over the atmosphere; {has} is planned.")


@caution(
    "flange-vacuum-low",
    "caution",
    "mould",
    why="The flange's vacuum is the clamp: what it lacks, the mould opens by that much sooner.",
    remedy="Pull the flange to the house's level before the cavity is touched; if it will not come, a seal leaks.",
    fix=Fix(
        "Plan the house's level",
        lambda job: _with_pair(job, flange_pa=max(job.shop.barometer_pa - job.house.flange_vacuum_pa, 0.0)),
    ),
    of_plan=True,
    processes=CLAMPED_BY_VACUUM,
)
def flange_vacuum_low(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    pulls, wants = job.shop.barometer_pa - job.pair.flange_pa, job.house.flange_vacuum_pa
    if pulls < wants - 1.0:
        has, level = brief_each((max(pulls, 0.0), wants), "pressure difference", assessment.units)
        yield Finding(f"The flange pulls with {has}; the house asks for {level}.")


@caution(
    "cavity-deeper-than-flange",
    "caution",
    "mould",
    why="A cavity that pulls harder than the flange draws air past the inner seal into the part.",
    remedy="Regulate the cavity to less vacuum than the flange has.",
    of_plan=True,
    processes=CLAMPED_BY_VACUUM,
)
def cavity_deeper(assessment: Assessment) -> Iterator[Finding]:
    pair = assessment.job.pair
    if pair.cavity_pa < pair.flange_pa:
        cavity, flange = brief_each((pair.cavity_pa, pair.flange_pa), "pressure", assessment.units)
        yield Finding(f"The cavity is planned at {cavity}, the flange at {flange}.")


@caution(
    "above-the-plate",
    "stop",
    "mould",
    why="A pot or machine that is pressed beyond its plate can burst.",
    remedy="Stay below the plate, or take a vessel that is built for more.",
    of_plan=True,
    processes=CLOSED,
)
def above_the_plate(assessment: Assessment) -> Iterator[Finding]:
    injection, units = assessment.job.pair.injection, assessment.units
    for number, step in enumerate(injection.steps, 1):
        if injection.source == "bucket" and step.over_pressure_pa > 0:
            has = brief(step.over_pressure_pa, "pressure difference", units)
            yield Finding(f"Step {number} presses with {has}, and an open bucket cannot be pressed at all.")
            return
        if step.over_pressure_pa > injection.rated_pa:
            has, most = brief_each((step.over_pressure_pa, injection.rated_pa), "pressure difference", units)
            yield Finding(f"Step {number} presses with {has}; the {injection.source} is rated for {most}.")
            return


@caution(
    "clamps-too-weak",
    "stop",
    "mould",
    why="Halves that are pressed apart open by a hair, and resin under pressure jets out of it.",
    remedy="Set more clamps or stronger ones, or inject with less. Such moulds are designed by qualified people.",
    processes=CLAMPED_BY_FORCE,
)
def clamps_too_weak(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    if assessment.fill is None:
        return
    forces = press_forces(job, assessment.fill)
    if forces.given_n >= forces.asked_n:
        return
    opens, given = brief_each((float(forces.opening_n.max()), forces.given_n), "force", assessment.units)
    rank: Rank = "stop" if forces.left_n < 0 else "caution"
    asks = brief(forces.asked_n, "force", assessment.units)
    more = "" if job.pair.clamp.kind == "press" else f": {forces.number} {job.pair.clamp.kind} of these"
    text = f"{opens} opens the mould, the clamps give {given}; with its reserve the house asks for {asks}{more}."
    yield Finding(text, _middle(job), rank=rank)


@caution(
    "pressure-unusual",
    "note",
    "mould",
    why="High pressure moves the fibre, and wants moulds, clamps and guards that are built for it.",
    remedy="Give it more time, thinner resin or another inlet instead.",
    of_plan=True,
    processes=CLAMPED_BY_FORCE,
)
def pressure_unusual(assessment: Assessment) -> Iterator[Finding]:
    job, units = assessment.job, assessment.units
    planned = max(step.over_pressure_pa for step in job.pair.injection.steps)
    limits: tuple[tuple[float, Rank], ...] = (
        (job.house.seldom_pressure_pa, "caution"),
        (job.house.usual_pressure_pa, "note"),
    )
    for limit, rank in limits:
        if planned > limit:
            has, most = brief_each((planned, limit), "pressure difference", units)
            word = "seldom" if rank == "caution" else "as a rule not"
            yield Finding(f"{has} over the atmosphere is planned; {word} more than {most} is used.", rank=rank)
            return


@caution(
    "upper-too-soft",
    "caution",
    "mould",
    why="An upper half that bulges by the height of the cavity lets resin run over the fibre; the part gets a belly.",
    remedy="Give it more thickness, ribs or a frame, or inject with less.",
    processes=CLAMPED_BY_VACUUM,
)
def upper_too_soft(assessment: Assessment) -> Iterator[Finding]:
    fill = assessment.fill
    if fill is None or fill.upper is None:
        return
    share = fill.upper.rise_m[: fill.upper.filled] / np.maximum(fill.built_m, 1e-6)
    worst = float(share.max())
    if worst > TOO_SOFT:
        at = int(share.max(axis=0).argmax())
        gives = brief(float(fill.upper.rise_m[: fill.upper.filled, at].max()), "thickness", assessment.units)
        x, y = fill.mesh.points_m[at]
        yield Finding(f"The upper half gives by {gives} as the mould fills.", (float(x), float(y)))


# -- the part ----------------------------------------------------------------------------------------------------------


def _held_best(job: Job, assessment: Assessment) -> float | None:
    course = assessment.fill.upper if assessment.fill is not None else None
    held = holding(job, course) if course is not None else None
    return None if held is None or held.low_pa is None else held.best_pa


@caution(
    "thickness-off",
    "caution",
    "mould",
    why="What the cavity is when the resin gels, the part is for good.",
    remedy="Change the vacuum that it is held at, the fibre in it, or the upper half.",
    processes=CLAMPED_BY_VACUUM,
)
def thickness_off(assessment: Assessment) -> Iterator[Finding]:
    job, fill = assessment.job, assessment.fill
    off = off_at_gel(fill) if fill is not None else None
    tolerance = job.series.thickness_tolerance
    if fill is None or fill.upper is None or off is None or tolerance is None:
        return
    worst = max(off, key=abs)
    if abs(worst) <= tolerance:
        return
    share = fill.upper.rise_m[-1] / np.maximum(fill.built_m, 1e-6)
    x, y = fill.mesh.points_m[int(np.abs(share).argmax())]
    best = _held_best(job, assessment)
    remedy = "" if best is None else f"Hold the cavity at {brief(best, 'pressure', assessment.units)} until gel."
    which = "thicker" if worst > 0 else "thinner"
    text = f"The part comes out up to {abs(worst):.0%} {which} than the cavity was built; {tolerance:.0%} is allowed."
    yield Finding(text, (float(x), float(y)), remedy=remedy)


@caution(
    "fibre-loose",
    "caution",
    "layup",
    why="Fibre that does not fill the cavity leaves a channel over it that resin runs along, and moves with the resin.",
    remedy="Lay more, or take a bulking mat; every change of load changes the way the mould fills.",
    of_plan=True,
    processes=CLOSED,
)
def fibre_loose(assessment: Assessment) -> Iterator[Finding]:
    for cell in assessment.laminate.cells:
        stack = cell.stack
        if not stack.layers or stack.cavity_m is None or stack.fibre_load_pa is None or stack.fibre_kg_m2 <= 0:
            continue
        if stack.fibre_load_pa < LOOSE_PA:
            gap = brief(stack.slack_m, "thickness", assessment.units)
            leaves = f"leaves {gap} of the cavity free" if stack.slack_m > 0 else "is hardly pressed"
            yield Finding(f"The stack {leaves}: it fills {stack.fibre_fraction:.0%} by fibre.", in_cell(cell))
            return


@caution(
    "lap-doubles",
    "caution",
    "layup",
    why="Where pieces lap there is a ply more, and the cavity does not grow there: the lap holds the mould open.",
    remedy="Butt the joints, thin the laps out, or spread them over the plies.",
    of_plan=True,
    processes=CLOSED,
)
def lap_doubles(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    if job.cutting.overlap_m <= 0:
        return
    pull = job.shop.barometer_pa - job.vacuum_pa
    for ply in plies_of(job):
        if not ply.joints:
            continue
        joint = ply.joints[0].interpolate(0.5, normalized=True)
        cell = assessment.laminate.at(joint.x, joint.y)
        layer = next((layer for layer in cell.stack.layers if layer.id == ply.layer), None) if cell else None
        if cell is None or layer is None or cell.stack.cavity_m is None:
            continue
        load = fibre_load_pa((*cell.stack.layers, revised(layer, id="lap", count=1)), job.cards, cell.stack.cavity_m)
        if cell.stack.fibre_load_pa is not None and (load is None or load > DOUBLE_LOAD * pull):
            takes = (
                "cannot be closed on"
                if load is None
                else (f"takes {brief(load, 'pressure difference', assessment.units)} to close on")
            )
            yield Finding(f"The lap of ply {ply.number} {takes}.", (joint.x, joint.y))
            return


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
    rim = job.part.outline.polygon.exterior
    sides = fill.mesh.edges_on(_rim(job))
    on_rim = np.unique(sides)
    if not len(on_rim):
        return
    last = int(on_rim[int(np.nanargmax(fill.seen_s[on_rim]))])
    late = float(fill.seen_s[last])
    if late > job.house.rim_share * fill.end_s:
        x, y = (float(at) for at in fill.mesh.points_m[last])
        share = brief(late / fill.end_s, "share", assessment.units)
        length = brief(rim.length / max(len(job.feeds), 1) / 2, "distance", assessment.units)
        yield Finding(f"The channel is full round the rim after {share} of the fill, {length} from an inlet.", (x, y))


def _rim(job: Job) -> MultiLineString:
    return MultiLineString([job.part.outline.polygon.exterior.coords])


@caution(
    "vent-off-last",
    "caution",
    "mould",
    why="Resin that passes the vent before the part is full leaves through it, and what lies behind stays dry.",
    remedy="Move the vent to where the front ends, or propose a layout.",
    processes=CLOSED,
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


# -- resin -------------------------------------------------------------------------------------------------------------


@caution(
    "injected-too-warm",
    "stop",
    "mould",
    why="Warmer than its kind allows, resin gasses, gels in the hose, or boils off what it is thinned with.",
    remedy="Set the heater lower.",
    of_plan=True,
    processes=CLOSED,
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
        lambda job: _with_pair(job, injection=revised(job.pair.injection, recirculated=True)),
    ),
    of_plan=True,
    processes=CLOSED,
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
    processes=CLOSED,
)
def filler_settled(assessment: Assessment) -> Iterator[Finding]:
    job, injection = assessment.job, assessment.job.pair.injection
    if injection.filler_share <= 0 or injection.density_kg_m3 is None:
        return
    share, resin = injection.filler_share, job.resin.density_kg_m3
    wanted = 1 / ((1 - share) / resin + share / injection.filler_density_kg_m3)
    if abs(injection.density_kg_m3 / wanted - 1) > job.house.filler_off:
        has, should = brief_each((injection.density_kg_m3, wanted), "density", assessment.units)
        yield Finding(f"The filled resin weighs {has}; mixed through it weighs {should}.")


# -- lives -------------------------------------------------------------------------------------------------------------


@caution(
    "past-its-life",
    "caution",
    "mould",
    why="Seals that are worn leak when resin is in, and a tired mould takes the surface with it.",
    remedy="Change the seal, or have the mould looked at, and set its count anew.",
    of_plan=True,
    processes=CLOSED,
)
def past_its_life(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    made = len(shots_of(job))
    pair = job.pair
    for name, before, life in (
        ("The mould", pair.shots, pair.life_shots),
        ("The inner seal", pair.inner_seal.shots, pair.inner_seal.life_shots),
        ("The outer seal", pair.outer_seal.shots, pair.outer_seal.life_shots),
    ):
        if before + made >= life:
            yield Finding(f"{name} has made {before + made} shots of the {life} it is good for.", _middle(job))


def _middle(job: Job) -> Point:
    return inside(job.part.shape)
