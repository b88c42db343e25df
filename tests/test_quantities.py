"""Units: what people write is understood, shown back the same, or refused in their words."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bibulon.durations import clock_time
from bibulon.quantities import KINDS, Units, show
from bibulon.quantity_text import QuantityError, cells_of, parse, parse_clock_time

ATMOSPHERE = 101_325.0


@pytest.mark.parametrize(
    ("text", "kind", "value"),
    [
        ("600 gsm", "areal weight", 0.6),
        ("18 oz/yd2", "areal weight", 0.610308),
        ("4' 7 1/2\"", "length", 1.4097),
        ("1/4 in", "length", 0.00635),
        ("0,5 in", "length", 0.0127),
        ("1 200 mm", "length", 1.2),
        ("1.4 m", "length", 1.4),
        ("70 F", "temperature", 294.2611),
        ("21 °C", "temperature", 294.15),
        ("250 cP", "viscosity", 0.25),
        ("12 fl oz", "volume", 3.548824e-4),
        ("0.05 mbar·L/s", "leak rate", 0.005),
        ("16 m³/h", "pump speed", 0.00444444),
        ("2 lb", "mass", 0.90718474),
        ("1:40 h", "duration", 6000),
        ("25:30 min", "duration", 1530),
        ("2 h 10 min", "duration", 7800),
        ("40", "duration", 2400),
        ("2 h 30", "duration", 9000),
        ("42 min 30", "duration", 2550),
        ("1 d 6", "duration", 108_000),
        ("3 lb 4 oz", "mass", 52 * 0.028349523125),
        ("15 %", "share", 0.15),
        ("-45°", "angle", -45),
        ("0.38 Pas", "viscosity", 0.38),
        ("380 mPa*s", "viscosity", 0.38),
        ("ca. 380 mPa-s", "viscosity", 0.38),
        ("3.8 Poise", "viscosity", 0.38),
        ("1.1 g/cc", "density", 1100),
        ("1100 kg/m^3", "density", 1100),
        ("23 deg C", "temperature", 296.15),
        ("23ºC", "temperature", 296.15),
        ("600 g/m^2", "areal weight", 0.6),
        ("100 grams", "mass", 0.1),
    ],
)
def test_reads_what_a_shop_writes(text: str, kind: str, value: float) -> None:
    assert parse(text, kind) == pytest.approx(value, rel=1e-5)


@pytest.mark.parametrize(
    ("text", "reading", "absolute_pa"),
    [
        ("50 mbar", "absolute", 5000),
        ("50 mbar", "gauge", ATMOSPHERE - 5000),
        ("28 inHg", "gauge", ATMOSPHERE - 28 * 3386.389),
        ("28 inHg abs", "gauge", 28 * 3386.389),
        ("28 inHg vac", "absolute", ATMOSPHERE - 28 * 3386.389),
        ("-0.95 bar", "absolute", ATMOSPHERE - 95_000),
        ("95 %", "absolute", 0.05 * ATMOSPHERE),
        ("25 Torr", "absolute", 25 * 101_325 / 760),
    ],
)
def test_pressure_knows_gauge_from_absolute(text: str, reading: str, absolute_pa: float) -> None:
    assert parse(text, "pressure", Units(reading=reading)) == pytest.approx(absolute_pa)


@pytest.mark.parametrize(
    ("text", "kind", "says"),
    [
        ("28 foo", "pressure", "not a unit of pressure"),
        ("", "length", "missing"),
        ("abc", "mass", "is not a mass"),
        ("31 inHg vac", "pressure", "below a perfect vacuum"),
        ("5 kg", "length", "not a unit of length"),
        ("300 ± 50 mPas", "viscosity", "range"),
        ("20–25 °C", "temperature", "range"),
        ("1e400 m", "length", "too large"),
        ("1e400", "count", "too large"),
        ("9" * 5000 + "/7 in", "length", "too long for a length"),
        ("9" * 400 + "' 6", "length", "too long"),
        ("2.5", "count", "whole number"),
        ("1/0 in", "length", "0 below the line"),
        ("95 % abs", "pressure", "counted from atmosphere"),
        ("10:75 min x", "duration", "time"),
        ("90 s 5", "duration", "25:30"),
    ],
)
def test_refuses_in_the_users_words(text: str, kind: str, says: str) -> None:
    with pytest.raises(QuantityError, match=says):
        parse(text, kind)


@given(
    kind=st.sampled_from(list(KINDS)),
    text=st.one_of(
        st.text(max_size=40),
        st.from_regex(r"[-+−]?[0-9]{0,90}([.,/:' ][0-9]{0,90})?(e[0-9]{0,4})? ?[a-zA-Z°%/²³·µ\"]{0,6}", fullmatch=True),
    ),
)
def test_whatever_is_typed_is_a_figure_or_refused(kind: str, text: str) -> None:
    try:
        value = parse(text, kind)
    except QuantityError:
        return
    assert isinstance(value, float) and abs(value) <= 1e15


@given(
    kind=st.sampled_from([kind for kind in KINDS if kind not in ("count", "duration")]),
    system=st.sampled_from(["metric", "us", "mixed"]),
    reading=st.sampled_from(["absolute", "gauge"]),
    share=st.floats(0.01, 0.99),
)
def test_what_is_shown_reads_back(kind: str, system: str, reading: str, share: float) -> None:
    units = Units(system=system, reading=reading)
    value = share * {"pressure": ATMOSPHERE, "stiffness": 1e10}.get(kind, 300.0)
    assert parse(show(value, kind, units, decimals=9), kind, units) == pytest.approx(value, rel=1e-6, abs=1e-6)


@given(st.integers(90 * 60, 40 * 3600))
def test_durations_read_back_to_the_minute(seconds: int) -> None:
    assert abs(parse(show(seconds, "duration"), "duration") - seconds) <= 30


def test_clock_times() -> None:
    assert parse_clock_time("9:30") == 34_200
    assert clock_time(34_200 + 86_400) == "09:30 +1 d"
    with pytest.raises(QuantityError):
        parse_clock_time("25:00")


@pytest.mark.parametrize(
    ("line", "cells"),
    [
        ("2,5; 0,7", ["2,5", "0,7"]),
        ("2,5 m, 0,7 m", ["2,5 m", "0,7 m"]),
        ("2000,450", ["2000", "450"]),
        ("0,4 0,1", ["0,4", "0,1"]),
        ("4200 1400", ["4200", "1400"]),
        ("1200 mm 30 cm", ["1200 mm", "30 cm"]),
        ("20 cm", ["20 cm"]),
        ("20 cm, 0.7 m", ["20 cm", "0.7 m"]),
        ("1\t2,5", ["1", "2,5"]),
        ("0.1,0.2,0.3", ["0.1", "0.2", "0.3"]),
    ],
)
def test_figures_of_a_line_come_apart_with_points_or_commas(line: str, cells: list[str]) -> None:
    assert cells_of(line) == cells


def test_a_comma_that_could_mean_thousands_is_asked_about() -> None:
    with pytest.raises(QuantityError, match=r"two ways. Write 1200 or 1\.2"):
        parse("1,200 g", "mass")
    assert parse("0,125 kg", "mass") == 0.125 and parse("12,5 kg", "mass") == 12.5
