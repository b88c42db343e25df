"""The hardeners of a resin, or the doses of its catalyst, side by side for this job, the surest with its reason."""

from __future__ import annotations

import math
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from bibulon.desk.widgets.fields import label
from bibulon.desk.work.background import Background
from bibulon.desk.work.document import Document
from bibulon.desk.work.helper_process import in_helper_process
from bibulon.durations import clock_time
from bibulon.job import Job
from bibulon.planning.hardeners import Hardener, HardenerRow, Hardeners, compare_hardeners, hardeners_of
from bibulon.quantities import show
from bibulon.quantities_in_words import percent
from bibulon.stock.choice import hardeners_for
from bibulon.workers.report import Report

SIZE = (980, 420)
HEADS = ("Hardener", "Fill", "Margin", "Batches", "Last gel", "Vacuum off", "Demould", "Hottest")


def hardeners_answer(report: Report, job: Job, hardeners: tuple[Hardener, ...]) -> Hardeners:
    """Compare *hardeners* for *job*, in the helper process."""
    return in_helper_process(_compare, report, job, hardeners)


def _compare(report: Report, job: Job, hardeners: tuple[Hardener, ...]) -> Hardeners:
    return compare_hardeners(job, hardeners, report.progress)


def asked_words(job: Job) -> str:
    """What is asked for the resin of *job*: which hardener, or which dose."""
    return "Which hardener" if job.resin.dose is None else "Which dose"


class HardenersDialog(QDialog):
    """A table of hardeners; one is taken by its button."""

    def __init__(self, document: Document, parent: QWidget) -> None:
        super().__init__(parent)
        self.document = document
        asked = asked_words(document.job)
        self.setWindowTitle(asked)
        self.resize(*SIZE)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 16, 18, 16)
        layout.addWidget(label(asked, "title"))
        self.words = label("Filling and curing the job with each …", "muted")
        layout.addWidget(self.words)
        self.table = QTableWidget(0, len(HEADS))
        by_dose = document.job.resin.dose is not None
        self.table.setHorizontalHeaderLabels(("Dose", *HEADS[1:]) if by_dose else HEADS)
        self.table.setAccessibleName("Doses compared" if by_dose else "Hardeners compared")
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        self.table.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.table.setWordWrap(True)
        head = self.table.horizontalHeader()
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        layout.addWidget(self.table, 1)
        self.buttons = QHBoxLayout()
        self.buttons.addStretch(1)
        close = QPushButton("Close")
        close.setAutoDefault(False)
        close.clicked.connect(self.reject)
        self.buttons.addWidget(close)
        layout.addLayout(self.buttons)
        self.found: Hardeners | None = None
        self._work = Background(hardeners_answer, self)
        self._work.finished.connect(self._take)
        self._work.progressed.connect(self._show_progress)
        self._work.failed.connect(self._fail)
        hardeners = hardeners_of(document.job, hardeners_for(document.job))
        if len(hardeners) < 2:
            self.table.hide()
            layout.insertStretch(2, 1)
            self.words.setText(
                "There is one card of this resin only. Cards of the Stock with the same System are its hardeners."
            )
            return
        self._work.start(document.job, hardeners=hardeners)

    def _show_progress(self, share: float) -> None:
        self.words.setText(f"Filling and curing the job with each: {percent(share)}")

    def _fail(self, _: object, error: Exception) -> None:
        self.words.setText(f"They could not be compared ({error}).")

    def _take(self, job: Job, found: Hardeners) -> None:
        self.found = found
        self.table.setRowCount(len(found.rows))
        for at, row in enumerate(found.rows):
            surest = at == found.surest
            for column, text in enumerate(self._texts(job, row, surest)):
                item = QTableWidgetItem(text)
                if surest:
                    font = item.font()
                    font.setBold(True)
                    item.setFont(font)
                item.setToolTip(row.refusal)
                self.table.setItem(at, column, item)
        self.table.resizeRowsToContents()
        chosen = "" if found.surest is None else f"Surest: {found.rows[found.surest].hardener.name}. "
        whys = [f"{row.hardener.name}: {row.refusal}" for row in found.rows if row.refusal and row.batches == 0]
        again = ["Batches that were planned by hand are planned anew with another."] if job.charge.batches else []
        coarse = "All are filled coarsely here, to compare them; what is taken is filled finely."
        self.words.setText("\n".join([f"{chosen}{found.reason}", *whys, *again, coarse]))
        dosed = all(row.hardener.dose is not None for row in found.rows)
        others = [row.hardener for row in found.rows if not row.hardener.is_in(job) and not row.refusal]
        for at, hardener in enumerate(others):
            name = percent(hardener.dose, 2) if dosed and hardener.dose is not None else hardener.name
            button = QPushButton(f"Take {name}")
            button.setAutoDefault(False)
            button.clicked.connect(partial(self._use, hardener))
            self.buttons.insertWidget(at, button)

    def _texts(self, job: Job, row: HardenerRow, surest: bool) -> tuple[str, ...]:
        start, units = job.shot_start_s, self.document.assessment.units

        def clock(time_s: float) -> str:
            return clock_time(start + time_s) if math.isfinite(time_s) else "not by itself"

        def span(time_s: float | None) -> str:
            return "–" if time_s is None else show(time_s, "duration")

        name = f"● {row.hardener.name}" if surest else row.hardener.name
        if row.hardener.is_in(job):
            name += ", as planned"
        if row.batches == 0:
            return name, "does not fill", *["–"] * (len(HEADS) - 2)
        batches = f"{row.batches}" if row.in_time else f"{row.batches}, one gels"
        fill = span(row.fill_s) if row.fill_s is not None else "stays dry"
        return (
            name, fill, span(row.margin_s), batches, clock(row.gel_s), clock(row.vacuum_off_s), clock(row.demould_s),
            show(row.peak_k, "temperature", units),
        )  # fmt: skip

    def _use(self, hardener: Hardener, _: bool = False) -> None:
        what = "hardener" if hardener.dose is None else "dose of catalyst"
        self.document.edit(what, hardener.taken(self.document.job))
        self.accept()
