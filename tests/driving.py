"""The desk's widgets worked as a hand would work them."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QDialog, QLabel, QListWidget, QPushButton, QWidget

from bibulon.demo import DEMO_FILES, demo_job
from bibulon.desk.app import wait_for_fill
from bibulon.desk.benches.layup_entry import Summary
from bibulon.desk.stations import station_of
from bibulon.desk.verdict_strip import Tile
from bibulon.desk.widgets.fields import Field
from bibulon.desk.window import Window
from bibulon.flow.result import FillResult

LEFT = Qt.MouseButton.LeftButton


def press(window: Window, keys: Qt.Key, modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
    QTest.keyClick(window.plan, keys, modifiers)


def at(window: Window, x: float, y: float) -> QPoint:
    return window.plan.frame.to_screen((x, y)).toPoint()


def click(window: Window, x: float, y: float) -> None:
    QTest.mouseClick(window.plan, LEFT, pos=at(window, x, y))


def drag(window: Window, start: tuple[float, float], end: tuple[float, float]) -> None:
    QTest.mousePress(window.plan, LEFT, pos=at(window, *start))
    for share in (0.3, 0.7, 1.0):
        place = [a + (b - a) * share for a, b in zip(start, end, strict=True)]
        QTest.mouseMove(window.plan, at(window, *place))
    QTest.mouseRelease(window.plan, LEFT, pos=at(window, *end))


def button(root: QWidget, text: str) -> QPushButton:
    return next(one for one in root.findChildren(QPushButton) if one.text().startswith(text) and one.isVisible())


def can_push(root: QWidget, text: str) -> bool:
    buttons = root.findChildren(QPushButton)
    return any(one.text().startswith(text) and one.isVisible() and one.isEnabled() for one in buttons)


def push(root: QWidget, text: str) -> None:
    QApplication.processEvents()  # what was made just now is not shown before
    QTest.mouseClick(button(root, text), LEFT)


def settle(root: QWidget) -> None:
    """Let rows come up that were just made: they are shown a turn of the loop later."""
    told = Qt.WidgetAttribute.WA_WState_ExplicitShowHide
    for _ in range(50):
        QApplication.processEvents()
        hidden = {one for one in root.findChildren(QWidget) if one.isHidden()}
        to_come = {one for one in hidden if not one.testAttribute(told)}
        if not any(holds(one, to_come) and not holds(one, hidden - to_come) for one in root.findChildren(Field)):
            return


def holds(one: QWidget | None, some: set[QWidget]) -> bool:
    """Whether *one* is among *some* or stands in one of them."""
    while one is not None and one not in some:
        one = one.parentWidget()
    return one is not None


def field_of(root: QWidget, name: str) -> Field:
    settle(root)
    return next(one for one in root.findChildren(Field) if one.objectName() == name and one.isVisible())


def type_into(root: QWidget, name: str, text: str) -> Field:
    field = field_of(root, name)
    field.editor.setFocus()
    field.editor.selectAll()
    QTest.keyClicks(field.editor, text)
    QTest.keyClick(field.editor, Qt.Key.Key_Return)
    return field


def texts(root: QWidget) -> str:
    QApplication.processEvents()
    labels = [one.text() for one in root.findChildren(QLabel) if one.isVisible()]
    return "\n".join(labels + [one.accessibleName() for one in root.findChildren(Tile)])


def bench(window: Window) -> QWidget:
    return window.benches[window.station]


def fill_of(window: Window) -> FillResult:
    """The fill of the job as it is now."""
    wait_for_fill(window)
    window.refresh()
    fill = window.document.assessment.fill
    assert fill is not None
    return fill


def caution_ids(window: Window) -> set[str]:
    return {caution.id for caution in window.document.cautions}


def choose(window: Window, name: str, text: str) -> None:
    choose_text(bench(window), name, text)
    QApplication.processEvents()
    window.refresh()


def choose_text(root: QWidget, name: str, text: str) -> None:
    """Choose *text* in the box of that *name* under *root*."""
    box = next(box for box in root.findChildren(QComboBox) if box.accessibleName() == name)
    box.setCurrentText(text)
    assert box.currentText() == text
    box.activated.emit(box.currentIndex())


def tick(rows: QListWidget, row: int) -> None:
    """Click the box of a row."""
    box = rows.visualItemRect(rows.item(row))
    QTest.mouseClick(rows.viewport(), LEFT, pos=QPoint(box.left() + 12, box.center().y()))


def while_open(kind: type[QDialog], act: Callable[[Any], object]) -> None:
    """Once the dialog of that kind, which blocks, is open, *act* on it and close it."""

    def look() -> None:
        found = next(
            (shown for shown in QApplication.topLevelWidgets() if isinstance(shown, kind) and shown.isVisible()),
            None,
        )
        if found is None:
            QTimer.singleShot(20, look)
            return
        try:
            act(found)
        finally:
            if found.isVisible():
                found.reject()

    QTimer.singleShot(0, look)


def run_apart(tmp_path: Path, script: str) -> subprocess.CompletedProcess[str]:
    """Run a *script* to its end in a process of its own: it may crash."""
    path = tmp_path / "script.py"
    path.write_text(script, encoding="utf-8")
    return subprocess.run([sys.executable, str(path)], capture_output=True, text=True, timeout=120, check=False)


def open_an_entry(window: Window) -> None:
    """Open the second line of the ply book, so that all that there is to change an entry is there."""
    second = next(one for one in bench(window).findChildren(Summary) if one.accessibleName().startswith("Entry 2"))
    QTest.mouseClick(second, LEFT)
    settle(bench(window))


def put_lid(window: Window, qtbot: Any) -> None:
    """Put the demo's lid in its closed mould on the desk, filled."""
    job = demo_job(DEMO_FILES[2])
    window.open_document(job)
    qtbot.waitUntil(lambda: window.document.job.name == job.name, timeout=240_000)
    wait_for_fill(window)
    window.refresh()


def at_station(window: Window, qtbot: Any, station: str) -> None:
    """Go to *station*, with the lid on the desk if the job there has no such station."""
    if window.document.job.process not in station_of(station).processes:
        put_lid(window, qtbot)
    window.go(station)
