"""Joints: how the roll's width divides a ply into pieces, and where the joints of plies over one another come to lie.

A ply is cut from strips of the roll, along its own direction, that overlap where they meet. The strips may be shifted
across: of a number of shifts that need no more strips than any, the one is taken whose joints lie farthest from those
of the two plies of that direction laid before. A hand may put the joints of a ply elsewhere. Darts step aside from ply
to ply.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from shapely import LineString, Polygon, affinity, box, get_parts, union_all
from shapely.geometry.base import BaseGeometry

from bibulon.job import Job
from bibulon.job.cards import FabricCard
from bibulon.job.edits import changed, revised
from bibulon.job.layup import CutChoices, JointShift
from bibulon.job.part import Part
from bibulon.job.reads import derived
from bibulon.laminate.unrolled import Across, across_roll, unrolled

SHIFTS = 48
NARROWEST_M = 0.08
"""A strip that covers less than this across is a nuisance to cut and lay: other shifts come first."""
SAME_DIRECTION_DEG = 10.0
PLIES_BEFORE = 2
SMALLEST_PIECE_M2 = 1e-5
DART_STEPS = (0, 1, -1)
BEYOND_MOUTH = 1.25
"""A wedge is cut so much longer than from its tip to its mouth."""


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
    shift_m: float = 0.0
    """How far its joints lie towards the lower edge, across the roll on the mould, from where a whole strip ends."""
    darts: tuple[Polygon, ...] = ()
    """The wedges of cloth taken out of it, on the plan."""


@derived("plies", 8)
def plies_of(job: Job) -> tuple[Ply, ...]:
    """Every fabric ply of *job*, from the tool face, with pieces and joints on the plan."""
    mould, cutting = job.part, job.cutting
    cards = {card.id: card for card in job.cards}
    shapes = {region.name: region.outline.polygon for region in job.regions}
    part = mould.shape
    covered: dict[str | None, BaseGeometry] = {}
    plies: list[Ply] = []
    before: list[tuple[float, tuple[float, ...]]] = []
    moved = {(shift.layer, shift.turn): shift.shift_m for shift in cutting.shifts}
    whole: dict[tuple[str | None, float, float], _Divided] = {}
    """What needs no joints, by region, angle and roll: cut once."""
    taken: dict[tuple[str | None, float], Across] = {}
    for layer in job.laid:
        card = cards[layer.card]
        if not isinstance(card, FabricCard):
            continue
        if layer.region not in covered:
            covered[layer.region] = part.intersection(shapes[layer.region]) if layer.region is not None else part
        shape = covered[layer.region]
        if shape.is_empty:
            continue
        for turn in range(1, layer.count + 1):
            angle = layer.angle_deg % 180.0
            beside = [at for other, at in before[-PLIES_BEFORE:] if _same_way(angle, other)]
            if (layer.region, angle) not in taken:
                laid = affinity.rotate(shape, -angle, origin=(0, 0))
                taken[layer.region, angle] = across_roll(mould.relief, laid, angle)
            across, by_hand = taken[layer.region, angle], moved.get((layer.id, turn))
            alike = (layer.region, angle, card.roll_width_m)
            cut = whole.get(alike) or _divided(mould, cutting, shape, card.roll_width_m, angle, beside, by_hand, across)
            if not cut.joints:
                whole[alike] = cut
            before.append((angle, cut.at))
            darts = _darts(cutting, shape, len(plies))
            plies.append(Ply(
                len(plies) + 1, layer.id, turn, card, angle, layer.region,
                cut.pieces, cut.joints, cut.apart_m, cut.shift_m, darts,
            ))  # fmt: skip
    return tuple(plies)


def _same_way(angle: float, other: float) -> bool:
    between = abs(angle - other) % 180.0
    return min(between, 180.0 - between) <= SAME_DIRECTION_DEG


@dataclass(frozen=True)
class _Divided:
    """Pieces and joints of a ply, where these lie across the roll, how far from those beside, and their shift."""

    pieces: tuple[Polygon, ...]
    joints: tuple[LineString, ...] = ()
    at: tuple[float, ...] = ()
    apart_m: float = float("inf")
    shift_m: float = 0.0


def _divided(
    mould: Part,
    cutting: CutChoices,
    shape: BaseGeometry,
    roll_m: float,
    angle: float,
    beside: list[tuple[float, ...]],
    shift_m: float | None,
    across: Across,
) -> _Divided:
    """A ply over *shape* divided by the roll's width, with joints away from those *beside*.

    *shift_m* is how far the first joint was moved by hand towards the lower edge from where a whole strip ends; None
    to choose. *across* says how much cloth the shape takes: no strip takes more than the roll has, wherever along it
    the mould is steepest, and strips overlap as asked where it is least steep.
    """
    laid = affinity.rotate(shape, -angle, origin=(0, 0))
    low_u, low, high_u, high = laid.bounds
    roll = max(roll_m - 2 * cutting.allowance_m, 0.05)
    if across.cloth_at(high) <= roll or _fits_flat(mould, laid, angle, roll):
        return _Divided(tuple(_pieces(laid, [(low, high)], angle)))
    overlap = min(cutting.overlap_m, 0.9 * roll)
    pitch = roll - overlap
    best: tuple[tuple[int, float, float], list[tuple[float, float]], tuple[float, ...], float] | None = None
    shifts = np.arange(SHIFTS) / SHIFTS * pitch if shift_m is None else np.array([shift_m % pitch])
    others = [across.cloth_at(joint) for row in beside for joint in row]
    for shift in shifts.tolist():
        strips = _strips(across, roll, overlap, shift)
        at = tuple((below + above) / 2 for (_, above), (below, _) in pairwise(strips))
        ends = across.cloth_at(strips[0][1]), across.cloth_at(high) - across.cloth_at(strips[-1][0])
        enough = min(_nearest(across, at, others), cutting.stagger_m)
        score = (len(strips), -enough, -min(*ends, roll, NARROWEST_M))
        if best is None or score < best[0]:
            best = (score, strips, at, shift)
    assert best is not None
    _, strips, at, taken_m = best
    joints = [
        piece
        for v in at
        for piece in get_parts(LineString([(low_u - 1, v), (high_u + 1, v)]).intersection(laid))
        if isinstance(piece, LineString) and piece.length > 0
    ]
    turned = tuple(affinity.rotate(joint, angle, origin=(0, 0)) for joint in joints)
    return _Divided(tuple(_pieces(laid, strips, angle)), turned, at, _nearest(across, at, others), taken_m)


def _fits_flat(mould: Part, laid: BaseGeometry, angle: float, roll_m: float) -> bool:
    """Whether it is one piece that is no wider than the roll once it is flat."""
    if not mould.relief or not isinstance(laid, Polygon):
        return False
    _, low, _, high = unrolled(mould.relief, laid, angle).bounds
    return high - low <= roll_m


def _strips(across: Across, roll_m: float, overlap_m: float, shift_m: float) -> list[tuple[float, float]]:
    """From where to where across the plan the strips reach, the first of them a whole one less *shift_m*."""
    start, whole, low = -shift_m, float(across.most_m[-1]), float(across.plan_m[0])
    if across.is_flat:
        starts = np.arange(low + start, low + whole - overlap_m, roll_m - overlap_m).tolist()
        return [(one, one + roll_m) for one in starts]
    strips: list[tuple[float, float]] = []
    while True:
        ends = across.plan_at(start + roll_m)
        strips.append((across.plan_at(start), ends))
        if start + roll_m >= whole:
            return strips
        next_m = across.cloth_at(across.before(ends, overlap_m))
        start = max(next_m, start + 0.1 * roll_m)


def _nearest(across: Across, at: tuple[float, ...], others: list[float]) -> float:
    """The least distance, over the mould, of joints from *others*, as cloth across the roll; infinite without any."""
    joints = [across.cloth_at(joint) for joint in at]
    return min((abs(joint - other) for other in others for joint in joints), default=float("inf"))


def _pieces(laid: BaseGeometry, strips: list[tuple[float, float]], angle: float) -> list[Polygon]:
    low_u, _, high_u, _ = laid.bounds
    return [
        affinity.rotate(piece, angle, origin=(0, 0))
        for low, high in strips
        for piece in get_parts(laid.intersection(box(low_u, low, high_u, high)))
        if isinstance(piece, Polygon) and piece.area > SMALLEST_PIECE_M2
    ]


# -- darts -------------------------------------------------------------------------------------------------------------


def _darts(cutting: CutChoices, shape: BaseGeometry, turn: int) -> tuple[Polygon, ...]:
    """The wedges that ply number *turn* (from 0) over *shape* has cut out: from ply to ply they step aside."""
    wedges = []
    for dart in cutting.darts:
        (tip_x, tip_y), (mouth_x, mouth_y) = dart.tip, dart.mouth
        long = float(np.hypot(mouth_x - tip_x, mouth_y - tip_y))
        if long <= 0:
            continue
        along = np.array([mouth_x - tip_x, mouth_y - tip_y]) / long
        beside = np.array([-along[1], along[0]])
        aside = beside * cutting.dart_stagger_m * DART_STEPS[turn % len(DART_STEPS)]
        reach = BEYOND_MOUTH  # so that no sliver is left at a curved edge
        far, half = np.array(dart.mouth) + along * long * (reach - 1), beside * dart.width_m / 2 * reach
        wedge = Polygon([np.array(dart.tip) + aside, far + half + aside, far - half + aside])
        if shape.intersects(wedge):
            wedges.append(wedge)
    return tuple(wedges)


def cut_open(piece: Polygon, darts: tuple[Polygon, ...]) -> Polygon | None:
    """*piece* with its *darts* cut out; None where that would divide it, or a dart does not reach its edge."""
    left = piece.difference(union_all(darts))
    if not isinstance(left, Polygon) or left.is_empty or len(left.interiors) > len(piece.interiors):
        return None
    return left


# -- moved by hand -----------------------------------------------------------------------------------------------------


def joint_id(ply: Ply, number: int) -> str:
    """What joint *number* (from 0) of *ply* is called on the plan."""
    return f"{ply.layer}#{ply.turn}#{number}"


def ply_of_joint(job: Job, identifier: str) -> Ply:
    """The ply whose joint that is. Raises KeyError."""
    layer, turn, _ = identifier.rsplit("#", 2)
    for ply in plies_of(job):
        if ply.layer == layer and str(ply.turn) == turn:
            return ply
    raise KeyError(identifier)


def with_joints_moved(job: Job, identifier: str, dx_m: float, dy_m: float) -> Job:
    """*job* with that joint, and those of the same ply with it, moved across their roll as far as the step goes so."""
    ply = ply_of_joint(job, identifier)
    turn = np.radians(ply.angle_deg)
    across = float(-dx_m * np.sin(turn) + dy_m * np.cos(turn))
    return with_joint_shift(job, ply, ply.shift_m - across)


def with_joint_shift(job: Job, ply: Ply, shift_m: float | None) -> Job:
    """*job* with the joints of *ply* at that shift, or where they are chosen for None."""
    kept = tuple(shift for shift in job.cutting.shifts if (shift.layer, shift.turn) != (ply.layer, ply.turn))
    if shift_m is not None:
        kept = (*kept, JointShift(layer=ply.layer, turn=ply.turn, shift_m=round(shift_m, 4)))
    return changed(job, cutting=revised(job.cutting, shifts=kept))
