"""Nothing is lost: work and logs of killed, copied, doubly opened and damaged jobs, through the window."""

from __future__ import annotations

import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from driving import bench, push, texts, type_into, while_open
from PySide6.QtCore import QCoreApplication, QEvent, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QPushButton

from bibulon.demo import demo_job
from bibulon.desk.app import go_on_with_a_run
from bibulon.desk.dialogs.left_over import LeftOverWindow
from bibulon.desk.dialogs.what_to_prepare import IN_HAND, WhatToPrepare
from bibulon.desk.window import Window
from bibulon.desk.work.settings import Settings, state_folder
from bibulon.instruments.protocol import Reading
from bibulon.job import shot_clock
from bibulon.job.edits import changed, revised, with_line
from bibulon.job.held_plan import changed_since
from bibulon.job.kept import DISCARDED_FOR_S, left_over
from bibulon.job.storage import load, save
from bibulon.stock.new_job import new_job


@pytest.fixture
def opened(qtbot, runner):
    """Opens windows, and closes what is still open at the end."""
    windows: list[Window] = []

    def open_one(job=None, path: Path | None = None) -> Window:
        made = Window(job or new_job(), Settings(), runner=runner, ahead=False)
        windows.append(made)
        made.show()
        if path is not None:
            made.files.open(path)
        return made

    yield open_one
    for made in windows:
        made.close()
        made.deleteLater()
    # now and here: left to the collector, a window may go on a thread that is not the interface's
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


def started(window: Window) -> None:
    """Begin the shot by the run list."""
    window.go("shoot")
    while not window.run.started:
        bench(window).next_button.click()


def say_as(window: Window, name: str) -> None:
    window.document.edit("name", changed(window.document.job, name=name))


# -- work --------------------------------------------------------------------------------------------------------------


def test_new_jobs_that_were_never_saved_are_offered_at_the_next_start(opened) -> None:
    for name in ("Hatch", "Cowl"):
        window = opened()
        say_as(window, name)
        window.close()
    window = opened()
    assert "2 other jobs" in window.note.words.text()
    shown: list[str] = []

    def look(page: LeftOverWindow) -> None:
        shown.append(texts(page))
        rows = [one for one in page.findChildren(QPushButton) if one.accessibleName() == "Discard: Cowl"]
        rows[0].click()
        next(one for one in page.findChildren(QPushButton) if one.accessibleName() == "Open: Hatch").click()

    while_open(LeftOverWindow, look)
    push(window, "Look at it")
    assert "Hatch" in shown[0] and "never saved to a file" in shown[0]
    assert window.document.job.name == "Hatch" and window.document.dirty
    assert left_over(state_folder()) == (), "one is open, the other discarded"
    window.close()
    assert [one.about.name for one in left_over(state_folder())] == ["Hatch"]


def test_what_is_discarded_is_deleted_after_a_month(opened, monkeypatch: pytest.MonkeyPatch) -> None:
    from bibulon.job.kept import discard

    window = opened()
    say_as(window, "Hatch")
    window.close()
    discard(state_folder(), left_over(state_folder())[0].key)
    assert left_over(state_folder()) == () and list((state_folder() / "discarded").iterdir())
    now = time.time()
    monkeypatch.setattr("bibulon.job.kept.time.time", lambda: now + DISCARDED_FOR_S + 10)
    left_over(state_folder())
    assert not list((state_folder() / "discarded").iterdir())


def test_unsaved_work_on_a_file_is_taken_up_and_can_be_put_aside(opened, tmp_path: Path) -> None:
    path = tmp_path / "deck.bibulon"
    save(demo_job(), path)
    window = opened(path=path)
    say_as(window, "Half done")
    window.close()
    window = opened(path=path)
    assert window.document.job.name == "Half done" and "taken up again" in window.note.words.text()
    push(window, "Put it aside")
    assert window.document.job == demo_job()
    window.close()
    assert opened(path=path).document.job == demo_job() and left_over(state_folder()) == ()


def test_work_on_an_older_state_of_the_file_is_offered_apart(opened, tmp_path: Path) -> None:
    path = tmp_path / "deck.bibulon"
    save(demo_job(), path)
    window = opened(path=path)
    say_as(window, "Half done")
    window.close()
    save(changed(demo_job(), name="From a colleague"), path)
    window = opened(path=path)
    assert window.document.job.name == "From a colleague"
    assert "Half done" in window.note.words.text()
    push(window, "Open it")
    assert window.document.job.name == "Half done" and window.document.path is None


