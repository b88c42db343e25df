"""Laminate cells: the plan cut into areas of one stack each, with all that follows from the stack.

>>> from bibulon.demo import demo_job
>>> laminate = laminate_of(demo_job())
>>> round(laminate.total.area_m2, 3)
5.88
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from shapely import MultiPolygon, Point, Polygon, get_parts, prepare, set_precision
from shapely.geometry.base import BaseGeometry

from bibulon.job import Job
from bibulon.job.cards import MediaCard, PeelPlyCard
from bibulon.job.layup import Layer
from bibulon.job.lines import MediaPatch
from bibulon.job.reads import derived
from bibulon.laminate.relief import developed_area_m2
from bibulon.laminate.stack import Stack, stack_amounts, stack_of

GRID_M = 1e-4
"""Geometry is rounded to this grid, so that near-coincident edges become one."""
SMALLEST_CELL_M2 = 1e-6


Piece = tuple[BaseGeometry, frozenset[str | None], MediaPatch | None]
"""A piece of the plan, the regions that it lies in, and what flow media is over it."""


@dataclass(frozen=True)
class Cell:
    """One connected area of one stack; ``area_m2`` is that of the mould's surface."""

    polygon: Polygon
    stack: Stack
    area_m2: float


@dataclass(frozen=True)
class Totals:
    """Sums over the part."""

    area_m2: float
    dry_mass_kg: float
    fibre_mass_kg: float
    thickness_m: float
    loose_m: float
    fibre_fraction: float
    fibre_weight_fraction: float
    weight_spread: float
    thickness_spread: float
    """Of the laminate; core and coats hold their thickness."""
    transmissivity_m3: tuple[float, float]
    """Along the direction that conducts best, and square to it, of the mean over the area."""
    log_spread: float
    through_resistance_m: float
    """Of the whole area in parallel: infinite only if resin gets through nowhere."""
    through_spread: float


@dataclass(frozen=True)
class Laminate:
    """All cells of the part and the sums over them."""

    cells: tuple[Cell, ...]
    total: Totals
    amounts: dict[str, float]
    """How much of each card of the ply book lies in the part: m², of coats kg."""

    def at(self, x_m: float, y_m: float) -> Cell | None:
        """The cell under a place of the plan."""
        place = Point(x_m, y_m)
        return next((cell for cell in self.cells if cell.polygon.covers(place)), None)


@derived("laminate", 16)
def laminate_of(job: Job) -> Laminate:
    """The laminate of *job*; computed once for what it reads."""
    regions: dict[str | None, BaseGeometry] = {region.name: region.outline.polygon for region in job.regions}
    part = set_precision(job.part.shape, GRID_M)
    # the plan is cut once by each region that is used, however many plies lie in it
    pieces: list[Piece] = [(part, frozenset({None}), None)]
    book = job.laid
    for name in dict.fromkeys(layer.region for layer in book if layer.region is not None):
        pieces = _cut(pieces, regions[name], name, None)
    for entry in job.pair.heights if job.closed else ():
        pieces = _cut(pieces, regions[entry.region], entry.region, None)
    for region in job.regions if job.peel_ply is not None and not job.in_mould else ():
        if region.peel_ply != "as the rest":
            pieces = _cut(pieces, region.outline.polygon, region.name, None)
    for patch in job.media if not job.in_mould else ():
        pieces = _cut(pieces, patch.outline.polygon, None, patch)
    books: dict[frozenset[str | None], tuple[Layer, ...]] = {}
    stacks: dict[tuple[tuple[Layer, ...], MediaCard | None, float | None, PeelPlyCard | None], Stack] = {}
    cells = []
    laid = {patch.id: laid_media(job, patch) for patch in job.media}
    for shape, inside, patch_over in pieces:
        media = None if patch_over is None else laid[patch_over.id]
        if inside not in books:
            books[inside] = tuple(layer for layer in book if layer.region in inside)
        layers = books[inside]
        key = (layers, media, cavity_of(job, inside), peel_ply_over(job, inside))
        if key not in stacks:
            stacks[key] = stack_of(job, *key)
        cells += [
            Cell(polygon, stacks[key], developed_area_m2(job.part.relief, polygon))
            for polygon in get_parts(shape)
            if isinstance(polygon, Polygon) and polygon.area > SMALLEST_CELL_M2
        ]
    return Laminate(tuple(cells), _totals(cells, job.resin.density_kg_m3), _amounts(job, cells))


def laid_media(job: Job, patch: MediaPatch) -> MediaCard:
    """The media of *patch* as it lies: thicker by its layers, thinner by what it is stretched."""
    card = job.card(patch.card, MediaCard)
    return card.model_copy(update={"thickness_m": card.thickness_m * patch.layers / (1 + patch.stretched)})


def peel_ply_over(job: Job, inside: Collection[str | None]) -> PeelPlyCard | None:
    """The peel ply where the regions *inside* lie, the last that says something counting."""
    if job.peel_ply is None or job.in_mould:
        return None
    said = [region.peel_ply for region in job.regions if region.name in inside and region.peel_ply != "as the rest"]
    laid = said[-1] == "laid" if said else job.peel_ply_on == "part"
    return job.card(job.peel_ply, PeelPlyCard) if laid else None


