"""Cells and stacks against hand calculation."""

from __future__ import annotations

import numpy as np
import pytest
from conftest import bare_panel, rectangle
from hypothesis import given
from hypothesis import strategies as st
from shapely import LineString, Point, Polygon, box

from bibulon.assess import assess
from bibulon.cautions import cautions_of
from bibulon.job import Job
from bibulon.job.cards import AdhesiveCard, CoatCard, CoreCard, FabricCard, MediaCard, PeelPlyCard
from bibulon.job.edits import (
    changed,
    grouped_layup,
    mirrored_job,
    revised,
    with_card,
    with_region,
    with_value,
    without_region,
)
from bibulon.job.layup import CoreLaying, Layer, Preform
from bibulon.job.mould import Corner
from bibulon.job.part import Part, Region, ReliefFigures
from bibulon.laminate.cells import laminate_of
from bibulon.laminate.closed_mould import closed_at
from bibulon.laminate.compaction import fibre_fraction, in_plane_permeability, kozeny_carman_ratio, packed_figures
from bibulon.laminate.core import (
    cut_pattern,
    duct_conductance_m4,
    groove_transmissivity_m3,
    groove_volume_m,
    joint_transmissivity_m3,
    joint_volume_m,
    lets_resin_through,
    perforation_volume_m,
)
from bibulon.laminate.found_corners import found_corners
from bibulon.laminate.lay_list import lay_list
from bibulon.laminate.preform import preform_weight_kg
from bibulon.laminate.relief_shapes import made_relief
from bibulon.planning.to_prepare import needs_of
from bibulon.resin.charge import charge_of
from bibulon.stock import shelf, shelf_card


def test_stack_by_hand(panel: Job) -> None:
    fabric = panel.card("glass-biax-800", FabricCard)
    pressure = panel.shop.barometer_pa - panel.vacuum.cavity_pa
    vf = 0.53 * (pressure / 95_000) ** 0.07
    thickness = 3 * 0.8 / (2560 * vf)
    (cell,) = laminate_of(panel).cells
    assert fibre_fraction(fabric, pressure) == pytest.approx(vf)
    assert cell.stack.thickness_m == pytest.approx(thickness)
    assert cell.stack.fibre_fraction == pytest.approx(vf)
    assert cell.stack.void_m == pytest.approx(thickness * (1 - vf))
    assert cell.stack.areal_weight_kg_m2 == pytest.approx(2.4)
    assert laminate_of(panel).total.dry_mass_kg == pytest.approx(2.4 * 0.4)
    k = 1.2e-10 * ((1 - vf) ** 3 / vf**2) / ((1 - 0.53) ** 3 / 0.53**2)
    assert cell.stack.transmissivity_m3[0][0] == pytest.approx(k * thickness)


def test_a_turned_ply_turns_its_permeability() -> None:
    fabric = shelf_card("glass-uni-600")
    assert isinstance(fabric, FabricCard)
    turned = in_plane_permeability(fabric, fabric.fibre_fraction, 30.0)
    values, vectors = np.linalg.eigh(turned)
    assert values == pytest.approx([0.5e-10, 1.5e-10])
    angle = np.degrees(np.arctan2(vectors[1, 1], vectors[0, 1])) % 180
    assert angle == pytest.approx(30.0)


@given(load=st.floats(1.0, 3e5), angle=st.floats(-90, 90))
def test_what_one_ply_adds_to_a_stack_by_hand(load: float, angle: float) -> None:
    fabric = shelf_card("glass-uni-600")
    assert isinstance(fabric, FabricCard)
    packed = fabric.fibre_fraction * (max(load, 100.0) / fabric.reference_pressure_pa) ** fabric.compaction_exponent
    vf = min(packed, 0.80)
    height = fabric.areal_weight_kg_m2 / (fabric.fibre_density_kg_m3 * vf)
    open_by = (1 - vf) ** 3 / vf**2 / ((1 - fabric.fibre_fraction) ** 3 / fabric.fibre_fraction**2)
    along, across = (k.value * open_by for k in (fabric.permeability_along_m2, fabric.permeability_across_m2))
    c, s = np.cos(np.radians(angle)), np.sin(np.radians(angle))
    by_hand = (
        height,
        (1 - vf) * height,
        (along * c**2 + across * s**2) * height,
        (along - across) * s * c * height,
        (along * s**2 + across * c**2) * height,
        height / (fabric.permeability_through_m2.value * open_by),
    )
    assert packed_figures(fabric, angle, (load,))[0] == pytest.approx(by_hand, rel=1e-9, abs=1e-24)
    assert fibre_fraction(fabric, load) == pytest.approx(vf) and kozeny_carman_ratio(vf, vf) == 1.0


