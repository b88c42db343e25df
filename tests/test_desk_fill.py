"""The Lines bench: maps and section, what the fill counts, valves, how sure it is, and proposed layouts."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from conftest import rectangle
from driving import (
    LEFT,
    at,
    bench,
    button,
    can_push,
    caution_ids,
    choose,
    click,
    drag,
    fill_of,
    press,
    push,
    run_apart,
    settle,
    texts,
    type_into,
)
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QComboBox
from shapely import LineString

from bibulon.demo import DEMO_FILES, demo_job
from bibulon.desk.app import wait_for_fill
from bibulon.desk.benches.base import CautionCard
from bibulon.desk.window import Window
from bibulon.durations import run_clock
from bibulon.flow.result import FillResult
from bibulon.job.edits import changed
from bibulon.job.lines import AtTime, MediaPatch
from bibulon.planning.proposal import Effort
from bibulon.quantities import show


def test_a_study_says_how_sure_the_fill_is_and_goes_stale(window: Window, qtbot) -> None:
    window.studies.start(window.document.job, samples=4)
    with qtbot.waitSignal(window.studies.ended, timeout=120_000):
        pass
    window.refresh()
    study = window.document.study
    assert study is not None and len(study.ensemble.fill_time_s) == 4
    assert "middle" in texts(bench(window))
    pictures = []
    for name in ("through", "seen", "lag", "dry"):
        window.plan.set_map(name)
        pictures.append(window.plan.grab().toImage())
    assert all(one != other for i, one in enumerate(pictures) for other in pictures[i + 1 :])
    drag(window, (2.1, 0.72), (2.1, 0.8))
    assert window.document.study is None, "it was of another plan"


def test_maps_and_a_section_are_shown_at_the_scrubbed_time(window: Window) -> None:
    window.go("lines")
    bench(window).refresh()
    box = next(box for box in bench(window).findChildren(QComboBox) if box.accessibleName() == "Plan shows")
    pictures = []
    for text in ("pressure of the resin", "thickness at gel", "fibre fraction at gel"):
        box.setCurrentText(text)
        box.activated.emit(box.currentIndex())
        pictures.append(window.plan.grab().toImage())
    assert all(one != other for i, one in enumerate(pictures) for other in pictures[i + 1 :])
    QTest.mouseMove(window.plan, at(window, 2.0, 0.3))
    assert "tool side" in window.pointer_text.text() and "%" in window.pointer_text.text()
    window.plan.set_map("thickness")
    assert " mm" in window.pointer_text.text().rpartition("·")[2], "told again for a pointer at rest"
    window.plan.set_map("through")
    window.plan.setFocus()
    press(window, Qt.Key.Key_C)
    click(window, 1.0, 0.0)
    click(window, 1.0, 1.4)
    assert window.plan.cut == ((1.0, 0.0), (1.0, 1.4))
    early, late = (shown_at(window, share) for share in (0.2, 0.8))
    assert early != late, "the resin in the section moves with the clock"
    press(window, Qt.Key.Key_C)
    press(window, Qt.Key.Key_Escape)
    assert window.plan.cut is None
    press(window, Qt.Key.Key_C)
    click(window, 2.5, 0.7)
    press(window, Qt.Key.Key_Return)
    assert window.plan.cut == ((2.5, 0.0), (2.5, 1.4)), "one place is cut across the part"
    window.plan.set_cut(None)
    QTest.mouseMove(window.time_rail.canvas, QPoint(300, 40))
    assert "bucket" in window.pointer_text.text() and "pots" in window.pointer_text.text()


def shown_at(window: Window, share: float) -> object:
    window.time_rail.canvas.scrub(share * window.time_rail.canvas.fill_end())
    return window.plan.grab().toImage()


def test_what_the_fill_counts_is_switched_at_the_bench(window: Window, qtbot) -> None:
    window.go("lines")
    before = window.document.assessment.fill.fill_time_s
    toggle = next(box for box in bench(window).findChildren(QCheckBox) if box.objectName() == "Laminate swells")
    assert toggle.isChecked()
    pictured = window.plan.grab().toImage()
    toggle.click()
    wait_for_fill(window)
    assert not window.document.job.flow.swelling
    assert window.plan.grab().toImage() != pictured, "painted anew from the new answer"
    assert window.document.assessment.fill.fill_time_s > 1.02 * before
    type_into(bench(window), "Gap beside core", "1.5 mm")
    wait_for_fill(window)
    assert window.document.job.flow.core_gap_m == pytest.approx(0.0015)
    window.undo()
    window.undo()
    wait_for_fill(window)
    assert window.document.assessment.fill.fill_time_s == pytest.approx(before)


def test_a_feed_is_opened_by_a_share_and_hangs_on_a_manifold(window: Window) -> None:
    window.go("lines")
    push(bench(window), "Add manifold")
    window.plan.choose("feed-2")
    window.refresh()
    choose(window, "Fed from", "manifold M1")
    choose(window, "Opened", "when so much is full")
    type_into(bench(window), "Share full", "40 %")
    wait_for_fill(window)
    line = window.document.job.line("feed-2")
    assert line.fed_by == window.document.job.manifolds[0].id
    fill = window.document.assessment.fill
    opened = next(event.time_s for event in fill.events if event.line == "feed-2")
    assert opened < fill.end_s
    choose(window, "Fed from", "F1")
    window.plan.choose("feed-1")
    window.refresh()
    choose(window, "Fed from", "F2")
    assert "by itself" in window.note.words.text() and window.document.job.line("feed-1").fed_by is None


def test_a_proposed_layout_is_taken_or_left(window: Window, qtbot, monkeypatch) -> None:
    """Left while it is still being looked for, which ends the search; taken once it is settled and studied."""
    monkeypatch.setattr("bibulon.planning.proposal.USUAL", Effort(moves=4, samples=2, risk_fills=2))
    window.go("lines")
    lines = window.document.job.lines
    for answer in ("Leave it", "Take it"):
        signal = window.proposals.delivered if answer == "Leave it" else window.proposals.ended
        with qtbot.waitSignal(signal, timeout=180_000):
            push(bench(window), "Propose a layout")
        window.refresh()
        assert "As it is" in texts(bench(window)) and "Proposed" in texts(bench(window))
        assert ("still looking" in texts(bench(window))) == (answer == "Leave it")
        assert window.plan.proposed is not None
        push(bench(window), answer)
        assert (window.document.job.lines == lines) == (answer == "Leave it")
        assert window.plan.proposed is None
        qtbot.waitUntil(lambda: can_push(bench(window), "Propose a layout"), timeout=180_000)
        assert "As it is" not in texts(bench(window)), "what was left does not come back"
    wait_for_fill(window)
    assert window.document.assessment.fill.fill_time_s is not None
    window.undo()
    assert window.document.job.lines == lines


def test_a_study_can_be_stopped(window: Window, qtbot) -> None:
    window.go("lines")
    with qtbot.waitSignal(window.studies.ended, timeout=120_000):
        push(bench(window), "Study the spread")
        push(bench(window), "Stop the study")
    assert window.document.study is None and not window.note.isVisible()


def test_what_is_asked_of_one_job_is_not_heard_under_another(window: Window, qtbot) -> None:
    """A study and a proposal under way stop when another job comes on the desk, and its bench can ask anew."""
    window.go("lines")
    push(bench(window), "Study the spread")
    with qtbot.waitSignals([window.studies.ended, window.proposals.ended], timeout=180_000):
        push(bench(window), "Propose a layout")
        window.open_document(demo_job(DEMO_FILES[1]))
        qtbot.waitUntil(lambda: window.document.job.name == demo_job(DEMO_FILES[1]).name, timeout=240_000)
    for name in ("Study the spread", "Propose a layout"):
        qtbot.waitUntil(lambda name=name: can_push(bench(window), name), timeout=240_000)
    assert "As it is" not in texts(bench(window)) and window.document.study is None
    window.open_document(demo_job())
    qtbot.waitUntil(lambda: window.document.job.name == demo_job().name, timeout=240_000)
    assert "As it is" not in texts(bench(window)) and window.document.study is None
    wait_for_fill(window)
    with qtbot.waitSignal(window.studies.ended, timeout=180_000):
        push(bench(window), "Study the spread")
        push(bench(window), "Stop the study")
        assert not button(bench(window), "Stopping").isEnabled()
    qtbot.waitUntil(lambda: can_push(bench(window), "Study the spread"), timeout=240_000)


LEFT_BEHIND = """
import gc, threading, time
from PySide6.QtCore import QCoreApplication, QEvent, QObject
from bibulon.desk.app import make_app
from bibulon.desk.work.background import Background, any_under_way

