"""The cut list: every piece developed flat in the roll's own directions, and a fabric's pieces laid out on its roll.

A piece over a curved mould is unrolled from its middle line: along it by the length of the mould under that line,
across it by the length square to it. That is exact for a mould curved one way; on a mould curved both ways the
cloth has to shear, and the difference of the areas says how much.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from rectpack import PackingMode, newPacker
from scipy.interpolate import RegularGridInterpolator
from shapely import Polygon, affinity, box, get_coordinates, segmentize

from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.cards import FabricCard
from bibulon.laminate.joints import Ply, plies_of
from bibulon.laminate.relief import developed_area_m2, heights_at

Floats = npt.NDArray[np.float64]

ALONG, ACROSS = 81, 41
FINEST_M = 0.02
GAP_M = 0.005
"""Pieces on a roll lie so far apart."""
GRAIN_M = 0.0005
"""Sizes on a roll are rounded up to this."""
LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ"


@dataclass(frozen=True)
class CutPiece:
    """A piece to cut. ``outline`` (m) is flat, x along the roll, its lower left corner at 0, 0; ``plan`` is where it
    lies on the plan; ``shear`` how much its flat area differs from that on the mould, as a share."""

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

    @property
    def length_m(self) -> float:
        return max(x for x, _ in self.outline)

    @property
    def width_m(self) -> float:
        return max(y for _, y in self.outline)


@dataclass(frozen=True)
class Roll:
    """The pieces of one fabric on its roll: ``places`` are their lower left corners, x along the roll."""

    card: FabricCard
    pieces: tuple[CutPiece, ...]
    places: tuple[Point, ...]
    length_m: float

    @property
    def area_m2(self) -> float:
        return sum(piece.area_m2 for piece in self.pieces)

    @property
    def waste(self) -> float:
        """Share of the cloth cut off the roll that is in no piece."""
        return 1.0 - self.area_m2 / (self.length_m * self.card.roll_width_m)

    @property
    def mass_kg(self) -> float:
        """Mass of the cloth to be cut off the roll."""
        return self.length_m * self.card.roll_width_m * self.card.areal_weight_kg_m2


@dataclass(frozen=True)
class CutList:
    """What is to be cut, fabric by fabric, and the plies it is for."""

    plies: tuple[Ply, ...]
    rolls: tuple[Roll, ...]

    @property
    def pieces(self) -> tuple[CutPiece, ...]:
        """All pieces, in the order they are laid."""
        return tuple(sorted((one for roll in self.rolls for one in roll.pieces), key=lambda one: (one.ply, one.code)))


def cut_list(job: Job) -> CutList:
    """The cut list of *job*."""
    plies = plies_of(job)
    by_card: dict[str, list[CutPiece]] = {}
    for ply in plies:
        for at, piece in enumerate(ply.pieces):
            code = f"P{ply.number}{_letters(at) if len(ply.pieces) > 1 else ''}"
            by_card.setdefault(ply.card.id, []).append(_cut(job, ply, piece, code))
    cards = {card.id: card for card in job.cards if isinstance(card, FabricCard)}
    return CutList(plies, tuple(_on_roll(cards[name], pieces) for name, pieces in by_card.items()))


def _letters(at: int) -> str:
    return (_letters(at // len(LETTERS) - 1) if at >= len(LETTERS) else "") + LETTERS[at % len(LETTERS)]


def _cut(job: Job, ply: Ply, piece: Polygon, code: str) -> CutPiece:
    laid = affinity.rotate(piece, -ply.angle_deg, origin=(0, 0))
    flat, shear = laid, 0.0
    if job.part.relief:
        flat = _unrolled(job, laid, ply.angle_deg)
        real = developed_area_m2(job.part.relief, piece)
        shear = abs(flat.area - real) / real
    if job.cutting.allowance_m >= GRAIN_M:
        more = job.cutting.allowance_m
        low_x, low_y, high_x, high_y = flat.bounds
        within = box(low_x - 10 * more, low_y - more, high_x + 10 * more, high_y + more)  # no wider than the roll
        grown = flat.buffer(more, join_style="mitre").intersection(within)
        flat = grown if isinstance(grown, Polygon) else flat
    low_x, low_y, _, _ = flat.bounds
    outline = tuple((round(x - low_x, 5), round(y - low_y, 5)) for x, y in get_coordinates(flat.exterior)[:-1].tolist())
    plan = tuple((round(x, 5), round(y, 5)) for x, y in get_coordinates(piece.exterior)[:-1].tolist())
    return CutPiece(
        code, ply.number, ply.card.id, ply.card.name, ply.angle_deg, ply.region, outline, plan, flat.area, shear
    )


def _unrolled(job: Job, laid: Polygon, angle_deg: float) -> Polygon:
    """*laid* (roll along x) as it is flat, unrolled from the middle line along the roll."""
    low_u, low_v, high_u, high_v = laid.bounds
    u, v = np.linspace(low_u, high_u, ALONG), np.linspace(low_v, high_v, ACROSS)
    c, s = math.cos(math.radians(angle_deg)), math.sin(math.radians(angle_deg))
    grid_u, grid_v = np.meshgrid(u, v, indexing="ij")
    places = np.column_stack([(grid_u * c - grid_v * s).ravel(), (grid_u * s + grid_v * c).ravel()])
    z = heights_at(job.part.relief, places).reshape(ALONG, ACROSS)
    middle = ACROSS // 2
    along = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(u), np.diff(z[:, middle])))])
    steps = np.hypot(np.diff(v)[None, :], np.diff(z, axis=1))
    across = np.concatenate([np.zeros((ALONG, 1)), np.cumsum(steps, axis=1)], axis=1)
    across -= across[:, middle : middle + 1]
    width = RegularGridInterpolator((u, v), across)
    fine: Polygon = segmentize(laid, FINEST_M)

    def flat(ring: Floats) -> Floats:
        inside = np.clip(ring, (low_u, low_v), (high_u, high_v))
        return np.column_stack([np.interp(inside[:, 0], u, along), width(inside)])

    shape = Polygon(flat(get_coordinates(fine.exterior)), [flat(get_coordinates(ring)) for ring in fine.interiors])
    made = (shape if shape.is_valid else shape.buffer(0)).simplify(2e-4)
    return made if isinstance(made, Polygon) else laid


def _on_roll(card: FabricCard, pieces: list[CutPiece]) -> Roll:
    """The *pieces* laid out by their bounding boxes, the roll's direction kept."""
    packer = newPacker(mode=PackingMode.Offline, rotation=False)
    width = math.floor((card.roll_width_m + GAP_M) / GRAIN_M)
    whole = 0
    for number, piece in enumerate(pieces):
        across = min(math.ceil((piece.width_m + GAP_M) / GRAIN_M), width)
        along = math.ceil((piece.length_m + GAP_M) / GRAIN_M)
        whole += along
        packer.add_rect(across, along, rid=number)
    packer.add_bin(width, whole)
    packer.pack()
    places: list[Point] = [(0.0, 0.0)] * len(pieces)
    longest = 0.0
    for _, x, y, _, along, number in packer.rect_list():
        places[number] = (y * GRAIN_M, x * GRAIN_M)
        longest = max(longest, (y + along) * GRAIN_M)
    return Roll(card, tuple(pieces), tuple(places), longest)
