"""The task of the fill's worker: a coarse fill, the full fill after it, what holds it back, and their pictures."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from bibulon.arrays import Floats
from bibulon.fineness import FULL_LEVELS
from bibulon.flow.causes import Cause
from bibulon.flow.raster import Canvas, Grid
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.job.reads import read_by
from bibulon.remembered import Newest
from bibulon.workers.report import Report

ANSWERS_KEPT = 6
"""Each takes some 20 MB."""
LIVE_SHARE = 0.6
"""Of the points of a coarse fill, for the front under a moving hand."""
FINE_PICTURE, COARSE_PICTURE, LIVE_PICTURE = 900, 300, 180


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Face:
    """The front as seen from one side: arrival times at the mesh's points, their picture and their contours."""

    times_s: Floats
    grid: Grid
    contours: tuple[tuple[float, Floats], ...]


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class FillAnswer:
    """A fill with the pictures of it: resin ``through`` to the last level, ``seen`` under the film, and a ``canvas``
    for whatever else is to be seen of it."""

    result: FillResult
    through: Face
    seen: Face
    canvas: Canvas
    final: bool = True
    causes: tuple[Cause, ...] = ()
    """What holds the fill back; looked for in full fills only."""


def _with_pictures(result: FillResult, final: bool, live: bool = False) -> FillAnswer:
    from bibulon.flow.contours import contour, round_levels

    levels = round_levels(result.end_s)
    canvas = Canvas(result.mesh, LIVE_PICTURE if live else COARSE_PICTURE)
    front = Canvas(result.mesh, FINE_PICTURE) if final else canvas

    def face(times_s: Floats) -> Face:
        lines = tuple((level, contour(result.mesh, times_s, level)) for level in levels)
        return Face(times_s, front.draw(times_s), lines)

    through = face(result.arrival_s)
    alike = np.array_equal(result.arrival_s, result.seen_s, equal_nan=True)  # as where there is one level only
    return FillAnswer(result, through, through if alike else face(result.seen_s), canvas, final)


_newest_answers = Newest[tuple[object, ...], FillAnswer]("bibulon.desk.work.fill_answers", ANSWERS_KEPT)
"""The newest full answers of this process, so that a job that comes back, as by undo, has its fill at once."""


def fill_answers(report: Report, job: Job, live: bool, nodes: tuple[int, int]) -> tuple[Cause, ...]:
    """Fill *job* on about so many mesh points (coarse, full). Returns what holds the full fill back.

    Its results on the way are :class:`FillAnswer`: that of a coarse fill, and unless it is *live*, that of the full
    fill. A job that was answered lately has the same answer at once. The coarse fill is not cancelled (under a moving
    hand something has to be shown); a live one is coarser still (see :mod:`bibulon.flow.live`). Raises
    :class:`~bibulon.flow.refusal.FlowRefusal` and :class:`~bibulon.workers.report.Cancelled`.
    """
    from bibulon.flow.causes import causes_of
    from bibulon.flow.fill import fill
    from bibulon.flow.live import live_fill, match_to
    from bibulon.flow.problem import PREVIEW_PACE, flow_problem
    from bibulon.flow.scheduled import scheduled_fill

    if not live and (known := _newest_answers.get(read_by(job, "fill"))) is not None:
        report.result(known)
        return known.causes
    uncancelled = partial(report.progress, cancellable=False)
    if live:
        coarse = live_fill(job, round(LIVE_SHARE * nodes[0]), uncancelled)
        report.result(_with_pictures(coarse, final=False, live=True))
        return ()
    report.result(_with_pictures(fill(flow_problem(job, nodes[0], pace=PREVIEW_PACE), uncancelled), final=False))
    full = scheduled_fill(job, nodes[1], FULL_LEVELS, after=True, progress=report.progress)
    match_to(job, full)
    answer = _with_pictures(full, final=True)
    report.result(answer)
    causes = causes_of(job, full, report.progress)  # where a margin is missed: a second more
    _newest_answers.put(read_by(job, "fill"), replace(answer, causes=causes))
    return causes
