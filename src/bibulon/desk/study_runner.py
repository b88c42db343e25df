"""A study of the spread off the interface thread, with progress and cancel."""

from __future__ import annotations

import threading
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from bibulon.flow.raster import Grid, rasterised
from bibulon.job import Job

if TYPE_CHECKING:
    from bibulon.flow.ensemble import Ensemble

SAMPLES = 32


@dataclass(frozen=True)
class StudyAnswer:
    """A study and the picture of its chance of staying dry."""

    ensemble: Ensemble
    picture: Grid


class StudyRunner(QObject):
    """Runs one study at a time; the fills themselves run in processes of their own."""

    progressed = Signal(float)
    finished = Signal(object, object)
    """The job and its :class:`StudyAnswer`."""
    ended = Signal(str)
    """It is over, with a message if it failed."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None

    @property
    def busy(self) -> bool:
        return self._thread is not None and self._thread.is_alive()

    def start(self, job: Job, samples: int = SAMPLES) -> None:
        """Study *job*."""
        if self.busy:
            return
        self._stop.clear()
        self._thread = threading.Thread(target=self._run, args=(job, samples), name="study", daemon=True)
        self._thread.start()

    def cancel(self) -> None:
        self._stop.set()

    def _tell(self, share: float) -> None:
        from bibulon.flow.fill import Cancelled

        if self._stop.is_set():
            raise Cancelled
        self.progressed.emit(share)

    def _run(self, job: Job, samples: int) -> None:
        from bibulon.flow.ensemble import study  # loads the statistics and the process pool only when asked for
        from bibulon.flow.fill import Cancelled
        from bibulon.flow.problem import FlowRefusal

        message = ""
        try:
            found = study(job, samples, progress=self._tell)
            self.finished.emit(job, StudyAnswer(found, rasterised(found.mesh, found.dry_chance)))
        except Cancelled:
            pass
        except FlowRefusal as refusal:
            message = str(refusal)
        except Exception as error:  # the window must hear of anything that went wrong in here
            message = f"The study could not be made ({error})."
        self._thread = None
        self.ended.emit(message)
