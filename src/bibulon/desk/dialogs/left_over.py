"""Work that was left by an earlier session or another window: looked through, opened, kept for later or discarded."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from functools import partial

from PySide6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from bibulon.desk.widgets.fields import column, label, rule_line
from bibulon.desk.work.settings import state_folder
from bibulon.job.kept import LeftOver, discard, left_over, put_by


def in_words(left: LeftOver) -> str:
    """What was left, for a sentence of its own without its full stop."""
    name = f"“{left.about.name}”" if left.about.name else "a job"
    if left.about.running:
        return f"A run of {name} was under way"
    return f"Unsaved work on {name} was left"


def _details(left: LeftOver) -> str:
    when = datetime.fromtimestamp(left.at_s).strftime("%d %b %H:%M")
    parts = [f"last written {when}"]
    if left.entries:
        parts.append("1 entry of the run log" if left.entries == 1 else f"{left.entries} entries of the run log")
    if left.about.file is None:
        parts.append("never saved to a file")
    elif left.file_there:
        parts.append(left.about.file)
    else:
        parts.append(f"its file {left.about.file} is no longer there")
    if left.trouble:
        parts.append(left.trouble)
    return ", ".join(parts)


class LeftOverWindow(QDialog):
    """Every piece of work that was left, with what can be done about it."""

    def __init__(self, parent: QWidget, take_up: Callable[[LeftOver], None]) -> None:
        super().__init__(parent)
        self._take_up = take_up
        self.setWindowTitle("Work that was left")
        self.setMinimumWidth(620)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 16, 18, 16)
        layout.setSpacing(8)
        self.notes_text = label("")
        layout.addWidget(self.notes_text)
        self.rows = column(8)
        layout.addLayout(self.rows)
        layout.addStretch(1)
        self._fill()

    def _fill(self) -> None:
        while (item := self.rows.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        left = left_over(state_folder())
        self.notes_text.setText(
            "Each is on disk until you open and save it, or discard it. What is discarded is deleted after 30 days."
            if left
            else "Nothing is left: all work is saved."
        )
        for work in left:
            self.rows.addWidget(self._row(work))

    def _row(self, work: LeftOver) -> QWidget:
        row = QWidget()
        down = QVBoxLayout(row)
        down.setContentsMargins(0, 0, 0, 0)
        down.addWidget(rule_line())
        down.addWidget(label(in_words(work), "figure"))
        down.addWidget(label(_details(work), "muted"))
        buttons = QHBoxLayout()
        for words, do in (
            ("Open", partial(self._open, work)),
            ("Keep for later", partial(self._keep, work)),
            ("Discard", partial(self._discard, work)),
        ):
            button = QPushButton(words)
            button.setAccessibleName(f"{words}: {work.about.name}")
            button.clicked.connect(lambda _=False, do=do: do())
            buttons.addWidget(button)
        buttons.addStretch(1)
        down.addLayout(buttons)
        return row

    def _open(self, work: LeftOver) -> None:
        self.accept()
        self._take_up(work)

    def _keep(self, work: LeftOver) -> None:
        self._changed(put_by, work)

    def _discard(self, work: LeftOver) -> None:
        self._changed(discard, work)

    def _changed(self, change: Callable[..., None], work: LeftOver) -> None:
        try:
            change(state_folder(), work.key)
        except OSError as error:
            self.notes_text.setText(f"That could not be done: {error.strerror or error}.")
            return
        self._fill()
