"""A fill that follows the moving hand: a front in about a tenth of a second.

It is computed on few points of one level, under a film that stands still, with resin of one age and air that gets out
wherever it is. That makes its times wrong by a tenth or two. Where the full fill of the job before the move is known,
the resin is given the viscosity with which that job fills in the time that is known, so that coarse is only what the
move changes.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from bibulon.flow.fill import fill
from bibulon.flow.problem import LIVE_PACE, FlowProblem, flow_problem
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.job.edits import revised
from bibulon.job.reads import read_by
from bibulon.remembered import Newest
from bibulon.workers.report import Progress, no_progress

LEAST_FACTOR, MOST_FACTOR = 0.5, 2.0
"""The viscosity is changed by no more than this."""


@dataclass(frozen=True)
class Known:
    """A job and the time in which its full fill ended."""

    job: Job
    fill_time_s: float


_known = Newest[str, Known]("bibulon.flow.live full fills", 1)
_factors = Newest[tuple[object, ...], float]("bibulon.flow.live", 2)


def match_to(job: Job, full: FillResult) -> None:
    """Live fills of this job, however it is changed, are matched to its *full* fill from now on."""
    if full.fill_time_s is not None:
        _known.put(job.id, Known(job, full.fill_time_s))


def live_fill(job: Job, nodes: int, progress: Progress = no_progress) -> FillResult:
    """The fill of *job* on about so many *nodes*. Raises as :func:`~bibulon.flow.fill.fill` does."""
    problem, known = _problem(job, nodes), _known.get(job.id)
    if known is None:
        return fill(problem, progress)
    before = (*read_by(known.job, "fill"), known.fill_time_s, nodes)
    factor = _factors.get_or_put(before, lambda: _viscosity_factor(known, nodes))
    return fill(_thicker(problem, factor), progress)


def _problem(job: Job, nodes: int) -> FlowProblem:
    simple = job.model_copy(update={"flow": revised(job.flow, trapped_air=False, by_batch=False)})
    return flow_problem(simple, nodes, levels=1, pace=LIVE_PACE)


def _thicker(problem: FlowProblem, factor: float) -> FlowProblem:
    return replace(problem, resin=replace(problem.resin, viscosity_pa_s=problem.resin.viscosity_pa_s * factor))


def _viscosity_factor(known: Known, nodes: int) -> float:
    """What the viscosity is multiplied by so that the live fill of the known job ends when its full fill does: the
    fluidity time to the end is the same for any viscosity of fresh resin, in units of its reciprocal."""
    problem = _problem(known.job, nodes)
    coarse_s = fill(problem).fill_time_s
    if coarse_s is None:
        return 1.0
    factor = problem.resin.fluidity_time(known.fill_time_s) / problem.resin.fluidity_time(coarse_s)
    return min(max(factor, LEAST_FACTOR), MOST_FACTOR)
