"""The document: the Job on the desk with its undo, file, autosave, journal and newest Assessment."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import date
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from bibulon.assess import Assessment, assess
from bibulon.bag.film import remember_bag_plan
from bibulon.cautions import Caution, cautions_of, remember_found
from bibulon.desk.apart import apart, ready
from bibulon.desk.background import Background, StudyAnswer
from bibulon.desk.fill_runner import FillAnswer, FillRunner
from bibulon.desk.settings import Settings, state_folder
from bibulon.flow.problem import FlowRefusal
from bibulon.job import Job
from bibulon.job.edits import changed
from bibulon.job.journal import Journal, resumed
from bibulon.job.run import RunEvent
from bibulon.job.storage import StorageError, load, save
from bibulon.laminate.cells import remember_laminate
from bibulon.laminate.joints import remember_plies
from bibulon.quantities import Units

AUTOSAVE_MS = 1500
MOST_UNDO = 500


LARGE_WORK = 2000
"""Jobs with more plies times regions, or points of outline or relief, than this are assessed beside the interface."""


def is_large(job: Job) -> bool:
    """Whether what follows from *job* takes so long that the hand would feel it."""
    times = {group.name: group.times for group in job.groups}
    plies = sum(times.get(layer.group or "", 1) for layer in job.layup)
    return plies * (len(job.regions) + 1) + len(job.part.outline) + len(job.part.relief) > LARGE_WORK


def work_out(job: Job, tell: Callable[[float], None], units: Units) -> None:
    """Have what follows from *job* ready, worked out in another process: kept for whoever asks for it next."""
    found = apart(tell, ready, job, units)
    remember_laminate(job, found.laminate)
    remember_plies(job, found.plies)
    remember_bag_plan(job.part, job.bag, found.bag)
    remember_found(assess(job, units), found.of_plan)


def flow_inputs(job: Job) -> tuple[object, ...]:
    """What a fill of *job* depends on."""
    return (
        job.part, job.mould.temperature_k, job.shop, job.regions, job.layup, job.groups, job.core_laying,
        job.lines, job.manifolds, job.media, job.peel_ply, job.bucket,
        job.vacuum, job.flow, job.charge.resin, job.charge.largest_batch_kg, job.cards,
    )  # fmt: skip


class Document(QObject):
    """One open job. Signals: ``changed`` (job, fill, units or file: look again), ``said`` (message for the user)."""

    changed = Signal()
    said = Signal(str)
    worked = Signal(float)
    """How far the working out of a large job is, as a share."""

    def __init__(self, job: Job, runner: FillRunner, settings: Settings, path: Path | None = None) -> None:
        super().__init__()
        self.runner = runner
        self.settings = settings
        self.path = path
        self._undo: list[tuple[str, Job]] = []
        self._redo: list[tuple[str, Job]] = []
        self._settled = job
        self._live: Job | None = None
        self._saved = job
        self.answer: FillAnswer | None = None
        self._refusal: FlowRefusal | None = None
        self._study: tuple[tuple[object, ...], StudyAnswer] | None = None
        self._asked: tuple[object, ...] | None = None
        self._assessed = job
        """The job that the assessment is of: that on the desk, or, while a large one is worked out, the one before."""
        self._work = Background(work_out, self)
        self._work.finished.connect(self._take_assessed)
        self._work.ended.connect(self._work_ended)
        self._work.progressed.connect(self._tell_share)
        self._assessment: Assessment | None = None
        self._cautions: tuple[Caution, ...] | None = None
        self._assessed_of: tuple[object, ...] = (None, None, None)
        self._assessed_in: tuple[object, ...] = ()
        self._autosave = QTimer(self)
        self._autosave.setSingleShot(True)
        self._autosave.setInterval(AUTOSAVE_MS)
        self._autosave.timeout.connect(self._keep_recovery)
        self._keeping = Background(lambda job, tell: self._put_recovery(job), self, StorageError)
        self._keeping.ended.connect(self._kept)
        runner.answered.connect(self._take_answer)
        runner.refused.connect(self._take_refusal)
        self._ask(live=False)
        self._forget_what_is_old()

    # -- the job -----------------------------------------------------------------------------------------------------

    @property
    def job(self) -> Job:
        """The job as it stands, with a gesture under way."""
        return self._live or self._settled

    @property
    def dirty(self) -> bool:
        return self._settled != self._saved

    @property
    def assessment(self) -> Assessment:
        if self._assessment is None:
            made = assess(self._assessed, self.settings.units(self._assessed.shop.barometer_pa))
            fill = self.answer.result if self.answer else None
            self._assessment = replace(made, fill=fill, refusal=self._refusal)
        return self._assessment

    @property
    def cautions(self) -> tuple[Caution, ...]:
        if self._cautions is None:
            self._cautions = cautions_of(self.assessment)
        return self._cautions

    def edit(self, label: str, job: Job) -> None:
        """Make *job* the job, as one step of undo."""
        self._live = None
        if job == self._settled:
            self._announce()
            return
        self._undo.append((label, self._settled))
        del self._undo[:-MOST_UNDO]
        self._redo.clear()
        self._settle(job)

    def preview(self, job: Job) -> None:
        """Show *job* while a gesture is under way; :meth:`edit` or :meth:`drop_preview` ends it."""
        self._live = job
        self._ask(live=True)
        self._announce()

    def drop_preview(self) -> None:
        """Forget the gesture."""
        if self._live is not None:
            self._live = None
            self._ask(live=False)
            self._announce()

    def append_event(self, event: RunEvent) -> None:
        """Add an entry to the run log: on disk first, then on screen; it is not undone. Raises OSError."""
        self.journal.append(event)
        self._live = None
        self._settle(changed(self._settled, run=(*self._settled.run, event)))

    def _settle(self, job: Job) -> None:
        self._settled = job
        self._ask(live=False)
        self._autosave.start()
        self._announce()

    def _announce(self) -> None:
        if is_large(self.job) and self._assessed is not self.job:
            self._work.start(self.job, units=self.settings.units(self.job.shop.barometer_pa))
        else:
            self._assessed = self.job
        self._forget_what_is_old()
        self.changed.emit()

    def _forget_what_is_old(self) -> None:
        """Drop the assessment, and what was found in it, unless all that it is of is still the same."""
        of = (self._assessed, self.answer, self._refusal)
        read_in = (self.settings.units(self._assessed.shop.barometer_pa), date.today())
        if read_in != self._assessed_in or any(new is not old for new, old in zip(of, self._assessed_of, strict=True)):
            self._assessed_of, self._assessed_in = of, read_in
            self._assessment = self._cautions = None

    @property
    def working(self) -> bool:
        """Whether the assessment is of an earlier job, and that of this one on its way."""
        return self._assessed is not self.job

    def _take_assessed(self, job: Job, _: object) -> None:
        if job is self.job or is_large(self.job):
            self._assessed = job
            self._forget_what_is_old()

    def _tell_share(self, share: float) -> None:
        # a method of this object, so that it is said on the interface's thread
        self.worked.emit(share)

    def _work_ended(self, message: str) -> None:
        if message:  # then it is said where it is asked for, and not worked out for ever
            self._assessed = self.job
        self._announce()

    # -- undo --------------------------------------------------------------------------------------------------------

    @property
    def undo_label(self) -> str:
        return self._undo[-1][0] if self._undo else ""

    @property
    def redo_label(self) -> str:
        return self._redo[-1][0] if self._redo else ""

    def undo(self) -> None:
        self._step(self._undo, self._redo)

    def redo(self) -> None:
        self._step(self._redo, self._undo)

    def _step(self, source: list[tuple[str, Job]], target: list[tuple[str, Job]]) -> None:
        if not source:
            return
        label, job = source.pop()
        target.append((label, self._settled))
        self._live = None
        self._settle(changed(job, run=self._settled.run))  # what happened on the day is not undone

    # -- the fill ----------------------------------------------------------------------------------------------------

    def _ask(self, live: bool) -> None:
        job = self.job
        reads = (live, *flow_inputs(job))
        if reads == self._asked:
            return
        self._asked = reads
        self.runner.ask(job, live)

    def _take_answer(self, answer: FillAnswer) -> None:
        self.answer, self._refusal = answer, None
        self._announce()

    def _take_refusal(self, message: str, place: tuple[float, float] | None) -> None:
        self.answer, self._refusal = None, FlowRefusal(message, place)
        self._announce()

    @property
    def study(self) -> StudyAnswer | None:
        """The newest study of the spread, if it is of the job as it stands."""
        if self._study is None or self._study[0] != flow_inputs(self.job):
            return None
        return self._study[1]

    def keep_study(self, job: Job, answer: StudyAnswer) -> None:
        """Take in a study of *job*."""
        self._study = (flow_inputs(job), answer)
        self._announce()

    def set_settings(self, settings: Settings) -> None:
        self.settings = settings
        self._announce()

    # -- files -------------------------------------------------------------------------------------------------------

    @property
    def journal(self) -> Journal:
        return Journal(state_folder() / "runs" / f"{_file_name(self._settled.id)}.journal")

    @property
    def recovery_file(self) -> Path:
        return recovery_file(self._settled.id)

    def save(self, path: Path) -> None:
        """Save to *path*. Raises :class:`StorageError`; nothing is lost then."""
        save(self._settled, path)
        self.path = path
        self._saved = self._settled
        self._autosave.stop()
        self._keeping.wait()
        self.recovery_file.unlink(missing_ok=True)
        self._announce()

    def write_recovery(self) -> None:
        """Keep a copy of unsaved work, for the next start after a crash."""
        self._keeping.wait()
        try:
            self._put_recovery(self._settled)
        except StorageError as error:
            self._kept(str(error))

    def _keep_recovery(self) -> None:
        """The same beside the interface: a large job takes a while to write."""
        if self._keeping.busy:
            self._autosave.start()
        else:
            self._keeping.start(self._settled)

    @staticmethod
    def _put_recovery(job: Job) -> None:
        """Raises :class:`StorageError`."""
        path = recovery_file(job.id)
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise StorageError(str(error)) from error
        save(job, path)

    def _kept(self, message: str) -> None:
        if message:
            self.said.emit(f"Autosave did not work: {message}. Save the job by hand.")

    def recover(self) -> bool:
        """Take up unsaved work and an unfinished run from before, if there are any; True if so."""
        found = self._settled
        if self.recovery_file.exists():
            try:
                found = load(self.recovery_file)
            except StorageError as error:
                self.said.emit(str(error))
        events = self.journal.events()
        found = resumed(found, events)
        if found == self._settled:
            return False
        self._undo.append(("recovered work", self._settled))
        self._settle(found)
        return True

    def forget_recovery(self) -> None:
        """Put autosaved work aside when the user discards it or it is saved."""
        self._autosave.stop()
        self._keeping.wait()
        self.recovery_file.unlink(missing_ok=True)

    def start_run_afresh(self) -> None:
        """Set the journal of the last run aside (kept on disk) and empty the log of the job."""
        self.journal.close_run()
        self.edit("new run", changed(self._settled, run=()))

    def close(self) -> None:
        """Let go of the runner's signals."""
        self._autosave.stop()
        self._keeping.wait()
        self._work.cancel()
        self.runner.answered.disconnect(self._take_answer)
        self.runner.refused.disconnect(self._take_refusal)


def _file_name(identifier: str) -> str:
    return "".join(letter if letter.isalnum() or letter in "-_" else "_" for letter in identifier)


def recovery_file(identifier: str) -> Path:
    """Where unsaved work on the job of that id is kept."""
    return state_folder() / "recovery" / f"{_file_name(identifier)}.bibulon"
