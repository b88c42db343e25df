"""What the space under vacuum and the sides of the stack are called on screen and paper, by the process of a job."""

from __future__ import annotations

from bibulon.job import WITH_BLADDER, Job


def space_word(job: Job) -> str:
    """What is emptied of air: the bag, or the cavity of a mould that is shut all round."""
    return "cavity" if job.in_mould else "bag"


def presses_word(job: Job) -> str:
    """What lies over the stack."""
    if job.process in WITH_BLADDER:
        return "bladder"
    return "upper half" if job.in_mould else "film"


def far_side_word(job: Job) -> str:
    """The side of the stack that does not lie on the tool."""
    if job.process in WITH_BLADDER:
        return "bladder side"
    return "upper side" if job.in_mould else "bag side"


def feed_word(job: Job) -> str:
    """What lets resin in."""
    return "inlet" if job.in_mould else "feed"
