"""What to prepare: everything the job takes, what of it is in hand, what is to buy; to be counted off on the shelf."""

from __future__ import annotations

from pydantic import ValidationError
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout

from bibulon.assess import Assessment
from bibulon.desk.dialogs.files import Files
from bibulon.desk.widgets.fields import label
from bibulon.desk.work.background import Background
from bibulon.desk.work.document import READ_ONLY, Document
from bibulon.job.edits import with_counted
from bibulon.job.faults import explain_here
from bibulon.planning.to_prepare import STATION_WORDS, Need, cost_of, counted_off, needed_words, taken_by
from bibulon.quantities import show
from bibulon.quantity_text import QuantityError, parse
from bibulon.workers.report import Report

SIZE = (1120, 660)
HEADS = ("For", "What", "Use", "How much", "In hand", "To buy", "Price")
IN_HAND, TO_BUY = HEADS.index("In hand"), HEADS.index("To buy")
WORDS = (
    "Type under “In hand” what is on the shelf: it is kept with the job, and the next column tells what is missing. "
    "Resin is counted at Charge."
)


def _taken_by(_: Report, assessment: Assessment) -> tuple[Need, ...]:
    return taken_by(assessment)


class WhatToPrepare(QDialog):
    """A row for each need; what is in hand is typed into its own column."""

    def __init__(self, document: Document, files: Files) -> None:
        super().__init__(files.owner.window())
        self.document, self.files = document, files
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("What to prepare")
        self.resize(*SIZE)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.addWidget(label("What to prepare", "title"))
        self.words = label(READ_ONLY if document.read_only else WORDS, "muted")
        layout.addWidget(self.words)
        self.table = QTableWidget(0, len(HEADS))
        self.table.setAccessibleName("What to prepare")
        self.table.setHorizontalHeaderLabels(HEADS)
        self.table.verticalHeader().hide()
        self.table.setWordWrap(True)
        self.table.setEditTriggers(QTableWidget.EditTrigger.AllEditTriggers)
        head = self.table.horizontalHeader()
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        for column in (HEADS.index("What"), HEADS.index("Use")):
            head.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        self.table.itemChanged.connect(self._typed)
        layout.addWidget(self.table, 1)
        self.total = label("Working it out …")
        layout.addWidget(self.total)
        self.message = label("", "error")
        layout.addWidget(self.message)
        buttons = QDialogButtonBox()
        for words, save in (("Sheets as PDF …", self._pdf), ("List as CSV …", self._csv)):
            button = buttons.addButton(words, QDialogButtonBox.ButtonRole.ActionRole)
            button.setAutoDefault(False)
            button.clicked.connect(save)
        close = buttons.addButton(QDialogButtonBox.StandardButton.Close)
        close.setAutoDefault(False)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)
        self._refused: dict[str, tuple[str, str]] = {}
        """By card, what was typed and why it was not taken."""
        self.taken: tuple[Need, ...] = ()
        """What the job takes, nothing counted."""
        self._counted = document.job.counted
        self._work = Background(_taken_by, self)
        self._work.finished.connect(self._take)
        self._work.start(document.assessment)
        document.changed.connect(self._look)

    def _look(self) -> None:
        """Counts change the next column only; anything else, as a fill that has come, what the job takes."""
        if self.document.job.counted is self._counted:
            self._work.start(self.document.assessment)
        else:
            self._counted = self.document.job.counted
            self._fill()

    def _take(self, _: Assessment, taken: tuple[Need, ...]) -> None:
        self.taken = taken
        self._fill()

    def _fill(self) -> None:
        """The rows anew; what was refused stays as it was typed."""
        self.words.setText(READ_ONLY if self.document.read_only else WORDS)
        self.needs = counted_off(self.taken, self.document.job)
        self.table.blockSignals(True)
        self.table.setRowCount(len(self.needs))
        for row, need in enumerate(self.needs):
            for column, text in enumerate(self._texts(need)):
                typed = column == IN_HAND and need.card is not None and not need.again and not self.document.read_only
                self._put(row, column, text, typed, bold=column == TO_BUY and self._missing(need))
        self.table.blockSignals(False)
        self.table.resizeRowsToContents()
        self.message.setText("\n".join(why for _, why in self._refused.values()))
        self.total.setText(cost_of(self.needs, self.document.assessment.units))

    def _put(self, row: int, column: int, text: str, typed: bool, bold: bool) -> None:
        """Change of a cell what is not so yet: any change takes what is being typed in it away."""
        item = self.table.item(row, column)
        if item is None:
            item = QTableWidgetItem()
            if column > HEADS.index("Use"):
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.table.setItem(row, column, item)
        if item.text() != text:
            item.setText(text)
        fixed = item.flags() & ~Qt.ItemFlag.ItemIsEditable
        if item.flags() != (wanted := fixed | Qt.ItemFlag.ItemIsEditable if typed else fixed):
            item.setFlags(wanted)
        font = item.font()
        if font.bold() != bold:
            font.setBold(bold)
            item.setFont(font)

    @staticmethod
    def _missing(need: Need) -> bool:
        """Whether it was counted, and is too little."""
        return need.in_hand is not None and bool(need.to_buy)

    def _texts(self, need: Need) -> tuple[str, ...]:
        units = self.document.assessment.units

        def amount(value: float | None) -> str:
            return "–" if value is None else needed_words(need, value, units)

        refused, _ = self._refused.get(need.card.id, ("", "")) if need.card else ("", "")
        in_hand = refused or ("" if need.in_hand is None else amount(need.in_hand))
        price = "–" if need.price is None else show(need.price, "money", units)
        return (
            STATION_WORDS[need.station], need.what, need.use, amount(need.amount),
            "used again" if need.again else in_hand, amount(need.to_buy), price,
        )  # fmt: skip

    def _typed(self, item: QTableWidgetItem) -> None:
        need, text = self.needs[item.row()], item.text().strip()
        if need.card is None:
            return
        units = self.document.assessment.units
        try:
            in_hand = parse(text, need.kind, units) if text else None
            job = with_counted(self.document.job, need.card.id, in_hand)
        except (QuantityError, ValidationError) as error:
            fault = explain_here(error, units) if isinstance(error, ValidationError) else str(error)
            self._refused[need.card.id] = text, f"{need.what}: {fault}"
            self._fill()
            return
        self._refused.pop(need.card.id, None)
        if job == self.document.job:
            self._fill()  # written as the shop writes it
        else:
            self.document.edit("what is in hand", job)

    def _pdf(self) -> None:
        from bibulon.record.prepare_sheet import prepare_pdf  # loads the PDF writer, only when papers are asked for

        self.files.save_bytes("What to prepare", ".pdf", lambda: prepare_pdf(self.document.assessment))

    def _csv(self) -> None:
        from bibulon.exchange.prepare_file import needs_csv

        self.files.save_bytes("What to prepare", ".csv", lambda: needs_csv(self.needs).encode("utf-8"))
