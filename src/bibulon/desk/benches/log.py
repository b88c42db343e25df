"""Log: everything that happened, in order, and the papers."""

from __future__ import annotations

from datetime import UTC, datetime

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QHeaderView, QTableWidget, QTableWidgetItem

from bibulon.desk.benches.base import Bench
from bibulon.desk.dialogs.what_to_prepare import WhatToPrepare
from bibulon.exchange.readings import log_csv
from bibulon.quantities import show
from bibulon.record.run_log import log_rows

ROOM_PX = 10
"""Below text of several lines."""


class LogBench(Bench):
    """The record."""

    width_px = 430

    def build(self) -> None:
        row = QHBoxLayout()
        self.button("Traveller as PDF …", self._traveller, "main", row)
        self.button("What to prepare …", self._prepare, into=row)
        self.button("Log as CSV …", self._csv, into=row)
        self.body.addLayout(row)
        self.table = QTableWidget(0, 3)
        self.table.setAccessibleName("Log")
        self.table.setHorizontalHeaderLabels(["Time", "Clock", "What"])
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)  # Tab leads on down the bench
        self.table.setWordWrap(True)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setMinimumHeight(440)
        head = self.table.horizontalHeader()
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        for at in range(2):
            head.setSectionResizeMode(at, QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        head.sectionResized.connect(lambda at, *_: self._fit_rows() if at == 2 else None)
        self.body.addWidget(self.table, 1000)  # down to the end of the bench
        self._rows: object = None

    def refresh(self) -> None:
        super().refresh()
        rows = self._entries()
        if rows == self._rows:
            return
        self._rows = rows
        self.table.setRowCount(len(rows))
        for at, row in enumerate(rows):
            for column, text in enumerate(row):
                item = QTableWidgetItem(text)
                side = Qt.AlignmentFlag.AlignRight if column == 0 else Qt.AlignmentFlag.AlignLeft
                item.setTextAlignment(Qt.AlignmentFlag.AlignTop | side)
                self.table.setItem(at, column, item)
        self._fit_rows()
        self.table.scrollToBottom()

    def _fit_rows(self) -> None:
        """Each row as high as its text, and some room to the next."""
        self.table.resizeRowsToContents()
        usual = self.table.verticalHeader().defaultSectionSize()
        for at in range(self.table.rowCount()):
            if (high := self.table.rowHeight(at)) > usual:
                self.table.setRowHeight(at, high + ROOM_PX)

    def _entries(self) -> list[tuple[str, ...]]:
        units = self.document.assessment.units
        entries: list[tuple[datetime, tuple[datetime, str, str]]] = []
        latest = datetime.min.replace(tzinfo=UTC)
        for row in log_rows(self.document.job.run, units):
            latest = max(latest, row.at)  # in the order written, even if the time of day was set back meanwhile
            what = f"{row.what}: {row.details}" if row.details else row.what
            entries.append((latest, (row.at, row.clock, what)))
        for test, verdict in self.document.assessment.hold_verdicts:
            says = "passed" if verdict.passed else "FAILED"
            leak = show(verdict.leak_pa_m3_s, "leak rate", units)
            entries.append((test.taken_at, (test.taken_at, "", f"hold test {says}: {test.stage}, {leak}")))
        rows = [row for _, row in sorted(entries, key=lambda item: item[0])]
        days = [at.date() for at, *_ in rows]
        return [
            (at.strftime("%H:%M" if number and days[number - 1] == days[number] else "%d %b  %H:%M"), *words)
            for number, (at, *words) in enumerate(rows)
        ]  # the day where it is another than before

    def _traveller(self) -> None:
        from bibulon.record.traveller import traveller_pdf  # loads the PDF writer, only when papers are asked for

        self.desk.files.save_bytes("Traveller", ".pdf", lambda: traveller_pdf(self.document.assessment))

    def _prepare(self) -> None:
        WhatToPrepare(self.document, self.desk.files).open()

    def _csv(self) -> None:
        self.desk.files.save_bytes("Log", ".csv", lambda: log_csv(self.document.job).encode("utf-8"))
