"""Several parts under one bag: what doubles, what does not, and where the others lie."""

from __future__ import annotations

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely import Polygon, box

from bibulon.assess import assess, filled
from bibulon.bag.film import bag_plan_of
from bibulon.bag.together import bagged_part, placings
from bibulon.job import Job
from bibulon.job.edits import changed, revised
from bibulon.job.storage import dump, parse
from bibulon.planning.to_prepare import needs_of
from bibulon.record.run_list import run_list


def together(job: Job, parts: int = 2, **fields: object) -> Job:
    return changed(job, bag=revised(job.bag, parts=parts, **fields))


@given(parts=st.integers(2, 6), apart=st.floats(0, 0.5), along=st.sampled_from(("x", "y")), mirrored=st.booleans())
def test_the_others_lie_apart_and_the_bag_goes_round_them_all(parts, apart, along, mirrored) -> None:
    from bibulon.demo import demo_job

    job = together(demo_job(), parts, parts_apart_m=apart, parts_along=along, parts_mirrored=mirrored)
    every = [Polygon(place(job.part.outline)) for place in placings(job)]
    assert every[0].equals(job.part.outline.polygon)
    for one, other in pairwise(every):
        assert one.distance(other) == pytest.approx(apart, abs=1e-5) and one.area == pytest.approx(other.area)
    whole = bagged_part(job).outline.polygon
    assert all(whole.buffer(1e-3).contains(one) for one in every)
    assert whole.area == pytest.approx(box(*whole.bounds).area, rel=1e-3), "rectangles in a row are one"


def test_an_odd_part_is_mirrored_within_its_own_width(demo: Job) -> None:
    """A mirrored pair: what lies 0.3 m from the left on one lies 0.3 m from the right on the other."""
    first, second = placings(together(demo, parts_mirrored=True, parts_apart_m=0.1))
    assert first([(0.3, 0.2)]) == ((0.3, 0.2),)
    (x, y), width = second([(0.3, 0.2)])[0], 4.2
    assert (x, y) == pytest.approx((width + 0.1 + width - 0.3, 0.2))


def test_charge_hold_test_and_what_to_prepare_are_for_all_of_them(demo: Job) -> None:
    pair = changed(together(demo), charge=revised(demo.charge, people=2, scales=2))  # two mix for two
    one, two = (filled(assess(job), 300) for job in (demo, pair))
    assert two.fill.fill_time_s == pytest.approx(one.fill.fill_time_s, rel=0.05), "but for its batches, as alone"
    singly = {item.name: item.mass_kg for item in one.charge.items}
    for item in two.charge.items:
        times = 1 if item.name == "Bucket heel" else 2  # the fill bleeds more than is planned
        if item.name != "Contingency":
            assert item.mass_kg == pytest.approx(times * singly[item.name], rel=0.02), item.name
    assert two.drawn_curve[1][-1] == pytest.approx(2 * one.drawn_curve[1][-1], rel=0.02)
    assert sum(batch.mass_kg for batch in two.batches) == pytest.approx(two.charge.total_kg)
    assert len(two.batches) > len(one.batches), "the largest batch is as large as it was"
    assert two.evacuated_m3 == pytest.approx(2 * one.evacuated_m3)
    amounts = [{need.what: need.amount for need in needs_of(a)} for a in (one, two)]
    fabric = next(name for name in amounts[0] if "lass" in name)
    assert amounts[1][fabric] == pytest.approx(2 * amounts[0][fabric])
    assert any("F1 on all 2 parts" in step.text for step in run_list(two))
    assert parse(dump(two.job)) == two.job


def test_each_part_has_its_ports_and_pleats(demo: Job) -> None:
    alone, pair = bag_plan_of(demo), bag_plan_of(together(demo, parts_along="y", parts_apart_m=0.2))
    assert pair.ports == 2 * alone.ports and pair.tape_m > alone.tape_m
    assert {pleat.of for pleat in pair.pleats if pleat.why == "port"} >= {"F1a", "F1b"}
    longer = 1.4 + 0.2
    ring = Polygon(pair.tape_line)
    assert ring.bounds[3] - ring.bounds[1] == pytest.approx(longer + 1.4 + demo.part.flange_width_m, abs=0.01)
