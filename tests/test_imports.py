"""Drawings and meshes brought in: outlines from DXF, SVG and CSV, reliefs from STL and OBJ, and what is refused."""

from __future__ import annotations

import math
import os
from pathlib import Path

import ezdxf
import meshio
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from shapely import Polygon

from bibulon.exchange.drawings import UNITS_M, Chain, Drawing, DrawingRefusal, read_drawing
from bibulon.exchange.outlines import outline_of
from bibulon.exchange.reliefs import Placement, ReliefRefusal, Surface, likely_turn, read_surface, relief_of
from bibulon.exchange.within import TooMuch, read_within
from bibulon.job.part import Part
from bibulon.laminate.relief import developed_area_m2, heights_at
from bibulon.workers.report import Cancelled, Report

PLATE = ((0, 0), (800, 0), (800, 300), (0, 300))


def dxf(path: Path, gap: float = 0.0, unit: int = 4, crossing: bool = False) -> Path:
    """A plate of single lines with one gap, a round hole and a half-round end, in a block; a note beside it."""
    drawing = ezdxf.new("R2010", units=unit)
    block = drawing.blocks.new("plate")
    line = {"layer": "cut"}
    block.add_line((0, 0), (800, 0), dxfattribs=line)
    block.add_arc((800, 150), 150, -90, 90, dxfattribs=line)
    block.add_line((0, 300), (800, 300), dxfattribs=line)  # drawn the other way round
    block.add_line((0, 300 - gap), (0, 0), dxfattribs=line)
    block.add_circle((400, 150), 50, dxfattribs={"layer": "holes"})
    if crossing:
        block.add_lwpolyline([(100, 100), (200, 200), (200, 100), (100, 200)], close=True, dxfattribs={"layer": "bow"})
    drawing.modelspace().add_blockref("plate", (1000, 2000))
    drawing.modelspace().add_text("PLATE", dxfattribs={"insert": (0, 0)})
    drawing.saveas(path)
    return path


def test_a_dxf_of_single_lines_becomes_an_outline_with_its_hole(tmp_path: Path) -> None:
    drawing = read_drawing(dxf(tmp_path / "plate.dxf", gap=0.4))
    assert drawing.unit == "mm" and set(drawing.layers) == {"cut", "holes"}
    assert "text" in drawing.notes[0]
    found = outline_of(drawing, UNITS_M["mm"], drawing.layers, gap_m=0.001)
    wanted = 0.8 * 0.3 + math.pi * 0.15**2 / 2
    assert Polygon(found.outline).area == pytest.approx(wanted, rel=2e-3)
    assert Polygon(found.holes[0]).area == pytest.approx(math.pi * 0.05**2, rel=1e-2)
    assert min(x for x, _ in found.outline) == 0 == min(y for _, y in found.outline)
    assert found.notes[0] == "1 gap closed"
    assert not outline_of(drawing, UNITS_M["mm"], {"cut"}, gap_m=0.001).holes


def test_open_branching_and_crossing_contours_are_refused_by_place(tmp_path: Path) -> None:
    drawing = read_drawing(dxf(tmp_path / "open.dxf", gap=5.0, crossing=True))
    with pytest.raises(DrawingRefusal, match="5 mm away") as refused:
        outline_of(drawing, 0.001, {"cut"}, gap_m=0.001)
    assert refused.value.place == pytest.approx((1000, 2297.5), abs=3)
    with pytest.raises(DrawingRefusal, match="crosses itself") as refused:
        outline_of(drawing, 0.001, {"bow"}, gap_m=0.001)
    assert refused.value.place == pytest.approx((1150, 2150), abs=1)
    forked = ezdxf.new("R2010", units=4)
    for end in ((0, 0), (100, 100), (100, -100)):
        forked.modelspace().add_line((50, 0), end)
    forked.saveas(tmp_path / "fork.dxf")
    with pytest.raises(DrawingRefusal, match="not clear which go on"):
        outline_of(read_drawing(tmp_path / "fork.dxf"), 0.001, {"0"}, gap_m=0.001)


