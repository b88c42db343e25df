"""The desk under a hand that does anything: nothing breaks, nothing is lost, and every step can be taken back."""

from __future__ import annotations

import random
from collections.abc import Callable

import pytest
from driving import LEFT, bench
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QDialog,
    QFileDialog,
    QInputDialog,
    QLabel,
    QLayout,
    QLineEdit,
    QListWidget,
    QMenu,
    QToolButton,
    QWidget,
)

from bibulon.demo import DEMO_FILES, demo_job
from bibulon.desk.benches.base import Bench
from bibulon.desk.stations import STATIONS
from bibulon.desk.widgets.choices import ChoiceField
from bibulon.desk.widgets.fields import Field
from bibulon.desk.widgets.reading_order import widgets_of
from bibulon.desk.window import Window
from bibulon.job import Job
from bibulon.job.edits import changed
from bibulon.job.storage import dump, parse

ACTIONS = 90
LONG_WORK = ("Study", "Stop", "Propose", "Leave", "Listen", "Start", "Simulate")
"""Buttons that begin work of many seconds or the day itself; they have tests of their own."""
ODD_TEXTS = (
    "0", "-1", "1e9", "nan", "inf", "abc", "", " 12 mm ", "0,5 m", "3 ft 2 in", "1/0", "½", "٣", "20 °C", "28 inHg",
    "100 %", "×" * 60, "<b>x</b>", "2 at 90", "0.0000001", "B1", "1 in 3", "9:99", "2027-02-31",
)  # fmt: skip
KEYS = (
    Qt.Key.Key_S, Qt.Key.Key_O, Qt.Key.Key_H, Qt.Key.Key_R, Qt.Key.Key_X, Qt.Key.Key_F, Qt.Key.Key_V, Qt.Key.Key_M,
    Qt.Key.Key_C, Qt.Key.Key_Escape, Qt.Key.Key_Return, Qt.Key.Key_Delete, Qt.Key.Key_Backspace, Qt.Key.Key_Left,
    Qt.Key.Key_Up, Qt.Key.Key_Space, Qt.Key.Key_0, Qt.Key.Key_2, Qt.Key.Key_L, Qt.Key.Key_A, Qt.Key.Key_U,
)  # fmt: skip


def stale_fields(page: QWidget) -> list[str]:
    """The fields of *page* that show something else than the job has, though nothing is being typed in them."""
    fields = [one for one in page.findChildren(Field) if one.isVisible() and not one.editor.hasFocus()]
    stale = [
        f"{one.objectName()}: {one.editor.text()} for {one.text_of_job()}"
        for one in fields
        if not one.error.isVisible() and one.editor.text() != one.text_of_job()
    ]
    for box in page.findChildren(ChoiceField):
        shown = box.box.currentText()
        if box.isVisible():
            box.refresh()
            if box.box.currentText() != shown:
                stale.append(f"{box.objectName()}: {shown} for {box.box.currentText()}")
    return stale


def stale_parts(page: Bench) -> list[tuple[str, str]]:
    """What the parts of *page* would say that are not built anew because nothing they name as read has changed, beside
    what they say."""
    stale = []
    for part in page._watched:
        if any(one.property("wrong") == "true" for one in widgets_of(part._layout)):
            continue  # what was refused stays to be put right
        said = _said(part._layout)
        part._last = object()
        part.refresh()
        if (now := _said(part._layout)) != said:
            stale.append((said, now))
    return stale


def _said(layout: QLayout) -> str:
    words = []
    for one in widgets_of(layout):
        if isinstance(one, QLabel | QAbstractButton | QLineEdit):
            words.append(one.text())
        elif isinstance(one, QComboBox):
            words.append(one.currentText())
    return " | ".join(words)


