"""The command line: the same work with no window.

Exit codes: 0 fine, 1 a stop-rank caution, 2 bad input, 3 the answer could not be written, 4 an error of the program.
"""

from __future__ import annotations

import logging
import os
import sys
import warnings
from contextlib import suppress
from typing import Any, TextIO, cast

NOT_WRITTEN, BROKEN = 3, 4
"""Exit codes beside those of the commands."""


class _OutputLost(RuntimeError):
    """The answer cannot be written any more: the pipe is closed or the disk full."""


class _Output:
    """Standard output that tells its own failure from any other."""

    def __init__(self, stream: TextIO) -> None:
        self._stream = stream

    def __getattr__(self, name: str) -> Any:
        return getattr(self._stream, name)

    def write(self, text: str) -> int:
        try:
            return self._stream.write(text)
        except OSError as error:
            raise _OutputLost(error.strerror or str(error)) from error

    def flush(self) -> None:
        try:
            self._stream.flush()
        except OSError as error:
            raise _OutputLost(error.strerror or str(error)) from error


def _with_command(arguments: list[str]) -> list[str]:
    """The *arguments*, of which a job file in the place of a command opens the window."""
    return ["desk", *arguments] if arguments and arguments[0].endswith(".bibulon") else arguments


def main() -> None:
    """Entry point: whatever goes wrong is said in a sentence, and each kind has an exit code of its own."""
    warnings.simplefilter("ignore")  # what libraries tell each other's programmers
    logging.disable(logging.WARNING)
    if sys.stdout is None:
        sys.exit(_say_on_stderr("The answer could not be written: there is no output to write it to.", NOT_WRITTEN))
    output = _Output(sys.stdout)
    sys.stdout = cast(TextIO, output)
    code: int | str | None = BROKEN
    from bibulon.cli.commands import app  # here, so that what fails in it is said as well

    try:
        try:
            app(_with_command(sys.argv[1:]))
        except SystemExit as end:
            code = end.code
        output.flush()
    except _OutputLost as error:
        # nothing more can be written there, not even by the interpreter as it ends
        os.dup2(os.open(os.devnull, os.O_WRONLY), output.fileno())
        code = _say_on_stderr(f"The answer could not be written: {error}.", NOT_WRITTEN)
    except MemoryError:
        code = _say_on_stderr("This job needs more memory than there is here.", BROKEN)
    except Exception as error:
        what = f"{type(error).__name__}: {error}"
        code = _say_on_stderr(f"Something went wrong inside the program ({what}). Nothing was changed.", BROKEN)
    sys.exit(code)


def _say_on_stderr(message: str, code: int) -> int:
    with suppress(OSError, AttributeError):
        print(message, file=sys.stderr, flush=True)
    return code
