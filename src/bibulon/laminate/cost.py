"""What the materials of a stack cost, by the prices on their cards."""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.job import Job
from bibulon.job.cards import CoatCard, CoreCard, FabricCard
from bibulon.laminate.cells import Stack, laminate_of


@dataclass(frozen=True)
class Cost:
    """An amount in the shop's money, and the materials in it that carry no price."""

    amount: float
    unpriced: tuple[str, ...] = ()

    def __add__(self, other: Cost) -> Cost:
        return Cost(self.amount + other.amount, tuple(dict.fromkeys((*self.unpriced, *other.unpriced))))

    def times(self, factor: float) -> Cost:
        return Cost(self.amount * factor, self.unpriced)


def stack_cost(job: Job, stack: Stack) -> Cost:
    """Per area (1/m²): coats, plies and core as laid, without waste, and the resin that stays in them."""
    cards = {card.id: card for card in job.cards}
    total = Cost(0.0)
    for layer in stack.layers:
        card = cards[layer.card]
        assert isinstance(card, FabricCard | CoreCard | CoatCard)
        each = card.areal_weight_kg_m2 if isinstance(card, CoatCard) else 1.0
        total += Cost(0.0, (card.name,)) if card.price is None else Cost(card.price * each * layer.count)
    resin_kg = (stack.void_m + stack.core_m + stack.core_surface_m) * job.resin.density_kg_m3
    if resin_kg > 0:
        price = job.resin.price
        total += Cost(0.0, (job.resin.name,)) if price is None else Cost(price * resin_kg)
    return total


def part_cost(job: Job) -> Cost:
    """Over all cells of the part."""
    costs: dict[Stack, Cost] = {}
    total = Cost(0.0)
    for cell in laminate_of(job).cells:
        if cell.stack not in costs:
            costs[cell.stack] = stack_cost(job, cell.stack)
        total += costs[cell.stack].times(cell.area_m2)
    return total
