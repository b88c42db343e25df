"""The benches worked from the keyboard alone: Tab goes as one reads, and an edit does not take the keyboard away."""

from __future__ import annotations

import pytest
from driving import at_station, bench, choose, open_an_entry, push, put_lid, settle, texts
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAccessible
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QPushButton, QWidget

from bibulon.desk.shortcuts import ShortcutList
from bibulon.desk.stations import STATIONS
from bibulon.desk.widgets.choices import ChoiceBox
from bibulon.desk.widgets.fields import Field
from bibulon.desk.widgets.focus_edge import FocusEdge
from bibulon.desk.window import Window
from bibulon.desk.work.background import any_under_way
from bibulon.mould.shots import shots_of


def held() -> QWidget:
    QApplication.processEvents()
    found = QApplication.focusWidget()
    assert found is not None
    return found


def walked(window: Window, key: Qt.Key, start: QWidget) -> list[QWidget]:
    """What *key* comes to from *start* until it leaves the bench."""
    page, found = bench(window), [start]
    start.setFocus()
    while len(found) < 400:
        QTest.keyClick(held(), key)
        if not page.isAncestorOf(held()):
            return found
        found.append(held())
    raise AssertionError("it goes round in circles")


def editor(window: Window, name: str, number: int = 0) -> QLineEdit:
    QApplication.processEvents()
    found = [one for one in bench(window).findChildren(Field) if one.objectName() == name and one.isVisible()]
    return found[number].editor


def stops(body: QWidget) -> list[QWidget]:
    every = (one for one in body.findChildren(QWidget) if one.isVisible() and one.isEnabled())
    return [one for one in every if one.focusPolicy() & Qt.FocusPolicy.TabFocus]


@pytest.mark.parametrize("station", [station.id for station in STATIONS])
def test_tab_goes_down_the_bench_as_one_reads_and_back(window: Window, qtbot, station: str) -> None:
    window.activateWindow()
    at_station(window, qtbot, station)
    window.plan.choose("feed-1" if station == "lines" else None)
    window.refresh()
    QApplication.processEvents()
    body = bench(window).widget()
    if station == "layup":
        qtbot.waitUntil(lambda: "% waste" in texts(body), timeout=20_000)
        open_an_entry(window)
    for _ in range(3):  # an answer that came while one walks would make its rows anew; what it asks for follows it
        qtbot.waitUntil(lambda: not any_under_way(), timeout=120_000)
        settle(body)
    down = walked(window, Qt.Key.Key_Tab, walked(window, Qt.Key.Key_Backtab, stops(body)[0])[-1])
    assert set(down) == set(stops(body)), "nothing is left out"
    tops = [one.mapTo(body, QPoint(0, 0)).y() for one in down]
    bottoms = [one.mapTo(body, QPoint(0, one.height())).y() for one in down]
    assert all(top > above - 40 for above, top in zip(bottoms[:-1], tops[1:], strict=True)), "never back up"
    assert walked(window, Qt.Key.Key_Backtab, down[-1]) == down[::-1]


def test_the_keyboard_comes_into_every_pane(window: Window) -> None:
    """A station by its number, then Tab into its first field; F6 from pane to pane; arrows along the stations."""
    window.activateWindow()
    for number, first in ((1, "Job"), (5, "Gauge shows"), (6, "Resin")):
        QTest.keyClick(window, Qt.Key(Qt.Key.Key_0 + number), Qt.KeyboardModifier.AltModifier)
        assert held() is bench(window)
        QTest.keyClick(held(), Qt.Key.Key_Tab)
        assert held().accessibleName() == first
    places = [window.rail.buttons["charge"], window.plan, window.time_rail.canvas, bench(window)]
    for place in places:
        QTest.keyClick(held(), Qt.Key.Key_F6)
        assert held() is place
        edged = [one.parentWidget() for one in window.findChildren(FocusEdge) if one.isVisible()]
        assert edged == ([place] if place in (window.plan, window.time_rail.canvas) else []), "one sees where keys go"
    for place in places[-2::-1]:
        QTest.keyClick(held(), Qt.Key.Key_F6, Qt.KeyboardModifier.ShiftModifier)
        assert held() is place
    QTest.keyClick(held(), Qt.Key.Key_Down)
    assert window.station == "shoot" and held() is window.rail.buttons["shoot"]
    QTest.keyClick(held(), Qt.Key.Key_F1)
    assert any(isinstance(one, ShortcutList) for one in QApplication.topLevelWidgets())


