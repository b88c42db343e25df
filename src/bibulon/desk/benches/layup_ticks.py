"""Lay-up, last part: the tick-list that is walked ply by ply."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem

from bibulon.desk.fields import label
from bibulon.job.run import EventKind
from bibulon.laminate.lay_list import LayLine, lay_list

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

LIST_PX = 236


class TickSection:
    """Every ply and core with a box to tick; each tick is an entry of the log with who and when."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self._lines: tuple[LayLine, ...] = ()
        self._key: object = None

    def build(self) -> None:
        bench = self.bench
        bench.section("Tick-list")
        self.told = label("", "figure")
        bench.body.addWidget(self.told)
        self.by = QLineEdit()
        self.by.setPlaceholderText("Laid by: name or initials")
        self.by.setAccessibleName("Laid by")
        self.by.setMaxLength(40)
        bench.body.addWidget(self.by)
        self.list = QListWidget()
        self.list.setAccessibleName("Plies to lay")
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setFixedHeight(LIST_PX)
        self.list.itemChanged.connect(self._ticked)
        bench.body.addWidget(self.list)
        self.refresh()

    def refresh(self) -> None:
        job = self.bench.document.job
        key = (job.layup, job.cards, job.run, job.vacuum)
        if key == self._key:
            return
        self._key = key
        self._lines = lay_list(job)
        laid = sum(line.laid is not None for line in self._lines)
        following = next((line for line in self._lines if line.laid is None), None)
        self.told.setText(
            f"{laid} of {len(self._lines)} laid" + (f", next {following.label}" if following and laid else "")
        )
        self.list.blockSignals(True)
        bar = self.list.verticalScrollBar().value()
        self.list.clear()
        for line in self._lines:
            self.list.addItem(self._item(line))
        self.list.verticalScrollBar().setValue(bar)
        self.list.blockSignals(False)

    def _item(self, line: LayLine) -> QListWidgetItem:
        words = f"{line.label}  {line.text}"
        if line.laid is not None:
            by = f" by {line.laid.by}" if line.laid.by else ""
            words += f"\nlaid {line.laid.at.astimezone():%H:%M}{by}"
        if line.debulk:
            words += "\nthen debulk under vacuum before the next"
        item = QListWidgetItem(words)
        item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsSelectable)
        item.setCheckState(Qt.CheckState.Checked if line.laid is not None else Qt.CheckState.Unchecked)
        return item

    def _ticked(self, item: QListWidgetItem) -> None:
        line = self._lines[self.list.row(item)]
        laid = item.checkState() == Qt.CheckState.Checked
        if laid == (line.laid is not None):
            return
        try:
            kind: EventKind = "ply laid" if laid else "ply taken up"
            self.bench.desk.run.log(kind, line.label, text=line.text, by=self.by.text().strip())
        except OSError as error:
            self._key = None
            self.bench.desk.say(f"The tick could not be written to the log: {error.strerror or error}. Free some room.")
