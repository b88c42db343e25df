"""What of a job each derived result reads: the one place where that is declared.

A result is worked out anew when what it reads has changed, and only then. ``tests/test_reads.py`` works each result out
of a job that has nothing else, and looks that all that is declared is read.

>>> from bibulon.demo import demo_job
>>> from bibulon.job.edits import changed
>>> job = demo_job()
>>> read_by(changed(job, name="Another name"), "laminate") == read_by(job, "laminate")
True
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, Literal, TypeVar

from bibulon.job import Job
from bibulon.remembered import Newest

Result = Literal["laminate", "plies", "cut list", "bag plan", "fill"]

_BOOK = ("part", "regions", "layup", "groups", "cards")
_LAMINATE = (
    *_BOOK, "process", "core_laying", "media", "peel_ply", "peel_ply_on", "shop/barometer_pa", "vacuum/cavity_pa",
    "charge/resin", "charge/dose", "pair/cavity_m", "pair/heights", "pair/cavity_pa", "pair/bladder/over_pressure_pa",
    "pair/injection/filler_share", "pair/injection/filler_density_kg_m3", "pair/injection/filler_thickens",
)  # fmt: skip
READS: dict[Result, tuple[str, ...]] = {
    "laminate": _LAMINATE,
    "plies": (*_BOOK, "cutting"),
    "cut list": (*_BOOK, "cutting"),
    "bag plan": ("part", "bag", "lines/*/points", "lines/*/port_at", "lines/*/label"),
    "fill": (
        *_LAMINATE, "mould/temperature_k", "shop", "lines", "manifolds", "bucket", "vacuum", "flow",
        "charge/largest_batch_kg", "charge/mix_time_s", "charge/bleed_kg", "charge/contingency", "charge/gel_margin_s",
        "charge/pot_life_share", "charge/pot_shape", "charge/bath_k", "charge/component_k", "charge/people",
        "charge/scales", "charge/batches", "weighed",
        "plumbing/bucket", "plumbing/bypass", "plumbing/hoses/*/id", "plumbing/hoses/*/elbow",
        "plumbing/hoses/*/elbows", "bag/parts",
        "pair/upper", "pair/bladder", "pair/channel", "pair/seal_off_m", "pair/flange_m", "pair/hold_pa",
        "pair/injection",
        "house/late_share", "house/thick_pa_s", "house/brake_m", "house/slow_share",
    ),
}  # fmt: skip
"""By result, paths of fields joined by "/"; "*" stands for every element of a list."""

Value = TypeVar("Value")


def read_by(job: Job, result: Result) -> tuple[object, ...]:
    """The values of *job* that *result* reads: equal for two jobs that have the same one."""
    return tuple(_value(job, path.split("/")) for path in READS[result])


def _value(model: Any, steps: list[str]) -> object:
    if not steps:
        return model
    if steps[0] == "*":
        return tuple(_value(element, steps[1:]) for element in model)
    return _value(getattr(model, steps[0]), steps[1:])


class Derived(Generic[Value]):
    """A function of a job that keeps its newest results, each for what it reads."""

    def __init__(self, work: Callable[[Job], Value], result: Result, most: int) -> None:
        self._work, self._result = work, result
        self._newest = Newest[tuple[object, ...], Value](f"{work.__module__}.{work.__qualname__}", most)
        self.__doc__ = work.__doc__

    def __call__(self, job: Job) -> Value:
        return self._newest.get_or_put(read_by(job, self._result), lambda: self._work(job))

    def known(self, job: Job) -> bool:
        """Whether it would answer for *job* at once."""
        return self._newest.known(read_by(job, self._result))

    def put(self, job: Job, value: Value) -> None:
        """Keep *value*, worked out elsewhere, as that for *job*."""
        self._newest.put(read_by(job, self._result), value)


def derived(result: Result, most: int) -> Callable[[Callable[[Job], Value]], Derived[Value]]:
    """Keep the *most* newest results of the decorated function of a job, each for what *result* reads."""
    return lambda work: Derived(work, result, most)
