"""A stack in a closed mould: what fibre fraction it is pressed to at a cavity's height, and the load that takes.

Source: ``h = Σ w/(ρ·Vf(P))`` with the power-law packing ``Vf(P) = Vf₀·(P/P₀)^B`` of every fabric; all plies carry the
same pressure P, which is found so that they and the core fill the cavity.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

from scipy.optimize import brentq

from bibulon.job.cards import Card, CoatCard, CoreCard, FabricCard
from bibulon.job.layup import Layer
from bibulon.job.pair import Channel
from bibulon.laminate.compaction import DENSEST_FIBRE_FRACTION, ply_thickness_m

SOFTEST_PA, HARDEST_PA = 1.0, 1e8


@dataclass(frozen=True)
class Closed:
    """Fibre fraction, and the pressure on the fibre; 0 where the stack lies loose, None where it does not close."""

    fibre_fraction: float
    pressure_pa: float | None
    room_m: float
    """What the cavity leaves to the plies."""


def closed_at(layers: Sequence[Layer], cards: Sequence[Card], cavity_m: float) -> Closed:
    """The stack pressed to *cavity_m*. Raises ValueError, with a message for the user, if the core alone is thicker."""
    plies, rigid = _plies_and_rigid(layers, cards)
    room = cavity_m - rigid
    if room <= 0:
        raise ValueError("Core and coats alone are thicker than the cavity.")
    height = partial(_height_m, plies)
    solid = sum(card.areal_weight_kg_m2 * count / card.fibre_density_kg_m3 for card, count in plies)
    fraction = solid / room
    if not plies or height(SOFTEST_PA) <= room:
        return Closed(fraction, 0.0, room)
    if fraction >= 1.0 or height(HARDEST_PA) > room:
        return Closed(fraction, None, room)
    return Closed(fraction, float(brentq(lambda p: height(p) - room, SOFTEST_PA, HARDEST_PA, rtol=1e-9)), room)


def height_under_m(layers: Sequence[Layer], cards: Sequence[Card], pressure_pa: float) -> float:
    """The cavity's height at which the stack presses back with *pressure_pa*."""
    plies, rigid = _plies_and_rigid(layers, cards)
    return rigid + _height_m(plies, pressure_pa)


def channel_section_m2(channel: Channel) -> float:
    """Area of the channel's section; a half-round is half an ellipse."""
    area = channel.width_m * channel.height_m
    return {"half round": math.pi / 4 * area, "rectangle": area, "none": 0.0}[channel.profile]


def fibre_load_pa(layers: Sequence[Layer], cards: Sequence[Card], cavity_m: float) -> float | None:
    """What the fibre is pressed with in a cavity of that height: 0 if it lies loose, None if no pressure closes it."""
    try:
        closed = closed_at(layers, cards, cavity_m)
    except ValueError:
        return None
    return closed.pressure_pa if closed.fibre_fraction <= DENSEST_FIBRE_FRACTION else None


def _plies_and_rigid(layers: Sequence[Layer], cards: Sequence[Card]) -> tuple[list[tuple[FabricCard, int]], float]:
    """The plies that pack, and the thickness of what does not."""
    known = {card.id: card for card in cards}
    plies: list[tuple[FabricCard, int]] = []
    rigid = 0.0
    for layer in layers:
        card = known[layer.card]
        if isinstance(card, FabricCard):
            plies.append((card, layer.count))
        elif isinstance(card, CoreCard | CoatCard):
            rigid += card.thickness_m * layer.count
    return plies, rigid


def _height_m(plies: Sequence[tuple[FabricCard, int]], pressure_pa: float) -> float:
    return sum(ply_thickness_m(card, _fraction(card, pressure_pa)) * count for card, count in plies)


def _fraction(card: FabricCard, pressure_pa: float) -> float:
    ratio = (pressure_pa / card.reference_pressure_pa) ** card.compaction_exponent
    return float(card.fibre_fraction * ratio)
