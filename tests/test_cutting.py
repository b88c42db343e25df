"""Joints, cut pieces and kits: cloth covers the part, pieces fit their roll, curved pieces come out at true length."""

from __future__ import annotations

import csv
import json
import math
import re
from io import BytesIO
from itertools import combinations
from pathlib import Path

import numpy as np
import pytest
from conftest import bare_panel, rectangle
from hypothesis import given, settings
from hypothesis import strategies as st
from pypdf import PdfReader
from shapely import Polygon, box, union_all
from typer.testing import CliRunner

from bibulon.assess import assess
from bibulon.cli.commands import app
from bibulon.demo import demo_job
from bibulon.exchange.cut_files import write_cut_list
from bibulon.exchange.drawings import UNITS_M, read_drawing
from bibulon.exchange.line_drawing import ExportError
from bibulon.job import Job
from bibulon.job.cards import FibreDirection
from bibulon.job.edits import changed, mirrored_layup, repeated_layup, revised, with_card
from bibulon.job.layup import Dart, Layer, Offcut
from bibulon.job.part import Part
from bibulon.job.storage import save
from bibulon.laminate.balance import asymmetry, imbalance, in_words
from bibulon.laminate.cut_list import WAYS, _packed, _packed_by, cut_list, left_over
from bibulon.laminate.fibre import directions_of, fibre_weights
from bibulon.laminate.fibre import in_words as directions_in_words
from bibulon.laminate.joints import joint_id, plies_of, with_joint_shift, with_joints_moved
from bibulon.laminate.laid_across import laid_across, with_card_across
from bibulon.laminate.other_hand import other_hand
from bibulon.quantities import Units
from bibulon.record.kit import cutting_pdf, labels_pdf
from bibulon.stock import shelf_card


def panel(length: float, width: float, *angles: float, card: str = "glass-biax-800", **cutting: float) -> Job:
    job = with_card(bare_panel(length, width), shelf_card(card))
    layup = tuple(Layer(id=f"p{i}", card=card, angle_deg=angle) for i, angle in enumerate(angles))
    return changed(job, layup=layup, cutting=revised(job.cutting, **cutting))


def test_a_wide_ply_is_joined_with_its_overlap_and_the_next_is_staggered() -> None:
    job = panel(3.0, 3.0, 0, 0, 90, 0, overlap_m=0.03, stagger_m=0.15)
    first, second, across, third = plies_of(job)
    assert [len(ply.pieces) for ply in (first, second, across, third)] == [3, 3, 3, 3]
    for ply in (first, second, across, third):
        one, other = ply.pieces[:2]
        assert one.intersection(other).area == pytest.approx(0.03 * 3.0, rel=1e-6)
        assert union_all(ply.pieces).area == pytest.approx(9.0, rel=1e-9)
    assert second.apart_m >= 0.15 and third.apart_m >= 0.15
    assert across.apart_m == math.inf, "joints that cross do not line up"
    assert all(joint.coords[0][0] == pytest.approx(joint.coords[1][0]) for joint in across.joints)


@settings(max_examples=25)
@given(width=st.floats(0.3, 5.0), overlap=st.floats(0.0, 0.2), allowance=st.floats(0.0, 0.05))
def test_joints_lie_in_the_middle_of_the_overlap_of_the_fewest_strips(
    width: float, overlap: float, allowance: float
) -> None:
    job = panel(1.5, width, 0, 175, 3, overlap_m=overlap, allowance_m=allowance, stagger_m=0.1)
    first, slanting, last = plies_of(job)
    roll = first.card.roll_width_m - 2 * allowance
    fewest = 1 if width <= roll else math.ceil((width - overlap) / (roll - overlap) - 1e-9)
    assert len(first.pieces) == fewest and len(first.joints) == fewest - 1
    strips = sorted(piece.bounds for piece in first.pieces)
    strips = sorted(strips, key=lambda bounds: bounds[1])
    for joint, below, above in zip(first.joints, strips[:-1], strips[1:], strict=True):
        assert joint.length == pytest.approx(1.5)
        assert joint.coords[0][1] == pytest.approx((below[3] + above[1]) / 2)
        assert below[3] - above[1] == pytest.approx(overlap, abs=1e-9)
    # 5° and 8° apart run the same way, over the turn from 180° to 0° too; how far apart, across the roll
    assert (slanting.apart_m < math.inf) == bool(first.joints and slanting.joints)
    if last.joints and first.joints and not slanting.joints:
        assert last.apart_m < math.inf


