"""Log: everything that happened, in order, and the papers."""

from __future__ import annotations

from datetime import UTC, datetime

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QHeaderView, QTableWidget, QTableWidgetItem

from bibulon.desk.benches.base import Bench
from bibulon.exchange.readings import log_csv
from bibulon.quantities import show
from bibulon.record.run_log import log_rows


class LogBench(Bench):
    """The record."""

    width_px = 430

    def build(self) -> None:
        row = QHBoxLayout()
        self.button("Traveller as PDF …", self._traveller, "main", row)
        self.button("What to prepare …", self._prepare, into=row)
        self.button("Log as CSV …", self._csv, into=row)
        self.body.addLayout(row)
        self.table = QTableWidget(0, 4)
        self.table.setAccessibleName("Log")
        self.table.setHorizontalHeaderLabels(["Time", "Clock", "What", "Details"])
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)  # Tab leads on down the bench
        self.table.setWordWrap(True)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setMinimumHeight(440)
        head = self.table.horizontalHeader()
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        for at in range(3):
            head.setSectionResizeMode(at, QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(3, QHeaderView.ResizeMode.Stretch)
        self.body.addWidget(self.table)
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
                item.setTextAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
                self.table.setItem(at, column, item)
        self.table.resizeRowsToContents()
        self.table.scrollToBottom()

    def _entries(self) -> list[tuple[str, str, str, str]]:
        units = self.document.assessment.units
        entries: list[tuple[datetime, tuple[str, str, str, str]]] = []
        latest = datetime.min.replace(tzinfo=UTC)
        for row in log_rows(self.document.job.run, units):
            latest = max(latest, row.at)  # in the order written, even if the time of day was set back meanwhile
            entries.append((latest, (row.at.strftime("%d %b %H:%M"), row.clock, row.what, row.details)))
        for test, verdict in self.document.assessment.hold_verdicts:
            says = "passed" if verdict.passed else "FAILED"
            leak = show(verdict.leak_pa_m3_s, "leak rate", units)
            words = (test.taken_at.strftime("%d %b %H:%M"), "", f"hold test {says}", f"{test.stage}, {leak}")
            entries.append((test.taken_at, words))
        return [row for _, row in sorted(entries, key=lambda item: item[0])]

    def _traveller(self) -> None:
        from bibulon.record.traveller import traveller_pdf  # loads the PDF writer, only when papers are asked for

        self.desk.files.save_bytes("Traveller", ".pdf", lambda: traveller_pdf(self.document.assessment))

    def _prepare(self) -> None:
        from bibulon.record.prepare_sheet import prepare_pdf  # loads the PDF writer, only when papers are asked for

        self.desk.files.save_bytes("What to prepare", ".pdf", lambda: prepare_pdf(self.document.assessment))

    def _csv(self) -> None:
        self.desk.files.save_bytes("Log", ".csv", lambda: log_csv(self.document.job).encode("utf-8"))
