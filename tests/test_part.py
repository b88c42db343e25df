"""The part: strokes of its outline, reliefs from figures, the other hand, the mould's list, and how to make it."""

from __future__ import annotations

import math
from datetime import UTC, datetime
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from conftest import bare_panel, rectangle
from hypothesis import given
from hypothesis import strategies as some
from pydantic import ValidationError

from bibulon.assess import assess, filled
from bibulon.demo import DEMO_FILES, demo_job
from bibulon.job.cards import FabricCard
from bibulon.job.edits import changed, mirrored_job, revised, with_value
from bibulon.job.layup import Dart
from bibulon.job.part import Part, ReliefFigures, ReliefSection
from bibulon.job.places import FLAT, Relief
from bibulon.job.run import RunEvent
from bibulon.job.strokes import Corner, awaits_end, drawn
from bibulon.laminate.relief import developed_area_m2, developed_length_m, height_m, heights_at
from bibulon.laminate.relief_shapes import made_relief, with_figures, with_outline
from bibulon.mould.checks import mould_checks
from bibulon.planning.process import (
    CostsError,
    advice,
    break_even,
    costs_file,
    materials_of,
    part_cost_by,
    read_costs,
    save_costs,
    shop_costs,
)
from bibulon.quantities import Units

# -- strokes -----------------------------------------------------------------------------------------------------------

ANGLE = some.floats(0.0, 2 * math.pi)


@given(some.floats(0.05, 20.0), ANGLE, some.floats(0.1, 0.9), some.floats(0.2, 6.0))
def test_an_arc_lies_on_its_circle_and_goes_through_its_three_places(
    radius: float, start: float, share: float, turn: float
) -> None:
    def at(angle: float) -> tuple[float, float]:
        return radius * math.cos(angle), radius * math.sin(angle)

    three = at(start), at(start + share * turn), at(start + turn)
    points = drawn([Corner(three[0]), Corner(three[1], "arc"), Corner(three[2], "arc")])
    assert max(abs(math.hypot(x, y) - radius) for x, y in points) < 2e-4 * radius + 2e-5
    assert points[0] == pytest.approx(three[0], abs=1e-5) and points[-1] == pytest.approx(three[2], abs=1e-5)
    nearest = min(math.dist(point, three[1]) for point in points)
    longest = max(math.dist(a, b) for a, b in pairwise(points))
    assert nearest <= longest
    # between its points the chain strays less than half a millimetre, unless that took more pieces than are made
    assert radius * (1 - math.cos(turn / (len(points) - 1) / 2)) < 6e-4 or len(points) == 181


def test_a_smooth_curve_goes_through_its_places_and_closes_without_a_corner() -> None:
    places = [(0.0, 0.0), (1.0, -0.2), (2.0, 0.4), (1.0, 1.2), (-0.2, 0.8)]
    corners = [Corner(places[0]), *(Corner(place, "curve") for place in places[1:])]
    points = drawn(corners, "curve")
    for place in places:
        assert min(math.dist(place, point) for point in points) < 1e-5
    ring = np.array([*points, points[0], points[1]])
    steps = np.diff(ring, axis=0)
    turns = np.abs(np.angle(np.exp(1j * np.diff(np.arctan2(steps[:, 1], steps[:, 0])))))
    assert turns.max() < math.radians(15)
    straight = drawn([Corner((0, 0)), Corner((1, 0)), Corner((1, 1))], "straight")
    assert straight == ((0, 0), (1, 0), (1, 1))
    assert awaits_end(["straight", "arc"]) and not awaits_end(["straight", "arc", "arc"])
    assert drawn([Corner((0, 0)), Corner((1, 0), "arc"), Corner((2, 0), "arc")]) == ((0, 0), (1, 0), (2, 0))


# -- relief ------------------------------------------------------------------------------------------------------------

PANEL = rectangle(0.0, 0.0, 2.0, 1.0)


def at(relief: Relief, *places: tuple[float, float]) -> list[float]:
    return [float(z) for z in heights_at(relief, np.array(places))]


