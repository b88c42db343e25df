"""Work in a process of its own: pure Python on a large job would hold the interface up from any thread."""

from __future__ import annotations

import multiprocessing
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from typing import ParamSpec, TypeVar

from bibulon.assess import assess
from bibulon.bag.film import BagPlan
from bibulon.cautions import found_of_plan
from bibulon.cautions.registry import Found
from bibulon.job import Job
from bibulon.job.layup import Offcut
from bibulon.laminate.cells import Laminate
from bibulon.laminate.cut_list import CutList, cut_list, left_over
from bibulon.laminate.joints import Ply
from bibulon.quantities import Units

Given = ParamSpec("Given")
Made = TypeVar("Made")

_pool: ProcessPoolExecutor | None = None


def apart(work: Callable[Given, Made], *given: Given.args, **named: Given.kwargs) -> Made:
    """What *work*, a function of a module, makes, in the helper process; here if that has died. Waits for it."""
    global _pool
    if _pool is None:
        _pool = ProcessPoolExecutor(1, multiprocessing.get_context("spawn"))
    try:
        return _pool.submit(work, *given, **named).result()
    except BrokenProcessPool:
        _pool = None
        return work(*given, **named)


@dataclass(frozen=True)
class Ready:
    """What follows from a job before it is filled."""

    laminate: Laminate
    plies: tuple[Ply, ...]
    bag: BagPlan
    of_plan: Found


def ready(job: Job, units: Units) -> Ready:
    """Work all of it out."""
    made = assess(job, units)
    return Ready(made.laminate, made.plies, made.bag, found_of_plan(made))


def cut(job: Job, prefix: str) -> tuple[CutList, tuple[Offcut, ...]]:
    """The cut list, and what of the cloth is left in pieces worth keeping."""
    found = cut_list(job)
    return found, left_over(found, prefix)
