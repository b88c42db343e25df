"""Words for the figures of a card: their names, kinds of quantity, and in what two cards differ."""

from __future__ import annotations

from datetime import date
from typing import Any

from bibulon.job.cards import Card
from bibulon.job.field_kinds import KIND_OF_ENDING, kind_of_field
from bibulon.quantities import Units, show
from bibulon.quantity_text import QuantityError, parse

PLAIN_UNITS = {"_m2": "m²", "_j_kg_k": "J/(kg·K)", "_j_kg": "J/kg"}


def card_count(cards: int) -> str:
    return "1 card" if cards == 1 else f"{cards} cards"


def differences(carried: Card, card: Card) -> str:
    """In what the job's copy of *card* differs from it."""
    if type(carried) is not type(card):
        return "This job carries another kind of card of that name."
    names = [
        figure_name(name).lower() for name in type(card).model_fields if getattr(carried, name) != getattr(card, name)
    ]
    return "This job carries an older copy of it, which differs in: " + ", ".join(names) + "."


def figure_text(name: str, value: Any, units: Units) -> str:
    """A figure of a card as it stands in its field."""
    if value is None or isinstance(value, str):
        return value or ""
    if isinstance(value, date):
        return value.isoformat()
    kind = kind_of_field(name)
    if kind:
        return show(value, kind, units).replace("−", "-")
    unit = next((unit for end, unit in PLAIN_UNITS.items() if name.endswith(end)), "")
    return f"{value:.4g} {unit}".strip()


def figure_from(name: str, old: Any, text: str, units: Units) -> Any:
    """The figure that is typed as *text* in the place of *old*. Raises :class:`QuantityError`."""
    kind, text = kind_of_field(name), text.strip()
    if isinstance(old, str):
        return text
    if not text:
        return None
    if name == "expires":
        try:
            return date.fromisoformat(text)
        except ValueError as error:
            raise QuantityError("Write the day like 2027-03-31.") from error
    if kind:
        return parse(text, kind, units)
    try:
        return float(text.replace(",", ".").split()[0])
    except ValueError as error:
        raise QuantityError(f"“{text}” is no number.") from error


def figure_name(name: str) -> str:
    ends = sorted([*KIND_OF_ENDING, *PLAIN_UNITS], key=len, reverse=True)
    bare = next((name[: -len(end)] for end in ends if name.endswith(end)), name)
    words = bare.replace("_", " ")
    return words[:1].upper() + words[1:]
