"""Figures that are worked out, with a name and how they come about."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QWidget,
)

from bibulon.desk.widgets.fields import label
from bibulon.desk.work.document import Document
from bibulon.figures import Figure


class FigureRow(QWidget):
    """A computed figure; its tool tip says how it came about."""

    def __init__(self, name: str, figure: Callable[[], tuple[str, str]]) -> None:
        super().__init__()
        self._figure = figure
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.name = label(name)
        self.value = label("", "figure", wrap=False)
        self.value.setAlignment(Qt.AlignmentFlag.AlignRight)
        row.addWidget(self.name, 1)
        row.addWidget(self.value)
        self.refresh()

    def refresh(self) -> None:
        value, how = self._figure()
        self.value.setText(value)
        self.setToolTip(how)
        self.value.setAccessibleName(f"{self.name.text()} {value}")


def shown_figure(document: Document, figure: Callable[[], Figure]) -> Callable[[], tuple[str, str]]:
    """Text and explanation of a Figure of the Assessment."""

    def texts() -> tuple[str, str]:
        figures = figure()
        return figures.shown(document.assessment.units), figures.how

    return texts
