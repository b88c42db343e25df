"""Long work on a job off the interface thread, with progress and cancel: studies of the spread, proposed layouts."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from bibulon.flow.problem import FlowRefusal
from bibulon.flow.raster import Canvas, Grid
from bibulon.job import Job

if TYPE_CHECKING:
    from bibulon.flow.ensemble import Ensemble
    from bibulon.planning.proposal import Proposal

SAMPLES = 32

Tell = Callable[[float], None]
_under_way: set[Background] = set()
"""Those whose thread is at work: they outlive whom they work for, so that it never speaks through what is gone."""


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class StudyAnswer:
    """A study and the picture of its chance of staying dry."""

    ensemble: Ensemble
    picture: Grid


def studied(job: Job, tell: Tell, samples: int = SAMPLES) -> StudyAnswer:
    """Study the spread of *job*."""
    from bibulon.flow.ensemble import study  # loads the statistics and the process pool only when asked for

    found = study(job, samples, progress=tell)
    return StudyAnswer(found, Canvas(found.mesh).draw(found.dry_chance))


def proposed(job: Job, tell: Tell) -> Proposal:
    """Propose a layout for *job*."""
    from bibulon.planning.proposal import propose

    return propose(job, tell)


class Background(QObject):
    """Does one piece of *work* at a time for an *owner*; the fills themselves run in processes of their own.

    When the owner goes, the work is told to stop, and nothing more is heard of it. Listeners should be methods of
    objects of Qt, which it forgets when they go.
    """

    progressed = Signal(float)
    finished = Signal(object, object)
    """The job and what was found."""
    ended = Signal(str)
    """It is over, with a message if it failed."""

    def __init__(self, work: Callable[..., object], owner: QObject, refusal: type[Exception] = FlowRefusal) -> None:
        """*refusal* is what *work* raises with a message for the user."""
        super().__init__()
        self._work, self._refusal = work, refusal
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None
        self._over = True
        owner.destroyed.connect(self._abandon)
        self.ended.connect(self._rest)

    @property
    def busy(self) -> bool:
        return not self._over

    def start(self, job: Job | None, **more: object) -> None:
        """Begin with *job*; nothing happens if another is under way."""
        if self.busy:
            return
        self._stop.clear()
        self._over = False
        _under_way.add(self)
        self._thread = threading.Thread(target=self._run, args=(job, more), name="background", daemon=True)
        self._thread.start()

    def wait(self) -> None:
        """Wait for what is under way."""
        if (thread := self._thread) is not None:
            thread.join()

    def cancel(self) -> None:
        self._stop.set()

    def _abandon(self) -> None:
        self.blockSignals(True)
        self.cancel()

    def _rest(self) -> None:
        if not self.busy:  # else begun again meanwhile
            self.wait()  # its thread must not be the last that holds this object
            _under_way.discard(self)

    def _tell(self, share: float) -> None:
        from bibulon.flow.fill import Cancelled

        if self._stop.is_set():
            raise Cancelled
        self.progressed.emit(share)

    def _run(self, job: Job | None, more: dict[str, object]) -> None:
        from bibulon.flow.fill import Cancelled

        message = ""
        try:
            found = self._work(job, self._tell, **more)
            self.finished.emit(job, found)
        except Cancelled:
            pass
        except self._refusal as refusal:
            message = str(getattr(refusal, "strerror", None) or refusal)
        except Exception as error:  # the window must hear of anything that went wrong in here
            message = f"This could not be worked out ({error})."
        self._over = True
        self.ended.emit(message)
