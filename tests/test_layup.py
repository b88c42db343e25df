"""The ply book: groups, roles, coats and core as it is fitted; what a stack costs and how it closes in a mould."""

from __future__ import annotations

import math

import pytest
from conftest import bare_panel, rectangle
from hypothesis import given
from hypothesis import strategies as some
from pydantic import ValidationError

from bibulon.assess import assess
from bibulon.job import Job
from bibulon.job.cards import CoreCard, FabricCard, ResinCard
from bibulon.job.edits import (
    changed,
    grouped_layup,
    mirrored_layup,
    renamed_group,
    revised,
    with_card,
    with_layup,
    with_region,
    with_value,
    without_region,
)
from bibulon.job.layup import Layer, PlyGroup
from bibulon.job.part import Region
from bibulon.laminate.cells import laminate_of
from bibulon.laminate.closed_mould import closed_at
from bibulon.laminate.compaction import HAND_PA, fibre_fraction, ply_thickness_m
from bibulon.laminate.corner import stands_off_core_m
from bibulon.laminate.cost import part_cost
from bibulon.laminate.joints import plies_of
from bibulon.laminate.lay_list import lay_list
from bibulon.laminate.section import stack_section
from bibulon.stock import shelf_card

ANGLES = (0.0, 90.0, 45.0, -45.0)


def book(*angles: float) -> Job:
    layers = tuple(Layer(id=f"ply-{at}", card="glass-biax-800", angle_deg=angle) for at, angle in enumerate(angles))
    return changed(bare_panel(), layup=layers)


def angles_laid(job: Job) -> list[float]:
    return [layer.angle_deg for layer in job.laid]


@given(some.lists(some.sampled_from(ANGLES), min_size=2, max_size=6), some.integers(1, 4), some.data())
def test_a_group_weighs_and_lists_as_if_its_entries_were_written_out(
    angles: list[float], times: int, data: some.DataObject
) -> None:
    first = data.draw(some.integers(0, len(angles) - 2))
    last = data.draw(some.integers(first + 1, len(angles) - 1))
    job = book(*angles)
    for at in range(first + 1, last + 1):
        job = grouped_layup(job, f"ply-{at}")
    assert angles_laid(job) == angles, "a group that is made changes nothing of the stack"
    job = with_value(job, f"groups/{job.groups[0].name}/times", times)
    written = angles[:first] + angles[first : last + 1] * times + angles[last + 1 :]
    plain = book(*written)
    assert angles_laid(job) == written
    ours, theirs = laminate_of(job), laminate_of(plain)
    assert ours.total.dry_mass_kg == pytest.approx(theirs.total.dry_mass_kg)
    assert ours.cells[0].stack.levels == theirs.cells[0].stack.levels
    assert [line.text for line in lay_list(job)] == [line.text for line in lay_list(plain)]
    assert [ply.joints for ply in plies_of(job)] == [ply.joints for ply in plies_of(plain)]
    assert len({(ply.layer, ply.turn) for ply in plies_of(job)}) == len(written)


def test_groups_stay_whole_whatever_is_done_to_the_book() -> None:
    job = grouped_layup(grouped_layup(book(0, 90, 45, -45), "ply-1"), "ply-2")
    assert [layer.group for layer in job.layup] == ["group 1", "group 1", "group 1", None]
    layers = list(job.layup)
    broken = with_layup(job, [layers[0], layers[3], layers[1], layers[2]])
    assert [layer.group for layer in broken.layup] == ["group 1", None, None, None]
    assert with_layup(job, layers[3:]).groups == ()
    out = grouped_layup(job, "ply-2")
    assert [layer.group for layer in out.layup] == ["group 1", "group 1", None, None]
    named = renamed_group(job, "group 1", "bias pair")
    assert named.groups == (PlyGroup(name="bias pair", times=1),) and named.layup[1].group == "bias pair"
    with pytest.raises(ValueError, match="no entry before"):
        grouped_layup(book(0, 90), "ply-0")
    with pytest.raises(ValidationError, match="broken by other entries"):
        changed(job, layup=(layers[0], layers[3], layers[1]))
    region = with_region(job, Region(name="half", outline=rectangle(0, 0, 0.5, 0.4)))
    region = changed(region, layup=tuple(revised(one, region="half") for one in region.layup[:3]) + region.layup[3:])
    assert without_region(region, "half").groups == ()
    # mirrored, a repeated group is written out: 0 90 45 twice, then 45 once and the rest the other way round
    twice = with_value(job, "groups/group 1/times", 2)
    mirrored = angles_laid(mirrored_layup(twice))
    assert mirrored == mirrored[::-1] and len(mirrored) == 14


