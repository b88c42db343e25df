"""Every field of every bench under odd words: taken and kept, or refused in the user's words and nothing changed."""

from __future__ import annotations

import re

import numpy as np
import pytest
from driving import at_station, bench, open_an_entry, settle
from pyqtgraph import InfiniteLine
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QLabel, QPushButton, QWidget

from bibulon.desk.shortcuts import ShortcutList
from bibulon.desk.stations import STATIONS
from bibulon.desk.widgets.choices import MOST_IN_SIGHT, ChoiceBox
from bibulon.desk.widgets.curves_chart import Curve, CurvesChart, Drawn, Mark
from bibulon.desk.widgets.fields import Field, OneLine
from bibulon.desk.window import Window
from bibulon.job.storage import dump, parse

ODD = ("", "abc", "-1", "0", "1e9", "nan", "½", "1 2 3", "12 parsec", "300 %", "1e-12", "-400 °C", "x" * 200)
JARGON = re.compile(r"_|Input|String|Tuple|validation|valid |None|\bfloat|\bint\b|Error|›|^[a-z]+:|\.\.")


def fields(window: Window) -> list[Field]:
    settle(bench(window))
    return [one for one in bench(window).findChildren(Field) if one.isVisible() and one.editor.isEnabled()]


@pytest.mark.parametrize("station", [station.id for station in STATIONS])
def test_no_words_are_cut_off(window: Window, qtbot, station: str) -> None:
    """In a window of 1280 by 800 every text of a bench has room for all of it, and every choice for what is chosen."""
    window.resize(1280, 800)
    at_station(window, qtbot, station)
    window.refresh()
    settle(bench(window))
    qtbot.waitUntil(lambda: cut_words(bench(window)) == [], timeout=20_000)  # rows move as answers come in


def test_no_shortcut_is_cut_off(window: Window) -> None:
    window.show_shortcuts()
    (listed,) = window.findChildren(ShortcutList)
    QApplication.processEvents()
    assert cut_words(listed) == [] and len(listed.findChildren(QLabel)) > 80


def cut_words(root: QWidget) -> list[str]:
    """The texts in *root* that have too little room."""
    cut = []
    for one in root.findChildren(QLabel):
        if one.isVisible() and one.text() and not isinstance(one, OneLine):
            need = one.heightForWidth(one.width()) if one.wordWrap() else one.sizeHint().height()
            if need > one.height() + 1 or (not one.wordWrap() and one.sizeHint().width() > one.width() + 1):
                cut.append(one.text())
    for box in root.findChildren(ChoiceBox):
        if box.isVisible() and " ".join(box.shown_lines()) != box.currentText():
            cut.append(box.currentText())
    buttons = (one for one in root.findChildren(QPushButton) if one.isVisible())
    return cut + [one.text() for one in buttons if one.sizeHint().width() > one.width() + 1]


@pytest.mark.parametrize(
    ("station", "chosen"),
    [
        *((station.id, "") for station in STATIONS),
        ("lines", "feed-2"),
        ("lines", "vent-1"),
        ("lines", "media-1"),
        ("mould", "inlet-1"),
    ],
)
def test_odd_words_are_taken_or_refused_in_plain_ones(window: Window, qtbot, station: str, chosen: str) -> None:
    at_station(window, qtbot, station)
    window.plan.choose("")
    window.refresh()
    # what is there with nothing chosen has a run of its own
    known = {field.objectName() for field in fields(window)} if chosen else set()
    window.plan.choose(chosen)
    window.refresh()
    if station == "layup":
        open_an_entry(window)
    told, count = set(), len(fields(window))
    tried = [at for at, field in enumerate(fields(window)) if field.objectName() not in known]
    for number in tried:
        for odd in ODD:
            field = fields(window)[number]
            name, shown, before = field.objectName(), field.editor.text(), window.document.job
            field.editor.setFocus()
            field.editor.selectAll()
            field.editor.insert(odd)
            QTest.keyClick(field.editor, Qt.Key.Key_Return)
            after = window.document.job
            if after != before:
                assert parse(dump(after)) == after, f"{name}: {odd!r} makes a job that cannot be opened again"
                window.undo()
                window.refresh()
            elif field.error.text():
                told.add(field.error.text())
                assert not JARGON.search(field.error.text()), f"{name}: {odd!r}"
                assert field.error.text()[-1] in ".!" and field.editor.text() == odd, (
                    "what was typed stays to be mended"
                )
                QTest.keyClick(field.editor, Qt.Key.Key_Escape)
                assert field.editor.text() == shown and not field.error.text()
            assert window.document.job == before
        assert len(fields(window)) == count
    assert len(told) > 3 or len(tried) < 3
    assert tried or not chosen


