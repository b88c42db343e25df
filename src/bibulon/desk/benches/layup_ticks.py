"""Lay-up, last part: the tick-list that is walked ply by ply."""

from __future__ import annotations

from typing import TYPE_CHECKING

from bibulon.desk.benches.tick_list import Tick, TickList
from bibulon.job import Job
from bibulon.job.run import EventKind
from bibulon.laminate.lay_list import lay_list

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

LIST_PX = 236
PLIES: tuple[EventKind, EventKind] = ("ply laid", "ply taken up")
DEBULKS: tuple[EventKind, EventKind] = ("debulked", "debulk cleared")


def plies_to_tick(job: Job) -> list[Tick]:
    """The lay list as lines to tick."""
    return [
        Tick(line.label, line.text, DEBULKS if line.debulk else PLIES, line.laid, line.note) for line in lay_list(job)
    ]


def ply_ticks(bench: Bench) -> TickList:
    """The list, put at the end of *bench*."""
    bench.section("Tick-list")
    return TickList(bench, plies_to_tick, ("Plies to lay", "done"), LIST_PX)
