"""The run list: what to do on the day, in order, made from the plan and ticked by the log."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from bibulon.assess import Assessment
from bibulon.cure.answers import demould_s, load_s, trim_s, wanted_tg_k, warm_before_handling
from bibulon.cure.schedule import legs_of
from bibulon.durations import clock_time, run_clock
from bibulon.job import REUSABLE, WITH_BLADDER
from bibulon.job.lines import (
    ACTIONS,
    AtTime,
    Line,
    Trigger,
    WhenAtPoint,
    WhenBatchUsed,
    WhenFull,
    WhenReached,
    WhenTurned,
)
from bibulon.job.run import ALL_FEEDS, MIXING, EventKind, RunEvent, open_feeds
from bibulon.job.words import feed_word
from bibulon.mould.injection import step_words
from bibulon.quantities import show
from bibulon.quantities_in_words import brief, brief_on_scale
from bibulon.record.before_resin import ready_checks


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

    @property
    def mixes(self) -> bool:
        """Whether resin and hardener come together in it."""
        return self.id.startswith("mix ")

    @property
    def spends_resin(self) -> bool:
        """Whether after it resin is mixed or in the part, and cannot be had back."""
        return self.mixes or self.kind == "valve opened"


def trigger_in_words(assessment: Assessment, opens: Trigger) -> str:
    """What a valve is turned by, for a sentence."""
    units = assessment.units
    if isinstance(opens, WhenReached):
        return f"when resin has passed the whole of {assessment.job.line(opens.line).label}"
    if isinstance(opens, WhenAtPoint):
        x, y = (show(value, "length", units) for value in opens.place)
        return f"when resin is at {x}, {y}"
    if isinstance(opens, WhenFull):
        return f"when {show(opens.share, 'share', units)} of the part is full"
    if isinstance(opens, WhenBatchUsed):
        return f"when batch {opens.batch} is used up"
    if isinstance(opens, WhenTurned):
        return f"when {assessment.job.line(opens.line).label} is {ACTIONS[opens.to]}"
    return f"at {run_clock(opens.time_s)}"


WAITING = "wait for {}"
"""The label of the step that clamps all feeds until a batch, by its label, is poured."""
TURNS: dict[str, tuple[str, EventKind]] = {
    "open": ("Open", "valve opened"),
    "clamped": ("Clamp", "valve clamped"),
    "throttled": ("Throttle", "valve throttled"),
}
"""What is said to who stands at a valve, and how it is logged."""


def turns_in_words(assessment: Assessment, line: Line) -> str:
    """All that is done to the valve of *line* once it is open, for a table; "" if nothing."""
    pieces = []
    for turn in line.turns:
        word = "opened again" if turn.to == "open" else ACTIONS[turn.to]
        share = f" to {show(turn.share, 'share', assessment.units)}" if turn.to == "throttled" else ""
        pieces.append(f"{word}{share} {trigger_in_words(assessment, turn.when)}")
    return ", ".join(pieces)


def turned_s(assessment: Assessment, line: Line) -> tuple[float | None, ...]:
    """When the simulated fill does each of the turns of *line*; None for those it does not come to."""
    happens = assessment.fill.events if assessment.fill else ()
    own = iter([event for event in happens if event.line == line.id])
    if line.kind == "feed":
        next((event for event in own if event.action == "opened"), None)
    return tuple(next((event.time_s for event in own if event.action == ACTIONS[turn.to]), None) for turn in line.turns)


def opened_s(assessment: Assessment) -> dict[str, float]:
    """When the simulated fill first opens each line's valve, by the line's identifier."""
    happens = assessment.fill.events if assessment.fill else ()
    return {event.line: event.time_s for event in reversed(happens) if event.action == "opened"}


def run_list(assessment: Assessment) -> tuple[RunStep, ...]:
    """Steps of the shot in the order they are due."""
    held, *ready = (
        RunStep(f"check {label}", text, hint, None, "step done", label)
        for label, (text, hint) in ready_checks(assessment.job).items()
    )
    vents = (step for vent in assessment.job.vents for step in _turning(assessment, vent))
    timed = [*_mixings(assessment), *_pourings(assessment), *_feeding(assessment), *_recipe(assessment), *vents]
    timed.sort(key=lambda step: (step.due_s is None, step.due_s or 0.0))
    at_valves = next((at for at, step in enumerate(timed) if not step.mixes), len(timed))
    return (held, *timed[:at_valves], *ready, *timed[at_valves:], *_endings(assessment))


def _mixings(assessment: Assessment) -> Iterator[RunStep]:
    """What is mixed when: in good time before it is poured, by as many as there are hands and scales for."""
    job, units = assessment.job, assessment.units
    for batch in assessment.batches:
        yield RunStep(
            f"mix {batch.number}",
            f"Mix batch {batch.number}: {show(batch.mass_kg, 'mass', units)}",
            f"Ticked when hardener and resin touch: its age counts from then. It is "
            f"poured at {clock_time(job.shot_start_s + batch.pour_s)}.",
            batch.mix_s,
            "step done",
            MIXING.format(f"B{batch.number}"),
            batch.mass_kg,
        )


def _pourings(assessment: Assessment) -> Iterator[RunStep]:
    units = assessment.units
    waits = {wait.batch: wait for wait in assessment.fill.waits} if assessment.fill is not None else {}
    for batch in assessment.batches:
        hint = f"Use up within {show(batch.usable_until_s - batch.mix_s, 'duration')} of mixing."
        if (wait := waits.get(batch.number)) is not None:
            feed, name = feed_word(assessment.job), WAITING.format(f"B{batch.number}")
            what = f"Clamp every open {feed} until batch {batch.number} is poured"
            why = "The bucket is down to its heel by then, and the dip tube must not draw air."
            yield RunStep(name, what, why, wait.since_s, "step done", name)
            hint = f"Then the {feed}s are opened again. {hint}"
        yield RunStep(
            f"batch {batch.number}",
            f"Pour batch {batch.number}: {show(batch.mass_kg, 'mass', units)}",
            hint,
            batch.pour_s,
            "batch added",
            f"B{batch.number}",
            batch.mass_kg,
        )


def _feeding(assessment: Assessment) -> Iterator[RunStep]:
    job, opened = assessment.job, opened_s(assessment)
    timed = {feed.label: feed.opens.time_s for feed in job.worked_feeds if isinstance(feed.opens, AtTime)}
    first = min(timed, key=lambda name: timed[name], default="")
    together = f" on all {job.parts_together} parts" if job.parts_together > 1 else ""
    for feed in job.worked_feeds:
        planned = feed.opens.time_s if isinstance(feed.opens, AtTime) else None
        if planned is None:
            words = trigger_in_words(assessment, feed.opens)
            when = f"{words[0].upper()}{words[1:]}."
        else:
            with_first = f"Together with {first}." if planned == timed[first] else "By the clock."
            when = "This starts the clock." if feed.label == first else with_first
        due = opened.get(feed.id, planned)
        yield RunStep(
            f"open {feed.id}", f"Open {feed.word} {feed.label}{together}", when, due, "valve opened", feed.label
        )
        yield from _turning(assessment, feed)


def _recipe(assessment: Assessment) -> Iterator[RunStep]:
    """The steps of an injection after the first, when they are due as simulated."""
    job, fill, units = assessment.job, assessment.fill, assessment.units
    if not job.in_mould or job.pair.injection.source == "machine":  # which goes on by itself
        return
    steps = job.pair.injection.steps
    begun = fill.stage_begun_s if fill is not None else ()
    for number, (step, before) in enumerate(zip(steps[1:], steps[:-1], strict=True), 2):
        due = begun[number - 1] if number <= len(begun) else None
        was = step_words(before, units).partition(" until ")[2]
        hint = f"Step {number} of the recipe, once {was} is reached." if was else f"Step {number} of the recipe."
        what = f"Supply to {step_words(step, units)}"
        yield RunStep(f"recipe {number}", what, hint, due, "step done", f"recipe {number}")


def _turning(assessment: Assessment, line: Line) -> Iterator[RunStep]:
    """What is planned to be done to the valve of a line after it was opened."""
    for number, (turn, happens_s) in enumerate(zip(line.turns, turned_s(assessment, line), strict=True), 1):
        what, kind = TURNS[turn.to]
        name = f"{what} {line.word} {line.label}"
        if turn.to == "open":
            name += " again"
        elif turn.to == "throttled":
            name += f" to {show(turn.share, 'share', assessment.units)}"
        by_clock = isinstance(turn.when, AtTime)
        words = "by the clock" if by_clock else trigger_in_words(assessment, turn.when)
        due = turn.when.time_s if isinstance(turn.when, AtTime) and happens_s is None else happens_s
        yield RunStep(f"turn {number} {line.id}", name, f"{words[0].upper()}{words[1:]}.", due, kind, line.label)


def _endings(assessment: Assessment) -> Iterator[RunStep]:
    """What is left for the end: feeds that no time is planned for, and the vacuum."""
    job, units = assessment.job, assessment.units
    end = assessment.fill.end_s if assessment.fill else None
    hint = "When the vent shows steady resin and the underside is wet. Vacuum stays on until gel."
    injection = job.pair.injection
    if job.in_mould:
        hint = "When the vent shows steady resin, free of air."
        if injection.stop == "by mass" and injection.stop_kg is not None:
            hint = f"At {show(injection.stop_kg, 'mass', assessment.units)} in, or sooner if the vent shows resin."
    to_pots = {feed.id for feed in job.feeds_to_pots}
    for feed in job.worked_feeds:
        if not _left_clamped(feed) and job.flow.feeds_after != "open":
            name, where = f"clamp {feed.id} at the end", ", between bucket and bypass" if feed.id in to_pots else ""
            yield RunStep(name, f"Clamp {feed.word} {feed.label}{where}", hint, end, "valve clamped", feed.label)
    if to_pots and job.plumbing.bypass is not None:
        what = f"Open bypass {job.plumbing.bypass.label}"
        again = "Once all feeds are clamped: what is too much goes to the pots from both sides, until gel."
        yield RunStep("open the bypass", what, again, end, "step done", "bypass")
    if job.in_mould and injection.vent_after == "held":
        held = show(job.pair.hold_pa, "pressure", assessment.units)
        what = f"Cavity to {held}"
        yield RunStep("hold until gel", what, "Held there until gel.", end, "step done", "holding vacuum")
    elif job.in_mould or job.flow.vents_after == "shut":
        for vent in job.vents:
            if not _left_clamped(vent):
                what = f"Clamp vent {vent.label}"
                yield RunStep(f"clamp {vent.id} at the end", what, "It stays shut.", end, "valve clamped", vent.label)
    for left in assessment.leftovers:
        if left.runs_away:
            by, hot = clock_time(job.shot_start_s + left.out_by_s), brief(left.peak_k, "temperature", units)
            mass = brief_on_scale(left.mass_kg, "mass", units)
            what = f"Take what is left {left.where} out of the shop: {mass}"
            hint = f"By {by}: it gets about {hot} by itself. In the open, away from all that burns."
            if job.supply != "bucket":
                hint = f"{hint} The pressure is let off before it is opened."
            if left.under_vacuum:
                what = f"Stand the catch pots in water: {mass} of resin"
                hint = f"By {by}: it gets about {hot} by itself. The vacuum stays on."
            yield RunStep(f"left {left.where}", what, hint, end, "step done", f"left {left.where}")
    release = assessment.cure.release_s
    earliest = clock_time(job.shot_start_s + release)
    hint = f"Not before {earliest}, and only if a sample is hard."
    if job.process in WITH_BLADDER:
        hint += " The bladder is let off before any clamp is opened."
    yield RunStep("release", "Let the vacuum go", hint, release, "vacuum let go", "")
    if not job.in_mould:
        hint = "Film, media and what is in the hoses may still be hot, and edges are sharp: gloves on."
        skin = job.process in REUSABLE
        what = "Lift the skin, strip media and peel ply" if skin else "Strip film, media and peel ply"
        yield RunStep("strip", what, hint, release, "step done", "strip")
    yield from _cure_steps(assessment)


def _cure_steps(assessment: Assessment) -> Iterator[RunStep]:
    """Ramps of a heated mould or an oven, and the part off its mould."""
    job, units = assessment.job, assessment.units
    legs = legs_of(job, assessment.fill.end_s if assessment.fill else 0.0)
    at = 0
    for number, step in enumerate(job.curing.steps, 1):
        count = (step.ramp_s > 0) + (step.hold_s > 0)
        begin_s = legs[at].begin_s if count else None
        at += count
        heats = "the oven" if step.heats == "oven" else "the mould"
        what = f"Bring {heats} to {show(step.to_k, 'temperature', units)}"
        hint = f"Over {show(step.ramp_s, 'duration')}; hold for {show(step.hold_s, 'duration')}."
        yield RunStep(f"cure step {number}", what, hint, begin_s, "step done", f"cure step {number}")
    demould, hint = assessment.cure.demould_s, "Once it is hard: how long that takes is not known yet."
    if demould is not None and math.isfinite(demould):
        earliest = clock_time(job.shot_start_s + demould)
        hint = f"Not before {earliest}. {green_words(assessment)}"
    else:
        demould = None
    yield RunStep("demould", "Take the part off", hint, demould, "step done", "demould")
    study, cut_s, hint = assessment.cure_study, None, "Once it is hard, and cool enough to be touched."
    if demould is not None and study is not None and math.isfinite(trimmed_s := trim_s(job, study)):
        cut_s = trimmed_s
        hint = f"Not before {clock_time(job.shot_start_s + cut_s)}: hard, and cool enough to be touched."
    yield RunStep("trim", "Trim the part", hint, cut_s, "step done", "trim")


def green_words(assessment: Assessment) -> str:
    """What a part that is taken off its mould is like, and how it is warmed before it is handled; empty while its cure
    is not known."""
    job, study, units = assessment.job, assessment.cure_study, assessment.units
    if study is None or not study.stacks:
        return ""
    off_s, wanted = demould_s(job, study), show(wanted_tg_k(job), "temperature", units)
    if not math.isfinite(off_s):
        return "It does not get hard enough to be taken off by itself."
    has = show(float(study.law.tg_k(study.least_cure_at(off_s))), "temperature", units)
    if load_s(job, study) <= off_s:
        return f"Off the mould it is hard: Tg {has}, and {wanted} is wanted."
    words = f"Off the mould it is green, Tg {has} where {wanted} is wanted: brittle, so nothing is forced."
    warmed = warm_before_handling(job, study)
    if warmed is None:
        return f"{words} No hold of a few hours makes it hard."
    span, at = show(warmed.hold_s, "duration"), show(warmed.hold_k, "temperature", units)
    return f"{words} {span} at {at} before it is handled hard bring that."


def _left_clamped(line: Line) -> bool:
    """Whether the last that is planned for the valve of a line clamps it."""
    return bool(line.turns) and line.turns[-1].to == "clamped"


def done_steps(steps: tuple[RunStep, ...], run: tuple[RunEvent, ...]) -> frozenset[str]:
    """Ids of the steps that the log has ticked; each event ticks the first open step it fits, the clamping of all
    feeds every clamping of a feed, or the wait for a batch where that is what comes next. What was poured was mixed
    and waited for, and a feed that stands open has its last clamping before it."""
    done: set[str] = set()
    feeds = [step.label for step in steps if step.kind == "valve opened"]
    for event in run:
        fitting = [step for step in steps if step.id not in done and step.kind == event.kind]
        if event.kind == "valve clamped" and event.label == ALL_FEEDS:
            wait = _wait_that_is_next(steps, done)
            done.update([wait.id] if wait is not None else [step.id for step in fitting if step.label in feeds])
            continue
        done.update(step.id for step in [step for step in fitting if step.label == event.label][:1])
    poured = [step.label for step in steps if step.kind == "batch added" and step.id in done]
    before = {form.format(label) for form in (MIXING, WAITING) for label in poured}
    done.update(step.id for step in steps if step.label in before)
    for label in open_feeds(feeds, run):
        done.difference_update(_clampings(steps, label)[-1:])
    return frozenset(done)


def _wait_that_is_next(steps: tuple[RunStep, ...], done: set[str]) -> RunStep | None:
    """The wait for the batch that is poured next, where the plan has one that is not ticked."""
    batch = next((step for step in steps if step.kind == "batch added" and step.id not in done), None)
    waits = () if batch is None else [step for step in steps if step.label == WAITING.format(batch.label)]
    return next((step for step in waits if step.id not in done), None)


def _clampings(steps: tuple[RunStep, ...], label: str) -> list[str]:
    """Ids of the steps that clamp the valve of that *label*."""
    return [step.id for step in steps if step.kind == "valve clamped" and step.label == label]


def next_step(steps: tuple[RunStep, ...], run: tuple[RunEvent, ...]) -> RunStep | None:
    """The first step not done yet."""
    done = done_steps(steps, run)
    return next((step for step in steps if step.id not in done), None)
