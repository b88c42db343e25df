"""The menu behind the mark, worked as a hand would: what it offers follows the job and the shop's settings."""

from __future__ import annotations

from pathlib import Path

from driving import LEFT, bench, texts, type_into
from PySide6.QtCore import QCoreApplication, QEvent, QProcess, QTimer
from PySide6.QtGui import QAction, QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QInputDialog, QMainWindow, QMenu, QToolButton

from bibulon.demo import DEMO_FILES, demo_job
from bibulon.desk import window_place
from bibulon.desk.app import wait_for_fill
from bibulon.desk.job_menu import SETTINGS, JobMenu
from bibulon.desk.shortcuts import SHORTCUTS, ShortcutList
from bibulon.desk.stations import stations_for
from bibulon.desk.widgets import theme
from bibulon.desk.window import Window
from bibulon.desk.work.settings import Settings, load_settings, settings_file
from bibulon.job.edits import changed
from bibulon.job.storage import load


def actions_of(menu: QMenu) -> dict[str, QAction]:
    return {action.text().split("\t")[0]: action for action in menu.actions() if action.text()}


def inner_menu(menu: QMenu, title: str) -> QMenu:
    return next(one for one in menu.findChildren(QMenu) if one.title() == title)


def opened(window: Window) -> JobMenu:
    """The menu, opened by a click on the mark."""
    mark = next(one for one in window.strip.findChildren(QToolButton) if one.menu() is not None)
    menu = mark.menu()
    assert isinstance(menu, JobMenu)
    QTimer.singleShot(0, menu.hide)  # a menu that is open waits for its answer
    QTest.mouseClick(mark, LEFT)
    return menu


def choose(window: Window, *texts_: str) -> None:
    """Open the menu and choose the entry of that text, in its inner menu if there are two."""
    menu: QMenu = opened(window)
    for text in texts_[:-1]:
        menu = inner_menu(menu, text)
    actions_of(menu)[texts_[-1]].trigger()
    QApplication.processEvents()


def test_every_setting_is_taken_up_at_once_ticked_and_kept(window: Window) -> None:
    was = theme.current.palette.name
    for title, field, choices in SETTINGS:
        for text, value in choices[::-1]:
            choose(window, title, text)
            assert getattr(window.document.settings, field) == value
            assert getattr(load_settings(), field) == value, "the next start finds it so"
            inner = inner_menu(opened(window), title)
            assert [name for name, one in actions_of(inner).items() if one.isChecked()] == [text]
    assert theme.current.palette.name == was
    assert len(opened(window).findChildren(QMenu)) == len(SETTINGS) + 1, "each opening leaves nothing behind"
    choose(window, "Units", "US shop")
    choose(window, "Money", "$")
    window.go("layup")
    window.refresh()
    assert "$" in texts(bench(window)) and "€" not in texts(bench(window)) and "lb" in texts(window.strip)


def test_jobs_are_made_saved_found_again_and_exported(window: Window, tmp_path: Path, monkeypatch, qtbot) -> None:
    to = tmp_path / "deck.bibulon"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(to), ""))
    assert not actions_of(opened(window))["Recent jobs"].isEnabled()
    choose(window, "Save as …")
    assert load(to) == window.document.job and not window.document.dirty
    choose(window, "Demo: observatory dome gore")
    gore = demo_job(DEMO_FILES[1])
    assert window.document.job == gore and window.document.path is None
    wait_for_fill(window)
    assert actions_of(opened(window))["Export the fill …"].isEnabled()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "fill.csv"), ""))
    choose(window, "Export the fill …")
    qtbot.waitUntil(lambda: (tmp_path / "fill.csv").exists(), timeout=20_000)
    assert len((tmp_path / "fill.csv").read_text(encoding="utf-8").splitlines()) > 100
    choose(window, "Recent jobs", to.name)
    assert window.document.path == to and window.document.job.name == demo_job().name
    choose(window, "New job")
    assert window.station == "part" and not window.document.job.layup
    type_into(bench(window), "Job", "Hatch cover")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "hatch"), ""))
    choose(window, "Save")
    assert load(tmp_path / "hatch.bibulon").name == "Hatch cover", "and the ending is added"


def test_what_opens_a_window_of_its_own_does(window: Window) -> None:
    seen: list[tuple[str, str]] = []

    def look() -> None:
        asked = QApplication.activeModalWidget()
        if asked is None:
            QTimer.singleShot(20, look)
            return
        seen.append((type(asked).__name__, texts(asked)))
        if isinstance(asked, QInputDialog):
            asked.setTextValue(" /dev/ttyUSB7 ")
            asked.accept()
        else:
            asked.close()

    for entry in ("Stock …", "Instruments …"):
        QTimer.singleShot(20, look)
        choose(window, entry)
    assert [name for name, _ in seen] == ["StockWindow", "QInputDialog"]
    assert load_settings().instruments_url == "/dev/ttyUSB7"
    choose(window, "Shortcuts")
    (page,) = (one for one in window.findChildren(ShortcutList) if one.isVisible())
    assert all(one.text in texts(page) for one in SHORTCUTS)
    page.close()


def test_a_window_comes_back_as_it_was_left_and_old_settings_are_understood(qtbot, monkeypatch) -> None:
    monkeypatch.setattr(QGuiApplication, "platformName", staticmethod(lambda: "a screen"))
    left, again = QMainWindow(), QMainWindow()
    window_place.place(left)
    screen = left.screen().availableGeometry()
    assert left.width() < screen.width() and left.height() < screen.height(), "with its frame it fits"
    left.resize(640, 480)
    window_place.keep(left)
    window_place.place(again)
    assert again.size() == left.size()
    settings_file().parent.mkdir(parents=True, exist_ok=True)
    settings_file().write_text('{"theme": "lamplight", "system": "us"}', encoding="utf-8")
    assert (load_settings().appearance, load_settings().system) == ("dark", "us")


def test_another_window_is_opened_on_the_same_file(window: Window, tmp_path: Path, monkeypatch) -> None:
    asked: list[list[str]] = []
    monkeypatch.setattr(
        QProcess, "startDetached", staticmethod(lambda program, words: (asked.append(words) or True, 1))
    )
    choose(window, "Another window")
    to = tmp_path / "deck.bibulon"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(to), ""))
    choose(window, "Save as …")
    choose(window, "Another window")
    assert asked == [["-m", "bibulon", "desk"], ["-m", "bibulon", "desk", str(to)]]


def test_settings_that_cannot_be_kept_are_said_and_hold_meanwhile(window: Window) -> None:
    settings_file().unlink(missing_ok=True)
    settings_file().mkdir(parents=True)  # where the file should be
    window.set_setting("system", "us")
    assert "could not be kept" in window.note.words.text()
    assert window.document.settings.system == "us" and load_settings().system == "metric"


def test_benches_are_built_ahead_while_nothing_else_goes_on(qtbot, runner) -> None:
    made = Window(demo_job(), Settings(), runner=runner)
    made.show()
    try:
        for process in ("film infusion", "light RTM"):
            made.document.edit("process", changed(made.document.job, process=process))
            there = {station.id for station in stations_for(process)}
            qtbot.waitUntil(lambda there=there: set(made.benches) == there, timeout=240_000)
        assert "mould" in made.benches and "bag" not in made.benches
    finally:
        made.close()
        made.deleteLater()
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