def test_joints_keep_their_distance_as_long_as_no_strip_more_is_needed() -> None:
    job = panel(1.5, 2.0, 0, 0, 0, 90, overlap_m=0.03, stagger_m=0.15)  # two strips reach 0.51 m farther than needed
    heights = [ply.joints[0].coords[0][1] for ply in plies_of(job)[:3]]
    for number, ply in enumerate(plies_of(job)[:3]):
        assert len(ply.pieces) == 2
        apart = [abs(heights[number] - other) for other in heights[:number]]
        assert ply.apart_m == pytest.approx(min(apart, default=math.inf)) and ply.apart_m >= 0.15
        assert min(piece.bounds[3] - piece.bounds[1] for piece in ply.pieces) >= 0.08, "no strip is a mere ribbon"
    wanting = changed(job, cutting=revised(job.cutting, stagger_m=0.4))  # more than there is room for
    assert all(len(ply.pieces) == 2 and ply.apart_m > 0.2 for ply in plies_of(wanting)[1:2])


def test_joints_over_a_curved_mould_are_apart_as_measured_on_it() -> None:
    radius, xs = 0.6, np.linspace(-0.55, 0.55, 241)
    relief = tuple((float(x), y, math.sqrt(radius**2 - x**2)) for x in xs for y in (0.0, 0.4))
    arc = 2 * radius * math.asin(0.55 / radius)
    job = changed(panel(1.1, 0.4, 90, 90), part=Part(outline=rectangle(-0.55, 0, 0.55, 0.4), relief=relief))
    first, second = plies_of(job)
    assert first.card.roll_width_m < arc < 2 * first.card.roll_width_m and first.card.roll_width_m > 1.1
    assert len(first.pieces) == len(second.pieces) == 2, "the arc is wider than the roll, its plan is not"
    one, other = (radius * math.asin(ply.joints[0].coords[0][0] / radius) for ply in (first, second))
    assert second.apart_m == pytest.approx(abs(one - other), rel=2e-3) and second.apart_m >= 0.1


@settings(max_examples=25)
@given(
    length=st.floats(0.2, 6.0), width=st.floats(0.2, 5.0), angle=st.floats(-90, 90), overlap=st.floats(0, 0.2),
    allowance=st.floats(0, 0.05), rise=st.just(0.0) | st.floats(0.01, 0.5), along=st.floats(0, 6), up=st.floats(0, 6),
    card=st.sampled_from(["glass-biax-800", "glass-mat-300"]),
)  # fmt: skip
def test_pieces_cover_the_part_and_fit_on_their_roll(
    length: float,
    width: float,
    angle: float,
    overlap: float,
    allowance: float,
    rise: float,
    along: float,
    up: float,
    card: str,
) -> None:
    job = panel(length, width, angle, 0, card=card, overlap_m=overlap, allowance_m=allowance)
    places = ((x * length / 8, y * width / 8, x * along / 8 + y * up / 8) for x in range(9) for y in range(9))
    relief = tuple((x, y, rise * math.sin(turn)) for x, y, turn in places) if rise else ()
    job = changed(job, part=revised(job.part, relief=relief))
    found = cut_list(job)
    for ply in found.plies:
        assert union_all(ply.pieces).area == pytest.approx(length * width, rel=1e-6)
    (roll,) = found.rolls
    assert len({piece.code for piece in roll.pieces}) == len(roll.pieces)
    laid = []
    for piece, (x, y) in zip(roll.pieces, roll.places, strict=True):
        assert piece.width_m <= roll.card.roll_width_m + 1e-3
        place = box(x, y, x + piece.length_m, y + piece.width_m)
        assert place.bounds[2] <= roll.length_m + 1e-6 and place.bounds[3] <= roll.card.roll_width_m + 2e-3
        laid.append(place)
    assert all(one.intersection(other).area < 1e-9 for one, other in combinations(laid, 2))
    assert 0 <= roll.waste < 1


