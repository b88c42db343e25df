"""The run journal: an append-only file, one line an event, on disk before the screen says so.

A line is ``<crc32 in hex> <event as JSON>``. A last line torn by a power cut was never confirmed and is cut back; a
damaged line between sound ones is left where it is, and the entries on both sides of it stand.
"""

from __future__ import annotations

import os
import re
import zlib
from dataclasses import dataclass
from pathlib import Path

from pydantic import ValidationError

from bibulon.job import Job
from bibulon.job.edits import changed
from bibulon.job.run import RunEvent
from bibulon.whole_file import OWNER_ONLY, make_folder, sync_folder

_NUMBER = re.compile(rb'"number":(\d{1,9})')


@dataclass(frozen=True)
class JournalContent:
    """What a journal holds: the sound entries in order of their numbers, how many complete lines were damaged, and
    the highest number that any line bears."""

    events: tuple[RunEvent, ...] = ()
    damaged: int = 0
    highest: int = 0


class Journal:
    """The journal of one job's run."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._left: tuple[int, int] | None = None
        """File and size as this object left them."""

    def append(self, event: RunEvent, before: tuple[RunEvent, ...] = ()) -> None:
        """Write *event* and wait until the disk has it. Raises OSError; then the journal is as it was.

        Of the entries *before* it that the job's file does not hold, those that are not in the journal, because it was
        deleted or cut meanwhile, are written first.
        """
        new = not self.path.exists()
        if new:
            make_folder(self.path.parent)
        handle = os.open(self.path, os.O_RDWR | os.O_CREAT | os.O_APPEND, OWNER_ONLY)
        try:
            status = os.fstat(handle)
            missing: tuple[RunEvent, ...] = ()
            if (status.st_ino, status.st_size) != self._left:
                there = {entry.number for entry in self.read().events}
                missing = tuple(entry for entry in before if entry.number not in there)
                self._cut_torn_line(handle)
            size = os.fstat(handle).st_size
            try:
                _write_all(handle, b"".join(_line(entry) for entry in (*missing, event)))
                os.fsync(handle)
                if new:
                    sync_folder(self.path.parent)
            except OSError:
                self._left = None
                os.ftruncate(handle, size)
                raise
            end = os.fstat(handle)
            self._left = end.st_ino, end.st_size
        finally:
            os.close(handle)

    def _cut_torn_line(self, handle: int) -> None:
        """Cut what follows the last line's end, or end it if only its end is missing."""
        content = self.path.read_bytes()
        whole = content.rfind(b"\n") + 1
        tail = content[whole:]
        if not tail:
            return
        if _sound(tail) is not None:
            _write_all(handle, b"\n")
        else:
            os.ftruncate(handle, whole)

    def read(self) -> JournalContent:
        """All that the journal holds. Raises OSError where it is there and cannot be read."""
        if not self.path.exists():
            return JournalContent()
        *lines, tail = self.path.read_bytes().split(b"\n")
        events: dict[int, RunEvent] = {}
        damaged = highest = 0
        for line in lines:
            event = _sound(line)
            if event is None:
                if line.strip():
                    damaged += 1
                    numbers = [int(digits) for digits in _NUMBER.findall(line)]
                    highest = max([highest + 1, *(number for number in numbers if number <= highest + len(lines))])
                continue
            if event.number in events and events[event.number] != event:
                event = event.model_copy(update={"number": highest + 1})
            events[event.number] = event
            highest = max(highest, event.number)
        if (last := _sound(tail)) is not None:
            events.setdefault(last.number, last)
            highest = max(highest, last.number)
        return JournalContent(tuple(events[number] for number in sorted(events)), damaged, highest)

    def events(self) -> tuple[RunEvent, ...]:
        """The sound entries in order of their numbers."""
        return self.read().events


def _line(event: RunEvent) -> bytes:
    body = event.model_dump_json(exclude_defaults=True).encode("utf-8")
    return b"%08x %s\n" % (zlib.crc32(body), body)


def _sound(line: bytes) -> RunEvent | None:
    checksum, _, body = line.partition(b" ")
    if len(checksum) != 8 or checksum != b"%08x" % zlib.crc32(body):
        return None
    try:
        return RunEvent.model_validate_json(body)
    except ValidationError:
        return None


def _write_all(handle: int, content: bytes) -> None:
    while content:
        content = content[os.write(handle, content) :]


def fits(job: Job, events: tuple[RunEvent, ...]) -> bool:
    """Whether *events* can be entries of *job*'s own run: where both have a number, they say the same."""
    own = {event.number: event for event in job.run}
    return all(own.get(event.number, event) == event for event in events)


def resumed(job: Job, events: tuple[RunEvent, ...]) -> Job:
    """*job* with the events of the journal that it does not hold yet."""
    own = {event.number for event in job.run}
    new = [event for event in events if event.number not in own]
    if not new:
        return job
    return changed(job, run=tuple(sorted((*job.run, *new), key=lambda event: event.number)))


def damage_in_words(count: int) -> str:
    """What it means that so many entries are damaged."""
    entries = "One entry of the run log is" if count == 1 else f"{count} entries of the run log are"
    return f"{entries} damaged on disk and missing here; those before and after are whole. The log shows where."
