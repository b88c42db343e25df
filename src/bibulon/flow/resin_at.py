"""Where the resin is at a moment of the shot: drawn, left in the bucket, gone to the pots."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bibulon.arrays import Floats
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.resin.batches import Batch


@dataclass(frozen=True)
class ResinAt:
    """Where the resin is at a moment: drawn in all, left in the bucket, gone to the pots (kg)."""

    drawn_kg: float
    bucket_kg: float
    pots_kg: float


def drawn_kg(job: Job, fill: FillResult) -> Floats:
    """(k,) what is drawn by each time of *fill*, for all parts of *job* that are made together."""
    return np.asarray(fill.drawn_m3.sum(axis=1) * job.parts_together * job.resin.density_kg_m3)


def in_bucket_kg(job: Job, fill: FillResult, batches: Sequence[Batch], times_s: Floats) -> Floats:
    """What is left in the bucket at each of *times_s* (k,): poured of the *batches* and not yet drawn."""
    pours = sorted((batch.pour_s, batch.mass_kg) for batch in batches)
    poured = np.concatenate([[0.0], np.cumsum([mass for _, mass in pours])])
    at = np.searchsorted(np.array([time for time, _ in pours]), times_s, side="right")
    drawn = np.interp(times_s, fill.times_s, drawn_kg(job, fill))
    left: Floats = np.maximum(poured[at] - drawn, 0.0)
    return left


def resin_at(job: Job, fill: FillResult, batches: Sequence[Batch], time_s: float) -> ResinAt:
    """Where the resin is at *time_s*. The bucket holds what was poured and not yet drawn."""
    density = job.resin.density_kg_m3 * job.parts_together
    pots = float(np.interp(time_s, fill.times_s, fill.in_pots_m3)) * density
    bucket = float(in_bucket_kg(job, fill, batches, np.array([time_s]))[0])
    return ResinAt(fill.drawn_at(time_s) * density, bucket, pots)
