"""The bar of tools over the plan: those of the station that is shown, the plumbing, and what fits the plan into the
view."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QFrame, QHBoxLayout, QToolButton, QWidget

from bibulon.desk.plan.toolbox import TOOLS, tool_named
from bibulon.desk.widgets.fields import tool_button
from bibulon.job import Process
from bibulon.job.base import StationId

ICON = QSize(22, 22)


class ToolBar(QFrame):
    """One button a tool, one that shows the plumbing, and one that fits the plan; *use* takes up the tool of a name."""

    def __init__(
        self, plan: QWidget, use: Callable[[str], None], fit: Callable[[], None], plumb: Callable[[], None]
    ) -> None:
        super().__init__(plan)
        self.setObjectName("tools")
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 3, 4, 3)
        row.setSpacing(2)
        self.buttons: dict[str, QToolButton] = {}
        for tool in TOOLS:
            if tool.stations:
                tip = f"{tool.text} ({tool.key})"
                self.buttons[tool.name] = tool_button(tool.icon, tip, partial(use, tool.name), checkable=True)
        self.plumbing = tool_button("plumbing", "Plumbing beside the plan (Q)", plumb, checkable=True)
        for button in (*self.buttons.values(), self.plumbing, tool_button("fit", "Fit the plan (0)", fit)):
            button.setIconSize(ICON)
            row.addWidget(button)
        self.move(32, 30)
        self.adjustSize()

    def show_for(self, station: StationId, process: Process, edits: bool, plumbing: bool) -> None:
        """Show the tools of *station* in a job made by *process*, and *plumbing* where it has one; none where nothing
        can be edited."""
        self.plumbing.setVisible(plumbing)
        for name, button in self.buttons.items():
            tool = tool_named(name)
            button.setVisible(station in tool.stations and process in tool.processes)
        self.setVisible(edits)
        self.adjustSize()

    def mark(self, tool: str) -> None:
        """Mark the *tool* that is in use."""
        for name, button in self.buttons.items():
            button.setChecked(name == tool)
