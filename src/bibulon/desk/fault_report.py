"""What the program does about an error of its own: it says so, keeps the details in a file and goes on.

The toolkit hands an exception that nothing caught in a click or a key to ``sys.excepthook``; without one here it would
go to a terminal that nobody sees.
"""

from __future__ import annotations

import contextlib
import logging
import sys
import traceback
from datetime import UTC, datetime
from types import TracebackType

from pydantic import ValidationError
from PySide6.QtCore import QThread

from bibulon.desk.window import Window
from bibulon.desk.work.settings import state_folder
from bibulon.job.faults import explain

REPORT = "errors.txt"
MOST_BYTES = 1_000_000
"""A longer report is begun anew."""


def report_faults(window: Window) -> None:
    """Say in *window* what nothing else caught: what a job refuses in plain words, anything else as an error of the
    program, with its details in the state folder."""

    def caught(kind: type[BaseException], error: BaseException, where: TracebackType | None) -> None:
        if not isinstance(error, Exception):
            sys.__excepthook__(kind, error, where)
            return
        if isinstance(error, ValidationError):
            words = f"This was not done: {explain(error)}."
        else:
            words = (
                f"This may not have been done, by an error of the program ({kind.__name__}: {error}). "
                f"Look at the job before you go on. {_kept(error)}"
            )
        if QThread.currentThread() is window.thread():
            window.show_message(words)

    sys.excepthook = caught
    logging.getLogger("bibulon").addHandler(_Report())


class _Report(logging.Handler):
    """Keeps the details of an error that the program has said in its own place, each once."""

    def __init__(self) -> None:
        super().__init__(logging.ERROR)
        self._seen: set[str] = set()

    def emit(self, record: logging.LogRecord) -> None:
        said = record.getMessage()
        if said in self._seen or record.exc_info is None or not isinstance(record.exc_info[1], Exception):
            return
        self._seen.add(said)
        _kept(record.exc_info[1])


def _kept(error: Exception) -> str:
    """Add the details of *error* to the report; where they are, in words."""
    details = "".join(traceback.format_exception(error))
    print(details, file=sys.stderr, end="")
    path = state_folder() / REPORT
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        anew = not path.exists() or path.stat().st_size > MOST_BYTES
        with path.open("w" if anew else "a", encoding="utf-8") as report:
            report.write(f"{datetime.now(UTC).isoformat(timespec='seconds')}\n{details}\n")
        return f"The details are in {path}."
    return "The details could not be written."
