"""Cloth that is laid across the part instead of along it: the same laminate off less of the roll.

A mat has no direction, and cloth that has as much fibre one way as at right angles to it is the same turned by 90°;
turned, its pieces may fill the width of the roll better. More pieces mean more joints, so that it is only told.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from bibulon.job import Job
from bibulon.job.cards import FabricCard
from bibulon.job.edits import changed, revised
from bibulon.laminate.cut_list import MANY_PIECES, CutList, cut_list
from bibulon.quantities import Units, show

LEAST_SAVED_M, LEAST_SHARE = 0.2, 0.05
"""Less than this off the roll is not worth a word."""
LEAST_PER_PIECE_M2 = 0.5
"""Less cloth than this for each further piece is not worth its joint."""
SHARE_STEP = 0.01
"""Shares of fibre that differ by less are the same."""


@dataclass(frozen=True)
class LaidAcross:
    """What comes of laying every ply of the fabric ``card`` turned by 90°: metres off the roll, how many fewer, what
    that costs less (None without a price), and how many pieces there are more."""

    card: FabricCard
    length_m: float
    saved_m: float
    saved_cost: float | None
    more_pieces: int


def across_words(better: LaidAcross, units: Units) -> str:
    """What comes of laying it across, to stand within a sentence."""
    lengths = [show(length_m, "distance", units, decimals=1) for length_m in (better.length_m, better.saved_m)]
    cost = "" if better.saved_cost is None else f" and {show(better.saved_cost, 'money', units)}"
    more = abs(better.more_pieces)
    pieces = f"{more} {'more' if better.more_pieces > 0 else 'fewer'} piece{'s' if more > 1 else ''}"
    return f"{lengths[0]}, saves {lengths[1]}{cost}" + (f"; {pieces}" if more else "")


def same_across(card: FabricCard) -> bool:
    """Whether the fibre of *card* runs the same once it is turned by 90°."""
    along: Counter[int] = Counter()
    across: Counter[int] = Counter()
    for direction in card.fibre_directions:
        share = round(direction.share / SHARE_STEP)
        along[round(direction.angle_deg) % 180] += share
        across[round(direction.angle_deg + 90) % 180] += share
    return all(abs(along[angle] - across[angle]) <= 1 for angle in {*along, *across})


def with_card_across(job: Job, card: str) -> Job:
    """*job* with every ply of the fabric *card* turned by 90°."""
    layers = tuple(
        revised(layer, angle_deg=layer.angle_deg + (90.0 if layer.angle_deg <= 0 else -90.0))
        if layer.card == card
        else layer
        for layer in job.layup
    )
    return changed(job, layup=layers)


def laid_across(job: Job, cuts: CutList) -> tuple[LaidAcross, ...]:
    """For each fabric of *cuts*, the cut list of *job*, that would take clearly less of the roll laid across; none of
    those that lie on offcuts, and none of so many pieces that packing them anew takes long."""
    if len(cuts.pieces) > MANY_PIECES:
        return ()
    on_offcuts = {roll.card.id for roll in cuts.rolls if roll.offcut}
    found = []
    for roll in cuts.rolls:
        card = roll.card
        if card.id in on_offcuts or not same_across(card):
            continue
        turned = next(other for other in cut_list(with_card_across(job, card.id)).rolls if other.card.id == card.id)
        saved_m, more = roll.length_m - turned.length_m, len(turned.pieces) - len(roll.pieces)
        if saved_m < max(LEAST_SAVED_M, LEAST_SHARE * roll.length_m):
            continue
        if saved_m * roll.width_m < LEAST_PER_PIECE_M2 * more:
            continue
        cost = None if card.price is None else card.price * saved_m * roll.width_m
        found.append(LaidAcross(card, turned.length_m, saved_m, cost, more))
    return tuple(found)