@given(share=st.floats(0.2, 4.0), count=st.integers(1, 30))
def test_a_closed_mould_undoes_the_packing_of_one_fabric(share: float, count: int) -> None:
    """Closed form for one fabric beside core and coat: ``P = P₀ (Vf/Vf₀)^(1/B)``."""
    fabric, core = shelf_card("glass-biax-800"), shelf_card("foam-grooved-perforated-25")
    assert isinstance(fabric, FabricCard) and isinstance(core, CoreCard)
    solid = count * fabric.areal_weight_kg_m2 / fabric.fibre_density_kg_m3
    cavity = core.thickness_m + solid / (fabric.fibre_fraction * share)
    layers = (Layer(id="p", card=fabric.id, count=count), Layer(id="c", card=core.id))
    found = closed_at(layers, (fabric, core), cavity)
    vf = fabric.fibre_fraction * share
    assert found.fibre_fraction == pytest.approx(vf) and found.room_m == pytest.approx(cavity - core.thickness_m)
    load = fabric.reference_pressure_pa * share ** (1 / fabric.compaction_exponent)
    if load < 1.0:
        assert found.pressure_pa == 0.0, "it lies loose"
    elif load > 1e8 or vf >= 1:
        assert found.pressure_pa is None, "it does not close"
    else:
        assert found.pressure_pa == pytest.approx(load, rel=1e-6)
    with pytest.raises(ValueError, match="thicker than the cavity"):
        closed_at(layers, (fabric, core), core.thickness_m)


def test_grooves_and_joints_conduct_the_way_they_run() -> None:
    shelf = shelf_card("foam-grooved-perforated-25")
    assert isinstance(shelf, CoreCard)
    one = revised(shelf, grooves="one way", perforation_pitch_m=None)
    section = one.groove_width_m * one.groove_depth_m
    assert groove_volume_m(one) == pytest.approx(section / one.groove_pitch_m)
    along = duct_conductance_m4(one.groove_width_m, one.groove_depth_m) / one.groove_pitch_m
    assert groove_transmissivity_m3(one, 0.0) == pytest.approx(np.diag([along, 0.0]))
    assert groove_transmissivity_m3(one, 90.0) == pytest.approx(np.diag([0.0, along]), abs=1e-24)
    both = groove_transmissivity_m3(revised(one, grooves="two ways"), 37.0)
    assert both == pytest.approx(np.eye(2) * along, abs=1e-20)
    plain = revised(one, grooves="none")
    assert groove_volume_m(plain) == 0.0 and not groove_transmissivity_m3(plain, 0.0).any()
    assert perforation_volume_m(plain) == 0.0
    gap = CoreLaying(joint_gap_m=0.004)
    slot = duct_conductance_m4(one.thickness_m, 0.004)
    joints = joint_transmissivity_m3(one, gap, 0.0)
    assert joints == pytest.approx(np.diag([slot / one.sheet_width_m, slot / one.sheet_length_m]))
    assert joint_volume_m(one, gap) == pytest.approx(
        0.004 * one.thickness_m * (one.sheet_length_m + one.sheet_width_m) / (one.sheet_length_m * one.sheet_width_m)
    )
    assert not joint_transmissivity_m3(one, CoreLaying(), 0.0).any()
    half = one.thickness_m / 2
    words = {depth: cut_pattern(revised(one, groove_depth_m=depth)) for depth in (half, half * 1.01, one.thickness_m)}
    assert list(words.values()) == ["grooved one way", "scored one way", "slit one way"]


def test_core_volumes_by_hand() -> None:
    core = shelf_card("foam-grooved-perforated-25")
    assert isinstance(core, CoreCard)
    assert groove_volume_m(core) == pytest.approx(2 * 0.001 * 0.0012 / 0.03 - 0.001**2 * 0.0012 / 0.03**2)
    assert perforation_volume_m(core) == pytest.approx(np.pi / 4 * 0.002**2 * 0.025 / 0.03**2)


