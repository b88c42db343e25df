"""House rules, and what is logged of bag and hold test, through the window."""

from __future__ import annotations

from datetime import datetime, timedelta, tzinfo

import pytest
from driving import bench, caution_ids, choose, push, texts, type_into, while_open
from PySide6.QtCore import QPointF, Qt
from PySide6.QtWidgets import QCheckBox, QInputDialog, QListWidget, QPlainTextEdit

from bibulon.desk.benches import hold
from bibulon.desk.dialogs.house_window import FIELDS, HouseWindow
from bibulon.desk.job_menu import JobMenu
from bibulon.desk.window import Window
from bibulon.desk.work.settings import load_settings
from bibulon.job.edits import changed, revised
from bibulon.job.house import HouseRules


def choose_in_menu(window: Window, text: str) -> None:
    menu = JobMenu(window, window)
    menu.fill()
    next(action for action in menu.actions() if action.text().startswith(text)).trigger()


def test_a_rule_of_the_house_is_typed_undone_and_kept_for_new_jobs(window: Window) -> None:
    assert "media-reaches-vent" not in caution_ids(window)

    def stricter(page: HouseWindow) -> None:
        field = type_into(page, "Brake", "900 mm")
        assert not field.error.text() and window.document.job.house.brake_m == 0.9
        wrong = type_into(page, "Film excess", "900 %")
        assert "at most 200 %" in wrong.error.text() and window.document.job.house.film_excess == 0.3
        push(page, "Use for new jobs")
        assert "New jobs" in page.notes_text.text()
        page.accept()

    while_open(HouseWindow, stricter)
    choose_in_menu(window, "House rules")
    assert "media-reaches-vent" in caution_ids(window)
    assert load_settings().house.brake_m == 0.9
    window.document.undo()
    assert window.document.job.house == HouseRules() and "media-reaches-vent" not in caution_ids(window)
    window.new_job()
    assert window.document.job.house.brake_m == 0.9

    def usual(page: HouseWindow) -> None:
        push(page, "Usual figures")
        page.accept()

    while_open(HouseWindow, usual)
    choose_in_menu(window, "House rules")
    assert window.document.job.house == HouseRules()


def test_every_rule_has_a_field_with_its_meaning() -> None:
    shown = [rule for column in FIELDS for _, fields in column for _, _, rule in fields]
    assert sorted(shown) == sorted(HouseRules.model_fields)
    assert all(field.description for field in HouseRules.model_fields.values())


def test_a_hold_test_without_pots_or_touched_since_is_told(window: Window) -> None:
    window.go("hold")
    page = bench(window)
    page.findChild(QPlainTextEdit).setPlainText("0 30\n5 30.5\n10 30.6\n15 30.7")
    pots = next(one for one in page.findChildren(QCheckBox) if one.text().startswith("Catch pots"))
    pots.click()
    push(page, "Keep this test")
    assert not window.document.job.hold_tests[0].pots_included and "hold-without-pots" in caution_ids(window)
    assert "hold-touched-since" not in caution_ids(window)

    def say(asked: QInputDialog) -> None:
        asked.setTextValue("vent hose moved")
        asked.accept()

    while_open(QInputDialog, say)
    push(page, "Something was touched")
    assert window.document.job.run[-1].kind == "bag touched"
    assert "vent hose moved" in texts(page), "the caution stands at Hold"


class AnHourAhead(datetime):
    """The time of a computer whose clock is wrong."""

    @classmethod
    def now(cls, tz: tzinfo | None = None) -> datetime:
        return datetime.now(tz) + timedelta(hours=1)


def test_a_clock_that_was_ahead_does_not_make_the_test_that_failed_the_last_one(
    window: Window, monkeypatch: pytest.MonkeyPatch
) -> None:
    window.go("hold")
    page = bench(window)
    with monkeypatch.context() as wrong:
        wrong.setattr(hold, "datetime", AnHourAhead)
        page.readings.setPlainText("0 30\n5 60\n10 90\n15 120")
        push(page, "Keep this test")
    assert "hold-failed" in caution_ids(window)
    page.readings.setPlainText("0 30\n5 30.5\n10 30.6\n15 30.7")
    push(page, "Keep this test")
    kept = window.document.job.hold_tests
    assert kept[0].taken_at > kept[1].taken_at and window.document.assessment.hold_verdicts[-1][0] == kept[1]
    assert "hold-failed" not in caution_ids(window) and window.document.assessment.hold_verdicts[-1][1].passed