def test_a_job_in_a_mould_is_begun_by_keyboard_alone(window: Window, qtbot) -> None:
    """What is typed at a choice is no shortcut; the keyboard stays where it was when the process builds other benches;
    a field that Tab comes to is typed over."""
    window.activateWindow()
    name = window.document.job.name
    window.new_job()
    qtbot.waitUntil(lambda: window.document.job.name != name, timeout=20_000)
    assert held() is bench(window)
    for text, following in (
        ("", "Job"),
        ("Cover plate", "Process"),
        ("light", "Length"),
        ("900", "Width"),
        ("600", ""),
    ):
        QTest.keyClicks(held(), text)
        QTest.keyClick(held(), Qt.Key.Key_Tab)
        window.refresh()
        assert not following or held().accessibleName() == following
    job = window.document.job
    assert (job.name, job.process, window.station) == ("Cover plate", "light RTM", "part")
    assert job.part.outline.polygon.bounds == pytest.approx((0, 0, 0.9, 0.6))


def test_a_tool_called_after_a_choice_with_the_mouse_changes_no_choice(window: Window) -> None:
    window.activateWindow()
    window.go("charge")
    box = next(one for one in bench(window).findChildren(ChoiceBox) if one.accessibleName() == "Batches stand in")
    box.setFocus(Qt.FocusReason.MouseFocusReason)
    kept = window.document.job
    for key in (Qt.Key.Key_W, Qt.Key.Key_B):
        QTest.keyClick(box, key)
    assert window.document.job == kept and box.currentText().startswith("buckets")
    box.setFocus(Qt.FocusReason.TabFocusReason)
    QTest.keyClick(held(), Qt.Key.Key_W)
    assert window.document.job.charge.pot_shape == "tray"


def test_an_edit_that_builds_its_rows_anew_leaves_the_keyboard_at_the_next(window: Window) -> None:
    window.activateWindow()
    window.go("layup")
    window.refresh()
    for name, text, following in (
        ("Bevel", "1 in 4", "Gap at joints"),
        ("Gap at joints", "2 mm", "Gap at its edge"),
    ):
        line = editor(window, name)
        line.setFocus()
        line.selectAll()
        QTest.keyClicks(line, text)
        QTest.keyClick(line, Qt.Key.Key_Tab)
        window.refresh()
        assert held().accessibleName() == following
    assert window.document.job.core_laying.chamfer == 4
    assert window.document.job.core_laying.joint_gap_m == pytest.approx(0.002)
    window.undo()
    window.undo()
    window.refresh()
    line = held()
    assert line.accessibleName() == "Gap at its edge" and isinstance(line, QLineEdit)
    # what is half typed lives on when the rows round it are built anew
    line.selectAll()
    QTest.keyClicks(line, "1.5")
    window.document.edit("bevel", window.document.job.model_copy(update={"core_laying": steeper(window)}))
    window.refresh()
    line = held()
    assert isinstance(line, QLineEdit) and line.text() == "1.5" and line.accessibleName() == "Gap at its edge"
    QTest.keyClicks(line, " mm")
    QTest.keyClick(line, Qt.Key.Key_Return)
    assert window.document.job.flow.core_gap_m == pytest.approx(0.0015)


def steeper(window: Window) -> object:
    return window.document.job.core_laying.model_copy(update={"chamfer": 2.0})


def test_undo_and_redo_work_from_a_field_in_which_nothing_is_being_typed(window: Window) -> None:
    window.go("charge")
    window.activateWindow()
    control, charge = Qt.KeyboardModifier.ControlModifier, window.document.job.charge
    field = editor(window, "Contingency")
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, "4 %")
    QTest.keyClick(field, Qt.Key.Key_Z, control)
    assert field.text() == "10 %" and window.document.job.charge == charge, "what was typed is taken back first"
    field.selectAll()
    QTest.keyClicks(field, "4 %")
    QTest.keyClick(field, Qt.Key.Key_Tab)
    assert window.document.job.charge.contingency == pytest.approx(0.04)
    assert isinstance(held(), QLineEdit) and held() is not field
    QTest.keyClick(held(), Qt.Key.Key_Z, control)
    window.refresh()
    assert window.document.job.charge == charge and field.text() == "10 %"
    QTest.keyClick(held(), Qt.Key.Key_Z, control | Qt.KeyboardModifier.ShiftModifier)
    window.refresh()
    assert window.document.job.charge.contingency == pytest.approx(0.04) and field.text() == "4 %"


def test_of_two_manifolds_the_one_typed_at_is_kept(window: Window) -> None:
    window.activateWindow()
    window.go("lines")
    for _ in range(2):
        push(bench(window), "Add manifold")
        window.refresh()
    line = editor(window, "Hose length", 1)
    line.setFocus()
    line.selectAll()
    QTest.keyClicks(line, "0.8 m")
    QTest.keyClick(line, Qt.Key.Key_Return)
    window.refresh()
    assert window.document.job.manifolds[1].hose_length_m == pytest.approx(0.8)
    assert held() is editor(window, "Hose length", 1)
    window.plan.choose("feed-1")
    window.refresh()
    choose(window, "Fed from", "manifold M2")
    assert window.document.job.line("feed-1").fed_by == window.document.job.manifolds[1].id


