"""The plumbing diagram with its head: what can be put in, and what closes it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from bibulon.desk.plumbing.diagram import PlumbingDiagram
from bibulon.desk.widgets.fields import label, rule_line, tool_button
from bibulon.desk.work.document import Document
from bibulon.job.edits import with_pot
from bibulon.plumbing.edits import with_bypass, with_manifold

HEIGHT_PX = 214


class PlumbingPanel(QWidget):
    """The diagram of *document*, beside the plan; *hide* puts it away."""

    def __init__(self, document: Document, put_away: Callable[[], None]) -> None:
        super().__init__()
        self.setObjectName("plumbing")
        self.diagram = PlumbingDiagram(document)
        down = QVBoxLayout(self)
        down.setContentsMargins(0, 0, 0, 0)
        down.setSpacing(0)
        down.addWidget(rule_line())
        head = QHBoxLayout()
        head.setContentsMargins(12, 3, 6, 2)
        head.setSpacing(6)
        head.addWidget(label("PLUMBING", "section"))
        head.addStretch(1)
        self.buttons: dict[str, QPushButton] = {}
        for text, hint, do in (
            ("Manifold", "A pipe beside the part that hoses of feeds come from", self._add_manifold),
            ("Catch pot", "One more between part and pump, in series", self._add_pot),
            ("Bypass", "A hose from the bucket to the first pot, for surplus resin", self._add_bypass),
        ):
            button = QPushButton(f"+ {text}")
            button.setToolTip(hint)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, doing=do: doing())
            head.addWidget(button)
            self.buttons[text] = button
        head.addWidget(tool_button("close", "Put the plumbing away", put_away))
        down.addLayout(head)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(self.diagram)
        down.addWidget(scroll, 1)
        self.setFixedHeight(HEIGHT_PX)

    @property
    def document(self) -> Document:
        return self.diagram.document

    def refresh(self) -> None:
        """Show the job as it is now."""
        job = self.document.job
        self.buttons["Manifold"].setEnabled(bool(job.feeds))
        self.buttons["Bypass"].setEnabled(bool(job.feeds) and job.plumbing.bypass is None)
        self.diagram.refresh()

    def _add_manifold(self) -> None:
        self.document.edit("add a manifold", with_manifold(self.document.job))

    def _add_pot(self) -> None:
        self.document.edit("catch pots", with_pot(self.document.job))

    def _add_bypass(self) -> None:
        self.document.edit("add a bypass", with_bypass(self.document.job))