class Owner(QObject):
    def heard(self, *_):
        print("heard")

def work(report, job, pace):
    for turn in range(30):
        report.progress(turn / 30)
        time.sleep(pace)

if __name__ == "__main__":
    app = make_app()
    for turn in range(30):
        owner = Owner()
        background = Background(work, owner)
        for signal in (background.progressed, background.finished, background.ended):
            signal.connect(owner.heard)
        background.start(None, pace=0.0001 * (turn % 9))
        time.sleep(0.0003 * (turn % 7))
        owner.deleteLater()
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
        del owner, background
        gc.collect()
    for thread in threading.enumerate():
        if thread.name == "background":
            thread.join(120)
    app.processEvents()
    print("under way" if any_under_way() else "ended")
"""


def test_work_whose_owner_goes_is_not_heard_of_again(tmp_path: Path) -> None:
    ended = run_apart(tmp_path, LEFT_BEHIND)
    assert ended.returncode == 0 and ended.stdout == "ended\n", ended.stdout + ended.stderr


ENDS_AT_WORK = """
import atexit, threading, time
atexit.register(time.sleep, 1.0)  # once Qt is taken down
from bibulon.desk.app import make_app
from bibulon.desk.work.background import Background

begun = threading.Event()

def work(report, request):
    begun.set()
    time.sleep(0.4)

