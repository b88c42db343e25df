"""A stack on its mould as slabs for the flow of heat: wall of the mould, plies and core as they lie, the upper half."""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.job import Job
from bibulon.job.cards import CoatCard, CoreCard, FabricCard
from bibulon.job.mould import MouldKind
from bibulon.laminate.compaction import fibre_fraction, ply_thickness_m
from bibulon.laminate.stack import Stack, packed_by_pa
from bibulon.resin.law import ResinLaw
from bibulon.resin.through_thickness import Slab

PLACES = 40
WALL_PLACES, CORE_PLACES, LEAST_PLACES = 6, 4, 5
LAMINATE_W_MK, FIBRE_J_M3K = 0.35, 2.05e6
CORE_W_MK, CORE_J_KG_K = 0.035, 1400.0
COAT_W_MK, COAT_J_M3K = 0.25, 2.1e6


@dataclass(frozen=True)
class Wall:
    """A mould's wall, class defaults: thickness, conductivity, heat by volume, and the temperature that it stands."""

    thickness_m: float
    conductivity_w_mk: float
    heat_j_m3k: float
    most_k: float


WALLS: dict[MouldKind, Wall] = {
    "rigid composite": Wall(0.012, 0.30, 1.9e6, 343.15),
    "metal": Wall(0.010, 50.0, 3.6e6, 473.15),
    "glass plate": Wall(0.010, 1.0, 2.1e6, 353.15),
    "foam": Wall(0.060, 0.05, 0.3e6, 333.15),
    "wood or board": Wall(0.025, 0.15, 1.1e6, 338.15),
    "flexible": Wall(0.008, 0.25, 1.6e6, 423.15),
}


def slabs_of(job: Job, stack: Stack, law: ResinLaw) -> tuple[Slab, ...]:
    """*stack* of *job* from the back of its mould to the bag or the upper half."""
    wall = WALLS[job.mould.kind]
    thick = job.curing.wall_m or wall.thickness_m
    slabs = [Slab("mould", thick, wall.conductivity_w_mk, wall.heat_j_m3k, 0.0, WALL_PLACES)]
    cards = {card.id: card for card in job.cards}
    pressed_pa = packed_by_pa(job, stack)
    runs: list[tuple[str, float, float]] = []
    """Kind, thickness and resin by volume of what lies over one another."""
    for layer in stack.layers:
        card = cards[layer.card]
        if isinstance(card, FabricCard):
            fraction = fibre_fraction(card, pressed_pa)
            height = ply_thickness_m(card, fraction) * layer.count
            if stack.cavity_m is not None and stack.laminate_thickness_m > 0:
                height *= 1 + stack.slack_m / stack.laminate_thickness_m
                fraction = min(fraction, 0.999) / (1 + stack.slack_m / stack.laminate_thickness_m)
            name, wet = "plies", (1 - fraction) * height
        elif isinstance(card, CoreCard):
            name, height, wet = f"core {card.id}", card.thickness_m * layer.count, 0.0
        else:
            assert isinstance(card, CoatCard)
            name, height, wet = "coat", card.thickness_m * layer.count, 0.0
        if runs and runs[-1][0] == name:
            _, more, also = runs.pop()
            height, wet = height + more, wet + also
        runs.append((name, height, wet))
    plies = sum(height for name, height, _ in runs if name == "plies")
    others = sum(1 for name, *_ in runs if name != "plies")
    left = PLACES - WALL_PLACES * (2 if job.in_mould else 1) - CORE_PLACES * others
    for name, height, wet in runs:
        if height <= 0:
            continue
        if name == "plies":
            share = wet / height
            heat = (1 - share) * FIBRE_J_M3K + share * job.resin.density_kg_m3 * law.heat_capacity_j_kg_k
            count = max(round(left * height / plies), LEAST_PLACES)
            slabs.append(Slab("plies", height, LAMINATE_W_MK, heat, share * job.resin.density_kg_m3, count))
        elif name == "coat":
            slabs.append(Slab("coat", height, COAT_W_MK, COAT_J_M3K, 0.0, 2))
        else:
            core = cards[name.removeprefix("core ")]
            assert isinstance(core, CoreCard)
            slabs.append(Slab("core", height, CORE_W_MK, core.density_kg_m3 * CORE_J_KG_K, 0.0, CORE_PLACES))
    if job.in_mould:
        slabs.append(Slab("upper half", thick, wall.conductivity_w_mk, wall.heat_j_m3k, 0.0, WALL_PLACES))
    return tuple(slabs)


def mould_most_k(job: Job) -> float:
    """What the mould stands, by its kind where nothing is typed."""
    return job.mould.highest_temperature_k or WALLS[job.mould.kind].most_k


CORE_MOST_K = 353.15
"""What a core stands whose card does not say."""


def core_most_k(job: Job, stack: Stack) -> float | None:
    """What the core in *stack* stands that stands least; None without one."""
    cards = [card for card in job.cards if isinstance(card, CoreCard)]
    there = {layer.card for layer in stack.layers}
    limits = [card.highest_temperature_k or CORE_MOST_K for card in cards if card.id in there]
    return min(limits, default=None)
