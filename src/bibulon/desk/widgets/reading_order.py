"""The keyboard on a bench: Tab goes as one reads, and a part that is built anew keeps what it held."""

from __future__ import annotations

from collections.abc import Iterator

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractButton, QApplication, QLayout, QLineEdit, QWidget

TYPED_AT = "typedAt"
"""Property of a choice that Tab has come to: what is typed looks for a choice in it."""


def widgets_of(layout: QLayout) -> Iterator[QWidget]:
    """The widgets in *layout*, and those laid out in them, as they are read."""
    for number in range(layout.count()):
        item = layout.itemAt(number)
        if item is None:
            continue
        widget = item.widget()
        if widget is not None:
            yield widget
        inner = item.layout() if widget is None else widget.layout()
        if inner is not None:
            yield from widgets_of(inner)


def beside(layout: QLayout, held: QWidget, following: bool) -> QWidget | None:
    """What Tab goes to from *held* in *layout*, or back from it; None at either end."""
    stops = [widget for widget in widgets_of(layout) if widget is held or _stops(widget)]
    if held not in stops:
        return None
    at = stops.index(held) + (1 if following else -1)
    return stops[at] if 0 <= at < len(stops) else None


def first_stop(layout: QLayout) -> QWidget | None:
    """What Tab comes to first in *layout*."""
    return next((widget for widget in widgets_of(layout) if _stops(widget)), None)


def beyond(root: QWidget, following: bool) -> QWidget | None:
    """What Tab comes to when it leaves *root*, forward or back; None if there is nothing else."""
    widget = root.nextInFocusChain() if following else root.previousInFocusChain()
    while widget is not None and widget is not root:
        if _stops(widget) and not root.isAncestorOf(widget) and widget.window() is root.window():
            return widget
        widget = widget.nextInFocusChain() if following else widget.previousInFocusChain()
    return None


class HeldKeyboard:
    """What holds the keyboard in a part that is about to be built anew, and what was typed there and is not taken."""

    def __init__(self, layout: QLayout) -> None:
        self._name, self._number, self._typed, self._typed_at = "", 0, None, False
        held, every = QApplication.focusWidget(), list(widgets_of(layout))
        if held is None or held not in every or not _name(held):
            return
        self._name, self._typed_at = _name(held), bool(held.property(TYPED_AT))
        self._number = [widget for widget in every if _name(widget) == self._name].index(held)
        if isinstance(held, QLineEdit) and held.isModified():
            self._typed = held.text(), held.cursorPosition()

    def give_back(self, layout: QLayout) -> None:
        """Give the keyboard to what has come in its place, if anything has."""
        named = [widget for widget in widgets_of(layout) if self._name and _name(widget) == self._name]
        if self._number >= len(named):
            return
        heir = named[self._number]
        heir.setFocus(Qt.FocusReason.OtherFocusReason)
        heir.setProperty(TYPED_AT, self._typed_at)
        if self._typed is not None and isinstance(heir, QLineEdit):
            heir.setText(self._typed[0])
            heir.setCursorPosition(self._typed[1])
            heir.setModified(True)


def _stops(widget: QWidget) -> bool:
    """Whether Tab comes to it."""
    return widget.isVisible() and widget.isEnabled() and bool(widget.focusPolicy() & Qt.FocusPolicy.TabFocus)


def _name(widget: QWidget) -> str:
    """What the screen reader calls it."""
    return widget.accessibleName() or (widget.text() if isinstance(widget, QAbstractButton) else "")
