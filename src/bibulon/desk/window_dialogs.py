"""The windows and dialogs that the main window opens for its menu and its keys, and files that are dropped on it."""

from __future__ import annotations

import sys
from abc import abstractmethod
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QMimeData, QProcess, Qt, QTimer
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QPixmap
from PySide6.QtWidgets import (
    QApplication,
    QMainWindow,
)

from bibulon.desk.benches.base import Bench
from bibulon.desk.dialogs.files import Files
from bibulon.desk.dialogs.left_over import LeftOverWindow, in_words
from bibulon.desk.plan.view import PlanView
from bibulon.desk.shortcuts import ShortcutList
from bibulon.desk.stations import station_of
from bibulon.desk.time_rail.rail import TimeRail
from bibulon.desk.widgets import icons, theme
from bibulon.desk.work.document import Document
from bibulon.desk.work.settings import Settings, save_settings, state_folder
from bibulon.job.base import StationId
from bibulon.job.kept import left_over


class WindowDialogs(QMainWindow):
    """What of the main window opens others; the rest of it is :class:`~bibulon.desk.window.Window`."""

    document: Document
    files: Files
    plan: PlanView
    time_rail: TimeRail
    station: StationId

    @abstractmethod
    def refresh(self) -> None:
        """Show everything as it is now."""

    @abstractmethod
    def bench_of(self, station: StationId) -> Bench:
        """The bench of *station*."""

    @abstractmethod
    def show_message(self, text: str, *actions: tuple[str, Callable[[], object]]) -> None:
        """Show a message in the note bar, with what can be done about it."""

    def offer_left_over(self) -> None:
        """Say what work of other jobs was left, if any of it was not put by for later."""
        left = [work for work in left_over(state_folder()) if not work.about.put_by]
        if len(left) == 1:
            work = left[0]
            self.show_message(
                f"{in_words(work)}.", ("Open it", partial(self.files.open_left_over, work)),
                ("Look at it", self.show_left_over),
            )  # fmt: skip
        elif left:
            self.show_message(f"Work on {len(left)} other jobs was left unsaved.", ("Look at it", self.show_left_over))

    def show_left_over(self) -> None:
        """The work that was left, to open, keep or discard."""
        LeftOverWindow(self, self.files.open_left_over).exec()

    def show_shortcuts(self) -> None:
        page = ShortcutList(self)
        page.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        page.show()

    def show_stock(self) -> None:
        """The shelf's cards and the shop's own."""
        from bibulon.desk.dialogs.stock_window import StockWindow  # loads the card files' writers only when asked for

        window = StockWindow(self, self.document)
        window.exec()
        self.refresh()

    def show_house_rules(self) -> None:
        """The figures by which cautions judge."""
        from bibulon.desk.dialogs.house_window import HouseWindow

        HouseWindow(self, self.document, lambda house: self.set_setting("house", house)).exec()
        self.refresh()

    def print_something(self) -> None:
        """Ask what is to be printed, the station or the plan to scale, and print it."""
        from bibulon.desk.dialogs.printing import PrintDialog

        def pictures() -> tuple[QPixmap, ...]:
            body = self.bench_of(self.station).widget()
            return (self.plan.grab(), self.time_rail.grab(), body.grab())

        PrintDialog(self, self.document, station_of(self.station).name, pictures).exec()

    def open_another(self) -> None:
        """Another window beside this one: on the same job, which it only shows, or on a new one."""
        path = self.document.path
        words = ["-m", "bibulon", "desk", *([str(path)] if path is not None else [])]
        if not QProcess.startDetached(sys.executable, words)[0]:
            self.show_message("Another window could not be opened.")

    def ask_instruments(self) -> None:
        """Where the shop's instruments are."""
        from PySide6.QtWidgets import QInputDialog

        url, taken = QInputDialog.getText(
            self, "Instruments", "Serial port or address (empty: simulated):\n/dev/ttyUSB0 or socket://host:port",
            text=self.document.settings.instruments_url,
        )  # fmt: skip
        if taken:
            self.set_setting("instruments_url", url.strip())

    def set_setting(self, field: str, value: object) -> None:
        """Change one of the shop's settings."""
        settings = Settings.model_validate({**dict(self.document.settings), field: value})
        trouble = save_settings(settings)
        if trouble:
            self.show_message(f"The settings could not be kept ({trouble}): they hold until this window is closed.")
        self.document.set_settings(settings)
        if field == "appearance":
            self._follow_appearance()
        self.refresh()

    def _follow_appearance(self) -> None:
        """Put the program into the palette that was chosen, or that the desktop asks for."""
        application, palette = QApplication.instance(), theme.palette_for(self.document.settings.appearance)
        assert isinstance(application, QApplication)
        if palette is not theme.current.palette:
            theme.apply(application, palette)
            icons.follow_theme(self)

    # -- files dropped -------------------------------------------------------------------------------------------------

    @staticmethod
    def _dropped(data: QMimeData) -> Path | None:
        return next((Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()), None)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if self._dropped(event.mimeData()) is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        if (path := self._dropped(event.mimeData())) is not None:
            # once the drop is over: a dialog must not keep the program that it comes from waiting
            QTimer.singleShot(0, lambda: self.files.take(path))
