"""Peel ply laid where it is missed."""

from __future__ import annotations

from bibulon.job import Job
from bibulon.job.cards import PeelPlyCard
from bibulon.job.edits import changed, revised, with_card
from bibulon.stock import shelf


def with_peel_ply(job: Job) -> Job:
    """*job* with peel ply over the whole part: its own, else the first of the shelf."""
    regions = tuple(revised(region, peel_ply="as the rest") for region in job.regions)
    if job.peel_ply is None:
        card = next(card for card in shelf() if isinstance(card, PeelPlyCard))
        job = changed(with_card(job, card), peel_ply=card.id)
    return changed(job, peel_ply_on="part", regions=regions)