def test_layers_of_a_picture_are_its_groups(tmp_path: Path) -> None:
    path = tmp_path / "layers.svg"
    path.write_text(
        """<svg xmlns="http://www.w3.org/2000/svg" xmlns:p="http://example.org/p" width="400mm" height="200mm"
        viewBox="0 0 400 200"><g transform="scale(2)"><g p:label="Cut line" id="layer1"><g id="g12">
        <path id="p1" d="M0 0h100v50h-100z"/></g></g><g id="notes"><g id="g13"><rect x="1" y="1" width="5" height="5"/>
        </g></g></g><rect id="frame" width="400" height="200"/></svg>"""
    )
    drawing = read_drawing(path)
    assert drawing.layers == {"Cut line": 1, "notes": 1, "frame": 1}
    found = outline_of(drawing, UNITS_M["mm"], {"Cut line"}, gap_m=0.001)
    assert Polygon(found.outline).area == pytest.approx(0.2 * 0.1, rel=1e-4)


def test_two_parts_a_wrong_unit_and_no_layer_are_refused(tmp_path: Path) -> None:
    path = tmp_path / "two.csv"
    path.write_text("x (mm), y (mm)\n0,0\n500,0\n500,400\n0,400\n\n900,0\n1000,0\n1000,90\n")
    drawing = read_drawing(path)
    assert drawing.unit == "mm"
    with pytest.raises(DrawingRefusal, match="lies beside it") as refused:
        outline_of(drawing, 0.001, {"points"}, 0.001)
    assert refused.value.place == (900, 0)
    path.write_text("0;0\n500;0\n500,5;400\n0;400\n")
    with pytest.raises(DrawingRefusal, match="another unit"):
        outline_of(read_drawing(path), 1.0, {"points"}, 0.001)
    assert outline_of(read_drawing(path), 0.001, {"points"}, 0.001).outline[2] == (0.5005, 0.4)
    with pytest.raises(DrawingRefusal, match="No layer"):
        outline_of(read_drawing(path), 0.001, (), 0.001)


SVG = """<svg xmlns="http://www.w3.org/2000/svg" width="400mm" height="200mm" viewBox="0 0 800 400">
<g id="cut" transform="translate(100 50) scale(2)"><path id="edge" d="M0 0 H200 A50 50 0 0 1 200 100 L0 100 Z"/></g>
<circle id="hole" cx="300" cy="150" r="20"/></svg>"""


def test_an_svg_keeps_its_size_its_curves_and_stands_upright(tmp_path: Path) -> None:
    path = tmp_path / "part.svg"
    path.write_text(SVG)
    drawing = read_drawing(path)
    assert drawing.unit == "mm"
    found = outline_of(drawing, UNITS_M["mm"], drawing.layers, 0.001)
    # one user unit is half a millimetre, the group's twice that
    assert Polygon(found.outline).area == pytest.approx(0.2 * 0.1 + math.pi * 0.05**2 / 2, rel=3e-3)
    (x, y) = np.array(found.holes[0]).mean(axis=0)
    assert (x, y) == pytest.approx((0.1, 0.05), abs=1e-3), "y points down in the file and up on the plan"
    path.write_text(SVG.replace("<svg", '<!DOCTYPE svg [<!ENTITY a "b">]><svg', 1))
    with pytest.raises(DrawingRefusal, match="entities of its own"):
        read_drawing(path)


def test_empty_damaged_and_unknown_files_are_refused_by_name(tmp_path: Path) -> None:
    for name, content, said in (
        ("empty.dxf", b"", "is empty"),
        ("noise.dxf", b"\x00\x01garbage" * 40, "damaged"),
        ("noise.svg", b"<svg><path d='M0 0", "damaged"),
        ("nothing.svg", b"<svg xmlns='http://www.w3.org/2000/svg'/>", "no lines"),
        ("words.csv", b"0,0\n1,one\n", "Line 2"),
        ("nan.csv", b"0,0\n1,nan\n1,1\n", "Line 2 of"),
        ("part.pdf", b"%PDF", "no drawing that is known"),
    ):
        path = tmp_path / name
        path.write_bytes(content)
        with pytest.raises(DrawingRefusal, match=said) as refused:
            read_drawing(path)
        assert name in str(refused.value)
    with pytest.raises(DrawingRefusal, match="cannot be read"):
        read_drawing(tmp_path / "missing.csv")


