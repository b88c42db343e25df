"""The run on the day: clock, instruments and the log.

Each entry is on disk before the screen says so. The clock goes by the time since the machine was started (see
:mod:`bibulon.job.shot_clock`), so a killed program takes it up where it really is.
"""

from __future__ import annotations

import math
import time
from contextlib import suppress
from dataclasses import replace
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from bibulon.assess import Assessment
from bibulon.cautions.run import vacuum_lost
from bibulon.cure.answers import stands_k
from bibulon.desk.work.document import Document
from bibulon.durations import run_clock
from bibulon.instruments.link import InstrumentLink
from bibulon.instruments.protocol import Reading
from bibulon.instruments.simulated import SimulatedBench, world_of
from bibulon.job import shot_clock
from bibulon.job.run import THERMOCOUPLE, EventKind, entry, open_feeds, thermocouple_readings
from bibulon.mould.shots import ShotFigure, field_of, figures_for
from bibulon.quantities import show
from bibulon.quantities_in_words import brief_each
from bibulon.record.mixed_resin import StandingBatch, standing_batches, too_old
from bibulon.record.run_list import RunStep, done_steps, next_step, run_list
from bibulon.resin.mixing import mixed_temperature_k

TICK_MS = 250
STALE_S = 5.0
PART_MOVED_K, PART_EVERY_S, PART_AT_MOST_EVERY_S = 1.0, 600.0, 20.0
"""A thermocouple's reading is logged when it has moved by so much, or after so long; never more often than the last."""
PART_NEAR_K = 5.0
"""A part that is so near to what it stands is said to be too hot."""
SHOP_OFF_K = 3.0
"""A shop that is so far from its plan is said to be."""
PACES = (1.0, 10.0, 60.0)
"""A shot that was ended, and its vacuum never logged as let go, is over after this long."""


