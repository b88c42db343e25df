"""Cautions about the two halves of a closed mould: does the part come out right."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bibulon.assess import Assessment
from bibulon.cautions.places import in_cell
from bibulon.cautions.registry import Finding, Fix, caution
from bibulon.job import CLAMPED_BY_VACUUM, CLOSED, Job
from bibulon.job.edits import revised
from bibulon.laminate.closed_mould import fibre_load_pa
from bibulon.laminate.joints import plies_of
from bibulon.mould.cavity_height import lacks_height, proposed_height_m, with_proposed_height
from bibulon.mould.clamp import holding, off_at_gel
from bibulon.mould.fittings import (
    channel_under_seal,
    with_channel_clear,
)
from bibulon.quantities_in_words import brief, brief_each, percent, percent_each

LOOSE_PA = 2_000.0
"""Fibre that is pressed less lies loose: resin runs over it."""
DOUBLE_LOAD = 3.0
"""A lap may press so many times what the clamp pulls with before it holds the mould open."""


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
    by, allowed = percent_each(abs(worst), tolerance)
    text = f"The part comes out up to {by} {which} than the cavity was built; {allowed} is allowed."
    yield Finding(text, (float(x), float(y)), remedy=remedy)


@caution(
    "cavity-height-missing",
    "stop",
    "mould",
    why="The cavity's height decides how the fibre packs, how resin runs, what the shot weighs and what the part is.",
    remedy="Measure the mould, or build it to what the stack asks for, and type it under Cavity.",
    fix=Fix("Make it as high as the stack asks", with_proposed_height, lambda job: proposed_height_m(job) is not None),
    of_plan=True,
    processes=CLOSED,
)
def height_missing(assessment: Assessment) -> Iterator[Finding]:
    if lacks_height(assessment.job):
        height = proposed_height_m(assessment.job)
        asks = "" if height is None else f" The stack asks for {brief(height, 'thickness', assessment.units)}."
        yield Finding(f"The cavity has no height yet.{asks}")


@caution(
    "channel-under-seal",
    "stop",
    "mould",
    why="A groove under the seal lets resin into the flange and air into the cavity: neither space holds.",
    remedy="Make the channel narrower, or move the inner seal outwards.",
    fix=Fix("Make it as wide as the seal leaves room for", with_channel_clear, channel_under_seal),
    of_plan=True,
    processes=CLOSED,
)
def channel_reaches_seal(assessment: Assessment) -> Iterator[Finding]:
    pair = assessment.job.pair
    if channel_under_seal(assessment.job):
        reaches, lies = brief_each((pair.channel.width_m / 2, pair.seal_off_m), "length", assessment.units)
        if reaches != lies:
            yield Finding(f"The channel reaches {reaches} beyond the part's edge, where the inner seal lies at {lies}.")
        else:
            yield Finding(f"The channel reaches the inner seal, {lies} beyond the part's edge.")


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
            yield Finding(f"The stack {leaves}: it fills {percent(stack.fibre_fraction)} by fibre.", in_cell(cell))
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
