"""One worker process that the long work of the window shares: pure Python in a thread would hold it up."""

from __future__ import annotations

from collections.abc import Callable
from typing import Concatenate, ParamSpec, TypeVar

from bibulon.workers.process import WorkerDied, WorkerProcess
from bibulon.workers.report import Report

NICENESS = 5
"""How far the window's own process goes before those that work for it, where there are too few processors for all."""
Arguments = ParamSpec("Arguments")
Result = TypeVar("Result")
_helper = WorkerProcess("helper", niceness=NICENESS, patience_s=0.0)


def in_helper_process(
    task: Callable[Concatenate[Report, Arguments], Result],
    report: Report,
    *arguments: Arguments.args,
    **named: Arguments.kwargs,
) -> Result:
    """What *task*, a function of a module, returns; computed in the helper process, or here if that dies."""
    try:
        return _helper.run(task, report, *arguments, **named)
    except WorkerDied:
        return task(report, *arguments, **named)
