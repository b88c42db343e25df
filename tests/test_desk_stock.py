"""The stock window driven by its real widgets: a card copied, edited, given out, brought in, taken into the job."""

from __future__ import annotations

import csv
from datetime import date
from pathlib import Path

import pytest
from driving import bench, fill_of, push, texts, type_into, while_open
from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QFileDialog, QLineEdit

from bibulon.desk.dialogs.resin_sheet import ResinSheetDialog
from bibulon.desk.dialogs.stock_window import StockWindow
from bibulon.desk.dialogs.strip_test import StripTestDialog
from bibulon.desk.dialogs.thickness_test import ThicknessDialog
from bibulon.desk.dialogs.what_to_prepare import HEADS, WhatToPrepare
from bibulon.desk.window import Window
from bibulon.job.cards import FabricCard, ResinCard
from bibulon.job.edits import revised
from bibulon.stock import own_cards, save_own, shelf_card


@pytest.fixture
def stock(window: Window, qtbot) -> StockWindow:
    made = StockWindow(window, window.document)
    made.show()
    qtbot.addWidget(made)
    return made


def find(stock: StockWindow, words: str) -> None:
    stock.search.setFocus()
    stock.search.selectAll()
    QTest.keyClicks(stock.search, words)
    stock.list.setCurrentRow(0)
    QApplication.processEvents()


def test_a_card_is_copied_and_edited_with_its_figures_checked(stock: StockWindow) -> None:
    find(stock, "glass biax 0/90")
    assert "Copy it, or make it" in texts(stock)
    push(stock, "Copy")
    made = stock.chosen
    assert isinstance(made, FabricCard) and made.name.endswith(", own")
    type_into(stock, "Areal weight", "830 gsm")
    type_into(stock, "Roll width", "50 in")
    type_into(stock, "Permeability along", "9e-11")
    type_into(stock, "Permeability along, spread", "1.2")
    (kept,) = own_cards()
    assert isinstance(kept, FabricCard)
    assert (kept.areal_weight_kg_m2, kept.roll_width_m) == pytest.approx((0.83, 1.27))
    assert (kept.permeability_along_m2.value, kept.permeability_along_m2.spread) == pytest.approx((9e-11, 1.2))
    field = type_into(stock, "Fibre fraction", "7")
    assert "less than 0.8" in field.error.text()
    assert own_cards() == (kept,)
    field = type_into(stock, "Areal weight", "heavy")
    assert field.error.text() and own_cards() == (kept,)
    push(stock, "Remove")
    assert own_cards() == ()


def test_cards_go_out_and_come_in_and_into_the_job(stock: StockWindow, tmp_path: Path, monkeypatch) -> None:
    ours = revised(shelf_card("glass-quad-1200"), roll_width_m=1.5)
    save_own([ours])
    other = StockWindow(stock.parentWidget(), stock.document)
    other.show()
    find(other, "own quad 1200")
    assert "older copy" in texts(other)
    push(other, "Take into this job")
    assert stock.document.job.card("glass-quad-1200", FabricCard).roll_width_m == 1.5
    assert "as it is here" in texts(other)
    for name in ("cards.toml", "cards.csv"):
        path = tmp_path / name
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, path=path: (str(path), ""))
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, path=path: (str(path), ""))
        push(other, "Give out …")
        assert f"1 card written to {path}." in texts(other)
        save_own([])
        push(other, "Bring in …")
        assert own_cards() == (ours,) and f"1 card taken in from {name}." in texts(other)
    path.write_text("kind,id\nrope,x\n", encoding="utf-8")
    push(other, "Bring in …")
    assert "line 2" in texts(other) and "taken in" not in texts(other) and own_cards() == (ours,)
    save_own([revised(ours, roll_width_m=1.4)])
    third = StockWindow(stock.parentWidget(), stock.document)
    third.show()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "cards.toml"), ""))
    push(third, "Bring in …")
    assert "1 of them in place of the shop's own" in texts(third) and own_cards() == (ours,)
    third.close()
    QTest.keyClick(other, Qt.Key.Key_Escape)
    assert not other.isVisible()


