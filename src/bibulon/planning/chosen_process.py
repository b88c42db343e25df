"""A job made by another process: what both share stays, and what the other needs is begun."""

from __future__ import annotations

from bibulon.job import CLOSED, Job, Process
from bibulon.job.edits import changed
from bibulon.mould.cavity_height import with_proposed_height


def with_process(job: Job, process: Process) -> Job:
    """*job* made by *process*. A closed mould that has no cavity yet gets the height that
    its stack asks for. Nothing is lost: what only the process before uses is kept with the job."""
    made = changed(job, process=process)
    return with_proposed_height(made) if process in CLOSED and job.pair.cavity_m is None else made
