"""What a bucket holds at a depth, what its dip tube leaves in it, and the room to pour the next batch."""

from __future__ import annotations

import math

from bibulon.job import Job

LEAST_OPENING_M, USUAL_OPENING_M = 0.003, 0.015
"""Heights of a notch or cut."""
FREEBOARD = 0.1
"""So much of a bucket stays empty when a batch is poured."""


def heel_kg(job: Job) -> float | None:
    """Resin below the opening of *job*'s dip tube; None where the bucket's shape is not known."""
    shape = job.plumbing.bucket
    if not shape.known:
        return None
    return shape.volume_m3(job.plumbing.dip.draws_air_at_m) * job.resin.density_kg_m3


def room_kg(job: Job) -> float | None:
    """Resin that can be poured on the heel that is planned; None where the bucket's shape is not known."""
    shape = job.plumbing.bucket
    if not shape.known:
        return None
    full = shape.volume_m3(shape.height_m) * (1 - FREEBOARD) * job.resin.density_kg_m3
    return max(full - job.bucket.heel_kg, 0.0)


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
