"""Event location: the shortest step at whose end something happens: the part is full, or a valve is triggered."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from bibulon.arrays import Flags, Floats
from bibulon.flow.step import Step

MOST_TRIES = 40


@dataclass(frozen=True)
class Trial:
    """A step of *length* on the fluidity clock (1/Pa)."""

    length: float
    step: Step
    missing: float
    """How far off the event is at its end: zero or below once it has happened."""
    front: Floats
    """(shell,) how far the front lies beyond each node at its end (m)."""
    flat: bool
    """Whether *missing* no longer tells how long ago it happened."""


Try = Callable[[float, Flags, Floats, Floats], Trial]
"""Takes a step of that length. The search for it begins at the full nodes (N,) but for those of the shell that the
front, given as the ends' (shell,), does not reach, and with the medium linearised about pressures (N,) in Pa."""


def step_to_event(now: Trial, late: Trial, attempt: Try, tolerance: Callable[[float], float]) -> Trial:
    """The shortest step at whose end nothing is missing, to the *tolerance* of its length (both 1/Pa).

    *now* is the step of no length. Regula falsi between an end where something is missing and one where nothing is: an
    end that stays where it is twice counts for half (Illinois rule), and every fourth try halves the span.
    """
    early, moved = now, 0
    before, after = early.missing, late.missing
    for turn in range(MOST_TRIES):
        allowed, span = tolerance(late.length), late.length - early.length
        share = before / (before - after) if after < 0 < before else 0.5  # where a straight line crosses
        just = -late.missing * span <= allowed * (early.missing - late.missing)  # the event is no longer ago than that
        if span <= allowed or (turn > 0 and late.missing < 0 and just):
            break
        ahead = 0.5 * allowed / span
        share = 0.5 if late.flat or turn % 4 == 3 else min(max(share + ahead, ahead), 1 - ahead)
        wanted = early.length + share * span
        with np.errstate(invalid="ignore"):
            front = (1 - share) * early.front + share * late.front
        tried = attempt(wanted, late.step.wet, front, late.step.pressure_pa)
        if tried.length < wanted:
            break
        if tried.missing <= 0:
            before = before / 2 if moved < 0 else before
            late, after, moved = tried, tried.missing, -1
        else:
            after = after / 2 if moved > 0 else after
            early, before, moved = tried, tried.missing, 1
    return late
