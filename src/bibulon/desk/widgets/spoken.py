"""Painted objects for assistive technology: each a child of its widget with a name that says what it is.

Nothing of them is painted, and mouse and keys pass through to the widget itself. They are made once a program that
reads the screen is there.
"""

from __future__ import annotations

import os

from PySide6.QtCore import QObject, QPointF, QRect, Qt
from PySide6.QtGui import QAccessible, QAccessibleEvent
from PySide6.QtWidgets import QWidget

SIZE_PX = 24
Spoken = tuple[str, str, QPointF]
"""The identifier of an object, what it is in words, and its middle on the widget."""


class SpokenObjects(QObject):
    """Keeps the children of a *widget* that stand for what is painted there."""

    def __init__(self, widget: QWidget) -> None:
        super().__init__(widget)
        self._widget = widget
        self._children: list[QWidget] = []
        self._chosen = ""

    @property
    def wanted(self) -> bool:
        """Whether anybody listens, or the toolkit was told that somebody always does."""
        return QAccessible.isActive() or os.environ.get("QT_LINUX_ACCESSIBILITY_ALWAYS_ON", "0") not in ("", "0")

    def refresh(self, objects: tuple[Spoken, ...], chosen: str = "") -> None:
        """Have these *objects*, and say it if another one is *chosen* than before."""
        while len(self._children) > len(objects):
            self._children.pop().deleteLater()
        while len(self._children) < len(objects):
            child = QWidget(self._widget)
            child.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            child.setAttribute(Qt.WidgetAttribute.WA_NoSystemBackground)
            child.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            child.show()
            self._children.append(child)
        for child, (identifier, words, middle) in zip(self._children, objects, strict=True):
            child.setObjectName(identifier)
            child.setAccessibleName(words)
            corner = middle.toPoint()
            child.setGeometry(QRect(corner.x() - SIZE_PX // 2, corner.y() - SIZE_PX // 2, SIZE_PX, SIZE_PX))
            if identifier == chosen != self._chosen:
                QAccessible.updateAccessibility(QAccessibleEvent(child, QAccessible.Event.Focus))
        self._chosen = chosen
