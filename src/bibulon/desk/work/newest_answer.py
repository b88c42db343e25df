"""The newest answer to a question that is worked out beside the interface, kept with what it was asked for."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar, cast

from PySide6.QtCore import QObject, Signal

from bibulon.desk.work.background import Background
from bibulon.workers.report import Report

Question = TypeVar("Question")
Answer = TypeVar("Answer")


class NewestAnswer(QObject, Generic[Question, Answer]):
    """What *task* answers to the question that was asked last, for an *owner*.

    Every question goes with a key: it is asked anew only when its key has changed, and an answer is given only for the
    key that it was asked with. A newer question ends the work on an older one.
    """

    answered = Signal()
    """An answer is there, or there will be none."""

    def __init__(self, task: Callable[[Report, Question], Answer], owner: QObject) -> None:
        super().__init__(owner)
        self._asked: object = None
        self._answer: tuple[object, Answer | None] | None = None
        self.message = ""
        """Why there is no answer, if the task failed."""
        self._work = Background(lambda report, request: task(report, cast("Question", request[1])), self)
        self._work.finished.connect(self._keep)
        self._work.failed.connect(self._fail)

    def ask(self, key: object, question: Callable[[], Question]) -> None:
        """Have the *question* answered, unless it was the last that was asked."""
        if key != self._asked:
            self._asked, self.message = key, ""
            self._work.start((key, question()))

    def of(self, key: object) -> Answer | None:
        """The answer that was asked for with *key*, if it is there."""
        return self._answer[1] if self._answer is not None and self._answer[0] == key else None

    @property
    def newest(self) -> Answer | None:
        """The newest answer, whatever was asked since."""
        return self._answer[1] if self._answer is not None else None

    def cancel(self) -> None:
        self._work.cancel()

    def _keep(self, request: tuple[object, Question], answer: Answer) -> None:
        self._answer = request[0], answer
        self.answered.emit()

    def _fail(self, request: tuple[object, Question], error: Exception) -> None:
        if request[0] == self._asked:
            self.message = str(error)
            self.answered.emit()