@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(cut=st.integers(0, 4000), noise=st.binary(min_size=0, max_size=60), suffix=st.sampled_from([".dxf", ".svg"]))
def test_a_mangled_drawing_is_read_or_refused_and_nothing_else(
    tmp_path: Path, cut: int, noise: bytes, suffix: str
) -> None:
    whole = dxf(tmp_path / "whole.dxf").read_bytes() if suffix == ".dxf" else SVG.encode()
    at = cut * len(whole) // 4000
    path = tmp_path / f"mangled{suffix}"
    path.write_bytes(whole[:at] + noise + whole[at + len(noise) :])
    try:
        drawing = read_drawing(path)
        outline_of(drawing, 0.001, drawing.layers, 0.001)
    except DrawingRefusal:
        pass


# -- reliefs -----------------------------------------------------------------------------------------------------------

RADIUS = 2.5
SQUARE = ((0.0, 0.0), (1.2, 0.0), (1.2, 0.8), (0.0, 0.8))


def cap(count: int = 40) -> tuple[np.ndarray, np.ndarray]:
    """A spherical cap of RADIUS over 1.3 m × 0.9 m, as points (mm) and triangles."""
    x, y = np.meshgrid(np.linspace(-650, 650, count), np.linspace(-450, 450, count))
    z = np.sqrt((RADIUS * 1000) ** 2 - x**2 - y**2)
    number = np.arange(count * count).reshape(count, count)
    a, b, c, d = (part.ravel() for part in (number[:-1, :-1], number[:-1, 1:], number[1:, 1:], number[1:, :-1]))
    return np.column_stack([x.ravel(), y.ravel(), z.ravel()]), np.concatenate(
        [np.column_stack([a, b, c]), np.column_stack([a, c, d])]
    )


def written(path: Path, points: np.ndarray, triangles: np.ndarray) -> Path:
    kind = {"binary": True} if path.suffix == ".stl" and len(points) > 5000 else {}
    meshio.Mesh(points, [("triangle", triangles)]).write(path, **kind)
    return path


@pytest.mark.parametrize(("suffix", "count"), [(".stl", 40), (".obj", 40), (".stl", 180)])
def test_a_dome_becomes_a_relief_of_its_heights_and_area(tmp_path: Path, suffix: str, count: int) -> None:
    surface = read_surface(written(tmp_path / f"dome{suffix}", *cap(count)))
    found = relief_of(surface, Placement(0.001, "z"), SQUARE)
    assert found.deviation_m < 1e-3 and len(found.relief) <= 20_000
    places = np.array([[0.6, 0.4], [0.1, 0.1], [1.1, 0.7], [0.3, 0.6]])
    depth = np.sqrt(RADIUS**2 - ((places - (0.6, 0.4)) ** 2).sum(axis=1))
    heights = heights_at(found.relief, places)
    assert heights - heights[0] == pytest.approx(depth - depth[0], abs=1e-3)
    x, y = np.meshgrid(np.linspace(-0.6, 0.6, 400), np.linspace(-0.4, 0.4, 400))
    exact = 0.96 * float((RADIUS / np.sqrt(RADIUS**2 - x**2 - y**2)).mean())
    assert developed_area_m2(found.relief, Polygon(SQUARE)) == pytest.approx(exact, rel=2e-3)


def test_a_mesh_lying_on_its_side_is_turned_upright(tmp_path: Path) -> None:
    points, triangles = cap()
    lying = read_surface(written(tmp_path / "lying.stl", points[:, [2, 0, 1]], triangles))
    upright = read_surface(written(tmp_path / "upright.stl", points, triangles))
    assert lying.size("x") == pytest.approx(upright.size("z"))
    one, other = (relief_of(surface, Placement(0.001, up), SQUARE) for surface, up in ((lying, "x"), (upright, "z")))
    assert heights_at(one.relief, np.array([[0.2, 0.3]])) == pytest.approx(
        heights_at(other.relief, np.array([[0.2, 0.3]])), abs=1e-3
    )


