"""Cautions about what the log of the shot says: front, vacuum and the order of the steps."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from bibulon.assess import Assessment
from bibulon.cautions.registry import Finding, InMould, Rank, caution
from bibulon.cure.answers import gases_below
from bibulon.durations import clock_time, run_clock
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.lines import AtTime, WhenAtPoint, WhenReached
from bibulon.job.run import open_feeds
from bibulon.quantities_in_words import brief, brief_each

EARLIEST_MARK_S = 60.0
"""Marks before this say little: nobody presses a clock to the second."""
EARLY_SHARE = 0.5
"""A feed that is opened before this share of the time that resin takes to it is opened on dry fibre."""
READS_WRONG_PA = 100.0
"""A gauge reads wrong by as much."""
GAUGES = ("flange", "cavity")
"""Readings under these labels are of gauges of their own."""
LAST_MARKS = 3
"""The pace of the front is that of the newest marks."""


@dataclass(frozen=True)
class Mark:
    """A mark of the front: where and when, and when the plan has it there (None: never)."""

    place: Point
    clock_s: float
    planned_s: float | None

    @property
    def ratio(self) -> float:
        """1.2 is a fifth slower than planned."""
        return self.clock_s / self.planned_s if self.planned_s else float("nan")


def marks_of(assessment: Assessment) -> tuple[Mark, ...]:
    """The marks of the shot that can be held against the plan."""
    fill = assessment.fill
    if fill is None:
        return ()
    marks = []
    for event in assessment.job.shot:
        if event.kind != "front marked" or event.place is None or event.clock_s < EARLIEST_MARK_S:
            continue
        try:
            planned = fill.seen_at(*event.place)
        except ValueError:  # beside the part
            continue
        if planned is not None and planned >= EARLIEST_MARK_S / 2:
            marks.append(Mark(event.place, event.clock_s, planned))
    return tuple(marks)


@caution(
    "front-behind-plan",
    "caution",
    "shoot",
    why="A front that is late reaches the far side with resin that is older and thicker than planned, or not at all.",
    remedy="Look at hoses and vacuum, open the next feed early, warm the part within the data sheet, or stop feeding "
    "what will not arrive.",
)
def front_behind_plan(assessment: Assessment) -> Iterator[Finding]:
    marks, fill = marks_of(assessment), assessment.fill
    if not marks or fill is None:
        return
    ratio = float(np.median([mark.ratio for mark in marks[-LAST_MARKS:]]))
    if ratio <= 1 + assessment.job.house.front_off:
        return
    last = marks[-1]
    at, planned = run_clock(last.clock_s), run_clock(last.planned_s or 0.0)
    text = f"At {at} the front is where the plan has it at {planned}"
    rank: Rank = "caution"
    if fill.fill_time_s is not None:
        full = fill.fill_time_s * ratio
        left = assessment.flows_until_s - full
        when, until = brief(full, "duration"), brief(abs(left), "duration")
        if left < 0:
            rank, text = "stop", f"{text}: the resin stops flowing {until} before the part is full"
        else:
            text = f"{text}: the part is full after {when}, {until} before the resin stops flowing"
            rank = "stop" if left < assessment.job.charge.gel_margin_s else rank
    yield Finding(f"{text}.", last.place, rank=rank)


@caution(
    "branch-racing",
    "caution",
    "shoot",
    why="Resin that races along a gap or a branch comes to the vent first and shuts off what lies beside it.",
    remedy="Pinch the racing branch's hose or clamp the vent it runs to, until the rest has caught up.",
)
def branch_racing(assessment: Assessment) -> Iterator[Finding]:
    marks = marks_of(assessment)
    if not marks:
        return
    pace = max(float(np.median([mark.ratio for mark in marks])), 1.0) if len(marks) > 2 else 1.0
    fastest = min(marks, key=lambda mark: mark.ratio)
    if fastest.ratio < (1 - assessment.job.house.front_off) * pace:
        at, planned = run_clock(fastest.clock_s), run_clock(fastest.planned_s or 0.0)
        yield Finding(f"Resin was here at {at}; the plan has it here at {planned}.", fastest.place)


@caution(
    "vacuum-rising",
    "stop",
    "shoot",
    why="Pressure that rises while resin runs is a leak or a pump that fails: air goes into the part until gel.",
    remedy="Look at the pump and its oil, at the pots' lids, then along the tape; put the spare pump on.",
    in_mould=InMould(
        remedy="Look at the pump and its oil, at the pots' lids, then along the seals; put the spare pump on."
    ),
)
def vacuum_rising(assessment: Assessment) -> Iterator[Finding]:
    shot = assessment.job.shot
    started = any(event.kind == "started" for event in shot)
    let_go = next((at for at, event in enumerate(shot) if event.kind == "vacuum let go"), len(shot))
    by_gauge: dict[str, list[tuple[float, float]]] = {}
    for event in shot[:let_go]:
        if event.vacuum_pa is not None:
            gauge = event.label if event.kind == "reading" and event.label in GAUGES else ""
            by_gauge.setdefault(gauge, []).append((event.vacuum_pa, event.clock_s))
    for gauge, readings in by_gauge.items():
        best = min(pressure for pressure, _ in readings)
        newest, at_s = readings[-1]
        if started and (lost := vacuum_lost(assessment, best, newest, gauge)):
            left = brief(newest, "pressure", assessment.units)
            place = assessment.job.vents[0].points[0] if assessment.job.vents else None
            what = f"The {gauge}'s vacuum" if gauge else "The vacuum"
            yield Finding(f"{what} has lost {lost} since its best and was at {left} at {run_clock(at_s)}.", place)


def vacuum_lost(assessment: Assessment, best_pa: float, newest_pa: float, gauge: str = "") -> str:
    """How much of its best the vacuum at that *gauge* has lost, in words, where that is more than the house allows;
    else "". A closed mould's cavity may come up to what it is held at until gel."""
    lost_pa = newest_pa - best_pa
    if assessment.job.in_mould and gauge != "flange":
        lost_pa = newest_pa - max(best_pa, assessment.job.pair.hold_pa)
    if lost_pa <= assessment.job.house.vacuum_rise_pa:
        return ""
    return brief(lost_pa, "pressure difference", assessment.units)


