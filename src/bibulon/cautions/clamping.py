"""Cautions about the two halves of a closed mould: do they stay shut, and what holds them."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from shapely import Point as Place
from shapely.ops import nearest_points

from bibulon.assess import Assessment
from bibulon.cautions.registry import Finding, Fix, Rank, caution
from bibulon.durations import run_clock
from bibulon.job import CLAMPED_BY_FORCE, CLAMPED_BY_VACUUM, CLOSED, IN_MOULD, WITH_BLADDER
from bibulon.job.edits import with_pair
from bibulon.mould.clamp import highest_injection_pa
from bibulon.mould.fittings import (
    clamp_count,
    clamps_spread,
    dowels_apart_m,
    widest_gap,
)
from bibulon.mould.flange import flange_gives, flange_thick_enough_m, with_flange_thick_enough
from bibulon.mould.injection import step_words
from bibulon.mould.press import press_holds_pa
from bibulon.quantities_in_words import brief, brief_each

TOO_SOFT = 1.0
"""An upper half that gives by more than this share of the cavity's height bulges."""
SAME_LEVEL_PA = 1_000.0
"""Two vacuums that differ by less are one."""
HELD_BY_CLAMPS = CLAMPED_BY_FORCE | WITH_BLADDER
DOWELS_SHARE = 0.5
"""Two dowels sit apart by at least this share of the part's reach."""


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
    when = f"{run_clock(when_s)} into the shot"
    if when_s < 1:
        when = "before any resin comes" if when_s <= 0 else "as the first resin comes"
    yield Finding(f"The mould opens {when}: the clamp lacks {lacks} at the worst.", place)


@caution(
    "vent-shut-opens",
    "note",
    "mould",
    why="A vent that is shut, or full of resin, while resin still presses puts the whole cavity under that pressure.",
    remedy="Keep the vent open until the inlet is clamped, or inject with less.",
    processes=CLOSED,
)
def vent_shut_opens(assessment: Assessment) -> Iterator[Finding]:
    course = assessment.fill.upper if assessment.fill is not None else None
    press, highest = assessment.press, None
    if press is not None:
        if press.given_n < press.asked_n:  # that is a caution of its own
            return
        highest = press_holds_pa(assessment.job, press)
    elif course is None or course.even is None or assessment.clamp is None or assessment.clamp.opens is not None:
        return
    else:
        highest = highest_injection_pa(assessment.job, course)
    planned = max(step.over_pressure_pa for step in assessment.job.pair.injection.steps)
    if highest is None or highest < planned:
        has, most = brief_each((planned, highest or 0.0), "pressure difference", assessment.units)
        most = "less" if highest is None else most
        yield Finding(f"With the vent shut the mould opens at {most} over the atmosphere; {has} is planned.")


