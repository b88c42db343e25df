"""What a bucket holds at a depth, and what its dip tube leaves in it."""

from __future__ import annotations

import math

import numpy as np

from bibulon.arrays import Floats
from bibulon.job import Job

LEAST_OPENING_M, USUAL_OPENING_M = 0.003, 0.015
"""Heights of a notch or cut."""


def heel_kg(job: Job) -> float | None:
    """Resin below the opening of *job*'s dip tube; None where the bucket's shape is not known."""
    shape = job.plumbing.bucket
    if not shape.known:
        return None
    return shape.volume_m3(job.plumbing.dip.draws_air_at_m) * job.resin.density_kg_m3


def mass_kg(job: Job, depth_m: float) -> float | None:
    """Resin in the bucket that stands *depth_m* deep; None where its shape is not known."""
    shape = job.plumbing.bucket
    return None if not shape.known else shape.volume_m3(depth_m) * job.resin.density_kg_m3


def opening_for_heel_m(job: Job) -> float:
    """How high a dip tube may be notched for no more to stay than the heel that is planned; a usual height where the
    bucket's shape is not known."""
    shape = job.plumbing.bucket
    if not shape.known:
        return USUAL_OPENING_M
    depth_m = shape.depth_m(job.bucket.heel_kg / job.resin.density_kg_m3)
    return min(max(math.floor(depth_m * 1000) / 1000, LEAST_OPENING_M), USUAL_OPENING_M)


def runs_dry_at_s(job: Job, times_s: Floats, drawn_kg: Floats, clock_s: float, mass_kg: float) -> float | None:
    """When a bucket with *mass_kg* at *clock_s* is down to its heel, by the planned draw (k,) at *times_s*; None if it
    lasts until the end of that."""
    if len(times_s) < 2:
        return None
    at_heel = float(np.interp(clock_s, times_s, drawn_kg)) + max(mass_kg - job.bucket.heel_kg, 0.0)
    if at_heel >= float(drawn_kg[-1]):
        return None
    later = drawn_kg > at_heel
    after = int(np.argmax(later))
    if after == 0:
        return float(clock_s)
    share = (at_heel - drawn_kg[after - 1]) / (drawn_kg[after] - drawn_kg[after - 1])
    return max(float(times_s[after - 1] + share * (times_s[after] - times_s[after - 1])), clock_s)
