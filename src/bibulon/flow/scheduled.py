"""The fill with the batches as they are mixed: their masses follow from the draw, and the draw from how they age."""

from __future__ import annotations

from dataclasses import replace

from bibulon.flow.assembly import build_network
from bibulon.flow.fill import fill_on
from bibulon.flow.problem import FULL_PACE, Pace, flow_problem
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.resin.batches import Batch, batches_of
from bibulon.resin.charge import charge_of
from bibulon.workers.report import Progress, no_progress

MOST_ROUNDS = 3
SAME_SHARE = 1e-6


def scheduled_fill(
    job: Job,
    nodes: int = 2000,
    levels: int = 2,
    after: bool = False,
    pace: Pace = FULL_PACE,
    progress: Progress = no_progress,
) -> FillResult:
    """The fill of *job* in which resin ages in the batches that :func:`batches_in` plans by it.

    It begins with the fewest batches all alike. Where pot life asks for smaller ones the fill is computed again with
    those, at most :data:`MOST_ROUNDS` times. Raises as :func:`~bibulon.flow.problem.flow_problem` and
    :func:`~bibulon.flow.fill.fill`.
    """
    problem = flow_problem(job, nodes, levels, after, pace)
    network = build_network(problem)
    result = fill_on(network, problem, progress)
    for _ in range(MOST_ROUNDS - 1):
        each_kg_m3 = job.resin.density_kg_m3 * job.parts_together
        planned = tuple(batch.mass_kg / each_kg_m3 for batch in batches_in(job, result))
        if not problem.batches_m3 or not planned or _agree(result, planned):
            break
        problem = replace(problem, batches_m3=planned)
        result = fill_on(network, problem, progress)
    return result


def _agree(fill: FillResult, planned_m3: tuple[float, ...]) -> bool:
    """Whether each batch of the plan is poured when the fill poured it."""
    pours = [sum(planned_m3[:number]) - fill.problem.heel_m3 for number in range(1, len(planned_m3) + 1)]
    drawn = float(fill.drawn_m3[-1].sum())
    return all(
        min(abs(pour - fill.problem.used_up_m3(number)) / max(pour, SAME_SHARE), 1.0) < SAME_SHARE
        or min(pour, fill.problem.used_up_m3(number)) >= drawn
        for number, pour in enumerate(pours, 1)
    )


def batches_in(job: Job, fill: FillResult) -> tuple[Batch, ...]:
    """The batches of *job* by the draw of its *fill*: those by which resin aged in it where they will do."""
    density = job.resin.density_kg_m3 * job.parts_together
    return batches_of(
        job.charge,
        job.resin,
        job.shop.temperature_k,
        charge_of(job, swollen_m3=fill.swollen_m3).total_kg,
        fill.times_s,
        fill.drawn_m3.sum(axis=1) * density,
        job.bucket.heel_kg,
        tuple(volume * density for volume in fill.problem.batches_m3),
    )