def test_mat_lies_across_the_roll_where_that_takes_less_and_fits() -> None:
    found = {roll.card.id: roll for roll in cut_list(demo_job("seed-hopper-lid.bibulon")).rolls}
    by_hand = {"glass-mat-450": 2 * 0.8 + 0.005, "glass-flow-core-hybrid-900": 0.8, "glass-veil-30": 1.1}
    assert {name: roll.length_m for name, roll in found.items()} == pytest.approx(by_hand, abs=0.006)
    for name, roll in found.items():
        lies = (1.1, 0.8) if name == "glass-veil-30" else (0.8, 1.1)  # its roll is narrower than the lid is long
        for piece in roll.pieces:
            assert (piece.length_m, piece.width_m) == pytest.approx(lies, abs=0.002) and piece.any_way
            assert Polygon(piece.outline).exterior.is_ccw == Polygon(piece.plan).exterior.is_ccw, "turned, not mirrored"
            assert Polygon(piece.outline).area == pytest.approx(piece.area_m2, rel=1e-4)


def test_cloth_that_takes_less_laid_across_is_told_and_is_the_same_laminate_then(demo: Job) -> None:
    told = {better.card.id: better for better in laid_across(demo, cut_list(demo))}
    assert set(told) == {"glass-mat-300", "glass-biax-800"}, "quad would take eight pieces more"
    # 4200 mm of mat in strips off 1250 mm that lap by 25 mm: four of 1400 mm
    mat = told["glass-mat-300"]
    assert mat.length_m == pytest.approx(4 * 1.405, abs=0.01) and mat.more_pieces == 2
    before = {roll.card.id: roll for roll in cut_list(demo).rolls}
    for name, better in told.items():
        across = with_card_across(demo, name)
        roll = next(roll for roll in cut_list(across).rolls if roll.card.id == name)
        assert roll.length_m == better.length_m == pytest.approx(before[name].length_m - better.saved_m)
        assert len(roll.pieces) == len(before[name].pieces) + better.more_pieces
        price = shelf_card(name).price
        assert price is not None and better.saved_cost == pytest.approx(price * better.saved_m * roll.width_m)
        cards = {card.id: card for card in demo.cards}
        for layer, turned in zip(demo.layup, across.layup, strict=True):
            assert fibre_weights(turned, cards[turned.card]) == fibre_weights(layer, cards[layer.card])
        assert name not in {again.card.id for again in laid_across(across, cut_list(across))}
    one_way = panel(4.2, 1.4, 0, 0, card="glass-uni-600")
    assert cut_list(one_way).rolls[0].waste > 0.2 and laid_across(one_way, cut_list(one_way)) == ()


def test_a_piece_for_a_half_pipe_is_as_long_as_the_pipe_is_round() -> None:
    radius = 0.5
    xs = np.linspace(0, 2 * radius, 201)
    relief = tuple((float(x), y, float(np.sqrt(max(radius**2 - (x - radius) ** 2, 0)))) for x in xs for y in (0.0, 0.4))
    part = Part(outline=rectangle(0.02, 0, 2 * radius - 0.02, 0.4), relief=relief)
    job = changed(panel(1.0, 0.4, 0), part=part)
    (piece,) = cut_list(job).pieces
    wanted = radius * 2 * math.asin((radius - 0.02) / radius)
    assert (piece.length_m, piece.width_m) == pytest.approx((wanted, 0.4), rel=2e-3)
    assert piece.shear < 5e-3 and piece.area_m2 == pytest.approx(wanted * 0.4, rel=3e-3)
    turned = changed(job, layup=(revised(job.layup[0], angle_deg=90.0),))
    pieces = cut_list(turned).pieces
    assert {round(piece.length_m, 2) for piece in pieces} == {0.4}
    assert sum(piece.area_m2 for piece in pieces) >= wanted * 0.4 * 0.99


def test_darts_are_cut_out_and_step_aside_and_holes_are_cut() -> None:
    job = panel(1.2, 0.8, 0, 0, 0, 0)
    dart = Dart(id="dart-1", mouth=(0.6, 0.0), tip=(0.6, 0.2), width_m=0.04)
    job = changed(job, cutting=revised(job.cutting, darts=(dart,), dart_stagger_m=0.05))
    pieces = cut_list(job).pieces
    assert [piece.area_m2 for piece in pieces] == pytest.approx([1.2 * 0.8 - 0.5 * 0.04 * 0.2] * 4, rel=1e-6)
    tips = [min(piece.outline, key=lambda at: math.dist(at, (0.6, 0.2)))[0] for piece in pieces]
    assert tips == pytest.approx([0.6, 0.65, 0.55, 0.6], abs=1e-4), "no dart lies over that of the next ply"
    assert all(piece.shear == 0 for piece in pieces)
    holed = changed(job, part=revised(job.part, holes=(rectangle(0.2, 0.3, 0.4, 0.5),)))
    piece = cut_list(holed).pieces[0]
    assert Polygon(piece.outline, piece.openings).area == pytest.approx(piece.area_m2, rel=1e-4)
    assert Polygon(piece.openings[0]).area == pytest.approx(0.04, rel=1e-6)


