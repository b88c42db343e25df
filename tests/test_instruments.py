"""Instruments over the real wires: a TCP socket and a serial line (a pseudo-terminal)."""

from __future__ import annotations

import contextlib
import os
import pty
import queue
import signal
import socket
import subprocess
import sys
import threading
import tty
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from mould_jobs import injection, lid

from bibulon.assess import assess, filled
from bibulon.instruments.link import InstrumentLink
from bibulon.instruments.protocol import ImpossibleReading, LineError, Reading, read_line, write_line
from bibulon.instruments.simulated import SimulatedBench, World, world_of
from bibulon.instruments.simulated_mould import MouldWorld, mould_readings
from bibulon.job.pair import InjectionStep, UntilTime
from bibulon.job.storage import save
from bibulon.mould.injection import injection_course
from bibulon.quantities import Units

WORLD = World(
    barometer_pa=101_325.0,
    cavity_pa=3000.0,
    leak_pa_s=0.5,
    temperature_k=294.0,
    pot=((0.0, 294.0), (2400.0, 314.0)),
    drawn=((0.0, 0.0), (600.0, 4.0), (1200.0, 6.0)),
)


class Clock:
    """A wall clock that moves when told."""

    def __init__(self) -> None:
        self.now = 100.0

    def __call__(self) -> float:
        return self.now


@given(
    channel=st.sampled_from(["vacuum", "scale", "pot", "shop"]),
    value=st.floats(1.0, 100_000.0),
)
def test_what_is_written_reads_back(channel: str, value: float) -> None:
    value = 250 + value / 1000 if channel in ("pot", "shop") else value
    found = read_line(write_line(Reading(channel, value)), Units())
    assert found is not None and found.channel == channel
    assert found.value == pytest.approx(value, abs=1.0)


@given(st.text(max_size=60))
def test_no_line_from_the_wire_can_hurt(text: str) -> None:
    try:
        found = read_line(text, Units())
    except LineError:
        return
    assert found is None or found.value == found.value


@pytest.mark.parametrize("line", ["vacuum 31.4", "heat 3 kg", "scale abc kg", "vacuum 5 kg", "vacuum 2000 mbar vac"])
def test_senseless_lines_are_refused(line: str) -> None:
    with pytest.raises(LineError):
        read_line(line, Units())


def test_a_vacuum_gauge_counts_from_the_barometer() -> None:
    found = read_line("vacuum 28.0 inHg vac", Units(barometer_pa=100_000.0))
    assert found is not None and found.value == pytest.approx(100_000 - 28 * 3386.389)


def collected(link_url: str, count: int) -> tuple[list[Reading], list[str]]:
    found: queue.Queue[Reading | str] = queue.Queue()
    link = InstrumentLink(link_url, Units(), found.put, found.put)
    link.start()
    readings: list[Reading] = []
    try:
        while len(readings) < count:
            one = found.get(timeout=120)
            if isinstance(one, str):
                return readings, [one]
            readings.append(one)
    finally:
        link.close()
    return readings, []


def test_simulated_instruments_over_the_socket() -> None:
    clock = Clock()
    bench = SimulatedBench(WORLD, pace=10.0, now=clock)
    try:
        bench.pour(5.0)
        bench.open_feed()
        bench.isolate()
        clock.now += 60.0
        readings, lost = collected(bench.url, 4)
    finally:
        bench.close()
    assert not lost
    values = {reading.channel: reading.value for reading in readings}
    assert values["scale"] == pytest.approx(1.0, abs=1e-3)
    assert values["vacuum"] == pytest.approx(3000 + 900 + 300, abs=3)
    assert values["pot"] > 294.5
    assert values["shop"] == pytest.approx(294.0, abs=0.01)


def test_the_pace_can_change_without_a_jump() -> None:
    clock = Clock()
    bench = SimulatedBench(WORLD, now=clock)
    try:
        bench.pour(6.0)
        bench.open_feed(since_s=300.0)
        before = bench.readings()[1].value
        bench.set_pace(60.0)
        assert bench.readings()[1].value == pytest.approx(before)
        clock.now += 5.0
        assert bench.readings()[1].value == pytest.approx(2.0)
    finally:
        bench.close()


def test_a_serial_gauge_with_noise_on_the_wire() -> None:
    ours, theirs = pty.openpty()
    tty.setraw(theirs)
    found: queue.Queue[Reading | str] = queue.Queue()
    link = InstrumentLink(os.ttyname(theirs), Units(), found.put, found.put)
    link.start()
    try:
        assert link.opened.wait(120)
        os.write(ours, b"hello gauge\nvacuum 31.4 mbar abs\n\xff\xfe junk\nvacuum 3")
        first = found.get(timeout=120)
        os.write(ours, b"2.0 mbar abs\n")
        second = found.get(timeout=120)
    finally:
        link.close()
        os.close(ours)
        os.close(theirs)
    assert [one.value for one in (first, second)] == pytest.approx([3140, 3200])
    assert link.garbled == 1


