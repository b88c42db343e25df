"""Long tasks on a job: its assessment, its cut list, the study of its spread, and layouts proposed for it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from bibulon.assess import assess
from bibulon.bag.film import BagPlan
from bibulon.cautions import findings_of_plan
from bibulon.cautions.registry import PlanFindings
from bibulon.cure.answers import Remedy, TooHot, remedies
from bibulon.cure.study import CureStudy, WetPart, cure_study
from bibulon.desk.work.helper_process import in_helper_process
from bibulon.flow.raster import Canvas, Grid
from bibulon.flow.refusal import FlowRefusal
from bibulon.job import Job
from bibulon.job.layup import Offcut
from bibulon.job.resin_card import ResinCard
from bibulon.laminate.cells import Laminate
from bibulon.laminate.cut_list import CutList, cut_list, left_over
from bibulon.laminate.joints import Ply
from bibulon.laminate.laid_across import LaidAcross, laid_across
from bibulon.planning.schedule_help import Draw, Help, draw_of_fresh, what_would_work
from bibulon.quantities import Units
from bibulon.resin.cure import LastMixed
from bibulon.workers.report import Report, within

if TYPE_CHECKING:
    from bibulon.flow.ensemble import Ensemble
    from bibulon.flow.traced_air import AirSource, TracedAir
    from bibulon.planning.proposal import Proposal

LONGEST_OF_AIR = 500
"""Cells of a picture of air along its longer side."""


@dataclass(frozen=True)
class PlanResults:
    """What follows from a job before it is filled."""

    laminate: Laminate
    plies: tuple[Ply, ...]
    bag: BagPlan
    of_plan: PlanFindings


def plan_results(report: Report, job: Job, units: Units) -> PlanResults:
    """Work out what follows from *job* before it is filled."""
    assessed = assess(job, units)
    laminate = assessed.laminate
    report.progress(0.3)
    plies = assessed.plies
    report.progress(0.6)
    bag = assessed.bag
    cautions = findings_of_plan(assessed, within(report.progress, (0.65, 1.0)))
    return PlanResults(laminate, plies, bag, cautions)


def cutting(report: Report, job: Job, prefix: str) -> tuple[CutList, tuple[Offcut, ...], tuple[LaidAcross, ...]]:
    """The cut list of *job*, the offcuts worth keeping, their labels beginning with *prefix*, and what would take less
    of its roll laid across."""
    cuts = cut_list(job, within(report.progress, (0.0, 0.5)))
    return cuts, left_over(cuts, prefix), laid_across(job, cuts)


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class StudyAnswer:
    """A study and the picture of its chance of staying dry."""

    ensemble: Ensemble
    picture: Grid


def study_answer(report: Report, job: Job, samples: int | None = None) -> StudyAnswer:
    """Study the spread of *job*, in the pool of worker processes."""
    from bibulon.flow.ensemble import SAMPLES, study  # loads the statistics and the process pool only when asked for

    ensemble = study(job, samples or SAMPLES, progress=report.progress)
    return StudyAnswer(ensemble, Canvas(ensemble.mesh).draw(ensemble.dry_chance))


def proposed_layout(report: Report, job: Job) -> Proposal:
    """Propose a layout for *job*, in the pool of worker processes; its results on the way are the best so far."""
    from bibulon.planning.proposal import propose

    return propose(job, report.progress, found=report.result)


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class CureQuestion:
    """The cure of a job that is asked for: what its fill leaves, and when its last resin is mixed."""

    job: Job
    wet: WetPart
    last_mixed: LastMixed


def cure_answer(report: Report, question: CureQuestion) -> CureStudy:
    """Follow the cure that is asked for, in the helper process."""
    return in_helper_process(_cure, report, question.job, question.wet, question.last_mixed)


def _cure(report: Report, job: Job, wet: WetPart, last: LastMixed) -> CureStudy:
    return cure_study(job, wet, last, report.progress)


HelpWanted = tuple[Draw | Job, tuple[ResinCard, ...], Units]
"""A draw whose schedule does not hold, or a job that has none; other hardeners; and in which units to answer."""


def schedule_help(report: Report, wanted: HelpWanted) -> tuple[Help, ...] | FlowRefusal:
    """What would make a schedule hold, in the helper process; or why the job is not filled by resin just mixed."""
    return in_helper_process(_schedule_help, report, *wanted)


def _schedule_help(
    _: Report, of: Draw | Job, hardeners: tuple[ResinCard, ...], units: Units
) -> tuple[Help, ...] | FlowRefusal:
    draw = of if isinstance(of, Draw) else draw_of_fresh(of)
    return draw if isinstance(draw, FlowRefusal) else what_would_work(draw, hardeners, units)


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class HeatQuestion:
    """What of a job gets too hot, from when its cure is followed, and the hardeners to try."""

    job: Job
    start_s: float
    hot: tuple[TooHot, ...]
    hardeners: tuple[ResinCard, ...]
    units: Units


def heat_remedies(report: Report, question: HeatQuestion) -> tuple[tuple[Remedy, ...], ...]:
    """What helps against each thing that gets too hot, in the helper process."""
    return in_helper_process(_heat_remedies, report, question)


def _heat_remedies(report: Report, question: HeatQuestion) -> tuple[tuple[Remedy, ...], ...]:
    made: list[tuple[Remedy, ...]] = []
    for at, hot in enumerate(question.hot):
        report.progress(at / len(question.hot))
        made.append(remedies(question.job, question.start_s, hot, question.hardeners, question.units))
    return tuple(made)


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class AirAnswer:
    """Where the air of each source goes, by the *names* of the sources, with what draws it; *asked* is passed back."""

    canvas: Canvas
    air: tuple[TracedAir, ...]
    names: tuple[str, ...]
    asked: object


def air_answer(
    report: Report, job: Job, sources: tuple[AirSource, ...], names: tuple[str, ...], asked: object
) -> AirAnswer:
    """Follow the air of *sources* through the fill of *job*, in the helper process."""
    canvas, air = in_helper_process(_air, report, job, sources)
    return AirAnswer(canvas, air, names, asked)


def _air(report: Report, job: Job, sources: tuple[AirSource, ...]) -> tuple[Canvas, tuple[TracedAir, ...]]:
    from bibulon.planning.air_in_part import air_traced

    mesh, air = air_traced(job, sources, report.progress)
    return Canvas(mesh, LONGEST_OF_AIR), air
