"""Jobs so large that what follows from them is worked out beside the interface."""

from __future__ import annotations

from bibulon.assess import assess
from bibulon.bag.film import bag_plan_of
from bibulon.cautions import remember_findings
from bibulon.desk.work.helper_process import in_helper_process
from bibulon.desk.work.job_tasks import plan_results
from bibulon.job import Job
from bibulon.laminate.cells import laminate_of
from bibulon.laminate.joints import plies_of
from bibulon.quantities import Units
from bibulon.workers.report import Report

LARGE_WORK = 2000
"""Jobs with more plies times regions, or points of outline or relief, than this are assessed beside the interface."""


def is_large(job: Job) -> bool:
    """Whether what follows from *job* takes so long that the hand would feel it."""
    times = {group.name: group.times for group in job.groups}
    plies = sum(times.get(layer.group or "", 1) for layer in job.layup)
    return plies * (len(job.regions) + 1) + len(job.part.outline) + len(job.part.relief) > LARGE_WORK


def work_out(report: Report, job: Job, units: Units) -> None:
    """Have what follows from *job* ready, worked out in another process: kept for whoever asks for it next."""
    results = in_helper_process(plan_results, report, job, units)
    laminate_of.put(job, results.laminate)
    plies_of.put(job, results.plies)
    bag_plan_of.put(job, results.bag)
    remember_findings(assess(job, units), results.of_plan)