def test_an_instrument_that_is_not_there_says_so() -> None:
    readings, lost = collected("socket://127.0.0.1:9", 1)
    assert not readings
    assert "does not answer" in lost[0]


def test_simulated_instruments_are_served_and_take_orders_until_interrupted(tmp_path: Path) -> None:
    """In a process of its own, over the socket that real ones speak through."""
    path = tmp_path / "lid.bibulon"
    save(injection(lid(), source="pressure pot"), path)
    serving = subprocess.Popen(
        [sys.executable, "-m", "bibulon", "instruments", str(path), "--pace", "50"],
        stdout=subprocess.PIPE,
        text=True,
    )
    assert serving.stdout is not None
    try:
        url = serving.stdout.readline().split()[3].rstrip(";")
        readings, said = collected(url, 6)
        assert {reading.channel for reading in readings} >= {"vacuum"} and not said
        host, port = url.removeprefix("socket://").split(":")
        with socket.create_connection((host, int(port)), timeout=120) as client, client.makefile() as answers:
            client.sendall(b"press 200 mbar\n")
            assert any(line == "# press 200 mbar\n" for line in answers)
    finally:
        serving.send_signal(signal.SIGINT)
        assert serving.wait(timeout=120) == 0


def served(send: bytes, again: threading.Event | None = None) -> tuple[socket.socket, str]:
    """A server that sends the same to each client, again and again until *again* is set, or once."""
    server = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        while True:
            try:
                client, _ = server.accept()
            except OSError:
                return
            with client, contextlib.suppress(OSError):
                client.sendall(send)
                while again is not None and not again.is_set():
                    client.sendall(send)

    threading.Thread(target=serve, daemon=True).start()
    return server, f"socket://127.0.0.1:{server.getsockname()[1]}"


def test_a_lost_instrument_is_tried_again_until_it_is_back() -> None:
    server, url = served(b"scale 3 kg\n")
    found: queue.Queue[object] = queue.Queue()
    link = InstrumentLink(url, Units(), found.put, found.put, lambda: found.put("back"))
    link.start()
    try:
        told = [found.get(timeout=60) for _ in range(4)]
    finally:
        link.close()
        server.close()
    assert told[0] == told[3] == Reading("scale", 3.0)
    assert "tried again" in str(told[1]) and told[2] == "back"


def test_only_the_newest_of_a_flood_is_handed_on_and_it_is_fresh() -> None:
    stop = threading.Event()
    server, url = served(b"".join(b"scale %d kg\n" % number for number in range(10_000)), stop)
    found: queue.Queue[object] = queue.Queue()
    link = InstrumentLink(url, Units(), found.put, found.put)
    link.start()
    try:
        first = found.get(timeout=60)
        assert isinstance(first, Reading)
        while found.qsize() < 5:
            stop.wait(0.01)
        handed_on = found.qsize()
    finally:
        stop.set()
        link.close()
        server.close()
    assert handed_on < 1000, "ten thousand lines are not ten thousand readings"
    assert first.at_s > 0


@pytest.mark.parametrize("url", ["rubbish://x", "socket://[::1", "socket://127.0.0.1:port", "", "\0", "spy://"])
def test_a_bad_address_is_said(url: str) -> None:
    _, said = collected(url, 1)
    assert len(said) == 1 and url in said[0]


def test_a_closed_link_says_nothing_more_and_closing_does_not_wait() -> None:
    server, url = served(b"")
    server.close()
    found: queue.Queue[object] = queue.Queue()
    link = InstrumentLink(url, Units(), found.put, found.put)
    link.close()
    link.start()
    assert link.wait(60) and found.empty()


@pytest.mark.parametrize(
    ("line", "channel"),
    [("pot -300 °C", "pot"), ("pot 3000 °C", "pot"), ("vacuum -4 mbar abs", "vacuum"), ("vacuum 9 bar abs", "vacuum")],
)
def test_a_reading_that_cannot_be_is_told_from_garbage(line: str, channel: str) -> None:
    with pytest.raises(ImpossibleReading, match="shows") as refused:
        read_line(line, Units())
    assert refused.value.channel == channel


