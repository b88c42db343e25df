"""A fill that follows the moving hand: a front in about a tenth of a second.

It is computed on few points of one level, under a film that stands still, with resin of one age and air that gets out
wherever it is. That makes its times wrong by a tenth or more. Where the full fill of the job before the move is known,
the laminate is let stand so that it holds what it did then, and the resin is given the viscosity with which that job
fills in the time that is known: coarse is then only what the move changes.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from bibulon.flow.assembly import build_network
from bibulon.flow.fill import fill, fill_on
from bibulon.flow.problem import LIVE_PACE, FlowProblem, flow_problem
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.job.edits import revised
from bibulon.job.reads import read_by
from bibulon.laminate.levels import CARRIED_SHARES
from bibulon.remembered import Newest
from bibulon.workers.report import Progress, no_progress

LEAST_FACTOR, MOST_FACTOR = 0.5, 2.0
"""The viscosity is changed by no more than this."""
MATCHED_IN = 2
"""Fills by which it is found."""


@dataclass(frozen=True)
class Known:
    """A job and the time in which its full fill ended."""

    job: Job
    fill_time_s: float
    swollen_m3: float
    """What the laminate holds more at its end than under full vacuum."""


@dataclass(frozen=True)
class _Match:
    """What the live fill of a job is given so that it is like its full one: what the viscosity is multiplied by, and
    the share of the film's pressure under which the laminate stands still."""

    viscosity: float
    swollen_by: float


_known = Newest[str, Known]("bibulon.flow.live full fills", 1)
_matches = Newest[tuple[object, ...], _Match]("bibulon.flow.live", 2)


def match_to(job: Job, full: FillResult) -> None:
    """Live fills of this job, however it is changed, are matched to its *full* fill from now on."""
    if full.fill_time_s is not None:
        _known.put(job.id, Known(job, full.fill_time_s, full.swollen_m3))


def live_fill(job: Job, nodes: int, progress: Progress = no_progress) -> FillResult:
    """The fill of *job* on about so many *nodes*. Raises as :func:`~bibulon.flow.fill.fill` does."""
    problem, known = _problem(job, nodes), _known.get(job.id)
    if known is None:
        return fill(problem, progress)
    before = (*read_by(known.job, "fill"), known.fill_time_s, nodes)
    return fill(_matched(problem, _matches.get_or_put(before, lambda: _match(known, nodes))), progress)


def _problem(job: Job, nodes: int) -> FlowProblem:
    simple = job.model_copy(update={"flow": revised(job.flow, trapped_air=False, by_batch=False)})
    return flow_problem(simple, nodes, levels=1, pace=LIVE_PACE)


def _matched(problem: FlowProblem, match: _Match) -> FlowProblem:
    resin = replace(problem.resin, viscosity_pa_s=problem.resin.viscosity_pa_s * match.viscosity)
    return replace(problem, resin=resin, pace=replace(problem.pace, swollen_by=match.swollen_by))


def _match(known: Known, nodes: int) -> _Match:
    """The laminate stands so that at the end it holds what is known. The viscosity is that with which the live fill
    ends when the full one does: the fluidity time to the end is nearly the same for any viscosity of fresh resin, in
    units of its reciprocal."""
    problem = _problem(known.job, nodes)
    network = build_network(problem)
    held_m3 = network.swelling_m3.sum(axis=0)
    swollen_by = float(np.interp(known.swollen_m3, held_m3, CARRIED_SHARES)) if problem.film_pa > 0 else 0.0
    match = _Match(1.0, swollen_by)
    for _ in range(MATCHED_IN):
        still = _matched(problem, match)
        coarse_s = fill_on(network, still).fill_time_s
        if coarse_s is None:
            break
        factor = match.viscosity * still.resin.fluidity_time(known.fill_time_s) / still.resin.fluidity_time(coarse_s)
        match = _Match(min(max(factor, LEAST_FACTOR), MOST_FACTOR), swollen_by)
    return match
