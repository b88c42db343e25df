"""What is put into the plumbing of a job as a whole: a manifold, a bypass."""

from __future__ import annotations

from bibulon.job import Job
from bibulon.job.edits import changed, new_id, with_plumbing
from bibulon.job.lines import Manifold
from bibulon.job.plumbing import Bypass


def with_manifold(job: Job) -> Job:
    """*job* with one manifold more, of the hose of its first feed. Raises IndexError without feeds."""
    taken = {manifold.label for manifold in job.manifolds}
    label = next(f"M{number}" for number in range(1, 1000) if f"M{number}" not in taken)
    hose = job.feeds[0].hose
    return changed(job, manifolds=(*job.manifolds, Manifold(id=new_id("manifold"), label=label, tube=hose, hose=hose)))


def with_bypass(job: Job) -> Job:
    """*job* with a bypass of the hose of its first feed, from the bucket to the first pot. Raises IndexError without
    feeds."""
    return with_plumbing(job, bypass=Bypass(hose=job.feeds[0].hose))
