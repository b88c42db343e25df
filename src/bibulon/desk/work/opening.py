"""Jobs on their way to the desk: a large one is worked out beside the window before it comes."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from bibulon.desk.work.background import Background
from bibulon.desk.work.large_jobs import is_large, work_out
from bibulon.job import Job
from bibulon.quantities import Units
from bibulon.quantities_in_words import percent


@dataclass(frozen=True)
class Source:
    """Where a job comes from: its file and what was read there, or the key of work that was left without one."""

    path: Path | None = None
    read_as: str | None = None
    """Fingerprint of the file as it was read."""
    key: str | None = None


class Opening(QObject):
    """Whichever job was asked for last is the one that comes."""

    ready = Signal(object, object)
    """A job and its :class:`Source`, to be put on the desk."""
    progress_described = Signal(str)

    def __init__(self, owner: QObject) -> None:
        super().__init__(owner)
        self._work = Background(work_out, self)
        self._work.progressed.connect(self._share)
        self._work.ended.connect(self._worked_out)
        self._awaited: tuple[Job, Source, Units] | None = None

    @property
    def busy(self) -> bool:
        return self._work.busy

    def ask(self, job: Job, source: Source, units: Units) -> None:
        """Have *job* come, a small one at once."""
        self._awaited = job, source, units
        if is_large(job):
            self._work.start(job, units=units)
        else:
            self._work.cancel()
            self._come()

    def cancel(self) -> None:
        self._awaited = None
        self._work.cancel()

    def _come(self) -> None:
        if self._awaited is not None:
            job, source, _ = self._awaited
            self._awaited = None
            self.ready.emit(job, source)

    def _share(self, share: float) -> None:
        if self._awaited is not None:
            self.progress_described.emit(f"Opening “{self._awaited[0].name}” … {percent(share)}")

    def _worked_out(self, message: str) -> None:
        if self._awaited is not None and not self._work.busy:
            self.progress_described.emit(message)
            self._come()
