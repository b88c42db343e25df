"""Hold, fourth part: the house rules that judge a test, by the size of the part."""

from __future__ import annotations

import math
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

from pydantic import ValidationError
from PySide6.QtWidgets import QCheckBox, QVBoxLayout

from bibulon.desk.widgets.choices import ChoiceField
from bibulon.desk.widgets.fields import FreeField, column, label
from bibulon.job.edits import changed, revised
from bibulon.job.faults import explain_here
from bibulon.job.hold import HoldFigures, HoldRules, Rule, SizedRules
from bibulon.quantities import QuantityKind, as_typed, show
from bibulon.quantity_text import parse
from bibulon.vacuum.hold import RULES, drop_allowed_pa

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

LIMITS: dict[Rule, tuple[tuple[str, QuantityKind, str, str], ...]] = {
    "no visible drop": (
        ("Visible drop", "pressure difference", "visible_drop_pa", "The smallest that can be seen on the gauge."),
        ("Held for", "duration", "short_hold_s", ""),
    ),
    "drop per time": (
        (
            "Drop in 10 min",
            "pressure difference",
            "drop_pa_per_600_s",
            "For {area}; it grows with the root of that.",
        ),
    ),
    "pressure reached": (("Reach", "pressure", "reach_pa", ""),),
    "long soak": (("Soak", "duration", "soak_s", "And no shorter than the resin takes to gel."),),
    "leak rate": (("Leak allowed", "leak rate", "leak_pa_m3_s", ""),),
}
"""Of each rule its figures: name, kind, field and a hint."""
LARGEST = ""
"""Stands for the rules of parts that are larger than all sizes named."""