def cavity_of(job: Job, inside: Collection[str | None]) -> float | None:
    """Height of the cavity where the regions *inside* lie, the last of the heights given counting; None under film, or
    if nobody has said."""
    if not job.closed:
        return None
    by_region = [entry.height_m for entry in job.pair.heights if entry.region in inside]
    return by_region[-1] if by_region else job.pair.cavity_m


def _cut(
    pieces: list[Piece],
    outline: BaseGeometry,
    region: str | None,
    media: MediaPatch | None,
) -> list[Piece]:
    """*pieces* cut along *outline*; those inside lie in *region* too, or have *media* over them."""
    area = set_precision(outline, GRID_M)
    prepare(area)
    pieces_cut = []
    for shape, inside, over in pieces:
        if not area.intersects(shape):
            pieces_cut.append((shape, inside, over))
            continue
        within, without = _area(shape.intersection(area)), _area(shape.difference(area))
        if not within.is_empty:
            pieces_cut.append((within, inside | {region} if region else inside, media or over))
        if not without.is_empty:
            pieces_cut.append((without, inside, over))
    return pieces_cut


def _area(shape: BaseGeometry) -> BaseGeometry:
    """Only the areas of *shape*: touching edges and points left out."""
    polygons = [part for part in get_parts(shape) if isinstance(part, Polygon)]
    return polygons[0] if len(polygons) == 1 else MultiPolygon(polygons)


def areas_of(cells: Sequence[Cell]) -> tuple[tuple[Stack, float], ...]:
    """Each stack of a laminate's *cells* with the area it covers (m²)."""
    areas: dict[int, tuple[Stack, float]] = {}  # by what they are: a stack of hundreds of plies is slow to compare
    for cell in cells:
        _, before = areas.get(id(cell.stack), (cell.stack, 0.0))
        areas[id(cell.stack)] = cell.stack, before + cell.area_m2
    return tuple(areas.values())


def _amounts(job: Job, cells: list[Cell]) -> dict[str, float]:
    """Amounts by card over *cells*."""
    amounts: dict[str, float] = {}
    for stack, area in areas_of(cells):
        for name, amount in stack_amounts(job, stack).items():
            amounts[name] = amounts.get(name, 0.0) + amount * area
    return amounts


def _totals(cells: list[Cell], resin_density_kg_m3: float) -> Totals:
    area = sum(cell.area_m2 for cell in cells)
    laminate_volume = sum(cell.area_m2 * cell.stack.laminate_thickness_m for cell in cells)
    fibre_volume = sum(cell.area_m2 * cell.stack.laminate_thickness_m * cell.stack.fibre_fraction for cell in cells)
    fibre_kg = sum(cell.area_m2 * cell.stack.fibre_kg_m2 for cell in cells)
    resin_kg = sum(cell.area_m2 * cell.stack.void_m for cell in cells) * resin_density_kg_m3
    mass = np.array([cell.area_m2 * cell.stack.areal_weight_kg_m2 for cell in cells])
    thick = np.array([cell.area_m2 * cell.stack.laminate_thickness_m for cell in cells])
    tensors = np.array([np.array(cell.stack.transmissivity_m3) * cell.area_m2 for cell in cells]).reshape(-1, 2, 2)
    across, along = np.linalg.eigvalsh(tensors.sum(axis=0) / area) if area else (0.0, 0.0)
    passing = np.array([cell.area_m2 / max(cell.stack.through_resistance_m, 1e-300) for cell in cells])
    passing[[cell.stack.through_resistance_m == 0 for cell in cells]] = 0.0  # nothing lies there
    return Totals(
        area_m2=area,
        dry_mass_kg=float(mass.sum()),
        fibre_mass_kg=fibre_kg,
        thickness_m=max((cell.stack.thickness_m for cell in cells), default=0.0),
        loose_m=max((cell.stack.loose_m for cell in cells), default=0.0),
        fibre_fraction=fibre_volume / laminate_volume if laminate_volume else 0.0,
        fibre_weight_fraction=fibre_kg / (fibre_kg + resin_kg) if fibre_kg else 0.0,
        weight_spread=_mean_spread(mass, [cell.stack.weight_spread for cell in cells]),
        thickness_spread=_mean_spread(thick, [cell.stack.fibre_fraction_spread for cell in cells]),
        transmissivity_m3=(float(along), float(across)),
        log_spread=float(
            np.log(
                _mean_spread(
                    np.trace(tensors, axis1=1, axis2=2), [float(np.exp(cell.stack.log_spread)) for cell in cells]
                )
            )
        ),
        through_resistance_m=area / float(passing.sum()) if passing.sum() > 0 else float("inf"),
        through_spread=_mean_spread(passing, [cell.stack.through_spread for cell in cells]),
    )


def _mean_spread(weights: npt.NDArray[np.float64], spreads: list[float]) -> float:
    """The geometric spread of a sum whose terms are all off to the same side; 1 if there is nothing."""
    whole = float(weights.sum())
    return float(np.exp((weights * np.log(spreads)).sum() / whole)) if whole > 0 else 1.0
