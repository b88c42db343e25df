"""What holds dry plies in place: tack between them, and binder in a preform."""

from __future__ import annotations

from collections.abc import Iterator

from bibulon.job import Job
from bibulon.job.cards import AdhesiveCard, CoreCard, FabricCard
from bibulon.job.layup import Layer, PlyGroup
from bibulon.laminate.relief import developed_area_m2


def laid_area_m2(job: Job, region: str | None) -> float:
    """The surface of the mould under what is laid in *region*, or over the whole part for None (m²)."""
    outlines = {one.name: one.outline.polygon for one in job.regions}
    shape = job.part.shape if region is None else outlines[region].intersection(job.part.shape)
    return sum(developed_area_m2(job.part.relief, part) for part in getattr(shape, "geoms", [shape]))


def each_laid(job: Job) -> Iterator[tuple[Layer, bool]]:
    """The entry of each coat, ply and core in the order they are laid, with whether it is a ply that is tacked on
    fabric, core or a preform before it."""
    cards = {card.id: card for card in job.cards}
    preforms = {group.name for group in job.groups if group.preform is not None}
    begun = False
    for layer in job.laid:
        in_preform, card = layer.group in preforms, cards[layer.card]
        for _ in range(layer.count):
            yield layer, begun and isinstance(card, FabricCard) and not in_preform
            begun = begun or in_preform or isinstance(card, FabricCard | CoreCard)


def tack_kg(job: Job) -> float:
    """What is sprayed of the job's tack on all plies of one part; 0 without tack."""
    if job.tack is None:
        return 0.0
    each_m2 = job.card(job.tack, AdhesiveCard).areal_weight_kg_m2
    return each_m2 * sum(laid_area_m2(job, layer.region) for layer, tacked in each_laid(job) if tacked)


def fabric_kg(job: Job, group: PlyGroup) -> float:
    """The fabrics of one turn of *group*."""
    cards = {card.id: card for card in job.cards}
    total = 0.0
    for layer in job.layup:
        card = cards[layer.card]
        if layer.group == group.name and isinstance(card, FabricCard):
            total += card.areal_weight_kg_m2 * laid_area_m2(job, layer.region) * layer.count
    return total


def binder_kg(job: Job, group: PlyGroup) -> float:
    """The binder of one preform of *group*: a share of the weight of its fabrics; 0 where it is none."""
    return 0.0 if group.preform is None else group.preform.binder_share * fabric_kg(job, group)
