"""What stands at Lines besides the fill: lines typed and re-tubed, media, manifolds and pots, and the fill as files."""

from __future__ import annotations

from pathlib import Path

import pytest
from driving import LEFT, bench, caution_ids, choose, click, drag, fill_of, press, push, texts, type_into
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QFileDialog, QToolButton

from bibulon.desk.app import wait_for_fill
from bibulon.desk.widgets.fields import Field
from bibulon.desk.window import Window
from bibulon.job import Job
from bibulon.job.edits import changed


def tool(window: Window, name: str) -> None:
    """Click the button that the screen reader calls *name*."""
    QApplication.processEvents()
    found = next(one for one in bench(window).findChildren(QToolButton) if one.accessibleName() == name)
    QTest.mouseClick(found, LEFT)
    window.refresh()


def at_lines(window: Window, chosen: str = "") -> None:
    window.go("lines")
    if chosen:
        window.plan.choose(chosen)
    window.refresh()


def job_of(window: Window) -> Job:
    return window.document.job


def test_a_line_is_placed_renamed_and_given_another_tube_by_typing(window: Window) -> None:
    at_lines(window, "feed-2")
    before = job_of(window).line("feed-2")
    field = type_into(bench(window), "From x, y", "20 cm")
    assert "two lengths" in field.error.text() and job_of(window).line("feed-2") == before
    type_into(bench(window), "From x, y", "20 cm, 0.7 m")
    type_into(bench(window), "To x, y", "4000, 700")
    assert job_of(window).line("feed-2").points == ((0.2, 0.7), (4.0, 0.7))
    type_into(bench(window), "Length", "3 m")
    assert job_of(window).line("feed-2").points == ((0.6, 0.7), (3.6, 0.7)), "about its middle"
    field = type_into(bench(window), "Length", "0")
    assert "above zero" in field.error.text() and job_of(window).line("feed-2").points[1] == (3.6, 0.7)
    type_into(bench(window), "Label", "middle feed")
    window.refresh()
    assert "middle feed" in texts(bench(window))
    wide = fill_of(window)
    box = next(one for one in bench(window).findChildren(QComboBox) if one.accessibleName() == "Line")
    narrow = next(text for text in map(box.itemText, range(box.count())) if text != box.currentText())
    choose(window, "Line", narrow)
    tube = job_of(window).line("feed-2").tube
    assert tube != before.tube and any(card.id == tube for card in job_of(window).cards), "its card comes with it"
    assert fill_of(window).in_lines_m3[-1] != wide.in_lines_m3[-1], "another bore takes another charge"
    push(bench(window), "Then …")
    type_into(bench(window), "Clamped at", "50 min")
    choose(window, "Then", "throttled")
    type_into(bench(window), "Throttled at", "30 min")
    type_into(bench(window), "Lets through", "20 %")
    push(bench(window), "Then …")
    type_into(bench(window), "Clamped at 2", "40 min")
    turns = [(event.time_s, event.action) for event in fill_of(window).events if event.line == "feed-2"]
    assert turns[1:3] == [(pytest.approx(1800), "throttled"), (pytest.approx(2400), "clamped")], "it turns as planned"
    choose(window, "Then 2", "nothing")
    choose(window, "Then", "nothing")
    assert job_of(window).line("feed-2").turns == ()
    tool(window, "Delete middle feed")
    assert [line.id for line in job_of(window).lines] == ["feed-1", "vent-1"]
    for _ in range(15):
        window.undo()
    assert job_of(window).line("feed-2") == before


def test_media_are_moved_by_their_edges_and_taken_out(window: Window) -> None:
    at_lines(window, "media-1")
    with_media = fill_of(window)
    low = min(y for _, y in next(one for one in job_of(window).media if one.id == "media-1").outline)
    type_into(bench(window), "Lower edge", f"{low + 0.05} m")
    outline = next(one for one in job_of(window).media if one.id == "media-1").outline
    assert min(y for _, y in outline) == pytest.approx(low + 0.05)
    tool(window, "Delete media 2")
    tool(window, "Delete media 1")
    assert not job_of(window).media and "None." in texts(bench(window))
    bare = fill_of(window)
    taken = bare.fill_time_s or 2 * bare.end_s
    assert with_media.fill_time_s is not None and taken > 1.1 * with_media.fill_time_s


