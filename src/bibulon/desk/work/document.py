"""The document: the Job on the desk with its undo, file, autosave, journal and newest Assessment."""

from __future__ import annotations

import errno
import os
from contextlib import suppress
from dataclasses import replace
from datetime import date
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from bibulon.assess import Assessment, assess
from bibulon.cautions import Caution, cautions_of
from bibulon.cure.study import wet_part
from bibulon.desk.work.autosave import Autosave, Unsaved
from bibulon.desk.work.background import Background
from bibulon.desk.work.fill_answers import FillAnswer
from bibulon.desk.work.fill_runner import FillRunner
from bibulon.desk.work.job_tasks import CureQuestion, StudyAnswer, cure_answer
from bibulon.desk.work.large_jobs import is_large, work_out
from bibulon.desk.work.newest_answer import NewestAnswer
from bibulon.desk.work.recovery import look_for_work
from bibulon.desk.work.settings import Settings, state_folder
from bibulon.desk.work.undo_history import UndoHistory
from bibulon.flow.causes import Cause
from bibulon.flow.refusal import FlowRefusal
from bibulon.job import Job
from bibulon.job.edits import changed, new_id, revised
from bibulon.job.kept import About, Kept
from bibulon.job.reads import read_by
from bibulon.job.run import RunEvent
from bibulon.job.shot_clock import under_way
from bibulon.job.storage import StorageError, save

READ_ONLY = "This job is open in another window: here it is only shown. Save it as a job of its own to work on it."


