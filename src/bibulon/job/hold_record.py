"""Readings of a hold test, written to disk as they come: a test that runs overnight is whole after a crash.

One line of JSON for each: a beginning with what is held and when it was begun, then readings. The time of a reading
counts from the beginning on the machine's own clock, by the time of day where the machine was started anew since.
"""

from __future__ import annotations

import json
import os
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Literal

from bibulon.job import shot_clock
from bibulon.job.hold import STAGES, Stage
from bibulon.whole_file import OWNER_ONLY, make_folder

Channel = Literal["vacuum", "flange", "barometer", "shop"]
CHANNELS: tuple[Channel, ...] = ("vacuum", "flange", "barometer", "shop")
"""What is written down: the space that is held, a closed mould's flange, the barometer and the shop's temperature."""


@dataclass
class RecordedHold:
    """A hold test as it stands on disk."""

    stage: Stage
    pots_included: bool
    begun_at: datetime
    begun_since_boot_s: float
    boot: str
    readings: dict[Channel, list[tuple[float, float]]] = field(default_factory=dict)
    """(time_s, value) by channel, in SI units."""

    @property
    def last_s(self) -> float:
        return max((readings[-1][0] for readings in self.readings.values() if readings), default=0.0)

    @property
    def now_s(self) -> float:
        """The time since it was begun."""
        if self.boot and self.boot == shot_clock.boot_id():
            return max(shot_clock.since_boot_s() - self.begun_since_boot_s, 0.0)
        return max(shot_clock.time_of_day_s() - self.begun_at.timestamp(), self.last_s)


class HoldRecorder:
    """Writes a hold test to *path*, or goes on with the one that is there."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def begin(self, stage: Stage, pots_included: bool) -> RecordedHold:
        """Begin a test in the place of what is there. Raises OSError."""
        at = datetime.fromtimestamp(shot_clock.time_of_day_s(), UTC).astimezone()
        begun = RecordedHold(stage, pots_included, at, shot_clock.since_boot_s(), shot_clock.boot_id())
        make_folder(self.path.parent)
        self.path.unlink(missing_ok=True)
        self._append(
            {
                "stage": stage,
                "pots": pots_included,
                "at": at.isoformat(),
                "since_boot": begun.begun_since_boot_s,
                "boot": begun.boot,
            }
        )
        return begun

    def add(self, channel: Channel, time_s: float, value: float) -> None:
        """Write a reading down. Raises OSError."""
        self._append({"channel": channel, "t": round(time_s, 2), "value": value})

    def read(self) -> RecordedHold | None:
        """What is there; None if nothing is, or nothing that can be used. A line cut off by a crash is left out."""
        try:
            lines = self.path.read_text(encoding="utf-8", errors="replace").splitlines()
        except OSError:
            return None
        found: RecordedHold | None = None
        for line in lines:
            try:
                data = json.loads(line)
                if found is None:
                    stage = next(stage for stage in STAGES if stage == data["stage"])
                    at = datetime.fromisoformat(data["at"])
                    found = RecordedHold(stage, bool(data["pots"]), at, float(data["since_boot"]), str(data["boot"]))
                    continue
                channel = next(channel for channel in CHANNELS if channel == data["channel"])
                taken = found.readings.setdefault(channel, [])
                time_s, value = float(data["t"]), float(data["value"])
                if not taken or time_s > taken[-1][0]:
                    taken.append((time_s, value))
            except (ValueError, KeyError, TypeError, StopIteration, RecursionError):
                if found is None:
                    return None
        return found

    def end(self) -> None:
        """The test was kept in the job, or is not wanted."""
        self.path.unlink(missing_ok=True)

    def _append(self, data: dict[str, object]) -> None:
        handle = os.open(self.path, os.O_WRONLY | os.O_CREAT | os.O_APPEND, OWNER_ONLY)
        try:
            os.write(handle, (json.dumps(data) + "\n").encode("utf-8"))
            os.fsync(handle)
        finally:
            os.close(handle)