def test_manifolds_and_pots_come_and_go(window: Window) -> None:
    at_lines(window, "feed-1")
    alone = fill_of(window)
    push(bench(window), "Add manifold")
    window.refresh()
    manifold = job_of(window).manifolds[0]
    choose(window, "Fed from", f"manifold {manifold.label}")
    throttled = fill_of(window)
    assert throttled.fill_time_s is not None and alone.fill_time_s is not None
    assert throttled.fill_time_s > alone.fill_time_s and throttled.in_lines_m3[-1] > alone.in_lines_m3[-1]
    tool(window, f"Take out manifold {manifold.label}")
    assert not job_of(window).manifolds and job_of(window).line("feed-1").fed_by is None
    assert fill_of(window).fill_time_s == alone.fill_time_s
    push(bench(window), "Add catch pot")
    window.refresh()
    assert [pot.label for pot in job_of(window).pots] == ["P1", "P2"]
    type_into(bench(window), "Catch pot P2", "4 L")
    assert job_of(window).pots[1].capacity_m3 == pytest.approx(0.004)
    tool(window, "Take out P1")
    tool(window, "Take out P2")
    assert not job_of(window).pots and "pot-too-small" in caution_ids(window)


def test_the_fill_goes_out_as_each_kind_of_file_or_says_why_not(window: Window, tmp_path: Path, monkeypatch) -> None:
    """What is in the files is read back in the tests of the command line."""
    at_lines(window)
    fill_of(window)

    def exported(name: str) -> Path:
        path = tmp_path / name
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
        window.files.export_fill()
        return path

    for suffix in (".vtu", ".pvd", ".csv", ".dxf", ".svg"):
        path = exported(f"fill{suffix}")
        assert path.stat().st_size > 1000 and f"written to {path}" in window.note.words.text()
    path = exported("fill v1.2")  # a name that only looks as if it had a suffix gets that of the first kind
    assert not path.exists() and (tmp_path / "fill v1.2.dxf").stat().st_size > 1000
    exported("nowhere/fill.csv")
    assert "could not be written" in window.note.words.text()


def test_patterns_of_lines_are_put_with_one_tool_each(window: Window) -> None:
    at_lines(window)
    bare = changed(job_of(window), lines=(), manifolds=())
    window.document.edit("bare", bare)
    press(window, Qt.Key.Key_T)
    click(window, 0.1, 0.7)
    click(window, 4.1, 0.7)
    feeds = job_of(window).feeds
    assert len(feeds) >= 2 and len(job_of(window).vents) == 1 and window.plan.chosen == feeds[0].id
    assert all(feed.is_clamped for feed in feeds[:-1]) and not feeds[-1].is_clamped
    window.undo()
    assert job_of(window).lines == ()
    press(window, Qt.Key.Key_B)
    for x in (0.2, 4.0):
        click(window, x, 0.7)
    press(window, Qt.Key.Key_Return)
    spine = window.plan.chosen
    assert {line.fed_by for line in job_of(window).lines} == {None, spine}
    window.undo()
    press(window, Qt.Key.Key_U)
    click(window, 2.0, 0.7)
    assert [line.kind for line in job_of(window).lines] == ["feed", "vent"]
    window.undo()
    press(window, Qt.Key.Key_A)
    press(window, Qt.Key.Key_Return)
    kinds = [line.kind for line in job_of(window).lines]
    assert kinds == ["feed", "vent"] and len(job_of(window).vents[0].points) > 4
    assert fill_of(window).fill_time_s is not None or fill_of(window).filled_fraction > 0.5
    window.undo()
    press(window, Qt.Key.Key_T)
    click(window, 0.5, 0.7)
    click(window, 0.52, 0.7)
    assert job_of(window).lines == () and "too short" in window.status.text()


