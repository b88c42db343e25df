"""What a leak does and where the air of a late hose ends, asked for in the window."""

from __future__ import annotations

from datetime import UTC, datetime

import numpy as np
from driving import at, bench, caution_ids, choose, push, texts, type_into, while_open
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox, QInputDialog, QPlainTextEdit, QPushButton

from bibulon.demo import DEMO_FILES, demo_job
from bibulon.desk.app import wait_for_fill
from bibulon.desk.window import Window
from bibulon.job.edits import changed, revised
from bibulon.job.hold import HoldTest
from bibulon.quantities import show


def at_hold(window: Window) -> None:
    window.go("hold")
    window.plan.fit()
    QApplication.processEvents()


def follow(window: Window, on: bool = True) -> None:
    box = next(one for one in bench(window).findChildren(QCheckBox) if one.text() == "Follow its air through the fill")
    if box.isChecked() != on:
        box.click()


def test_a_leak_is_followed_to_the_vents_for_every_place_and_where_one_clicks(window: Window, qtbot) -> None:
    at_hold(window)
    readings = bench(window).findChild(QPlainTextEdit, "")
    readings.setPlainText("0 31\n5 33\n10 35\n20 39")
    follow(window)
    qtbot.waitUntil(lambda: "It would spoil" in texts(bench(window)), timeout=120_000)
    assert "as these readings say" in texts(bench(window)) and "of air an hour" in texts(bench(window))
    shown = window.plan.field
    assert shown is not None and shown.name == "Air in the pores at gel"
    checked = (one for one in bench(window).findChildren(QPushButton) if one.isCheckable() and one.isChecked())
    worst = next(checked).text()
    QTest.mouseClick(window.plan, Qt.MouseButton.LeftButton, pos=at(window, 0.4, 1.2))
    qtbot.waitUntil(lambda: "Where you clicked" in texts(bench(window)), timeout=120_000)
    clicked = window.plan.field
    assert clicked is not None and worst != "Where you clicked"
    left = clicked.grid.at(0.4, 1.2)
    assert left is not None and left > 0.0, "where one clicked"
    ways = np.isfinite(clicked.grid.values).any(axis=1)
    rows = np.flatnonzero(ways)
    top = clicked.grid.bottom_m + clicked.grid.height_m * (1 - rows[0] / len(ways))
    assert top > 1.35 and ways[rows[0] : rows[-1]].all(), "a track without a gap from there to the vent"
    follow(window, on=False)
    assert window.plan.field is None


def test_a_mould_without_places_that_leak_as_a_rule_asks_for_one_on_the_plan(window: Window, qtbot) -> None:
    window.open_document(demo_job(DEMO_FILES[3]))
    qtbot.waitUntil(lambda: window.document.job.process == "bladder", timeout=240_000)
    wait_for_fill(window)
    at_hold(window)
    bench(window).findChild(QPlainTextEdit, "").setPlainText("0 213\n5 215\n10 217\n20 221")
    follow(window)
    assert "Click the place on the plan that may leak." in texts(bench(window))
    QTest.mouseClick(window.plan, Qt.MouseButton.LeftButton, pos=at(window, 0.25, 0.2))
    qtbot.waitUntil(lambda: "Where you clicked" in texts(bench(window)), timeout=120_000)
    assert window.plan.field is not None and window.plan.field.name == "Air in the pores at gel"


def test_the_air_of_a_hose_that_is_shut_at_its_port_is_said_shown_and_put_right(window: Window, qtbot) -> None:
    window.go("lines")
    window.plan.choose("feed-2")
    window.refresh()
    choose(window, "Shut until then", "at its port")
    window.refresh()
    assert "air-in-late-hose" in caution_ids(window)
    push(bench(window), "Show where its air ends")
    qtbot.waitUntil(lambda: "of its air stay in the part" in texts(bench(window)), timeout=120_000)
    assert window.plan.field is not None
    push(bench(window), "Shut hoses at the bucket")
    window.refresh()
    assert window.plan.field is None and "air-in-late-hose" not in caution_ids(window)


