"""The listening side: reads an instrument's lines on a thread of its own and hands each reading on."""

from __future__ import annotations

import threading
from collections.abc import Callable

import serial

from bibulon.instruments.protocol import LONGEST_LINE, LineError, Reading, read_line
from bibulon.quantities import Units

WAIT_S = 0.2


class InstrumentLink:
    """A connection to an instrument by URL: ``/dev/ttyUSB0`` or ``socket://host:port``.

    *on_reading* and *on_lost* (with a message) are called on the link's thread; ``opened`` is set once it listens.
    """

    def __init__(
        self, url: str, units: Units, on_reading: Callable[[Reading], None], on_lost: Callable[[str], None]
    ) -> None:
        self.url = url
        self.garbled = 0
        self.opened = threading.Event()
        self._units, self._on_reading, self._on_lost = units, on_reading, on_lost
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._listen, name=f"instrument {url}", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def close(self) -> None:
        """Stop listening and wait for the thread."""
        self._stop.set()
        if self._thread.is_alive() and threading.current_thread() is not self._thread:
            self._thread.join(timeout=2)

    def _listen(self) -> None:
        try:
            port = serial.serial_for_url(self.url, baudrate=9600, timeout=WAIT_S)
        except (serial.SerialException, OSError, ValueError) as error:
            self._on_lost(f"{self.url} does not answer: {error}")
            return
        with port:
            self.opened.set()
            rest = b""
            while not self._stop.is_set():
                try:
                    rest += port.read(max(port.in_waiting, 1))
                except (serial.SerialException, OSError) as error:
                    if not self._stop.is_set():
                        self._on_lost(f"{self.url} was lost: {error}")
                    return
                *lines, rest = rest.split(b"\n")
                rest = rest[-LONGEST_LINE:]
                for line in lines:
                    self._take(line)

    def _take(self, line: bytes) -> None:
        try:
            reading = read_line(line.decode("utf-8"), self._units)
        except (LineError, UnicodeDecodeError):
            self.garbled += 1
            return
        if reading is not None:
            self._on_reading(reading)