class Document(QObject):
    """One open job.

    ``changed`` is emitted when job, fill, units or file are to be looked at again, ``message_raised`` with a text for
    the user. Where another window has the job open, it is only shown here: ``read_only``.
    """

    changed = Signal()
    message_raised = Signal(str)
    assessment_progressed = Signal(float)
    """How far the working out of a large job is, as a share."""

    def __init__(
        self,
        job: Job,
        runner: FillRunner,
        settings: Settings,
        path: Path | None = None,
        read_as: str | None = None,
        key: str | None = None,
    ) -> None:
        """*read_as* is the fingerprint of the file that *job* was read from; *key* names the kept work that is taken
        up without a file."""
        super().__init__()
        self.runner = runner
        self.settings = settings
        self.path = path
        self._read_as = read_as
        self.kept = Kept(state_folder(), path, key)
        self._journal = self.kept.journal
        self._highest = 0
        """The highest number that an entry of the run, sound or damaged, bears."""
        self._history = UndoHistory()
        self._settled = job
        self._live: Job | None = None
        self._saved: Job | None = job if key is None else None
        self.answer: FillAnswer | None = None
        self._refusal: FlowRefusal | None = None
        self._study: tuple[tuple[object, ...], StudyAnswer] | None = None
        self._asked: tuple[object, ...] | None = None
        self._assessed = job
        """The job that the assessment is of: that on the desk, or, while a large one is worked out, the one before."""
        self._work = Background(work_out, self, interrupts=False)
        self._worked_on: Job | None = None
        """The job whose assessment was asked for last."""
        self._work.finished.connect(self._take_assessed)
        self._work.ended.connect(self._work_ended)
        self._work.progressed.connect(self._pass_progress)
        self._assessment: Assessment | None = None
        self._cautions: tuple[Caution, ...] | None = None
        self._last_cautions: tuple[Caution, ...] = ()
        self._assessed_of: tuple[object, ...] = (None, None, None, None)
        self._assessed_in: tuple[object, ...] = ()
        self._autosave = Autosave(self, self._unsaved)
        self._autosave.failed.connect(self.message_raised)
        runner.answered.connect(self._take_answer)
        runner.causes_found.connect(self._take_causes)
        runner.refused.connect(self._take_refusal)
        runner.settled.connect(self._ask_cure)
        self.cure_at_s: float | None = None
        """The time on the run clock that maps of the cure are of; None: when the vacuum may go."""
        self._cure = NewestAnswer(cure_answer, self)
        self._cure.answered.connect(self._look_again)
        self._ask(live=False)
        self._forget_what_is_old()

    # -- the job -----------------------------------------------------------------------------------------------------

    @property
    def job(self) -> Job:
        """The job as it stands, with a gesture under way."""
        return self._live or self._settled

    @property
    def moving(self) -> bool:
        """Whether a gesture is under way."""
        return self._live is not None

    @property
    def dirty(self) -> bool:
        return self._settled != self._saved

    @property
    def read_only(self) -> bool:
        """Whether another window has this job open."""
        return not self.kept.owned

    @property
    def assessment(self) -> Assessment:
        if self._assessment is None:
            made = assess(self._assessed, self.settings.units(self._assessed.shop.barometer_pa))
            fill = self.answer.result if self.answer else None
            causes = self.answer.causes if self.answer else ()
            coarse = self.answer is not None and not self.answer.final
            self._assessment = replace(made, fill=fill, refusal=self._refusal, causes=causes, fill_is_coarse=coarse)
            # when its last resin is mixed the cure itself does not change
            cure = self._cure.of(self._cure_of(self._assessment))
            self._assessment = self._assessment if cure is None else replace(self._assessment, cure_found=cure)
        return self._assessment

    @property
    def cautions(self) -> tuple[Caution, ...]:
        if self._cautions is None:
            self._cautions = self._last_cautions = cautions_of(self.assessment)
        return self._cautions

    @property
    def cautions_to_paint(self) -> tuple[Caution, ...]:
        """The cautions; under a moving hand those of a moment ago, which are there at once."""
        return self._last_cautions if self.moving else self.cautions

    def edit(self, label: str, job: Job) -> None:
        """Make *job* the job, as one step of undo; only shown jobs stay as they are."""
        self._live = None
        if self.read_only and job != self._settled:
            self.message_raised.emit(READ_ONLY)
        if job == self._settled or self.read_only:
            self._announce()
            return
        self._history.add(label, self._settled)
        self._settle(job)

    def preview(self, job: Job) -> None:
        """Show *job* while a gesture is under way; :meth:`edit` or :meth:`drop_preview` ends it."""
        if self.read_only:
            return
        self._live = job
        self._ask(live=True)
        self._announce()

    def drop_preview(self) -> None:
        """Forget the gesture."""
        if self._live is not None:
            self._live = None
            self._ask(live=False)
            self._announce()

    @property
    def next_number(self) -> int:
        """The number of the next entry of the run."""
        return max([self._highest, *(event.number for event in self._settled.run[-1:])]) + 1

    def append_event(self, event: RunEvent) -> None:
        """Add an entry to the run log: on disk first, then on screen; it is not undone. Raises OSError."""
        if self.read_only:
            raise PermissionError(errno.EROFS, "the job is open in another window")
        job = changed(self._settled, run=(*self._settled.run, event))
        saved = self._saved.run if self._saved is not None and self.path is not None else ()
        in_file = {entry.number for entry in saved}
        self._journal.append(event, tuple(entry for entry in self._settled.run if entry.number not in in_file))
        self._live = None
        self._settle(job)
        with suppress(OSError):  # the entry is on disk; this only says at the next start that a run is under way
            self.kept.describe(self._about())

    def _settle(self, job: Job) -> None:
        self._settled = job
        self._ask(live=False)
        self._autosave.start()
        self._announce()

    def _announce(self) -> None:
        if is_large(self.job) and self._assessed is not self.job:
            if self._worked_on is not self.job:
                self._worked_on = self.job
                self._work.start(self.job, units=self.settings.units(self.job.shop.barometer_pa))
        else:
            self._assessed = self.job
        self._forget_what_is_old()
        self.changed.emit()
        self._ask_cure()

    def _forget_what_is_old(self) -> None:
        """Drop the assessment, and what was found in it, unless all that it is of is still the same."""
        of = (self._assessed, self.answer, self._refusal, self._cure.newest)
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
            self._look_again()

    def _pass_progress(self, share: float) -> None:
        # a method of this object, so that it is said on the interface's thread
        self.assessment_progressed.emit(share)

    def _work_ended(self, message: str) -> None:
        if message:  # then it is said where it is asked for, and not worked out for ever
            self._assessed = self.job
        self._announce()

    # -- undo --------------------------------------------------------------------------------------------------------

    @property
    def undo_label(self) -> str:
        return self._history.undo_label

    @property
    def redo_label(self) -> str:
        return self._history.redo_label

    def undo(self) -> None:
        self._step_to(self._history.back(self._settled))

    def redo(self) -> None:
        self._step_to(self._history.forth(self._settled))

    def _step_to(self, job: Job | None) -> None:
        if job is None:
            return
        self._live = None
        # what happened on the day is not undone, nor which job it is
        self._settle(changed(job, run=self._settled.run, id=self._settled.id))

    # -- the fill ----------------------------------------------------------------------------------------------------

    def _ask(self, live: bool) -> None:
        job = self.job
        reads = (live, *read_by(job, "fill"))
        if reads == self._asked:
            return
        self._asked = reads
        self.runner.ask(job, live)

    def _take_answer(self, answer: FillAnswer) -> None:
        self.answer, self._refusal = answer, None
        self._announce()

    def _take_causes(self, causes: tuple[Cause, ...]) -> None:
        if self.answer is not None and causes:
            self.answer = replace(self.answer, causes=causes)
            self._announce()

    def _take_refusal(self, refusal: FlowRefusal) -> None:
        self.answer, self._refusal = None, refusal
        self._announce()

    # -- the cure ----------------------------------------------------------------------------------------------------

    def _cure_of(self, assessment: Assessment) -> tuple[object, ...]:
        """What the cure is of: the fill, and what else of the job it reads."""
        job, fill = assessment.job, self.answer.result if self.answer is not None else None
        curing = revised(job.curing, logged=())  # what was read moves the answers, not the courses that are followed
        return fill, curing, job.mould, job.shop, job.charge, job.cards, assessment.last_mixed

    def _ask_cure(self) -> None:
        """Have the cure worked out, once the fill of the job as it stands is there."""
        answer = self.answer
        if answer is None or not answer.final or self.moving or self.working or self.runner.busy:
            return
        assessment, fill = self.assessment, answer.result
        key = self._cure_of(assessment)
        self._cure.ask(key, lambda: CureQuestion(assessment.job, wet_part(fill), assessment.last_mixed))

    def _look_again(self) -> None:
        self._forget_what_is_old()
        self.changed.emit()

    @property
    def study(self) -> StudyAnswer | None:
        """The newest study of the spread, if it is of the job as it stands."""
        known = self._study is not None and self._study[0] == read_by(self.job, "fill")
        return self._study[1] if self._study is not None and known else None

    def keep_study(self, job: Job, answer: StudyAnswer) -> None:
        """Take in a study of *job*."""
        self._study = (read_by(job, "fill"), answer)
        self._announce()

    def set_settings(self, settings: Settings) -> None:
        self.settings = settings
        self._announce()

    # -- files -------------------------------------------------------------------------------------------------------

    def save(self, path: Path, replace: bool = False) -> None:
        """Save to *path*. Raises :class:`StorageError`; nothing is lost then. A job saved to another file than before
        becomes a job of its own; *replace* overwrites what another program has written there meanwhile."""
        same = self.path is not None and self.kept.file == Path(os.path.realpath(path))
        if same and self.read_only:
            raise StorageError(f"{path.name} was not saved: it is open in another window. Save as a job of its own.")
        kept = self.kept if same else Kept(state_folder(), path)
        if not kept.owned:
            raise StorageError(f"{path.name} was not saved: it is open in another window. Choose another place.")
        job = self._settled
        if not same and self.path is not None:
            job = changed(job, id=new_id("job"))
        self._autosave.stop()
        try:
            if not same and (kept.recovery.exists() or kept.journal.path.exists()):
                kept.set_apart()  # unsaved work on the file that is replaced
            self._read_as = save(job, path, self._read_as if same and not replace else None)
        except (StorageError, OSError) as error:
            if not same:
                kept.close()
            if self.dirty:
                self._autosave.start()
            raise error if isinstance(error, StorageError) else StorageError(str(error)) from error
        if not same:
            if self.path is None:
                self.kept.clear()
            self.kept.close()
            kept.clear()
            self.kept, self._journal = kept, kept.journal
        self.path = path
        self._saved = self._settled = job
        self._live = None
        self.kept.clear(but_clock=under_way(job.shot))
        self._announce()

    def write_recovery(self) -> None:
        """Keep a copy of unsaved work, for the next start after a crash."""
        self._autosave.keep_now()

    def _unsaved(self) -> Unsaved | None:
        return None if self.read_only else Unsaved(self.kept, self._settled, self._about())

    def _about(self) -> About:
        return About.of(self._settled, self.kept.file, self._read_as)

    def recover(self) -> bool:
        """Take up unsaved work and an unfinished run from before, if there are any; True if so.

        What was kept of another state of the file is set apart, to be offered as a job of its own.
        """
        if trouble := READ_ONLY if self.read_only else self.kept.trouble:
            self.message_raised.emit(trouble)
            return False
        found = look_for_work(self.kept, self._journal, self._settled, self._read_as, self.path is not None)
        for message in found.messages:
            self.message_raised.emit(message)
        self._journal = found.journal or self._journal
        self._highest = max(self._highest, found.highest)
        if found.job is None:
            return False
        self._history.add("recovered work", self._settled)
        self._settle(found.job)
        return True

    def close(self) -> None:
        """Let go of the runner's signals and of the job; what is saved needs no copy."""
        self._autosave.stop()
        self._work.cancel()
        if not self.dirty:
            self.kept.clear(but_clock=under_way(self.job.shot))
        self.kept.close()
        self.runner.answered.disconnect(self._take_answer)
        self.runner.settled.disconnect(self._ask_cure)
        self._cure.cancel()
        self.runner.causes_found.disconnect(self._take_causes)
        self.runner.refused.disconnect(self._take_refusal)
