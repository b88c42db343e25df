"""The plumbing diagram beside the plan: when it is there, and that one thing is chosen in both."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QAbstractButton

from bibulon.desk.plan.view import PlanView
from bibulon.desk.plumbing.panel import PlumbingPanel


class PlumbingPlace(QObject):
    """Shows *panel* under *plan*; *button* shows whether it is wanted, *refresh* has the window look again."""

    def __init__(
        self, panel: PlumbingPanel, plan: PlanView, button: QAbstractButton, refresh: Callable[[], None]
    ) -> None:
        super().__init__(panel)
        self.panel, self.plan, self.button, self._refresh = panel, plan, button, refresh
        self.wanted = False
        panel.hide()
        plan.chosen_changed.connect(self._follow_choice)
        panel.diagram.chosen_changed.connect(self._choose_on_plan)

    def place(self, here: bool) -> None:
        """Have the diagram and its button as they are to be at a station that has it *here*."""
        if self.wanted and here:
            self.panel.refresh()
        self.panel.setVisible(self.wanted and here)
        self.button.setChecked(self.wanted)

    def refresh(self) -> None:
        """Show the job as it is now, where the diagram is seen."""
        if self.panel.isVisible():
            self.panel.refresh()

    def _follow_choice(self, identifier: str) -> None:
        if identifier in self.panel.diagram.names():
            self.panel.diagram.choose(identifier)
        self._refresh()

    def _choose_on_plan(self, name: str) -> None:
        """What is chosen in the plumbing is chosen on the plan too, where it is there."""
        lines = {line.id for line in self.panel.document.job.lines}
        self.plan.choose(name if name in lines else "")
        self._refresh()