app = make_app()
background = Background(work, app)
background.start(None)
begun.wait()
"""


def test_the_program_ends_without_a_word_while_work_is_under_way(tmp_path: Path) -> None:
    ended = run_apart(tmp_path, ENDS_AT_WORK)
    assert (ended.returncode, ended.stdout, ended.stderr) == (0, "", "")


def test_pockets_share_one_card_with_what_helps_said_once(window: Window) -> None:
    window.go("lines")
    type_into(bench(window), "Gap beside core", "3 mm")
    fill_of(window)
    settle(bench(window))
    trapped = [caution for caution in window.document.cautions if caution.id == "air-trapped"]
    cards = [one for one in bench(window).findChildren(CautionCard) if one.isVisible()]
    (card,) = (card for card in cards if "Air is trapped" in texts(card))
    assert len(trapped) == 1 and "largest of" in trapped[0].message, "one caution for one cause"
    assert trapped[0].message in texts(card)
    assert texts(card).count(trapped[0].remedy) == texts(card).count(trapped[0].why) == 1
    assert all(one.message in card.accessibleName() for one in trapped)


def opened_at(fill: FillResult, line: str) -> float:
    return next(event.time_s for event in fill.events if event.line == line and event.action == "opened")


def test_a_feed_opens_at_what_it_waits_for(window: Window) -> None:
    """A place, a batch, a share, another line, the clock: the fill opens it just then, and the rail's flag is there."""
    window.go("lines")
    window.plan.choose("feed-2")
    window.refresh()
    choose(window, "Opened", "when resin is at a place")
    field = type_into(bench(window), "Place x, y", "2000")
    assert "two lengths" in field.error.text()
    type_into(bench(window), "Place x, y", "2000, 450")
    fill = fill_of(window)
    assert opened_at(fill, "feed-2") == pytest.approx(fill.seen_at(2.0, 0.45), rel=0.1)  # of a coarse mesh
    choose(window, "Opened", "when a batch is used up")
    type_into(bench(window), "Batch number", "2")
    fill = fill_of(window)
    assert fill.drawn_at(opened_at(fill, "feed-2")) == pytest.approx(fill.problem.fed.used_up_m3(2), rel=0.01)
    choose(window, "Opened", "when so much is full")
    type_into(bench(window), "Share full", "30 %")
    fill = fill_of(window)
    when = opened_at(fill, "feed-2")
    held = np.interp(when, fill.times_s, fill.in_part_m3)
    assert held / fill.in_part_m3[-1] == pytest.approx(0.3, abs=0.05)  # the share is of the pores before they swell
    assert f"opens {run_clock(when)}" in texts(bench(window))
    choose(window, "Opened", "by the clock")
    type_into(bench(window), "At", "12 min")
    fill = fill_of(window)
    assert opened_at(fill, "feed-2") == pytest.approx(720)
    # the flag on the rail is where the clock says, and dragging it moves the opening
    canvas = window.time_rail.canvas
    flag = QPoint(round(canvas.scale().x(720)), 20)
    QTest.mousePress(canvas, LEFT, pos=flag)
    QTest.mouseMove(canvas, QPoint(round(canvas.scale().x(960)), 20))
    QTest.mouseRelease(canvas, LEFT, pos=QPoint(round(canvas.scale().x(960)), 20))
    opens = window.document.job.line("feed-2").opens
    assert isinstance(opens, AtTime) and opens.time_s == pytest.approx(960, abs=20)