def test_a_copy_that_cannot_be_read_is_told_and_the_job_opens_all_the_same(opened, tmp_path: Path) -> None:
    path = tmp_path / "deck.bibulon"
    save(demo_job(), path)
    window = opened(path=path)
    say_as(window, "Half done")
    window.close()
    kept = window.document.kept.recovery
    assert kept.stat().st_mode & 0o077 == 0, "nobody else may read it"
    kept.write_text("{ torn", encoding="utf-8")
    window = opened(path=path)
    assert window.document.job == demo_job() and kept.name in window.note.words.text()


# -- two of one --------------------------------------------------------------------------------------------------------


def test_copies_of_a_file_have_logs_of_their_own(opened, tmp_path: Path) -> None:
    first, second = tmp_path / "a_b.bibulon", tmp_path / "a b.bibulon"
    save(changed(demo_job(), id="a/b"), first)
    shutil.copy(first, second)
    one = opened(path=first)
    other = opened(path=second)
    started(one)
    other.go("shoot")
    assert not other.document.job.run and not other.run.started
    bench(other).next_button.click()
    one.close()
    other.close()
    assert len(opened(path=first).document.job.run) > 1 == len(opened(path=second).document.job.run)


def test_a_job_saved_elsewhere_in_mid_run_takes_its_log_along(opened, tmp_path: Path, monkeypatch) -> None:
    first, second = tmp_path / "first.bibulon", tmp_path / "second"
    save(demo_job(), first)
    window = opened(path=first)
    started(window)
    before = window.document.job
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(second), ""))
    window.files.save_job_as()
    push(bench(window), "Log readings")
    assert window.document.job.id != before.id and not window.document.read_only
    window.close()
    again = opened(path=tmp_path / "second.bibulon")
    assert [event.kind for event in again.document.job.run][-1] == "reading" and again.run.running
    assert opened(path=first).document.job.run == before.run, "entries made before stay with the file they were made in"


def test_a_second_window_on_a_file_only_shows_it(opened, qtbot, tmp_path: Path, monkeypatch) -> None:
    path = tmp_path / "deck.bibulon"
    save(demo_job(), path)
    first, second = opened(path=path), opened(path=path)
    assert "open in another window" in second.note.words.text() and "only shown" in second.windowTitle()
    second.go("part")
    type_into(bench(second), "Length", "1.2 m")
    assert second.document.job == demo_job()
    second.go("shoot")
    assert not bench(second).next_button.isEnabled()
    second.go("log")
    push(bench(second), "What to prepare")
    (sheet,) = second.findChildren(WhatToPrepare)
    qtbot.waitUntil(lambda: sheet.table.rowCount() > 0, timeout=240_000)
    in_hand = sheet.table.item(0, IN_HAND)
    assert not in_hand.flags() & Qt.ItemFlag.ItemIsEditable and "open in another window" in texts(sheet)
    sheet.reject()
    second.files.save_job()
    assert load(path) == demo_job() and "open in another window" in second.note.words.text()
    say_as(first, "Mine")
    first.files.save_job()
    copy = tmp_path / "copy.bibulon"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(copy), ""))
    second.files.save_job_as()
    say_as(second, "A copy")
    second.files.save_job()
    assert (load(path).name, load(copy).name) == ("Mine", "A copy")
    first.close()
    third = opened(path=path)
    assert not third.document.read_only, "a closed window lets go"


def test_a_file_changed_meanwhile_is_replaced_only_when_asked(opened, tmp_path: Path) -> None:
    path = tmp_path / "deck.bibulon"
    save(demo_job(), path)
    window = opened(path=path)
    save(changed(demo_job(), name="From a colleague"), path)
    say_as(window, "Mine")
    window.files.save_job()
    assert load(path).name == "From a colleague" and window.document.dirty
    push(window, "Replace it")
    assert load(path).name == "Mine" and not window.document.dirty


def test_a_name_without_its_suffix_does_not_overwrite_unasked(window: Window, tmp_path: Path, monkeypatch) -> None:
    there = tmp_path / "panel v1.2.bibulon"
    save(changed(demo_job(), name="of last week"), there)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "panel v1.2"), ""))
    window.files.save_job_as()
    assert load(there).name == "of last week" and "already there" in window.note.words.text()
    push(window, "Replace it")
    assert load(there) == window.document.job


# -- the log -----------------------------------------------------------------------------------------------------------

CHILD = """
import sys
from pathlib import Path
from bibulon.demo import demo_job
from bibulon.desk.app import make_app, wait_for_fill
from bibulon.desk.work.settings import Settings
from bibulon.desk.window import Window
app = make_app()
window = Window(demo_job(), Settings())
window.show()
wait_for_fill(window)
window.document.edit("name", window.document.job.model_copy(update={"name": "Panel seven"}))
window.document.write_recovery()
window.go("shoot")
window.run.connect_simulated()
page = window.benches["shoot"]
while True:
    page.next_button.click()
    print(len(window.document.job.run), flush=True)
    if len(window.document.job.run) >= 4:
        page.note.setText(f"note {len(window.document.job.run)}")
        page.note.returnPressed.emit()
"""


