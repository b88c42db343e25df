"""Steps of undo: what each did, and the job before it."""

from __future__ import annotations

from bibulon.job import Job

MOST_UNDO = 500


class UndoHistory:
    """What can be undone, and done again until something else is done."""

    def __init__(self) -> None:
        self._undo: list[tuple[str, Job]] = []
        self._redo: list[tuple[str, Job]] = []

    @property
    def undo_label(self) -> str:
        """What would be undone; empty if there is nothing."""
        return self._undo[-1][0] if self._undo else ""

    @property
    def redo_label(self) -> str:
        """What would be done again; empty if there is nothing."""
        return self._redo[-1][0] if self._redo else ""

    def add(self, label: str, before: Job) -> None:
        """A step that was done to the job *before*."""
        self._undo.append((label, before))
        del self._undo[:-MOST_UNDO]
        self._redo.clear()

    def back(self, now: Job) -> Job | None:
        """The job before the last step, which was *now*; None if there is none."""
        return self._step(self._undo, self._redo, now)

    def forth(self, now: Job) -> Job | None:
        """The job after the step that was undone last, from *now*; None if there is none."""
        return self._step(self._redo, self._undo, now)

    @staticmethod
    def _step(source: list[tuple[str, Job]], target: list[tuple[str, Job]], now: Job) -> Job | None:
        if not source:
            return None
        label, job = source.pop()
        target.append((label, now))
        return job
