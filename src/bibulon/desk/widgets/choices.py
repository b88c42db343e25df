"""Fields in which something is chosen or switched."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import suppress
from typing import Any

from PySide6.QtCore import QEvent, QPoint, QPointF, QRect, QSize, Qt, QTimer
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionComboBox,
    QStylePainter,
    QWidget,
)

from bibulon.desk.widgets import theme
from bibulon.desk.widgets.fields import LABEL_WIDTH, label
from bibulon.desk.widgets.reading_order import TYPED_AT

MOST_LINES = 3
MOST_IN_SIGHT = 14
"""A list of choices shows so many at once, and scrolls beyond."""
BY_TAB = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason)


class ChoiceBox(QComboBox):
    """A combo box that breaks a long text over lines, shortens the last with an ellipsis, and draws an arrow of
    the theme; the wheel scrolls what it stands in, and never changes it."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)  # a turn of the wheel over it does not give it the keyboard
        self.setItemDelegate(QStyledItemDelegate(self))  # which follows the style sheet
        self.setMaxVisibleItems(MOST_IN_SIGHT)
        self._lines_given = 1
        self.currentTextChanged.connect(self._fit_lines)

    def showPopup(self) -> None:
        """Open the list as wide as its longest entry."""
        bar = self.view().verticalScrollBar().sizeHint().width() if self.count() > MOST_IN_SIGHT else 0
        self.view().setMinimumWidth(max(self.width(), self.view().sizeHintForColumn(0) + bar + 4))
        super().showPopup()

    def _room(self) -> QRect:
        """Where the text is written."""
        return self.rect().adjusted(9, 0, -22, 0)

    def shown_lines(self) -> list[str]:
        """What is written of the chosen text: as many lines as it takes, three at most; figures stay with units."""

        def shown(words: list[str]) -> str:
            return self.fontMetrics().elidedText(" ".join(words), Qt.TextElideMode.ElideRight, self._room().width())

        lines: list[str] = []
        words = self.currentText().split(" ")
        while words and len(lines) < MOST_LINES - 1:
            fit = next((n for n in range(len(words), 1, -1) if shown(words[:n]) == " ".join(words[:n])), 1)
            if 1 < fit < len(words) and words[fit - 1].replace(".", "").isdigit():
                fit -= 1
            lines.append(shown(words[:fit]))
            words = words[fit:]
        return [*lines, shown(words)] if words else lines

    def _fit_lines(self) -> None:
        """Ask for the height that the text's lines take."""
        lines = max(1, len(self.shown_lines()))
        if lines != self._lines_given:
            self._lines_given = lines
            self.updateGeometry()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_lines()

    def sizeHint(self) -> QSize:
        hint = super().sizeHint()
        return QSize(hint.width(), hint.height() + (self._lines_given - 1) * self.fontMetrics().lineSpacing())

    def minimumSizeHint(self) -> QSize:
        return QSize(super().minimumSizeHint().width(), self.sizeHint().height())

    def focusInEvent(self, event: QFocusEvent) -> None:
        if event.reason() in BY_TAB:
            self.setProperty(TYPED_AT, True)
        elif event.reason() == Qt.FocusReason.MouseFocusReason:
            self.setProperty(TYPED_AT, False)
        super().focusInEvent(event)

    def event(self, event: QEvent) -> bool:
        """Letters look for a choice that begins with them where Tab has come to it; else they are the window's
        shortcuts: a tool that is called after a choice with the mouse must not change what was chosen."""
        asked = event.type() == QEvent.Type.ShortcutOverride and bool(self.property(TYPED_AT))
        if asked and isinstance(event, QKeyEvent) and _letter(event):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if _letter(event) and not self.property(TYPED_AT):
            event.ignore()
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QStylePainter(self)
        option = QStyleOptionComboBox()
        self.initStyleOption(option)
        painter.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
        painter.setPen(QColor(theme.current.palette.ink if self.isEnabled() else theme.current.palette.muted))
        painter.drawText(self._room(), Qt.AlignmentFlag.AlignVCenter, "\n".join(self.shown_lines()))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(theme.current.palette.muted), 1.6, c=Qt.PenCapStyle.RoundCap))
        at = QPointF(self.width() - 13, self.height() / 2 + 2)
        painter.drawPolyline(QPolygonF([at + QPointF(-4, -4), at, at + QPointF(4, -4)]))
        painter.end()


class ChoiceField(QWidget):
    """A labelled choice between values, bound to a path or to functions of its own."""

    def __init__(
        self,
        name: str,
        choices: Callable[[], Sequence[tuple[str, Any]]],
        get: Callable[[], Any],
        put: Callable[[Any], None],
        hint: str = "",
    ) -> None:
        super().__init__()
        self.setObjectName(name)
        self._choices, self._get, self._put = choices, get, put
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        if name:
            self.name = label(name)
            self.name.setFixedWidth(LABEL_WIDTH)
            row.addWidget(self.name)
        self.box = ChoiceBox()
        self.box.setAccessibleName(name or hint)
        self.box.setMinimumWidth(60)
        self.box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        if hint:
            self.setToolTip(hint)
        row.addWidget(self.box, 1)
        self.box.activated.connect(self._chosen)
        self.refresh()

    def _chosen(self, index: int) -> None:
        self._put(self.box.itemData(index))
        QTimer.singleShot(0, self, self._show_what_was_taken)

    def _show_what_was_taken(self) -> None:
        """Show the job's value, where what was chosen changed nothing; a field whose object is gone is about to be."""
        if self.isVisible():
            with suppress(LookupError, StopIteration):
                self.refresh()

    def refresh(self) -> None:
        choices = list(self._choices())
        if [self.box.itemText(i) for i in range(self.box.count())] != [text for text, _ in choices]:
            self.box.clear()
            for text, _ in choices:
                self.box.addItem(text)
        for index, (_, value) in enumerate(choices):
            self.box.setItemData(index, value)
        value = self._get()
        index = next((i for i, (_, choice) in enumerate(choices) if choice == value), -1)
        self.box.setCurrentIndex(index)
        self.box.setToolTip(self.box.currentText())


def _letter(event: QKeyEvent) -> bool:
    """Whether it types something that could begin the name of a choice."""
    plain = not event.modifiers() & ~Qt.KeyboardModifier.ShiftModifier
    return plain and event.text().isprintable() and bool(event.text().strip())


class ToggleField(QCheckBox):
    """Something that is on or off."""

    def __init__(self, name: str, get: Callable[[], bool], put: Callable[[bool], None], hint: str = "") -> None:
        super().__init__(name)
        self.setObjectName(name)
        self._get = get
        self.setToolTip(hint)
        self.clicked.connect(lambda on: put(on))
        self.refresh()

    def refresh(self) -> None:
        self.setChecked(self._get())

    def hitButton(self, pos: QPoint) -> bool:
        """All of its row takes a click, for a thumb."""
        return self.rect().contains(pos)
