"""Joints: how the roll's width divides a ply into pieces, and where the joints of plies over one another come to lie.

A ply is cut from strips of the roll, along its own direction, that overlap where they meet. The strips may be shifted
across: of a number of shifts that need no more strips than any, the one is taken whose joints lie farthest from those
of the two plies of that direction laid before.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from shapely import LineString, Polygon, affinity, box, get_parts
from shapely.geometry.base import BaseGeometry

from bibulon.job import Job
from bibulon.job.cards import Card, FabricCard
from bibulon.job.layup import CutChoices, Layer
from bibulon.job.part import Part, Region
from bibulon.laminate.relief import heights_at

SHIFTS = 48
NARROWEST_M = 0.08
"""A strip that covers less than this across is a nuisance to cut and lay: other shifts come first."""
SAME_DIRECTION_DEG = 10.0
PLIES_BEFORE = 2
SMALLEST_PIECE_M2 = 1e-5


@dataclass(frozen=True)
class Ply:
    """One ply of the book: ``number`` from the tool face, ``layer`` the identifier, as laid, of its entry of the
    book and ``turn`` which of its count it is, with the ``pieces`` it is laid from and the ``joints`` where they meet,
    on the plan."""

    number: int
    layer: str
    turn: int
    card: FabricCard
    angle_deg: float
    region: str | None
    pieces: tuple[Polygon, ...]
    joints: tuple[LineString, ...]
    apart_m: float
    """Least distance of its joints from those of the plies before that run the same way; infinite without any."""


def plies_of(job: Job) -> tuple[Ply, ...]:
    """Every fabric ply of *job*, from the tool face, with pieces and joints on the plan."""
    return _plies(job.part, job.regions, job.laid, job.cutting, job.cards)


@lru_cache(maxsize=8)
def _plies(
    mould: Part, regions: tuple[Region, ...], layup: tuple[Layer, ...], cutting: CutChoices, known: tuple[Card, ...]
) -> tuple[Ply, ...]:
    cards = {card.id: card for card in known}
    shapes = {region.name: Polygon(region.outline) for region in regions}
    part = mould.shape
    plies: list[Ply] = []
    before: list[tuple[float, tuple[float, ...]]] = []
    moved = {(one.layer, one.turn): one.shift_m for one in cutting.shifts}
    for layer in layup:
        card = cards[layer.card]
        if not isinstance(card, FabricCard):
            continue
        shape = part if layer.region is None else part.intersection(shapes[layer.region])
        if shape.is_empty:
            continue
        for turn in range(1, layer.count + 1):
            angle = layer.angle_deg % 180.0
            beside = [at for other, at in before[-PLIES_BEFORE:] if _same_way(angle, other)]
            shift = moved.get((layer.id, turn))
            found, lines, at, apart = _divided(mould, cutting, shape, card.roll_width_m, angle, beside, shift)
            before.append((angle, at))
            plies.append(Ply(len(plies) + 1, layer.id, turn, card, angle, layer.region, found, lines, apart))
    return tuple(plies)


def _same_way(one: float, other: float) -> bool:
    between = abs(one - other) % 180.0
    return min(between, 180.0 - between) <= SAME_DIRECTION_DEG


def _divided(
    mould: Part,
    cutting: CutChoices,
    shape: BaseGeometry,
    roll_m: float,
    angle: float,
    beside: list[tuple[float, ...]],
    shift_m: float | None,
) -> tuple[tuple[Polygon, ...], tuple[LineString, ...], tuple[float, ...], float]:
    """Pieces and joints of a ply over *shape*, where these lie across the roll, and how far from those *beside*.

    *shift_m* is how far the first joint was moved by hand towards the lower edge from where a whole strip ends; None
    to choose.
    """
    laid = affinity.rotate(shape, -angle, origin=(0, 0))
    low_u, low, high_u, high = laid.bounds
    across = _developed(mould, (low_u + high_u) / 2, low, high, angle)
    stretch = across / (high - low)  # a curved mould takes more cloth across than the plan shows
    roll = max(roll_m - 2 * cutting.allowance_m, 0.05) / stretch
    overlap = min(cutting.overlap_m / stretch, 0.9 * roll)
    pitch = roll - overlap
    if high - low <= roll:
        return tuple(_pieces(laid, [(low, high)], angle)), (), (), float("inf")
    best: tuple[tuple[int, float, float], list[tuple[float, float]], tuple[float, ...]] | None = None
    shifts = np.arange(SHIFTS) / SHIFTS * pitch if shift_m is None else np.array([shift_m / stretch % pitch])
    for shift in shifts:
        starts = np.arange(low - shift, high - overlap, pitch)
        strips = [(float(start), float(start + roll)) for start in starts]
        at = tuple(float(start + overlap / 2) for start in starts[1:])
        narrowest = min(min(roll, strips[0][1] - low), min(roll, high - strips[-1][0]))
        apart = min((abs(one - other) for row in beside for one in at for other in row), default=float("inf"))
        enough = min(apart * stretch, cutting.stagger_m)
        score = (len(strips), -enough, -min(narrowest, NARROWEST_M))
        if best is None or score < best[0]:
            best = (score, strips, at)
    assert best is not None
    _, strips, at = best
    apart = min((abs(one - other) for row in beside for one in at for other in row), default=float("inf")) * stretch
    joints = [
        piece
        for v in at
        for piece in get_parts(LineString([(low_u - 1, v), (high_u + 1, v)]).intersection(laid))
        if isinstance(piece, LineString) and piece.length > 0
    ]
    turned = tuple(affinity.rotate(joint, angle, origin=(0, 0)) for joint in joints)
    return tuple(_pieces(laid, strips, angle)), turned, at, apart


def _pieces(laid: BaseGeometry, strips: list[tuple[float, float]], angle: float) -> list[Polygon]:
    low_u, _, high_u, _ = laid.bounds
    return [
        affinity.rotate(piece, angle, origin=(0, 0))
        for low, high in strips
        for piece in get_parts(laid.intersection(box(low_u, low, high_u, high)))
        if isinstance(piece, Polygon) and piece.area > SMALLEST_PIECE_M2
    ]


def _developed(mould: Part, u: float, low: float, high: float, angle: float) -> float:
    """Length on the mould of the line across the roll at *u*."""
    if not mould.relief:
        return high - low
    v = np.linspace(low, high, 61)
    c, s = np.cos(np.radians(angle)), np.sin(np.radians(angle))
    z = heights_at(mould.relief, np.column_stack([u * c - v * s, u * s + v * c]))
    return float(np.hypot(np.diff(v), np.diff(z)).sum())