def test_a_shipped_card_is_made_the_shops_own_priced_and_dated(stock: StockWindow) -> None:
    find(stock, "glass quad 1200")
    shipped_card = stock.chosen
    assert shipped_card is not None
    push(stock, "Make it ours")
    type_into(stock, "Price, € per m²", "13.20")
    type_into(stock, "In hand, m²", "48")
    type_into(stock, "Lot", "A-117")
    field = type_into(stock, "Expires", "soon")
    assert "2027-03-31" in field.error.text()
    type_into(stock, "Expires", "2027-03-31")
    (kept,) = own_cards()
    assert kept.id == shipped_card.id and (kept.price, kept.in_hand, kept.lot) == (13.2, 48, "A-117")
    assert kept.expires == date(2027, 3, 31)
    assert "differs in: price, in hand, lot, expires" in texts(stock)
    field = type_into(stock, "Expires", "2027-04-30")
    field.editor.selectAll()
    QTest.keyClick(field.editor, Qt.Key.Key_Delete)
    QTest.keyClick(field.editor, Qt.Key.Key_Return)
    assert own_cards()[0].expires is None
    QApplication.processEvents()
    push(stock, "Remove")
    QApplication.processEvents()
    assert own_cards() == () and stock.cards[kept.id] == shipped_card


def test_thickness_readings_are_kept_and_move_the_permeabilities_along(stock: StockWindow) -> None:
    find(stock, "glass biax 0/90")
    push(stock, "Copy")
    QApplication.processEvents()
    before = stock.chosen
    assert isinstance(before, FabricCard)
    solid = 4 * before.areal_weight_kg_m2 / before.fibre_density_kg_m3

    def fill_in() -> None:
        asked = next(
            (shown for shown in QApplication.topLevelWidgets() if isinstance(shown, ThicknessDialog)),
            None,
        )
        if asked is None or not asked.isVisible():
            QTimer.singleShot(20, fill_in)
            return
        asked.readings.setPlainText("50, 2.0\n950, much")
        assert "Line 2" in asked.error.text() and not asked.take.isEnabled()
        lines = [f"{p}, {1000 * solid / (0.56 * (p * 100 / 95_000) ** 0.09):.4f}" for p in (50, 200, 500, 950)]
        asked.readings.setPlainText("\n".join(["mbar, mm", *lines]))
        assert asked.found_text.text() == "Vf = 56.0 % at 950 mbar, B = 0.090"
        push(asked, "Keep on the card")

    QTimer.singleShot(20, fill_in)
    push(stock, "Thickness …")
    (kept,) = own_cards()
    assert isinstance(kept, FabricCard)
    assert (kept.fibre_fraction, kept.compaction_exponent) == pytest.approx((0.56, 0.09), abs=1e-3)
    # what was measured at the old fibre fraction is still said of it
    openness = [(1 - vf) ** 3 / vf**2 for vf in (kept.fibre_fraction, before.fibre_fraction)]
    ratio = kept.permeability_along_m2.value / before.permeability_along_m2.value
    assert ratio == pytest.approx(openness[0] / openness[1])


def test_a_strip_test_is_kept_on_the_card(stock: StockWindow, qtbot) -> None:
    find(stock, "glass biax 0/90")
    push(stock, "Copy")
    QApplication.processEvents()
    seen: list[str] = []

    def fill_in() -> None:
        asked = next(
            (shown for shown in QApplication.topLevelWidgets() if isinstance(shown, StripTestDialog)),
            None,
        )
        if asked is None or not asked.isVisible():
            QTimer.singleShot(20, fill_in)
            return
        asked.viscosity.setText("300 mPa·s")
        asked.drive.setText("950 mbar")
        asked.readings.setPlainText("1, 30\n2, 10\n")
        seen.append(asked.error.text())
        assert not asked.take.isEnabled()
        # x² = 2·8e-11·95000/(0.47·0.3)·t
        asked.readings.setPlainText(
            "\n".join(f"{m}, {1000 * (1.07801e-4 * 60 * m) ** 0.5:.2f}" for m in (1, 3, 6, 10, 15))
        )
        seen.append(asked.found_text.text())
        push(asked, "Keep on the card")

    QTimer.singleShot(20, fill_in)
    push(stock, "Strip test …")
    assert seen[0] == "At least three readings are needed, each a time and a distance."
    assert seen[1].startswith("K = 8.0")
    (kept,) = own_cards()
    assert isinstance(kept, FabricCard)
    assert kept.permeability_along_m2.value == pytest.approx(8e-11, rel=0.01)
    assert kept.permeability_along_m2.source == "strip test" and kept.permeability_along_m2.spread == 1.1
    assert kept.permeability_through_m2.source == "class default"
    QApplication.processEvents()
    assert "strip test" in [box.currentText() for box in stock.findChildren(QComboBox) if box.isVisible()]


