"""The menu behind the program's mark: jobs, the shop's settings, stock, instruments."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Protocol

from PySide6.QtGui import QAction, QActionGroup
from PySide6.QtWidgets import QMenu, QWidget

from bibulon.demo import DEMO_FILES
from bibulon.desk.dialogs.files import Files
from bibulon.desk.work.document import Document


class MenuOwner(Protocol):
    """What the menu asks of the window."""

    document: Document
    files: Files

    def new_job(self) -> None: ...
    def open_demo(self, file: str) -> None: ...
    def set_setting(self, field: str, value: object) -> None: ...
    def show_house_rules(self) -> None: ...
    def show_stock(self) -> None: ...
    def show_left_over(self) -> None: ...
    def ask_instruments(self) -> None: ...
    def print_something(self) -> None: ...
    def open_another(self) -> None: ...
    def show_shortcuts(self) -> None: ...
    def close(self) -> bool: ...


DEMOS = (
    ("footbridge deck panel", DEMO_FILES[0]),
    ("observatory dome gore", DEMO_FILES[1]),
    ("seed-hopper lid", DEMO_FILES[2]),
    ("lamp-post arm", DEMO_FILES[3]),
)
SETTINGS: tuple[tuple[str, str, tuple[tuple[str, str], ...]], ...] = (
    ("Units", "system", (("Metric", "metric"), ("US shop", "us"), ("Mixed", "mixed"))),
    ("Money", "currency", tuple((sign, sign) for sign in ("€", "£", "$", "kr", "zł", "Fr"))),
    ("Gauge reads", "reading", (("absolute", "absolute"), ("down from atmosphere", "gauge"))),
    ("Appearance", "appearance", (("As the desktop", "desktop"), ("Light", "light"), ("Dark", "dark"))),
)
"""What is chosen, the setting it is kept in, and the choices."""


class JobMenu(QMenu):
    """Filled anew each time it opens."""

    def __init__(self, parent: QWidget, window: MenuOwner) -> None:
        super().__init__(parent)
        self._window = window
        self.aboutToShow.connect(self.fill)

    def fill(self) -> None:
        """Put the actions in, as they stand now."""
        window = self._window
        self.clear()
        for inner in self.findChildren(QMenu):  # what clear() leaves behind
            inner.setParent(None)
            inner.deleteLater()
        self._put("New job", window.new_job, "Ctrl+N")
        self._put("Open …", window.files.open_job, "Ctrl+O")
        for name, file in DEMOS:
            self._put(f"Demo: {name}", partial(window.open_demo, file))
        self._put("Save", window.files.save_job, "Ctrl+S")
        self._put("Save as …", window.files.save_job_as, "Ctrl+Shift+S")
        export = self._put("Export the fill …", window.files.export_fill)
        export.setEnabled(window.document.assessment.fill is not None)
        self._put("Print …", window.print_something, "Ctrl+P")
        recent = self.addMenu("Recent jobs")
        for name in window.document.settings.recent:
            recent.addAction(Path(name).name).triggered.connect(
                lambda _=False, path=name: window.files.open(Path(path))
            )
        recent.setEnabled(bool(window.document.settings.recent))
        self._put("Work that was left …", window.show_left_over)
        self.addSeparator()
        for title, field, choices in SETTINGS:
            self._put_choices(title, field, choices)
        self._put("House rules …", window.show_house_rules)
        self._put("Stock …", window.show_stock)
        self._put("Instruments …", window.ask_instruments)
        self.addSeparator()
        self._put("Another window", window.open_another, "Ctrl+Shift+N")
        self._put("Shortcuts", window.show_shortcuts, "?")
        self._put("Quit", window.close, "Ctrl+Q")

    def _put(self, text: str, do: Callable[[], object], keys: str = "") -> QAction:
        action = self.addAction(f"{text}\t{keys}" if keys else text)
        action.triggered.connect(lambda _=False: do())
        return action

    def _put_choices(self, title: str, field: str, choices: tuple[tuple[str, str], ...]) -> None:
        inner = self.addMenu(title)
        group = QActionGroup(inner)
        for text, value in choices:
            action = QAction(text, inner)
            action.setCheckable(True)
            action.setChecked(getattr(self._window.document.settings, field) == value)
            action.triggered.connect(lambda _=False, chosen=value: self._window.set_setting(field, chosen))
            group.addAction(action)
            inner.addAction(action)
