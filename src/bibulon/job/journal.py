"""The run journal: an append-only file, one line an event, on disk before the screen says so.

A line is ``<crc32 in hex> <event as JSON>``. A line torn by a power cut fails its checksum and is left out; what came
before it stands.
"""

from __future__ import annotations

import os
import zlib
from pathlib import Path

from pydantic import ValidationError

from bibulon.job import Job
from bibulon.job.edits import changed
from bibulon.job.run import RunEvent


class Journal:
    """The journal of one job's run."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def append(self, event: RunEvent) -> None:
        """Write *event* and wait until the disk has it. Raises OSError."""
        body = event.model_dump_json(exclude_defaults=True).encode("utf-8")
        line = b"%08x %s\n" % (zlib.crc32(body), body)
        self.path.parent.mkdir(parents=True, exist_ok=True)
        with self.path.open("ab") as stream:
            if stream.tell() and not self._ends_whole():
                line = b"\n" + line
            stream.write(line)
            stream.flush()
            os.fsync(stream.fileno())

    def _ends_whole(self) -> bool:
        with self.path.open("rb") as stream:
            stream.seek(-1, os.SEEK_END)
            return stream.read(1) == b"\n"

    def events(self) -> tuple[RunEvent, ...]:
        """The whole events in order of their numbers; torn or damaged lines are passed over."""
        if not self.path.exists():
            return ()
        found: dict[int, RunEvent] = {}
        for line in self.path.read_bytes().split(b"\n"):
            checksum, _, body = line.partition(b" ")
            if len(checksum) != 8 or checksum != b"%08x" % zlib.crc32(body):
                continue
            try:
                event = RunEvent.model_validate_json(body)
            except ValidationError:
                continue
            found.setdefault(event.number, event)
        return tuple(found[number] for number in sorted(found))

    def close_run(self) -> None:
        """Put the journal aside once the job file holds its events; nothing is deleted."""
        if self.path.exists():
            number = 1
            while (aside := self.path.with_suffix(f".{number}.kept")).exists():
                number += 1
            self.path.rename(aside)


def resumed(job: Job, events: tuple[RunEvent, ...]) -> Job:
    """*job* with the events of the journal that it does not hold yet, as far as they follow without a gap."""
    run = list(job.run)
    for event in events:
        if event.number == len(run) + 1:
            run.append(event)
    return changed(job, run=tuple(run)) if len(run) > len(job.run) else job
