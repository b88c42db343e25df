"""A list that is walked line by line: each tick is an entry of the log with who, when and photographs."""

from __future__ import annotations

import base64
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QModelIndex, QPersistentModelIndex, QRect, QSize, Qt, QTimer
from PySide6.QtGui import QImage, QImageReader, QImageWriter, QPixmap
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QListWidget,
    QListWidgetItem,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
)

from bibulon.desk.benches.base import Bench
from bibulon.desk.widgets.fields import label
from bibulon.exchange.within import size_of
from bibulon.job import Job
from bibulon.job.run import EventKind, RunEvent
from bibulon.refusal import Refusal

SHRINKING = ((1280, 82), (1280, 65), (1000, 55), (800, 45), (560, 40), (320, 35))
"""The longer side in pixels and the quality that a picture is kept with: the first that makes it small enough."""
LARGEST_JPEG_BYTES = 450_000
LONG_LIST = 100
BESIDE_TEXT_PX, ROUND_TEXT_PX = 44, 12
"""What box, marks and padding take of a row's width, and padding of its height."""
CHECKED: tuple[EventKind, EventKind] = ("check ticked", "check cleared")
"""The entries of the log that tick and clear a check."""
LARGEST_FILE_BYTES = 60_000_000
PICTURES = "Pictures (*.jpg *.jpeg *.png *.webp *.bmp)"


@dataclass(frozen=True)
class Tick:
    """A line of the list; ``note`` is said under it, ``kinds`` of the log's entries tick and clear it, ``entry`` is the
    one that ticks it now."""

    label: str
    text: str
    kinds: tuple[EventKind, EventKind]
    entry: RunEvent | None = None
    note: str = ""


class PictureError(Refusal):
    """A file that is no picture; the message says why."""


def small_jpeg(path: Path) -> str:
    """The picture in the file, made small, as JPEG in base64. Raises :class:`PictureError`."""
    size_of(path, LARGEST_FILE_BYTES, PictureError)
    reader = QImageReader(str(path))
    reader.setAutoTransform(True)  # a telephone held upright
    image = reader.read()
    if image.isNull():
        raise PictureError(f"{path.name} is no picture that can be read: {reader.errorString().rstrip('.')}.")
    for longest, quality in SHRINKING:
        data = _jpeg(image, longest, quality)
        if len(data) <= LARGEST_JPEG_BYTES:
            return base64.b64encode(data).decode("ascii")
    raise PictureError(f"{path.name} could not be made small enough to be kept.")


def _jpeg(image: QImage, longest_px: int, quality: int) -> bytes:
    """*image* as JPEG, its longer side no longer than that. Raises :class:`PictureError`."""
    if max(image.width(), image.height()) > longest_px:
        image = image.scaled(
            longest_px,
            longest_px,
            Qt.AspectRatioMode.KeepAspectRatio,
            Qt.TransformationMode.SmoothTransformation,
        )
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QImageWriter(buffer, b"jpeg")
    writer.setQuality(quality)
    if not writer.write(image.convertToFormat(QImage.Format.Format_RGB888)):
        raise PictureError(f"The picture could not be made small: {writer.errorString()}.")
    return bytes(data.data())


def photographs_of(job: Job, label: str) -> list[RunEvent]:
    """The log's photographs of what has that label."""
    return [event for event in job.run if event.kind == "photographed" and event.label == label]


