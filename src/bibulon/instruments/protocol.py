"""The wire protocol: one reading a line, plain text over a serial port or a TCP socket.

    hello gauge "G1" every 1.0
    vacuum 31.4 mbar abs
    scale 12.431 kg
    pot 24.6 °C
    flange 227 mbar abs
    supply 150 mbar

A line is a channel, a number and a unit; pressures say ``abs`` or ``vac``, but for what counts
over the atmosphere. Lines that make no sense are counted and
passed over: a glitch on the wire must not stop a shot. See docs/instruments.md.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from bibulon.quantities import QuantityKind, Units, show
from bibulon.quantity_text import QuantityError, parse

CHANNELS: dict[str, QuantityKind] = {
    "vacuum": "pressure",
    "scale": "mass",
    "pot": "temperature",
    "shop": "temperature",
    "barometer": "pressure difference",
    "flange": "pressure",
    "bladder": "pressure",
    "catch": "small mass",
    "meter": "mass",
    "flow": "flow rate",
    "supply": "pressure difference",
    "hose": "temperature",
    "part": "temperature",
}
"""Channel: kind of quantity."""
NAMES: dict[str, str] = {
    "vacuum": "vacuum gauge",
    "scale": "bucket's scale",
    "pot": "probe in the pot",
    "shop": "shop's thermometer",
    "barometer": "barometer",
    "flange": "flange's gauge",
    "bladder": "bladder's gauge",
    "catch": "catch pot's scale",
    "meter": "machine's meter",
    "flow": "flow meter",
    "supply": "supply's gauge",
    "hose": "probe in the hose",
    "part": "thermocouple at the part",
}
"""Channel: what is on it, in words."""
POSSIBLE: dict[str, tuple[float, float]] = {
    "vacuum": (0.0, 200_000.0),
    "scale": (-1000.0, 100_000.0),
    "pot": (213.15, 773.15),
    "shop": (213.15, 353.15),
    "barometer": (50_000.0, 110_000.0),
    "flange": (0.0, 200_000.0),
    "bladder": (0.0, 2_000_000.0),
    "catch": (-1000.0, 1000.0),
    "meter": (-1000.0, 100_000.0),
    "flow": (-0.1, 0.1),
    "supply": (-110_000.0, 5_000_000.0),
    "hose": (213.15, 773.15),
    "part": (213.15, 773.15),
}
"""Channel: the least and most that it can show in SI units; beyond that the instrument is broken or set wrong."""
LONGEST_LINE = 200


@dataclass(frozen=True)
class Reading:
    """One reading in SI units (pressure absolute)."""

    channel: str
    value: float
    at_s: float = field(default=0.0, compare=False)
    """When it came off the wire, on the monotonic clock of this machine."""


class LineError(ValueError):
    """A line that is not a reading."""


class ImpossibleReading(LineError):
    """A reading that cannot be true; the message says what the instrument shows."""

    def __init__(self, channel: str, message: str) -> None:
        super().__init__(message)
        self.channel = channel


def read_line(line: str, units: Units) -> Reading | None:
    """The reading in *line*; None for a greeting or a comment. Raises :class:`LineError`, and for a value beyond
    :data:`POSSIBLE` :class:`ImpossibleReading`."""
    text = line.strip()
    if not text or text.startswith(("#", "hello")):
        return None
    channel, _, rest = text.partition(" ")
    if channel not in CHANNELS or len(text) > LONGEST_LINE:
        raise LineError(f"unknown channel in “{text[:40]}”")
    if not rest.strip().split(" ")[-1][-1:].isalpha() and "%" not in rest:
        raise LineError(f"no unit in “{text[:40]}”")
    try:
        value = parse(rest, CHANNELS[channel], units)
    except QuantityError as error:
        if re.match(r"\s*-", rest):  # the unit is known, so it is the figure that cannot be
            raise ImpossibleReading(channel, f"The {NAMES[channel]} shows {rest.strip()[:40]}") from error
        raise LineError(str(error)) from error
    least, most = POSSIBLE[channel]
    if not least <= value <= most:
        shown = show(value, CHANNELS[channel], units)
        raise ImpossibleReading(channel, f"The {NAMES[channel]} shows {shown}")
    return Reading(channel, value)


def write_line(reading: Reading) -> str:
    """*reading* as a line of the protocol."""
    kind = CHANNELS[reading.channel]
    if kind == "pressure":
        return f"{reading.channel} {reading.value / 100:.2f} mbar abs"
    if kind == "pressure difference":
        return f"{reading.channel} {reading.value / 100:.2f} mbar"
    if kind == "mass":
        return f"{reading.channel} {reading.value:.3f} kg"
    if kind == "small mass":
        return f"{reading.channel} {reading.value * 1000:.1f} g"
    if kind == "flow rate":
        return f"{reading.channel} {reading.value * 60_000:.3f} L/min"
    return f"{reading.channel} {reading.value - 273.15:.2f} °C"
