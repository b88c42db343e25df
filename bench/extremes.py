"""Every number of a job at the least and the most that the format takes, worked out whole: what breaks, what hangs.

``python bench/extremes.py [JOB …]`` takes each kind of number of the jobs, or of the demos, puts its extremes in one at
a time, and works the job out with its fill on few points, its cautions and its papers' figures. It prints what ends in
an error of the program, what NumPy warns of, and what takes more than :data:`LONG` times the work of the job as it is.
"""

from __future__ import annotations

import json
import logging
import sys
import time
import warnings
from collections.abc import Iterator
from dataclasses import replace
from datetime import date
from pathlib import Path
from typing import Any

from bibulon.assess import Assessment, assess, filled
from bibulon.cautions.registry import cautions_of
from bibulon.demo import DEMO_FILES, demo_job
from bibulon.job import Job
from bibulon.job.storage import StorageError, dump, load, parse
from bibulon.refusal import Refusal

NODES = 150
LONG = 5.0
POWERS = (-12, -9, -6, -4, -3, -2, -1, 0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 12, 15)
TRIED = (*(-(10.0**power) for power in (12, 9, 6, 3, 2, 1, 0)), 0.0, *(10.0**power for power in POWERS))
FIGURES = (
    "laminate", "plies", "charge", "bag", "cure", "batches", "hold_verdicts", "hold_figures", "fill_time", "gel_margin",
    "charge_mass", "dry_area", "vacuum", "moments", "pump_down", "cycle", "stays_shut", "leftovers", "press", "clamp",
)  # fmt: skip
Place = tuple[str | int, ...]


def numbers_of(data: Any, path: Place = ()) -> Iterator[tuple[Place, float]]:
    """Where each number of *data* is, and what it is; of lists of plain numbers none."""
    if isinstance(data, dict):
        for key, value in data.items():
            yield from numbers_of(value, (*path, key))
    elif isinstance(data, list) and not (data and isinstance(data[0], int | float)):
        for at, value in enumerate(data):
            yield from numbers_of(value, (*path, at))
    elif isinstance(data, int | float) and not isinstance(data, bool):
        yield path, data


def with_number(data: Any, path: Place, value: float) -> Any:
    """A copy of *data* with *value* at *path*."""
    copy = json.loads(json.dumps(data))
    inner = copy
    for step in path[:-1]:
        inner = inner[step]
    inner[path[-1]] = value
    return copy


def extremes(data: Any, path: Place, whole: bool) -> dict[float, Job]:
    """The jobs with the least, the most and the smallest positive number at *path* that the format takes."""
    taken: dict[float, Job] = {}
    for value in TRIED:
        if whole and not value.is_integer():
            continue
        try:
            taken[value] = parse(json.dumps(with_number(data, path, int(value) if whole else value)))
        except StorageError:
            continue
    some = [min(taken), max(taken), min((value for value in taken if value > 0), default=max(taken))] if taken else []
    return {value: taken[value] for value in some}


def worked_out(job: Job) -> Assessment:
    """*job* with its fill, its cautions and every figure."""
    assessment = filled(replace(assess(job), on=date(2026, 12, 1)), NODES, levels=2)
    cautions_of(assessment)
    for name in FIGURES:
        try:
            getattr(assessment, name)
        except Refusal:
            continue
    return assessment


class Failed(logging.Handler):
    """What checks could not be made, as the program logs it."""

    def __init__(self) -> None:
        super().__init__()
        self.messages: list[str] = []

    def emit(self, record: logging.LogRecord) -> None:
        self.messages.append(record.getMessage())


def attack(name: str, job: Job, failed: Failed) -> tuple[int, int]:
    """Try every number of *job*; how many were tried, and how many were bad."""
    data, seen, tried, bad = json.loads(dump(job)), set[object](), 0, 0
    worked_out(job)
    began_s = time.process_time()
    worked_out(parse(dump(job)))
    usual_s = time.process_time() - began_s
    for path, was in numbers_of(data):
        kind = (
            *(step for step in path if isinstance(step, str)),
            data["cards"][path[1]]["kind"] if path[0] == "cards" else "",
        )
        if kind in seen or path[0] == "format_version":
            continue
        seen.add(kind)
        for value, changed in extremes(data, path, isinstance(was, int)).items():
            tried += 1
            failed.messages.clear()
            said = []
            began_s = time.process_time()
            with warnings.catch_warnings(record=True) as warned:
                warnings.simplefilter("always")
                try:
                    worked_out(changed)
                except Refusal:
                    pass
                except Exception as error:  # that is what is looked for
                    said.append(f"{type(error).__name__}: {error}")
            took = (time.process_time() - began_s) / usual_s
            said += [
                *failed.messages,
                *{str(one.message) for one in warned if issubclass(one.category, RuntimeWarning)},
            ]
            if took > LONG:
                said.append(f"takes {took:.0f} times as long")
            if said:
                bad += 1
                print(f"  {name} {'/'.join(map(str, path))} = {value:g}: {'; '.join(said)}", flush=True)
    return tried, bad


def main(paths: list[str]) -> None:
    """Attack the jobs at *paths*, or the demos."""
    failed = Failed()
    logging.getLogger("bibulon.cautions.registry").addHandler(failed)
    jobs = {path: load(Path(path)) for path in paths} or {name: demo_job(name) for name in DEMO_FILES}
    for name, job in jobs.items():
        tried, bad = attack(name, job, failed)
        print(f"{name}: {tried} extremes tried, {bad} bad")


if __name__ == "__main__":
    main(sys.argv[1:])
