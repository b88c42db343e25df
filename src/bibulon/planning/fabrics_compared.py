"""Fabrics side by side in the place of an entry of the ply book, each laid as often as makes the same weight of fibre.

Weights, thickness, price and waste come from the cards and the cut list; how far resin goes is the hand figure of
:mod:`bibulon.planning.hand` for the whole stack with the fabric in it.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from bibulon.assess import assess
from bibulon.job import Job
from bibulon.job.cards import FabricCard
from bibulon.job.edits import changed, revised, with_card
from bibulon.laminate.compaction import fibre_fraction, ply_thickness_m
from bibulon.laminate.cut_list import cut_list
from bibulon.laminate.stack import packed_by_pa
from bibulon.planning.hand import reach_over_m
from bibulon.workers.report import Progress, no_progress


@dataclass(frozen=True)
class ComparedFabric:
    """A fabric in the entry's place; None where a card says too little, or nothing flows."""

    card: FabricCard
    count: int
    weight_kg_m2: float
    """Of all its plies, by area."""
    thickness_m: float
    price: float | None
    """Of what is cut off the roll for the entry."""
    waste: float
    """Share of what is cut off the roll that is in no piece."""
    reach_m: float | None
    """How far one feed carries resin through the stack with it, where that is widest, before the margin to gel."""
    chosen: bool
    """Whether it is what lies there now."""


def compared_fabrics(
    job: Job, layer_id: str, cards: Iterable[FabricCard], progress: Progress = no_progress
) -> tuple[ComparedFabric, ...]:
    """Every one of *cards* in the place of the entry *layer_id* of *job*, the present one first, then by price.

    Raises KeyError if there is no such entry. *progress* is called with the share done.
    """
    layer = next((layer for layer in job.layup if layer.id == layer_id), None)
    if layer is None:
        raise KeyError(layer_id)
    known = {card.id: card for card in cards}
    now = job.card(layer.card, FabricCard)
    known[now.id] = now
    wanted = layer.count * now.areal_weight_kg_m2
    wastes: dict[tuple[float, int], tuple[float, float]] = {}
    compared = []
    for at, card in enumerate(known.values()):
        count = layer.count if card is now else max(round(wanted / card.areal_weight_kg_m2), 1)
        trial = with_card(job, card)
        laid = tuple(
            revised(entry, card=card.id, count=count) if entry.id == layer_id else entry for entry in trial.layup
        )
        trial = changed(trial, layup=laid)
        key = card.roll_width_m, count
        if key not in wastes:
            wastes[key] = _area_and_waste(trial, layer_id)
        area_m2, waste = wastes[key]
        assessed = assess(trial)
        there = [cell for cell in assessed.laminate.cells if any(entry.id == layer_id for entry in cell.stack.layers)]
        stack = max(there, key=lambda cell: cell.area_m2).stack if there else None
        packed = 0.0 if stack is None else fibre_fraction(card, packed_by_pa(trial, stack))
        compared.append(
            ComparedFabric(
                card,
                count,
                count * card.areal_weight_kg_m2,
                ply_thickness_m(card, packed) * count if packed > 0 else 0.0,
                None if card.price is None else card.price * area_m2,
                waste,
                None if stack is None else reach_over_m(assessed, stack),
                card is now,
            )
        )
        progress((at + 1) / len(known))
    return tuple(sorted(compared, key=lambda one: (not one.chosen, one.price is None, one.price or 0.0, one.card.name)))


def _area_and_waste(job: Job, layer_id: str) -> tuple[float, float]:
    """What is cut off the roll for an entry alone (m²), and the share of it that is waste."""
    (layer,) = (layer for layer in job.layup if layer.id == layer_id)
    times = next((group.times for group in job.groups if group.name == layer.group), 1)
    alone = changed(
        job,
        layup=(revised(layer, group=None),),
        groups=(),
        cutting=revised(job.cutting, offcuts=(), shifts=(), darts=()),
    )
    rolls = cut_list(alone).rolls
    cut_m2 = sum(roll.length_m * roll.width_m for roll in rolls)
    used_m2 = sum(roll.area_m2 for roll in rolls)
    return cut_m2 * times, 1 - used_m2 / cut_m2 if cut_m2 > 0 else 0.0