def test_peel_ply_pieces_and_what_leads_air_to_a_vent_are_said_in_the_window(window: Window) -> None:
    """Each by its own field at its own station; what is wrong is named, and mended at one touch."""
    window.go("layup")
    choose(window, "Peel ply lies", "in regions only")
    assert {"peel-ply-missing", "line-on-bare-fibre"} <= caution_ids(window)
    core = window.document.job.regions[0].name
    window.plan.choose(core)
    window.refresh()
    choose(window, "Peel ply here", "laid")
    assert window.document.job.regions[0].peel_ply == "laid"
    push(bench(window), "Lay peel ply over it")
    assert not {"peel-ply-missing", "line-on-bare-fibre"} & caution_ids(window)
    window.go("part")
    assert type_into(bench(window), "Pieces", "left").error.text()
    type_into(bench(window), "Pieces", "plug, left, right")
    assert "pieces-not-sealed" in caution_ids(window)
    push(bench(window), "Plan them sealed on the resin side")
    assert window.document.job.mould.pieces == ("plug", "left", "right")
    assert "pieces-not-sealed" not in caution_ids(window)
    window.go("cure")
    assert "1 plug, 2 left, 3 right" in texts(bench(window))
    window.go("lines")
    window.plan.choose("vent-1")
    window.refresh()
    choose(window, "From part to it leads", "nothing")
    assert "vent-locks-off" in caution_ids(window)
    push(bench(window), "Run a strip of mesh to it")
    assert window.document.job.vents[0].bridge == "mesh" and "vent-locks-off" not in caution_ids(window)


def test_the_way_of_a_hose_is_drawn_dragged_and_taken_away(window: Window) -> None:
    window.go("lines")
    window.plan.choose("feed-1")
    window.use_tool("hose")
    for x, y in ((2.1, -0.2), (2.6, -0.2), (2.6, -0.3)):
        click(window, x, y)
    press(window, Qt.Key.Key_Return)
    job = window.document.job
    drawn = job.line("feed-1")
    assert drawn.hose_way == ((2.1, -0.2), (2.6, -0.2), (2.6, -0.3))
    assert drawn.hose_length_m == pytest.approx(0.26 + 0.5 + 0.1 + job.bucket.below_part_m, abs=0.01)
    window.refresh()
    assert "Drawn: " in texts(bench(window)) and "hose-kinked" not in caution_ids(window)
    window.plan.choose("hose feed-1")
    drag(window, (2.6, -0.2), (2.14, -0.2))
    wait_for_fill(window)
    assert "hose-kinked" in caution_ids(window), "three bends within a hand's width"
    window.plan.choose("feed-1")
    type_into(bench(window), "Elbows", "some")
    assert "whole number of elbows" in texts(bench(window))
    type_into(bench(window), "Elbows", "2")
    window.refresh()
    assert window.document.job.plumbing.hose("feed-1").elbow == "elbow-12"
    assert "hose-kinked" not in caution_ids(window)
    choose(window, "Elbow", "as wide as the hose")
    assert window.document.job.plumbing.hose("feed-1").elbow is None
    window.undo()
    window.undo()
    window.plan.choose("hose feed-1")
    press(window, Qt.Key.Key_Delete)
    assert window.document.job.line("feed-1").hose_way == ()
    window.undo()
    window.undo()
    window.plan.choose("feed-1")
    before = window.document.job.line("feed-1").hose_length_m
    drag(window, (1.0, 0.06), (1.0, 0.16))
    assert window.document.job.line("feed-1").hose_length_m == pytest.approx(before + 0.1, abs=0.011)
    push(bench(window), "Take the drawn way away")
    assert window.document.job.line("feed-1").hose_way == ()


def test_a_vent_is_kept_at_a_level_of_its_own(window: Window) -> None:
    at_lines(window, "vent-1")
    quick = fill_of(window).fill_time_s
    type_into(bench(window), "Kept at", "300 mbar")
    wait_for_fill(window)
    assert job_of(window).line("vent-1").level_pa == 30_000.0
    assert fill_of(window).fill_time_s > 1.1 * quick, "less pulls the resin"
    field = next(one for one in bench(window).findChildren(Field) if one.objectName() == "Kept at")
    field.editor.selectAll()
    for key in (Qt.Key.Key_Delete, Qt.Key.Key_Return):
        QTest.keyClick(field.editor, key)
    assert job_of(window).line("vent-1").level_pa is None
    type_into(bench(window), "Kept at", "10 mbar")
    window.refresh()
    assert "No deeper than the vacuum of the job, 30 mbar abs" in texts(bench(window))