@pytest.mark.parametrize("ratio", [0.2, 0.5, 0.7, 1.0])
def test_duct_formula_against_the_full_series(ratio: float) -> None:
    b, a = ratio, 1.0
    odd = np.arange(1, 200, 2)
    series = a * b**3 / 12 * (1 - 192 * b / (np.pi**5 * a) * np.sum(np.tanh(odd * np.pi * a / (2 * b)) / odd**5))
    assert duct_conductance_m4(a, b) == pytest.approx(series, rel=0.14 if ratio > 0.7 else 0.04)


@given(x0=st.floats(-0.2, 0.8), x1=st.floats(0.1, 0.6), y0=st.floats(-0.2, 0.3), y1=st.floats(0.05, 0.4))
def test_cells_share_out_the_part_exactly(x0: float, x1: float, y0: float, y1: float) -> None:
    job = bare_panel()
    job = with_region(job, Region(name="patch", outline=rectangle(x0, y0, x0 + x1, y0 + y1)))
    job = changed(job, layup=(*job.layup, Layer(id="more", card="glass-biax-800", region="patch")))
    cells = laminate_of(job).cells
    assert sum(cell.area_m2 for cell in cells) == pytest.approx(0.4, rel=1e-3)
    inside = max(min(x0 + x1, 1) - max(x0, 0), 0) * max(min(y0 + y1, 0.4) - max(y0, 0), 0)
    mass = laminate_of(job).total.dry_mass_kg
    assert mass == pytest.approx(0.4 * 2.4 + inside * 0.8, abs=2e-3)


def test_plain_core_over_plies_starves_the_tool_side(demo: Job) -> None:
    plain = revised(demo.card("foam-grooved-perforated-25", CoreCard), perforation_pitch_m=None)
    job = changed(demo, cards=tuple(plain if card.id == plain.id else card for card in demo.cards))
    assert any(cell.stack.starved_side for cell in laminate_of(job).cells)
    assert not any(cell.stack.starved_side for cell in laminate_of(demo).cells)


def test_a_region_takes_its_plies_with_it(demo: Job) -> None:
    gone = without_region(demo, "core")
    assert all(layer.region != "core" for layer in gone.layup)
    renamed = with_region(demo, revised(demo.regions[0], name="centre"), "core")
    assert any(layer.region == "centre" for layer in renamed.layup)


def test_many_plies_in_many_regions_come_to_the_same_as_one_by_one() -> None:
    job = bare_panel(2.0, 1.0)
    cards = (*job.cards, shelf_card("glass-mat-300"))
    boxes = [(0.1 * k, 0.05 * k, 0.1 * k + 0.9, 0.05 * k + 0.4) for k in range(8)]
    regions = tuple(Region(name=f"r{k}", outline=rectangle(*corners)) for k, corners in enumerate(boxes))
    names = [None, *(region.name for region in regions)]
    layup = tuple(
        Layer(
            id=f"p{k}",
            card=cards[-1].id if k % 3 == 0 else "glass-biax-800",
            angle_deg=45.0 * (k % 2),
            region=names[k % 9],
        )
        for k in range(45)
    )
    job = changed(job, cards=cards, regions=regions, layup=layup)
    laminate = laminate_of(job)
    assert sum(cell.polygon.area for cell in laminate.cells) == pytest.approx(2.0)
    weight = {card.id: card.areal_weight_kg_m2 for card in cards if hasattr(card, "areal_weight_kg_m2")}
    area = {None: 2.0} | {region.name: Polygon(region.outline).area for region in regions}
    assert laminate.total.dry_mass_kg == pytest.approx(sum(weight[one.card] * area[one.region] for one in layup))
    for x, y in ((0.05, 0.9), (0.85, 0.42), (1.12, 0.52)):
        cell = laminate.at(x, y)
        assert cell is not None
        inside = {
            None,
            *(name for name, corners in zip(names[1:], boxes, strict=True) if box(*corners).contains(Point(x, y))),
        }
        assert [layer.id for layer in cell.stack.layers] == [one.id for one in layup if one.region in inside]
    # without a core the tool's half holds what lies at the tool: order counts
    turned = changed(job, regions=(), layup=tuple(revised(one, region=None) for one in layup[:3]))
    back = changed(turned, layup=turned.layup[::-1])
    first, other = (laminate_of(one).cells[0].stack.levels[0].capacity_m for one in (turned, back))
    assert first != pytest.approx(other, rel=1e-3)


