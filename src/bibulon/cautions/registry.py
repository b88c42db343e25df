"""The registry of cautions."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from datetime import date
from typing import Literal

from bibulon.assess import Assessment
from bibulon.cautions.places import on_part
from bibulon.job import EVERY_PROCESS, Job, Process
from bibulon.job.base import Point, StationId
from bibulon.quantities import Units, in_words
from bibulon.remembered import Newest
from bibulon.workers.report import Progress, no_progress

Rank = Literal["note", "caution", "stop"]
RANKS: tuple[Rank, ...] = ("stop", "caution", "note")
_log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Finding:
    """What a rule found: a message with the figures, and where on the plan."""

    message: str
    place: Point | None = None
    subject: str = ""
    rank: Rank | None = None
    remedy: str = ""
    station: StationId | None = None
    """These only where they differ from the rule's own."""
    beside_part: bool = False
    """Whether the place is meant where it is, also off the part."""


Rule = Callable[[Assessment], Iterator[Finding]]


@dataclass(frozen=True)
class Fix:
    """What puts a mistake right at one touch: its words, and the job with it put right."""

    text: str
    apply: Callable[[Job], Job]
    helps: Callable[[Job], bool] = lambda job: True
    """Whether it would change anything about the job at hand."""


@dataclass(frozen=True)
class InMould:
    """What differs in the words of a rule where the mould is shut all round, and there is no bag; "" where nothing."""

    why: str = ""
    remedy: str = ""
    station: StationId | None = None
    """Where it is mended in a mould, if not where it is under film."""


@dataclass(frozen=True)
class Registered:
    """A rule with its text."""

    id: str
    rank: Rank
    station: StationId
    why: str
    remedy: str
    rule: Rule
    fix: Fix | None
    of_plan: bool
    processes: frozenset[Process]
    in_mould: InMould | None

    def words(self, job: Job) -> tuple[str, str]:
        """Why it matters to *job*, and what to do."""
        if job.in_mould and self.in_mould is not None:
            return self.in_mould.why or self.why, self.in_mould.remedy or self.remedy
        return self.why, self.remedy

    def station_for(self, job: Job) -> StationId:
        """Where *job* is mended."""
        return (job.in_mould and self.in_mould is not None and self.in_mould.station) or self.station


@dataclass(frozen=True)
class Caution:
    """One caution about a job, ready to be shown."""

    id: str
    rank: Rank
    station: StationId
    message: str
    why: str
    remedy: str
    place: Point | None
    subject: str
    fix: Fix | None = None


REGISTRY: list[Registered] = []


def caution(
    id: str,
    rank: Rank,
    station: StationId,
    *,
    why: str,
    remedy: str,
    fix: Fix | None = None,
    of_plan: bool = False,
    processes: frozenset[Process] = EVERY_PROCESS,
    in_mould: InMould | None = None,
) -> Callable[[Rule], Rule]:
    """Register the decorated rule, for jobs made by these *processes*; one that is *of_plan* reads nothing of the fill,
    and is asked once for a job."""

    def register(rule: Rule) -> Rule:
        if any(other.id == id for other in REGISTRY):
            raise ValueError(f"two cautions are called {id}")
        REGISTRY.append(Registered(id, rank, station, why, remedy, rule, fix, of_plan, processes, in_mould))
        return rule

    return register


PlanFindings = dict[str, tuple[Finding, ...]]
_found = Newest[tuple[Job, Units, date], PlanFindings]("bibulon.cautions.registry", 8)


def findings_of_plan(assessment: Assessment, progress: Progress = no_progress) -> PlanFindings:
    """What the rules that read no fill find, by their names; kept for the jobs asked about last.

    *progress* is called with the share done.
    """
    known = _found.get((assessment.job, assessment.units, assessment.on))
    if known is not None:
        return known
    findings: PlanFindings = {}
    rules = [entry for entry in REGISTRY if entry.of_plan]
    for at, entry in enumerate(rules):
        findings[entry.id] = _asked(entry, assessment) if assessment.job.process in entry.processes else ()
        progress((at + 1) / len(rules))
    remember_findings(assessment, findings)
    return findings


def _asked(entry: Registered, assessment: Assessment) -> tuple[Finding, ...]:
    """What a rule finds. Where it fails by an error of the program, that is what it says: one check that cannot be made
    takes away neither the job nor the other checks."""
    try:
        return tuple(entry.rule(assessment))
    except MemoryError:
        raise
    except Exception as error:
        _log.exception("the check %s could not be made", entry.id)
        words = f"The check “{entry.id}” could not be made, by an error of the program ({type(error).__name__})."
        return (Finding(words, rank="caution", remedy="Look for yourself whether this arises, and report the error."),)


def _fix_for(entry: Registered, assessment: Assessment) -> Fix | None:
    """The fix of a rule, where it helps the job at hand."""
    try:
        if entry.fix is None or not entry.fix.helps(assessment.job):
            return None
    except MemoryError:
        raise
    except Exception:
        _log.exception("the fix of %s could not be tried", entry.id)
        return None
    return replace(entry.fix, text=in_words(entry.fix.text, assessment.units))


def remember_findings(assessment: Assessment, findings: PlanFindings) -> None:
    """Keep *findings*, worked out here or elsewhere, of the plan of *assessment*."""
    _found.put((assessment.job, assessment.units, assessment.on), findings)


def cautions_of(assessment: Assessment) -> tuple[Caution, ...]:
    """All cautions of a job, the gravest first."""
    of_plan, units = findings_of_plan(assessment), assessment.units
    cautions = [
        Caution(
            entry.id,
            finding.rank or entry.rank,
            finding.station or entry.station_for(assessment.job),
            finding.message,
            in_words(entry.words(assessment.job)[0], units),
            in_words(finding.remedy or entry.words(assessment.job)[1], units),
            finding.place if finding.beside_part else on_part(assessment.job, finding.place),
            finding.subject,
            _fix_for(entry, assessment),
        )
        for entry in REGISTRY
        if assessment.job.process in entry.processes
        for finding in (of_plan[entry.id] if entry.of_plan else _asked(entry, assessment))
    ]
    return tuple(sorted(cautions, key=lambda caution: RANKS.index(caution.rank)))
