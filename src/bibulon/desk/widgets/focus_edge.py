"""An edge round a pane that the keyboard has come to, so that one sees where keys go."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import QFrame, QWidget

BY_KEYS = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason, Qt.FocusReason.ShortcutFocusReason)


class FocusEdge(QFrame):
    """Lies over *pane*, and is seen from when a key brought the keyboard there until it leaves or the mouse is used."""

    def __init__(self, pane: QWidget) -> None:
        super().__init__(pane)
        self.setProperty("role", "focus")
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()
        pane.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        if kind == QEvent.Type.Resize and isinstance(watched, QWidget):
            self.setGeometry(watched.rect())
        elif kind == QEvent.Type.FocusIn and isinstance(event, QFocusEvent) and event.reason() in BY_KEYS:
            self.raise_()
            self.show()
        elif kind in (QEvent.Type.MouseButtonPress, QEvent.Type.FocusOut):
            self.hide()
        return False
