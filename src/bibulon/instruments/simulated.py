"""Simulated instruments: a gauge, a scale under the bucket and a thermocouple in the pot, speaking the real protocol;
on a closed mould those of both spaces, supply, catch pot and hose besides.

They stand on a TCP port of this machine. What they show follows the plan: the bucket empties along the simulated draw
once the shot is started, the pot warms by the resin's own heat, the bag leaks a little. ``pace`` is how many seconds
pass on the instruments for one on the wall.
"""

from __future__ import annotations

import math
import socket
import threading
import time
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from bibulon.assess import Assessment
from bibulon.instruments.mould_orders import ORDERS, after_order, joined, joined_curve
from bibulon.instruments.protocol import LONGEST_LINE, Reading, write_line
from bibulon.instruments.simulated_mould import MouldWorld, mould_readings, mould_world
from bibulon.quantities import Units
from bibulon.quantity_text import QuantityError, parse
from bibulon.resin.card_law import law_of
from bibulon.resin.mixing import mixed_temperature_k, pot_of
from bibulon.resin.pot import pot_course

QUICKEST_S = 0.1
SMALL_LEAK_PA_S = 0.25


@dataclass(frozen=True)
class World:
    """What the simulated instruments measure.

    ``drawn`` is the draw curve as ``(time_s, kg)``; ``pot`` how warm the largest batch gets, as ``(age_s, K)``, and
    ``part`` the hottest place of the part, as ``(time_s, K)`` on the run clock.
    """

    barometer_pa: float
    cavity_pa: float
    leak_pa_s: float
    temperature_k: float
    pot: tuple[tuple[float, float], ...]
    drawn: tuple[tuple[float, float], ...] = ((0.0, 0.0),)
    part: tuple[tuple[float, float], ...] = ()
    mould: MouldWorld | None = None
    """What there is besides on a closed mould."""
    leaks: tuple[tuple[str, float], ...] = ()
    """Leaks of a rehearsed hunt: the section that each is in, and by what the pressure rises by it (Pa/s)."""


def world_of(assessment: Assessment) -> World:
    """A world that follows the plan of *assessment*: its vacuum, its draw, its pots, with a small leak."""
    job = assessment.job
    times, drawn = assessment.drawn_curve
    largest = max((batch.mass_kg for batch in assessment.batches), default=job.charge.largest_batch_kg)
    course = pot_course(law_of(job.resin), job.resin.density_kg_m3, largest, mixed_temperature_k(job), pot_of(job))
    return World(
        barometer_pa=job.shop.barometer_pa,
        cavity_pa=job.vacuum_pa,
        leak_pa_s=SMALL_LEAK_PA_S,
        temperature_k=job.shop.temperature_k,
        pot=tuple((float(age), float(warm)) for age, warm in zip(course.times_s, course.temperature_k, strict=True)),
        drawn=tuple((float(t), float(m)) for t, m in zip(times, drawn, strict=True)) or ((0.0, 0.0),),
        part=_hottest_place(assessment),
        mould=mould_world(assessment, SMALL_LEAK_PA_S) if job.in_mould else None,
    )


def _hottest_place(assessment: Assessment) -> tuple[tuple[float, float], ...]:
    study = assessment.cure_study
    if study is None or not study.stacks:
        return ()
    course = study.hottest.course
    warm = course.temperature_k[:, course.cures].max(axis=1)
    return tuple((float(time), float(value)) for time, value in zip(course.times_s, warm, strict=True))


