"""The wire protocol: one reading a line, plain text over a serial port or a TCP socket.

    hello gauge "G1" every 1.0
    vacuum 31.4 mbar abs
    scale 12.431 kg
    pot 24.6 °C

A line is a channel, a number and a unit; pressures say ``abs`` or ``vac``. Lines that make no sense are counted and
passed over: a glitch on the wire must not stop a shot. See docs/instruments.md.
"""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.quantities import QuantityError, Units, parse

CHANNELS: dict[str, str] = {"vacuum": "pressure", "scale": "mass", "pot": "temperature", "shop": "temperature"}
"""Channel: kind of quantity."""
LONGEST_LINE = 200


@dataclass(frozen=True)
class Reading:
    """One reading in SI units (pressure absolute)."""

    channel: str
    value: float


class LineError(ValueError):
    """A line that is not a reading."""


def read_line(line: str, units: Units) -> Reading | None:
    """The reading in *line*; None for a greeting or a comment. Raises :class:`LineError`."""
    text = line.strip()
    if not text or text.startswith(("#", "hello")):
        return None
    channel, _, rest = text.partition(" ")
    if channel not in CHANNELS or len(text) > LONGEST_LINE:
        raise LineError(f"unknown channel in “{text[:40]}”")
    if not rest.strip().split(" ")[-1][-1:].isalpha() and "%" not in rest:
        raise LineError(f"no unit in “{text[:40]}”")
    try:
        return Reading(channel, parse(rest, CHANNELS[channel], units))
    except QuantityError as error:
        raise LineError(str(error)) from error


def write_line(reading: Reading) -> str:
    """*reading* as a line of the protocol."""
    if CHANNELS[reading.channel] == "pressure":
        return f"{reading.channel} {reading.value / 100:.2f} mbar abs"
    if CHANNELS[reading.channel] == "mass":
        return f"{reading.channel} {reading.value:.3f} kg"
    return f"{reading.channel} {reading.value - 273.15:.2f} °C"
