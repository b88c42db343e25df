"""The shots of a series: what the log says of each, and which deserve a look.

A shot is what was logged from its start to the next new run. Its figures are charted as individuals with moving
ranges. Limits lie at the median ± 3.145 times the median range, and for the ranges at 3.865 times it: three sigma
(``3/0.954``, ``3.268·1.128/0.954``) that an odd shot does not widen for itself. Run rules: one point beyond a limit,
two of three beyond two thirds of the way on one side, eight in a row on one side of the middle; and a step from the
shot before that is beyond the limit of the ranges and ends beyond two thirds of the way, for of steps alone one in a
hundred is. Source: individuals and moving-range charts as every textbook of statistical process control has them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise
from typing import Literal

import numpy as np

from bibulon.job import CLAMPED_BY_VACUUM, IN_MOULD, WITH_BLADDER, Job, Process
from bibulon.job.run import RunEvent, clamped_s
from bibulon.quantities import QuantityKind

FigureName = Literal["pot", "shot mass", "fill time", "flange", "cavity", "bladder", "resin temperature", "part weight"]
LIMIT_RANGES, RANGE_LIMIT = 3.145, 3.865
ROW, FEWEST = 8, 5
"""So many in a row on one side of the middle are a run; with fewer shots than this there are no limits."""


@dataclass(frozen=True)
class Shot:
    """One shot: its number in the log, when it was begun, and its figures in SI units, None where not logged."""

    number: int
    at: datetime
    figures: dict[FigureName, float | None]
    note: str = ""


@dataclass(frozen=True)
class ShotFigure:
    """A figure that is charted: its name, what it counts in, and the label it has in the log."""

    name: FigureName
    words: str
    kind: QuantityKind
    label: str
    channel: str = ""
    """The instrument that reads it."""
    processes: frozenset[Process] = IN_MOULD


FIGURES: tuple[ShotFigure, ...] = (
    ShotFigure("pot", "Grams in the pot", "small mass", "pot", "catch"),
    ShotFigure("shot mass", "Mass in", "mass", "mass in", "meter"),
    ShotFigure("fill time", "Fill time", "duration", ""),
    ShotFigure("flange", "Flange vacuum", "pressure", "flange", "flange", CLAMPED_BY_VACUUM),
    ShotFigure("cavity", "Cavity vacuum", "pressure", "cavity", "vacuum"),
    ShotFigure("bladder", "Bladder", "pressure", "bladder", "bladder", WITH_BLADDER),
    ShotFigure("resin temperature", "Resin", "temperature", "resin", "hose"),
    ShotFigure("part weight", "Part weighs", "mass", "part"),
)


def figures_for(process: Process) -> tuple[ShotFigure, ...]:
    """The figures that a shot by *process* has."""
    return tuple(figure for figure in FIGURES if process in figure.processes)


def shots_of(job: Job) -> tuple[Shot, ...]:
    """Every shot in the log of *job* that was started and ended, the first first."""
    vents = frozenset(line.label for line in job.vents)
    groups: list[list[RunEvent]] = [[]]
    for event in job.run:
        if event.kind == "new run":
            groups.append([])
        else:
            groups[-1].append(event)
    shots: list[Shot] = []
    for group in groups:
        started = next((event for event in group if event.kind in ("started", "valve opened")), None)
        ended = (event.kind == "finished" or _clamped_feed(event, vents) for event in group)
        if started is not None and any(ended):
            shots.append(_shot(len(shots) + 1, started, group, vents))
    return tuple(shots)


def _clamped_feed(event: RunEvent, vents: frozenset[str]) -> bool:
    return event.kind == "valve clamped" and event.label not in vents


def _shot(number: int, started: RunEvent, events: Sequence[RunEvent], vents: frozenset[str]) -> Shot:
    figures: dict[FigureName, float | None] = {}
    for figure in FIGURES:
        figures[figure.name] = figure_of(figure, events)
    opened = [event for event in events if event.kind == "valve opened" and event.label not in vents]
    clamped = clamped_s((event.label for event in opened), events)
    if clamped is not None:
        figures["fill time"] = max(clamped - min(event.clock_s for event in opened), 0.0)
    notes = " ".join(event.text for event in events if event.kind == "note" and event.text)
    return Shot(number, started.at, figures, notes)


def field_of(figure: ShotFigure) -> str:
    """The field of a log's entry that holds *figure*; "" if none does."""
    fields = {"mass": "mass_kg", "small mass": "mass_kg", "pressure": "vacuum_pa", "temperature": "temperature_k"}
    return fields.get(figure.kind, "")