def test_arches_and_a_rim_have_the_heights_they_were_given() -> None:
    arch = made_relief(PANEL, ReliefFigures(along_m=0.2, across_m=-0.05))
    middle, end, side = at(arch, (1.0, 0.5), (0.0, 0.5), (1.0, 0.0))
    assert middle - end == pytest.approx(0.2, abs=1e-4) and side - middle == pytest.approx(0.05, abs=1e-4)
    tray = made_relief(PANEL, ReliefFigures(edge_depth_m=0.06, edge_width_m=0.1))
    edge, half, inner = at(tray, (1.0, 0.0), (1.0, 0.05), (1.0, 0.5))
    assert edge - inner == pytest.approx(0.06, abs=1e-4) and half - inner == pytest.approx(0.03, abs=1e-3)
    # the rim's own length, by quadrature of its cosine, over the strip of each long side
    x = np.linspace(0, 0.1, 4001)
    z = 0.06 * (1 + np.cos(np.pi * x / 0.1)) / 2
    length = float(np.hypot(np.diff(x), np.diff(z)).sum())
    strip = Part(outline=rectangle(0.5, 0.0, 1.5, 0.1)).shape
    assert developed_area_m2(tray, strip) == pytest.approx(length, rel=0.01)
    assert made_relief(PANEL, ReliefFigures()) == ()
    with pytest.raises(ValueError, match="more width"):
        made_relief(PANEL, ReliefFigures(edge_depth_m=0.3, edge_width_m=0.05))
    with pytest.raises(ValueError, match="arch across"):
        made_relief(PANEL, ReliefFigures(across_m=1.2))


def test_sections_are_lofted_into_one_another_and_heights_are_met() -> None:
    first = ReliefSection(across="x", at_m=0.0, points=((0.0, 0.0), (0.5, 0.2), (1.0, 0.0)))
    last = ReliefSection(across="x", at_m=2.0, points=((0.0, 0.0), (0.5, 0.1), (1.0, 0.0)))
    loft = made_relief(PANEL, ReliefFigures(sections=(first, last)))
    for x, high in ((0.0, 0.2), (1.0, 0.15), (2.0, 0.1)):
        crown, foot = at(loft, (x, 0.5), (x, 0.0))
        assert crown - foot == pytest.approx(high, abs=1.5e-3)
    heights = ((0.1, 0.1, 0.0), (1.9, 0.1, 0.02), (1.0, 0.5, 0.09), (0.3, 0.9, 0.01), (1.7, 0.8, 0.03))
    skin = made_relief(PANEL, ReliefFigures(heights=heights))
    found = at(skin, *((x, y) for x, y, _ in heights))
    low = found[0] - heights[0][2]
    assert [z - low for z in found] == pytest.approx([z for _, _, z in heights], abs=1.5e-3)
    plane = made_relief(PANEL, ReliefFigures(heights=((0, 0, 0.0), (2, 0, 0.2), (0, 1, 0.1))))
    assert at(plane, (2.0, 1.0), (1.0, 0.5)) == pytest.approx([0.3, 0.15], abs=1e-4)
    slope = made_relief(PANEL, ReliefFigures(heights=((0, 0.5, 0.0), (2, 0.5, 0.2))))
    assert at(slope, (1.0, 0.1), (1.0, 0.9)) == pytest.approx([0.1, 0.1], abs=1e-4)
    for wrong in (
        {"sections": (first,), "heights": heights},
        {"sections": (first, revised(last, at_m=0.0))},
        {"sections": (first, revised(last, across="y"))},
        {"heights": (*heights, (0.1, 0.1, 0.4))},
    ):
        with pytest.raises(ValidationError):
            ReliefFigures(**wrong)


@given(
    along=some.floats(-1.0, 1.0), across=some.floats(-1.0, 1.0),
    low=some.tuples(some.floats(0, 0.8), some.floats(0, 0.3)),
    high=some.tuples(some.floats(1, 1.9), some.floats(0.5, 0.9)),
)  # fmt: skip
def test_on_a_slope_every_measure_is_that_of_a_plane(
    along: float, across: float, low: tuple[float, float], high: tuple[float, float]
) -> None:
    slope = Relief((x, y, along * x + across * y) for x in (0.0, 0.7, 2.0) for y in (0.0, 0.4, 1.0))
    area = Part(outline=rectangle(*low, *high)).shape
    assert at(slope, low, (1.3, 0.2)) == pytest.approx([along * low[0] + across * low[1], along * 1.3 + across * 0.2])
    assert at(slope, (3.0, 0.5), (1.0, -2.0)) == pytest.approx([2 * along + across / 2, along], abs=1e-5), "as its edge"
    rise = abs(along) * (high[0] - low[0]) + abs(across) * (high[1] - low[1])
    assert height_m(slope, area) == pytest.approx(rise, abs=1e-9)
    steepness = math.sqrt(1 + along**2 + across**2)
    assert developed_area_m2(slope, area) == pytest.approx(area.area * steepness)
    there = math.hypot(math.dist(low, high), along * (high[0] - low[0]) + across * (high[1] - low[1]))
    assert developed_length_m(slope, (low, high, low)) == pytest.approx(2 * there)
    row = Relief((x, 0.3 + 0.5 * x, along * x) for x in (0.0, 0.5, 2.0))  # in one line: level across it
    beside = (1.0 - 0.2, 0.8 + 0.4)
    assert at(row, (1.0, 0.8), beside) == pytest.approx([along, along], abs=1e-9)
    assert height_m(FLAT, area) == 0 and developed_area_m2(FLAT, area) == area.area
    assert developed_length_m(FLAT, (low, high)) == pytest.approx(math.dist(low, high))


