"""A note over the plan, with up to two things to do about it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton

from bibulon.desk.widgets.fields import tool_button


class NoteBar(QFrame):
    """Hidden until something is to be said; ``words`` and ``buttons`` show it."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("note")
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 8, 6)
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.buttons = (QPushButton(), QPushButton())
        self._does: list[Callable[[], object]] = []
        row.addWidget(self.words, 1)
        for at, button in enumerate(self.buttons):
            button.clicked.connect(partial(self._do, at))
            row.addWidget(button)
        row.addWidget(tool_button("close", "Put this note away", self.hide))
        self.hide()

    def show_message(self, text: str, *actions: tuple[str, Callable[[], object]]) -> None:
        """Show *text*, and a button for each of the *actions*: its words and what it does."""
        self.words.setText(text)
        for button in self.buttons:
            button.hide()
        for button, (words, _) in zip(self.buttons, actions, strict=False):
            button.setText(words)
            button.show()
        self._does = [do for _, do in actions]
        self.show()

    def _do(self, at: int) -> None:
        self.hide()
        self._does[at]()