def figure_of(figure: ShotFigure, events: Sequence[RunEvent]) -> float | None:
    """The last reading of *figure* among *events*."""
    field = field_of(figure)
    found: list[float | None] = [
        getattr(event, field, None) for event in events if event.kind == "reading" and event.label == figure.label
    ]
    known = [value for value in found if value is not None]
    return known[-1] if known else None


# -- charts ------------------------------------------------------------------------------------------------------------

Reason = Literal["beyond the limits", "two of three far out", "eight on one side", "far from the one before"]


@dataclass(frozen=True)
class Chart:
    """Individuals and moving ranges of one figure: shot numbers and values, ranges from one to the next, the middle,
    limits (None with too few shots), and by shot why it deserves a look."""

    figure: ShotFigure
    numbers: tuple[int, ...]
    values: tuple[float, ...]
    ranges: tuple[float, ...]
    middle: float
    low: float | None
    high: float | None
    range_limit: float | None
    looks: dict[int, Reason]


def chart_of(figure: ShotFigure, shots: Sequence[Shot]) -> Chart | None:
    """The chart of *figure* over *shots*; None if none of them has it."""
    known = [(shot.number, value) for shot in shots if (value := shot.figures.get(figure.name)) is not None]
    if not known:
        return None
    numbers, values = tuple(number for number, _ in known), tuple(value for _, value in known)
    ranges = tuple(abs(after - before) for before, after in pairwise(values))
    middle = float(np.median(values))
    if len(values) < FEWEST:
        return Chart(figure, numbers, values, ranges, middle, None, None, None, {})
    typical = float(np.median(ranges))
    reach = LIMIT_RANGES * typical
    looks = _looks(numbers, values, middle, reach)
    for at, moved in enumerate(ranges):
        far_out = abs(values[at + 1] - middle) > reach * 2 / 3
        if far_out and typical > 0 and moved > RANGE_LIMIT * typical and numbers[at + 1] not in looks:
            looks[numbers[at + 1]] = "far from the one before"
    return Chart(figure, numbers, values, ranges, middle, middle - reach, middle + reach, RANGE_LIMIT * typical, looks)


def _looks(numbers: Sequence[int], values: Sequence[float], middle: float, reach: float) -> dict[int, Reason]:
    looks: dict[int, Reason] = {}
    off = [value - middle for value in values]
    for at, number in enumerate(numbers):
        side = 1 if off[at] >= 0 else -1
        last_three = [side * value > reach * 2 / 3 for value in off[max(at - 2, 0) : at + 1]]
        last_row = [side * value > 0 for value in off[max(at - ROW + 1, 0) : at + 1]]
        if reach > 0 and abs(off[at]) > reach:
            looks[number] = "beyond the limits"
        elif reach > 0 and last_three[-1] and sum(last_three) >= 2:
            looks[number] = "two of three far out"
        elif len(last_row) == ROW and all(last_row):
            looks[number] = "eight on one side"
    return looks


def charts_of(process: Process, shots: Sequence[Shot]) -> tuple[Chart, ...]:
    """The charts of all figures of a *process* that were logged."""
    return tuple(chart for figure in figures_for(process) if (chart := chart_of(figure, shots)) is not None)


def odd_shots(process: Process, shots: Sequence[Shot]) -> dict[int, tuple[tuple[ShotFigure, Reason], ...]]:
    """The shots that deserve a look, by number, with the figures that say so and why."""
    odd: dict[int, list[tuple[ShotFigure, Reason]]] = {}
    for chart in charts_of(process, shots):
        for number, reason in chart.looks.items():
            odd.setdefault(number, []).append((chart.figure, reason))
    return {number: tuple(reasons) for number, reasons in sorted(odd.items())}
