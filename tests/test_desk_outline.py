"""The outline drawn on the plan, heights typed in, the mould's list walked, the other hand saved, and advice asked."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from driving import LEFT, bench, click, push, texts, tick, type_into, while_open
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QFileDialog, QPushButton
from shapely import Polygon

from bibulon.desk.benches.tick_list import PhotographDialog
from bibulon.desk.dialogs.heights import HeightsDialog
from bibulon.desk.dialogs.process_advice import AdviceDialog
from bibulon.desk.window import Window
from bibulon.job.journal import Journal
from bibulon.job.part import ReliefFigures
from bibulon.job.storage import load

NONE = Qt.KeyboardModifier.NoModifier


def spot(window: Window, x: float, y: float) -> QPoint:
    return window.plan.frame.to_screen((x, y)).toPoint()


def double_click(window: Window, x: float, y: float) -> None:
    QTest.mouseClick(window.plan, LEFT, NONE, spot(window, x, y))
    QTest.mouseDClick(window.plan, LEFT, NONE, spot(window, x, y))


def keys(window: Window, text: str) -> None:
    QTest.keyClicks(window.plan, text)


def enter(window: Window) -> None:
    QTest.keyClick(window.plan, Qt.Key.Key_Return)


@pytest.fixture
def fresh(window: Window) -> Window:
    window.new_job()
    window.go("part")
    window.resize(1280, 800)
    QApplication.processEvents()
    return window


def test_an_outline_is_drawn_with_typed_lengths_and_angles_arcs_and_a_hole(fresh: Window) -> None:
    push(bench(fresh), "Draw it")
    click(fresh, 0.0, 0.0)
    QTest.mouseMove(fresh.plan, spot(fresh, 0.6, 0.3))
    for typed in ("1500 at 0", "1 m at 90", "1.5 m<180"):
        keys(fresh, typed)
        enter(fresh)
    push(bench(fresh), "Arc")
    click(fresh, -0.4, 0.5)  # on its way; the arc ends in the first point
    click(fresh, 0.0, 0.0)
    part = fresh.document.job.part
    centre = (0.4**2 - 0.5**2) / (2 * 0.4)  # of the circle through (0, 1), (-0.4, 0.5), (0, 0)
    radius = 0.4 - centre
    angle = 2 * math.asin(0.5 / radius)
    segment = radius**2 / 2 * (angle - math.sin(angle))
    if centre > 0:
        segment = math.pi * radius**2 - segment
    assert part.shape.area == pytest.approx(1.5 + segment, rel=2e-3)
    assert fresh.plan.tool.name == "select" and fresh.plan.chosen == "outline"
    keys(fresh, "h")
    for place in ((0.5, 0.3), (0.9, 0.3), (0.9, 0.7)):
        click(fresh, *place)
    enter(fresh)
    assert Polygon(fresh.document.job.part.holes[0]).area == pytest.approx(0.08, rel=1e-3)
    # a hole that sticks out is refused, and what was drawn stays to be put right
    keys(fresh, "h")
    for place in ((1.2, 0.2), (1.9, 0.2), (1.3, 0.5)):
        click(fresh, *place)
    enter(fresh)
    assert "does not lie inside" in fresh.status.text() and fresh.plan.tool.name == "hole"
    QTest.keyClick(fresh.plan, Qt.Key.Key_Backspace)
    QTest.keyClick(fresh.plan, Qt.Key.Key_Backspace)
    click(fresh, 1.4, 0.2)
    click(fresh, 1.3, 0.5)
    enter(fresh)
    assert len(fresh.document.job.part.holes) == 2
    fresh.undo()
    fresh.undo()
    fresh.undo()
    assert len(fresh.document.job.part.outline) == 4 and not fresh.document.job.part.holes


def test_corners_are_put_in_nudged_and_taken_away(fresh: Window) -> None:
    double_click(fresh, 1.0, 0.0)
    outline = fresh.document.job.part.outline
    assert len(outline) == 5 and (1.0, 0.0) in outline
    start, end = spot(fresh, 1.0, 0.0), spot(fresh, 1.0, -0.2)
    QTest.mousePress(fresh.plan, LEFT, NONE, start)
    QTest.mouseMove(fresh.plan, (start + end) / 2)
    QTest.mouseMove(fresh.plan, end)
    QTest.mouseRelease(fresh.plan, LEFT, NONE, end)
    assert fresh.document.job.part.shape.area == pytest.approx(2.2, abs=0.02)
    QTest.keyClick(fresh.plan, Qt.Key.Key_Delete)
    assert fresh.document.job.part.shape.area == pytest.approx(2.0)
    click(fresh, 0.0, 0.0)
    QTest.keyClick(fresh.plan, Qt.Key.Key_Delete)
    assert len(fresh.document.job.part.outline) == 3
    click(fresh, 2.0, 1.0)
    QTest.keyClick(fresh.plan, Qt.Key.Key_Delete)
    assert len(fresh.document.job.part.outline) == 3 and "has to stay" in fresh.status.text()


def test_heights_rim_and_arch_make_the_relief_and_bad_ones_are_told_by_line(fresh: Window) -> None:
    def act(asked: HeightsDialog) -> None:
        asked.text.setPlainText("at x 0: 0 0; 500 120; 1000 0\nat x 2 m 0 0")
        assert "Line 2" in asked.error.text() and not asked.take_button.isEnabled()
        asked.text.setPlainText("at x 0: 0 0; 500 120; 1000 0\nat x 2 m: 0 0; 500 60; 1000 0")
        assert asked.result_text.text().startswith("120 mm")
        asked.take_button.click()

    while_open(HeightsDialog, act)
    push(bench(fresh), "Heights …")
    figures = fresh.document.job.part.relief_from
    assert figures is not None and len(figures.sections) == 2 and "120 mm" in texts(bench(fresh))
    type_into(bench(fresh), "Rim", "40 mm")
    field = type_into(bench(fresh), "Rim over", "10 mm")
    assert "more width" in field.error.text()
    type_into(bench(fresh), "Rim over", "120 mm")
    assert fresh.document.job.part.relief_from.edge_width_m == pytest.approx(0.12)
    type_into(bench(fresh), "Length", "3 m")  # the relief follows
    assert max(x for x, _, _ in fresh.document.job.part.relief) == pytest.approx(3.0)
    push(bench(fresh), "Flat")
    assert fresh.document.job.part.relief == () and fresh.document.job.part.relief_from is None
    type_into(bench(fresh), "Rim over", "200 mm")  # is kept for the rim to come
    assert fresh.document.job.part.relief == () and "flat" in texts(bench(fresh))
    type_into(bench(fresh), "Rim", "30 mm")
    assert fresh.document.job.part.relief_from == ReliefFigures(edge_depth_m=0.03, edge_width_m=0.2)
    steep = type_into(bench(fresh), "Rim", "450 mm")
    assert "more width" in steep.error.text()
    type_into(bench(fresh), "Rim over", "250 mm")  # and the rim that was refused is taken with it
    assert not steep.error.text()
    assert fresh.document.job.part.relief_from == ReliefFigures(edge_depth_m=0.45, edge_width_m=0.25)
    fresh.go("layup")
    push(bench(fresh), "Find them")
    assert len(fresh.document.job.mould.corners) >= 4 and "No plies lie here." in texts(bench(fresh))


def test_the_moulds_list_is_walked_with_a_photograph_that_the_journal_keeps(
    fresh: Window, tmp_path: Path, monkeypatch
) -> None:
    picture = QImage(1800, 900, QImage.Format.Format_RGB32)
    picture.fill(QColor("#B4560F"))
    assert picture.save(str(tmp_path / "flange.png"))
    (tmp_path / "torn.jpg").write_bytes(b"\xff\xd8\xff torn")
    part = bench(fresh)
    rows = part.mould.ticks
    rows.by.setText("RM")
    tick(rows.list, 0)
    assert "1 of 5 checked, next M2" in texts(part)
    for name in ("torn.jpg", "flange.png"):
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, to=name: (str(tmp_path / to), ""))
        rows.list.setCurrentRow(0)
        push(part, "Photograph …")
        if name == "torn.jpg":
            assert "no picture" in fresh.note.words.text()
    kinds = [(event.kind, event.label, event.by) for event in fresh.document.job.run]
    assert kinds == [("check ticked", "M1", "RM"), ("photographed", "M1", "RM")]
    kept = Journal(fresh.document.kept.journal.path).events()
    assert kept[1].photograph and kept[1].photograph == fresh.document.job.run[1].photograph
    shown: list[QDialog] = []
    while_open(PhotographDialog, shown.append)
    push(part, "Look at it")
    assert shown
    fresh.undo()
    assert len(fresh.document.job.run) == 2  # what happened is not undone


def test_the_other_hand_is_saved_as_a_job_of_its_own(window: Window, tmp_path: Path, monkeypatch) -> None:
    window.go("part")
    to = tmp_path / "right.bibulon"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(to), ""))
    before = window.document.job
    push(bench(window), "Mirrored job …")
    other = load(to)
    width = max(x for x, _ in before.part.outline)
    assert other.id != before.id and other.lines[0].points[0][0] == pytest.approx(width - before.lines[0].points[0][0])
    window.note.buttons[0].click()
    assert window.document.job == other


def test_advice_follows_the_run_and_the_shops_own_costs(window: Window) -> None:
    window.go("part")
    before = texts(bench(window))
    assert "Process advice …" in [one.text() for one in bench(window).findChildren(QPushButton)] and before

    def act(asked: AdviceDialog) -> None:
        type_into(asked, "How many", "1")
        first = texts(asked)
        assert "Light RTM suits best" not in first and "suits best" in first
        type_into(asked, "How many", "300")
        type_into(asked, "Thickness within", "8 %")
        assert "Light RTM suits best" in texts(asked) and "10 %; 8 % is wanted" in texts(asked)
        light = next(n for n, one in enumerate(asked.costs.process) if one.id == "light RTM")
        asked.table.item(1, light).setText("lots")
        assert "not an amount" in asked.message.text()
        asked.table.item(1, light).setText("400000")
        assert asked.costs.process[light].tool_per_m2 == 400_000 and not asked.message.text()
        assert "Light RTM suits best" not in texts(asked)

    while_open(AdviceDialog, act)
    push(bench(window), "Process advice …")
    assert window.document.job.series.quantity == 300
