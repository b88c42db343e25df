"""The shelf: the material cards that ship with the program, and the shop's own beside them."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import Any

import platformdirs
import tomli_w
from pydantic import TypeAdapter, ValidationError

from bibulon.job.cards import Card
from bibulon.job.faults import explain
from bibulon.whole_file import Content, OwnFile, toml_of, write_own

_CARDS: TypeAdapter[Card] = TypeAdapter(Card)


class StockError(Exception):
    """A card file that cannot be used; the message names the file, the card and the field."""


def tables_in(text: str, key: str, name: str) -> list[dict[str, Any]]:
    """The ``[[key]]`` tables of the TOML document *text*. Raises :class:`StockError`."""
    try:
        tables = toml_of(text).get(key, [])
    except ValueError as error:
        raise StockError(f"{name} cannot be read: {error}.") from error
    if not isinstance(tables, list) or not all(isinstance(table, dict) for table in tables):
        raise StockError(f"{name}: each {key} stands under a heading of its own, [[{key}]].")
    return tables


def read_cards(text: str, name: str) -> tuple[Card, ...]:
    """The cards of a TOML document with one ``[[card]]`` table each. Raises :class:`StockError`."""
    cards = []
    for number, table in enumerate(tables_in(text, "card", name), 1):
        try:
            cards.append(_CARDS.validate_python(table))
        except ValidationError as error:
            title = table.get("name", table.get("id", f"card {number}"))
            raise StockError(f"{name}, {title}, {explain(error)}.") from error
    return tuple(cards)


def shop_cards_file() -> Path:
    """Where the shop's own cards lie."""
    return Path(platformdirs.user_data_dir("bibulon")) / "cards.toml"


@cache
def shipped() -> tuple[Card, ...]:
    """The generic cards that ship: class defaults, with wide spreads until somebody measures."""
    return read_cards(files("bibulon.stock").joinpath("shelf.toml").read_text(encoding="utf-8"), "the shipped shelf")


def own_cards() -> tuple[Card, ...]:
    """The shop's own cards. Raises :class:`StockError` if their file cannot be used."""
    return read_own(_own_cards, shop_cards_file()) or ()


_own_cards = OwnFile(read_cards)


def read_own(file: OwnFile[Content], path: Path) -> Content | None:
    """What is in one of the shop's own files; None if there is none yet. Raises :class:`StockError`."""
    try:
        return file.read(path)
    except (OSError, UnicodeDecodeError) as error:
        raise StockError(f"{path} cannot be read ({error}).") from error


def save_own(cards: Iterable[Card]) -> None:
    """Keep *cards* as the shop's own, all at once. Raises :class:`StockError`; the old ones stay then."""
    try:
        write_own(shop_cards_file(), as_toml(cards))
    except OSError as error:
        raise StockError(f"The cards could not be kept ({error.strerror or error}).") from error


def as_toml(cards: Iterable[Card]) -> str:
    """*cards* as a card file; what is not set is left out."""
    return tomli_w.dumps({"card": [card.model_dump(mode="json", exclude_none=True) for card in cards]})


def shelf() -> tuple[Card, ...]:
    """Every card to plan with; the shop's own stand in place of shipped ones of the same identifier.

    Raises :class:`StockError` if the shop's file cannot be used.
    """
    cards = {card.id: card for card in shipped()}
    cards |= {card.id: card for card in own_cards()}
    return tuple(cards.values())


def shelf_card(identifier: str) -> Card:
    """The card of the shelf with that identifier. Raises KeyError."""
    for card in shelf():
        if card.id == identifier:
            return card
    raise KeyError(identifier)