@caution(
    "vacuum-not-as-planned",
    "caution",
    "shoot",
    why="The fill goes by the vacuum there is: less draws resin in more slowly, too much makes the resin itself gas.",
    remedy="Look at the pump, the regulator, the pots and what is clamped, and at what the gauge counts from: the "
    "atmosphere, or nothing at all. Or plan the vacuum that there is.",
)
def vacuum_not_as_planned(assessment: Assessment) -> Iterator[Finding]:
    job, shot = assessment.job, assessment.job.shot
    begun, over = (
        next((at for at, event in enumerate(shot) if event.kind == kind), len(shot))
        for kind in ("started", "vacuum let go")
    )
    read = [
        event.vacuum_pa
        for event in shot[begun:over]
        if event.vacuum_pa is not None and not (event.kind == "reading" and event.label in ("flange", "bladder"))
    ]
    if not read:
        return
    best, planned, units = min(read), job.vacuum_pa, assessment.units
    lowest, _ = gases_below(job, assessment.cure_study)
    if best < min(lowest, planned) - READS_WRONG_PA:
        was, limit = brief_each((best, lowest), "pressure", units)
        yield Finding(f"The vacuum was read at {was} in this shot; below {limit} {job.resin.name} gases.")
    elif best > planned + max(job.house.vacuum_rise_pa, READS_WRONG_PA):
        was, plan = brief_each((best, planned), "pressure", units)
        yield Finding(f"The best vacuum that was read in this shot is {was}; the plan counts on {plan}.")


@caution(
    "vacuum-let-go-early",
    "stop",
    "cure",
    why="Before gel the laminate springs back as the vacuum goes, draws air in and swells with resin.",
    remedy="Put the vacuum back on at once and keep it on until a sample of the last batch is hard.",
)
def vacuum_let_go_early(assessment: Assessment) -> Iterator[Finding]:
    release = assessment.cure.release_s
    for event in assessment.job.shot:
        if event.kind == "vacuum let go" and event.clock_s < release:
            start = assessment.job.shot_start_s
            early = brief(release - event.clock_s, "duration")
            text = f"The vacuum was let go {early} too early; it was to stay on until {clock_time(start + release)}."
            yield Finding(text)
            return


