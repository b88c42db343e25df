"""The run clock against the machine's own: it goes on by the time since the machine was started.

That time counts while the machine sleeps and does not follow the time of day, which may be set forward or back.
"""

from __future__ import annotations

import time
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated

from pydantic import Field, ValidationError

from bibulon.job.base import Model
from bibulon.job.run import RunEvent
from bibulon.quantities import show
from bibulon.whole_file import OWNER_ONLY, write_whole

SET_S = 5.0
"""A time of day that has moved this much against the machine's own clock was set."""

LONGEST_SHOT_S = 48 * 3600.0
"""A shot that was begun longer ago is over."""


def under_way(shot: tuple[RunEvent, ...]) -> bool:
    """Whether the clock of a *shot* runs: it was started, and the vacuum not let go."""
    kinds = {event.kind for event in shot}
    return "started" in kinds and "vacuum let go" not in kinds


def since_boot_s() -> float:
    """Seconds since the machine was started, asleep or not."""
    return time.clock_gettime(time.CLOCK_BOOTTIME)


def boot_id() -> str:
    """What tells this start of the machine from others; empty where the system does not say."""
    try:
        return Path("/proc/sys/kernel/random/boot_id").read_text(encoding="ascii").strip()
    except OSError:
        return ""


def time_of_day_s() -> float:
    """Seconds since 1970 by the time of day."""
    return time.time()


def now() -> datetime:
    """The time of day, where this machine is."""
    return datetime.fromtimestamp(time_of_day_s(), UTC).astimezone()


class ClockNote(Model):
    """What is written down with each entry, so that the clock can be taken up again."""

    clock_s: float
    since_boot_s: float
    boot: Annotated[str, Field(min_length=1)]
    number: int
    """The entry it belongs to."""
    job: str = ""


@dataclass(frozen=True)
class ResumedClock:
    """The run clock as it is taken up, and why it may be wrong."""

    clock_s: float
    doubt: str = ""


def write_down(path: Path, job: str, clock_s: float, number: int) -> None:
    """Write down that the clock of *job* stands at *clock_s* now, at entry *number*. Raises OSError."""
    if boot := boot_id():
        note = ClockNote(clock_s=clock_s, since_boot_s=since_boot_s(), boot=boot, number=number, job=job)
        write_whole(path, note.model_dump_json().encode("utf-8"), OWNER_ONLY)


def take_up(path: Path, job: str, shot: tuple[RunEvent, ...]) -> ResumedClock:
    """The run clock of *job* now, after the entries of a *shot* that has begun."""
    last = shot[-1]
    begun = next(event.number for event in shot if event.kind == "started")
    try:
        note = ClockNote.model_validate_json(path.read_bytes())
    except (OSError, ValidationError):
        note = None
    if note is not None and note.boot == boot_id() and note.job == job and note.number >= begun:
        return ResumedClock(note.clock_s + max(since_boot_s() - note.since_boot_s, 0.0))
    since_s = (datetime.fromtimestamp(time_of_day_s(), UTC) - last.at).total_seconds()
    if since_s < 0:
        return ResumedClock(
            last.clock_s,
            "The last entry was made later than this computer's time of day says: the time of day was set back, or "
            "the job comes from another computer. The shot clock stands where that entry was made: check it "
            "against a watch.",
        )
    return ResumedClock(
        last.clock_s + since_s,
        f"The shot clock was taken up by the time of day, {show(since_s, 'duration')} after the last entry, because "
        "this computer was started anew, or was not there. Check it against a watch.",
    )
