"""Cards as a sheet: CSV with a column for each figure, one kind of card beside another."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterable, Iterator
from typing import Any

from pydantic import TypeAdapter, ValidationError

from bibulon.job.cards import Card
from bibulon.job.faults import explain_here
from bibulon.stock import StockError

_CARDS: TypeAdapter[Card] = TypeAdapter(Card)
FIRST = ("kind", "id", "name")
MOST_BYTES = 5_000_000


def as_csv(cards: Iterable[Card]) -> str:
    """*cards* as CSV; a figure inside another is named ``outer.inner``, a list stands as JSON."""
    rows = [_flat(card.model_dump(mode="json", exclude_none=True)) for card in cards]
    names = list(dict.fromkeys([*FIRST, *(name for row in rows for name in row)]))
    text = io.StringIO()
    writer = csv.DictWriter(text, names, restval="", lineterminator="\n")
    writer.writeheader()
    writer.writerows(rows)
    return text.getvalue()


def _flat(data: dict[str, Any], before: str = "") -> dict[str, str]:
    flat: dict[str, str] = {}
    for name, value in data.items():
        if isinstance(value, dict):
            flat |= _flat(value, f"{before}{name}.")
        else:
            flat[f"{before}{name}"] = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
    return flat


def _rows(text: str, separator: str, name: str) -> Iterator[tuple[int, dict[str, Any]]]:
    """The lines of the sheet after its heading, counted from 2, however their ends are written."""
    rows = csv.DictReader(io.StringIO(text, newline=""), delimiter=separator)
    number = 2
    try:
        for number, row in enumerate(rows, 2):
            yield number, row
    except csv.Error as error:
        raise StockError(f"{name} cannot be read after line {number}: {error}.") from error


def from_csv(text: str, name: str) -> tuple[Card, ...]:
    """The cards of a sheet written by :func:`as_csv`. Raises :class:`StockError` naming the line and the column."""
    if len(text) > MOST_BYTES:
        raise StockError(f"{name} is too large for a sheet of cards.")
    separator = ";" if text.partition("\n")[0].count(";") > text.partition("\n")[0].count(",") else ","
    cards = []
    for number, row in _rows(text, separator, name):
        data: dict[str, Any] = {}
        for column, cell in row.items():
            if column is None or not isinstance(cell, str) or not cell.strip():
                continue
            inner = data
            *outer, last = column.strip().split(".")
            for step in outer:
                inner = inner.setdefault(step, {})
                if not isinstance(inner, dict):
                    raise StockError(f"{name}, line {number}: “{column.strip()}” and “{step}” cannot both be columns.")
            inner[last] = _value(cell.strip())
        try:
            cards.append(_CARDS.validate_python(data))
        except ValidationError as error:
            first = error.errors()[0]
            place = ".".join(str(step) for step in first["loc"][1:]) or "kind"
            raise StockError(f"{name}, line {number}, {place}: {explain_here(error)}") from error
    if not cards:
        raise StockError(f"{name} has no cards: a heading and a line for each card are needed.")
    return tuple(cards)


def _value(cell: str) -> Any:
    if cell[0] in "[{" or cell in ("true", "false"):
        try:
            return json.loads(cell)
        except json.JSONDecodeError:
            return cell
    return cell