def test_totals_are_means_over_the_area_with_their_spread() -> None:
    job = with_region(bare_panel(2.0, 1.0), Region(name="end", outline=rectangle(0.0, 0.0, 0.5, 1.0)))
    double = Layer(id="more", card="glass-biax-800", count=3, region="end")
    laminate = laminate_of(changed(job, layup=(*job.layup, double)))
    plain = next(cell.stack for cell in laminate.cells if cell.area_m2 == pytest.approx(1.5))
    total = laminate.total
    # a quarter of the area conducts twice as well, and lets through half as much
    assert total.transmissivity_m3[0] == pytest.approx(1.25 * plain.transmissivity_m3[0][0])
    assert total.through_resistance_m == pytest.approx(plain.through_resistance_m / (0.75 + 0.25 / 2))
    fabric = job.card("glass-biax-800", FabricCard)
    assert np.exp(total.log_spread) == pytest.approx(fabric.permeability_along_m2.spread)
    assert total.weight_spread == pytest.approx(fabric.spread)
    assert total.thickness_spread == pytest.approx(fabric.fibre_fraction_spread)
    assert total.through_spread == pytest.approx(fabric.permeability_through_m2.spread)
    bare = laminate_of(changed(job, layup=())).total
    assert (bare.dry_mass_kg, bare.transmissivity_m3, bare.through_spread) == (0.0, (0.0, 0.0), 1.0)
    assert bare.through_resistance_m == float("inf")


@pytest.mark.parametrize(
    ("name", "pattern", "passes"),
    [
        ("foam-plain-20", "plain", False),
        ("foam-perforated-20", "perforated", True),
        ("foam-grooved-15", "grooved one way and perforated", True),
        ("foam-scored-20", "scored two ways and perforated", True),
        ("balsa-scored-12", "scored two ways", False),
        ("foam-slit-20", "slit two ways", True),
    ],
)
def test_every_cut_of_core_is_on_the_shelf_and_known_by_what_it_does(name: str, pattern: str, passes: bool) -> None:
    core = shelf_card(name)
    assert isinstance(core, CoreCard)
    assert (cut_pattern(core), lets_resin_through(core)) == (pattern, passes)


def test_cards_from_before_their_spread_had_a_name_of_its_own() -> None:
    data = shelf_card("foam-grooved-15").model_dump()
    old = {**data, "spread": 1.8}
    del old["conduction_spread"]
    read = CoreCard.model_validate(old)
    assert (read.conduction_spread, read.spread) == (1.8, CoreCard.model_fields["spread"].default)
    assert CoreCard.model_validate(data).model_dump() == data
    # a thin mat of core has no grooves that could be too deep for it
    assert not lets_resin_through(CoreCard.model_validate({**data, "grooves": "none", "thickness_m": 0.0008,
                                                           "perforation_pitch_m": None}))  # fmt: skip


