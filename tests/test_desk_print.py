"""What is printed: a station on a sheet, the plan to scale over many that can be laid together."""

from __future__ import annotations

from pathlib import Path

import pytest
from driving import choose_text, push
from hypothesis import given
from hypothesis import strategies as st
from pypdf import PageObject, PdfReader
from PySide6.QtCore import QTimer
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtWidgets import QApplication, QDialog

from bibulon.demo import demo_job
from bibulon.desk.dialogs.printing import SCALES, PrintDialog, sheets_of
from bibulon.desk.window import Window


@pytest.fixture
def paper(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A file that whatever is printed goes to: the desktop's own dialog is answered at once."""
    path = tmp_path / "paper.pdf"

    def answered(dialog: QPrintDialog) -> int:
        printer = dialog.printer()
        printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
        printer.setOutputFileName(str(path))
        return int(QDialog.DialogCode.Accepted)

    monkeypatch.setattr(QPrintDialog, "exec", answered)
    return path


def words(page: PageObject) -> str:
    return " ".join(page.extract_text().split())


def printed(window: Window, scale: int | None) -> str:
    """Ask for it through the dialog; what the dialog said before."""
    said: list[str] = []

    def answer() -> None:
        dialog = next(
            shown for shown in QApplication.topLevelWidgets() if isinstance(shown, PrintDialog) and shown.isVisible()
        )
        if scale is not None:
            choose_text(dialog, "What", f"Plan at 1 : {scale}")
        said.append(dialog.words.text())
        push(dialog, "Print …")

    QTimer.singleShot(0, answer)
    window.print_something()
    return said[0]


def test_the_plan_is_printed_to_scale_over_sheets_that_are_told_apart(window: Window, paper: Path) -> None:
    said = printed(window, 5)
    pages = PdfReader(paper).pages
    assert f"{len(pages)} sheets" in said and 6 <= len(pages) <= 15, "84 by 28 cm with a flange"
    texts = [words(page) for page in pages]
    assert all("100 mm on this bar" in text and "1 : 5" in text for text in texts)
    assert len(set(texts)) == len(texts) and "F1" in "".join(texts) and "V1" in "".join(texts)


def test_a_station_is_printed_as_it_stands(window: Window, paper: Path) -> None:
    window.go("charge")
    printed(window, None)
    (page,) = PdfReader(paper).pages
    assert "Footbridge deck panel · Charge" in words(page)
    assert len(page.images) == 3, "plan, time rail and what stands beside them"


@given(
    scale=st.sampled_from(SCALES),
    width=st.floats(100, 900),
    height=st.floats(100, 900),
    x=st.floats(0, 1),
    y=st.floats(0, 1),
)
def test_every_place_of_the_plan_is_on_a_sheet(scale: int, width: float, height: float, x: float, y: float) -> None:
    job = demo_job()
    sheets = sheets_of(job, scale, width, height)
    low_x, low_y, high_x, high_y = job.part.shape.bounds
    gap = job.part.flange_width_m
    at = (low_x - gap + x * (high_x - low_x + 2 * gap), low_y - gap + y * (high_y - low_y + 2 * gap))
    wide, high = (size * scale / 1000 + 1e-9 for size in (sheets.width_mm, sheets.height_mm))
    on = [
        sheet
        for sheet in sheets
        if 0 <= at[0] - sheet.left_m + 1e-9 <= wide and 0 <= at[1] - sheet.low_m + 1e-9 <= high
    ]
    assert on and len(list(sheets)) == sheets.count
