"""The card of a line or port at a bench: a frame, its rows, and a head that chooses it on the plan."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from bibulon.desk.widgets.fields import tool_button
from bibulon.job.lines import Line


def line_card(
    line: Line, icon: str, is_open: bool, choose: Callable[[str], object]
) -> tuple[QFrame, QVBoxLayout, QHBoxLayout]:
    """The frame of *line*, its rows and its head; its button chooses the line, or lets go of it if open."""
    frame = QFrame()
    frame.setProperty("role", "card")
    frame.setProperty("chosen", "true" if is_open else "false")
    rows = QVBoxLayout(frame)
    rows.setContentsMargins(8, 5, 6, 6)
    rows.setSpacing(4)
    head = QHBoxLayout()
    pick = partial(choose, "" if is_open else line.id)
    head.addWidget(tool_button(icon, f"Choose {line.label}", pick, True, is_open))
    return frame, rows, head
