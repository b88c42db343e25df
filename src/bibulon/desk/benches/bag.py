"""Bag: film, tape and pleats."""

from __future__ import annotations

from collections.abc import Callable

from bibulon.bag.film import BagPlan
from bibulon.desk.benches.base import Bench
from bibulon.desk.fields import label
from bibulon.quantities import show


class BagBench(Bench):
    """What to cut and where to pleat."""

    def build(self) -> None:
        self.figure(
            "Film to cut",
            self._of(
                lambda bag: f"{self._show(bag.film_length_m, 'distance')} × {self._show(bag.film_width_m, 'distance')}",
                "The taped outline, each side longer by the root of the excess, and tape all round.",
            ),
        )
        self.figure("Film area", self._of(lambda bag: self._show(bag.film_area_m2, "area"), "Length times width."))
        self.figure(
            "Sealing tape",
            self._of(lambda bag: self._show(bag.tape_m, "distance"), "Once round mid-flange, corners overlapped."),
        )
        self.figure(
            "Excess round the edge",
            self._of(lambda bag: self._show(bag.excess_m, "distance"), "Edge of the film less the tape line."),
        )
        self.figure(
            "Pleats needed",
            self._of(lambda bag: str(bag.pleats_needed), "Excess over what one pleat takes up."),
        )
        self.figure(
            "Pleat height",
            self._of(lambda bag: self._show(bag.pleat_height_m, "length"), "Half the excess each pleat takes up."),
        )
        self.section("Plan the bag")
        self.quantity("Film excess", "share", "bag/film_excess", "Film area over the taped surface.")
        self.quantity("Excess per pleat", "length", "bag/excess_per_pleat_m")
        self.quantity("Pleats", "count", "bag/pleats", "Empty: as many as needed.", empty="as needed")
        self.quantity("Tape width", "length", "bag/tape_width_m")
        self.section("While bagging")
        for text in (
            "Tape goes down on clean, unreleased flange before any fibre.",
            "A pleat at every corner first; tape up both faces, press its root; the last one reversed to close.",
            "Draw down slowly, stop half-way, work the film into the corners and look that no line has shifted.",
        ):
            self.body.addWidget(label(text))

    def _show(self, value: float, kind: str) -> str:
        return show(value, kind, self.document.assessment.units)

    def _of(self, text: Callable[[BagPlan], str], how: str) -> Callable[[], tuple[str, str]]:
        return lambda: (text(self.document.assessment.bag), how)