def test_a_sandwich_with_coat_core_and_media_by_hand(demo: Job) -> None:
    """Every figure of the demo's thickest cell, and the totals over all cells."""
    joints = CoreLaying(joint_gap_m=0.002)
    doubled = tuple(revised(one, count=2) if one.id == "core-1" else one for one in demo.layup)
    coat = shelf_card("surface-coat-epoxy")
    assert isinstance(coat, CoatCard)
    skin = Layer(id="coat", card=coat.id, count=2)
    demo = changed(demo, core_laying=joints, cards=(*demo.cards, coat), layup=(skin, *doubled))
    laminate = laminate_of(demo)
    stack = max((cell.stack for cell in laminate.cells), key=lambda one: one.thickness_m + one.media_m)
    cards = {card.id: card for card in demo.cards}
    load = demo.shop.barometer_pa - demo.vacuum.cavity_pa
    thick = fibre = weight = loose = void = resist = 0.0
    tensor = np.zeros((2, 2))
    core, times = demo.card("foam-grooved-perforated-25", CoreCard), 2
    for layer in stack.layers:
        card = cards[layer.card]
        if isinstance(card, FabricCard):
            h, empty, xx, xy, yy, r = packed_figures(card, layer.angle_deg, (load,))[0] * layer.count
            thick, void, resist, fibre = thick + h, void + empty, resist + r, fibre + h - empty
            weight += layer.count * card.areal_weight_kg_m2
            loose += layer.count * float(packed_figures(card, 0.0, (2000.0,))[0][0])
            tensor += [[xx, xy], [xy, yy]]
    tensor += times * (groove_transmissivity_m3(core, 0.0) + joint_transmissivity_m3(core, joints, 0.0))
    media = demo.card("media-knitted", MediaCard)
    tensor += np.eye(2) * media.permeability_m2.value * media.thickness_m
    beside = times * core.thickness_m + 2 * coat.thickness_m
    density = demo.resin.density_kg_m3
    assert stack.laminate_thickness_m == pytest.approx(thick) and stack.thickness_m == pytest.approx(thick + beside)
    assert stack.loose_m == pytest.approx(loose + beside)
    assert stack.fibre_fraction == pytest.approx(fibre / thick) and stack.void_m == pytest.approx(void)
    assert stack.fibre_weight_fraction == pytest.approx(weight / (weight + void * density))
    dry = weight + times * core.density_kg_m3 * core.thickness_m + 2 * coat.areal_weight_kg_m2
    assert stack.fibre_kg_m2 == pytest.approx(weight) and stack.areal_weight_kg_m2 == pytest.approx(dry)
    volume = groove_volume_m(core) + perforation_volume_m(core) + joint_volume_m(core, joints)
    assert stack.core_m == pytest.approx(times * volume)
    assert stack.core_surface_m == pytest.approx(times * core.surface_uptake_kg_m2 / density)
    assert stack.through_resistance_m == pytest.approx(resist)
    assert np.array(stack.transmissivity_m3) == pytest.approx(tensor, rel=1e-6, abs=1e-18)

    total, cells = laminate.total, laminate.cells
    area = np.array([cell.area_m2 for cell in cells])
    assert total.area_m2 == pytest.approx(area.sum())
    assert total.loose_m == max(cell.stack.loose_m for cell in cells)
    assert total.thickness_m == max(cell.stack.thickness_m for cell in cells)
    fibre_kg = float(area @ [cell.stack.fibre_kg_m2 for cell in cells])
    resin_kg = float(area @ [cell.stack.void_m for cell in cells]) * density
    assert total.fibre_mass_kg == pytest.approx(fibre_kg)
    assert total.fibre_weight_fraction == pytest.approx(fibre_kg / (fibre_kg + resin_kg))
    mean = sum(cell.area_m2 * np.array(cell.stack.transmissivity_m3) for cell in cells) / area.sum()
    assert total.transmissivity_m3 == pytest.approx(np.linalg.eigvalsh(mean)[::-1])


def test_peel_ply_lies_where_the_regions_say(demo: Job) -> None:
    """Only in a region, or everywhere but in it: the resin it takes is that of the area, and the two make the whole."""
    card = demo.card(str(demo.peel_ply), PeelPlyCard)
    region = demo.regions[0]
    area = region.outline.polygon.intersection(demo.part.shape).area

    def taken_kg(on: str, here: str) -> float:
        job = changed(demo, peel_ply_on=on, regions=(revised(region, peel_ply=here), *demo.regions[1:]))
        return next(item.mass_kg for item in charge_of(job).items if item.name == "Peel ply")

    only, but, whole = taken_kg("regions", "laid"), taken_kg("part", "left out"), taken_kg("part", "as the rest")
    assert only == pytest.approx(area * card.uptake_kg_m2, rel=1e-3)
    assert only + but == pytest.approx(whole, rel=1e-6) and whole > only