@caution(
    "flange-vacuum-low",
    "caution",
    "mould",
    why="The flange's vacuum is the clamp: what it lacks, the mould opens by that much sooner.",
    remedy="Pull the flange to the house's level before the cavity is touched; if it will not come, a seal leaks.",
    fix=Fix(
        "Plan the house's level",
        lambda job: with_pair(job, flange_pa=max(job.shop.barometer_pa - job.house.flange_vacuum_pa, 0.0)),
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
    processes=IN_MOULD,
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
    "step-never-begins",
    "caution",
    "mould",
    why="What was planned for later in the shot is not done: a gentle end that never comes does not save the clamp.",
    remedy="End the step before it sooner, by what this part takes, or take out the steps that are not reached.",
    processes=IN_MOULD,
)
def step_never_begins(assessment: Assessment) -> Iterator[Finding]:
    job, fill = assessment.job, assessment.fill
    if fill is None:
        return
    steps, begun = job.pair.injection.steps, len([at for at in fill.stage_begun_s if at < fill.end_s])
    if begun < len(steps):
        until = step_words(steps[begun - 1], assessment.units).rpartition(" until ")[2]
        over = "the part is full" if fill.fill_time_s is not None else "the resin stops"
        yield Finding(
            f"Step {begun + 1} of the recipe never begins: {over} at {run_clock(fill.end_s)}, and step {begun} lasts "
            f"until {until}."
        )


@caution(
    "clamps-too-weak",
    "stop",
    "mould",
    why="Halves that are pressed apart open by a hair, and resin under pressure jets out of it.",
    remedy="Set more clamps or stronger ones, take a stronger press, or inject with less. Such moulds are designed by "
    "qualified people.",
    processes=CLAMPED_BY_FORCE,
)
def clamps_too_weak(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    forces = assessment.press
    if forces is None or forces.given_n >= forces.asked_n:
        return
    figures = (float(forces.worst_n.max()), forces.given_n, forces.asked_n)
    opens, given, asks = brief_each(figures, "force", assessment.units)
    rank: Rank = "stop" if forces.left_n < 0 else "caution"
    pressed = job.pair.clamp.kind == "press"
    more = "" if pressed else f": {forces.number} {job.pair.clamp.kind} of these"
    holds = "the press gives" if pressed else "the clamps give"
    side = " where it is pressed apart hardest" if forces.off_the_middle_n(forces.at) else ""
    text = f"{opens} opens the mould{side}, {holds} {given}; with its reserve the house asks for {asks}{more}."
    worst = nearest_points(job.part.shape, Place(forces.worst_place))[0]
    yield Finding(text, (worst.x, worst.y), rank=rank)


@caution(
    "clamps-apart",
    "caution",
    "mould",
    why="Halves open between two clamps that sit far apart long before all of them together give way.",
    remedy="Spread the clamps evenly round the flange, or set one more where the gap is.",
    fix=Fix(
        "Spread them evenly",
        lambda job: clamps_spread(job, clamp_count(job)),
        helps=lambda job: widest_gap(job) is not None,
    ),
    of_plan=True,
    processes=HELD_BY_CLAMPS,
)
def clamps_apart(assessment: Assessment) -> Iterator[Finding]:
    job, gap = assessment.job, widest_gap(assessment.job)
    if gap is None or job.pair.clamp.kind == "press" or gap[0] <= job.house.rim_uneven * gap[1]:
        return
    apart, even = brief_each(gap[:2], "length", assessment.units)
    yield Finding(f"Two clamps sit {apart} apart; spread evenly they would sit {even} apart.", gap[2])


@caution(
    "dowels-close",
    "caution",
    "mould",
    why="Dowels that sit close together let the upper half turn about them: the cavity is uneven from side to side.",
    remedy="Set two dowels at opposite corners, as far apart as the flange allows.",
    of_plan=True,
    processes=CLOSED,
)
def dowels_close(assessment: Assessment) -> Iterator[Finding]:
    apart_m, part = dowels_apart_m(assessment.job), assessment.job.part.outline.polygon
    if apart_m is None:
        return
    reach_m = math.hypot(part.bounds[2] - part.bounds[0], part.bounds[3] - part.bounds[1])
    if apart_m < DOWELS_SHARE * reach_m:
        apart, reach = brief_each((apart_m, reach_m), "length", assessment.units)
        said = f"The dowels sit {apart} apart" if apart_m > 0 else "There is one dowel"
        yield Finding(f"{said}, on a part {reach} from corner to corner.")


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


@caution(
    "flange-gives",
    "caution",
    "mould",
    why="A flange that gives rolls and lifts its seals: the clamp leaks away, and air gets past the inner seal.",
    remedy="Make it thicker or narrower, set clamps closer, or take a seal that follows further, as one blown up.",
    fix=Fix(
        "Make the flange thick enough",
        with_flange_thick_enough,
        helps=lambda job: flange_thick_enough_m(job) is not None,
    ),
    processes=CLAMPED_BY_VACUUM | CLAMPED_BY_FORCE,
)
def flange_gives_way(assessment: Assessment) -> Iterator[Finding]:
    found = flange_gives(assessment.job, assessment.fill, assessment.units)
    if found is not None and not found.sealed:
        gives, follows = brief_each((found.gives_m, found.follows_m), "thickness", assessment.units)
        more = "more than " if found.slack else ""
        yield Finding(f"The flange gives by {more}{gives}, and the seal follows {follows}: {found.how}")


@caution(
    "two-levels-one-pump",
    "caution",
    "mould",
    why="One pump with one reservoir has one level: the cavity pulls as hard as the flange, or the flange is weak.",
    remedy="Split the reservoir with a regulator between its halves, or take a pump for each.",
    fix=Fix("Plan a split reservoir", lambda job: with_pair(job, supply="one pump, split reservoir")),
    of_plan=True,
    processes=CLAMPED_BY_VACUUM,
)
def two_levels(assessment: Assessment) -> Iterator[Finding]:
    pair = assessment.job.pair
    if pair.supply == "one pump" and abs(pair.cavity_pa - pair.flange_pa) > SAME_LEVEL_PA:
        flange, cavity = brief_each((pair.flange_pa, pair.cavity_pa), "pressure", assessment.units)
        yield Finding(f"One pump is to give the flange {flange} and the cavity {cavity}.")
