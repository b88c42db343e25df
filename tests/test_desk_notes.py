"""What the window says and where that leads: the list of cautions, notes with an action, dropped files, leaving."""

from __future__ import annotations

from pathlib import Path

import pytest
from driving import LEFT, bench, caution_ids, push, settle, texts, type_into
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox, QMenu, QToolButton

from bibulon.demo import demo_job
from bibulon.desk.window import Window
from bibulon.job.edits import changed, revised, with_line
from bibulon.job.storage import load, save
from bibulon.quantities import show


def test_the_list_of_cautions_leads_to_where_each_is_mended(window: Window) -> None:
    job = window.document.job
    doubled = revised(job.line("feed-2"), label=job.line("feed-1").label)
    window.document.edit("label", with_line(job, doubled))
    window.refresh()
    found = window.document.cautions
    QTest.mouseClick(window.strip.cautions, LEFT)
    menu = next(one for one in window.findChildren(QMenu) if one.isVisible())
    entries = menu.actions()
    assert len(entries) == len(found) > 1
    for caution, entry in zip(found, entries, strict=True):
        assert caution.message in entry.text() and entry.toolTip() == caution.remedy
        assert entry.text().startswith(caution.rank.upper())
    placed = next(n for n, caution in enumerate(found) if caution.subject in ("feed-1", "feed-2"))
    entries[placed].trigger()
    assert window.station == "lines" and window.plan.chosen == found[placed].subject
    menu.close()
    away = next(n for n, caution in enumerate(found) if caution.station != "lines")
    entries[away].trigger()
    assert window.station == found[away].station and found[away].message in texts(bench(window))


def dropped(window: Window, path: Path) -> bool:
    """Drag the file onto the window and let it go; whether the window would have it."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    left, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    enter = QDragEnterEvent(QPoint(9, 9), Qt.DropAction.CopyAction, data, left, none)
    enter.ignore()
    window.dragEnterEvent(enter)
    window.dropEvent(QDropEvent(QPointF(9, 9), Qt.DropAction.CopyAction, data, left, none))
    for _ in range(3):
        QApplication.processEvents()
    return enter.isAccepted()


def test_files_are_dropped_on_the_window(window: Window, tmp_path: Path) -> None:
    path = tmp_path / "hatch.bibulon"
    save(changed(demo_job(), id="hatch", name="Hatch cover"), path)
    assert dropped(window, path)
    assert window.document.job.name == "Hatch cover" and window.document.path == path
    odd = tmp_path / "notes.odt"
    odd.write_text("nothing to be drawn", encoding="utf-8")
    assert dropped(window, odd)
    assert window.document.job.name == "Hatch cover" and "notes.odt" in window.note.words.text()
    words = QMimeData()
    words.setText("only words")
    enter = QDragEnterEvent(
        QPoint(9, 9), Qt.DropAction.CopyAction, words, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    enter.ignore()
    window.dragEnterEvent(enter)
    assert not enter.isAccepted()


def test_house_rules_are_chosen_with_their_figures_and_a_kept_test_is_taken_out(window: Window) -> None:
    window.go("hold")
    window.refresh()
    page = bench(window)
    soak = next(box for box in page.findChildren(QCheckBox) if box.text() == "long soak")
    soak.click()
    window.refresh()
    assert "long soak" in window.document.job.hold_rules.rules
    page.readings.setPlainText("0, 30\n5, 31\n10, 31\n15, 32")
    push(page, "Keep this test")
    window.refresh()
    (verdict,) = (one for _, one in window.document.assessment.hold_verdicts)
    assert [rule.passed for rule in verdict.rules if rule.rule == "long soak"] == [False]
    assert "hold-failed" in caution_ids(window)
    soak = next(box for box in page.findChildren(QCheckBox) if box.text() == "long soak")
    soak.click()
    window.refresh()
    assert "hold-failed" not in caution_ids(window) and "hold-not-done" not in caution_ids(window)
    remove = next(one for one in page.findChildren(QToolButton) if "Take out the test" in one.toolTip())
    QTest.mouseClick(remove, LEFT)
    window.refresh()
    assert not window.document.job.hold_tests and "No test kept yet." in texts(page)
    assert "hold-not-done" in caution_ids(window)
    window.undo()
    assert len(window.document.job.hold_tests) == 1


def test_smaller_parts_have_rules_of_their_own_and_new_jobs_begin_with_them(window: Window) -> None:
    window.go("hold")
    window.refresh()
    page = bench(window)
    area = window.document.assessment.laminate.total.area_m2
    settle(page)
    allowed = show(500.0 * area**0.5, "pressure difference", window.document.assessment.units)
    assert f"{allowed} for this part of" in texts(page)
    push(page, "+ Rules for smaller parts")
    window.refresh()
    assert window.document.job.hold_rules.for_area(area).drop_pa_per_600_s == 500.0, "so large a part has those it had"
    assert "other rules judge it" not in texts(page)
    type_into(page, "Up to", "50 m2")
    window.refresh()
    type_into(page, "Drop in 10 min", "1 mbar")
    window.refresh()
    assert window.document.assessment.hold_figures.drop_pa_per_600_s == 100.0
    assert window.document.job.hold_rules.drop_pa_per_600_s == 500.0
    page.readings.setPlainText("0, 30\n5, 32\n10, 34\n15, 36")
    push(page, "Keep this test")
    window.refresh()
    assert "hold-failed" in caution_ids(window), "4 mbar in 10 min, 1 mbar and the root of the area are allowed"
    push(page, "Use for new jobs")
    window.refresh()
    window.new_job()
    assert window.document.job.hold_rules.smaller[0].up_to_m2 == 50.0


def test_a_file_that_cannot_be_written_is_told_with_a_way_out(window: Window, tmp_path: Path, monkeypatch) -> None:
    monkeypatch.setattr("PySide6.QtWidgets.QFileDialog.getSaveFileName", lambda *_: (str(tmp_path / "n/x"), ""))
    window.files.save_job_as()
    assert "x.bibulon" in window.note.words.text() and window.document.path is None
    to = tmp_path / "kept.bibulon"
    monkeypatch.setattr("PySide6.QtWidgets.QFileDialog.getSaveFileName", lambda *_: (str(to), ""))
    push(window, "Save as …")
    assert load(to) == window.document.job and window.document.path == to
    # the next file is asked for beside it, and after another folder was picked, there
    asked: list[str] = []
    drawing = tmp_path / "drawings" / "plan.svg"
    drawing.parent.mkdir()
    monkeypatch.setattr(
        "PySide6.QtWidgets.QFileDialog.getSaveFileName",
        lambda _owner, _title, start, _pattern: (asked.append(start) or str(drawing), ""),
    )
    window.files.export_plan()
    window.files.export_plan()
    assert [Path(start).parent for start in asked] == [tmp_path, drawing.parent] and drawing.exists()


@pytest.mark.parametrize("missing", ["getOpenFileName", "getSaveFileName"])
def test_a_dialog_put_away_changes_nothing(window: Window, monkeypatch, missing: str) -> None:
    monkeypatch.setattr(f"PySide6.QtWidgets.QFileDialog.{missing}", lambda *_: ("", ""))
    before, note = window.document.job, window.note.isVisible()
    files = window.files
    acts = {
        "getOpenFileName": (files.open_job, lambda: files.bring_in("A drawing", (".dxf",))),
        "getSaveFileName": (files.save_job_as, files.export_fill, files.export_plan, files.save_mirrored),
    }
    for act in acts[missing]:
        act()
    assert window.document.job == before and window.document.path is None and window.note.isVisible() == note
