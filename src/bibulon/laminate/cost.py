"""What the materials of a stack cost, by the prices on their cards."""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.job import Job
from bibulon.laminate.cells import laminate_of
from bibulon.laminate.stack import Stack, stack_amounts


@dataclass(frozen=True)
class Cost:
    """An amount in the shop's money, and the materials in it that carry no price."""

    amount: float
    unpriced: tuple[str, ...] = ()

    def __add__(self, other: Cost) -> Cost:
        return Cost(self.amount + other.amount, tuple(dict.fromkeys((*self.unpriced, *other.unpriced))))


def stack_cost(job: Job, stack: Stack) -> Cost:
    """Per area (1/m²): coats, plies and core as laid, without waste, and the resin that stays in them."""
    resin_kg = (stack.void_m + stack.core_m + stack.core_surface_m) * job.resin.density_kg_m3
    return dry_cost(job, stack_amounts(job, stack)) + _resin_cost(job, resin_kg)


def part_cost(job: Job) -> Cost:
    """Over all cells of the part."""
    laminate = laminate_of(job)
    resin_m3 = sum(
        cell.area_m2 * (cell.stack.void_m + cell.stack.core_m + cell.stack.core_surface_m) for cell in laminate.cells
    )
    return dry_cost(job, laminate.amounts) + _resin_cost(job, resin_m3 * job.resin.density_kg_m3)


def dry_cost(job: Job, amounts: dict[str, float]) -> Cost:
    """What *amounts* of the job's cards cost."""
    cards = {card.id: card for card in job.cards}
    total = Cost(0.0)
    for name, amount in amounts.items():
        price = cards[name].price
        total += Cost(0.0, (cards[name].name,)) if price is None else Cost(price * amount)
    return total


def _resin_cost(job: Job, resin_kg: float) -> Cost:
    if resin_kg <= 0:
        return Cost(0.0)
    return Cost(0.0, (job.resin.name,)) if job.resin.price is None else Cost(job.resin.price * resin_kg)