def test_joints_put_by_hand_stay_there_and_go_back() -> None:
    job = panel(3.0, 3.0, 0, 90)
    ply = plies_of(job)[1]
    before = ply.joints[0].coords[0][0]
    moved = with_joints_moved(job, joint_id(ply, 0), 0.07, 5.0)  # along the roll nothing moves
    after = plies_of(moved)[1]
    assert [joint.coords[0][0] - old.coords[0][0] for joint, old in zip(after.joints, ply.joints, strict=True)] == (
        pytest.approx([0.07] * len(ply.joints), abs=1e-3)
    )
    assert union_all(after.pieces).area == pytest.approx(9.0, rel=1e-9) and before != after.joints[0].coords[0][0]
    assert plies_of(moved)[0] == plies_of(job)[0]
    assert plies_of(with_joint_shift(moved, after, None)) == plies_of(job)


def test_offcuts_are_used_first_and_what_is_left_is_kept() -> None:
    job = panel(1.0, 0.5, 0, 0, 0)
    whole = cut_list(job)
    assert [roll.offcut for roll in whole.rolls] == [""]
    left = left_over(whole, "K")
    roll = whole.rolls[0]
    used = sum((piece.length_m + 0.005) * (piece.width_m + 0.005) for piece in roll.pieces)
    empty = roll.length_m * roll.width_m - used
    assert 0.5 * empty < sum(one.length_m * one.width_m for one in left) <= empty + 1e-6
    assert [one.label for one in left] == [f"K{n}" for n in range(1, len(left) + 1)]
    small = Offcut(label="too small", card="glass-biax-800", length_m=0.9, width_m=0.6)
    fits = Offcut(label="A1", card="glass-biax-800", length_m=1.1, width_m=0.55)
    other = Offcut(label="other cloth", card="glass-quad-1200", length_m=5, width_m=1)
    again = cut_list(changed(job, cutting=revised(job.cutting, offcuts=(small, fits, other))))
    assert [(roll.offcut, len(roll.pieces)) for roll in again.rolls] == [("", 2), ("A1", 1)]
    assert len(again.pieces) == 3 and again.rolls[0].length_m < whole.rolls[0].length_m + 1e-9
    plenty = Offcut(label="B1", card="glass-biax-800", length_m=2.2, width_m=1.27)
    assert [roll.offcut for roll in cut_list(changed(job, cutting=revised(job.cutting, offcuts=(plenty,)))).rolls] == [
        "B1"
    ]


def test_the_dome_gore_is_cut_along_its_arc_and_needs_little_shear() -> None:
    found = cut_list(demo_job("dome-gore.bibulon"))
    piece = found.pieces[0]
    assert piece.length_m == pytest.approx(3.0 * math.radians(84), abs=0.02)
    assert piece.width_m == pytest.approx(3.0 * math.radians(22.5), abs=0.02)
    assert 0 < piece.shear < 0.01


@pytest.mark.parametrize(
    ("stack", "verdict"),
    [
        ([("glass-biax-600", 0.0)], "symmetric, balanced"),  # ±45 as it is
        ([("glass-biax-600", 30.0)], "unbalanced"),  # 75 and -15
        ([("glass-biax-800", 45.0)], "symmetric, balanced"),  # 0/90 laid at 45 is ±45
        ([("glass-biax-800", 30.0), ("glass-biax-800", 60.0)], "unsymmetric"),  # 30, 120 and 60, 150
        ([("glass-biax-800", 30.0), ("glass-uni-600", 0.0)], "unsymmetric and unbalanced"),
        ([("glass-braid-600", 0.0), ("glass-braid-600", 60.0)], "symmetric, balanced"),
        ([("glass-triax-900", 90.0), ("glass-triax-900", 0.0)], "unsymmetric"),
        ([("glass-mat-450", 17.0)], "symmetric, balanced"),  # fibre every way
        ([("glass-uni-600", 20.0), ("glass-mat-450", 0.0), ("glass-uni-600", -20.0)], "unsymmetric"),
    ],
)
def test_symmetry_and_balance_go_by_where_the_fibre_runs(stack: list[tuple[str, float]], verdict: str) -> None:
    cards = {name: shelf_card(name) for name, _ in stack}
    layers = [Layer(id=f"l{at}", card=name, angle_deg=angle) for at, (name, angle) in enumerate(stack)]
    assert in_words(layers, list(cards.values()))[0] == verdict
    for layer in layers:
        weights = fibre_weights(layer, cards[layer.card])
        weight = cards[layer.card].areal_weight_kg_m2
        assert not weights or sum(weights.values()) == pytest.approx(weight, rel=1e-3)


