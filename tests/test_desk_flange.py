"""The flange and the vacuums of a closed mould, typed and answered at Mould."""

from __future__ import annotations

from driving import bench, caution_ids, choose, field_of, put_lid, texts, type_into, wait_for_fill
from mould_jobs import both_held
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget

from bibulon.desk.window import Window
from bibulon.job.edits import changed


def test_flange_and_vacuums_are_typed_and_answered_at_mould(window: Window, qtbot) -> None:
    put_lid(window, qtbot)
    window.document.edit("hold test", changed(window.document.job, hold_tests=(both_held(0.0, 1.2),)))
    window.go("mould")
    wait_for_fill(window)
    window.refresh()
    side = bench(window)
    assert "flange-gives" not in caution_ids(window) and "Flange gives" in texts(side)
    type_into(side, "Flange thickness", "3.5 mm")
    assert "flange-gives" in caution_ids(window)
    field_of(side, "Flange thickness").editor.selectAll()
    QTest.keyClick(field_of(side, "Flange thickness").editor, Qt.Key.Key_Delete)
    QTest.keyClick(field_of(side, "Flange thickness").editor, Qt.Key.Key_Return)
    assert window.document.job.pair.flange_thickness_m is None and "flange-gives" not in caution_ids(window)
    before = without_words(side)
    type_into(side, "Reservoir", "50 L")
    window.refresh()
    assert "h" in before and "d" in without_words(side)
    choose(window, "Pulled by", "one pump")
    assert "two-levels-one-pump" in caution_ids(window)
    choose(window, "Pulled by", "two pumps")
    assert "two-levels-one-pump" not in caution_ids(window)
    wrong = type_into(side, "Flange thickness", "9 m")
    assert wrong.error.text() and window.document.job.pair.flange_thickness_m is None
    assert field_of(side, "Reservoir").editor.text() == "50.00 L"


def without_words(side: QWidget) -> str:
    """What is said of the flange if the pump stops."""
    shown = texts(side)
    return shown[shown.index("If the pump stops") :].split("\n")[1]
