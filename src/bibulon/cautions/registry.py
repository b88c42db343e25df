"""The registry of cautions."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Literal

from bibulon.assess import Assessment
from bibulon.job import Job
from bibulon.job.base import Point

Rank = Literal["note", "caution", "stop"]
RANKS: tuple[Rank, ...] = ("stop", "caution", "note")


@dataclass(frozen=True)
class Finding:
    """What a rule found: a message with the figures, and where on the plan."""

    message: str
    place: Point | None = None
    subject: str = ""
    rank: Rank | None = None
    """Only where it differs from the rule's own."""


Rule = Callable[[Assessment], Iterator[Finding]]


@dataclass(frozen=True)
class Mend:
    """What puts a mistake right at one touch: its words, and the job with it put right."""

    text: str
    apply: Callable[[Job], Job]


@dataclass(frozen=True)
class Registered:
    """A rule with its text."""

    id: str
    rank: Rank
    station: str
    why: str
    remedy: str
    rule: Rule
    mend: Mend | None


@dataclass(frozen=True)
class Caution:
    """One caution about a job, ready to be shown."""

    id: str
    rank: Rank
    station: str
    message: str
    why: str
    remedy: str
    place: Point | None
    subject: str
    mend: Mend | None = None


REGISTRY: list[Registered] = []


def caution(
    id: str, rank: Rank, station: str, *, why: str, remedy: str, mend: Mend | None = None
) -> Callable[[Rule], Rule]:
    """Register the decorated rule."""

    def register(rule: Rule) -> Rule:
        if any(other.id == id for other in REGISTRY):
            raise ValueError(f"two cautions are called {id}")
        REGISTRY.append(Registered(id, rank, station, why, remedy, rule, mend))
        return rule

    return register


def cautions_of(assessment: Assessment) -> tuple[Caution, ...]:
    """All cautions of a job, the gravest first."""
    found = [
        Caution(
            entry.id,
            finding.rank or entry.rank,
            entry.station,
            finding.message,
            entry.why,
            entry.remedy,
            finding.place,
            finding.subject,
            entry.mend,
        )
        for entry in REGISTRY
        for finding in entry.rule(assessment)
    ]
    return tuple(sorted(found, key=lambda one: RANKS.index(one.rank)))
