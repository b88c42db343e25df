"""A job made by another process: what both share stays, and what the other needs is begun."""

from __future__ import annotations

from bibulon.job import CLOSED, Job, Process
from bibulon.job.edits import changed, revised
from bibulon.laminate.cells import laminate_of

ROUND_M = 1e-4


def with_process(job: Job, process: Process) -> Job:
    """*job* made by *process*. A closed mould that has no cavity yet gets one that closes on the stack as its vacuum,
    until gel, presses it. Nothing is lost: what only the process before uses is kept with the job."""
    made = changed(job, process=process)
    if process not in CLOSED or job.pair.cavity_m is not None or not job.layup:
        return made
    held = changed(made, pair=revised(job.pair, cavity_pa=min(job.pair.hold_pa, job.shop.barometer_pa - 1000.0)))
    thickest = max(cell.stack.thickness_m for cell in laminate_of(held).cells)
    cavity = max(round(thickest / ROUND_M) * ROUND_M, ROUND_M)
    return changed(made, pair=revised(job.pair, cavity_m=round(cavity, 6)))