def test_the_bag_is_checked_line_by_line(window: Window) -> None:
    window.go("bag")
    page = bench(window)
    rows = next(one for one in page.findChildren(QListWidget) if one.accessibleName() == "Checks on the bag")
    assert rows.count() == 7 and "tape-not-closed" not in caution_ids(window), "nothing is ticked, nothing is late"
    rows.item(1).setCheckState(Qt.CheckState.Checked)
    assert "tape-not-closed" in caution_ids(window) and "port-without-pleat" not in caution_ids(window)
    rows.item(0).setCheckState(Qt.CheckState.Checked)
    assert "tape-not-closed" not in caution_ids(window)
    # another line on the plan: what was ticked no longer says the same
    job = window.document.job
    window.document.edit("label", changed(job, lines=(revised(job.lines[0], label="F9"), *job.lines[1:])))
    assert "port-without-pleat" in caution_ids(window)


def test_a_running_pump_tells_its_own_share_from_the_leaks(window: Window) -> None:
    """5 mbar on a pump that reaches 2 mbar at 16 m³/h: 3 mbar are the leak's, 300 Pa · 16 m³/h = 13.3 mbar·L/s."""
    window.go("hold")
    job = window.document.job
    vacuum = revised(job.vacuum, pump_ultimate_pa=200.0, pump_speed_m3_s=16 / 3600)
    window.document.edit("pump", changed(job, vacuum=vacuum))
    type_into(bench(window), "Gauge shows", "5 mbar")
    said = texts(bench(window)).split("\n")
    assert said[said.index("Of that the pump's own") + 1] == "2.0 mbar"
    assert said[said.index("Leak behind the rest") + 1].startswith("13.33")
    field = type_into(bench(window), "Gauge shows", "2000 mbar")
    assert "between nothing and the barometer" in field.error.text()
    type_into(bench(window), "Gauge shows", "1 mbar")
    assert "none to be seen" in texts(bench(window))


def test_a_bag_is_made_a_tube_and_cut_out_at_a_hole(window: Window) -> None:
    window.go("bag")
    page = bench(window)
    choose(window, "The film is", "a tube")
    window.refresh()
    type_into(page, "Mould thickness", "40 mm")
    assert window.document.job.bag.mould_thickness_m == 0.04
    assert window.document.assessment.bag.tube and window.document.assessment.bag.pleats_planned == 0
    assert "port-without-pleat" not in caution_ids(window)
    choose(window, "The film is", "a sheet")
    job = window.document.job
    hole = ((1.0, 0.5), (1.6, 0.5), (1.6, 0.9), (1.0, 0.9))
    window.document.edit("a hole", changed(job, part=revised(job.part, holes=(hole,))))
    window.refresh()
    before = window.document.assessment.bag.tape_m
    choose(window, "At holes the film", "is cut out and taped round them")
    window.refresh()
    assert window.document.assessment.bag.tape_m > before + 1.5
    assert len(window.document.assessment.bag.courses) == 2


def test_a_mirrored_pair_lies_under_one_bag(window: Window) -> None:
    window.go("bag")
    page = bench(window)
    one = window.document.assessment.charge.total_kg
    type_into(page, "Parts", "2")
    window.refresh()
    type_into(page, "Apart", "250 mm")
    next(box for box in page.findChildren(QCheckBox) if box.text().startswith("Every other one")).click()
    choose(window, "They lie", "one over another along y")
    bag = window.document.job.bag
    assert (bag.parts, bag.parts_apart_m, bag.parts_mirrored, bag.parts_along) == (2, 0.25, True, "y")
    assert window.document.assessment.charge.total_kg > 1.8 * one
    window.plan.fit()
    (_, y1) = window.plan.frame.to_plan(QPointF(0, 0))
    assert y1 > 1.4 + 0.25 + 1.4, "both are in sight"
    wrong = type_into(page, "Parts", "40")
    assert "12" in wrong.error.text() and window.document.job.bag.parts == 2
