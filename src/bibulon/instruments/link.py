"""The listening side: reads an instrument's lines on a thread of its own and hands each reading on."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Callable
from dataclasses import replace
from typing import Protocol
from urllib.parse import urlsplit

import serial

from bibulon.instruments.protocol import LONGEST_LINE, ImpossibleReading, LineError, Reading, read_line
from bibulon.quantities import Units

WAIT_S = 0.2
"""How long a read waits for more; readings are handed on this much late at most."""
AT_ONCE_BYTES = 65_536
CONNECT_S = 5.0
TRY_AGAIN_S = (1.0, 2.0, 5.0)
"""How long it waits before the first, second and each further try to be connected again."""


class _Port(Protocol):
    """What is connected: hands out what came in, after :data:`WAIT_S` at most; raises where the connection is lost."""

    def __enter__(self) -> object: ...
    def __exit__(self, *_: object) -> object: ...
    def receive(self) -> bytes: ...


class _Socket:
    def __init__(self, host: str, port: int) -> None:
        self._socket = socket.create_connection((host, port), timeout=CONNECT_S)
        self._socket.settimeout(WAIT_S)

    def __enter__(self) -> None:
        return

    def __exit__(self, *_: object) -> None:
        self._socket.close()

    def receive(self) -> bytes:
        try:
            data = self._socket.recv(AT_ONCE_BYTES)
        except TimeoutError:
            return b""
        if not data:
            raise ConnectionError("the other end has closed it")
        return data


class _Serial:
    def __init__(self, url: str) -> None:
        self._port = serial.serial_for_url(url, baudrate=9600, timeout=WAIT_S)

    def __enter__(self) -> None:
        return

    def __exit__(self, *_: object) -> None:
        self._port.close()

    def receive(self) -> bytes:
        return bytes(self._port.read(max(self._port.in_waiting, 1)))


def _open(url: str) -> _Port:
    """Connect. Raises OSError where nothing answers, and ValueError for what is no address."""
    if not url.strip().isprintable() or not url.strip():
        raise ValueError("nothing is written there" if not url.strip() else "it holds letters that cannot be printed")
    place = urlsplit(url)
    if place.scheme != "socket":
        return _Serial(url)
    if not place.hostname or place.port is None:
        raise ValueError("write it like socket://host:port")
    return _Socket(place.hostname, place.port)


class InstrumentLink:
    """A connection to an instrument by URL: ``/dev/ttyUSB0`` or ``socket://host:port``.

    *on_reading*, *on_lost* (with a message) and *on_back* (connected again) are called on the link's thread, and never
    after :meth:`close`. A connection that is lost is tried again until then; an address that can be none is not.
    ``opened`` is set once it listens. ``impossible`` says by channel what an instrument shows that cannot be, for as
    long as it does.
    """

    def __init__(
        self,
        url: str,
        units: Units,
        on_reading: Callable[[Reading], None],
        on_lost: Callable[[str], None],
        on_back: Callable[[], None] = lambda: None,
    ) -> None:
        self.url = url
        self.garbled = 0
        self.impossible: dict[str, str] = {}
        self.opened = threading.Event()
        self._units, self._on_reading, self._on_lost, self._on_back = units, on_reading, on_lost, on_back
        self._stop = threading.Event()
        self._before: InstrumentLink | None = None
        self._thread = threading.Thread(target=self._listen, name=f"instrument {url}", daemon=True)

    def start(self, after: InstrumentLink | None = None) -> None:
        """Begin to listen, once the link *after*, which may hold the same port, has let go."""
        self._before = after
        self._thread.start()

    def close(self) -> None:
        """Stop listening; the thread lets the port go by itself."""
        self._stop.set()
        # the thread lives on for a moment, and must not be the last that holds who listened
        self._on_reading = self._on_lost = self._on_back = _nothing

    def wait(self, timeout_s: float = 10.0) -> bool:
        """Wait until a closed link has let go; whether it has."""
        if self._thread.is_alive():
            self._thread.join(timeout_s)
        return not self._thread.is_alive()

    def _listen(self) -> None:
        if self._before is not None:
            self._before.wait()
            self._before = None
        tries, reported = 0, False
        while not self._stop.is_set():
            try:
                port = _open(self.url)
            except (serial.SerialException, OSError) as error:
                message = f"{self.url} does not answer: {_reason(error)}"
            except Exception as error:  # whatever the library makes of what was typed
                self._say(f"“{self.url}” is no address of an instrument: {_reason(error)}.")
                return
            else:
                if reported:
                    self._on_back()
                tries, reported = 0, False
                message = self._read(port)
            if not reported:
                self._say(f"{message}. It is tried again every few seconds.")
                reported = True
            self._stop.wait(TRY_AGAIN_S[min(tries, len(TRY_AGAIN_S) - 1)])
            tries += 1

    def _say(self, message: str) -> None:
        if not self._stop.is_set():
            self._on_lost(message)

    def _read(self, port: _Port) -> str:
        """Read until it is closed or lost; why it was lost."""
        with port:
            self.opened.set()
            rest = b""
            while not self._stop.is_set():
                try:
                    rest += port.receive()
                except Exception as error:  # a cable pulled shows in many ways
                    return f"{self.url} was lost: {_reason(error)}"
                *lines, rest = rest.split(b"\n")
                if len(rest) > LONGEST_LINE:  # no line, however it goes on
                    rest = b"?" + rest[-LONGEST_LINE:]
                self._take(lines, time.monotonic())
        return ""

    def _take(self, lines: list[bytes], at_s: float) -> None:
        """Hand on the newest reading of each channel: an instrument may send faster than anyone can look."""
        newest: dict[bytes, bytes] = {}
        for line in lines:
            newest[line.lstrip()[:12].partition(b" ")[0]] = line
        for line in newest.values():
            try:
                reading = read_line(line.decode("utf-8"), self._units)
            except ImpossibleReading as error:
                self.impossible[error.channel] = str(error)
                continue
            except (LineError, UnicodeDecodeError):
                self.garbled += 1
                continue
            if reading is not None and not self._stop.is_set():
                self.impossible.pop(reading.channel, None)
                self._on_reading(replace(reading, at_s=at_s))


def _nothing(*_: object) -> None:
    return


def _reason(error: Exception) -> str:
    words = getattr(error, "strerror", None) or str(error) or type(error).__name__
    return str(words).rstrip(".")