class RunController(QObject):
    """Clock and instruments of the open document. ``ticked`` comes four times a second while there is something."""

    ticked = Signal()
    reading_taken = Signal(str, float)
    lost = Signal(str)
    """The instruments are gone, in words."""
    noticed = Signal(str)
    """Something else about the instruments or the clock that has to be said."""
    _arrived = Signal(object, object)
    _lost = Signal(object, str)
    _back = Signal(object)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.link: InstrumentLink | None = None
        self._closed: InstrumentLink | None = None
        """The link before, which may still hold the port for a moment."""
        self.simulated: SimulatedBench | None = None
        self.pace = 1.0
        self._latest: dict[str, tuple[float, float]] = {}
        self._lowest_pa: float | None = None
        """The lowest vacuum reading since the shot was taken up."""
        self._unlogged = False
        """Whether the disk refused a reading of the thermocouple; it is said once."""
        self._listed: tuple[Assessment, tuple[RunStep, ...]] | None = None
        """The steps of the assessment they were made of: they are asked for at every tick."""
        self._anchor: tuple[float, float] | None = None
        self._set_by_s = 0.0
        """How far the time of day stands from the machine's own clock."""
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self._tick)
        self._arrived.connect(self._take)
        self._lost.connect(self._lose)
        self._back.connect(self._find_again)

    def set_document(self, document: Document) -> None:
        self.disconnect_instruments()
        self.document = document
        self._anchor = self._lowest_pa = None
        self.update_timer()

    def update_timer(self) -> None:
        """Tick while a shot runs, resin stands mixed for it, or instruments are connected."""
        if self.running or self.standing() or self.link is not None:
            self._timer.start()
        else:
            self._timer.stop()
        self.ticked.emit()

    # -- clock -------------------------------------------------------------------------------------------------------

    @property
    def started(self) -> bool:
        return any(event.kind == "started" for event in self.document.job.shot)

    @property
    def finished(self) -> bool:
        """Whether the shot was ended: nothing more is poured or marked."""
        return any(event.kind == "finished" for event in self.document.job.shot)

    @property
    def over(self) -> bool:
        """Whether the clock stands: the shot was ended and the vacuum let go."""
        shot = self.document.job.shot
        if not self.finished:
            return False
        let_go = any(event.kind == "vacuum let go" for event in shot)
        return let_go or shot_clock.time_of_day_s() - shot[-1].at.timestamp() > shot_clock.LONGEST_SHOT_S

    @property
    def running(self) -> bool:
        """Whether the clock runs: from the first feed until the shot is ended and the vacuum let go."""
        return self.started and not self.over

    @property
    def clock_s(self) -> float:
        """Seconds since the first feed was opened; 0 before."""
        if not self.started:
            return 0.0
        if self.over:
            return self.document.job.shot[-1].clock_s
        if self._anchor is None:
            self.take_up()
        assert self._anchor is not None
        clock, then = self._anchor
        return clock + (shot_clock.since_boot_s() - then) * self.pace

    def take_up(self) -> str:
        """Take up the clock of a run that was begun by another window or before a crash; why it may be wrong."""
        taken = shot_clock.take_up(self.document.kept.clock, self.document.job.id, self.document.job.shot)
        self.resume_at(taken.clock_s)
        return taken.doubt

    def resume_at(self, clock_s: float) -> None:
        """Set the clock of a run that is under way."""
        self._anchor = (clock_s, shot_clock.since_boot_s())
        self._set_by_s = shot_clock.time_of_day_s() - shot_clock.since_boot_s()
        self.update_timer()

    def _tick(self) -> None:
        moved = shot_clock.time_of_day_s() - shot_clock.since_boot_s() - self._set_by_s
        if self.running and abs(moved) > shot_clock.SET_S:
            self._set_by_s += moved
            way = "forward" if moved > 0 else "back"
            self.noticed.emit(
                f"This computer's time of day was set {way} by {run_clock(abs(moved))}. The shot clock does not follow "
                "it and is right; times of day in the log before and after differ by that much."
            )
        self._log_thermocouple()
        self.ticked.emit()

    def _log_thermocouple(self) -> None:
        """Log what a thermocouple at the part reads, if that is worth an entry."""
        warm_k = self.latest("part")
        if warm_k is None or not self.running or self.document.read_only:
            return
        last_s, last_k = next(iter(thermocouple_readings(self.document.job.shot)[-1:]), (-math.inf, 0.0))
        since_s = self.clock_s - last_s
        moved = abs(warm_k - last_k) >= PART_MOVED_K
        if since_s >= PART_EVERY_S or (moved and since_s >= PART_AT_MOST_EVERY_S):
            try:
                self.log("reading", THERMOCOUPLE, temperature_k=warm_k)
            except OSError as error:
                if not self._unlogged:
                    self.noticed.emit(f"What the thermocouple reads is not logged: {error.strerror or error}.")
                self._unlogged = True
            else:
                self._unlogged = False

    def set_pace(self, pace: float) -> None:
        """How fast a rehearsal runs; the real instruments know 1 only."""
        clock = self.clock_s
        self.pace = pace if self.simulated is not None else 1.0
        if self.started:
            self.resume_at(clock)
        if self.simulated is not None:
            self.simulated.set_pace(self.pace)

    # -- log ---------------------------------------------------------------------------------------------------------

    def log(self, kind: EventKind, label: str = "", **more: Any) -> None:
        """Write an entry. Raises OSError if the disk will not take it; then nothing was logged.

        Nothing that is given can stop an entry: what the log cannot hold is left out, and the entry says so.
        """
        clock = self.clock_s
        event = entry(
            number=self.document.next_number,
            at=shot_clock.now(),
            clock_s=round(clock, 1),
            kind=kind,
            label=label,
            rehearsal=self.simulated is not None,
            **{"vacuum_pa": self.latest("vacuum"), "temperature_k": self.latest("pot"), **more},
        )
        self.document.append_event(event)
        if self.simulated is not None and kind == "valve clamped" and not self._feeding():
            self.simulated.clamp_feeds()
        with suppress(OSError):  # the entry is on disk; the clock can still be taken up by its time
            shot_clock.write_down(self.document.kept.clock, self.document.job.id, clock, event.number)
        if self.started:
            self.resume_at(clock)
        self.update_timer()

    def _feeding(self) -> bool:
        """Whether any feed is open."""
        job = self.document.job
        return bool(open_feeds((feed.label for feed in job.worked_feeds), job.shot))

    def log_readings(self) -> None:
        """Log what the instruments show: in a mould every figure of the shot that is read. Raises OSError."""
        read = [figure for figure in figures_for(self.document.job.process) if self.latest(figure.channel) is not None]
        if not self.document.job.in_mould or not read:
            self.log("reading")
        for figure in read if self.document.job.in_mould else ():
            self.log_figure(figure, self.latest(figure.channel) or 0.0)

    def log_figure(self, figure: ShotFigure, value: float) -> None:
        """Log one figure of a shot. Raises OSError."""
        self.log("reading", figure.label, **{field_of(figure): value})

    def begin_anew(self) -> None:
        """Begin another run of the same lay-up: the log stays, and the list of the shot is empty again. Raises
        OSError."""
        self.disconnect_instruments()
        self.log("new run")
        self._anchor = self._lowest_pa = None
        self.update_timer()

    def do(self, step: RunStep) -> None:
        """Tick *step*: log it, start the clock with the first valve, and tell the simulated bench."""
        if step.kind == "valve opened" and not self.started:
            self.log("started")
        said = step.text if step.kind == "step done" else ""
        if step.mass_kg is not None:
            said = said.partition(":")[0]  # the mass has a column of its own
        self.log(step.kind, step.label, mass_kg=step.mass_kg, text=said)
        if self.simulated is not None:
            if step.kind == "valve opened":
                self.simulated.open_feed()
            elif step.kind == "batch added" and step.mass_kg:
                self.simulated.pour(step.mass_kg)

    def steps(self) -> tuple[RunStep, ...]:
        assessment = self.document.assessment
        if self._listed is None or self._listed[0] is not assessment:
            self._listed = assessment, run_list(assessment)
        return self._listed[1]

    def next(self) -> RunStep | None:
        return next_step(self.steps(), self.document.job.shot)

    def next_batch(self) -> RunStep | None:
        """The first batch that is planned and not poured."""
        done = done_steps(self.steps(), self.document.job.shot)
        return next((step for step in self.steps() if step.kind == "batch added" and step.id not in done), None)

    def standing(self) -> tuple[StandingBatch, ...]:
        """The batches that stand mixed for the shot."""
        if self.finished:
            return ()
        clock_s = self.clock_s if self.started else None
        return standing_batches(self.document.assessment, shot_clock.now(), clock_s)

    def alerts(self) -> tuple[str, ...]:
        """What has to be said aloud now."""
        job, alerts = self.document.job, []
        feeding = self._feeding()
        bucket, pot, vacuum = self.latest("scale"), self.latest("pot"), self.latest("vacuum")
        poured = any(event.kind == "batch added" for event in job.shot)
        if (
            self.running
            and poured
            and feeding
            and bucket is not None
            and bucket < job.bucket.heel_kg + job.house.bucket_low_kg
        ):
            alerts.append("Bucket nearly empty: pour the next batch or clamp the feeds now.")
        # a mix that is planned warm is not warming for that
        if pot is not None and pot > max(job.shop.temperature_k, mixed_temperature_k(job)) + job.house.pot_rise_k:
            alerts.append("The pot is warming: swap it, carry it outdoors.")
        if said := too_old(self.standing(), self.started, self.document.assessment.units):
            alerts.append(said)
        shop = self.latest("shop")
        if shop is not None and abs(shop - job.shop.temperature_k) > SHOP_OFF_K:
            units = self.document.assessment.units
            is_, planned = brief_each((shop, job.shop.temperature_k), "temperature", units)
            alerts.append(f"The shop is at {is_} where the plan has {planned}: type what is so at Part, or warm it.")
        part = self.latest("part")
        if part is not None and part > (found := stands_k(job))[1] - PART_NEAR_K:
            weakest, most_k = found
            at, most = (show(one, "temperature", self.document.assessment.units) for one in (part, most_k))
            alerts.append(f"The part is at {at}; its {weakest} stands {most}. Cool it; the vacuum stays on.")
        let_go = any(event.kind == "vacuum let go" for event in job.shot)
        if self.running and not let_go and vacuum is not None and self._lowest_pa is not None:
            lost = vacuum_lost(self.document.assessment, self._lowest_pa, vacuum)
            if lost:
                alerts.append(f"The vacuum has lost {lost} since its best: look for a leak, and at the pump.")
        left = self.document.assessment.flows_until_s - self.clock_s
        if self.running and feeding and left < job.charge.gel_margin_s:
            alerts.append("The gel margin is used up.")
        return (*alerts, *self.impossible())

    def impossible(self) -> tuple[str, ...]:
        """What the instruments show that cannot be."""
        shown = self.link.impossible.values() if self.link is not None else ()
        return tuple(f"{words}, which cannot be: it is not logged. Look at the instrument." for words in shown)

    # -- instruments -------------------------------------------------------------------------------------------------

    def latest(self, channel: str) -> float | None:
        """The newest reading of *channel*, None if there is none that is fresh."""
        sample = self._latest.get(channel)
        if sample is None or time.monotonic() - sample[1] > STALE_S:
            return None
        return sample[0]

    def instrument_time(self) -> float:
        """Seconds on the clock that the instruments follow (any start)."""
        return self.simulated.time() if self.simulated is not None else time.monotonic()

    def connect_simulated(self, pace: float = 1.0, leaks: tuple[tuple[str, float], ...] = ()) -> None:
        """Set up the simulated bench, which follows the plan, with *leaks* to be hunted, and listen to it."""
        self.disconnect_instruments()
        self.simulated = SimulatedBench(replace(world_of(self.document.assessment), leaks=leaks), pace)
        for event in self.document.job.shot:
            if event.kind == "batch added" and event.mass_kg:
                self.simulated.pour(event.mass_kg)
        if self.started:
            self.simulated.open_feed(self.clock_s)
            if not self._feeding():
                self.simulated.clamp_feeds()
        self._listen(self.simulated.url)
        self.set_pace(pace)

    def connect_url(self, url: str) -> None:
        """Listen to a real instrument."""
        self.disconnect_instruments()
        self._listen(url)

    def _listen(self, url: str) -> None:
        before = self._closed
        link = InstrumentLink(
            url,
            self.document.assessment.units,
            lambda reading: self._arrived.emit(link, reading),
            lambda message: self._lost.emit(link, message),
            lambda: self._back.emit(link),
        )
        self.link = link
        link.start(before)
        self.update_timer()

    def disconnect_instruments(self) -> None:
        clock = self.clock_s
        if self.link is not None:
            self.link.close()
            self._closed = self.link
        if self.simulated is not None:
            self.simulated.close()
        self.link = self.simulated = None
        self.pace = 1.0
        self._latest.clear()
        if self.running:
            self.resume_at(clock)
        self.update_timer()

    def _take(self, link: InstrumentLink, reading: Reading) -> None:
        if link is not self.link:  # from a connection that was closed
            return
        self._latest[reading.channel] = (reading.value, reading.at_s)
        if reading.channel == "vacuum" and self.started:
            self._lowest_pa = min(reading.value, reading.value if self._lowest_pa is None else self._lowest_pa)
        self.reading_taken.emit(reading.channel, reading.value)

    def _lose(self, link: InstrumentLink, message: str) -> None:
        if link is self.link:
            self._latest.clear()
            self.lost.emit(message)

    def _find_again(self, link: InstrumentLink) -> None:
        if link is self.link:
            self.noticed.emit(f"{link.url} answers again.")