@caution(
    "step-out-of-order",
    "caution",
    "shoot",
    why="Feeds, vents and vacuum are worked in an order that pushes air out; out of it, fronts close round air.",
    remedy="Stop, compare the list with the labels on the bag, and clamp what should not be open yet.",
    in_mould=InMould(
        remedy="Stop, compare the list with the labels on the mould, and clamp what should not be open yet."
    ),
)
def step_out_of_order(assessment: Assessment) -> Iterator[Finding]:
    skipped = [*_out_of_order(assessment.job), *_opened_on_dry_fibre(assessment)]
    if skipped:
        text, place = skipped[0]
        more = f" {len(skipped) - 1} more steps were out of order." if len(skipped) > 1 else ""
        yield Finding(f"{text}.{more}", place)


def _out_of_order(job: Job) -> Iterator[tuple[str, Point | None]]:
    """What the log of the shot has in another order than the plan."""
    lines = {line.label: line for line in job.lines}
    opened: list[str] = []
    held_ticked = False
    for number, event in enumerate(job.shot):
        line = lines.get(event.label)
        if event.kind == "step done" and event.label == "hold":
            held_ticked = True
        elif event.kind == "vacuum let go":
            still = open_feeds((feed.label for feed in job.worked_feeds), job.shot[:number])
            if still:
                yield f"The vacuum was let go with feed {still[0]} open", lines[still[0]].points[0]
        elif event.kind == "valve clamped" and line is not None and line.kind == "vent":
            feeds = open_feeds((feed.label for feed in job.worked_feeds), job.shot[:number])
            meant = job.in_mould or job.flow.vents_after == "shut" or any(vent.turns for vent in job.vents)
            if feeds and not meant and not _vents_open(job, number + 1):
                yield f"Vent {line.label} was clamped with feed {feeds[0]} open, and no other is open", line.points[0]
        elif event.kind == "valve opened" and line is not None and line.kind == "feed":
            if not opened and not held_ticked and any(entry.kind == "step done" for entry in job.shot):
                yield f"Feed {line.label} was opened before the last hold test was ticked as passed", line.points[0]
            before = [label for label in _planned_before(job, event.label) if label not in opened]
            if before:
                yield f"Feed {line.label} was opened before {before[0]}", line.points[0]
            opened.append(line.label)


def _vents_open(job: Job, entries: int) -> set[str]:
    """Labels of the vents that are open after so many *entries* of the shot's log: all that nobody has clamped."""
    vents = {vent.label for vent in job.vents}
    shut = set[str]()
    for event in job.shot[:entries]:
        if event.kind == "valve clamped":
            shut.add(event.label)
        elif event.kind == "valve opened":
            shut.discard(event.label)
    return vents - shut


def _opened_on_dry_fibre(assessment: Assessment) -> Iterator[tuple[str, Point | None]]:
    """Feeds that wait for resin in the plan, and were opened long before it can have come to them: as the plan has it,
    or sooner if the front was seen to be."""
    job, fill = assessment.job, assessment.fill
    if fill is None:
        return
    seen = [mark.ratio for mark in marks_of(assessment)[-LAST_MARKS:]]
    pace = min(float(np.median(seen)), 1.0) if seen else 1.0
    planned = {event.line: event.time_s for event in reversed(fill.events) if event.action == "opened"}
    for line in job.worked_feeds:
        opened = next((one for one in job.shot if one.kind == "valve opened" and one.label == line.label), None)
        comes_s = planned.get(line.id)
        if opened is None or comes_s is None or not isinstance(line.opens, WhenReached | WhenAtPoint):
            continue
        if opened.clock_s < EARLY_SHARE * pace * comes_s and comes_s - opened.clock_s > EARLIEST_MARK_S:
            at, comes = run_clock(opened.clock_s), run_clock(pace * comes_s)
            yield f"Feed {line.label} was opened at {at}; resin comes to it at {comes}", line.points[0]


def _planned_before(job: Job, label: str) -> tuple[str, ...]:
    """Labels of the feeds that the plan opens before the one of that *label*."""
    feeds = {line.label: line for line in job.worked_feeds}
    mine = next(line for line in job.feeds if line.label == label)
    opens = mine.opens
    timed = {other: line.opens.time_s for other, line in feeds.items() if isinstance(line.opens, AtTime)}
    if isinstance(opens, AtTime):
        return tuple(other for other, time_s in timed.items() if time_s < opens.time_s)
    if isinstance(opens, WhenReached) and opens.line != mine.id:
        return tuple(other for other, line in feeds.items() if line.id == opens.line)
    return tuple(other for other, time_s in timed.items() if time_s == min(timed.values(), default=0.0))