def test_machine_pot_and_membrane_do_what_they_are_for(window: Window) -> None:
    window.go("lines")
    by_vacuum = fill_of(window)
    type_into(bench(window), "Machine holds", "0.5 L/min")
    type_into(bench(window), "Pressure on resin", "3 bar")
    by_machine = fill_of(window)
    assert by_machine.fill_time_s is not None
    assert by_machine.resin_drawn_m3 == pytest.approx(0.5e-3 / 60 * by_machine.fill_time_s, rel=1e-3)
    assert "over-pressure-under-film" in caution_ids(window)
    type_into(bench(window), "Machine holds", "0")
    by_pot = fill_of(window)
    assert by_pot.fill_time_s is not None and by_vacuum.fill_time_s is not None
    # four times the drive on a laminate that swells under it
    assert by_vacuum.fill_time_s / 8 < by_pot.fill_time_s < by_vacuum.fill_time_s / 2.5
    for _ in range(3):
        window.undo()
    assert fill_of(window).fill_time_s == by_vacuum.fill_time_s
    assert by_vacuum.in_pots_m3[-1] > 1e-4
    window.plan.choose("vent-1")
    window.refresh()
    next(box for box in bench(window).findChildren(QCheckBox) if box.objectName().startswith("Membrane")).click()
    held_back = fill_of(window)
    assert held_back.in_pots_m3[-1] == 0 and held_back.fill_time_s is not None
    assert "holds resin" in texts(bench(window))
    QTest.mouseMove(window.time_rail.canvas, QPoint(round(window.time_rail.canvas.scale().x(held_back.end_s)), 40))
    assert "pots 0.00 kg" in window.pointer_text.text()


def test_resin_races_along_gaps_and_the_pointer_tells_each_level(window: Window) -> None:
    window.go("lines")
    type_into(bench(window), "Gap along edge", "0")
    type_into(bench(window), "Gap beside core", "0")
    tight = fill_of(window)
    type_into(bench(window), "Gap along edge", "2 mm")
    raced = fill_of(window)
    places = [(0.004, y) for y in (0.5, 0.8, 1.1)]
    for x, y in places:
        assert raced.seen_at(x, y) < 0.8 * tight.seen_at(x, y), "resin runs ahead along the edge"
    x, y = 2.1, 0.4
    QTest.mouseMove(window.plan, at(window, x, y))
    where = window.plan.frame.to_plan(at(window, x, y).toPointF())
    for name, time_s in raced.level_times_at(*where):
        assert f"{name} {show(time_s, 'duration')}" in window.pointer_text.text()
    field = type_into(bench(window), "Gap along edge", "-1 mm")
    assert "at least 0 mm" in field.error.text()
    assert window.document.job.flow.edge_gap_m == pytest.approx(0.002)


def test_media_goes_with_a_feed_that_is_moved_if_asked(window: Window) -> None:
    """A patch that only that feed lies on; one that another feed lies on too stays, and so does it if not asked."""
    window.go("lines")
    job = window.document.job
    x, y = LineString(job.line("feed-1").points).centroid.coords[0]
    card = job.media[0].card
    own = MediaPatch(id="own", card=card, outline=rectangle(x - 0.2, y - 0.1, x + 0.2, y + 0.1))
    window.document.edit("media", changed(job, media=(own,)))
    window.plan.choose("feed-1")
    before = window.document.job
    for asked in (False, True):
        if asked:
            toggle = next(box for box in bench(window).findChildren(QCheckBox) if box.text() == "Goes with its feed")
            toggle.click()
        window.plan.setFocus()
        QTest.keyClick(window.plan, Qt.Key.Key_Up)
        job = window.document.job
        assert job.line("feed-1").points[0][1] == pytest.approx(before.line("feed-1").points[0][1] + 0.05)
        up = job.media[0].outline[0][1] - own.outline[0][1]
        assert up == pytest.approx(0.05 if asked else 0.0)
        window.undo()
    assert window.document.job.media == (own,)