def test_media_need_peel_ply_where_nothing_releases_them(demo: Job) -> None:
    """Left out under the media it is missed, but not under media with release film joined to them."""
    region = next(one for one in demo.regions if one.outline.polygon.intersects(demo.media[0].outline.polygon))

    def missed(job: Job) -> bool:
        return any(caution.id == "peel-ply-missing" for caution in cautions_of(assess(job)))

    without = revised(region, peel_ply="left out", bonded=False)
    bare = changed(demo, regions=tuple(without if one == region else one for one in demo.regions))
    assert missed(bare) and not missed(demo)
    released = shelf_card("media-with-release-film")
    joined = changed(with_card(bare, released), media=tuple(revised(patch, card=released.id) for patch in bare.media))
    assert not missed(joined)
    fix = next(caution.fix for caution in cautions_of(assess(bare)) if caution.id == "peel-ply-missing")
    assert fix is not None and not missed(fix.apply(bare))


def gutter(radius: float, turn_deg: float, inside: bool) -> Part:
    """A floor that turns up, or for an outside corner down, round a bend of that radius along y."""
    turn = np.radians(turn_deg)
    along = np.linspace(0, turn, 40)
    x, z = 0.5 + radius * np.sin(along), radius * (1 - np.cos(along))
    x, z = np.r_[0, x, 1.0], np.r_[0, z, z[-1] + (1 - x[-1]) * np.tan(turn)]
    rows = [(float(a), float(h if inside else -h)) for a, h in zip(x, z, strict=True)]
    heights = tuple((a, float(y), h) for y in np.linspace(0, 0.5, 6) for a, h in rows)
    return Part(outline=rectangle(0, 0, 1, 0.5), relief=heights)


@pytest.mark.parametrize(("radius", "turn_deg", "inside"), [(0.05, 60, True), (0.02, 40, False), (0.1, 45, True)])
def test_a_corner_is_found_with_its_radius_and_turn(radius: float, turn_deg: float, inside: bool) -> None:
    (corner,) = found_corners(gutter(radius, turn_deg, inside))
    assert corner.radius_m == pytest.approx(radius, rel=0.12) and corner.turn_deg == pytest.approx(turn_deg, rel=0.05)
    assert corner.inside == inside
    assert corner.place[0] == pytest.approx(0.5 + radius * np.sin(np.radians(turn_deg)) / 2, abs=0.03)
    assert corner.place[1] == pytest.approx(0.25, abs=0.03), "in the middle of its length"
    assert LineString(corner.edge).length == pytest.approx(0.5, abs=0.05), "it runs along the whole edge"
    assert [x for x, _ in corner.edge] == pytest.approx([corner.place[0]] * len(corner.edge), abs=0.02)


def rimmed(outline: tuple[tuple[float, float], ...], depth_m: float, width_m: float) -> Part:
    figures = ReliefFigures(edge_depth_m=depth_m, edge_width_m=width_m)
    return Part(outline=outline, relief=made_relief(outline, figures), relief_from=figures)


def test_the_foot_of_a_rim_is_a_corner_for_each_straight_side_and_one_round_a_dish() -> None:
    """A rim that rises as a cosine, by 50 mm over 80: its foot bends by atan(π/2 · 50/80) = 44°."""
    outline = rectangle(0, 0, 1.4, 0.6)
    found = found_corners(rimmed(outline, 0.05, 0.08))
    feet = [corner for corner in found if corner.inside and corner.edge and corner.radius_m > 0.01]
    assert len(feet) == 4
    steepest = np.degrees(np.arctan(np.pi / 2 * 0.05 / 0.08))
    assert [corner.turn_deg for corner in feet] == pytest.approx([steepest] * 4, rel=0.12)
    sides = sorted(LineString(corner.edge).length for corner in feet)
    assert sides == pytest.approx([0.46, 0.46, 1.26, 1.26], abs=0.04), "each as long as its side"
    off = [LineString(corner.edge).distance(Polygon(outline).exterior) for corner in feet]
    assert min(off) > 0.04 and max(off) < 0.09
    turns = np.linspace(0, 2 * np.pi, 80, endpoint=False)
    dish = tuple((0.5 + 0.5 * float(np.cos(t)), 0.5 + 0.5 * float(np.sin(t))) for t in turns)
    assert [(corner.inside, corner.edge) for corner in found_corners(rimmed(dish, 0.1, 0.15))] == [
        (True, ()), (False, ()),
    ]  # fmt: skip