def test_figures_follow_the_outline_and_a_mesh_does_not() -> None:
    arched = with_figures(Part(outline=PANEL), ReliefFigures(along_m=0.2))
    wider = with_outline(arched, rectangle(0, 0, 4.0, 1.0))
    assert at(wider.relief, (2.0, 0.5))[0] == pytest.approx(0.2, abs=1e-4)
    mesh = revised(arched, relief_from=None)
    assert with_outline(mesh, rectangle(0, 0, 4.0, 1.0)).relief == arched.relief
    assert with_figures(arched, ReliefFigures()).relief_from is None


# -- the other hand ----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", DEMO_FILES)
def test_the_other_hand_of_the_other_hand_is_the_first(name: str) -> None:
    dart = Dart(id="dart", tip=(1.0, 0.4), mouth=(0.9, 0.1), width_m=0.05)
    job = with_value(demo_job(name), "cutting/darts", (dart,))
    job = changed(with_value(job, "mould/hand", "left"), hold_tests=(), run=())
    other = mirrored_job(job, "other")
    assert other.mould.hand == "right" and other.id == "other" and other.name == job.name
    assert {layer.angle_deg for layer in other.layup} <= {-layer.angle_deg for layer in job.layup}
    back = mirrored_job(other, job.id)
    assert back.part.shape.symmetric_difference(job.part.shape).area < 1e-6
    assert back.layup == job.layup and back.mould == job.mould
    assert np.allclose(np.array(back.part.relief), np.array(job.part.relief), atol=2e-6)
    for mine, theirs in zip(back.lines, job.lines, strict=True):
        assert np.allclose(mine.points, theirs.points, atol=2e-6) and mine.opens == theirs.opens
    assert other.cutting.darts[0].tip != dart.tip and back.cutting.darts[0].tip == pytest.approx(dart.tip)


def test_the_other_hand_fills_like_the_first() -> None:
    job = bare_panel(1.0, 0.4)
    job = changed(job, layup=tuple(revised(layer, angle_deg=30.0) for layer in job.layup))
    first, other = (filled(assess(one), nodes=400).fill for one in (job, mirrored_job(job, "other")))
    assert first is not None and other is not None
    assert other.fill_time_s == pytest.approx(first.fill_time_s, rel=0.02)
    figures = ReliefFigures(sections=(ReliefSection(across="y", at_m=0.1, points=((0.0, 0.0), (0.7, 0.1))),))
    bent = changed(job, part=with_figures(job.part, figures))
    assert at(mirrored_job(bent, "o").part.relief, (0.3, 0.2)) == pytest.approx(
        at(bent.part.relief, (0.7, 0.2)), abs=1e-4
    )
    assert mirrored_job(bent, "o").part.relief_from == revised(
        figures, sections=(revised(figures.sections[0], points=((0.3, 0.1), (1.0, 0.0))),)
    )


def test_the_other_hand_is_written_from_the_command_line_and_nothing_is_overwritten(tmp_path: Path) -> None:
    from typer.testing import CliRunner

    from bibulon.cli.commands import app
    from bibulon.job.storage import load, save

    path, to = tmp_path / "left.bibulon", tmp_path / "right.bibulon"
    save(with_value(bare_panel(), "mould/hand", "left"), path)
    answer = CliRunner().invoke(app, ["mirror", str(path), str(to)])
    assert answer.exit_code == 0 and load(to).mould.hand == "right"
    before = to.read_bytes()
    again = CliRunner().invoke(app, ["mirror", str(path), str(to)])
    assert again.exit_code == 2 and to.read_bytes() == before


# -- the mould's list --------------------------------------------------------------------------------------------------


def test_the_list_follows_the_mould_card_and_old_ticks_fall_off() -> None:
    job = bare_panel()
    labels = [check.label for check in mould_checks(job, Units())]
    assert labels == ["M1", "M2", "M3", "M4", "M5"]
    foam = with_value(with_value(job, "mould/kind", "foam"), "mould/temperature_k", 313.15)
    texts = {check.label: check.text for check in mould_checks(foam, Units())}
    assert "springs back" in texts["M8"] and "40.0 °C" in texts["M6"]
    tick = RunEvent(
        number=1, at=datetime(2026, 3, 1, tzinfo=UTC), clock_s=0, kind="check ticked", label="M6", text=texts["M6"]
    )
    ticked = changed(foam, run=(tick,))
    assert [check.label for check in mould_checks(ticked, Units()) if check.ticked] == ["M6"]
    warmer = with_value(ticked, "mould/temperature_k", 323.15)
    assert not any(check.ticked for check in mould_checks(warmer, Units()))


