"""The fill with the batches as they are mixed: their masses follow from the draw, and the draw from how they age."""

from __future__ import annotations

import math
from dataclasses import replace

from bibulon.flow.assembly import build_network
from bibulon.flow.fed_resin import FedResin
from bibulon.flow.fill import fill_on
from bibulon.flow.problem import FULL_PACE, PREVIEW_PACE, Pace, fed_resin, flow_problem, with_fed
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.resin.batches import Batch, batches_of, planned_for
from bibulon.resin.charge import charge_of
from bibulon.resin.mixing import mixed_temperature_k, room_kg
from bibulon.workers.report import Progress, no_progress, within

ROUGH_SHARE, FIRST_SHARE = 0.1, 0.7
"""Of the work, as its progress tells it: done after the coarse fill, and after the first round."""
MOST_ROUNDS = 3
SAME_SHARE = 1e-6
SAME_AGE_SHARE = 0.02
"""Ages that differ by less than this share of what resin flows for are the same."""


def scheduled_fill(
    job: Job,
    nodes: int = 2000,
    levels: int = 2,
    after: bool = False,
    pace: Pace = FULL_PACE,
    progress: Progress = no_progress,
) -> FillResult:
    """The fill of *job* in which resin ages in the batches that :func:`batches_in` plans by it.

    It begins with the batches that a coarse fill asks for. Where its own draw asks for others the fill is computed
    again with those, at most :data:`MOST_ROUNDS` times. Raises as :func:`~bibulon.flow.problem.flow_problem` and
    :func:`~bibulon.flow.fill.fill`.
    """
    problem = flow_problem(job, nodes, levels, after, pace)
    network = build_network(problem)
    if problem.fed is not None and pace == FULL_PACE:
        coarse = replace(problem, pace=PREVIEW_PACE, after=False)
        rough = fill_on(network, coarse, within(progress, (0.0, ROUGH_SHARE)))
        if planned := batches_in(job, rough):
            problem = with_fed(job, problem, fed_resin(job, planned_for(job, planned)))
    result = fill_on(network, problem, within(progress, (ROUGH_SHARE, FIRST_SHARE)))
    for number in range(MOST_ROUNDS - 1):
        planned = batches_in(job, result)
        if problem.fed is None or not planned:
            break
        fed = fed_resin(job, planned_for(job, planned))
        if _agree(result, problem.fed, fed):
            break
        problem = with_fed(job, problem, fed)
        result = fill_on(network, problem, within(progress, (FIRST_SHARE, 1.0), number, MOST_ROUNDS - 1))
    return result


def _agree(fill: FillResult, filled: FedResin, planned: FedResin) -> bool:
    """Whether each batch of the plan is poured when the fill poured it, and as old."""
    drawn = float(fill.drawn_m3[-1].sum())
    for number, batch in enumerate(planned.batches, 1):
        pour, was = planned.used_up_m3(number), filled.used_up_m3(number)
        if min(pour, was) < drawn and abs(pour - was) > SAME_SHARE * max(pour, SAME_SHARE):
            return False
        begun = planned.used_up_m3(number - 1) if number > 1 else 0.0
        age = filled.batches[min(number, len(filled.batches)) - 1].poured_at_s
        if begun < drawn and abs(batch.poured_at_s - age) > SAME_AGE_SHARE * fill.problem.resin.stops_s:
            return False
    return True


def batches_in(job: Job, fill: FillResult) -> tuple[Batch, ...]:
    """The batches of *job* by the draw of its *fill*: those by which resin aged in it where they will do;
    none where a machine mixes it as it comes."""
    if job.mixed_as_it_comes:
        return ()
    density = job.resin.density_kg_m3 * job.parts_together
    return batches_of(
        job.charge,
        job.resin,
        mixed_temperature_k(job),
        charge_of(job, taken=fill.taken).total_kg,
        fill.times_s,
        fill.drawn_m3.sum(axis=1) * density,
        job.bucket.heel_kg,
        tuple(batch.volume_m3 * density for batch in fill.problem.fed.batches) if fill.problem.fed else (),
        job.shop.temperature_k,
        room if (room := room_kg(job)) is not None else math.inf,
        job.weighed,
        {wait.batch: wait.since_s for wait in fill.waits},
    )
