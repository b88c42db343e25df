"""Quantities as they stand in sentences: with few digits, told apart, from one to the other, shares and powers."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

from bibulon.durations import DAY_S, duration_to_the_second
from bibulon.quantities import QuantityKind, Units, number_shown, scale_kind, show, unit_shown

BRIEF_DIGITS, MOST_DIGITS = 3, 7


def brief(value: float, kind: QuantityKind, units: Units | None = None, digits: int = BRIEF_DIGITS) -> str:
    """*value* as :func:`show` puts it, with no more than so many digits that say something: for a sentence.

    >>> brief(163.214, "mass"), brief(0.4567, "length"), brief(1.2111, "length"), brief(0.31, "duration")
    ('163 kg', '457 mm', '1210 mm', '0 s')
    """
    units = units or Units()
    if kind == "duration" and digits > BRIEF_DIGITS:
        return duration_to_the_second(value)
    if kind == "duration" or not math.isfinite(value):
        return show(value, kind, units)
    number = number_shown(value, kind, units)
    size = math.floor(math.log10(abs(number))) + 1 if number else 1
    usual = show(value, kind, units)
    decimals = len(usual.partition(" ")[0].partition(".")[2].rstrip("°%"))
    if decimals > max(digits - size, 0):
        return show(value, kind, units, max(digits - size, 0))
    if size <= digits:
        return usual
    unit = unit_shown(kind, units)
    return f"{round(number, digits - size):.0f}{'' if unit in ('°', '') else ' '}{unit}".replace("-", "−")


def brief_on_scale(value: float, kind: Literal["mass", "volume"], units: Units | None = None) -> str:
    """*value* as :func:`brief` puts it, in the small unit where it is less than one of the large.

    >>> brief_on_scale(0.0632, "mass"), brief_on_scale(1.183, "mass")
    ('63 g', '1.18 kg')
    """
    return brief(value, scale_kind(value, kind, units or Units()), units)


def bound_shown(limit: float, kind: QuantityKind, units: Units | None = None) -> str:
    """A *limit* as :func:`show` puts it, with more decimals where it takes those to say it to within half a percent.

    >>> bound_shown(0.0002, "length"), bound_shown(0.0, "length"), bound_shown(1e6, "stiffness")
    ('0.2 mm', '0 mm', '0.001 GPa')
    """
    usual, number = show(limit, kind, units), number_shown(limit, kind, units or Units())
    if kind == "duration" or not math.isfinite(number):
        return usual
    had = len(usual.partition(" ")[0].partition(".")[2].rstrip("°%"))
    for decimals in range(had, had + MOST_DIGITS):
        if abs(round(number, decimals) - number) <= 0.005 * abs(number):
            return usual if decimals == had else show(limit, kind, units, decimals)
    return usual


def brief_each(values: Sequence[float], kind: QuantityKind, units: Units | None = None) -> tuple[str, ...]:
    """*values* as :func:`brief` puts them, with as many digits as it takes to tell different ones apart.

    >>> brief_each((1187.0, 1200.0), "duration"), brief_each((9000.0, 9020.0), "duration")
    (('19:47 min', '20:00 min'), ('2:30:00 h', '2:30:20 h'))
    >>> brief_each((240.0, 200.0), "pressure"), brief_each((0.0254, 0.025), "length")
    (('2.4 mbar abs', '2.0 mbar abs'), ('25.4 mm', '25.0 mm'))
    """
    for digits in range(BRIEF_DIGITS, MOST_DIGITS):
        texts = tuple(brief(value, kind, units, digits) for value in values)
        if len(set(texts)) == len(set(values)):
            return texts
    for decimals in range(1, BRIEF_DIGITS):  # figures that are usually shown with fewer
        texts = tuple(show(value, kind, units, decimals) for value in values)
        if len(set(texts)) == len(set(values)):
            return texts
    return tuple(show(value, kind, units) for value in values)


def age_words(seconds: float) -> str:
    """How old something is: in days from two of them on.

    >>> age_words(4 * 3600.0), age_words(400_000.0)
    ('4:00 h', '5 days')
    """
    days = round(seconds / DAY_S)
    return brief(seconds, "duration") if days < 2 else f"{days} days"


def from_to(low: str, high: str) -> str:
    """Two figures as :func:`show` puts them, from one to the other; a unit that both have is said once.

    >>> from_to("26.67 kg", "27.91 kg"), from_to("58 s", "2 min"), from_to("32 min", "not full")
    ('26.67 to 27.91 kg', '58 s to 2 min', '32 min to not full')
    """
    number, _, unit = low.partition(" ")
    once = unit and unit == high.partition(" ")[2] and number[-1].isdigit()
    return f"{number if once else low} to {high}"


def show_full(share: float) -> str:
    """How full something is; it is never 100 % while a part of it is empty.

    >>> show_full(0.974), show_full(0.9996), show_full(1 - 1e-9), show_full(1.0)
    ('97 %', '99.9 %', '99.9 %', '100 %')
    """
    return percent(math.floor(share * 1000) / 1000, 1) if 0.99 <= share < 1 else percent(share)


def percent(share: float, decimals: int = 0) -> str:
    """A share in percent.

    >>> percent(0.512), percent(0.0834, 1)
    ('51 %', '8.3 %')
    """
    return show(share, "share", decimals=decimals)


def percent_each(*shares: float) -> tuple[str, ...]:
    """*shares* in percent, with as many digits as it takes to tell different ones apart, and each from nothing.

    >>> percent_each(0.12, 0.08), percent_each(0.0018, 0.001), percent_each(0.0, 0.02)
    (('12 %', '8 %'), ('0.2 %', '0.1 %'), ('0 %', '2 %'))
    """
    texts = tuple(percent(share) for share in shares)
    for decimals in range(MOST_DIGITS):
        texts = tuple(percent(share, decimals) for share in shares)
        lost = any(
            share and not any(digit in "123456789" for digit in text) for share, text in zip(shares, texts, strict=True)
        )
        if not lost and len(set(texts)) == len(set(shares)):
            break
    return texts


def signed_share(share: float, decimals: int = 0) -> str:
    """By how much something is more or less, with its sign; none where nothing shows.

    >>> signed_share(0.04), signed_share(-0.004), signed_share(-0.012, 1)
    ('+4 %', '0 %', '−1.2 %')
    """
    text = percent(share, decimals)
    return text if text.startswith("−") or not any(letter in "123456789" for letter in text) else f"+{text}"


def show_power(value: float, unit: str, digits: int = 2) -> str:
    """A figure of no shop's own units as a power of ten, "7.1 × 10⁻¹² m³"."""
    if value == 0 or not math.isfinite(value):
        return f"{value:g} {unit}"
    mantissa, _, exponent = f"{value:.{digits - 1}e}".partition("e")
    raised = str(int(exponent)).translate(str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹"))
    return f"{mantissa} × 10{raised} {unit}"
