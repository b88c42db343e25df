"""What the program keeps of a job outside its file: unsaved work, the journal of its run, and the lock of its owner.

Each file on disk has one folder of its own under the state folder, named by the file's whole path; a job that was
never saved has one with a name that no other has. So a copy of a file never meets the work or the log of the other.
Whoever holds the lock in the folder may change the job; the system lets go of it when the program ends, however it
ends.

    work/<key>/about.json         the file, the job's name, what the unsaved work was made from
               recovery.bibulon   the job with its unsaved work
               journal            the entries of the run that the file does not hold
               clock.json         the run clock against the machine's own
               lock
"""

from __future__ import annotations

import fcntl
import hashlib
import os
import shutil
import time
import uuid
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from pydantic import ValidationError

from bibulon.job import Job
from bibulon.job.base import Model
from bibulon.job.journal import Journal
from bibulon.job.shot_clock import LONGEST_SHOT_S
from bibulon.job.storage import dump
from bibulon.whole_file import OWNER_ONLY, make_folder, write_whole

DISCARDED_FOR_S = 30 * 86_400.0
"""What was discarded is still on disk for so long."""


class About(Model):
    """What stands in ``about.json``."""

    file: str | None = None
    """The job's file; None if it was never saved."""
    name: str = ""
    job: str = ""
    """Identifier of the job."""
    made_from: str | None = None
    """Fingerprint of the file that the unsaved work started from."""
    running: bool = False
    """Whether a shot was under way."""
    put_by: bool = False
    """Whether the user has said to keep it for later."""

    @classmethod
    def of(cls, job: Job, file: Path | None, made_from: str | None) -> About:
        """What is to be written down of unsaved work on *job*."""
        kinds = [event.kind for event in job.shot]
        running = "started" in kinds and "finished" not in kinds
        place = None if file is None else str(file)
        return cls(file=place, name=job.name, job=job.id, made_from=made_from, running=running)


class Kept:
    """The folder of one job. ``owned`` says whether this program may change the job: no other has it open.

    Where the folder cannot be made or locked, the job is owned all the same, and ``trouble`` says why nothing is kept.
    """

    def __init__(self, root: Path, file: Path | None = None, key: str | None = None) -> None:
        self.root = root
        self.file = None if file is None else Path(os.path.realpath(file))
        self.key = key or (_key_of(self.file) if self.file is not None else f"new-{uuid.uuid4().hex[:12]}")
        self.folder = root / "work" / self.key
        self.trouble = ""
        self._lock: int | None = None
        self._about: About | None = None
        try:
            self.owned = self._take()
        except OSError as error:
            self.owned = True
            self.trouble = (
                f"Unsaved work and the run log cannot be kept in {self.folder} ({error.strerror or error}). "
                "Until that is mended, save often and write down what is logged."
            )

    @property
    def recovery(self) -> Path:
        return self.recovery_in(self.root, self.key)

    @staticmethod
    def recovery_in(root: Path, key: str) -> Path:
        """Where the unsaved work of that key is kept."""
        return root / "work" / key / "recovery.bibulon"

    @property
    def journal(self) -> Journal:
        return Journal(self.folder / "journal")

    @property
    def clock(self) -> Path:
        return self.folder / "clock.json"

    @property
    def hold_record(self) -> Path:
        """Readings of a hold test that is under way."""
        return self.folder / "hold.jsonl"

    def _take(self) -> bool:
        while True:
            make_folder(self.folder)
            path = self.folder / "lock"
            handle = os.open(path, os.O_RDWR | os.O_CREAT, OWNER_ONLY)
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                os.close(handle)
                return False
            except OSError:
                os.close(handle)
                raise
            if path.exists() and path.stat().st_ino == os.fstat(handle).st_ino:
                self._lock = handle
                return True
            os.close(handle)  # the one before cleared the folder away meanwhile

    def about(self) -> About:
        """What is known of the work kept here."""
        return _about_in(self.folder)

    def describe(self, about: About) -> None:
        """Write down what is kept. Raises OSError."""
        if about != self._about:
            make_folder(self.folder)
            write_whole(self.folder / "about.json", about.model_dump_json().encode("utf-8"), OWNER_ONLY)
            self._about = about

    def keep(self, job: Job, about: About) -> None:
        """Keep *job* with its unsaved work. Raises OSError."""
        make_folder(self.folder)
        self.describe(about)
        write_whole(self.recovery, dump(job).encode("utf-8"), OWNER_ONLY)

    def clear(self, but_clock: bool = False) -> None:
        """Forget what is kept: the file holds it, or the user does not want it; the clock of a shot that is under way
        is in no file, and can be left."""
        if self._lock is None:
            return
        for path in (self.recovery, self.journal.path, self.folder / "about.json"):
            path.unlink(missing_ok=True)
        if not but_clock:
            self.clock.unlink(missing_ok=True)
        self._about = None

    def set_apart(self) -> None:
        """Move what is kept to a folder of its own, to be offered as work without a file."""
        about = self.about().model_copy(update={"file": None, "running": False})
        elsewhere = Kept(self.root)
        for path in (self.recovery, self.journal.path):
            if path.exists():
                path.rename(elsewhere.folder / path.name)
        elsewhere.describe(about)
        elsewhere.close()
        self.clear()

    @property
    def _holds_more(self) -> bool:
        """Whether the clock of a shot, or a hold test that is under way, is kept here."""
        for path, counts_for_s in ((self.clock, LONGEST_SHOT_S), (self.hold_record, DISCARDED_FOR_S)):
            try:
                if time.time() - path.stat().st_mtime < counts_for_s:
                    return True
            except OSError:
                continue
        return False

    def close(self) -> None:
        """Let go of the lock; a folder in which nothing is kept goes."""
        if self._lock is None:
            return
        if not self.recovery.exists() and not self.journal.path.exists() and not self._holds_more:
            shutil.rmtree(self.folder, ignore_errors=True)
        os.close(self._lock)
        self._lock = None