def test_a_run_killed_in_the_middle_loses_nothing_and_its_workers_end(opened) -> None:
    child = subprocess.Popen([sys.executable, "-c", CHILD], stdout=subprocess.PIPE, text=True)
    assert child.stdout is not None
    said = 0
    while said < 7:
        said = int(child.stdout.readline())
    workers = _children(child.pid)
    child.send_signal(signal.SIGKILL)
    rest = child.stdout.read().split()
    said = max([said, *(int(one) for one in rest if one.isdigit())])
    child.wait()
    assert workers
    window = opened()
    go_on_with_a_run(window)
    assert window.document.job.name == "Panel seven"
    run = window.document.job.run
    assert len(run) >= said and [event.number for event in run] == list(range(1, len(run) + 1))
    assert window.run.running and window.run.clock_s >= run[-1].clock_s
    assert "run was under way" in window.note.words.text()
    window.go("shoot")
    push(bench(window), "Log readings")
    assert window.document.job.run[-1].kind == "reading" and len(window.document.job.run) == len(run) + 1
    while any(Path(f"/proc/{worker}").exists() for worker in workers):
        QTest.qWait(50)  # they end by themselves; the suite's own time limit is the only one


def _children(process: int) -> list[str]:
    return Path(f"/proc/{process}/task/{process}/children").read_text(encoding="ascii").split()


def test_a_new_run_leaves_ticks_checks_and_photographs(window: Window) -> None:
    window.run.log("ply laid", "P1", text="Quad")
    window.run.log("check ticked", "M2", text="clean")
    started(window)
    push(bench(window), "Shot ended")
    window.refresh()
    laid = window.document.assessment.job
    push(bench(window), "New run")
    job = window.document.job
    assert job.run[: len(laid.run)] == laid.run and job.run[-1].kind == "new run"
    assert job.shot == () and not window.run.started and bench(window).next_button.isEnabled()
    window.go("layup")
    assert "P1" in {event.label for event in job.run}


def test_a_broken_probe_a_long_note_and_a_huge_photograph_stop_no_entry(
    window: Window, qtbot, tmp_path: Path, monkeypatch
) -> None:
    from PySide6.QtGui import QImage

    class Broken:
        """A gauge, and a probe that came off."""

        url = "socket://127.0.0.1:1"

        def __init__(self) -> None:
            self.impossible = {"pot": "The probe in the pot shows -300 °C"}

        def close(self) -> None:
            return

    started(window)
    window.run.link = Broken()
    window.run._take(window.run.link, Reading("vacuum", 1e12, time.monotonic()))
    page = bench(window)
    push(page, "Log readings")
    last = window.document.job.run[-1]
    assert last.kind == "reading" and last.vacuum_pa is None and "left out" in last.text
    page.tick()
    assert "which cannot be" in texts(page)
    page.note.setText("x" * 5000)
    QTest.keyClick(page.note, Qt.Key.Key_Return)
    assert len(window.document.job.run[-1].text) == 2000
    window.run.link = None

    noise = QImage(4000, 3000, QImage.Format.Format_RGB32)
    noise.fill(0)
    bits = noise.bits()
    import numpy as np

    np.frombuffer(bits, np.uint8)[:] = np.random.default_rng(1).integers(0, 255, len(bits), np.uint8)
    assert noise.save(str(tmp_path / "noise.png"))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "noise.png"), ""))
    window.go("layup")
    ticks = bench(window).ticks
    ticks.list.setCurrentRow(0)
    ticks.take.click()
    assert window.document.job.run[-1].kind == "photographed" and window.document.job.run[-1].photograph


def test_a_damaged_entry_is_told_and_the_rest_stands(opened, tmp_path: Path) -> None:
    path = tmp_path / "deck.bibulon"
    save(demo_job(), path)
    window = opened(path=path)
    started(window)
    for _ in range(3):
        push(bench(window), "Log readings")
    count = len(window.document.job.run)
    window.close()
    journal = window.document.kept.journal.path
    window.document.kept.recovery.unlink()
    lines = journal.read_bytes().splitlines(keepends=True)
    lines[1] = b"rot" + lines[1][3:]
    journal.write_bytes(b"".join(lines))
    window = opened(path=path)
    numbers = [event.number for event in window.document.job.run]
    assert numbers == [1, *range(3, count + 1)]
    window.go("log")
    table = bench(window).table
    assert "entry 2 is missing: damaged on disk" in {table.item(row, 2).text() for row in range(table.rowCount())}
    window.go("shoot")
    push(bench(window), "Log readings")
    assert window.document.job.run[-1].number == count + 1


