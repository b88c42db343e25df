"""Templates, the plan as a drawing and back, and the shop's store of offcuts."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from conftest import rectangle
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from shapely import Polygon

from bibulon.demo import DEMO_FILES, demo_job
from bibulon.exchange.drawings import UNITS_M, read_drawing
from bibulon.exchange.line_drawing import ExportError
from bibulon.exchange.outlines import outline_of
from bibulon.exchange.plan_files import write_plan
from bibulon.job import Job
from bibulon.job.edits import changed, revised
from bibulon.job.layup import Offcut
from bibulon.job.places import Outline
from bibulon.job.templates import TEMPLATES
from bibulon.laminate.cut_list import CutList, cut_list
from bibulon.stock import StockError
from bibulon.stock.offcuts import offcuts_file, put_away, save_offcuts, shop_offcuts

AREAS = {
    "rectangle": lambda a, b: a * b,
    "disc": lambda a, b: math.pi / 4 * a * b,
    "trapezium": lambda a, b: a * b * 0.7,
    "gore": lambda a, b: a * b * 2 / math.pi,
    "L": lambda a, b: a * b * (1 - 0.6 * 0.6),
    "tube laid flat": lambda a, b: a * math.pi * b,
}


@given(length=st.floats(0.1, 20), width=st.floats(0.1, 20))
def test_templates_have_the_size_asked_for_and_the_area_of_their_shape(length: float, width: float) -> None:
    assert set(TEMPLATES) == set(AREAS)
    for name, made in TEMPLATES.items():
        shape = Outline(made(length, width)).polygon
        assert shape.is_valid and shape.exterior.is_ccw
        across = math.pi * width if name == "tube laid flat" else width
        assert shape.bounds == pytest.approx((0, 0, length, across), abs=2e-3 * max(length, across))
        assert shape.area == pytest.approx(AREAS[name](length, width), rel=0.02)


# -- the plan out and in -----------------------------------------------------------------------------------------------


def holed(job: Job) -> Job:
    hole = rectangle(2.0, 0.3, 2.5, 0.6)
    return changed(job, part=revised(job.part, holes=(hole,)))


@pytest.mark.parametrize("suffix", [".dxf", ".svg"])
@pytest.mark.parametrize("name", DEMO_FILES)
def test_the_plan_goes_out_as_a_drawing_and_comes_in_again(tmp_path: Path, suffix: str, name: str) -> None:
    job = holed(demo_job(name)) if name == DEMO_FILES[0] else demo_job(name)
    path = tmp_path / f"plan{suffix}"
    write_plan(job, path)
    drawing = read_drawing(path)
    assert drawing.unit == "mm"
    wanted = {"part", "feed lines", "vent lines"} | ({"regions"} if job.regions else set())
    wanted |= {"media"} if job.media else set()
    assert set(drawing.layers) == wanted, "each kind of thing on a layer of its own"
    found = outline_of(drawing, UNITS_M["mm"], {"part"}, 0.0)
    back, whole = Polygon(found.outline, found.holes), job.part.shape
    low_x, low_y, _, _ = whole.bounds
    moved = Polygon(
        [(x - low_x, y - low_y) for x, y in job.part.outline],
        [[(x - low_x, y - low_y) for x, y in hole] for hole in job.part.holes],
    )
    assert back.symmetric_difference(moved).area < 1e-3 * whole.length, "within a millimetre all round"
    assert len(found.holes) == len(job.part.holes)


def test_names_on_the_plan_cannot_break_the_drawing(tmp_path: Path) -> None:
    job = demo_job()
    awkward = '<b>&"] 漢字 \\P;'
    named = changed(
        job, regions=tuple(revised(one, name=f"{awkward} {n}") for n, one in enumerate(job.regions)), layup=()
    )
    for suffix in (".dxf", ".svg"):
        write_plan(named, tmp_path / f"plan{suffix}")
        assert "regions" in read_drawing(tmp_path / f"plan{suffix}").layers
    with pytest.raises(ExportError, match=r"written as \.dxf or \.svg"):
        write_plan(job, tmp_path / "plan.pdf")


# -- offcuts -----------------------------------------------------------------------------------------------------------


def cloth(label: str, length_m: float = 2.0, width_m: float = 0.6) -> Offcut:
    return Offcut(label=label, card="glass-biax-800", length_m=length_m, width_m=width_m)


def test_offcuts_are_put_away_used_up_and_read_again(tmp_path: Path) -> None:
    assert shop_offcuts() == ()
    save_offcuts([cloth("K1"), cloth("K2", 3.0)])
    assert shop_offcuts() == (cloth("K1"), cloth("K2", 3.0))
    kept = put_away(left=[cloth("K3"), cloth("K2", 1.0)], used=["K1", "never there"])
    assert kept == (cloth("K2", 1.0), cloth("K3")), "one of the same label is replaced"
    save_offcuts(kept)
    assert shop_offcuts() == kept, "what is read follows the file"
    offcuts_file().unlink()
    assert shop_offcuts() == ()


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("offcut = [", "cannot be read"),
        ('[[offcut]]\nlabel = "K1"\ncard = "x"\nlength_m = -1\nwidth_m = 1\n', "length_m"),
        ('[[offcut]]\nlabel = "K1"\n', "card"),
    ],
)
def test_a_store_that_cannot_be_read_is_named_and_kept(text: str, said: str) -> None:
    offcuts_file().parent.mkdir(parents=True, exist_ok=True)
    offcuts_file().write_text(text, encoding="utf-8")
    with pytest.raises(StockError, match=said) as refused:
        shop_offcuts()
    assert "offcuts.toml" in str(refused.value)
    assert offcuts_file().read_text(encoding="utf-8") == text


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=8)
@given(length=st.floats(0.3, 6.0), width=st.floats(0.3, 1.4))
def test_an_offcut_in_the_store_saves_what_is_cut_from_it(length: float, width: float) -> None:
    """Never more cloth off the roll than without it, and no piece lost or cut twice."""
    job = demo_job()
    plain = cut_list(job)
    rich = changed(job, cutting=revised(job.cutting, offcuts=(cloth("K1", length, width),)))
    found = cut_list(rich)
    assert sorted(piece.code for piece in found.pieces) == sorted(piece.code for piece in plain.pieces)
    assert off_the_rolls(found) <= off_the_rolls(plain) + 1e-6
    for roll in found.rolls:
        if roll.offcut:
            assert (roll.length_m, roll.width_m) == pytest.approx((length, width))
            assert all(x + piece.length_m <= length + 1e-6 and y + piece.width_m <= width + 1e-6
                       for piece, (x, y) in zip(roll.pieces, roll.places, strict=True))  # fmt: skip


def off_the_rolls(found: CutList) -> float:
    """Metres to cut off the rolls."""
    return sum(roll.length_m for roll in found.rolls if not roll.offcut)
