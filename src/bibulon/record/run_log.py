"""The run log as it is read: what each entry says, in the shop's units."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from bibulon.durations import run_clock
from bibulon.job.run import LAYING, RunEvent, missing_before
from bibulon.quantities import Units, show
from bibulon.record.before_resin import READY_CHECKS


def what(event: RunEvent) -> str:
    """What happened, in a word or two."""
    return event.kind if event.kind == "step done" else f"{event.kind} {event.label}".strip()


def _check(event: RunEvent) -> str:
    """What a step on the run list was, where the entry does not say it itself."""
    known = event.kind == "step done" and not event.text and event.label in READY_CHECKS
    return READY_CHECKS[event.label][0] if known else ""


def details(event: RunEvent, units: Units) -> str:
    """Everything that *event* says beside its kind, label and time."""
    x, y = event.place or (0.0, 0.0)
    parts = (
        _check(event),
        event.text,
        f"at {show(x, 'length', units)}, {show(y, 'length', units)}" if event.place is not None else "",
        "" if event.mass_kg is None else show(event.mass_kg, "mass", units),
        "" if event.vacuum_pa is None else show(event.vacuum_pa, "pressure", units),
        "" if event.temperature_k is None else show(event.temperature_k, "temperature", units),
        f"by {event.by}" if event.by else "",
        "rehearsal" if event.rehearsal else "",
    )
    return ", ".join(part for part in parts if part)


def clocks(run: tuple[RunEvent, ...]) -> tuple[str, ...]:
    """The run clock of each entry; nothing for what was done before the first feed was opened."""
    rows, opened = [], False
    for event in run:
        opened = event.kind == "started" or (opened and event.kind != "new run")
        rows.append(run_clock(event.clock_s) if opened and event.kind not in LAYING else "")
    return tuple(rows)


@dataclass(frozen=True)
class LogRow:
    """A line of the log as it is read; ``number`` is 0 where entries are missing."""

    number: int
    at: datetime
    clock: str
    what: str
    details: str


def log_rows(run: tuple[RunEvent, ...], units: Units) -> tuple[LogRow, ...]:
    """The log line by line in the order it was written; where entries are missing, a line says which."""
    missing, rows = missing_before(run), []
    for event, clock in zip(run, clocks(run), strict=True):
        if event.number in missing:
            first, last = missing[event.number]
            which = f"entry {first} is" if first == last else f"entries {first} to {last} are"
            rows.append(LogRow(0, event.at, "", f"{which} missing", "damaged on disk"))
        rows.append(LogRow(event.number, event.at, clock, what(event), details(event, units)))
    return tuple(rows)
