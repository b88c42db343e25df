"""A figure that knows what it is and how it came about."""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.quantities import QuantityKind, Units, show
from bibulon.quantities_in_words import brief


@dataclass(frozen=True)
class Figure:
    """A computed value with its kind of quantity and, in words, how it came about.

    ``value`` is None while it is not known; ``how`` then says what is missing.
    """

    value: float | None
    kind: QuantityKind
    how: str

    def shown(self, units: Units) -> str:
        """The value in the shop's units, or a dash."""
        if self.value is None:
            return "–"
        put = brief if self.kind == "pressure difference" else show
        return put(self.value, self.kind, units)
