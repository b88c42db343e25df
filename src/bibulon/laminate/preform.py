"""Preforms: groups of the ply book that are made into one piece with binder before they are laid."""

from __future__ import annotations

from bibulon.job import Job
from bibulon.job.cards import CoatCard, CoreCard
from bibulon.job.layup import PlyGroup
from bibulon.laminate.tack import binder_kg, fabric_kg, laid_area_m2


def preform_weight_kg(job: Job, group: PlyGroup) -> float:
    """What one preform of *group* should weigh: ``Σ w·A`` of its plies over the mould, binder besides."""
    cards, other = {card.id: card for card in job.cards}, 0.0
    for layer in job.layup:
        card = cards[layer.card]
        if layer.group == group.name and isinstance(card, CoreCard | CoatCard):
            areal = card.areal_weight_kg_m2 if isinstance(card, CoatCard) else card.density_kg_m3 * card.thickness_m
            other += areal * laid_area_m2(job, layer.region) * layer.count
    return fabric_kg(job, group) + binder_kg(job, group) + other