def test_a_coat_adds_weight_and_height_and_no_resin_and_stays_out_of_symmetry() -> None:
    bare = changed(book(0, 90, 90, 0), cards=(*bare_panel().cards, shelf_card("gel-coat-polyester")))
    coated = with_layup(bare, (Layer(id="coat", card="gel-coat-polyester"), *bare.layup))
    one, other = (laminate_of(job).cells[0].stack for job in (bare, coated))
    assert other.thickness_m - one.thickness_m == pytest.approx(0.0005)
    assert other.areal_weight_kg_m2 - one.areal_weight_kg_m2 == pytest.approx(0.6)
    assert other.capacity_m == one.capacity_m and other.fibre_fraction == one.fibre_fraction
    assert lay_list(coated)[0].label == "S1" and len(plies_of(coated)) == 4
    assert len(mirrored_layup(coated).layup) == 9
    with pytest.raises(ValidationError, match="cannot be a core"):
        with_value(coated, "layup/ply-1/role", "core")


def test_spreads_widen_with_the_cards_and_the_loose_stack_is_thicker() -> None:
    stack = laminate_of(book(0, 0)).cells[0].stack
    assert stack.loose_m > stack.thickness_m == stack.laminate_thickness_m
    assert stack.fibre_fraction_spread == pytest.approx(1.04)
    sure = revised(bare_panel().card("glass-biax-800", FabricCard), fibre_fraction_spread=1.0)
    assert laminate_of(with_card(book(0, 0), sure)).cells[0].stack.fibre_fraction_spread == 1.0
    fabric = bare_panel().card("glass-biax-800", FabricCard)
    assert stack.through_spread == pytest.approx(fabric.permeability_through_m2.spread)
    plain = with_card(book(0), shelf_card("foam-plain-20"))
    shut = with_layup(plain, (*plain.layup, Layer(id="core", card="foam-plain-20")))
    assert math.isinf(laminate_of(shut).cells[0].stack.through_resistance_m)


def cored(laying: dict[str, float]) -> Job:
    job = with_card(book(0, 0), shelf_card("foam-perforated-20"))
    job = with_region(job, Region(name="core", outline=rectangle(0.2, 0.1, 0.8, 0.3)))
    layers = (job.layup[0], Layer(id="core", card="foam-perforated-20", region="core"), job.layup[1])
    return changed(job, layup=layers, core_laying=laying)


def test_joints_of_core_take_resin_that_is_charged_and_flows() -> None:
    tight, open_ = cored({}), cored({"joint_gap_m": 0.002})
    core = tight.card("foam-perforated-20", CoreCard)
    more = 0.002 * core.thickness_m * (1 / core.sheet_length_m + 1 / core.sheet_width_m) * 0.6 * 0.2
    resin = tight.card(tight.charge.resin, ResinCard).density_kg_m3
    items = [{item.name: item.mass_kg for item in assess(job).charge.items} for job in (tight, open_)]
    name = "Core grooves and perforations"
    assert items[1][name] - items[0][name] == pytest.approx(more * resin, rel=1e-6)
    stacks = [max((c.stack for c in laminate_of(j).cells), key=lambda s: s.thickness_m) for j in (tight, open_)]
    assert stacks[1].transmissivity_m3[0][0] > stacks[0].transmissivity_m3[0][0]
    held = [sum(level.capacity_m for level in stack.levels) for stack in stacks]
    assert held[1] - held[0] == pytest.approx(stacks[1].capacity_m - stacks[0].capacity_m)