@given(angles=st.lists(st.integers(-89, 90), min_size=1, max_size=6, unique=True), data=st.data())
def test_directions_of_a_cloth_come_back_as_they_were_written(angles: list[int], data: st.DataObject) -> None:
    parts = data.draw(st.lists(st.integers(1, 20), min_size=len(angles), max_size=len(angles)))
    written = [
        FibreDirection(angle_deg=angle, share=part / sum(parts)) for angle, part in zip(angles, parts, strict=True)
    ]
    again = directions_of(directions_in_words(written))
    assert {one.angle_deg for one in again} == set(map(float, angles))
    for one in again:
        assert one.share == pytest.approx(
            next(old.share for old in written if old.angle_deg == one.angle_deg), abs=0.006
        )


def test_mirroring_repeating_and_what_they_do_to_symmetry() -> None:
    job = with_card(panel(1.0, 0.5, 45, 0, 30), shelf_card("foam-grooved-perforated-25"))
    assert asymmetry(job.layup, job.cards) == (1, 3) and imbalance(job.layup, job.cards) == 30.0
    even = mirrored_layup(job)
    assert (
        asymmetry(even.layup, even.cards) is None and len(even.layup) == 6 and len({one.id for one in even.layup}) == 6
    )
    cored = changed(job, layup=(*job.layup, Layer(id="core", card="foam-grooved-perforated-25")))
    assert len(mirrored_layup(cored).layup) == 7 and asymmetry(mirrored_layup(cored).layup, cored.cards) is None
    balanced = panel(1.0, 0.5, 45, -45, 135 - 180, 45)
    assert imbalance(balanced.layup, balanced.cards) is None
    assert in_words(balanced.layup, balanced.cards)[0] == "symmetric, balanced"
    again = repeated_layup(job, "p1")
    assert [one.angle_deg for one in again.layup] == [45, 0, 0, 30]


def test_cutting_drawings_and_lists_hold_every_piece_at_full_size(tmp_path: Path) -> None:
    job = demo_job()
    found = cut_list(job)
    for suffix in (".dxf", ".svg"):
        path = tmp_path / f"cut{suffix}"
        write_cut_list(found, path)
        chains = [chain for chain in read_drawing(path).chains if chain.closed and len(chain.points) >= 4]
        areas = sorted(Polygon(chain.points).area * UNITS_M["mm"] ** 2 for chain in chains)
        wanted = sorted(
            [piece.area_m2 for piece in found.pieces] + [r.length_m * r.card.roll_width_m for r in found.rolls]
        )
        assert areas == pytest.approx(wanted, rel=2e-3)
    write_cut_list(found, tmp_path / "cut.csv")
    rows = list(csv.DictReader((tmp_path / "cut.csv").open(encoding="utf-8")))
    assert [row["piece"] for row in rows] == [piece.code for piece in found.pieces]
    assert rows[0]["length (mm)"] == "4200"
    with pytest.raises(ExportError, match="not known"):
        write_cut_list(found, tmp_path / "cut.odt")


def test_kits_on_paper_name_every_piece() -> None:
    job = demo_job()
    found, units = cut_list(job), assess(job).units
    labels = PdfReader(BytesIO(labels_pdf(job, found, units)))
    text = "".join(page.extract_text() for page in labels.pages)
    assert all(piece.code in text for piece in found.pieces) and "ply 4 from the tool, 90°" in text
    sheets = PdfReader(BytesIO(cutting_pdf(job, found, units)))
    text = "".join(page.extract_text() for page in sheets.pages)
    assert all(roll.card.name in text for roll in found.rolls) and "part 2 of 3" in text
    for paper in (labels_pdf, cutting_pdf):
        text = " ".join(page.extract_text() for page in PdfReader(BytesIO(paper(job, found, Units(system="us")))).pages)
        for card in job.cards:  # names say what is printed on the roll
            text = text.replace(card.name, "")
        assert " in" in text and not re.search(r"\d (mm|m|g|kg|m²|g/m²)\b", text)
    assert "cut 69.0 ft of" in text


