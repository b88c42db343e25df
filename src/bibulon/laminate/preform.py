"""Preforms: groups of the ply book that are made into one piece with binder before they are laid."""

from __future__ import annotations

from bibulon.job import Job
from bibulon.job.cards import CoatCard, CoreCard, FabricCard
from bibulon.job.layup import PlyGroup
from bibulon.laminate.relief import developed_area_m2


def preform_weight_kg(job: Job, group: PlyGroup) -> float:
    """What one preform of *group* should weigh: ``Σ w·A`` of its plies over the mould, binder besides.

    The binder is the group's share of the weight of its fabrics.
    """
    regions = {region.name: region.outline.polygon for region in job.regions}
    fabric = other = 0.0
    for layer in job.layup:
        if layer.group != group.name:
            continue
        shape = job.part.shape if layer.region is None else regions[layer.region].intersection(job.part.shape)
        area = sum(developed_area_m2(job.part.relief, part) for part in getattr(shape, "geoms", [shape])) * layer.count
        card = next(card for card in job.cards if card.id == layer.card)
        if isinstance(card, FabricCard):
            fabric += card.areal_weight_kg_m2 * area
        elif isinstance(card, CoreCard):
            other += card.density_kg_m3 * card.thickness_m * area
        elif isinstance(card, CoatCard):
            other += card.areal_weight_kg_m2 * area
    return fabric * (1 + (group.preform.binder_share if group.preform else 0.0)) + other