@dataclass(frozen=True)
class LeftOver:
    """Work that was left: unsaved, or entries of a run that its file does not hold."""

    key: str
    about: About
    entries: int
    """Entries in the journal."""
    at_s: float
    """When it was last written, in seconds since 1970."""
    file_there: bool
    trouble: str = ""
    """Why its journal cannot be read."""

    @property
    def file(self) -> Path | None:
        """Its file, if that is still there."""
        return Path(self.about.file) if self.about.file is not None and self.file_there else None


def left_over(root: Path) -> tuple[LeftOver, ...]:
    """The work of all jobs that nobody has open, the newest first; what is empty or long discarded is cleared away."""
    _clear_discarded(root)
    _take_in_old_state(root)
    works = []
    for folder in _folders(root / "work"):
        kept = Kept(root, key=folder.name)
        if not kept.owned or kept.trouble:
            continue
        try:
            if kept.recovery.exists() or kept.journal.path.exists():
                works.append(_looked_at(kept))
        except OSError:
            continue
        finally:
            kept.close()
    return tuple(sorted(works, key=lambda work: -work.at_s))


def _looked_at(kept: Kept) -> LeftOver:
    about = kept.about()
    entries, trouble = 0, ""
    try:
        entries = len(kept.journal.read().events)
    except OSError as error:
        trouble = f"its log cannot be read ({error.strerror or error})"
    at_s = max(path.stat().st_mtime for path in (kept.recovery, kept.journal.path) if path.exists())
    there = about.file is not None and Path(about.file).is_file()
    return LeftOver(kept.key, about, entries, at_s, there, trouble)


def discard(root: Path, key: str) -> None:
    """Put work aside that the user does not want; it is deleted after 30 days. Raises OSError."""
    kept = Kept(root, key=key)
    if kept.owned and not kept.trouble:
        make_folder(root / "discarded")
        kept.folder.rename(root / "discarded" / f"{key}-{uuid.uuid4().hex[:6]}")
    kept.close()


def put_by(root: Path, key: str) -> None:
    """Keep work for later without offering it at every start. Raises OSError."""
    kept = Kept(root, key=key)
    if kept.owned and not kept.trouble:
        kept.describe(kept.about().model_copy(update={"put_by": True}))
    kept.close()


def _key_of(file: Path) -> str:
    plain = "".join(letter if letter.isalnum() or letter in "-_" else "_" for letter in file.stem)[:40]
    return f"{plain}-{hashlib.sha256(os.fsencode(file)).hexdigest()[:16]}"


def _about_in(folder: Path) -> About:
    try:
        return About.model_validate_json((folder / "about.json").read_bytes())
    except (OSError, ValidationError):
        return About()


def _folders(place: Path) -> Iterator[Path]:
    try:
        yield from sorted(entry for entry in place.iterdir() if entry.is_dir())
    except OSError:
        return


def _clear_discarded(root: Path) -> None:
    for folder in _folders(root / "discarded"):
        try:
            newest = max((path.stat().st_mtime for path in folder.iterdir()), default=0.0)
        except OSError:
            continue
        if time.time() - max(newest, folder.stat().st_mtime) > DISCARDED_FOR_S:
            shutil.rmtree(folder, ignore_errors=True)


def _take_in_old_state(root: Path) -> None:
    """Take over what an older version kept by the job's identifier."""
    for place, name in (("recovery", "recovery.bibulon"), ("runs", "journal")):
        try:
            old = [path for path in (root / place).iterdir() if path.suffix in (".bibulon", ".journal")]
        except OSError:
            continue
        for path in old:
            folder = root / "work" / f"old-{path.stem}"
            try:
                make_folder(folder)
                path.rename(folder / name)
                if not (folder / "about.json").exists():
                    about = About(name=path.stem)
                    write_whole(folder / "about.json", about.model_dump_json().encode("utf-8"), OWNER_ONLY)
            except OSError:
                continue
