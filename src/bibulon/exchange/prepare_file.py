"""What to prepare as CSV, in SI units."""

from __future__ import annotations

import csv
import io
from collections.abc import Collection

from bibulon.planning.to_prepare import STATION_WORDS, Need

UNITS = {"area": "m²", "distance": "m", "mass": "kg", "count": "pieces", "volume": "m³"}


def needs_csv(needs: Collection[Need]) -> str:
    """A row for each of *needs*: what for, what, how it is used, how much, in hand, to buy, unit, price."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["for", "what", "use", "needed", "in_hand", "to_buy", "unit", "price"])
    for need in needs:
        numbers = (need.amount, need.in_hand, need.to_buy)
        shown = ["" if number is None else f"{number:.6g}" for number in numbers]
        price = "" if need.price is None else f"{need.price:.2f}"
        words = (STATION_WORDS[need.station], need.what, need.use)
        writer.writerow([*words, *shown, UNITS[need.kind], price])
    return out.getvalue()
