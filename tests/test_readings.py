"""Readings of gauges and thermocouples as people and data loggers write them."""

from __future__ import annotations

from datetime import datetime

import pytest

from bibulon.exchange.part_temperatures import read_part_temperatures
from bibulon.exchange.readings import ReadingsError, last_read_at, parse_drift, parse_readings
from bibulon.quantities import Units
from bibulon.quantity_text import QuantityError


@pytest.mark.parametrize(
    ("text", "reading"),
    [
        ("0, 31\n5, 34\n10, 36", "absolute"),
        ("0 31,0\n5 34,0\n10 36,0 mbar", "absolute"),
        ("0, 31,0\n5, 34,0\n10, 36,0", "absolute"),
        ("time (min);pressure (mbar)\n0;31\n5;34\n10;36", "absolute"),
        ("t [s]\tp [Pa]\n0\t3100\n300\t3400\n600\t3600", "absolute"),
        ("time_s,pressure_mbar_abs\n0,31\n300,34\n600,36", "gauge"),
        ("0 31 mbar\n5 min   34 mbar\n10 min   36 mbar", "absolute"),
        ("# gauge 2\n0 min, -982.25 mbar\n5 min, -979.25 mbar\n10 min, -977.25 mbar", "absolute"),
        ("0, 982.25\n5, 979.25\n10, 977.25", "gauge"),
        ("23:55 31\n0:00 34\n0:05 36", "absolute"),
        ("14:05:00; 31,0\n14:10:00; 34,0\n14:15:00; 36,0", "absolute"),
        (
            "Date,Time,Temp (°C),P_mbar\n2026-11-29,23:55:00,20,31.0\n2026-11-30,00:00:00,20,34\n"
            "2026-11-30,00:05:00,21,36.0",
            "absolute",
        ),
        ("29.11.2026 19:30\t31,0\n29.11.2026 19:35\t34,0\n29.11.2026 19:40\t36,0", "absolute"),
        ('"2026-11-29T19:30:00+01:00","31"\n"2026-11-29T18:35:00Z","34"\n"2026-11-29T19:40:00+01:00","36"', "absolute"),
    ],
)
def test_readings_as_people_write_them(text: str, reading: str) -> None:
    found = parse_readings(text, Units(reading=reading))
    assert [time for time, _ in found] == pytest.approx([0, 300, 600])
    assert [pressure for _, pressure in found] == pytest.approx([3100, 3400, 3600])


@pytest.mark.parametrize(
    ("text", "read"),
    [
        ("19:30 34\n7:30 36", "2026-03-02 07:30"),
        ("13:05; 34\n14:05; 36", "2026-03-01 14:05"),
        ("0:00 34\n0:30 36\n1:00 37", None),
        ("1.3.2026 22:10; 34\n2.3.2026 6:30; 36\n", "2026-03-02 06:30"),
        ("# pump off\n0 34\n5 36", None),
        ("", None),
    ],
)
def test_when_the_last_reading_was_read_is_told_by_its_time(text: str, read: str | None) -> None:
    now = datetime(2026, 3, 2, 8, 15).astimezone()
    assert last_read_at(text, now) == (None if read is None else datetime.fromisoformat(read).astimezone())


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("0, 31", "At least two"),
        ("0, 31\n5, abc", "Line 2"),
        ("0, 31\n5, 33\n4, 35", "not after"),
        ("0, 31\n5", "Line 2: a time and a pressure"),
        ("time (weeks), p\n0, 1\n1, 2", "weeks"),
        ("0, 31 kg\n1, 32 kg", "not a unit of pressure"),
        ("11/12/2026 7:30, 31\n11/12/2026 7:40, 32", "Line 1: write a date as 2026"),
        ("2026-11-31 19:30;31\n2026-12-01 19:30;32", "Line 1: there is no such day"),
        ("1.1.0001 0:00;31\n2.1.0001 0:00;32", "Line 1: there is no such day"),
        ("2026-11-29 19:30;31\n5;32", "Line 2: its time is written in another way"),
        ("1e13;31\n10:30;32", "Line 1: “1e13” is no time"),
        ("0;31\nnan;32\n9;33", "Line 2: “nan” is no time"),
    ],
)
def test_unreadable_readings_name_the_line(text: str, says: str) -> None:
    with pytest.raises(ReadingsError, match=says):
        parse_readings(text, Units())


@pytest.mark.parametrize(
    ("text", "times"),
    [
        ("90; 31 °C\n100; 33", [5400, 6000]),
        ("0:10; 22\n1:10; 23", [4200, 7800]),
        ("23:30 21,7 22,4\n0:10 21,9 22,8", [1800, 1800, 4200, 4200]),
        ("2026-11-30 00:10;22\n2026-11-30 00:40;OPEN\n2026-11-30 01:10;23", [4200, 7800]),
        ("2026-11-29 23:30;22\n2026-11-30 00:10;22", [1800, 4200]),
    ],
)
def test_temperatures_of_a_part_shot_before_midnight_count_from_its_start(text: str, times: list[float]) -> None:
    points = read_part_temperatures(text, Units(), 23 * 3600.0)
    assert [point.time_s for point in points] == times
    assert {point.name for point in points} == ({""} if text.count("22,4") == 0 else {"T1", "T2"})


def test_what_cannot_be_of_a_part_is_refused_at_its_line_in_the_shops_unit() -> None:
    for text, says in (("5; 500 °C", "Line 1.*at most 426.9 °C"), ("1e13; OPEN\n10:30; 20", "Line 2.*at most 30")):
        with pytest.raises(QuantityError, match=says):
            read_part_temperatures(text, Units(), 0.0)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("0 1013 mbar\n480 much", "Line 2"),
        ("0 1013 mbar\n0 1006 mbar", "not after"),
        ("0", "needed"),
        ("0 31 mbar", "shows"),
    ],
)
def test_drift_that_cannot_be_read_names_the_line(text: str, says: str) -> None:
    units = Units()
    assert parse_drift("0  1013 mbar\n480, 29.7 inHg\n0; 21 °C\n480 64 °F", units)[1][1] == (
        28_800.0,
        pytest.approx(290.928, abs=0.01),
    )
    with pytest.raises(ReadingsError, match=says):
        parse_drift(text, units)
