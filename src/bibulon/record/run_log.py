"""The run log as it is read: what each entry says, in the shop's units."""

from __future__ import annotations

from bibulon.job.run import RunEvent
from bibulon.quantities import Units, run_clock, show
from bibulon.record.run_list import READY_CHECKS


def what(event: RunEvent) -> str:
    """What happened, in a word or two."""
    return event.kind if _check(event) else f"{event.kind} {event.label}".strip()


def _check(event: RunEvent) -> str:
    return READY_CHECKS[event.label][0] if event.kind == "step done" and event.label in READY_CHECKS else ""


def details(event: RunEvent, units: Units) -> str:
    """Everything that *event* says beside its kind, label and time."""
    x, y = event.place or (0.0, 0.0)
    parts = (
        _check(event),
        f"at {show(x, 'length', units)}, {show(y, 'length', units)}" if event.place is not None else "",
        "" if event.mass_kg is None else show(event.mass_kg, "mass", units),
        "" if event.vacuum_pa is None else show(event.vacuum_pa, "pressure", units),
        "" if event.temperature_k is None else show(event.temperature_k, "temperature", units),
        event.text,
        f"by {event.by}" if event.by else "",
        "rehearsal" if event.rehearsal else "",
    )
    return ", ".join(part for part in parts if part)


def clocks(run: tuple[RunEvent, ...]) -> tuple[str, ...]:
    """The run clock of each entry; nothing for what was done before the first feed was opened."""
    opened = next((at for at, event in enumerate(run) if event.kind == "started"), len(run))
    return tuple("" if at < opened else run_clock(event.clock_s) for at, event in enumerate(run))
