"""The cut list: every piece developed flat in the roll's own directions, and a fabric's pieces laid out on its roll.

A piece over a curved mould is unrolled from its middle line (:mod:`bibulon.laminate.unrolled`). That is exact for a
mould curved one way; on a mould curved both ways the cloth has to shear, and the difference of the areas says how much.
Darts are cut out of the flat piece. Offcuts of earlier jobs are used before the roll, and what is left of the cloth in
one piece is worth keeping.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import product
from typing import Any

import numpy as np
from rectpack import (
    SORT_AREA,
    SORT_LSIDE,
    SORT_SSIDE,
    GuillotineBssfSas,
    MaxRectsBl,
    MaxRectsBssf,
    PackingMode,
    SkylineBl,
    SkylineMwf,
    newPacker,
)
from shapely import LinearRing, Polygon, affinity, box, get_coordinates

from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.cards import FabricCard
from bibulon.job.layup import Offcut
from bibulon.laminate.joints import Ply, cut_open, plies_of
from bibulon.laminate.relief import developed_area_m2
from bibulon.laminate.unrolled import unrolled
from bibulon.workers.report import Progress, no_progress

GAP_M = 0.005
"""Pieces on a roll lie so far apart."""
GRAIN_M = 0.0005
"""Sizes on a roll are rounded up to this."""
LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ"
MOST_LEFT = 4
"""Rectangles kept of one roll."""
NARROWEST_LEFT_M, SMALLEST_LEFT_M2 = 0.15, 0.08
"""Smaller ones are not worth a label."""

Box = tuple[float, float, float, float]
Sizes = dict[int, tuple[int, int]]
"""By number: how far a piece reaches across the roll and along it, in grains."""
Packed = dict[int, tuple[int, int, bool]]
"""By number: where a piece lies across the cloth and along it, in grains, and whether it lies a quarter round."""
WAYS = tuple(
    product(
        (MaxRectsBssf, MaxRectsBl, SkylineBl, SkylineMwf, GuillotineBssfSas),
        (SORT_AREA, SORT_LSIDE, SORT_SSIDE),
    )
)
"""How pieces are packed: by which rule each finds its place, and in what order they come."""
MANY_PIECES = 200
"""More pieces than this are packed in the first way only."""


@dataclass(frozen=True)
class CutPiece:
    """A piece to cut. ``outline`` (m) is flat, x along the roll, its lower left corner at 0, 0, ``openings`` in it
    likewise; ``plan`` is where it lies on the plan; ``shear`` how much its flat area differs from that on the mould,
    as a share, darts left out. ``any_way`` says that its cloth has no direction, so that it may lie across the roll."""

    code: str
    ply: int
    card: str
    name: str
    angle_deg: float
    region: str | None
    outline: tuple[Point, ...]
    plan: tuple[Point, ...]
    area_m2: float
    shear: float
    openings: tuple[tuple[Point, ...], ...] = ()
    any_way: bool = False

    @property
    def direction(self) -> str:
        """Its angle on the plan in words."""
        return "any way round" if self.any_way else f"{self.angle_deg:g}°"

    @property
    def length_m(self) -> float:
        return max(x for x, _ in self.outline)

    @property
    def width_m(self) -> float:
        return max(y for _, y in self.outline)


@dataclass(frozen=True)
class Roll:
    """The pieces of one fabric on its roll, or on an ``offcut`` of that label: ``places`` are their lower left corners,
    x along the roll."""

    card: FabricCard
    pieces: tuple[CutPiece, ...]
    places: tuple[Point, ...]
    length_m: float
    width_m: float
    offcut: str = ""

    @property
    def title(self) -> str:
        return f"{self.card.name}, offcut {self.offcut}" if self.offcut else self.card.name

    @property
    def area_m2(self) -> float:
        return sum(piece.area_m2 for piece in self.pieces)

    @property
    def waste(self) -> float:
        """Share of the cloth cut off the roll that is in no piece."""
        return 1.0 - self.area_m2 / (self.length_m * self.width_m)

    @property
    def mass_kg(self) -> float:
        """Mass of the cloth to be cut off the roll."""
        return self.length_m * self.width_m * self.card.areal_weight_kg_m2


@dataclass(frozen=True)
class CutList:
    """What is to be cut, fabric by fabric, and the plies it is for."""

    plies: tuple[Ply, ...]
    rolls: tuple[Roll, ...]

    @property
    def pieces(self) -> tuple[CutPiece, ...]:
        """All pieces, in the order they are laid."""
        return tuple(
            sorted((piece for roll in self.rolls for piece in roll.pieces), key=lambda piece: (piece.ply, piece.code))
        )


def cut_list(job: Job, progress: Progress = no_progress) -> CutList:
    """The cut list of *job*; *progress* is called with the share done."""
    plies = plies_of(job)
    by_card: dict[str, list[CutPiece]] = {}
    for number, ply in enumerate(plies):
        progress(0.8 * number / len(plies))
        for at, piece in enumerate(ply.pieces):
            code = f"P{ply.number}{_letters(at) if len(ply.pieces) > 1 else ''}"
            by_card.setdefault(ply.card.id, []).append(_cut(job, ply, piece, code))
    cards = {card.id: card for card in job.cards if isinstance(card, FabricCard)}
    kept = job.cutting.offcuts
    rolls = [
        roll
        for name, pieces in by_card.items()
        for roll in _on_rolls(cards[name], pieces, [offcut for offcut in kept if offcut.card == name])
    ]
    return CutList(plies, tuple(rolls))


def _letters(at: int) -> str:
    return (_letters(at // len(LETTERS) - 1) if at >= len(LETTERS) else "") + LETTERS[at % len(LETTERS)]


def _cut(job: Job, ply: Ply, piece: Polygon, code: str) -> CutPiece:
    laid = affinity.rotate(piece, -ply.angle_deg, origin=(0, 0))
    flat, shear = laid, 0.0
    if job.part.relief:
        flat = unrolled(job.part.relief, laid, ply.angle_deg)
        real = developed_area_m2(job.part.relief, piece)
        shear = abs(flat.area - real) / real
    if ply.darts:
        opened = cut_open(piece, ply.darts)
        if opened is not None:
            darted = affinity.rotate(opened, -ply.angle_deg, origin=(0, 0))
            relief = job.part.relief
            flat = unrolled(relief, darted, ply.angle_deg, laid.bounds) if relief else darted
    if job.cutting.allowance_m >= GRAIN_M:
        more = job.cutting.allowance_m
        low_x, low_y, high_x, high_y = flat.bounds
        within = box(low_x - 10 * more, low_y - more, high_x + 10 * more, high_y + more)  # no wider than the roll
        grown = flat.buffer(more, join_style="mitre", mitre_limit=2.0).intersection(within)
        flat = grown if isinstance(grown, Polygon) else flat
    low_x, low_y, _, _ = flat.bounds

    def ring(line: LinearRing) -> tuple[Point, ...]:
        return tuple((round(x - low_x, 5), round(y - low_y, 5)) for x, y in get_coordinates(line)[:-1].tolist())

    plan = tuple((round(x, 5), round(y, 5)) for x, y in get_coordinates(piece.exterior)[:-1].tolist())
    return CutPiece(
        code,
        ply.number,
        ply.card.id,
        ply.card.name,
        ply.angle_deg,
        ply.region,
        ring(flat.exterior),
        plan,
        flat.area,
        shear,
        tuple(ring(opening) for opening in flat.interiors),
        _has_no_direction(ply.card),
    )


def _has_no_direction(card: FabricCard) -> bool:
    """Whether a piece of the cloth is the same however it is turned: a mat that takes resin alike both ways."""
    return not card.fibre_directions and card.permeability_along_m2.value == card.permeability_across_m2.value


def _on_rolls(card: FabricCard, pieces: list[CutPiece], offcuts: list[Offcut]) -> list[Roll]:
    """The *pieces* laid out by their bounding boxes, the roll's direction kept where the cloth has one: on *offcuts*
    what fits, the smallest of them first, the rest on the roll."""
    turns = _has_no_direction(card)
    width = math.floor((card.roll_width_m + GAP_M) / GRAIN_M)
    sizes = {
        number: (
            min(math.ceil((piece.width_m + GAP_M) / GRAIN_M), width),
            math.ceil((piece.length_m + GAP_M) / GRAIN_M),
        )
        for number, piece in enumerate(pieces)
    }
    rolls = []
    for offcut in sorted(offcuts, key=lambda offcut: offcut.length_m * offcut.width_m):
        room = tuple(math.floor((size + GAP_M) / GRAIN_M) for size in (offcut.width_m, offcut.length_m))
        if placed := _packed(sizes, (room[0], room[1]), turns):
            rolls.append(_roll(card, pieces, placed, offcut.length_m, offcut.width_m, offcut.label))
            sizes = {number: size for number, size in sizes.items() if number not in placed}
    if sizes:
        placed = _packed(sizes, (width, sum(along for _, along in sizes.values())), turns)
        longest = _length(sizes, placed) * GRAIN_M
        rolls.insert(0, _roll(card, pieces, placed, longest, card.roll_width_m))
    return rolls


def _packed(sizes: Sizes, room: tuple[int, int], turns: bool = False) -> Packed:
    """Where those of *sizes* that fit come to lie in the *room*, each by a quarter round if need be where it *turns*.

    Packed in several ways: most of them placed counts first, then the least length, then the first way.
    """
    ways = WAYS if len(sizes) <= MANY_PIECES else WAYS[:1]
    every = [
        _packed_by(way, order, sizes, room, turned)
        for turned in ((False, True) if turns else (False,))
        for way, order in ways
    ]
    return min(every, key=lambda placed: (-len(placed), _length(sizes, placed)))


def _length(sizes: Sizes, placed: Packed) -> int:
    """How far along the cloth what is *placed* reaches, in grains."""
    return max((y + sizes[number][0 if turned else 1] for number, (_, y, turned) in placed.items()), default=0)


def _packed_by(
    way: type, order: Callable[..., Any], sizes: Sizes, room: tuple[int, int], turns: bool = False
) -> Packed:
    packer = newPacker(mode=PackingMode.Offline, pack_algo=way, sort_algo=order, rotation=turns)
    for number, (across, along) in sizes.items():
        packer.add_rect(across, along, rid=number)
    packer.add_bin(*room)
    packer.pack()
    return {number: (x, y, (across, along) != sizes[number]) for _, x, y, across, along, number in packer.rect_list()}


def _roll(
    card: FabricCard,
    pieces: list[CutPiece],
    placed: Packed,
    length_m: float,
    width_m: float,
    offcut: str = "",
) -> Roll:
    numbers = sorted(placed)
    places = tuple((placed[number][1] * GRAIN_M, placed[number][0] * GRAIN_M) for number in numbers)
    laid = tuple(_a_quarter_round(pieces[number]) if placed[number][2] else pieces[number] for number in numbers)
    return Roll(card, laid, places, length_m, width_m, offcut)


def _a_quarter_round(piece: CutPiece) -> CutPiece:
    """*piece* as it is cut across the roll instead of along it."""
    width_m = piece.width_m

    def turned(ring: tuple[Point, ...]) -> tuple[Point, ...]:
        return tuple((round(width_m - y, 5), x) for x, y in ring)

    return replace(piece, outline=turned(piece.outline), openings=tuple(turned(ring) for ring in piece.openings))


# -- what is left ------------------------------------------------------------------------------------------------------


def left_over(cuts: CutList, prefix: str) -> tuple[Offcut, ...]:
    """What of the cloth that is cut into is left in rectangles worth keeping, labelled *prefix* and a number."""
    kept: list[Offcut] = []
    for roll in cuts.rolls:
        for length, width in _empty_rectangles(roll):
            label = f"{prefix}{len(kept) + 1}"
            kept.append(Offcut(label=label, card=roll.card.id, length_m=length, width_m=width))
    return tuple(kept)


def _empty_rectangles(roll: Roll) -> list[tuple[float, float]]:
    """Length and width of the largest empty rectangles, one after another until none is worth keeping."""
    boxes = [
        (x, y, x + piece.length_m + GAP_M, y + piece.width_m + GAP_M)
        for piece, (x, y) in zip(roll.pieces, roll.places, strict=True)
    ]
    sizes: list[tuple[float, float]] = []
    while len(sizes) < MOST_LEFT:
        best = _largest_empty(boxes, roll.length_m, roll.width_m)
        length, width = best[2] - best[0], best[3] - best[1]
        if min(length, width) < NARROWEST_LEFT_M or length * width < SMALLEST_LEFT_M2:
            break
        sizes.append((math.floor(length * 100) / 100, math.floor(width * 100) / 100))
        boxes.append(best)
    return sizes


def _largest_empty(boxes: list[Box], length_m: float, width_m: float) -> Box:
    """The largest rectangle of the cloth clear of *boxes*, with its sides on theirs or on the cloth's edges."""
    xs = np.unique(np.clip([0.0, length_m, *(v for corners in boxes for v in (corners[0], corners[2]))], 0.0, length_m))
    ys = np.unique(np.clip([0.0, width_m, *(v for corners in boxes for v in (corners[1], corners[3]))], 0.0, width_m))
    middle_x, middle_y = (xs[:-1] + xs[1:]) / 2, (ys[:-1] + ys[1:]) / 2
    free = np.ones((len(middle_x), len(middle_y)), dtype=bool)
    for low_x, low_y, high_x, high_y in boxes:
        inside_x = (middle_x > low_x) & (middle_x < high_x)
        inside_y = (middle_y > low_y) & (middle_y < high_y)
        free[np.ix_(inside_x, inside_y)] = False
    best: Box = (0.0, 0.0, 0.0, 0.0)
    area = 0.0
    for low in range(len(middle_y)):
        clear = np.ones(len(middle_x), dtype=bool)
        for high in range(low, len(middle_y)):
            clear &= free[:, high]
            if not clear.any():
                break
            edges = np.flatnonzero(np.diff(np.concatenate([[False], clear, [False]]).astype(int)))
            starts, ends = xs[edges[::2]], xs[edges[1::2]]
            at = int(np.argmax(ends - starts))
            if (ends[at] - starts[at]) * (width_m - ys[low]) <= area:
                break  # however far on, it grows no larger
            height = ys[high + 1] - ys[low]
            if (ends[at] - starts[at]) * height > area:
                area = float((ends[at] - starts[at]) * height)
                best = (float(starts[at]), float(ys[low]), float(ends[at]), float(ys[high + 1]))
    return best