def test_folds_walls_bodies_and_misplaced_meshes_are_refused_by_place(tmp_path: Path) -> None:
    points, triangles = cap()
    lower = points - np.array([0.0, 0.0, 40.0])
    body = np.concatenate([triangles, triangles[:, ::-1] + len(points)])
    solid = read_surface(written(tmp_path / "solid.stl", np.concatenate([points, lower]), body))
    with pytest.raises(ReliefRefusal, match="solid body") as refused:
        relief_of(solid, Placement(0.001, "z"), SQUARE)
    assert refused.value.place is not None
    twice = np.concatenate([triangles, triangles + len(points)])
    with pytest.raises(ReliefRefusal, match="several faces"):
        relief_of(
            read_surface(written(tmp_path / "twice.stl", np.concatenate([points, lower]), twice)),
            Placement(0.001, "z"),
            SQUARE,
        )
    wall = points.copy()
    wall[points[:, 0] > 20, 2] += 2000.0  # a step of two metres within one cell of 33 mm
    with pytest.raises(ReliefRefusal, match="upright wall") as refused:
        relief_of(read_surface(written(tmp_path / "wall.stl", wall, triangles)), Placement(0.001, "z"), SQUARE)
    assert refused.value.place[0] == pytest.approx(0.6, abs=0.05)
    surface = read_surface(written(tmp_path / "away.stl", points + np.array([90_000.0, 0, 0]), triangles))
    with pytest.raises(ReliefRefusal, match="does not lie under"):
        relief_of(surface, Placement(0.001, "z", centred=False), SQUARE)
    with pytest.raises(ReliefRefusal, match="covers only"):
        relief_of(surface, Placement(0.001, "z"), tuple((2 * x, 2 * y) for x, y in SQUARE))


@pytest.mark.parametrize("turn", [0.0, 90.0, 180.0, 270.0])
def test_a_mesh_that_lies_another_way_is_turned_under_the_outline(tmp_path: Path, turn: float) -> None:
    """A wedge that rises towards the narrow end of its outline, turned in its file, comes back where it belongs."""
    outline = ((0.0, 0.0), (2.0, 0.3), (2.0, 0.5), (0.0, 0.8))
    x, y = np.meshgrid(np.linspace(0, 2000, 21), np.linspace(-1, 1, 9))
    points = np.column_stack([x.ravel(), (400 + y * (400 - 0.15 * x)).ravel(), (0.1 * x).ravel()])
    cells = [(i * 21 + j, i * 21 + j + 1, i * 21 + j + 22, i * 21 + j + 21) for i in range(8) for j in range(20)]
    triangles = np.array([three for a, b, c, d in cells for three in ((a, b, c), (a, c, d))])
    back = np.radians(-turn)
    spun = points @ np.array([[np.cos(back), np.sin(back), 0], [-np.sin(back), np.cos(back), 0], [0, 0, 1]])
    surface = read_surface(written(tmp_path / "wedge.stl", spun, triangles))
    assert likely_turn(surface, Placement(0.001, "z"), outline) == turn
    found = relief_of(surface, Placement(0.001, "z", turn), outline)
    heights = heights_at(found.relief, np.array([[0.1, 0.4], [1.0, 0.4], [1.9, 0.4]]))
    assert heights == pytest.approx([0.01, 0.1, 0.19], abs=1e-3)