def test_gentle_bends_and_flat_moulds_have_no_corners() -> None:
    assert found_corners(gutter(0.3, 40, True)) == () == found_corners(gutter(0.05, 10, True))
    assert found_corners(Part(outline=rectangle(0, 0, 1, 0.5))) == ()


def test_each_corner_is_judged_with_the_stack_that_lies_there(demo: Job) -> None:
    """A thin place and a thick one, the same tight corner at both: only the one that is too tight is named."""
    cells = laminate_of(demo).cells
    thin, thick = (by(cells, key=lambda cell: cell.stack.laminate_thickness_m) for by in (min, max))
    assert thin.stack.laminate_thickness_m < thick.stack.laminate_thickness_m
    radius = (thin.stack.laminate_thickness_m + thick.stack.laminate_thickness_m) / 2
    corners = [
        Corner(label=name, place=cell.polygon.representative_point().coords[0], radius_m=radius)
        for name, cell in (("K1", thin), ("K2", thick))
    ]
    job = changed(demo, mould=revised(demo.mould, corners=tuple(corners)))
    said = [caution.message for caution in cautions_of(assess(job)) if caution.id == "corner-too-tight"]
    assert [text for text in said if "more than the radius" in text] == [text for text in said if "K2" in text][:1]
    assert not any("more than the radius of corner K1" in text for text in said)
    (thin_at, thick_at) = (corner.place for corner in corners)
    along = Corner(label="K3", place=thin_at, edge=(thin_at, thick_at), radius_m=radius)
    edged = changed(demo, mould=revised(demo.mould, corners=(along,)))
    (edge_said,) = [one for one in cautions_of(assess(edged)) if one.id == "corner-too-tight"]
    assert "more than the radius of corner K3" in edge_said.message, "somewhere along it the stack is the thick one"
    assert mirrored_job(edged, "other").mould.corners[0].edge[0][1] == thin_at[1]
    other = mirrored_job(job, "other").mould.corners
    xs = [x for x, _ in demo.part.outline]
    assert [corner.place[0] for corner in other] == pytest.approx([min(xs) + max(xs) - one.place[0] for one in corners])


def test_a_preform_is_one_line_of_the_list_and_weighs_what_its_plies_do() -> None:
    """Weight by hand from the card; it is not debulked, and a group laid twice is two pieces."""
    job = bare_panel(2.0, 0.5, plies=12)
    job = changed(job, layup=(*job.layup, Layer(id="more", card=job.layup[0].card, count=2)))
    job = with_value(grouped_layup(job, "more"), "groups/group 1/times", 2)
    card = job.card(job.layup[0].card, FabricCard)
    plain = lay_list(job)
    assert sum(line.debulk for line in plain) > 0 and sum(not line.debulk for line in plain) == 28
    (group,) = job.groups
    made = changed(job, groups=(revised(group, preform=Preform(binder_share=0.05)),))
    assert preform_weight_kg(made, made.groups[0]) == pytest.approx(14 * 1.0 * card.areal_weight_kg_m2 * 1.05)
    lines = lay_list(made)
    assert [line.text for line in lines] == [f"Preform “{group.name}”, 14 plies, whole part"] * 2
    assert [line.label for line in lines] == ["P1", "P2"]
    assert laminate_of(made).total.thickness_m == pytest.approx(laminate_of(job).total.thickness_m)
    needs = {need.what: need for need in needs_of(assess(made))}
    assert needs["Binder"].amount == pytest.approx(2 * 14 * card.areal_weight_kg_m2 * 0.05)


def test_tack_is_bought_for_every_ply_that_lies_on_another() -> None:
    job = bare_panel(2.0, 0.5, plies=12)
    half = Region(name="half", outline=((0, 0), (1.0, 0), (1.0, 0.5), (0, 0.5)))
    job = changed(job, regions=(half,), layup=(*job.layup, Layer(id="more", card=job.layup[0].card, region="half")))
    tack = next(card for card in shelf() if isinstance(card, AdhesiveCard))
    job = changed(with_card(job, tack), tack=tack.id)
    (need,) = (need for need in needs_of(assess(job)) if need.what == tack.name)
    assert need.amount == pytest.approx(tack.areal_weight_kg_m2 * (11 * 1.0 + 0.5))
    assert tack.price is not None and need.price == pytest.approx(need.amount * tack.price)
