"""The stock window driven by its real widgets: a card copied, edited, given out, brought in, taken into the job."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog
from test_desk import push, texts, type_into

from bibulon.desk.stock_window import StockWindow
from bibulon.desk.window import Window
from bibulon.job.cards import FabricCard
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


def test_a_card_is_copied_and_edited_with_its_figures_checked(stock: StockWindow) -> None:
    find(stock, "glass biax 0/90")
    assert "Copy it to change its figures" in texts(stock)
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
        save_own([])
        push(other, "Bring in …")
        assert own_cards() == (ours,)
    path.write_text("kind,id\nrope,x\n", encoding="utf-8")
    push(other, "Bring in …")
    assert "line 2" in texts(other) and own_cards() == (ours,)
    QTest.keyClick(other, Qt.Key.Key_Escape)
    assert not other.isVisible()