def test_a_data_sheet_is_kept_on_the_shops_own_card(stock: StockWindow, qtbot) -> None:
    find(stock, "infusion polyester")
    push(stock, "Copy")
    QApplication.processEvents()

    def type_sheet(asked: ResinSheetDialog) -> None:
        asked.editors["dose"].setPlainText("dose (%); temperature (°C); gel (min)\n1; 20; 70\n2; 20; 42")
        asked.editors["film_gel"].setPlainText("18 °C; 75 min")
        push(asked, "Keep on the card")

    while_open(ResinSheetDialog, type_sheet)
    push(stock, "Data sheet …")
    (kept,) = own_cards()
    assert isinstance(kept, ResinCard) and kept.dose is not None
    assert [point.gel_s for point in kept.dose.points] == [4200.0, 2520.0]
    assert kept.film_gel[0].temperature_k == pytest.approx(291.15) and kept.source == "data sheet"


def test_what_is_in_hand_is_counted_off_and_what_is_missing_told(
    window: Window, qtbot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window.go("log")
    push(bench(window), "What to prepare")
    shown = next(one for one in QApplication.topLevelWidgets() if isinstance(one, WhatToPrepare) and one.isVisible())
    fill = fill_of(window)
    qtbot.waitUntil(lambda: shown.table.rowCount() > 0, timeout=240_000)

    def row_of(start: str) -> int:
        return next(row for row in range(shown.table.rowCount()) if cell(row, "What").startswith(start))

    def cell(row: int, head: str) -> str:
        item = shown.table.item(row, HEADS.index(head))
        return "" if item is None else item.text()

    def open_in_hand(start: str) -> QLineEdit:
        item = shown.table.item(row_of(start), HEADS.index("In hand"))
        spot = shown.table.visualItemRect(item).center()
        QTest.mouseClick(shown.table.viewport(), Qt.MouseButton.LeftButton, pos=spot)
        qtbot.waitUntil(lambda: shown.table.viewport().findChild(QLineEdit) is not None)
        return shown.table.viewport().findChild(QLineEdit)

    def type_in_hand(start: str, text: str) -> None:
        editor = open_in_hand(start)
        editor.selectAll()
        QTest.keyClicks(editor, text)
        QTest.keyClick(editor, Qt.Key.Key_Return)
        qtbot.waitUntil(lambda: shown.table.viewport().findChild(QLineEdit) is None)

    shown.activateWindow()
    mat = row_of("Chopped strand mat")
    assert cell(mat, "To buy") == cell(mat, "How much"), "nobody has counted it"
    assert cell(row_of("Catch pot"), "To buy") == "–", "it has no card"
    needed = float(cell(mat, "How much").split()[0])
    type_in_hand("Chopped strand mat", "4,5")
    assert float(cell(mat, "To buy").split()[0]) == pytest.approx(needed - 4.5, abs=0.011)
    editor = open_in_hand("Peel ply")
    QTest.keyClicks(editor, "7")
    window.document.changed.emit()  # as when a fill or a cure arrives
    qtbot.waitUntil(lambda: not shown._work.busy)
    assert editor.text() == "7", "what is being typed stays"
    QTest.keyClick(editor, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: shown.table.viewport().findChild(QLineEdit) is None)
    type_in_hand("Hose clamp", "2")
    assert cell(row_of("Hose clamp"), "To buy") == "3"
    type_in_hand("Stitched glass quad", "three rolls")
    assert cell(row_of("Stitched glass quad"), "In hand") == "three rolls" and "Stitched glass quad" in texts(shown)
    type_in_hand("Peel ply", "60 sq ft")
    assert cell(row_of("Peel ply"), "To buy").startswith("0.3") and "Stitched glass quad" in texts(shown)
    assert fill_of(window) is fill, "what is in hand has nothing worked out anew"
    target = tmp_path / "list.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    push(shown, "List as CSV")
    rows = {row["what"]: row for row in csv.DictReader(target.open(encoding="utf-8"))}
    clamps = next(row for what, row in rows.items() if what.startswith("Hose clamp"))
    assert (clamps["needed"], clamps["in_hand"], clamps["to_buy"]) == ("5", "2", "3")
    mats = next(row for what, row in rows.items() if what.startswith("Chopped strand mat"))
    assert float(mats["in_hand"]) == 4.5 and mats["unit"] == "m²"
    gone: list[bool] = []
    shown.destroyed.connect(lambda: gone.append(True))
    shown.reject()
    qtbot.waitUntil(lambda: bool(gone))  # else it would work on, unseen, at every edit
    window.undo()
    assert {count.amount for count in window.document.job.counted} == {4.5, 2}