def test_a_journal_that_cannot_be_read_is_said_and_the_log_goes_on(opened, tmp_path: Path) -> None:
    path = tmp_path / "deck.bibulon"
    save(demo_job(), path)
    window = opened(path=path)
    place = window.document.kept.journal.path
    window.close()
    place.mkdir(parents=True)
    window = opened(path=path)
    assert "cannot be read" in window.note.words.text()
    started(window)
    assert window.document.job.run
    shutil.rmtree(state_folder())
    push(bench(window), "Log readings")
    assert window.document.job.run[-1].kind == "reading"


# -- the clock ---------------------------------------------------------------------------------------------------------


@pytest.fixture
def machine(monkeypatch: pytest.MonkeyPatch):
    """The machine's clocks, moved by hand."""

    class Machine:
        boot, since_boot, day = "one", 1000.0, time.time()

        def sleep(self, seconds: float) -> None:
            self.since_boot += seconds
            self.day += seconds

        def start_anew(self, after: float) -> None:
            self.boot, self.since_boot = "another", 30.0
            self.day += after

    made = Machine()
    monkeypatch.setattr(shot_clock, "boot_id", lambda: made.boot)
    monkeypatch.setattr(shot_clock, "since_boot_s", lambda: made.since_boot)
    monkeypatch.setattr(shot_clock, "time_of_day_s", lambda: made.day)
    return made


def test_the_shot_clock_is_right_whatever_happens_to_the_time_of_day(opened, tmp_path: Path, machine) -> None:
    path = tmp_path / "deck.bibulon"
    save(demo_job(), path)
    window = opened(path=path)
    started(window)
    machine.sleep(600.0)
    assert window.run.clock_s == pytest.approx(600.0)
    machine.day -= 3600.0
    window.run._tick()
    assert window.run.clock_s == pytest.approx(600.0) and "set back by 1:00:00" in window.note.words.text()
    push(bench(window), "Log readings")
    assert window.document.job.run[-1].clock_s == pytest.approx(600.0)
    window.close()
    machine.sleep(300.0)
    machine.day += 7200.0
    window = opened(path=path)
    assert window.run.clock_s == pytest.approx(900.0)
    window.document.save(path)
    window.close()
    machine.sleep(300.0)
    machine.day -= 1800.0
    window = opened(path=path)
    assert window.run.clock_s == pytest.approx(1200.0) and not window.note.isVisible()


@pytest.mark.parametrize(("day_moves", "says"), [(0.0, "Check it against a watch"), (-7200.0, "set back")])
def test_a_clock_taken_up_by_the_time_of_day_says_why_it_may_be_wrong(
    opened, tmp_path: Path, machine, day_moves: float, says: str
) -> None:
    path = tmp_path / "deck.bibulon"
    save(demo_job(), path)
    window = opened(path=path)
    started(window)
    window.close()
    machine.start_anew(after=240.0)
    machine.day += day_moves
    window = opened(path=path)
    assert window.run.clock_s == pytest.approx(max(240.0 + day_moves, 0.0), abs=2.0)
    assert says in window.note.words.text()


def test_a_hold_test_read_overnight_is_taken_up_after_a_crash(opened, tmp_path: Path, qtbot) -> None:
    path = tmp_path / "deck.bibulon"
    save(demo_job(), path)
    window = opened(path=path)
    window.go("hold")
    push(bench(window), "From the gauge")
    qtbot.waitUntil(lambda: bench(window).readings.toPlainText().count("\n") >= 4, timeout=240_000)
    taken = bench(window).readings.toPlainText()
    record = window.document.kept.hold_record.read_bytes()
    window.document.kept.hold_record.write_bytes(record + b'{"channel": "vacuum", "t": 4')  # cut off by the crash
    window.close()
    assert not window.document.job.hold_tests
    window = opened(path=path)
    window.go("hold")
    side = bench(window)
    assert side.readings.toPlainText().startswith(taken) and "barometer" not in side.error.text()
    assert "hold test was being read until" in window.note.words.text()
    count = side.readings.toPlainText().count("\n")
    push(side, "Go on reading")
    qtbot.waitUntil(lambda: side.readings.toPlainText().count("\n") >= count + 2, timeout=240_000)
    push(side, "Keep this test")
    (test,) = window.document.job.hold_tests
    assert test.source == "gauge" and len(test.readings) >= count + 3 and len(test.barometer_readings) >= 1
    assert dict(test.of_plan)["lines"] and not changed_since(window.document.job, test.of_plan)
    job = window.document.job
    window.document.edit("longer hose", with_line(job, revised(job.lines[0], hose_length_m=9.0)))
    assert changed_since(window.document.job, test.of_plan) == ("lines",)
    window.document.save(path)
    window.close()
    window = opened(path=path)
    window.go("hold")
    assert not bench(window).readings.toPlainText(), "what was kept is not offered again"
