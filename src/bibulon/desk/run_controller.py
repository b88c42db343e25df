"""The run on the day: clock, instruments and the log.

Each entry is on disk before the screen says so. The clock goes on from the last entry of the log, so a killed program
takes it up where it really is.
"""

from __future__ import annotations

import time
from datetime import UTC, datetime
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from bibulon.desk.document import Document
from bibulon.instruments.link import InstrumentLink
from bibulon.instruments.protocol import Reading
from bibulon.instruments.simulated import SimulatedBench, world_of
from bibulon.job.run import EventKind, RunEvent
from bibulon.record.run_list import RunStep, next_step, run_list

TICK_MS = 250
STALE_S = 5.0
WARM_POT_K = 8.0
LOW_BUCKET_KG = 0.7
PACES = (1.0, 10.0, 60.0)


class RunController(QObject):
    """Clock and instruments of the open document. ``ticked`` comes four times a second while there is something."""

    ticked = Signal()
    reading_taken = Signal(str, float)
    lost = Signal(str)
    _arrived = Signal(object)
    _lost = Signal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.link: InstrumentLink | None = None
        self.simulated: SimulatedBench | None = None
        self.pace = 1.0
        self._latest: dict[str, tuple[float, float]] = {}
        self._anchor: tuple[float, float] | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self.ticked)
        self._arrived.connect(self._take)
        self._lost.connect(self._lose)

    def set_document(self, document: Document) -> None:
        self.disconnect_instruments()
        self.document = document
        self._anchor = None
        self.update_timer()

    def update_timer(self) -> None:
        """Tick while a shot runs or instruments are connected."""
        if self.running or self.link is not None:
            self._timer.start()
        else:
            self._timer.stop()
        self.ticked.emit()

    # -- clock -------------------------------------------------------------------------------------------------------

    @property
    def started(self) -> bool:
        return any(event.kind == "started" for event in self.document.job.run)

    @property
    def finished(self) -> bool:
        return any(event.kind == "finished" for event in self.document.job.run)

    @property
    def running(self) -> bool:
        return self.started and not self.finished

    @property
    def clock_s(self) -> float:
        """Seconds since the first feed was opened; 0 before."""
        run = self.document.job.run
        if not self.started:
            return 0.0
        if self.finished:
            return run[-1].clock_s
        if self._anchor is None:
            last = run[-1]
            since = max((datetime.now(UTC) - last.at).total_seconds(), 0.0)
            self._anchor = (last.clock_s + since, time.monotonic())
        clock, then = self._anchor
        return clock + (time.monotonic() - then) * self.pace

    def resume_at(self, clock_s: float) -> None:
        """Set the clock of a run that is under way."""
        self._anchor = (clock_s, time.monotonic())
        self.update_timer()

    def set_pace(self, pace: float) -> None:
        """How fast a rehearsal runs; the real instruments know 1 only."""
        clock = self.clock_s
        self.pace = pace if self.simulated is not None else 1.0
        self._anchor = (clock, time.monotonic()) if self.started else None
        if self.simulated is not None:
            self.simulated.set_pace(self.pace)

    # -- log ---------------------------------------------------------------------------------------------------------

    def log(self, kind: EventKind, label: str = "", **more: Any) -> None:
        """Write an entry. Raises OSError if the disk will not take it; then nothing was logged."""
        clock = self.clock_s
        event = RunEvent(
            number=len(self.document.job.run) + 1,
            at=datetime.now(UTC).astimezone(),
            clock_s=round(clock, 1),
            kind=kind,
            label=label,
            vacuum_pa=self.latest("vacuum"),
            temperature_k=self.latest("pot"),
            rehearsal=self.simulated is not None,
            **more,
        )
        self.document.append_event(event)
        self._anchor = (clock, time.monotonic())
        self.update_timer()

    def do(self, step: RunStep) -> None:
        """Tick *step*: log it, start the clock with the first valve, and tell the simulated bench."""
        if step.kind == "valve opened" and not self.started:
            self.log("started")
        self.log(step.kind, step.label, mass_kg=step.mass_kg)
        if self.simulated is not None:
            if step.kind == "valve opened":
                self.simulated.open_feed()
            elif step.kind == "batch added" and step.mass_kg:
                self.simulated.pour(step.mass_kg)

    def steps(self) -> tuple[RunStep, ...]:
        return run_list(self.document.assessment)

    def next(self) -> RunStep | None:
        return next_step(self.steps(), self.document.job.run)

    def alerts(self) -> tuple[str, ...]:
        """What has to be said aloud now."""
        found = []
        bucket, pot = self.latest("scale"), self.latest("pot")
        poured = any(event.kind == "batch added" for event in self.document.job.run)
        clamped = any(event.kind == "valve clamped" for event in self.document.job.run)
        low = self.document.job.bucket.heel_kg + LOW_BUCKET_KG
        if self.running and poured and not clamped and bucket is not None and bucket < low:
            found.append("Bucket nearly empty: pour the next batch or clamp the feed now.")
        shop = self.document.job.shop.temperature_k
        if pot is not None and pot > shop + WARM_POT_K:
            found.append("The pot is warming: swap it, carry it outdoors.")
        left = self.document.assessment.resin_flow.stops_s - self.clock_s
        if self.running and left < self.document.job.charge.gel_margin_s and not clamped:
            found.append("The gel margin is used up.")
        return tuple(found)

    # -- instruments -------------------------------------------------------------------------------------------------

    def latest(self, channel: str) -> float | None:
        """The newest reading of *channel*, None if there is none that is fresh."""
        found = self._latest.get(channel)
        if found is None or time.monotonic() - found[1] > STALE_S:
            return None
        return found[0]

    def instrument_time(self) -> float:
        """Seconds on the clock that the instruments follow (any start)."""
        return self.simulated.time() if self.simulated is not None else time.monotonic()

    def connect_simulated(self, pace: float = 1.0) -> None:
        """Set up the simulated bench, which follows the plan, and listen to it."""
        self.disconnect_instruments()
        self.simulated = SimulatedBench(world_of(self.document.assessment), pace)
        done = [event for event in self.document.job.run if event.kind in ("batch added", "started")]
        for event in done:
            if event.mass_kg:
                self.simulated.pour(event.mass_kg)
        if self.started:
            self.simulated.open_feed(self.clock_s)
        self._listen(self.simulated.url)
        self.set_pace(pace)

    def connect_url(self, url: str) -> None:
        """Listen to a real instrument."""
        self.disconnect_instruments()
        self._listen(url)

    def _listen(self, url: str) -> None:
        self.link = InstrumentLink(url, self.document.assessment.units, self._arrived.emit, self._lost.emit)
        self.link.start()
        self.update_timer()

    def disconnect_instruments(self) -> None:
        clock = self.clock_s
        if self.link is not None:
            self.link.close()
        if self.simulated is not None:
            self.simulated.close()
        self.link = self.simulated = None
        self.pace = 1.0
        self._latest.clear()
        self._anchor = (clock, time.monotonic()) if self.running else None
        self.update_timer()

    def _take(self, reading: Reading) -> None:
        if self.link is None:
            return
        self._latest[reading.channel] = (reading.value, time.monotonic())
        self.reading_taken.emit(reading.channel, reading.value)

    def _lose(self, message: str) -> None:
        self.disconnect_instruments()
        self.lost.emit(message)
