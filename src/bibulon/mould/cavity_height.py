"""The height that a closed mould's cavity has to be built to for the stack at hand."""

from __future__ import annotations

import math

from bibulon.job import Job
from bibulon.job.edits import with_pair
from bibulon.laminate.cells import laminate_of
from bibulon.laminate.closed_mould import height_under_m

STEP_M = 1e-4
LEAST_PULL_PA = 1000.0
CLAMP_SHARE = 0.8
"""How much of the vacuum's pull on the upper mould may go into closing on the fibre."""


def lacks_height(job: Job) -> bool:
    """Whether something lies in a closed mould where nobody has said how high its cavity is."""
    return job.closed and any(cell.stack.layers and cell.stack.cavity_m is None for cell in laminate_of(job).cells)


def too_tight_to_close(job: Job) -> bool:
    """Whether a stack does not go into its closed mould, however hard it is pressed."""
    if not job.closed:
        return False
    stacks = [cell.stack for cell in laminate_of(job).cells if cell.stack.layers]
    return any(stack.cavity_m is not None and stack.fibre_load_pa is None for stack in stacks)


def proposed_height_m(job: Job) -> float | None:
    """The height at which the largest part of the laminate is pressed as the vacuum until gel closes on it, or with
    what the vacuum of the fill can well close on if that is less; None if nothing is laid."""
    cells = [cell for cell in laminate_of(job).cells if cell.stack.fibre_kg_m2 > 0]
    if not cells:
        return None
    layers = max(cells, key=lambda cell: cell.area_m2).stack.layers
    until_gel, filling = job.shop.barometer_pa - job.pair.hold_pa, job.shop.barometer_pa - job.vacuum_pa
    height = height_under_m(layers, job.cards, max(min(until_gel, CLAMP_SHARE * filling), LEAST_PULL_PA))
    return math.ceil(height / STEP_M) * STEP_M


def with_proposed_height(job: Job) -> Job:
    """*job* with the cavity as high as its stack asks for; as it is if nothing is laid."""
    height = proposed_height_m(job)
    return job if height is None else with_pair(job, cavity_m=round(height, 5))
