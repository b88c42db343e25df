"""The Part station driven by its real widgets: drawings and meshes brought in, templates, arches, plan to a file."""

from __future__ import annotations

import math
import re
from pathlib import Path

import numpy as np
import pytest
from driving import at, bench, button, push, texts, type_into
from PySide6.QtCore import QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QFileDialog
from shapely import Polygon
from test_imports import dxf

from bibulon.demo import DEMO_DRAWING, DEMO_MESH, demo_file, demo_job
from bibulon.desk.app import wait_for_fill
from bibulon.desk.dialogs.bring_in import OutlineDialog, ReliefDialog
from bibulon.desk.widgets.choices import ChoiceField
from bibulon.desk.window import Window
from bibulon.exchange.drawings import UNITS_M, read_drawing
from bibulon.exchange.outlines import outline_of
from bibulon.laminate.relief import height_m, heights_at


def pick(window: Window, choice: str, text: str) -> None:
    """Choose *text* in the choice box of that name."""
    box = next(one for one in bench(window).findChildren(ChoiceField) if one.objectName() == choice).box
    assert isinstance(box, QComboBox)
    box.setCurrentIndex(next(i for i in range(box.count()) if box.itemText(i) == text))
    box.activated.emit(box.currentIndex())


def with_dialog(qtbot, kind: type, act) -> None:
    """Wait for the dialog of that kind, which blocks, and *act* on it."""
    seen: list[object] = []

    def look() -> None:
        found = [shown for shown in QApplication.topLevelWidgets() if isinstance(shown, kind) and shown.isVisible()]
        if not found or (found[0].made is None and not found[0].error.text()):
            QTimer.singleShot(20, look)
            return
        seen.append(found[0])
        act(found[0])

    QTimer.singleShot(20, look)
    qtbot.waitUntil(lambda: bool(seen) and not found_open(kind), timeout=20_000)


def found_open(kind: type) -> bool:
    return any(isinstance(shown, kind) and shown.isVisible() for shown in QApplication.topLevelWidgets())


def test_the_dome_gore_is_brought_in_from_its_drawing_and_mesh(window: Window, qtbot, monkeypatch) -> None:
    shipped = demo_job("dome-gore.bibulon")
    window.new_job()
    window.go("part")
    picked = iter([demo_file(DEMO_DRAWING), demo_file(DEMO_MESH)])
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(next(picked)), ""))

    def take_outline(asked: OutlineDialog) -> None:
        assert asked.unit == "mm" and "mm (as it says)" in [
            asked.unit_field.box.itemText(i) for i in range(asked.unit_field.box.count())
        ]
        push(asked, "Take this outline")

    push(bench(window), "From a drawing …")
    with_dialog(qtbot, OutlineDialog, take_outline)
    assert window.document.job.part.outline == shipped.part.outline

    def take_relief(asked: ReliefDialog) -> None:
        assert asked.upwards == "z" and asked.unit == "mm"
        asked.centre.click()  # the mesh lies where the drawing does
        qtbot.waitUntil(lambda: asked.made is not None, timeout=20_000)
        push(asked, "Take this relief")

    push(bench(window), "From a mesh …")
    with_dialog(qtbot, ReliefDialog, take_relief)
    assert window.document.job.part.relief == shipped.part.relief
    # a sphere of 3 m, from its top down to the base's corners, 42° along and 11.25° across
    high = 3 * (1 - math.cos(math.radians(42)) * math.cos(math.radians(11.25)))
    assert height_m(shipped.part.relief, shipped.part.shape) == pytest.approx(high, abs=1e-3)
    assert heights_at(shipped.part.relief, np.array(shipped.part.outline)).min() == pytest.approx(0, abs=1e-5)
    window.refresh()
    assert f"{high * 1000:.0f} mm" in texts(bench(window))
    QTest.mouseMove(window.plan, at(window, 2.0, 0.5855))
    said = re.search(r"^(\d+) mm, (\d+) mm, (\d+) mm high", window.pointer_text.text())
    assert said is not None
    there = np.array([[int(said[1]) / 1000, int(said[2]) / 1000]])
    assert int(said[3]) / 1000 == pytest.approx(float(heights_at(shipped.part.relief, there)[0]), abs=1.5e-3)
    window.undo()
    assert window.document.job.part.relief == () and len(window.document.job.part.outline) == len(shipped.part.outline)


def test_a_drawing_that_is_open_says_where_and_nothing_is_lost(window: Window, qtbot, tmp_path: Path) -> None:
    before = window.document.job

    def look(asked: OutlineDialog) -> None:
        assert "5 mm away" in asked.error.text() and "1000, 2300" in asked.error.text()
        assert not asked.take_button.isEnabled()
        asked.gap.setText("6 mm")
        assert asked.take_button.isEnabled() and "1 hole" in asked.result_text.text()
        asked.layers.item(1).setCheckState(asked.layers.item(1).checkState().Unchecked)
        assert "hole" not in asked.result_text.text()
        asked.reject()

    window.files.take(dxf(tmp_path / "open.dxf", gap=5.0))
    with_dialog(qtbot, OutlineDialog, look)
    assert window.document.job == before
    (tmp_path / "broken.svg").write_text("<svg><path")
    window.files.take(tmp_path / "broken.svg")
    qtbot.waitUntil(lambda: "broken.svg" in window.note.words.text(), timeout=120_000)
    assert window.document.job == before


def test_templates_arches_and_the_plan_as_a_drawing(window: Window, tmp_path: Path, monkeypatch) -> None:
    window.go("part")
    type_into(bench(window), "Length", "2 m")
    type_into(bench(window), "Width", "1 m")
    pick(window, "Make it a", "disc")
    part = window.document.job.part
    assert part.shape.area == pytest.approx(math.pi * 0.5, rel=0.005)
    type_into(bench(window), "Arched along", "150 mm")
    type_into(bench(window), "Arched across", "-40 mm")
    part = window.document.job.part
    top, end, side = heights_at(part.relief, np.array([[1.0, 0.5], [0.0, 0.5], [1.0, 0.0]]))
    assert (top - end, top - side) == pytest.approx((0.15, -0.04), abs=1e-4)
    field = type_into(bench(window), "Arched across", "9 m")
    assert "steeper" in field.error.text() and window.document.job.part == part
    path = tmp_path / "plan.dxf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    push(bench(window), "Plan to a file …")
    again = read_drawing(path)
    found = Polygon(outline_of(again, UNITS_M["mm"], {"part"}, 0.001).outline)
    assert found.symmetric_difference(Polygon(part.outline)).area < 1e-5
    path = tmp_path / "plan.svg"
    push(bench(window), "Plan to a file …")
    drawing = read_drawing(path)
    ring = next(chain for chain in drawing.chains if chain.closed and chain.layer.startswith("part"))
    assert Polygon(ring.points * 0.001).area == pytest.approx(part.shape.area, rel=1e-4)
    button(bench(window), "Flat").click()
    assert window.document.job.part.relief == ()
    wait_for_fill(window)