def test_the_command_line_cuts_too(tmp_path: Path) -> None:
    path = tmp_path / "deck.bibulon"
    save(demo_job(), path)
    told = CliRunner().invoke(
        app, ["cut", str(path), "--export", str(tmp_path / "c.pdf"), "--labels", str(tmp_path / "l.pdf")]
    )
    assert told.exit_code == 0 and "Stitched glass quad, 1200 g/m²: 21.03 m off 1270 mm, 10 % waste" in told.output
    assert all((tmp_path / name).read_bytes().startswith(b"%PDF") for name in ("c.pdf", "l.pdf"))
    data = json.loads(CliRunner().invoke(app, ["cut", str(path), "--json"]).output)
    assert data["plies"] == 7 and sum(len(roll["pieces"]) for roll in data["rolls"]) == 13
    wrong = CliRunner().invoke(app, ["cut", str(path), "--export", str(tmp_path / "c.odt")])
    assert wrong.exit_code == 2 and "not known" in wrong.output


@pytest.mark.parametrize("curved", [False, True])
def test_joints_moved_by_hand_are_mirrored_in_the_other_hand(curved: bool) -> None:
    job = panel(3.0, 2.6, 0, 30, 90, -45)
    outline = ((0.0, 0.0), (3.0, 0.2), (2.7, 2.6), (0.3, 2.4))
    grid = [(x, y, 0.2 * (x / 3) ** 2 + 0.1 * y) for x in np.linspace(0, 3, 13) for y in np.linspace(0, 2.6, 13)]
    job = changed(job, part=Part(outline=outline, relief=tuple(grid) if curved else ()))
    for at, shift in enumerate((0.11, 0.37, 0.52, 0.8)):
        job = with_joint_shift(job, plies_of(job)[at], shift)
    other = other_hand(job, "other")
    assert [(shift.layer, shift.turn) for shift in other.cutting.shifts] == [(f"p{at}", 1) for at in range(4)]
    for ply, mirrored in zip(plies_of(job), plies_of(other), strict=True):
        turn = math.radians(mirrored.angle_deg)
        across = np.array([-math.sin(turn), math.cos(turn)])
        wanted = sorted(float(across @ (3.0 - joint.coords[0][0], joint.coords[0][1])) for joint in ply.joints)
        got = sorted(float(across @ joint.coords[0]) for joint in mirrored.joints)
        assert len(got) == len(wanted) > 0 and got == pytest.approx(wanted, abs=2e-3)


def test_a_long_roll_is_drawn_over_pages_with_each_piece_where_it_lies(demo: Job) -> None:
    found = cut_list(demo)
    mat = next(roll for roll in found.rolls if "mat" in roll.title)
    assert mat.length_m > 8 and [piece.code for piece in mat.pieces] == ["P1A", "P1B"]
    pages = [page.extract_text() for page in PdfReader(BytesIO(cutting_pdf(demo, found, assess(demo).units))).pages]
    first, second = (text for text in pages if mat.title in text)
    assert "part 1 of 2" in first and "P1A" in first and "P1B" not in first
    assert "part 2 of 2" in second and "P1B" in second and "P1A" not in second


@given(st.lists(st.tuples(st.integers(60, 1270), st.integers(100, 2400)), min_size=2, max_size=14))
def test_pieces_lie_on_the_roll_as_short_as_any_way_of_packing_puts_them(sizes: list[tuple[int, int]]) -> None:
    wanted, room = dict(enumerate(sizes)), (1275, sum(along for _, along in sizes))
    placed = _packed(wanted, room)
    boxes = [box(x, y, x + wanted[number][0], y + wanted[number][1]) for number, (x, y, _) in placed.items()]
    assert len(placed) == len(wanted) and union_all(boxes).area == sum(one.area for one in boxes), "none over another"
    length = max(one.bounds[3] for one in boxes)
    for way, order in WAYS:
        other = _packed_by(way, order, wanted, room)
        longest = max((y + wanted[number][1] for number, (_, y, _) in other.items()), default=0)
        assert len(other) < len(wanted) or length <= longest
