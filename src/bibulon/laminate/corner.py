"""Corners: how far a stack has to move as it packs down round a radius, and how often to debulk so that it can.

Round a corner of angle θ (what the mould turns by) a ply at distance d from a female mould of radius r runs at radius
r − d. As the stack packs from its loose thickness to its packed one the outer plies come to lie farther out and need
``Δ = θ (h_loose − h_packed)`` more length. Cloth that cannot slide spans the corner on a larger radius instead:
``(2 tan(θ/2) − θ)(R' − R) = Δ``, and stands off it by ``(R' − R)(1/cos(θ/2) − 1)``. Round a male corner the same
length is too much, and piles up as a wrinkle.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from shapely import LineString

from bibulon.job.cards import Card, FabricCard
from bibulon.job.layup import Layer
from bibulon.job.mould import Mould
from bibulon.laminate.compaction import HAND_PA, fibre_fraction, ply_thickness_m

SMALL_GAP_M = 0.0005
"""Bridging no worse than this closes as the bag comes down."""
CLOTH_GIVES_M = 0.0005
"""Cloth that has to slide by no more follows the edge of a core by itself (judgement)."""
SHARPEST_DEG, BLUNTEST_DEG = 5.0, 150.0
USUAL_TURN_DEG = 90.0
LOOKED_AT = 9
"""Places along an edge whose stacks are looked at."""


@dataclass(frozen=True)
class CornerMove:
    """Loose and packed thickness, the length that has to slide, how far cloth that does not would stand off (female) or
    the length that piles up (male), and in how many goes to debulk."""

    loose_m: float
    packed_m: float
    slide_m: float
    gap_m: float
    goes: int
    plies: int
    """How many plies of fabric there are to debulk between."""

    @property
    def each_ply(self) -> bool:
        """Whether even a debulk after each ply moves one further than is small."""
        return self.goes > max(self.plies, 1)


@dataclass(frozen=True)
class CornerAt:
    """A corner of a job's mould; ``place`` None: anywhere, so the thickest stack counts. ``name`` as in a sentence."""

    name: str
    radius_m: float
    turn_deg: float
    male: bool
    place: tuple[float, float] | None
    edge: tuple[tuple[float, float], ...] = ()
    """Its course, where it runs along an edge."""

    @property
    def places(self) -> tuple[tuple[float, float], ...]:
        """Where it is looked at: at its place, or at so many along its edge."""
        if not self.edge:
            return () if self.place is None else (self.place,)
        course = LineString(self.edge)
        along = [course.interpolate(share, normalized=True) for share in np.linspace(0.02, 0.98, LOOKED_AT)]
        return tuple((place.x, place.y) for place in along)


def along_edge(edge: tuple[tuple[float, float], ...]) -> dict[str, object]:
    """The fields of a corner that runs along *edge*; empty: of one that is at its place."""
    if not edge:
        return {"edge": ()}
    middle = LineString(edge).interpolate(0.5, normalized=True)
    return {"edge": edge, "place": (round(middle.x, 4), round(middle.y, 4))}


def corners_of(mould: Mould) -> tuple[CornerAt, ...]:
    """The corners listed for *mould*, else its tightest, else none."""
    if mould.corners:
        return tuple(
            CornerAt(
                f"corner {corner.label}", corner.radius_m, corner.turn_deg, not corner.inside, corner.place, corner.edge
            )
            for corner in mould.corners
        )
    if mould.corner_radius_m is None or mould.face == "flat":
        return ()
    return (CornerAt("the corner", mould.corner_radius_m, USUAL_TURN_DEG, mould.face == "male", None),)


def corner_move(
    layers: Sequence[Layer], cards: Sequence[Card], packed_pa: float, radius_m: float, turn_deg: float, male: bool
) -> CornerMove:
    """How the fabrics of a stack move round a corner. Raises ValueError with a message for the user."""
    if not SHARPEST_DEG <= turn_deg <= BLUNTEST_DEG:
        raise ValueError(f"The corner has to turn by {SHARPEST_DEG:g} to {BLUNTEST_DEG:g} degrees.")
    loose, packed = _thicknesses_m(layers, cards, packed_pa)
    if not male and radius_m < packed:
        raise ValueError("The stack is thicker than the radius: the last plies have no way round. Open the radius.")
    slide = math.radians(turn_deg) * (loose - packed)
    gap = (loose - packed) * _gap_per_proud(turn_deg, male)
    fabrics = {card.id for card in cards if isinstance(card, FabricCard)}
    plies = sum(layer.count for layer in layers if layer.card in fabrics)
    return CornerMove(loose, packed, slide, gap, max(1, math.ceil(gap / SMALL_GAP_M - 1e-9)), plies)


def _thicknesses_m(layers: Sequence[Layer], cards: Sequence[Card], packed_pa: float) -> tuple[float, float]:
    """Loose and packed thickness of the fabrics of a stack."""
    known = {card.id: card for card in cards}
    loose = packed = 0.0
    for layer in layers:
        card = known[layer.card]
        if isinstance(card, FabricCard):
            loose += layer.count * ply_thickness_m(card, fibre_fraction(card, HAND_PA))
            packed += layer.count * ply_thickness_m(card, fibre_fraction(card, packed_pa))
    return loose, packed


def stands_off_core_m(
    layers: Sequence[Layer], cards: Sequence[Card], packed_pa: float, core_m: float, run_per_rise: float
) -> float:
    """How far the fabrics laid over the edge of a core stand off its foot: a corner with no radius that turns by the
    slope of the edge, ``atan(1/run)``, 90° where it is square; half the core's thickness at the most. Nothing where
    they have to slide by no more than :data:`CLOTH_GIVES_M`."""
    turn = math.degrees(math.atan2(1.0, run_per_rise))
    loose, packed = _thicknesses_m(layers, cards, packed_pa)
    if math.radians(turn) * (loose - packed) <= CLOTH_GIVES_M:
        return 0.0
    return min((loose - packed) * _gap_per_proud(turn, male=False), core_m / 2)


def _gap_per_proud(turn_deg: float, male: bool) -> float:
    """Stand-off (female) or piled-up length (male) over how much prouder the stack lies than it will."""
    angle = math.radians(turn_deg)
    return angle if male else angle / (2 * math.tan(angle / 2) - angle) * (1 / math.cos(angle / 2) - 1)


def most_proud_m(turn_deg: float, male: bool) -> float:
    """How much prouder than packed a stack may lie round a corner for no more than :data:`SMALL_GAP_M` of bridging."""
    return SMALL_GAP_M / _gap_per_proud(turn_deg, male)