def test_a_bevelled_core_rises_from_its_edge_in_the_section() -> None:
    across = ((0.5, 0.0), (0.5, 0.4))
    square = next(level for level in stack_section(cored({}), *across, 401).levels if level.core)
    bevelled = next(level for level in stack_section(cored({"chamfer": 3.0}), *across, 401).levels if level.core)
    at = {round(y * 1000): n for n, y in enumerate(stack_section(cored({}), *across, 401).stations_m)}
    assert square.thickness_m[at[101]] == pytest.approx(0.02)
    assert bevelled.thickness_m[at[130]] == pytest.approx(0.010)  # 30 mm in, 1 in 3
    assert bevelled.thickness_m[at[200]] == pytest.approx(0.02)
    assert math.isnan(bevelled.thickness_m[at[90]])


def test_a_closed_mould_packs_by_areal_weight_and_its_load_undoes_the_packing_law() -> None:
    job = book(0, 90, 0)
    fabric = job.card("glass-biax-800", FabricCard)
    for pressure in (2e4, 9.5e4, 1e6):
        fraction = fabric.fibre_fraction * (pressure / fabric.reference_pressure_pa) ** fabric.compaction_exponent
        cavity = 3 * fabric.areal_weight_kg_m2 / (fabric.fibre_density_kg_m3 * fraction)
        found = closed_at(job.layup, job.cards, cavity)
        assert found.fibre_fraction == pytest.approx(fraction)
        assert found.pressure_pa == pytest.approx(pressure, rel=1e-6)
    assert closed_at(job.layup, job.cards, 0.1).pressure_pa == 0.0
    assert closed_at(job.layup, job.cards, 0.0009).pressure_pa is None
    with pytest.raises(ValueError, match="thicker than the cavity"):
        closed_at(cored({}).layup, cored({}).cards, 0.02)


def test_materials_cost_what_their_cards_say_and_a_missing_price_is_named() -> None:
    job = changed(book(0, 0), cards=tuple(revised(card, price=None) for card in book(0).cards))
    fabric, resin = job.card("glass-biax-800", FabricCard), job.resin
    assert part_cost(job).amount == 0 and set(part_cost(job).unpriced) == {fabric.name, resin.name}
    job = with_card(with_card(job, revised(fabric, price=4.0)), revised(resin, price=10.0))
    stack = laminate_of(job).cells[0].stack
    by_hand = (2 * 4.0 + 10.0 * stack.void_m * resin.density_kg_m3) * 0.4
    assert part_cost(job).amount == pytest.approx(by_hand) and part_cost(job).unpriced == ()


def test_plies_over_a_core_edge_slide_by_its_slope_and_stand_off_square_ones() -> None:
    """Two plies, packed by h from loose: round 90° they have to slide π/2·h; bevelled 1 in 3 a fifth of that."""
    card = shelf_card("glass-biax-800")
    layers = (Layer(id="a", card=card.id, count=3),)
    loose, packed = (3 * ply_thickness_m(card, fibre_fraction(card, pa)) for pa in (HAND_PA, 98_000.0))
    square = stands_off_core_m(layers, (card,), 98_000.0, 0.025, 0.0)
    half = math.pi / 4
    by_hand = (math.pi / 2) / (2 * math.tan(half) - math.pi / 2) * (1 / math.cos(half) - 1) * (loose - packed)
    assert square == pytest.approx(by_hand)
    assert stands_off_core_m(layers, (card,), 98_000.0, 0.025, 3.0) == 0.0
    assert stands_off_core_m(layers, (card,), 98_000.0, 0.001, 0.0) == 0.0005, "no more than half of a thin core"