def test_bubbles_are_told_apart_by_how_they_come_and_logged(window: Window) -> None:
    window.go("shoot")
    says = {
        "everywhere at once": "above the",
        "a steady trail from one place": "No hold test says",
        "a burst after a valve was opened": "shut at the bucket",
        "from the feed": "kg in the bucket",
    }
    for way, because in says.items():
        choose(window, "Bubbles", way)
        window.refresh()
        assert because in texts(bench(window)), way
    deep = revised(window.document.job.vacuum, cavity_pa=100.0)
    window.document.edit("vacuum", changed(window.document.job, vacuum=deep))
    choose(window, "Bubbles", "everywhere at once")
    window.refresh()
    assert "The resin gases" in texts(bench(window))
    push(bench(window), "Log it")
    assert window.document.job.run[-1].text == "Bubbles everywhere at once: the resin gases."
    assert "The resin gases" not in texts(bench(window))


def test_a_leaker_is_not_infused_without_a_name(window: Window) -> None:
    test = HoldTest(
        id="leaks",
        stage="last before mixing",
        taken_at=datetime.now(UTC),
        readings=((0, 3000), (300, 9000), (600, 15000)),
    )
    window.document.edit("hold test", changed(window.document.job, hold_tests=(test,)))
    window.go("shoot")
    window.refresh()
    button = bench(window).findChild(QPushButton, "next step")

    def go_on_until(words: str) -> None:
        while words not in button.text().replace("\n", " "):
            before = button.text()
            button.click()
            window.refresh()
            assert button.text() != before

    go_on_until("Mix batch 1")
    while_open(QInputDialog, lambda dialog: dialog.reject())
    button.click()
    window.refresh()
    assert "Mix batch 1" in button.text().replace("\n", " ")
    assert "No resin was mixed" in window.note.words.text()

    def sign(dialog: QInputDialog) -> None:
        dialog.setTextValue("  Night shift lead ")
        dialog.accept()

    while_open(QInputDialog, sign)
    button.click()
    window.refresh()
    go_on_until("Open feed")  # asked once: nothing stands in the way any more
    button.click()
    assert window.run.started
    notes = [event.text for event in window.document.job.shot if event.kind == "note"]
    assert any("although the last hold test failed" in text and text.endswith(": Night shift lead") for text in notes)


def test_the_depth_of_the_bucket_says_how_long_it_lasts(window: Window) -> None:
    window.go("shoot")
    window.refresh()
    field = type_into(bench(window), "Bucket stands", "2 m")
    assert "high" in field.error.text() and not window.document.job.run
    type_into(bench(window), "Bucket stands", "60 mm")
    window.refresh()
    shape, job = window.document.job.plumbing.bucket, window.document.job
    kilograms = show(shape.volume_m3(0.06) * job.resin.density_kg_m3, "mass", window.document.assessment.units)
    assert f"{kilograms} in the bucket, which is down to its heel at 0:" in texts(bench(window))
    assert not window.document.job.run, "it is logged when one says so"
    push(bench(window), "Log the depth")
    assert window.document.job.run[-1].text.startswith("60 mm deep: ")


def test_a_job_that_cannot_be_filled_is_asked_about_once(window: Window, qtbot) -> None:
    at_hold(window)
    follow(window)
    effect = bench(window).effect
    qtbot.waitUntil(lambda: "It would spoil" in texts(bench(window)), timeout=120_000)
    asked: list[object] = []
    effect.work.ended.connect(asked.append)
    window.document.edit("no vent", changed(window.document.job, lines=window.document.job.feeds))
    qtbot.waitUntil(lambda: "There is no vent line" in texts(bench(window)), timeout=240_000)
    qtbot.waitUntil(lambda: not effect.work.busy)
    window.refresh()
    QApplication.processEvents()
    assert len(asked) == 1 and not effect.work.busy and window.plan.field is None