class RulesOfHold:
    """The house rules at a Hold *bench*: those for parts of this size, or of another that is chosen."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document
        self._chosen: str | None = None
        """The size whose rules are shown, as its largest area in m²; None: that of this part."""

    def build(self) -> None:
        self.bench.section("House rules")
        self.bench.watch(self._key, column(2), self._fill)

    def _key(self) -> object:
        return self._rules, self._area_m2, self._chosen, self.document.settings

    @property
    def _rules(self) -> HoldRules:
        return self.document.job.hold_rules

    @property
    def _area_m2(self) -> float:
        return self.document.assessment.area_together_m2

    @property
    def _size(self) -> str:
        sizes = {_name(rules): rules for rules in self._rules.smaller}
        if self._chosen is not None and (self._chosen in sizes or self._chosen == LARGEST):
            return self._chosen
        return _name(self._rules.for_area(self._area_m2))

    @property
    def _shown(self) -> HoldFigures:
        return next((rules for rules in self._rules.smaller if _name(rules) == self._size), self._rules)

    def _area(self, area_m2: float) -> str:
        return show(area_m2, "area", self.document.assessment.units)

    def _sizes(self) -> list[tuple[str, str]]:
        smaller = self._rules.smaller
        return [
            *((f"parts up to {self._area(rules.up_to_m2)}", _name(rules)) for rules in smaller),
            (f"parts over {self._area(smaller[-1].up_to_m2)}" if smaller else "parts of any size", LARGEST),
        ]

    def _fill(self, layout: QVBoxLayout) -> None:
        shown, units = self._shown, self.document.assessment.units
        if self._rules.smaller:
            layout.addWidget(ChoiceField("Rules for", self._sizes, lambda: self._size, self._choose))
            if shown is not self._rules.for_area(self._area_m2):
                layout.addWidget(label(f"This part has {self._area(self._area_m2)}: other rules judge it.", "muted"))
        if isinstance(shown, SizedRules):
            layout.addWidget(
                FreeField("Up to", lambda: as_typed(shown.up_to_m2, "area", units), self._put_size, "Area of the part.")
            )
        for rule in RULES:
            if rule == "pressure reached" and self.document.job.in_mould:
                continue  # the cavity is regulated to less than all the vacuum there is
            box = QCheckBox(rule)
            box.setChecked(rule in shown.rules)
            box.toggled.connect(lambda on, name=rule: self._choose_rule(name, on))
            layout.addWidget(box)
            for name, kind, field, hint in LIMITS[rule] if rule in shown.rules else ():
                layout.addWidget(self._field(name, kind, field, hint.format(area=self._area(1.0))))
            judged = rule in shown.rules and shown is self._rules.for_area(self._area_m2)
            if rule == "drop per time" and judged and self._area_m2 > 1.0:
                allowed = show(drop_allowed_pa(shown, self._area_m2), "pressure difference", units)
                words = f"{allowed} for this part of {self._area(self._area_m2)}: it grows with the root of the area."
                layout.addWidget(label(words, "muted"))
        self.bench.button("+ Rules for smaller parts", self._add, into=layout)
        if isinstance(shown, SizedRules):
            self.bench.button("Take these rules away", self._remove, into=layout)
        self.bench.button("Use for new jobs", self._use_for_new, into=layout)

    def _field(self, name: str, kind: QuantityKind, field: str, hint: str) -> FreeField:
        units = self.document.assessment.units
        return FreeField(
            name,
            lambda: as_typed(getattr(self._shown, field), kind, units),
            lambda text: self._put(**{field: parse(text, kind, units)}),
            hint,
        )

    def _choose(self, size: str) -> None:
        self._chosen = size
        self.bench.refresh()

    def _choose_rule(self, rule: Rule, on: bool) -> None:
        shown = self._shown.rules
        self._put(rules=tuple(name for name in RULES if (on if name == rule else name in shown)))

    def _put(self, **fields: object) -> None:
        """Give the rules that are shown those *fields*. Raises ValueError."""
        rules, shown = self._rules, self._shown
        with self._explained():
            if isinstance(shown, SizedRules):
                smaller = tuple(revised(one, **fields) if one is shown else one for one in rules.smaller)
                rules = revised(rules, smaller=smaller)
            else:
                rules = revised(rules, **fields)
        self._edit(rules)

    def _put_size(self, text: str) -> None:
        up_to = parse(text, "area", self.document.assessment.units)
        shown = self._shown
        with self._explained():
            moved = (revised(one, up_to_m2=up_to) if one is shown else one for one in self._rules.smaller)
            smaller = sorted(moved, key=lambda one: one.up_to_m2)
            rules = revised(self._rules, smaller=tuple(smaller))
        self._edit(rules)
        self._chosen = _name(next(one for one in smaller if one.up_to_m2 == up_to))

    def _add(self) -> None:
        """Rules of their own for parts up to about this one's size, then half as large as the smallest so far; to begin
        with like those."""
        rules = self._rules
        least = min([one.up_to_m2 for one in rules.smaller], default=2 * max(self._area_m2, 0.1)) / 2
        like = rules.smaller[0] if rules.smaller else rules
        figures = {name: getattr(like, name) for name in HoldFigures.model_fields}
        step = 10.0 ** (math.floor(math.log10(least)) - 1)  # two digits, and no less than this part has
        added = SizedRules(up_to_m2=round(math.ceil(least / step - 1e-9) * step, 6), **figures)
        self._edit(revised(rules, smaller=(added, *rules.smaller)))
        self._chosen = _name(added)
        self.bench.refresh()

    def _remove(self) -> None:
        left = tuple(one for one in self._rules.smaller if one is not self._shown)
        self._chosen = None
        self._edit(revised(self._rules, smaller=left))

    @contextmanager
    def _explained(self) -> Iterator[None]:
        try:
            yield
        except ValidationError as error:
            raise ValueError(explain_here(error, self.document.assessment.units)) from error

    def _edit(self, rules: HoldRules) -> None:
        self.document.edit("house rules", changed(self.document.job, hold_rules=rules))

    def _use_for_new(self) -> None:
        self.bench.desk.set_setting("hold_rules", self._rules)
        self.bench.desk.show_message("New jobs begin with these rules of the hold test.")


def _name(rules: HoldFigures) -> str:
    return f"{rules.up_to_m2:g}" if isinstance(rules, SizedRules) else LARGEST
