"""What the materials of a stack cost, by the prices on their cards."""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.job import Job
from bibulon.job.cards import CoatCard
from bibulon.laminate.cells import Stack, laminate_of


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
    return dry_cost(job, _amounts(job, stack, 1.0)) + _resin_cost(job, resin_kg)


def part_cost(job: Job) -> Cost:
    """Over all cells of the part."""
    cells = laminate_of(job).cells
    resin_m3 = sum(cell.area_m2 * (cell.stack.void_m + cell.stack.core_m + cell.stack.core_surface_m) for cell in cells)
    return dry_cost(job, dry_amounts(job)) + _resin_cost(job, resin_m3 * job.resin.density_kg_m3)


def dry_amounts(job: Job) -> dict[str, float]:
    """How much of each card of the ply book lies in the part: m², of coats kg."""
    found: dict[str, float] = {}
    areas: dict[int, tuple[Stack, float]] = {}
    for cell in laminate_of(job).cells:
        _, before = areas.get(id(cell.stack), (cell.stack, 0.0))
        areas[id(cell.stack)] = cell.stack, before + cell.area_m2
    for stack, area in areas.values():
        for name, amount in _amounts(job, stack, area).items():
            found[name] = found.get(name, 0.0) + amount
    return found


def _amounts(job: Job, stack: Stack, area_m2: float) -> dict[str, float]:
    counts: dict[str, int] = {}
    for layer in stack.layers:
        counts[layer.card] = counts.get(layer.card, 0) + layer.count
    coats = {card.id: card.areal_weight_kg_m2 for card in job.cards if isinstance(card, CoatCard)}
    return {name: count * area_m2 * coats.get(name, 1.0) for name, count in counts.items()}


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
