"""Unsaved work kept beside the file, some time after an edit, without holding the interface up."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QObject, QTimer, Signal

from bibulon.desk.work.background import Background
from bibulon.job import Job
from bibulon.job.kept import About, Kept
from bibulon.workers.report import Report

AUTOSAVE_MS = 1500


@dataclass(frozen=True, eq=False)
class Unsaved:
    """What is to be kept, and where."""

    kept: Kept
    job: Job
    about: About


class Autosave(QObject):
    """Keeps what *unsaved* says, None where nothing is to be kept."""

    failed = Signal(str)

    def __init__(self, owner: QObject, unsaved: Callable[[], Unsaved | None]) -> None:
        super().__init__(owner)
        self._unsaved = unsaved
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(AUTOSAVE_MS)
        self._timer.timeout.connect(self._keep)
        self._work = Background(_keep, self, OSError)
        self._work.ended.connect(self._ended)

    def start(self) -> None:
        """Keep it a while from now."""
        self._timer.start()

    def stop(self) -> None:
        """Keep nothing more; waits for what is being written."""
        self._timer.stop()
        self._work.wait()

    def keep_now(self) -> None:
        """Keep it at once."""
        self._work.wait()
        unsaved = self._unsaved()
        if unsaved is None:
            return
        try:
            _keep(Report(), unsaved)
        except OSError as error:
            self._ended(error.strerror or str(error))

    def _keep(self) -> None:
        unsaved = self._unsaved()
        if self._work.busy:
            self._timer.start()
        elif unsaved is not None:
            self._work.start(unsaved)

    def _ended(self, message: str) -> None:
        if message:
            self.failed.emit(f"Autosave did not work: {message}. Save the job by hand.")


def _keep(report: Report, unsaved: Unsaved) -> None:
    """A task. Raises OSError."""
    unsaved.kept.keep(unsaved.job, unsaved.about)
