"""The hold test of a closed mould's two spaces at once, read as a pair: which seal, port or mould leaks.

Both are fitted as :mod:`bibulon.vacuum.hold` fits one. A space moves if its steady change is surely not nothing (95 %)
and would be seen on the gauge in ten minutes. Air that crosses the inner seal goes to the deeper vacuum, as a rule the
flange's: that rises and the other falls. The deeper one never falls by a leak: its pump was still on.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from bibulon.job.hold import HoldFigures, HoldTest
from bibulon.quantities import Units, show
from bibulon.vacuum.hold import LeakFit, drop_allowed_pa, fit_leak, without_drift

Leak = Literal["none", "unsure", "wing seal", "cavity", "across", "both"]
SEEN_OVER_S = 600.0

WORDS: dict[Leak, str] = {
    "none": "Both spaces hold.",
    "unsure": "A space moves, and may only be settling yet: hold longer before it is judged.",
    "wing seal": "The flange alone loses its vacuum: the outer (wing) seal, or the flange's own port.",
    "cavity": "The cavity alone loses its vacuum: a port, the mould itself, or the inner (dynamic) seal where it meets "
    "the atmosphere.",
    "across": "The two spaces move towards each other: air crosses the inner (dynamic) seal.",
    "both": "Both spaces lose their vacuum: the outer seal, and the cavity besides. Mend the flange and hold again.",
}


TOLERATED: dict[Leak, str] = {
    "unsure": "A space moves",
    "wing seal": "The flange alone rises",
    "cavity": "The cavity alone rises",
    "across": "The two spaces move towards each other",
    "both": "Both spaces rise",
}


@dataclass(frozen=True)
class PairReading:
    """What both spaces say: their fits, the leak, and whether it is within the drop that the house allows."""

    cavity: LeakFit
    flange: LeakFit
    leak: Leak
    tolerated: bool = False

    @property
    def stands(self) -> bool:
        """Whether the mould may be shot as it is."""
        return self.leak == "none" or self.tolerated

    @property
    def rank(self) -> Literal["settled", "caution", "stop"]:
        """How grave it is."""
        if self.stands:
            return "settled"
        return "caution" if self.leak == "unsure" else "stop"

    def text(self, units: Units) -> str:
        """The finding with both changes over ten minutes."""
        moves = " and ".join(
            f"{name} {show(fit.rise_pa_s * SEEN_OVER_S, 'pressure difference', units)}"
            for name, fit in (("cavity", self.cavity), ("flange", self.flange))
        )
        words = WORDS[self.leak]
        if self.tolerated and self.leak in TOLERATED:
            words = f"{TOLERATED[self.leak]}, by no more than the house allows: watch it from shot to shot."
        return f"{words} In ten minutes: {moves} of rise."


def read_pair(test: HoldTest, rules: HoldFigures, area_m2: float) -> PairReading | None:
    """The two spaces of *test* as a pair, for a part of *area_m2*; None if the flange was not read."""
    if len(test.flange_readings) < 2:
        return None
    cavity, flange = (fit_leak(without_drift(test, readings)) for readings in (test.readings, test.flange_readings))
    up_cavity, up_flange = (_moves(fit, rules.visible_drop_pa) for fit in (cavity, flange))
    seen = max(abs(fit.rise_pa_s) for fit in (cavity, flange)) * SEEN_OVER_S
    leak: Leak = "none" if seen < rules.visible_drop_pa else "unsure"
    higher, deeper = (up_cavity, up_flange) if cavity.start_pa > flange.start_pa else (up_flange, up_cavity)
    if higher < 0 < deeper:
        leak = "across"
    elif up_cavity > 0 and up_flange > 0:
        leak = "both"
    elif up_flange > 0:
        leak = "wing seal"
    elif up_cavity > 0:
        leak = "cavity"
    allowed_pa = drop_allowed_pa(rules, area_m2) if "drop per time" in rules.rules else 0.0
    return PairReading(cavity, flange, leak, tolerated=seen <= allowed_pa)


def _moves(fit: LeakFit, visible_pa: float) -> int:
    """1 if the pressure surely rises, −1 if it surely falls, 0 if neither would be seen."""
    if abs(fit.rise_pa_s) * SEEN_OVER_S < visible_pa:
        return 0
    return 1 if fit.low_pa_s > 0 else -1 if fit.high_pa_s < 0 else 0
