"""The run list: what to do on the day, in order, made from the plan and ticked by the log."""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.assess import Assessment
from bibulon.job.lines import AtTime, Line, WhenAtPoint, WhenBatchUsed, WhenFull, WhenReached
from bibulon.job.run import ALL_FEEDS, EventKind, RunEvent
from bibulon.quantities import clock_time, run_clock, show


@dataclass(frozen=True)
class RunStep:
    """One step: what to do in words, when (run clock, None for as soon as it is due), and the event that ticks it."""

    id: str
    text: str
    detail: str
    due_s: float | None
    kind: EventKind
    label: str
    mass_kg: float | None = None


def opening_in_words(assessment: Assessment, line: Line) -> str:
    """When the valve of *line* is opened, for a sentence."""
    opens, units = line.opens, assessment.units
    if isinstance(opens, WhenReached):
        return f"when resin has passed the whole of {assessment.job.line(opens.line).label}"
    if isinstance(opens, WhenAtPoint):
        x, y = (show(value, "length", units) for value in opens.place)
        return f"when resin is at {x}, {y}"
    if isinstance(opens, WhenFull):
        return f"when {show(opens.share, 'share', units)} of the part is full"
    if isinstance(opens, WhenBatchUsed):
        return f"when batch {opens.batch} is used up"
    return f"at {run_clock(opens.time_s)}"


def opened_s(assessment: Assessment) -> dict[str, float]:
    """When the simulated fill first opens each line's valve, by the line's identifier."""
    happens = assessment.fill.events if assessment.fill else ()
    return {event.line: event.time_s for event in reversed(happens) if event.action == "opened"}


READY_CHECKS = {
    "hold": ("Last hold test read and passed", "Vacuum on, pump and its spare running, pots empty and shut."),
    "people": (
        "Everyone at a labelled valve, gloves and glasses on",
        "Feeds clamped. Bucket below the part, dip tube to the floor.",
    ),
}
"""What is checked before the first feed is opened: the label in the log, what is so, and what goes with it."""


def run_list(assessment: Assessment) -> tuple[RunStep, ...]:
    """Steps of the shot in the order they are due."""
    job, units = assessment.job, assessment.units
    checks = [
        RunStep(f"check {label}", text, hint, None, "step done", label) for label, (text, hint) in READY_CHECKS.items()
    ]
    timed: list[RunStep] = []
    for batch in assessment.batches:
        mixed = clock_time(job.shop.shot_start_s + batch.mix_s)
        timed.append(
            RunStep(
                f"batch {batch.number}",
                f"Pour batch {batch.number}: {show(batch.mass_kg, 'mass', units)}",
                f"Mix from {mixed}. Use up within {show(batch.usable_until_s - batch.mix_s, 'duration')} of mixing.",
                batch.pour_s,
                "batch added",
                f"B{batch.number}",
                batch.mass_kg,
            )
        )
    opened = opened_s(assessment)
    timed_first = min((feed.opens.time_s for feed in job.feeds if isinstance(feed.opens, AtTime)), default=0.0)
    for feed in job.feeds:
        first = isinstance(feed.opens, AtTime) and feed.opens.time_s == timed_first
        if isinstance(feed.opens, AtTime):
            when = "This starts the clock." if first else "By the clock."
        else:
            words = opening_in_words(assessment, feed)
            when = f"{words[0].upper()}{words[1:]}."
        due = opened.get(feed.id, feed.opens.time_s if isinstance(feed.opens, AtTime) else None)
        timed.append(RunStep(f"open {feed.id}", f"Open feed {feed.label}", when, due, "valve opened", feed.label))
        if feed.closes_s is not None:
            timed.append(
                RunStep(
                    f"clamp {feed.id}", f"Clamp feed {feed.label}", "By the clock.", feed.closes_s, "valve clamped",
                    feed.label,
                )
            )  # fmt: skip
    for vent in job.vents:
        if vent.closes_s is not None:
            timed.append(
                RunStep(
                    f"clamp {vent.id}", f"Clamp vent {vent.label}", "By the clock.", vent.closes_s, "valve clamped",
                    vent.label,
                )
            )  # fmt: skip
    timed.sort(key=lambda step: (step.due_s is None, step.due_s or 0.0))
    end = assessment.fill.end_s if assessment.fill else None
    last = [
        RunStep(
            f"clamp {feed.id} at the end",
            f"Clamp feed {feed.label}",
            "When the vent shows steady resin and the underside is wet. Vacuum stays on until gel.",
            end,
            "valve clamped",
            feed.label,
        )
        for feed in job.feeds
        if feed.closes_s is None
    ]
    release = RunStep(
        "release",
        "Let the vacuum go",
        f"Not before {clock_time(job.shop.shot_start_s + assessment.cure.release_s)}, and only if a sample is hard.",
        assessment.cure.release_s,
        "vacuum let go",
        "",
    )
    return (*checks, *timed, *last, release)


def done_steps(steps: tuple[RunStep, ...], run: tuple[RunEvent, ...]) -> frozenset[str]:
    """Ids of the steps that the log has ticked; each event ticks the first open step it fits, and the clamping of all
    feeds every clamping of a feed."""
    done: set[str] = set()
    feeds = {step.label for step in steps if step.kind == "valve opened"}
    for event in run:
        fitting = [step for step in steps if step.id not in done and step.kind == event.kind]
        if event.kind == "valve clamped" and event.label == ALL_FEEDS:
            done.update(step.id for step in fitting if step.label in feeds)
            continue
        done.update(step.id for step in [step for step in fitting if step.label == event.label][:1])
    return frozenset(done)


def next_step(steps: tuple[RunStep, ...], run: tuple[RunEvent, ...]) -> RunStep | None:
    """The first step not done yet."""
    done = done_steps(steps, run)
    return next((step for step in steps if step.id not in done), None)
