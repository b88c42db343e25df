"""The Lay-up station driven by its real widgets: the book reordered and mirrored, joints, cut files, ticks, a mend."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from conftest import rectangle
from driving import (
    LEFT,
    button,
    caution_ids,
    choose,
    click,
    drag,
    press,
    push,
    settle,
    texts,
    tick,
    type_into,
    while_open,
)
from pypdf import PdfReader
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox, QFileDialog, QPushButton, QToolButton

from bibulon.demo import demo_job
from bibulon.desk.benches.layup import LayupBench
from bibulon.desk.benches.layup_entry import EntryRow
from bibulon.desk.dialogs.fabric_comparison import FabricComparison
from bibulon.desk.widgets.choices import ToggleField
from bibulon.desk.widgets.fields import FreeField, MoveHandle, QuantityField
from bibulon.desk.window import Window
from bibulon.desk.work.settings import Settings
from bibulon.job.cards import CoreCard
from bibulon.job.edits import changed, grouped_layup, revised, with_value
from bibulon.job.layup import Layer
from bibulon.job.part import Region
from bibulon.stock.offcuts import shop_offcuts


def layup(window: Window, qtbot) -> LayupBench:
    window.go("layup")
    found = window.benches["layup"]
    assert isinstance(found, LayupBench)
    qtbot.waitUntil(lambda: "% waste" in texts(found), timeout=20_000)
    return found


def book(window: Window) -> list[str]:
    return [layer.id for layer in window.document.job.layup]


def test_the_book_is_reordered_by_dragging_and_by_keys_and_mirrored(window: Window, qtbot) -> None:
    side = layup(window, qtbot)
    before = book(window)
    handles = [one for one in side.findChildren(MoveHandle) if one.isVisible()]
    last = handles[-1]
    third = side.book.entries[2]
    target = last.mapFromGlobal(third.mapToGlobal(QPoint(20, third.height() // 2 + 6)))
    QTest.mousePress(last, LEFT)
    QTest.mouseMove(last, target)
    QTest.mouseRelease(last, LEFT, pos=target)
    assert book(window) == [*before[:3], before[-1], *before[3:-1]]
    window.undo()
    window.refresh()
    first = next(
        one for one in side.findChildren(MoveHandle) if one.isVisible() and one.accessibleName() == "Move entry 1"
    )
    QTest.keyClick(first, Qt.Key.Key_Down)
    assert book(window)[:2] == [before[1], before[0]]
    window.undo()
    window.refresh()
    assert "unsymmetric" in texts(side)
    push(side, "Mirror")
    window.refresh()
    assert len(book(window)) == 2 * len(before) - 1 and "symmetric, balanced" in texts(side)


def test_a_line_of_the_book_opens_for_change_and_a_new_ply_comes_up_open(window: Window, qtbot) -> None:
    side = layup(window, qtbot)
    lines = [row.summary for row in side.book.entries]
    assert max(line.height() for line in lines) < 32, "a dozen are in sight"
    QTest.mouseClick(lines[3], LEFT)
    assert "g/m²" in texts(side.book.entries[3])
    type_into(side.book.entries[3], "Angle", "90")
    assert window.document.job.layup[3].angle_deg == 90.0
    window.refresh()
    assert "90° × 1" in lines[3].accessibleName() and lines[3].isChecked(), "it stays open under the hand"
    QTest.mouseClick(lines[3], LEFT)
    assert not any(one.isVisible() for one in side.book.entries[3].findChildren(QuantityField))
    push(side, "+ Ply")
    window.refresh()
    settle(side)
    added = side.book.entries[-1]
    type_into(added, "Count", "3")
    window.refresh()
    assert window.document.job.layup[-1].count == 3 and "× 3" in added.summary.accessibleName()


def test_a_book_is_laid_by_clicking_where_the_mouse_is(window: Window, qtbot) -> None:
    """The button stays under the hand, the new ply stands above it, and the caution of an empty book goes."""
    window.resize(1280, 800)
    side = layup(window, qtbot)
    window.document.edit("empty book", changed(window.document.job, layup=()))
    window.refresh()
    settle(side)
    assert "nothing in the ply book" in texts(side)
    place = button(side, "+ Ply").mapTo(side.viewport(), button(side, "+ Ply").rect().center())
    for count in range(1, 6):
        under_hand = side.viewport().childAt(place)
        assert under_hand is button(side, "+ Ply"), count
        QTest.mouseClick(under_hand, LEFT)
        window.refresh()
        settle(side)
        assert len(window.document.job.layup) == count
    push(side, "+ Core")
    core = window.document.job.card(window.document.job.layup[-1].card, CoreCard)
    assert core.perforation_pitch_m is not None, "a first core lets resin through"


def test_cut_files_follow_the_plan(window: Window, qtbot, tmp_path: Path, monkeypatch) -> None:
    side = layup(window, qtbot)
    assert "21.0 m" in texts(side) and "8 pieces off 1270 mm, 10 % waste" in texts(side)
    before = side.cutting.cuts
    type_into(side, "Overlap", "60 mm")
    qtbot.waitUntil(lambda: side.cutting.cuts not in (None, before), timeout=20_000)
    window.refresh()
    assert "overlap by 60" in texts(side)
    push(side, "Overlap by 25 mm")
    assert window.document.job.cutting.overlap_m == 0.025
    window.refresh()
    assert "overlap by 60" not in texts(side)
    side.cutting.toggle.click()
    assert window.plan.joints
    window.plan.grab()
    length_m = {roll.card.id: roll.length_m for roll in side.cutting.cuts.rolls}
    assert "Laid across: 5.6 m, saves 2.8 m and 3.35 €; 2 more pieces." in texts(side)
    push(side, "Lay it across")
    qtbot.waitUntil(lambda: side.cutting.cuts.rolls[0].length_m < length_m["glass-mat-300"] - 2.7, timeout=20_000)
    qtbot.waitUntil(lambda: "Laid across: 5.6 m" not in texts(side), timeout=20_000)  # shown once all of it is over
    assert window.document.job.layup[0].angle_deg == 90
    window.undo()
    qtbot.waitUntil(lambda: side.cutting.cuts.rolls[0].length_m == length_m["glass-mat-300"], timeout=20_000)
    for name, wanted in (("cut.dxf", b"SECTION"), ("cut.svg", b"<svg"), ("cut.csv", b"P2A"), ("cut.pdf", b"%PDF")):
        path = tmp_path / name
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, path=path: (str(path), ""))
        push(side, "Cutting drawings …")
        assert wanted in path.read_bytes()
    path = tmp_path / "labels.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    push(side, "Kit labels …")
    assert "P7B" in PdfReader(path).pages[0].extract_text()


def test_joints_and_darts_are_drawn_and_moved_on_the_plan(window: Window, qtbot) -> None:
    side = layup(window, qtbot)
    side.cutting.toggle.click()
    ply = window.document.assessment.plies[2]
    y = ply.joints[0].coords[0][1]
    drag(window, (3.0, y), (3.3, y - 0.06))
    window.refresh()
    moved = window.document.assessment.plies[2]
    assert moved.joints[0].coords[0][1] == pytest.approx(y - 0.06, abs=0.006)
    assert "Joints of ply P3, put there by hand" in texts(side)
    type_into(side, "Shifted by", "200 mm")
    assert window.document.assessment.plies[2].shift_m == pytest.approx(0.2)
    window.plan.setFocus()
    press(window, Qt.Key.Key_Delete)
    assert window.document.job.cutting.shifts == () and window.document.assessment.plies[2] == ply
    press(window, Qt.Key.Key_X)
    click(window, 1.0, 0.0)
    click(window, 1.0, 0.3)
    (dart,) = window.document.job.cutting.darts
    assert (dart.mouth, dart.tip) == ((1.0, 0.0), (1.0, 0.3)) and window.plan.chosen == dart.id
    window.refresh()
    type_into(side, "Dart 1", "50 mm")
    drag(window, (1.0, 0.3), (1.1, 0.4))
    (dart,) = window.document.job.cutting.darts
    assert dart.width_m == pytest.approx(0.05) and dart.tip == pytest.approx((1.1, 0.4), abs=0.006)
    qtbot.waitUntil(lambda: not side.cutting._work.busy, timeout=20_000)
    window.plan.setFocus()
    press(window, Qt.Key.Key_Delete)
    assert window.document.job.cutting.darts == ()


def test_cells_open_their_figures_and_regions_take_a_new_name(window: Window, qtbot) -> None:
    side = layup(window, qtbot)
    rows = [one for one in side.findChildren(QPushButton) if "Vf 5" in one.text()]
    assert len(rows) == 4 and "Conducts worst" not in texts(side)
    QTest.mouseClick(rows[0], LEFT)
    window.refresh()
    shown = texts(side)
    assert "Conducts worst" in shown and "Materials per m²" in shown and "unsymmetric" in shown
    QTest.mouseClick(next(one for one in side.findChildren(QPushButton) if one.isChecked()), LEFT)
    window.refresh()
    assert "Conducts worst" not in texts(side)
    # what is held vanishes with its old figures, and the bench stays where it was scrolled to
    side.verticalScrollBar().setValue(400)
    next(one for one in side.findChildren(QPushButton) if "Vf 5" in one.text()).setFocus()
    place = side.verticalScrollBar().value()
    first = window.document.job.layup[1].id
    window.document.edit("count", with_value(window.document.job, f"layup/{first}/count", 4))
    window.refresh()
    QApplication.processEvents()
    assert place > 100 and side.verticalScrollBar().value() == place and side.hasFocus()
    window.undo()
    window.refresh()
    field = next(one for one in side.findChildren(FreeField) if one.editor.text() == "bearing pads")
    field.editor.setFocus()
    field.editor.selectAll()
    QTest.keyClicks(field.editor, "bearings")
    QTest.keyClick(field.editor, Qt.Key.Key_Return)
    window.refresh()
    assert [region.name for region in window.document.job.regions if "bearing" in region.name] == ["bearings"]
    assert any(layer.region == "bearings" for layer in window.document.job.layup)
    QApplication.processEvents()
    assert any(one.editor.text() == "bearings" for one in side.findChildren(FreeField) if one.isVisible())


def test_offcuts_go_into_the_shops_store_and_are_used_from_it(window: Window, qtbot) -> None:
    side = layup(window, qtbot)
    push(side, "Put them in the shop's store")
    kept = shop_offcuts()
    assert kept and all(one.label.startswith("Footbridge deck panel K") for one in kept)
    qtbot.waitUntil(lambda: not side.cutting._work.busy, timeout=20_000)
    window.refresh()
    QApplication.processEvents()
    toggle = next(one for one in side.findChildren(ToggleField) if one.text().startswith("Use the shop"))
    metres = {roll.card.id: roll.length_m for roll in side.cutting.cuts.rolls}
    toggle.click()
    assert window.document.job.cutting.offcuts == kept
    qtbot.waitUntil(lambda: any(roll.offcut for roll in side.cutting.cuts.rolls), timeout=20_000)
    now = {roll.card.id: roll.length_m for roll in side.cutting.cuts.rolls if not roll.offcut}
    assert sum(now.values()) < sum(metres.values()) - 1.0
    window.refresh()
    push(side, "Put them in the shop's store")
    used = {roll.offcut for roll in side.cutting.cuts.rolls if roll.offcut}
    assert used and not used & ({offcut.label for offcut in shop_offcuts()} - {one.label for one in side.cutting.left})


def test_plies_are_ticked_into_the_log_and_survive(window: Window, qtbot, runner) -> None:
    side = layup(window, qtbot)
    ticks = side.ticks
    side.ensureWidgetVisible(ticks.list)
    QTest.keyClicks(ticks.by, "R. Thorne")
    for row in (0, 1, 2):
        tick(ticks.list, row)
        window.refresh()
    events = window.document.job.run
    assert [(event.kind, event.label, event.by) for event in events] == [
        ("ply laid", label, "R. Thorne") for label in ("P1", "P2", "P3")
    ]
    assert "3 of 8 done, next P4" in texts(side)
    assert "5 of 8 plies and cores are not ticked, P4 first." in texts(side)
    tick(ticks.list, 2)
    window.refresh()
    assert window.document.job.run[-1].kind == "ply taken up" and "2 of 8 done" in texts(side)
    # what is on disk is enough: a new window takes the ticks up again
    window.close()
    other = Window(demo_job(), Settings(), runner=runner)
    other.note.buttons[0].click()
    assert len(other.document.job.run) == 4
    other.close()


def test_a_book_of_hundreds_of_plies_is_worked_on_where_it_is_seen(window: Window, qtbot) -> None:
    job = window.document.job
    cards = ("glass-quad-1200", "glass-biax-800")
    regions = tuple(Region(name=f"r{i}", outline=rectangle(0.1 * i, 0.1, 0.1 * i + 1.0, 1.2)) for i in range(12))
    layers = [
        Layer(id=f"p{i}", card=cards[i % 2], angle_deg=45.0 * (i % 4), region=f"r{i % 12}" if i % 3 else None)
        for i in range(240)
    ]
    window.document.edit("many plies", changed(job, regions=regions, layup=tuple(layers)))
    assert window.document.working, "what follows from so many plies is worked out beside the interface"
    qtbot.waitUntil(lambda: not window.document.working, timeout=240_000)
    side = layup(window, qtbot)
    assert len(window.document.assessment.laminate.cells) > 12
    assert 0 < len(side.book.entries) < 40 and side.book.first == 0
    side.ensureWidgetVisible(side.book.mirror)
    qtbot.waitUntil(lambda: side.book.entries[-1].number == 240, timeout=120_000)
    last = side.book.entries[-1]
    assert last.layer.id == "p239" and last.number == 240
    QTest.keyClick(last.summary, Qt.Key.Key_Return)
    field = next(one for one in last.findChildren(QuantityField) if one.objectName() == "Angle")
    field.editor.setFocus()
    field.editor.selectAll()
    QTest.keyClicks(field.editor, "33")
    QTest.keyClick(field.editor, Qt.Key.Key_Return)
    assert window.document.job.layup[-1].angle_deg == 33.0
    window.refresh()
    assert side.book.entries[-1] is last and field.editor.hasFocus(), "the hand stays where it is"
    qtbot.waitUntil(lambda: not window.document.working, timeout=240_000)
    assert any(ply.angle_deg == 33.0 for ply in window.document.assessment.plies)
    handle = next(one for one in last.findChildren(MoveHandle))
    QTest.keyClick(handle, Qt.Key.Key_Up)
    assert book(window)[-2] == "p239"
    window.undo()
    assert book(window)[-1] == "p239"


def test_how_core_is_fitted_is_typed_and_moves_charge_and_section(window: Window, qtbot) -> None:
    side = layup(window, qtbot)
    assert "holes every" in texts(side) and "Its joints lead" not in texts(side)
    charge = window.document.assessment.charge.total_kg
    field = type_into(side, "Bevel", "steep")
    assert "like 1 in 3, or square" in field.error.text() and window.document.job.core_laying.chamfer == 3
    type_into(side, "Bevel", "1 in 4")
    assert window.document.job.core_laying.chamfer == 4 and field.editor.text() == "1 in 4" and not field.error.text()
    window.refresh()
    type_into(side, "Bevel", "square")
    assert window.document.job.core_laying.chamfer == 0
    type_into(side, "Gap at joints", "4 mm")
    window.refresh()
    assert "Its joints lead more resin than its grooves." in texts(side)
    assert window.document.assessment.charge.total_kg > charge, "resin that the gaps take is in the charge"
    type_into(side, "Gap at its edge", "0.5 mm")
    assert window.document.job.flow.core_gap_m == pytest.approx(0.0005)
    window.undo()
    window.undo()
    assert window.document.assessment.charge.total_kg == charge


def test_a_corner_says_how_far_the_stack_bridges_it(window: Window, qtbot) -> None:
    side = layup(window, qtbot)
    packed = max(cell.stack.laminate_thickness_m for cell in window.document.assessment.laminate.cells)

    def figure(name: str) -> str:
        window.refresh()
        lines = texts(side).split("\n")
        return lines[lines.index(name) + 1]

    tight, goes = figure("Stands off or piles up"), figure("Debulk")
    slides = float(figure("Has to slide").split()[0])
    assert tight.endswith("mm") and goes.startswith("in ")
    field = type_into(side, "Radius", "0")
    assert "above zero" in field.error.text()
    type_into(side, "Radius", f"{packed * 500:.1f} mm")
    assert figure("Debulk") == "too tight"
    type_into(side, "Radius", "30 mm")
    assert figure("Stands off or piles up") == tight, "what bridges hangs on the turn, not on the radius"
    field = type_into(side, "Turns by", "170")
    assert "5 to 150" in field.error.text()
    type_into(side, "Turns by", "30°")
    assert float(figure("Has to slide").split()[0]) == pytest.approx(slides / 3, abs=0.01)
    choose(window, "It is an", "outside corner (male)")
    assert figure("Stands off or piles up") == figure("Has to slide"), "what cannot slide piles up whole"


def test_fabrics_are_compared_in_the_place_of_a_ply_and_one_is_laid(window: Window, qtbot) -> None:
    side = layup(window, qtbot)
    window.findChildren(EntryRow)[2].open()
    before = window.document.job.layup[2]

    def act(shown: FabricComparison) -> None:
        qtbot.waitUntil(lambda: shown.table.rowCount() > 30, timeout=240_000)
        rows = [shown.table.item(row, 0).text() for row in range(shown.table.rowCount())]
        assert rows[0].endswith("laid now") and not shown.use.isEnabled()
        shown.search.setText("±45, 400")
        (row,) = [row for row in range(len(rows)) if not shown.table.isRowHidden(row) and "glass" in rows[row]]
        assert [shown.table.item(row, at).text() for at in (1, 2, 7)] == ["2", "800 g/m²", "±45"]
        shown.table.selectRow(row)
        push(shown, "Lay this one")

    while_open(FabricComparison, act)
    next(
        one for one in side.findChildren(QToolButton) if one.accessibleName() == "Compare fabrics in place of entry 3"
    ).click()
    after = window.document.job.layup[2]
    assert (after.card, after.count, after.region, after.angle_deg) == (
        "glass-biax-400",
        2,
        before.region,
        before.angle_deg,
    )
    window.undo()
    assert window.document.job.layup[2] == before


def test_corners_are_found_put_in_moved_and_taken_away(window: Window, qtbot) -> None:
    side = layup(window, qtbot)
    push(side, "Find them")
    assert "no heights yet" in window.note.words.text()
    flat = window.document.job
    rows = [(0.0, 0.0), (2.0, 0.0), (2.01, 0.0008), (2.02, 0.0045), (4.2, 1.4)]
    relief = tuple((x, y, h) for y in (0.0, 0.7, 1.4) for x, h in rows)
    window.document.edit("heights", changed(flat, part=revised(flat.part, relief=relief)))
    push(side, "Find them")
    window.refresh()
    (corner,) = window.document.job.mould.corners
    assert corner.label == "R1" and corner.inside and corner.place[0] == pytest.approx(2.0, abs=0.05)
    assert "R1  inside" in texts(side) and "stands off" in texts(side)
    push(side, "Add a corner")
    window.refresh()
    assert window.plan.chosen == "R2"
    type_into(side, "Corner radius", "25 mm")
    field = type_into(side, "Corner turns by", "170")
    assert field.error.text()
    type_into(side, "Corner at x, y", "1200 mm, 300 mm")
    added = window.document.job.mould.corners[1]
    assert added.place == pytest.approx((1.2, 0.3)) and added.radius_m == pytest.approx(0.025)
    window.plan.setFocus()
    QTest.keyClick(window.plan, Qt.Key.Key_Right)
    assert window.document.job.mould.corners[1].place[0] == pytest.approx(1.25)
    QTest.keyClick(window.plan, Qt.Key.Key_Delete)
    assert [one.label for one in window.document.job.mould.corners] == ["R1"]
    window.undo()
    assert len(window.document.job.mould.corners) == 2
    window.plan.choose("R1")
    window.refresh()
    assert " long, " in texts(side)
    end = corner.edge[-1]
    drag(window, end, (end[0], end[1] - 0.3 if end[1] > 0.7 else end[1] + 0.3))
    pulled = window.document.job.mould.corners[0]
    lengths = [math.dist(one.edge[0], one.edge[-1]) for one in (corner, pulled)]
    assert lengths[1] == pytest.approx(lengths[0] - 0.3, abs=0.02)
    window.refresh()
    toggle = next(box for box in side.findChildren(QCheckBox) if box.text() == "Runs along an edge")
    toggle.click()
    assert window.document.job.mould.corners[0].edge == ()


def test_a_group_is_made_a_preform_weighed_and_tried(window: Window, qtbot) -> None:
    side = layup(window, qtbot)
    weight = window.document.assessment.laminate.total.dry_mass_kg
    window.document.edit("group", grouped_layup(window.document.job, window.document.job.layup[-1].id))
    assert window.document.assessment.laminate.total.dry_mass_kg == pytest.approx(weight)
    type_into(side, "laid", "2")
    window.refresh()
    toggle = next(box for box in side.findChildren(QCheckBox) if "is made as a preform" in box.text())
    toggle.click()
    window.refresh()
    assert "Should weigh" in texts(side)
    rows = [side.ticks.list.item(row).text() for row in range(side.ticks.list.count())]
    assert sum("Preform “group 1”" in row and "weigh it first" in row for row in rows) == 2, (
        "a line for each of the two"
    )
    type_into(side, "Binder", "5 %")
    field = type_into(side, "Weighed", "much")
    assert field.error.text()
    type_into(side, "Weighed", "1.5 kg")
    choose(window, "In the mould", "does not fit")
    (group,) = window.document.job.groups
    said = group.preform
    assert said is not None and said.binder_share == pytest.approx(0.05)
    assert said.weighed_kg == pytest.approx(1.5) and said.fits == "does not fit"
    window.refresh()
    assert {"preform-weight-off", "preform-does-not-fit"} <= set(caution_ids(window))
    window.undo()
    assert window.document.job.groups[0].preform.fits == "not tried"
