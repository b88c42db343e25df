"""Resin that stands mixed on the day: how old each batch is, and how long it may still be used."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from bibulon.assess import Assessment
from bibulon.job import Job
from bibulon.job.charge import Weighed, as_mixed
from bibulon.job.run import RunEvent, clamped_s
from bibulon.quantities import Units
from bibulon.quantities_in_words import brief_each


@dataclass(frozen=True)
class StandingBatch:
    """A batch that is mixed and not used up, as the log and the mixing sheets have it."""

    number: int
    age_s: float
    span_s: float
    """It has to be used up within so long of mixing."""
    lasts_s: float
    """By the plan it takes so much longer until it is used up."""

    @property
    def left_s(self) -> float:
        return self.span_s - self.age_s


def standing_batches(assessment: Assessment, now: datetime, clock_s: float | None) -> tuple[StandingBatch, ...]:
    """The batches that stand mixed *now*, at *clock_s* of the run clock; None before the first feed is opened.

    A batch counts as used up once the next one is poured, and none stands for the part once all feeds are clamped, or
    once it is full by the plan where they are to stay open.
    """
    job, fill = assessment.job, assessment.fill
    if clock_s is not None and clamped_s([feed.label for feed in job.worked_feeds], job.shot) is not None:
        return ()
    if clock_s is not None and job.flow.feeds_after != "clamped" and fill is not None and clock_s > fill.end_s:
        return ()
    poured = {event.label for event in job.shot if event.kind == "batch added"}
    mixed = mixed_if_begun(job, now) if clock_s is None else job.weighed
    standing = []
    for known, batch in zip(mixed, assessment.batches, strict=False):
        mix_s = batch.mix_s
        if clock_s is None:
            if (since_s := known.known_since(job.charge.mix_time_s)) is None:
                continue
            mix_s = since_s
        age_s = (clock_s or 0.0) - mix_s
        if f"B{batch.number + 1}" not in poured and age_s >= 0:  # else by a clock that is set otherwise
            span_s = batch.usable_until_s - batch.mix_s
            standing.append(StandingBatch(batch.number, age_s, span_s, max(batch.used_s - (clock_s or 0.0), 0.0)))
    return tuple(standing)


def mixed_if_begun(job: Job, now: datetime) -> tuple[Weighed, ...]:
    """The batches of a shot that has not begun as they were mixed, on the run clock if it began *now*."""
    number = job.run[-1].number + 1 if job.run else 1
    begun = RunEvent(number=number, at=now, clock_s=0.0, kind="started")
    return as_mixed(job.mixed, (*job.shot, begun), now.hour * 3600.0 + now.minute * 60 + now.second)


def too_old(standing: tuple[StandingBatch, ...], begun: bool, units: Units) -> str:
    """What is to be said of the *standing* batch that is furthest beyond its time, or would be when it is used up where
    the shot has not *begun*; empty where none is."""
    ahead = not begun
    worst = min(standing, key=lambda one: one.left_s - ahead * one.lasts_s, default=None)
    if worst is None or worst.left_s - ahead * worst.lasts_s >= 0:
        return ""
    age, span = brief_each((worst.age_s, worst.span_s), "duration", units)
    if ahead:
        return (
            f"Batch {worst.number} was mixed {age} ago: too old to begin with, as it has to be used up within {span}. "
            "If it is warm or draws threads, set it outdoors and mix anew. If the log is wrong, write at Charge when "
            "it was mixed."
        )
    return (
        f"Batch {worst.number} is {age} old, and was to be used up within {span}: feel the pot. If it is warm or draws "
        "threads, clamp its feed, set it outdoors and pour the next one."
    )
