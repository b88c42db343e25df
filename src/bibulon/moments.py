"""What is planned, on one clock: fill, valves, batches, heating, gel, release, the end of the shift."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from bibulon.cure.schedule import legs_of
from bibulon.durations import clock_time
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.job.lines import ValveAction
from bibulon.quantities import Units, show
from bibulon.resin.batches import Batch
from bibulon.resin.cure import CurePlan

MomentKind = Literal[
    "fill",
    "valve opened",
    "valve clamped",
    "valve throttled",
    "pots full",
    "mix",
    "batch",
    "heat",
    "gel",
    "release",
    "demould",
    "shift end",
]


@dataclass(frozen=True)
class Moment:
    """Something on the time rail: from ``start_s`` to ``end_s`` on the run clock (the same for a flag)."""

    kind: MomentKind
    label: str
    start_s: float
    end_s: float
    subject: str = ""
    """Identifier of the line it belongs to, if any."""


VALVE_MOMENTS: dict[ValveAction, MomentKind] = {
    "opened": "valve opened",
    "clamped": "valve clamped",
    "throttled": "valve throttled",
}


def planned_moments(
    job: Job,
    fill: FillResult | None,
    batches: Sequence[Batch],
    cure: CurePlan,
    pots_full_s: float | None,
    units: Units,
) -> tuple[Moment, ...]:
    """Everything planned of *job*, as far as its *fill* is known."""
    moments: list[Moment] = []
    if fill is not None:
        labels = {line.id: line.label for line in job.lines}
        moments.append(Moment("fill", "Fill", 0.0, fill.end_s))
        for event in fill.events:
            label = labels.get(event.line, event.line)
            moments.append(Moment(VALVE_MOMENTS[event.action], label, event.time_s, event.time_s, event.line))
        if pots_full_s is not None:
            moments.append(Moment("pots full", "Pots full", pots_full_s, pots_full_s))
    for batch in batches:
        mixed_s = min(batch.mix_s + job.charge.mix_time_s, batch.pour_s)
        moments.append(Moment("mix", f"B{batch.number}", batch.mix_s, mixed_s))
        moments.append(Moment("batch", f"B{batch.number}", batch.pour_s, batch.used_s))
    for leg in legs_of(job, fill.end_s if fill is not None else 0.0):
        what = "oven" if leg.heats == "oven" else "mould"
        moments.append(Moment("heat", f"{what} {show(leg.end_k, 'temperature', units)}", leg.begin_s, leg.end_s))
    if (demould := cure.demould_s) is not None and math.isfinite(demould):
        moments.append(Moment("demould", "Demould", demould, demould))
    moments.append(Moment("gel", "Gel", cure.gel_s, cure.gel_s))
    moments.append(Moment("release", "Vacuum may go", cure.release_s, cure.release_s))
    end = clock_time(job.shop.shift_end_s)
    moments.append(Moment("shift end", f"Shift ends {end}", cure.shift_end_s, cure.shift_end_s))
    return tuple(moments)
