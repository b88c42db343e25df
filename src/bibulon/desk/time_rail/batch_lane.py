"""Batches under the hand on the time rail: when one is mixed, and how much it is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from PySide6.QtCore import QPointF

from bibulon.assess import Assessment
from bibulon.desk.time_rail.scale import Scale
from bibulon.durations import clock_time
from bibulon.job import Job
from bibulon.job.charge import PlannedBatch
from bibulon.job.edits import changed, revised
from bibulon.quantities import show
from bibulon.resin.batches import SMALLEST_BATCH_KG

BATCH_LANE = (52, 70)
"""Top and bottom: batches in the upper half, their mixing in the lower."""
GRAB_PX = 6
ROUND_S, ROUND_KG = 30.0, 0.05


@dataclass(frozen=True)
class BatchGrip:
    """What the hand has hold of: the mixing of the batch of that number (from 1), or where it is used up."""

    of: Literal["mix", "end"]
    number: int
    off_s: float = 0.0
    """How far from the beginning of its mixing it was taken."""


def batch_grip_at(assessment: Assessment, scale: Scale, position: QPointF) -> BatchGrip | None:
    """What is to be had at a place of the rail: of what is mixed already nothing is."""
    top, foot = BATCH_LANE
    if not top <= position.y() <= foot + 2:
        return None
    time_s, mixed = scale.time(position.x()), len(assessment.job.weighed)
    batches = assessment.batches[mixed:]
    if position.y() < (top + foot) / 2:
        for batch in batches[:-1]:
            if abs(scale.x(batch.used_s) - position.x()) <= GRAB_PX:
                return BatchGrip("end", batch.number)
        return None
    mix_s = assessment.job.charge.mix_time_s
    for batch in reversed(batches):
        if batch.mix_s <= time_s <= batch.mix_s + mix_s:
            return BatchGrip("mix", batch.number, time_s - batch.mix_s)
    return None


def with_batch_dragged(assessment: Assessment, grip: BatchGrip, time_s: float) -> Job:
    """The job of *assessment* with what is held brought to a time: its batches are then planned by hand, the others as
    they are. What one batch has more the next has less."""
    job, batches = assessment.job, assessment.batches
    planned = [
        PlannedBatch(
            mass_kg=batch.mass_kg,
            mix_s=job.charge.batches[at].mix_s if at < len(job.charge.batches) else None,
        )
        for at, batch in enumerate(batches)
    ]
    at = grip.number - 1
    if grip.of == "mix":
        mix_s = round((time_s - grip.off_s) / ROUND_S) * ROUND_S
        planned[at] = revised(planned[at], mix_s=mix_s)
    else:
        times, drawn = assessment.drawn_curve
        used_kg = float(np.interp(time_s, times, drawn)) + job.bucket.heel_kg
        before_kg = sum(batch.mass_kg for batch in batches[:at])
        both_kg = batches[at].mass_kg + batches[at + 1].mass_kg
        mass_kg = round((used_kg - before_kg) / ROUND_KG) * ROUND_KG
        mass_kg = min(max(mass_kg, SMALLEST_BATCH_KG), both_kg - SMALLEST_BATCH_KG)
        if mass_kg <= 0:
            return job
        planned[at] = revised(planned[at], mass_kg=mass_kg)
        planned[at + 1] = revised(planned[at + 1], mass_kg=both_kg - mass_kg)
    return changed(job, charge=revised(job.charge, batches=tuple(planned)))


def batch_words(assessment: Assessment, grip: BatchGrip) -> str:
    """What becomes of the batch that is held, in words."""
    batch = next((one for one in assessment.batches if one.number == grip.number), None)
    if batch is None:
        return ""
    start = assessment.job.shot_start_s
    words = [
        f"B{batch.number}: {show(batch.mass_kg, 'mass', assessment.units)}",
        f"mixed from {clock_time(start + batch.mix_s)}",
        f"poured {clock_time(start + batch.pour_s)}",
        f"used up {clock_time(start + batch.used_s)}",
    ]
    if batch.comes_late:
        words.append(f"{show(batch.late_s, 'duration')} too late")
    if not batch.in_time:
        words.append(f"gels first: good until {clock_time(start + batch.usable_until_s)}")
    return "  ·  ".join(words)
