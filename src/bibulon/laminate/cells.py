"""Laminate cells: the plan cut into areas of one stack each, with all that follows from the stack.

>>> from bibulon.demo import demo_job
>>> laminate = laminate_of(demo_job())
>>> round(laminate.total.area_m2, 3)
5.88
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from shapely import MultiPolygon, Point, Polygon, get_parts, prepare, set_precision
from shapely.geometry.base import BaseGeometry

from bibulon.job import Job
from bibulon.job.cards import CoreCard, FabricCard, MediaCard, PeelPlyCard
from bibulon.job.layup import Layer
from bibulon.laminate.compaction import fibre_fraction, in_plane_permeability, ply_thickness_m
from bibulon.laminate.core import groove_transmissivity_m3, groove_volume_m, lets_resin_through, perforation_volume_m
from bibulon.laminate.levels import Level, levels_of
from bibulon.laminate.relief import developed_area_m2

GRID_M = 1e-4
"""Geometry is rounded to this grid, so that near-coincident edges become one."""
SMALLEST_CELL_M2 = 1e-6


@dataclass(frozen=True)
class Stack:
    """What lies over one another in a cell, from the tool face, and its figures per area.

    ``void_m`` and the other resin figures are volumes of resin per area (m³/m² = m).
    """

    layers: tuple[Layer, ...]
    thickness_m: float
    laminate_thickness_m: float
    fibre_fraction: float
    fibre_weight_fraction: float
    areal_weight_kg_m2: float
    fibre_kg_m2: float
    void_m: float
    core_m: float
    core_surface_m: float
    media_m: float
    peel_ply_m: float
    transmissivity_m3: tuple[tuple[float, float], tuple[float, float]]
    starved_side: bool
    log_spread: float
    levels: tuple[Level, ...]

    @property
    def capacity_m(self) -> float:
        """Resin that flows in and stays, per area: what the simulator fills."""
        return self.void_m + self.core_m + self.core_surface_m + self.media_m + self.peel_ply_m


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
    fibre_fraction: float


@dataclass(frozen=True)
class Laminate:
    """All cells of the part and the sums over them."""

    cells: tuple[Cell, ...]
    total: Totals

    def at(self, x_m: float, y_m: float) -> Cell | None:
        """The cell under a place of the plan."""
        place = Point(x_m, y_m)
        return next((cell for cell in self.cells if cell.polygon.covers(place)), None)


def laminate_of(job: Job) -> Laminate:
    """The laminate of *job*; computed once for the fields it reads."""
    reads = {
        name: getattr(job, name)
        for name in ("part", "regions", "layup", "media", "peel_ply", "shop", "vacuum", "cards", "charge")
    }
    return _laminate(job.model_copy(update={**_NOT_READ, **reads}))


_NOT_READ = {"id": "", "name": "", "lines": (), "hold_tests": (), "run": (), "pots": ()}


@lru_cache(maxsize=16)
def _laminate(job: Job) -> Laminate:
    regions: dict[str | None, BaseGeometry] = {region.name: Polygon(region.outline) for region in job.regions}
    part = set_precision(job.part.shape, GRID_M)
    # the plan is cut once by each region that is used, however many plies lie in it
    pieces: list[tuple[BaseGeometry, frozenset[str | None], str | None]] = [(part, frozenset({None}), None)]
    for name in dict.fromkeys(layer.region for layer in job.layup if layer.region is not None):
        pieces = _cut(pieces, regions[name], name, None)
    for patch in job.media:
        pieces = _cut(pieces, Polygon(patch.outline), None, patch.card)
    books: dict[frozenset[str | None], tuple[Layer, ...]] = {}
    stacks: dict[tuple[tuple[Layer, ...], str | None], Stack] = {}
    cells = []
    for shape, inside, media in pieces:
        if inside not in books:
            books[inside] = tuple(layer for layer in job.layup if layer.region in inside)
        layers = books[inside]
        key = (layers, media)
        if key not in stacks:
            stacks[key] = stack_of(job, layers, job.card(media, MediaCard) if media else None)
        cells += [
            Cell(polygon, stacks[key], developed_area_m2(job.part.relief, polygon))
            for polygon in get_parts(shape)
            if isinstance(polygon, Polygon) and polygon.area > SMALLEST_CELL_M2
        ]
    return Laminate(tuple(cells), _totals(cells))


def _cut(
    pieces: list[tuple[BaseGeometry, frozenset[str | None], str | None]],
    outline: BaseGeometry,
    region: str | None,
    media: str | None,
) -> list[tuple[BaseGeometry, frozenset[str | None], str | None]]:
    """*pieces* cut along *outline*; those inside lie in *region* too, or have *media* over them."""
    area = set_precision(outline, GRID_M)
    prepare(area)
    found = []
    for shape, inside, over in pieces:
        if not area.intersects(shape):
            found.append((shape, inside, over))
            continue
        within, without = _area(shape.intersection(area)), _area(shape.difference(area))
        if not within.is_empty:
            found.append((within, inside | {region} if region else inside, media or over))
        if not without.is_empty:
            found.append((without, inside, over))
    return found


def _area(shape: BaseGeometry) -> BaseGeometry:
    """Only the areas of *shape*: touching edges and points left out."""
    polygons = [part for part in get_parts(shape) if isinstance(part, Polygon)]
    return polygons[0] if len(polygons) == 1 else MultiPolygon(polygons)


def _totals(cells: list[Cell]) -> Totals:
    area = sum(cell.area_m2 for cell in cells)
    laminate_volume = sum(cell.area_m2 * cell.stack.laminate_thickness_m for cell in cells)
    fibre_volume = sum(cell.area_m2 * cell.stack.laminate_thickness_m * cell.stack.fibre_fraction for cell in cells)
    return Totals(
        area_m2=area,
        dry_mass_kg=sum(cell.area_m2 * cell.stack.areal_weight_kg_m2 for cell in cells),
        fibre_mass_kg=sum(cell.area_m2 * cell.stack.fibre_kg_m2 for cell in cells),
        thickness_m=max((cell.stack.thickness_m for cell in cells), default=0.0),
        fibre_fraction=fibre_volume / laminate_volume if laminate_volume else 0.0,
    )


def stack_of(job: Job, layers: tuple[Layer, ...], media: MediaCard | None) -> Stack:
    """Figures of one stack under full planned vacuum, everything at the tool's temperature.

    In-plane ``T = Σ K·h`` over plies, grooves and media; capacity ``Σ (1−Vf)·h`` and the uptakes per area.
    """
    compaction_pa = job.shop.barometer_pa - job.vacuum.cavity_pa
    resin_density = job.resin.density_kg_m3
    transmissivity: npt.NDArray[np.float64] = np.zeros((2, 2))
    fibre_m = fibre_kg = thickness = void = core_m = surface_m = core_thickness = core_kg = 0.0
    weighted_spread = 0.0
    starved = False
    entries = _grouped(job, layers)
    for position, (card, angle_deg, count) in enumerate(entries):
        if isinstance(card, FabricCard):
            fraction = fibre_fraction(card, compaction_pa)
            height = ply_thickness_m(card, fraction) * count
            thickness += height
            fibre_m += fraction * height
            fibre_kg += card.areal_weight_kg_m2 * count
            void += (1 - fraction) * height
            share = in_plane_permeability(card, fraction, angle_deg) * height
            transmissivity += share
            weighted_spread += float(np.trace(share)) * float(np.log(card.permeability_along_m2.spread))
        else:
            core_thickness += card.thickness_m * count
            core_kg += card.density_kg_m3 * card.thickness_m * count
            core_m += (groove_volume_m(card) + perforation_volume_m(card)) * count
            surface_m += card.surface_uptake_kg_m2 * count / resin_density
            share = groove_transmissivity_m3(card, angle_deg) * count
            transmissivity += share
            weighted_spread += float(np.trace(share)) * float(np.log(card.spread))
            below = any(isinstance(other, FabricCard) for other, _, _ in entries[:position])
            starved = starved or (below and not lets_resin_through(card))
    media_m = 0.0
    if media is not None:
        media_m = media.porosity * media.thickness_m
        share = np.eye(2) * media.permeability_m2.value * media.thickness_m
        transmissivity += share
        weighted_spread += float(np.trace(share)) * float(np.log(media.permeability_m2.spread))
    peel = job.card(job.peel_ply, PeelPlyCard) if job.peel_ply else None
    resin_kg = void * resin_density
    trace = float(np.trace(transmissivity))
    return Stack(
        layers=layers,
        thickness_m=thickness + core_thickness,
        laminate_thickness_m=thickness,
        fibre_fraction=fibre_m / thickness if thickness else 0.0,
        fibre_weight_fraction=fibre_kg / (fibre_kg + resin_kg) if fibre_kg else 0.0,
        areal_weight_kg_m2=fibre_kg + core_kg,
        fibre_kg_m2=fibre_kg,
        void_m=void,
        core_m=core_m,
        core_surface_m=surface_m,
        media_m=media_m,
        peel_ply_m=peel.uptake_kg_m2 / resin_density if peel and thickness else 0.0,
        transmissivity_m3=(
            (float(transmissivity[0, 0]), float(transmissivity[0, 1])),
            (float(transmissivity[1, 0]), float(transmissivity[1, 1])),
        ),
        starved_side=starved,
        log_spread=weighted_spread / trace if trace else 0.0,
        levels=levels_of(
            entries,
            media,
            peel,
            compaction_pa,
            resin_density,
        ),
    )


def _grouped(job: Job, layers: tuple[Layer, ...]) -> tuple[tuple[FabricCard | CoreCard, float, int], ...]:
    """Card, angle and count of *layers*, with what is alike taken together where that changes no figure.

    Between cores the order of plies does not count. Without a core the stack is halved into its levels, and it does:
    then only neighbours are taken together.
    """
    known = {card.id: card for card in job.cards if isinstance(card, FabricCard | CoreCard)}
    cored = any(isinstance(known[layer.card], CoreCard) for layer in layers)
    found: list[tuple[FabricCard | CoreCard, float, int]] = []
    skin: dict[tuple[str, float], int] = {}

    def close() -> None:
        found.extend((known[name], angle, count) for (name, angle), count in skin.items())
        skin.clear()

    for layer in layers:
        key = (layer.card, layer.angle_deg)
        if isinstance(known[layer.card], CoreCard):
            close()
            found.append((known[layer.card], layer.angle_deg, layer.count))
            continue
        if not cored and key not in skin:
            close()
        skin[key] = skin.get(key, 0) + layer.count
    close()
    return tuple(found)