class WholeLines(QStyledItemDelegate):
    """Rows high enough for all of their text: the style sheet's padding is left out where Qt measures them."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        hint, view = super().sizeHint(option, index), self.parent()
        assert isinstance(view, QListWidget)
        text = str(index.data(Qt.ItemDataRole.DisplayRole) or "")
        room = QRect(0, 0, max(view.viewport().width() - BESIDE_TEXT_PX, 40), 10_000)
        needs = view.fontMetrics().boundingRect(room, Qt.TextFlag.TextWordWrap, text).height()
        return QSize(hint.width(), max(hint.height(), needs + ROUND_TEXT_PX))


class TickList:
    """Lines with a box each; ``lines`` reads them from the job."""

    def __init__(
        self,
        bench: Bench,
        lines: Callable[[Job], Sequence[Tick]],
        words: tuple[str, str],
        height_px: int,
    ) -> None:
        self.bench, self._lines_of, self._words = bench, lines, words
        self._lines: tuple[Tick, ...] = ()
        self._key: object = None
        self._shown: dict[int, tuple[Tick, int | None]] = {}
        """The line and its last photograph that each row shows."""
        self._taken: dict[str, int] = {}
        """The number of the last photograph of each line that has any."""
        self._soon = QTimer(bench, singleShot=True, interval=0)
        self._soon.timeout.connect(self._renew)
        self._of: tuple[Job, object] | None = None
        """The job and the settings that the lines are of."""
        """The job whose lines are shown."""
        self.notes_text = label("", "figure")
        bench.body.addWidget(self.notes_text)
        self.by = QLineEdit()
        self.by.setPlaceholderText(f"{words[1].capitalize()} by: name or initials")
        self.by.setAccessibleName(f"{words[1].capitalize()} by")
        self.by.setMaxLength(40)
        bench.body.addWidget(self.by)
        self.list = QListWidget()
        self.list.setAccessibleName(words[0])
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setFixedHeight(height_px)
        self.list.setResizeMode(QListView.ResizeMode.Adjust)  # lines wrap anew once the scroll bar takes its width
        self.list.setItemDelegate(WholeLines(self.list))
        self.list.setLayoutMode(QListView.LayoutMode.Batched)  # a long list is laid out as it is seen
        self.list.itemChanged.connect(self._ticked)
        self.list.currentRowChanged.connect(lambda _: self._offer())
        bench.body.addWidget(self.list)
        row = QHBoxLayout()
        self.take = bench.button("Photograph …", self._photograph, into=row)
        self.take.setToolTip("Keep a picture with the chosen line, in the log")
        self.look = bench.button("Look at it", self._look, into=row)
        bench.body.addLayout(row)
        self.refresh()

    def refresh(self) -> None:
        """Show the lines as they are now; a long list in a turn of its own, so that the hand does not feel it."""
        if len(self._lines) > LONG_LIST:
            self._soon.start()
        else:
            self._renew()

    def _renew(self) -> None:
        job, settings = self.bench.document.job, self.bench.document.settings
        if self._of is not None and job is self._of[0] and settings is self._of[1]:
            return
        self._of = job, settings
        lines = tuple(self._lines_of(job))
        pictures = tuple(event.number for event in job.run if event.kind == "photographed")
        if (lines, pictures) == self._key:
            return
        self._key, self._lines = (lines, pictures), lines
        done = sum(line.entry is not None for line in lines)
        following = next((line for line in lines if line.entry is None), None)
        self.notes_text.setText(
            f"{done} of {len(lines)} {self._words[1]}" + (f", next {following.label}" if following and done else "")
        )
        self.list.blockSignals(True)
        while self.list.count() > len(lines):
            self.list.takeItem(self.list.count() - 1)
        self._taken = taken = {event.label: event.number for event in job.run if event.kind == "photographed"}
        for row, line in enumerate(lines):
            shown = (line, taken.get(line.label))
            if row == self.list.count():
                self.list.addItem(QListWidgetItem())
            elif self._shown.get(row) == shown:
                continue
            self._shown[row] = shown
            self._fill(self.list.item(row), job, line)
        self.list.blockSignals(False)
        self._offer()

    def _fill(self, item: QListWidgetItem, job: Job, line: Tick) -> None:
        words = f"{line.label}  {line.text}"
        if line.entry is not None:
            by = f" by {line.entry.by}" if line.entry.by else ""
            words += f"\n{line.kinds[0].split()[-1]} {line.entry.at.astimezone():%H:%M}{by}"
        elif line.note:
            words += f"\n{line.note}"
        if self._taken and (count := len(photographs_of(job, line.label))):
            words += f"\n{count} photograph{'s' if count > 1 else ''}"
        item.setText(words)
        item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsSelectable)
        item.setCheckState(Qt.CheckState.Checked if line.entry is not None else Qt.CheckState.Unchecked)

    @property
    def chosen(self) -> Tick | None:
        row = self.list.currentRow()
        return self._lines[row] if 0 <= row < len(self._lines) else None

    def _offer(self) -> None:
        self.take.setEnabled(self.chosen is not None)
        self.look.setEnabled(
            self.chosen is not None and bool(photographs_of(self.bench.document.job, self.chosen.label))
        )

    def _log(self, kind: EventKind, line: Tick, **more: str) -> None:
        try:
            self.bench.desk.run.log(kind, line.label, text=line.text, by=self.by.text().strip(), **more)
        except OSError as error:
            self._of = self._key = None
            self._shown = {}
            self.bench.desk.show_message(f"This was NOT logged ({error.strerror or error}). Write it down.")
        self.refresh()

    def _ticked(self, item: QListWidgetItem) -> None:
        line = self._lines[self.list.row(item)]
        done = item.checkState() == Qt.CheckState.Checked
        if done != (line.entry is not None):
            self._log(line.kinds[0] if done else line.kinds[1], line)

    def _photograph(self) -> None:
        line, path = self.chosen, self.bench.desk.files.pick("A photograph", PICTURES)
        if line is None or path is None:
            return
        try:
            picture = small_jpeg(path)
        except PictureError as error:
            self.bench.desk.show_message(str(error))
            return
        self._log("photographed", line, photograph=picture)

    def _look(self) -> None:
        if self.chosen is not None:
            PhotographDialog(self.bench, photographs_of(self.bench.document.job, self.chosen.label)).exec()


class PhotographDialog(QDialog):
    """Photographs under one another, each with when and by whom."""

    def __init__(self, bench: Bench, events: Sequence[RunEvent]) -> None:
        super().__init__(bench.window())
        self.setWindowTitle("Photographs")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 16, 18, 16)
        layout.setSpacing(8)
        events = events[-3:]
        high = 560 // max(len(events), 1)
        for event in events:
            picture = QPixmap()
            picture.loadFromData(base64.b64decode(event.photograph))
            shown = QLabel()
            shown.setPixmap(picture.scaled(
                760, high, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
            ))  # fmt: skip
            by = f" by {event.by}" if event.by else ""
            text = f"{event.label}  {event.text}, {event.at.astimezone():%d %b %H:%M}{by}"
            shown.setAccessibleName(text)
            layout.addWidget(shown)
            layout.addWidget(label(text, "muted"))
