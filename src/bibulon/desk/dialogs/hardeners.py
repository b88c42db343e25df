"""The hardeners of a resin side by side for this job, the surest marked with its reason."""

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
from bibulon.job.cards import ResinCard
from bibulon.job.edits import changed, revised, with_card
from bibulon.planning.hardeners import HardenerRow, Hardeners, compare_hardeners
from bibulon.quantities import percent, show
from bibulon.stock.choice import hardeners_for
from bibulon.workers.report import Report

SIZE = (980, 420)
HEADS = ("Hardener", "Fill", "Margin", "Batches", "Last gel", "Vacuum off", "Demould", "Hottest")


def hardeners_answer(report: Report, job: Job, cards: tuple[ResinCard, ...]) -> Hardeners:
    """Compare *cards* for *job*, in the helper process."""
    return in_helper_process(_compare, report, job, cards)


def _compare(report: Report, job: Job, cards: tuple[ResinCard, ...]) -> Hardeners:
    return compare_hardeners(job, cards, report.progress)


class HardenersDialog(QDialog):
    """A table of hardeners; one is taken by its button."""

    def __init__(self, document: Document, parent: QWidget) -> None:
        super().__init__(parent)
        self.document = document
        self.setWindowTitle("Which hardener")
        self.resize(*SIZE)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 16, 18, 16)
        layout.addWidget(label("Which hardener", "title"))
        self.words = label("Filling and curing the job with each …", "muted")
        layout.addWidget(self.words)
        self.table = QTableWidget(0, len(HEADS))
        self.table.setHorizontalHeaderLabels(HEADS)
        self.table.setAccessibleName("Hardeners compared")
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
        cards = hardeners_for(document.job)
        if len(cards) < 2:
            self.words.setText(
                "There is one card of this resin only. Cards of the Stock with the same System are its hardeners."
            )
            return
        self._work.start(document.job, cards=cards)

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
        chosen = "" if found.surest is None else f"Surest: {found.rows[found.surest].card.name}. "
        whys = [f"{row.card.name}: {row.refusal}" for row in found.rows if row.refusal and row.batches == 0]
        self.words.setText("\n".join([f"{chosen}{found.reason}", *whys]))
        for at, row in enumerate(row for row in found.rows if row.card.id != job.charge.resin and not row.refusal):
            button = QPushButton(f"Take {row.card.name}")
            button.setAutoDefault(False)
            button.clicked.connect(partial(self._use, row.card))
            self.buttons.insertWidget(at, button)

    def _texts(self, job: Job, row: HardenerRow, surest: bool) -> tuple[str, ...]:
        start, units = job.shop.shot_start_s, self.document.assessment.units

        def clock(time_s: float) -> str:
            return clock_time(start + time_s) if math.isfinite(time_s) else "not by itself"

        def span(time_s: float | None) -> str:
            return "–" if time_s is None else show(time_s, "duration")

        name = f"● {row.card.name}" if surest else row.card.name
        if row.batches == 0:
            return name, "does not fill", *["–"] * (len(HEADS) - 2)
        batches = f"{row.batches}" if row.in_time else f"{row.batches}, one gels"
        fill = span(row.fill_s) if row.fill_s is not None else "stays dry"
        return (
            name, fill, span(row.margin_s), batches, clock(row.gel_s), clock(row.vacuum_off_s), clock(row.demould_s),
            show(row.peak_k, "temperature", units),
        )  # fmt: skip

    def _use(self, card: ResinCard, _: bool = False) -> None:
        job = with_card(self.document.job, card)
        self.document.edit("hardener", changed(job, charge=revised(job.charge, resin=card.id)))
        self.accept()