# -- how to make it ----------------------------------------------------------------------------------------------------


def test_costs_of_a_part_are_those_worked_out_by_hand() -> None:
    costs = shop_costs()
    infusion = next(one for one in costs.process if one.id == "film infusion")
    infusion = revised(infusion, scrap=0.0, tool_life=10)
    job = demo_job()
    materials = materials_of(job)
    area = materials.area_m2
    found = part_cost_by(infusion, 40.0, materials, 25)
    assert found.tools == pytest.approx((infusion.equipment + 3 * infusion.tool_per_m2 * area) / 25)
    assert found.labour == pytest.approx(40.0 * (infusion.setup_h + infusion.labour_h_per_m2 * area))
    vf = infusion.fibre_fraction
    resin = (materials.fibre_m3 * (1 - vf) / vf + materials.core_resin_m3) * (1 + infusion.resin_waste)
    assert found.materials == pytest.approx(materials.dry + resin * job.resin.density_kg_m3 * (job.resin.price or 0))
    per_part = infusion.consumables_per_part + infusion.consumables_per_m2 * area
    assert found.consumables == pytest.approx(per_part) and found.total == pytest.approx(
        found.tools + found.labour + found.materials + found.consumables
    )
    scrapped = part_cost_by(revised(infusion, scrap=0.5), 40.0, materials, 25)
    for share in ("labour", "materials", "consumables"):
        assert getattr(scrapped, share) == pytest.approx(2 * getattr(found, share))
    moulds = [part_cost_by(infusion, 40.0, materials, parts).tools * parts for parts in (10, 11, 20, 21)]
    one, more = infusion.tool_per_m2 * area, infusion.equipment
    assert moulds == pytest.approx([more + one, more + 2 * one, more + 2 * one, more + 3 * one])
    panel = bare_panel(1.0, 0.4)  # three plies of 0.8 kg/m² of glass, without core
    alone = materials_of(panel)
    fabric = panel.card("glass-biax-800", FabricCard)
    assert alone.fibre_m3 == pytest.approx(0.4 * 3 * fabric.areal_weight_kg_m2 / fabric.fibre_density_kg_m3)
    assert alone.core_resin_m3 == 0 < materials.core_resin_m3 and alone.area_m2 == pytest.approx(0.4)


@given(some.integers(1, 3000))
def test_the_break_even_is_where_the_costs_cross(parts: int) -> None:
    costs, materials = shop_costs(), materials_of(demo_job())
    light, film = (next(one for one in costs.process if one.id == name) for name in ("light RTM", "film infusion"))
    turn = break_even(film, light, costs.labour_per_h, materials, parts)
    if turn is not None:
        ours, theirs = (part_cost_by(one, costs.labour_per_h, materials, turn).total for one in (film, light))
        assert turn > parts and theirs < ours


def test_faces_tolerance_and_size_rule_processes_out_with_reasons() -> None:
    costs, units = shop_costs(), Units()
    job = with_value(demo_job(), "series/quantity", 300)
    found = advice(job, costs, units)
    assert found.best is not None and not found.ways[0].against
    assert [way.cost.total for way in found.ways if not way.against] == sorted(
        way.cost.total for way in found.ways if not way.against
    )
    both = advice(with_value(job, "mould/two_good_faces", True), costs, units)
    assert both.best is not None and both.best.good_faces == 2
    assert sum("one good face" in way.against for way in both.ways) == 3
    fine = advice(with_value(job, "series/thickness_tolerance", 0.01), costs, units)
    assert fine.best is None and "None of these" in fine.reasons[0]
    one = advice(with_value(job, "series/quantity", 1), costs, units)
    assert one.best is not None and one.best.id in ("hand lay-up", "film infusion")


def test_the_shops_own_costs_are_kept_and_a_damaged_card_is_refused_by_place() -> None:
    costs = shop_costs()
    dear = revised(costs, labour_per_h=99.0)
    save_costs(dear)
    assert shop_costs() == dear
    costs_file().write_text("labour_per_h = -3\n[[process]]\nid = 'x'\n", encoding="utf-8")
    with pytest.raises(CostsError, match=r"costs\.toml"):
        shop_costs()
    for text in ("", "[[process", "labour_per_h = 1\nprocess = []", "labour_per_h = nan\n"):
        with pytest.raises(CostsError):
            read_costs(text, "costs.toml")
    assert isinstance(costs_file(), Path)