class SimulatedBench:
    """The instruments as one TCP server; every client gets all channels each *every_s* of its own time."""

    def __init__(
        self,
        world: World,
        pace: float = 1.0,
        every_s: float = 1.0,
        now: Callable[[], float] = time.monotonic,
        plan: Assessment | None = None,
    ) -> None:
        self.world, self.pace = world, pace
        self._plan = plan
        """The plan of a mould whose supply and flange may be set; None: they go by the world alone."""
        self._setting = threading.Lock()
        self._every, self._now = every_s, now
        self._lock = threading.Lock()
        self._base = (0.0, now())
        self._stop = threading.Event()
        self._isolated_at: float | None = None
        self._joined: frozenset[str] | None = None
        """The sections left on the gauge; None: all."""
        self._started_at: float | None = None
        self._clamped_at: float | None = None
        self._poured: list[tuple[float, float]] = []
        self._server = socket.create_server(("127.0.0.1", 0))
        self._server.settimeout(0.2)
        self._threads = [threading.Thread(target=self._serve, name="simulated instruments", daemon=True)]
        self._threads[0].start()

    @property
    def url(self) -> str:
        host, port = self._server.getsockname()[:2]
        return f"socket://{host}:{port}"

    # -- hands on the real thing -------------------------------------------------------------------------------------

    def isolate(self, joined: frozenset[str] | None = None) -> None:
        """Shut the valve to the pump: from now the leaks show of the sections that are *joined* to the gauge, or of
        all."""
        with self._lock:
            self._isolated_at, self._joined = self._time(), joined

    def set_leaks(self, leaks: tuple[tuple[str, float], ...]) -> None:
        """Have these leaks and no others, as once one is mended."""
        with self._lock:
            self.world = replace(self.world, leaks=leaks)

    def connect_pump(self) -> None:
        with self._lock:
            self._isolated_at = self._joined = None

    def open_feed(self, since_s: float = 0.0) -> None:
        """Open the first feed, or take up a shot begun *since_s* ago: the bucket empties."""
        with self._lock:
            if self._started_at is None:
                self._started_at = self._time() - since_s

    def clamp_feeds(self) -> None:
        """Clamp all feeds: nothing more is drawn."""
        with self._lock:
            if self._started_at is not None and self._clamped_at is None:
                self._clamped_at = self._time()

    def set_pace(self, pace: float) -> None:
        """Let time pass faster or slower on the instruments from now."""
        with self._lock:
            self._base = (self._time(), self._now())
            self.pace = pace

    def time(self) -> float:
        """Seconds on the instruments' own clock."""
        with self._lock:
            return self._time()

    def _time(self) -> float:
        then, wall = self._base
        return then + (self._now() - wall) * self.pace

    def pour(self, mass_kg: float) -> None:
        """Pour a batch into the bucket; where the feeds were clamped to wait for it, they are open again."""
        with self._lock:
            self._poured.append((self._time(), mass_kg))
            self._clamped_at = None

    def set_mould(self, word: str, text: str) -> bool:
        """Set supply or flange of the mould, as an order of :data:`~bibulon.instruments.mould_orders.ORDERS` says;
        whether that could be done. The mould is filled anew, which takes a moment."""
        with self._setting:
            with self._lock:
                plan, was = self._plan, self.world.mould
                at_s = 0.0 if self._started_at is None else self._since(self._started_at, self._time())
                clamped = self._clamped_at is not None
            if plan is None or was is None or (clamped and word != "flange"):
                return False
            try:
                done = after_order(plan, word, text, at_s)
            except ValueError:
                return False
            if done is None:
                return False
            mould = joined(was, mould_world(done, SMALL_LEAK_PA_S), at_s)
            drawn = joined_curve(self.world.drawn, mould.drawn, at_s)
            with self._lock:
                self._plan, self.world = done, replace(self.world, mould=mould, drawn=drawn)
            return True

    def close(self) -> None:
        self._stop.set()
        for thread in self._threads:
            thread.join(timeout=2)
        self._server.close()

    # -- what they show ----------------------------------------------------------------------------------------------

    def readings(self) -> Sequence[Reading]:
        """The readings at this moment."""
        with self._lock:
            now = self._time()
            if self.world.mould is not None:
                shot_s = None if self._started_at is None else self._since(self._started_at, now)
                clamped_s = None if self._clamped_at is None else self._since(self._started_at, self._clamped_at)
                held_s = self._since(self._isolated_at, now)
                at_pot = Reading("scale", self._bucket(now)), Reading("pot", self._pot(now))
                return (*mould_readings(self.world.mould, shot_s, clamped_s, held_s), *at_pot, self._part(now))
            return (
                Reading("vacuum", self._vacuum(now)),
                Reading("scale", self._bucket(now)),
                Reading("pot", self._pot(now)),
                Reading("shop", self.world.temperature_k),
                Reading("barometer", self.world.barometer_pa),
                self._part(now),
            )

    def _since(self, then: float | None, now: float) -> float:
        return 0.0 if then is None else max(now - then, 0.0)

    def _vacuum(self, now: float) -> float:
        held = self._since(self._isolated_at, now)
        settling = 0.3 * self.world.cavity_pa * -math.expm1(-held / 90.0)
        shown = [rise for section, rise in self.world.leaks if self._joined is None or section in self._joined]
        rise_pa_s = self.world.leak_pa_s + sum(shown)
        return min(self.world.cavity_pa + settling + rise_pa_s * held, self.world.barometer_pa)

    def _bucket(self, now: float) -> float:
        poured = sum(mass for _, mass in self._poured)
        times, masses = np.array(self.world.drawn).T
        until = now if self._clamped_at is None else min(now, self._clamped_at)
        return max(poured - float(np.interp(self._since(self._started_at, until), times, masses)), 0.0)

    def _pot(self, now: float) -> float:
        if not self._poured:
            return self.world.temperature_k
        age = self._since(self._poured[-1][0], now)
        ages, temperatures = np.array(self.world.pot).T
        return float(np.interp(age, ages, temperatures))

    def _part(self, now: float) -> Reading:
        if not self.world.part:
            return Reading("part", self.world.temperature_k)
        times, warm = np.array(self.world.part).T
        return Reading("part", float(np.interp(self._since(self._started_at, now), times, warm)))

    # -- the wire ----------------------------------------------------------------------------------------------------

    def _serve(self) -> None:
        while not self._stop.is_set():
            try:
                client, _ = self._server.accept()
            except TimeoutError:
                continue
            except OSError:
                return
            thread = threading.Thread(target=self._talk, args=(client,), name="simulated instrument", daemon=True)
            self._threads.append(thread)
            thread.start()

    def _take_orders(self, client: socket.socket, taken: deque[str]) -> None:
        """Do to the real thing what a client writes (open, clamp, isolate, connect, pour and a mass, shut and the
        sections left on the gauge; press, rate and flange on a mould); what was done goes to *taken*."""
        rest = b""
        while not self._stop.is_set():
            try:
                data = client.recv(1024)
            except TimeoutError:
                continue
            except OSError:
                return
            if not data:
                return
            *lines, rest = (rest + data)[-LONGEST_LINE:].split(b"\n")
            for line in lines:
                order = line.decode("utf-8", "replace").strip()
                if self._order(order):
                    taken.append(order)

    def _order(self, line: str) -> bool:
        """Do it; whether it is something that can be done."""
        word, _, mass = line.partition(" ")
        acts = {
            "open": self.open_feed,
            "clamp": self.clamp_feeds,
            "isolate": self.isolate,
            "connect": self.connect_pump,
        }
        if word == "pour":
            try:
                self.pour(parse(mass, "mass", Units()))
            except QuantityError:
                return False
        elif word == "shut":
            self.isolate(frozenset(name.strip() for name in mass.split(";") if name.strip()))
        elif word in ORDERS:
            return self.set_mould(word, mass)
        elif word in acts:
            acts[word]()
        return word in ("pour", "shut") or word in acts

    def _talk(self, client: socket.socket) -> None:
        with client:
            client.settimeout(1.0)
            taken: deque[str] = deque()
            threading.Thread(target=self._take_orders, args=(client, taken), name="orders", daemon=True).start()
            try:
                client.sendall(f'hello gauge "simulated" every {self._every:g}\n'.encode())
                while not self._stop.is_set():
                    done = [f"# {taken.popleft()}\n" for _ in range(len(taken))]
                    lines = [f"{write_line(reading)}\n" for reading in self.readings()]
                    client.sendall("".join((*done, *lines)).encode())
                    self._stop.wait(max(self._every / self.pace, QUICKEST_S))
            except OSError:
                return
