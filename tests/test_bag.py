"""Film, its pleats and its tape."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from conftest import rectangle
from hypothesis import given
from hypothesis import strategies as st

from bibulon.bag.film import bag_materials, bag_plan
from bibulon.bag.pleats import Port
from bibulon.bag.slack import film_slack
from bibulon.job.cards import FilmCard, TapeCard
from bibulon.job.edits import revised
from bibulon.job.part import Bag, Part, ReliefFigures
from bibulon.job.places import FLAT, Relief
from bibulon.laminate.relief import developed_length_m
from bibulon.laminate.relief_shapes import made_relief
from bibulon.stock import shelf_card


def test_film_by_hand() -> None:
    part = Part(outline=rectangle(0, 0, 2.0, 1.0), flange_width_m=0.1)
    plan = bag_plan(part, Bag(film_excess=0.44, excess_per_pleat_m=0.15, tape_width_m=0.01))
    assert plan.film_length_m == pytest.approx(2.1 * 1.2 + 0.02)
    assert plan.film_width_m == pytest.approx(1.1 * 1.2 + 0.02)
    assert plan.tape_m == pytest.approx(2 * (2.1 + 1.1) + 0.04)
    assert plan.excess_m == pytest.approx(6.4 * 0.2)
    assert plan.pleats_needed == 4 + 2 * 2 + 2, "a corner each, two on the long sides, one on the short ones"
    assert sum(2 * pleat.height_m for pleat in plan.pleats) == pytest.approx(1.28)
    on_long = [pleat.height_m for pleat in plan.pleats if pleat.why == "film" and abs(pleat.place[0] - 1) < 0.9]
    assert on_long == pytest.approx([2.1 * 0.2 / 3 / 2] * 4), "alike on a straight edge, and on the one across"
    assert [pleat.last for pleat in plan.pleats] == [False] * 9 + [True]
    corners = {(round(x, 3), round(y, 3)) for x, y in plan.pleat_places}
    assert {(-0.05, -0.05), (2.05, -0.05), (2.05, 1.05), (-0.05, 1.05)} <= corners


@given(excess=st.floats(0, 1), planned=st.none() | st.integers(0, 40), sides=st.integers(3, 30))
def test_pleats_lie_on_the_tape_and_apart(excess: float, planned: int | None, sides: int) -> None:
    angles = np.linspace(0, 2 * np.pi, sides, endpoint=False)
    part = Part(outline=tuple((float(np.cos(a)), float(np.sin(a))) for a in angles))
    plan = bag_plan(part, Bag(film_excess=excess, pleats=planned))
    assert len(plan.pleat_places) == plan.pleats_planned
    assert len({(round(x, 6), round(y, 6)) for x, y in plan.pleat_places}) == plan.pleats_planned


def test_film_wider_than_its_roll_is_joined_and_priced() -> None:
    part = Part(outline=rectangle(0, 0, 4.0, 2.0), flange_width_m=0.1)
    plan = bag_plan(part, Bag(film_excess=0.44))
    film, tape = shelf_card("film-nylon-50"), shelf_card("tape-general-12")
    assert isinstance(film, FilmCard) and isinstance(tape, TapeCard)
    assert plan.film_width_m > film.width_m
    found = bag_materials(plan, film, tape)
    # two widths with one overlap cover it, one does not
    assert found.film_widths == 2 and 2 * film.width_m - 0.05 >= plan.film_width_m
    assert found.film_m == pytest.approx(2 * plan.film_length_m)
    assert found.tape_m == pytest.approx(plan.tape_m + plan.film_length_m)
    assert film.price is not None and tape.price is not None
    assert found.cost == pytest.approx(found.film_m * film.width_m * film.price + found.tape_m * tape.price)
    assert bag_materials(plan, film, None).cost is None
    wide = revised(film, width_m=5.0)
    assert bag_materials(plan, wide, tape).film_m == plan.film_length_m


def test_film_and_tape_follow_the_mould() -> None:
    radius = 1.0
    xs = np.linspace(0.2, 1.8, 161)
    arch = Relief((float(x), y, float(np.sqrt(radius**2 - (x - radius) ** 2))) for x in xs for y in (-0.2, 1.2))
    flat = Part(outline=rectangle(0.3, 0, 1.7, 1.0), flange_width_m=0.1)
    bag = Bag(film_excess=0.21, tape_width_m=0.01)
    plan, on_plan = bag_plan(revised(flat, relief=arch), bag), bag_plan(flat, bag)
    arc = 2 * radius * math.asin(0.75)
    assert plan.film_length_m == pytest.approx(arc * 1.1 + 0.02, rel=2e-3)
    assert plan.film_width_m == pytest.approx(1.1 * 1.1 + 0.02, rel=1e-6)
    assert plan.tape_m == pytest.approx(2 * (arc + 1.1) + 0.04, rel=2e-3)
    assert plan.pleats_needed >= on_plan.pleats_needed and on_plan.film_length_m == pytest.approx(1.5 * 1.1 + 0.02)
    assert developed_length_m(arch, [(0.25, 0.5), (1.75, 0.5)]) == pytest.approx(arc, rel=1e-3)
    assert developed_length_m(FLAT, [(0, 0), (3, 4)]) == 5.0


def test_pleats_of_a_deep_tub_stand_where_its_walls_are_and_flat_film_has_its_slack_everywhere() -> None:
    outline = rectangle(0, 0, 2.0, 1.0)
    flat = Part(outline=outline, flange_width_m=0.1)
    bag = Bag(film_excess=0.44)
    slack = film_slack(flat.relief, bag_plan(flat, bag))
    assert slack.least == pytest.approx(0.2, abs=0.02) and slack.most == pytest.approx(0.2, abs=0.02)
    tub = revised(flat, relief=made_relief(outline, ReliefFigures(edge_depth_m=0.4, edge_width_m=0.3)))
    plan = bag_plan(tub, bag)
    walls = [pleat for pleat in plan.pleats if pleat.why != "corner" and abs(pleat.place[0] - 1.0) > 0.65]
    middle = [pleat for pleat in plan.pleats if pleat.why != "corner" and abs(pleat.place[0] - 1.0) <= 0.65]
    assert len(walls) > len(middle), "most of the film is gathered where the walls rise"
    # along a long side: the way over the bottom, longer by the root of the excess, less the tape
    over = developed_length_m(tub.relief, [(-0.05, 0.5), (2.05, 0.5)])
    long_side = [pleat for pleat in plan.pleats if pleat.place[1] < 0 and pleat.why != "corner"]
    corners = [pleat for pleat in plan.pleats if pleat.place[1] < 0 and pleat.why == "corner"]
    gathered = sum(2 * pleat.height_m for pleat in long_side) + sum(pleat.height_m for pleat in corners)
    assert gathered == pytest.approx(1.2 * over - 2.1, rel=0.12)
    apart = sorted(pleat.place[0] for pleat in plan.pleats if pleat.place[1] < 0)
    assert min(after - before for before, after in pairwise(apart)) >= 0.12 - 1e-6
    assert film_slack(tub.relief, plan).least > 0
    scant = bag_plan(tub, revised(bag, film_excess=0.0, pleats=0))
    assert film_slack(tub.relief, scant).least < -0.2, "without pleats it spans the tub"


def test_ports_that_come_up_at_one_place_of_the_tape_get_pleats_apart() -> None:
    part = Part(outline=rectangle(0, 0, 3, 1))
    at_one = (Port((1.5, 0.5), "F1"), Port((1.5, 1.0), "V2"), Port((1.5, 0.98), "V3"))
    plan = bag_plan(part, Bag(), at_one)
    stations = {pleat.of: pleat.place[0] for pleat in plan.pleats if pleat.why == "port"}
    assert set(stations) == {"F1", "V2", "V3"}
    xs = sorted(stations.values())
    assert xs[1] - xs[0] == pytest.approx(0.12, abs=1e-6) == xs[2] - xs[1]


def test_a_line_that_ends_beside_the_tape_gets_a_pleat_unless_one_stands_there() -> None:
    part = Part(outline=rectangle(0, 0, 3, 1))
    ends = (Port((0.02, 0.5), "F1", is_end=True), Port((2.98, 0.5), "F1", is_end=True))
    plan = bag_plan(part, Bag(), (), ends)
    assert [pleat.of for pleat in plan.pleats if pleat.why == "line end"] == ["F1", "F1"]
    assert {round(pleat.place[0], 2) for pleat in plan.pleats if pleat.why == "line end"} == {-0.05, 3.05}
    with_port = bag_plan(part, Bag(), (Port((0.0, 0.6), "V1"),), ends)
    assert [pleat.place[0] > 2 for pleat in with_port.pleats if pleat.why == "line end"] == [True], "V1's serves one"
    middle = (Port((0.4, 0.5), "F2", is_end=True), Port((0.02, 0.05), "F3", is_end=True))
    assert not [pleat for pleat in bag_plan(part, Bag(), (), middle).pleats if pleat.why == "line end"]
    assert plan.pleats_needed >= bag_plan(part, Bag()).pleats_needed


def test_a_tube_goes_round_mould_and_part_and_is_taped_at_its_ends() -> None:
    """By hand: 2 m × 1 m, flange 0.1 m: 2.1 × 1.1 m taped; 44 % more area is a fifth more each way; 30 mm of mould."""
    part = Part(outline=rectangle(0, 0, 2.0, 1.0), flange_width_m=0.1)
    bag = Bag(shape="tube", film_excess=0.44, mould_thickness_m=0.03, tape_width_m=0.012)
    plan = bag_plan(part, bag)
    assert plan.film_width_m == pytest.approx(1.1 * 1.2 + 0.03)
    assert plan.film_length_m == pytest.approx(2.1 * 1.2 + 0.03 + 8 * 0.012)
    assert plan.tape_m == pytest.approx(2 * (1.1 * 1.2 + 0.03 + 0.024))
    assert plan.pleats == () and len(plan.courses) == 2
    for course in plan.courses:
        assert math.dist(*course) == pytest.approx(1.1), "across the ends"
    film = revised(shelf_card("film-nylon-50"), width_m=1.5, price=1.0)
    tape = revised(shelf_card("tape-general-12"), price=0.0)
    takes = bag_materials(plan, film, tape)
    assert takes.film_widths == 2 and takes.film_m == pytest.approx(2 * plan.film_length_m)
    assert takes.tape_m == pytest.approx(plan.tape_m + 2 * plan.film_length_m)
    assert takes.cost == pytest.approx(takes.film_m * 1.5)


def test_a_tube_slacks_where_the_way_round_is_shorter_than_the_longest() -> None:
    """A dome: over its top the tube has the excess it was given, beside it more."""
    part = Part(outline=rectangle(0, 0, 2.0, 1.0))
    relief = made_relief(part.outline, ReliefFigures(across_m=0.2))
    domed = revised(part, relief=relief)
    slack = film_slack(relief, bag_plan(domed, Bag(shape="tube", film_excess=0.21)))
    assert slack.least == pytest.approx(0.1, abs=0.02) and slack.most >= slack.least


def test_film_folded_to_a_box_needs_no_pleats_for_the_walls() -> None:
    """A block 0.3 m high with steep walls: by hand, seams a tenth higher, and pleats as on a flat mould; of
    a sheet the walls ask for half a metre and more to be gathered at each corner."""
    ring, top = rectangle(-0.1, -0.1, 1.1, 0.7), rectangle(0.02, 0.02, 0.98, 0.58)
    edge = rectangle(0.0, 0.0, 1.0, 0.6)
    relief = Relief([*((x, y, 0.0) for x, y in (*ring, *edge)), *((x, y, 0.3) for x, y in top)])
    block = Part(outline=edge, flange_width_m=0.1, relief=relief)
    sheet, box = (bag_plan(block, Bag(shape=shape, film_excess=0.21)) for shape in ("sheet", "box"))
    flat = bag_plan(revised(block, relief=()), Bag(film_excess=0.21))
    assert box.box is not None and box.box.height_m == pytest.approx(0.3 * 1.1, rel=1e-3)
    assert (box.film_length_m, box.film_width_m) == (sheet.film_length_m, sheet.film_width_m)
    assert box.film_length_m == pytest.approx((1.1 + 2 * 0.3) * 1.1, rel=0.02)
    assert box.tape_m == pytest.approx(sheet.tape_m + 4 * 0.33, rel=1e-3)
    assert box.excess_m == pytest.approx(flat.excess_m) and sheet.excess_m > box.excess_m + 4 * 0.5
    assert len(box.pleats) == len(flat.pleats) < len(sheet.pleats)
    assert film_slack(relief, box).least == pytest.approx(0.1, abs=0.02)
    assert bag_plan(revised(block, relief=()), Bag(shape="box")).box is None, "a flat mould asks for none"


def test_film_is_taped_round_openings_that_are_cut_out() -> None:
    part = Part(outline=rectangle(0, 0, 2.0, 1.0), holes=(rectangle(0.5, 0.3, 1.0, 0.7),), flange_width_m=0.1)
    over, out = (bag_plan(part, Bag(openings=way)) for way in ("covered", "cut out"))
    round_hole = 2 * (0.4 + 0.3)  # half a flange inside the hole, all round
    assert out.tape_m - over.tape_m == pytest.approx(round_hole + 4 * Bag().tape_width_m)
    assert len(out.courses) == 2 and over.courses == out.courses[:1]