def test_a_mould_answers_to_what_is_done_to_it_over_its_own_socket() -> None:
    """Inlets opened, clamped; spaces shut off; a plan whose clamp is too weak lets go of its flange."""
    world = MouldWorld(
        barometer_pa=101_325.0, cavity_pa=51_000.0, hold_pa=71_000.0, flange_pa=23_000.0, bladder_pa=None,
        shop_k=294.0, resin_k=303.0, warm_hose=True, leak_pa_s=0.25, drawn=((0.0, 0.0), (60.0, 3.0)),
        caught=((0.0, 0.0), (60.0, 0.1)), flow=((0.0, 5e-5), (60.0, 5e-5)), supply=((0.0, 20_000.0), (60.0, 20_000.0)),
    )  # fmt: skip
    clock = Clock()
    bench = SimulatedBench(replace(WORLD, mould=world), every_s=0.05, now=clock)
    host, port = bench.url.removeprefix("socket://").split(":")

    def values() -> dict[str, float]:
        readings, lost = collected(bench.url, 9)
        assert not lost
        return {reading.channel: reading.value for reading in readings}

    def told(order: str) -> None:
        client.sendall(f"{order}\n".encode())
        assert any(line.strip() == f"# {order}" for line in answers)

    try:
        with socket.create_connection((host, int(port)), timeout=60) as client, client.makefile() as answers:
            before = values()
            assert before["flow"] == before["meter"] == 0.0
            told("open")
            clock.now += 30.0
            runs = values()
            assert runs["meter"] == pytest.approx(1.5, abs=1e-3) and runs["catch"] == pytest.approx(0.05, abs=1e-3)
            assert runs["flow"] == pytest.approx(5e-5, rel=1e-3) and runs["supply"] == pytest.approx(20_000.0)
            assert runs["hose"] == pytest.approx(303.0, abs=0.1)
            told("clamp")
            clock.now += 60.0
            held = values()
            assert held["meter"] == pytest.approx(1.5, abs=1e-3) and held["flow"] == 0.0
            assert held["vacuum"] == pytest.approx(71_000.0, abs=50.0) and held["flange"] == pytest.approx(23_000.0)
            told("isolate")
            clock.now += 600.0
            leaks = values()
            assert leaks["flange"] == pytest.approx(23_000.0 + 240.0, abs=2.0)
    finally:
        bench.close()
    opened = mould_readings(replace(world, opens_s=20.0), 60.0, None, 0.0)
    shown = {reading.channel: reading.value for reading in opened}
    assert shown["flange"] > 80_000.0 and shown["vacuum"] > 75_000.0


def test_a_served_mould_takes_a_pressure_and_a_flange_in_mid_shot_and_answers() -> None:
    """Pressed from 15 s on, the mould draws as the simulator has that recipe, goes on from what was in, and lets go of
    its flange once that is too weak."""
    plan = filled(assess(injection(lid(), source="pressure pot", rated_pa=50_000.0)), 400, levels=1)
    clock = Clock()
    bench = SimulatedBench(world_of(plan), every_s=0.05, now=clock, plan=plan)
    host, port = bench.url.removeprefix("socket://").split(":")

    def values() -> dict[str, float]:
        return {reading.channel: reading.value for reading in bench.readings()}

    try:
        with socket.create_connection((host, int(port)), timeout=120) as client, client.makefile() as answers:

            def told(*orders: str) -> None:
                """Send *orders*, of which the last is answered and no other."""
                client.sendall("".join(f"{order}\n" for order in orders).encode())
                assert next(line[2:].strip() for line in answers if line.startswith("# ")) == orders[-1]

            told("open")
            clock.now += 15.0
            before = values()
            told("rate 1 L/min", "press much", "press 300 mbar")
            at_once = values()
            assert at_once["meter"] == pytest.approx(before["meter"], rel=1e-6)
            assert at_once["supply"] == pytest.approx(30_000.0, rel=0.02)
            clock.now += 10.0
            pressed = values()
            steps = (InjectionStep(until=UntilTime(time_s=15.0)), InjectionStep(over_pressure_pa=30_000.0))
            other = filled(assess(injection(plan.job, steps=steps)), 400, levels=1)
            assert plan.fill is not None and other.fill is not None
            course, plain = injection_course(other.job, other.fill), injection_course(plan.job, plan.fill)
            grew_kg = (course.drawn_at(25.0) - course.drawn_at(15.0)) * plan.job.resin.density_kg_m3
            assert pressed["meter"] - before["meter"] == pytest.approx(grew_kg, rel=0.02)
            assert grew_kg > 1.2 * (plain.drawn_at(25.0) - plain.drawn_at(15.0)) * plan.job.resin.density_kg_m3
            told("press 5 bar")
            assert values()["supply"] == pytest.approx(50_000.0, rel=0.02), "the relief valve"
            assert values()["flange"] < 30_000.0
            told("flange 900 mbar abs")
            clock.now += 60.0
            assert values()["flange"] > 98_000.0
            told("clamp")
            told("press 100 mbar", "isolate")
    finally:
        bench.close()
    by_hand = SimulatedBench(world_of(plan), now=clock, plan=filled(assess(lid()), 200, levels=1))
    try:
        assert not by_hand.set_mould("press", "100 mbar"), "an open bucket gives no pressure"
    finally:
        by_hand.close()