def test_programs_that_read_the_screen_find_what_is_painted(window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    """Lines, media, regions and cautions of the plan, moments of the time rail; and which one was chosen."""
    monkeypatch.setenv("QT_LINUX_ACCESSIBILITY_ALWAYS_ON", "1")
    window.go("lines")
    window.refresh()
    plan = QAccessible.queryAccessibleInterface(window.plan)
    names = [plan.child(at).text(QAccessible.Text.Name) for at in range(plan.childCount())]
    assert any(name.startswith("Feed line F1, from ") and "mm" in name for name in names), names
    assert any(name.startswith("Vent line V1") for name in names)
    feed = next(at for at, name in enumerate(names) if name.startswith("Feed line F1"))
    start = window.document.job.line("feed-1").points[0]
    place = window.plan.mapToGlobal(window.plan.frame.to_screen(start).toPoint())
    assert plan.child(feed).rect().contains(place)
    rail = QAccessible.queryAccessibleInterface(window.time_rail.canvas)
    moments = [rail.child(at).text(QAccessible.Text.Name) for at in range(rail.childCount())]
    assert any("F2" in moment and "valve opened" in moment for moment in moments), moments
    QTest.mouseClick(window.plan, Qt.MouseButton.LeftButton, pos=window.plan.mapFromGlobal(place))
    assert window.plan.chosen == "feed-1", "the mouse goes through to the plan"


def tabbed_to(window: Window, name: str) -> QWidget:
    """Go down the bench by Tab until what has the keyboard is called *name*."""
    walker = stops(bench(window).widget())[0]
    walker.setFocus()
    for _ in range(400):
        here = held()
        called = here.accessibleName() or (here.text() if isinstance(here, QPushButton) else "")
        if called.startswith(name) and bench(window).isAncestorOf(here):
            return here
        QTest.keyClick(here, Qt.Key.Key_Tab)
    raise AssertionError(f"Tab never comes to {name}")


def test_a_shot_of_the_lid_is_held_shot_logged_and_charted_by_keyboard_alone(window: Window, qtbot) -> None:
    """Two-space hold test, checks, run list, readings, next shot, chart: no mouse anywhere."""
    window.activateWindow()
    put_lid(window, qtbot)
    made = len(shots_of(window.document.job))

    def type_at(name: str, text: str) -> None:
        field = tabbed_to(window, name)
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Tab)
        window.refresh()

    QTest.keyClick(window, Qt.Key.Key_5, Qt.KeyboardModifier.AltModifier)
    assert window.station == "hold"
    for name, low in (("Readings: time and pressure", 513), ("Readings of the flange", 223)):
        box = tabbed_to(window, name)
        for minute in range(0, 11, 2):
            QTest.keyClicks(box, f"{minute} {low + minute * 0.02:.2f}")
            QTest.keyClick(box, Qt.Key.Key_Return)
    QTest.keyClick(tabbed_to(window, "Keep this test"), Qt.Key.Key_Space)
    window.refresh()
    assert len(window.document.job.hold_tests) == 1 and "Both spaces hold" in texts(bench(window))
    QTest.keyClick(window, Qt.Key.Key_7, Qt.KeyboardModifier.AltModifier)
    assert window.station == "shoot"
    ticks = tabbed_to(window, "Checks of this shot")
    for _ in range(3):
        QTest.keyClick(ticks, Qt.Key.Key_Space)
        QTest.keyClick(ticks, Qt.Key.Key_Down)
    assert sum(event.kind == "check ticked" for event in window.document.job.shot) >= 2
    for _ in range(12):
        if window.run.started and window.run.next().kind == "valve clamped":
            break
        QTest.keyClick(window, Qt.Key.Key_F9)
    assert window.run.started and any(event.kind == "batch added" for event in window.document.job.shot)
    type_at("Mass in", "4.66 kg")
    QTest.keyClick(tabbed_to(window, "All inlets clamped"), Qt.Key.Key_Space)
    type_at("Grams in the pot", "81")
    type_at("Part weighs", "6.43 kg")
    QTest.keyClick(tabbed_to(window, "Shot ended"), Qt.Key.Key_Space)
    window.refresh()
    assert len(shots_of(window.document.job)) == made + 1
    assert shots_of(window.document.job)[-1].figures["pot"] == pytest.approx(0.081)
    QTest.keyClick(window, Qt.Key.Key_0, Qt.KeyboardModifier.AltModifier)
    assert window.station == "series" and f"{made + 1} of 300" in texts(bench(window))
