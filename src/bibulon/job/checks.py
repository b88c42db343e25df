"""Lists that are walked and ticked before a step: what is checked, and what the log says was."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from bibulon.job.run import RunEvent


@dataclass(frozen=True)
class Check:
    """One line of a list, and the entry of the log that ticks it."""

    label: str
    text: str
    ticked: RunEvent | None


def checked(run: Iterable[RunEvent], lines: Iterable[tuple[str, str]]) -> tuple[Check, ...]:
    """*lines*, each a label and what is checked, with the ticks of the log that fit; lines without words are left out.

    A tick fits while its line says what it said then.
    """
    ticked: dict[str, RunEvent] = {}
    for event in run:
        if event.kind == "check ticked":
            ticked[event.label] = event
        elif event.kind == "check cleared":
            ticked.pop(event.label, None)
    checks = []
    for label, text in lines:
        if text:
            tick = ticked.get(label)
            checks.append(Check(label, text, tick if tick is not None and tick.text == text else None))
    return tuple(checks)