class Hand:
    """Does one thing after another, the same ones for the same *seed*."""

    def __init__(self, window: Window, seed: int) -> None:
        self.window, self.chance = window, random.Random(seed)
        self.done: list[str] = []

    def act(self) -> None:
        """Do something somewhere."""
        actions: tuple[tuple[int, Callable[[], None]], ...] = (
            (3, self.click), (3, self.drag), (4, self.press), (6, self.type), (5, self.push), (3, self.choose),
            (2, self.pick), (2, self.step), (2, self.go),
        )  # fmt: skip
        self.chance.choices([do for _, do in actions], [weight for weight, _ in actions])[0]()
        QApplication.processEvents()
        self.window.refresh()
        page = bench(self.window)
        assert not (stale := stale_fields(page)), f"{stale} after {self.done[-3:]}"
        if len(self.done) % 3 == 0:
            assert not (old := stale_parts(page)), f"{old} after {self.done[-3:]}"

    def _place(self) -> QPoint:
        plan = self.window.plan
        return QPoint(self.chance.randrange(plan.width()), self.chance.randrange(plan.height()))

    def _of(self, kind: type[QWidget], root: QWidget | None = None) -> QWidget | None:
        found = [one for one in (root or bench(self.window)).findChildren(kind) if one.isVisible() and one.isEnabled()]
        return self.chance.choice(found) if found else None

    def click(self) -> None:
        self.done.append("click")
        QTest.mouseClick(self.window.plan, LEFT, pos=self._place())
        if self.chance.random() < 0.2:
            QTest.mouseDClick(self.window.plan, LEFT, pos=self._place())

    def drag(self) -> None:
        self.done.append("drag")
        places = [self._place() for _ in range(3)]
        QTest.mousePress(self.window.plan, LEFT, pos=places[0])
        for place in places[1:]:
            QTest.mouseMove(self.window.plan, place)
        QTest.mouseRelease(self.window.plan, LEFT, pos=places[-1])

    def press(self) -> None:
        key = self.chance.choice(KEYS)
        self.done.append(f"key {key.name}")
        QTest.keyClick(self.window.plan, key)

    def type(self) -> None:
        field = self._of(QLineEdit)
        if not isinstance(field, QLineEdit):
            return
        text = self.chance.choice(ODD_TEXTS)
        self.done.append(f"type {text!r} into {field.accessibleName()}")
        field.setFocus()
        field.selectAll()
        field.insert(text)
        QTest.keyClick(field, Qt.Key.Key_Return)

    def push(self) -> None:
        button = self._of(QAbstractButton)
        if button is None:
            return
        assert isinstance(button, QAbstractButton)
        if button.text().startswith(LONG_WORK) or (isinstance(button, QToolButton) and button.menu() is not None):
            return
        self.done.append(f"push {button.text() or button.accessibleName() or button.toolTip()}")
        QTest.mouseClick(button, LEFT)

    def choose(self) -> None:
        box = self._of(QComboBox)
        if not isinstance(box, QComboBox) or not box.count():
            return
        box.setCurrentIndex(self.chance.randrange(box.count()))
        self.done.append(f"choose {box.currentText()} of {box.accessibleName()}")
        box.activated.emit(box.currentIndex())

    def pick(self) -> None:
        rows = self._of(QListWidget)
        if not isinstance(rows, QListWidget) or not rows.count():
            return
        row = self.chance.randrange(rows.count())
        self.done.append(f"tick row {row}")
        item = rows.item(row)
        rows.scrollToItem(item)
        box = rows.visualItemRect(item)
        QTest.mouseClick(rows.viewport(), LEFT, pos=QPoint(box.left() + 12, box.center().y()))

    def step(self) -> None:
        self.done.append("undo or redo")
        (self.window.undo if self.chance.random() < 0.7 else self.window.redo)()

    def go(self) -> None:
        station = self.chance.choice(STATIONS).id
        self.done.append(f"go {station}")
        self.window.go(station)


@pytest.fixture
def no_one_to_ask(monkeypatch: pytest.MonkeyPatch) -> None:
    """Dialogs are put away as soon as they are there, files are not chosen, menus not opened."""

    def put_away(dialog: QDialog) -> int:
        dialog.show()
        QApplication.processEvents()
        dialog.reject()
        dialog.deleteLater()
        return int(QDialog.DialogCode.Rejected)

    monkeypatch.setattr(QDialog, "exec", put_away)
    for name in ("getOpenFileName", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, name, lambda *_, **__: ("", ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_, **__: ([], ""))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("", False))
    monkeypatch.setattr(QMenu, "exec", lambda *_, **__: None)
    monkeypatch.setattr(QMenu, "popup", lambda *_, **__: None)


def without_run(job: Job) -> Job:
    return changed(job, run=())


@pytest.mark.parametrize(("seed", "demo"), [(1, 0), (2, 0), (3, 2), (4, 3)], ids=["deck", "deck again", "lid", "arm"])
def test_whatever_the_hand_does_can_be_kept_and_taken_back(
    window: Window, qtbot, no_one_to_ask: None, seed: int, demo: int
) -> None:
    if demo:
        window.open_document(demo_job(DEMO_FILES[demo]))
        qtbot.waitUntil(lambda: window.document.job.process != "film infusion", timeout=240_000)
    hand = Hand(window, seed)
    first = job = window.document.job
    changes = 0
    for _ in range(ACTIONS):
        before = job
        hand.act()
        job = window.document.job
        changes += job is not before
        assert parse(dump(job)) == job, hand.done[-3:]
        window.plan.grab()
    QTest.keyClick(window.plan, Qt.Key.Key_Escape)
    window.document.drop_preview()
    last = window.document.job
    steps = 0
    while window.document.undo_label:
        window.undo()
        steps += 1
    assert without_run(window.document.job) == without_run(first), hand.done
    for _ in range(steps):
        window.redo()
    assert window.document.job == last, hand.done
    assert len(set(hand.done)) > 25 and changes >= 5, f"the hand did a good many things: {changes} changes"