def test_damaged_meshes_are_refused_by_name(tmp_path: Path) -> None:
    good = written(tmp_path / "good.stl", *cap(6)).read_bytes()
    for name, content in (("empty.stl", b""), ("cut.stl", good[: len(good) // 2]), ("noise.obj", b"v 1 2\nf 9 9 9\n")):
        path = tmp_path / name
        path.write_bytes(content)
        with pytest.raises(ReliefRefusal, match=name):
            read_surface(path)


# -- files that ask for more work than a part does ---------------------------------------------------------------------


def copies_of_copies(path: Path) -> None:
    groups = "".join(f'<g id="a{at}">' + f'<use href="#a{at - 1}"/>' * 10 + "</g>" for at in range(1, 10))
    first = '<g id="a0"><path d="M0 0 L1 0 L1 1 Z"/></g>'
    path.write_text(f'<svg xmlns="http://www.w3.org/2000/svg"><defs>{first}{groups}</defs><use href="#a9"/></svg>')


def blocks_in_blocks(path: Path) -> None:
    drawing = ezdxf.new()
    drawing.blocks.new("b0").add_line((0, 0), (1, 1))
    for at in range(1, 6):
        block = drawing.blocks.new(f"b{at}")
        for column in range(12):
            block.add_blockref(f"b{at - 1}", (column, 0))
    drawing.modelspace().add_blockref("b5", (0, 0))
    drawing.saveas(path)


def laid_down_a_billion_times(path: Path) -> None:
    drawing = ezdxf.new()
    drawing.blocks.new("b0").add_line((0, 0), (1, 1))
    many = {"column_count": 30_000, "row_count": 30_000, "column_spacing": 1, "row_spacing": 1}
    drawing.modelspace().add_blockref("b0", (0, 0), dxfattribs=many)
    drawing.saveas(path)


@pytest.mark.parametrize(
    ("name", "make"),
    [("use.svg", copies_of_copies), ("blocks.dxf", blocks_in_blocks), ("many.dxf", laid_down_a_billion_times)],
)
def test_a_small_file_that_asks_for_endless_work_is_given_up(tmp_path: Path, name: str, make) -> None:
    make(tmp_path / name)
    with pytest.raises((TooMuch, DrawingRefusal), match="Leave out"):
        read_within(read_drawing, tmp_path / name, seconds=2)


def hoard(path: Path) -> object:
    return [np.ones(50_000_000) for _ in range(200)]


def break_down(path: Path) -> object:
    os.abort()


def test_memory_and_a_reader_that_breaks_down_are_told_apart(tmp_path: Path) -> None:
    with pytest.raises(TooMuch, match="GB of memory"):
        read_within(hoard, tmp_path / "a.svg")
    with pytest.raises(TooMuch, match="damaged or not what its name says"):
        read_within(break_down, tmp_path / "a.svg")
    with pytest.raises(DrawingRefusal, match="cannot be read"):
        read_within(read_drawing, tmp_path / "not-there.svg")


def test_points_beyond_all_bounds_are_refused(tmp_path: Path) -> None:
    (tmp_path / "far.csv").write_text("0,0\n1e200,0\n1e200,1e200\n")
    with pytest.raises(DrawingRefusal, match="from its origin"):
        read_drawing(tmp_path / "far.csv")


def test_reading_is_given_up_when_nobody_waits_for_it(tmp_path: Path) -> None:
    copies_of_copies(tmp_path / "use.svg")

    with pytest.raises(Cancelled):
        read_within(read_drawing, tmp_path / "use.svg", Report(is_cancelled=lambda: True))


def test_a_star_of_five_thousand_points_is_refused_at_its_first_crossing() -> None:
    turns = np.arange(5000) * 2499 % 5000 / 5000 * 2 * np.pi
    star = Drawing((Chain(np.column_stack([np.cos(turns), np.sin(turns)]), "0", True),), "m")
    with pytest.raises(DrawingRefusal, match="crosses itself") as refused:
        outline_of(star, 1.0, {"0"}, 0.001)
    assert refused.value.place is not None and math.hypot(*refused.value.place) <= 1


def test_many_equal_triangles_and_far_off_points_are_refused_or_read(tmp_path: Path) -> None:
    square = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))
    equal = Surface(np.array([(0, 0, 0), (1, 0, 0), (0, 1, 0.0)]), np.tile([[0, 1, 2]], (200_000, 1)))
    with pytest.raises(ReliefRefusal, match="lies over itself"):
        relief_of(equal, Placement(1.0, "z"), square)
    wide = Surface(np.array([(-9e6, -9e6, 0.5), (2e7, -9e6, 0.5), (-9e6, 2e7, 0.5)]), np.array([[0, 1, 2]]))
    with pytest.raises(ReliefRefusal, match="beyond the part"):
        relief_of(wide, Placement(1.0, "z", centred=False), square)
    tall = Surface(np.array([(-1, -1, 0.0), (4, -1, 4e3), (-1, 4, 8e3)]), np.array([[0, 1, 2]]))
    with pytest.raises(ReliefRefusal, match=r"m high|steeper"):
        relief_of(tall, Placement(1.0, "z", centred=False), square)


def test_a_fine_mesh_under_a_square_gives_no_more_points_than_a_job_takes() -> None:
    side = np.linspace(-0.05, 1.05, 140)
    x, y = (one.ravel() for one in np.meshgrid(side, side))
    at = np.arange(140 * 140).reshape(140, 140)
    low, high = at[:-1, :-1].ravel(), at[1:, 1:].ravel()
    triangles = np.vstack(
        [np.column_stack([low, at[:-1, 1:].ravel(), high]), np.column_stack([low, high, at[1:, :-1].ravel()])]
    )
    surface = Surface(np.column_stack([x, y, 0.1 * np.sin(3 * x)]), triangles)
    square = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))
    found = relief_of(surface, Placement(1.0, "z", centred=False), square)
    assert Part(outline=square, relief=found.relief).relief
