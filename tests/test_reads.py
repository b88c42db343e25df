"""What each derived result reads of a job: no less than is declared, and no more."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from bibulon.assess import assess, filled
from bibulon.bag.film import bag_plan, bag_plan_of, ports_of
from bibulon.demo import DEMO_FILES, demo_job
from bibulon.flow.causes import causes_of
from bibulon.flow.scheduled import scheduled_fill
from bibulon.job import Job
from bibulon.job.base import Model
from bibulon.job.edits import changed, revised, with_card, with_hose, with_line
from bibulon.job.reads import READS, Result, read_by
from bibulon.laminate.cells import laminate_of
from bibulon.laminate.cut_list import cut_list
from bibulon.laminate.joints import plies_of
from bibulon.remembered import stores
from bibulon.stock import shelf_card


def slow_job() -> Job:
    """The demo with hoses so thin that the fill misses its margin, so that causes are looked for."""
    thin = revised(shelf_card("hose-6"), id="thin")
    job = with_card(demo_job(), thin)
    for feed in job.feeds:
        job = with_line(job, revised(feed, hose=thin.id, hose_length_m=12.0))
    return job


def fill_and_causes(job: Job) -> object:
    fill = scheduled_fill(job, 150, 2)
    return fill.fill_time_s, fill.resin_drawn_m3, causes_of(job, fill)


WORK: dict[Result, Callable[[Job], object]] = {
    "laminate": laminate_of._work,
    "plies": plies_of._work,
    "cut list": cut_list,
    "bag plan": lambda job: bag_plan(job.part, job.bag, ports_of(job)),
    "fill": fill_and_causes,
}


CHECKED = (
    "id",
    "name",
    "overlap_least_m",
    "overlap_most_m",
    "fittings",
    "film",
    "tape",
    "hoses",
    "pump_hose",
)
"""Looked at whenever a job is made, as trials of causes are, and by no result."""


FOUND_FROM = {"weighed": ["charge/mixed", "run"]}
"""What is no field of a job, and the fields that it is found from."""


def only(model: Any, paths: list[list[str]]) -> Any:
    """*model* with nothing but what *paths* lead to: to read anything else is an error."""
    if not all(paths):
        return model
    if isinstance(model, tuple):
        return tuple(only(element, [path[1:] for path in paths]) for element in model)
    bare = model.model_copy()
    for name in type(model).model_fields:
        inside = [path[1:] for path in paths if path[0] == name]
        if inside:
            bare.__dict__[name] = only(getattr(model, name), inside)
        elif name not in CHECKED:
            del bare.__dict__[name]
    return bare


def narrowed(job: Job, result: Result) -> Job:
    fields = [field for path in READS[result] for field in FOUND_FROM.get(path, [path])]
    return only(job, [path.split("/") for path in fields])


def empty_all_stores() -> None:
    for kept in (laminate_of, plies_of, bag_plan_of):
        kept._newest._kept.clear()


@pytest.mark.parametrize("result", list(READS))
def test_a_result_needs_no_more_than_is_declared(result: Result) -> None:
    for job in (demo_job(), slow_job(), *map(demo_job, DEMO_FILES[2:])):
        whole = WORK[result](job)
        empty_all_stores()
        assert WORK[result](narrowed(job, result)) == whole


@pytest.mark.parametrize("result", list(READS))
def test_all_that_is_declared_is_read(result: Result, monkeypatch: pytest.MonkeyPatch) -> None:
    """Else a change of it would have the result worked out in vain."""
    jobs = [with_hose(demo_job(), "feed-1", elbows=1), slow_job(), *map(demo_job, DEMO_FILES[2:])]
    read: set[tuple[str, str]] = set()

    def watched(self: Model, name: str) -> Any:
        read.add((type(self).__name__, name))
        return object.__getattribute__(self, name)

    owners = {path: type(owner_of(jobs[0], path)).__name__ for path in READS[result]}
    empty_all_stores()
    with monkeypatch.context() as watching:
        watching.setattr(Model, "__getattribute__", watched)
        for job in jobs:
            WORK[result](job)
    for path, owner in owners.items():
        assert (owner, path.split("/")[-1]) in read, f"{result} does not read {path}"


def owner_of(job: Job, path: str) -> Any:
    model: Any = job
    for step in path.split("/")[:-1]:
        model = model[0] if step == "*" else getattr(model, step)
    return model


def test_a_change_of_what_is_not_read_asks_for_nothing_new() -> None:
    job = demo_job()
    with_bucket = changed(job, bucket=revised(job.bucket, heel_kg=job.bucket.heel_kg + 0.1))
    assert laminate_of(with_bucket) is laminate_of(job)
    assert plies_of(with_bucket) is plies_of(job)
    assert read_by(with_bucket, "fill") != read_by(job, "fill")
    renamed = changed(job, name="Another", hold_rules=revised(job.hold_rules))
    assert read_by(renamed, "fill") == read_by(job, "fill")


def test_every_store_is_bounded_and_counted() -> None:
    filled(assess(demo_job()), nodes=150)
    held = stores()
    assert held["bibulon.laminate.cells.laminate_of"][0] > 0
    assert all(0 <= count <= most for count, most in held.values())
