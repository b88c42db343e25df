"""Every shortcut, declared once: bound by the window, listed by ``?``."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QGridLayout, QVBoxLayout, QWidget

from bibulon.desk.plan.toolbox import TOOLS
from bibulon.desk.widgets.fields import label


@dataclass(frozen=True)
class Shortcut:
    """Keys, what they do in words, and the window's method that does it ("" for keys handled elsewhere)."""

    keys: str
    text: str
    method: str = ""
    argument: str = ""


SHORTCUTS = (
    Shortcut("Alt+1 … Alt+0", "Go to a station"),
    *(Shortcut(tool.key, tool.text, "use_tool", tool.name) for tool in TOOLS if tool.key),
    Shortcut("L A U", "Straight, arc or curve, while an outline is drawn"),
    Shortcut("F6", "Keyboard to the next of stations, plan, time rail and bench", "next_pane"),
    Shortcut("Shift+F6", "… and back", "previous_pane"),
    Shortcut("Tab", "Next object on the plan, next field of a bench"),
    Shortcut("Arrows", "Nudge the chosen object, or move the drawing cursor (Shift: finely)"),
    Shortcut("Space", "Set a point while drawing"),
    Shortcut("0–9", "Type a length while drawing, “1200 at 30” with its angle"),
    Shortcut("Enter", "End the drawing"),
    Shortcut("Del", "Delete the chosen object"),
    Shortcut("Esc", "Give up a drawing; put a field back"),
    Shortcut("+ −", "Zoom in and out"),
    Shortcut("0", "Fit the plan", "fit_plan"),
    Shortcut("P", "Play the fill"),
    Shortcut("Q", "Plumbing beside the plan", "show_plumbing"),
    Shortcut("D", "Whole day on the time rail"),
    Shortcut("Ctrl+Z", "Undo", "undo"),
    Shortcut("Ctrl+Shift+Z", "Redo", "redo"),
    Shortcut("Ctrl+N", "New job", "new_job"),
    Shortcut("Ctrl+O", "Open a job", "files.open_job"),
    Shortcut("Ctrl+S", "Save", "files.save_job"),
    Shortcut("Ctrl+Shift+S", "Save as", "files.save_job_as"),
    Shortcut("Ctrl+P", "Print", "print_something"),
    Shortcut("Ctrl+Shift+N", "Another window", "open_another"),
    Shortcut("F9", "Do the next step of the shot", "next_step"),
    Shortcut("Ctrl+Q", "Quit", "close"),
    Shortcut("?", "This list", "show_shortcuts"),
    Shortcut("F1", "This list, from within a field too", "show_shortcuts"),
)


class ShortcutList(QDialog):
    """All shortcuts on one page."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Shortcuts")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 18, 24, 20)
        layout.addWidget(label("Shortcuts", "title"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(5)
        half = (len(SHORTCUTS) + 1) // 2
        for at, shortcut in enumerate(SHORTCUTS):
            side = 2 * (at // half)
            grid.addWidget(label(shortcut.keys, "figure", wrap=False), at % half, side)
            grid.addWidget(label(shortcut.text, wrap=False), at % half, side + 1)
        layout.addLayout(grid)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
