"""A job that is written in another way, or lies elsewhere, is the same job: each demo has the same answers."""

from __future__ import annotations

import json
from collections.abc import Callable
from functools import cache
from typing import Any

import pytest

from bibulon.assess import Assessment, assess, filled
from bibulon.cautions import cautions_of
from bibulon.demo import DEMO_FILES, demo_job
from bibulon.job.storage import dump, parse

Written = dict[str, Any]


def moved(job: Written, to: Callable[[float, float], tuple[float, float]]) -> Written:
    """Every place of *job* elsewhere."""

    def each(points: list[Any]) -> list[Any]:
        return [[*to(*point[:2]), *point[2:]] for point in points]

    part = job["part"]
    part["outline"], part["relief"] = each(part["outline"]), each(part["relief"])
    for shape in (*job["regions"], *job["media"]):
        shape["outline"] = each(shape["outline"])
    for line in job["lines"]:
        line["points"] = each(line["points"])
    for fitting in job["pair"]["fittings"]:
        fitting["place"] = list(to(*fitting["place"]))
    return job


def turned_right_round(job: Written) -> Written:
    return moved(job, lambda x, y: (-x, -y))


def elsewhere(job: Written) -> Written:
    return moved(job, lambda x, y: (x + 3.0, y - 2.0))


def ply_by_ply(job: Written) -> Written:
    """Plies that are counted as one entry stand as so many."""
    job["layup"] = [
        {**layer, "count": 1, "id": f"{layer['id']}-{number}"}
        for layer in job["layup"]
        for number in range(layer["count"])
    ]
    return job


def backwards(job: Written) -> Written:
    """Outlines and lines are drawn from their other end, and what stands in lists in the other order."""
    shapes = (job["part"], *job["regions"], *job["media"])
    for shape in shapes:
        shape["outline"] = [shape["outline"][0], *shape["outline"][:0:-1]]
    for line in job["lines"]:
        line["points"], line["port_at"] = line["points"][::-1], 1 - line["port_at"]
    for name in ("lines", "media", "regions", "cards"):
        job[name] = job[name][::-1]
    job["pair"]["fittings"] = job["pair"]["fittings"][::-1]
    return job


def under_other_names(job: Written) -> Written:
    text = json.dumps(job)
    others = [card for card in job["cards"] if card["id"] != card.get("chemistry")]  # a word of its own there
    for number, card in enumerate(others):
        text = text.replace(f'"{card["id"]}"', f'"card-{number}"')
    renamed = json.loads(text)
    assert isinstance(renamed, dict)
    return renamed


def an_hour_later(job: Written) -> Written:
    job["shop"]["shot_start_s"] += 3600.0
    job["shop"]["shift_end_s"] += 3600.0
    return job


@cache
def answered(demo: str) -> Assessment:
    return filled(assess(demo_job(demo)), 400)


@pytest.mark.parametrize("demo", DEMO_FILES)
@pytest.mark.parametrize(
    "other", [turned_right_round, elsewhere, ply_by_ply, backwards, under_other_names, an_hour_later]
)
def test_a_job_written_otherwise_has_the_same_answers(demo: str, other: Callable[[Written], Written]) -> None:
    plain = answered(demo)
    same = filled(assess(parse(json.dumps(other(json.loads(dump(demo_job(demo))))))), 400)
    assert plain.fill is not None and same.fill is not None
    assert same.fill.stopped_by == plain.fill.stopped_by == "filled"
    assert same.fill.end_s == pytest.approx(plain.fill.end_s, rel=0.02)
    assert same.charge.total_kg == pytest.approx(plain.charge.total_kg, rel=0.01)
    assert len(same.batches) == len(plain.batches)
    assert same.gel_margin_s == pytest.approx(plain.gel_margin_s, abs=0.03 * plain.fill.end_s + 60.0)
    assert same.cure.release_s == pytest.approx(plain.cure.release_s, rel=0.01)
    assert same.laminate.total.dry_mass_kg == pytest.approx(plain.laminate.total.dry_mass_kg, rel=1e-4)
    assert {one.id for one in cautions_of(same)} == {one.id for one in cautions_of(plain)}