def turn_wheel(widget: QWidget, turn: int) -> bool:
    """Turn the wheel over *widget*; whether that kept it for itself."""
    middle = QPointF(widget.rect().center())
    wheel = QWheelEvent(
        middle, QPointF(widget.mapToGlobal(middle.toPoint())), QPoint(), QPoint(0, turn), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    wheel.accept()
    QApplication.sendEvent(widget, wheel)
    return wheel.isAccepted()


def test_a_chart_leaves_the_wheel_to_the_bench(window: Window) -> None:
    window.go("charge")
    side = bench(window)
    plot = side.findChild(CurvesChart).plot
    side.ensureWidgetVisible(plot)
    QApplication.processEvents()
    assert not turn_wheel(plot.viewport(), 120)


def test_a_chart_without_curves_counts_in_nothing(qtbot) -> None:
    chart = CurvesChart("empty")
    qtbot.addWidget(chart)
    line = Curve(np.array([0.0, 2.0]), np.array([20.0, 40.0]), "warm")
    for drawn, shows in ((Drawn(), False), (Drawn([line]), True), (Drawn(), False)):
        chart.draw(drawn, "h", "°C")
        assert {chart.plot.getAxis(side).style["showValues"] for side in ("left", "bottom")} == {shows}


def test_a_list_of_choices_shows_all_of_its_entries(window: Window) -> None:
    """It opens as high and as wide as what it has to show: the last of a few is not half hidden."""
    box = next(one for one in bench(window).findChildren(ChoiceBox) if one.isVisible() and one.count() > 1)
    longest = "Stitched ±45° glass fabric of 800 grams with a veil on both of its sides"
    box.addItem(longest)
    box.showPopup()
    QApplication.processEvents()
    shown = box.view()
    last = shown.visualRect(box.model().index(box.count() - 1, 0))
    assert box.count() <= MOST_IN_SIGHT and shown.viewport().rect().contains(last)
    assert shown.fontMetrics().horizontalAdvance(longest) < shown.viewport().width()
    box.hidePopup()


@pytest.mark.parametrize("apart", [0.5, 3.0, 40.0])
def test_names_of_marks_in_a_chart_do_not_cover_one_another(qtbot, apart: float) -> None:
    chart = CurvesChart("pots", 170)
    qtbot.addWidget(chart)
    chart.resize(340, 170)
    chart.show()
    line = Curve(np.array([0.0, 90.0]), np.array([20.0, 40.0]), "warm")
    marks = [Mark(10 + apart * at, f"B{at} used up", upright=True) for at in range(3)]
    chart.draw(Drawn([line], marks), "min", "°C")
    QApplication.processEvents()
    labels = [item.label for item in chart.plot.getPlotItem().items if isinstance(item, InfiniteLine)]
    places = [label.mapRectToScene(label.boundingRect()) for label in labels]
    assert len(places) == (1 if apart < 1 else 3)
    assert not any(one.intersects(other) for at, one in enumerate(places) for other in places[:at])


def test_the_wheel_over_a_choice_scrolls_the_bench_and_changes_nothing(window: Window) -> None:
    window.go("lines")
    window.plan.choose(window.document.job.lines[0].id)
    window.refresh()
    before, side = window.document.job, bench(window)
    QApplication.processEvents()
    for box in side.findChildren(QComboBox):
        if not box.isVisible():
            continue
        box.setFocus(Qt.FocusReason.MouseFocusReason)
        for turn in (-120, -120, 120):
            turn_wheel(box, turn)
        assert box.focusPolicy() == Qt.FocusPolicy.StrongFocus
    assert window.document.job is before
