"""The other hand of a job: everything mirrored left to right, with the joints that were placed by hand."""

from __future__ import annotations

import numpy as np

from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.edits import mirrored_job
from bibulon.laminate.joints import Ply, plies_of, with_joint_shift

TRIES = 4
"""On a curved mould the cloth is wider than the plan shows: joints come to their places in a few steps."""


def other_hand(job: Job, identifier: str) -> Job:
    """The other hand of *job* (:func:`~bibulon.job.edits.mirrored_job`), with its moved joints mirrored too."""
    other = mirrored_job(job, identifier)
    xs = [x for x, _ in job.part.outline]
    about = min(xs) + max(xs)
    plies = plies_of(job)
    for shift in job.cutting.shifts:
        ply = _ply(plies, shift.layer, shift.turn)
        if ply is None or not ply.joints:
            continue
        x, y = ply.joints[0].coords[0]
        other = _with_joint_at(other, shift.layer, shift.turn, (about - x, y))
    return other


def _ply(plies: tuple[Ply, ...], layer: str, turn: int) -> Ply | None:
    return next((ply for ply in plies if (ply.layer, ply.turn) == (layer, turn)), None)


def _with_joint_at(job: Job, layer: str, turn: int, place: Point) -> Job:
    """*job* with a joint of that ply through *place*."""
    for _ in range(TRIES):
        ply = _ply(plies_of(job), layer, turn)
        if ply is None or not ply.joints:
            return job
        angle = np.radians(ply.angle_deg)
        across = np.array([-np.sin(angle), np.cos(angle)])
        off = min((float(across @ np.subtract(place, joint.coords[0])) for joint in ply.joints), key=abs)
        job = with_joint_shift(job, ply, ply.shift_m - off)
    return job
