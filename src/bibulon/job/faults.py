"""What is wrong with a figure or a file, in plain words instead of those of the checking library."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any

from pydantic import ValidationError

from bibulon.job.field_kinds import kind_of_field
from bibulon.quantities import QuantityKind, Units
from bibulon.quantities_in_words import bound_shown

BOUNDS = {"ge": "at least", "gt": "more than", "le": "at most", "lt": "less than"}
WORDS = {
    "missing": "this is missing",
    "extra_forbidden": "nothing of this name is known",
    "float_type": "this has to be a number",
    "float_parsing": "this has to be a number",
    "finite_number": "this has to be a number",
    "int_type": "this has to be a whole number",
    "int_parsing": "this has to be a whole number",
    "int_from_float": "this has to be a whole number",
    "bool_type": "this has to be true or false",
    "bool_parsing": "this has to be true or false",
    "string_type": "this has to be words",
    "tuple_type": "this has to be a list",
    "union_tag_not_found": "its kind is missing",
    "model_type": "this has to have fields of its own",
    "model_attributes_type": "this has to have fields of its own",
    "dict_type": "this has to have fields of its own",
}


def explain(error: ValidationError) -> str:
    """The first fault found, with its place in the file, to stand within a sentence."""
    first = error.errors()[0]
    place = " › ".join(str(step + 1) if isinstance(step, int) else str(step) for step in first["loc"])
    more = f" (and {error.error_count() - 1} more)" if error.error_count() > 1 else ""
    return (f"{place}: {_fault(first)}" if place else _fault(first)) + more


def explain_here(
    error: ValidationError, units: Units | None = None, kinds: Mapping[str, QuantityKind] = MappingProxyType({})
) -> str:
    """The first fault found in what was typed, as a sentence without a place.

    A bound is said in the shop's *units*: of the kind that *kinds* has for the field, or else by the unit that the
    field's name ends with. Where the fault names no field, it is the first of *kinds*. Without *units* it is said as a
    file has it, in SI.
    """
    first = error.errors()[0]
    if first["type"] == "too_long" and first["loc"] and isinstance(first["loc"][-1], str):
        return f"There may be at most {first['ctx']['max_length']} {first['loc'][-1].replace('_', ' ')}."
    names = [step for step in first["loc"] if isinstance(step, str)]
    kind = kinds.get(names[-1]) or kind_of_field(names[-1]) if names else next(iter(kinds.values()), None)
    if units is None or kind is None:
        words = _fault(first)
    else:
        counted: QuantityKind = "length" if kind == "thickness" else kind  # a bound has no hundredths
        words = _fault(first, lambda limit: bound_shown(limit, counted, units))
    return f"{words[:1].upper()}{words[1:]}."


def _fault(fault: Any, in_words: Callable[[float], str] = "{:g}".format) -> str:
    kind, context = str(fault["type"]), fault.get("ctx", {})
    for name, words in BOUNDS.items():
        if (limit := context.get(name)) is not None:
            return f"this has to be {words} {in_words(limit)}" if isinstance(limit, int | float) else f"{words} {limit}"
    what = "characters" if kind.startswith("string") else "entries"
    for name, words in (("max_length", "may have at most"), ("min_length", "needs at least")):
        if (count := context.get(name)) is not None:
            return f"this {words} {count} {what}"
    if kind in ("literal_error", "union_tag_invalid"):
        return f"this has to be one of {context.get('expected') or context.get('expected_tags')}"
    if kind.startswith(("datetime", "timezone")):
        return "this has to be a day and time like 2026-03-12T09:30:00Z"
    if kind.startswith("date"):
        return "this has to be a day like 2027-03-31"
    return WORDS.get(kind) or str(fault["msg"]).removeprefix("Value error, ").rstrip(".")
