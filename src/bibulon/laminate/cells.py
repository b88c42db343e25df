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
from bibulon.job.cards import CoatCard, CoreCard, FabricCard, MediaCard, PeelPlyCard
from bibulon.job.layup import CoreLaying, Layer
from bibulon.job.reads import derived
from bibulon.laminate.closed_mould import HARDEST_PA, fibre_load_pa
from bibulon.laminate.compaction import (
    HAND_PA,
    fibre_fraction,
    packed_figures,
    ply_thickness_m,
)
from bibulon.laminate.core import (
    groove_transmissivity_m3,
    groove_volume_m,
    joint_transmissivity_m3,
    joint_volume_m,
    lets_resin_through,
    perforation_volume_m,
)
from bibulon.laminate.levels import CAVITY_LOADS_PA, Level, levels_of, with_slack
from bibulon.laminate.relief import developed_area_m2

GRID_M = 1e-4
"""Geometry is rounded to this grid, so that near-coincident edges become one."""
SMALLEST_CELL_M2 = 1e-6


@dataclass(frozen=True)
class Stack:
    """What lies over one another in a cell, from the tool face, and its figures per area.

    ``void_m`` and the other resin figures are volumes of resin per area (m³/m² = m). Spreads are geometric, one
    standard deviation, as if all materials of the stack were off to the same side: the widest they can be.
    """

    layers: tuple[Layer, ...]
    thickness_m: float
    """Of everything, under the planned vacuum."""
    laminate_thickness_m: float
    loose_m: float
    """Of everything, smoothed down by hand."""
    fibre_fraction: float
    fibre_fraction_spread: float
    fibre_weight_fraction: float
    areal_weight_kg_m2: float
    weight_spread: float
    fibre_kg_m2: float
    void_m: float
    core_m: float
    core_surface_m: float
    media_m: float
    peel_ply_m: float
    transmissivity_m3: tuple[tuple[float, float], tuple[float, float]]
    through_resistance_m: float
    """``Σ h/Kz`` (1/m) of the plies; a core that resin cannot pass makes it infinite."""
    through_spread: float
    starved_side: bool
    log_spread: float
    levels: tuple[Level, ...]
    cavity_m: float | None = None
    """Height of the closed mould's cavity here; None under film."""
    fibre_load_pa: float | None = 0.0
    """What the fibre is pressed with by that cavity: 0 if it lies loose, None if no pressure closes the mould."""
    slack_m: float = 0.0
    """What the stack, lying loose, leaves of the cavity."""

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
    pieces: list[tuple[BaseGeometry, frozenset[str | None], str | None]] = [(part, frozenset({None}), None)]
    book = job.laid
    for name in dict.fromkeys(layer.region for layer in book if layer.region is not None):
        pieces = _cut(pieces, regions[name], name, None)
    for entry in job.pair.heights if job.closed else ():
        pieces = _cut(pieces, regions[entry.region], entry.region, None)
    for patch in job.media if not job.in_mould else ():
        pieces = _cut(pieces, patch.outline.polygon, None, patch.card)
    books: dict[frozenset[str | None], tuple[Layer, ...]] = {}
    stacks: dict[tuple[tuple[Layer, ...], str | None, float | None], Stack] = {}
    cells = []
    for shape, inside, media in pieces:
        if inside not in books:
            books[inside] = tuple(layer for layer in book if layer.region in inside)
        layers = books[inside]
        key = (layers, media, cavity_of(job, inside))
        if key not in stacks:
            stacks[key] = stack_of(job, layers, job.card(media, MediaCard) if media else None, key[2])
        cells += [
            Cell(polygon, stacks[key], developed_area_m2(job.part.relief, polygon))
            for polygon in get_parts(shape)
            if isinstance(polygon, Polygon) and polygon.area > SMALLEST_CELL_M2
        ]
    return Laminate(tuple(cells), _totals(cells, job.resin.density_kg_m3), _amounts(job, cells))


def cavity_of(job: Job, inside: Collection[str | None]) -> float | None:
    """Height of the cavity where the regions *inside* lie, the last of the heights given counting; None under film, or
    if nobody has said."""
    if not job.closed:
        return None
    by_region = [entry.height_m for entry in job.pair.heights if entry.region in inside]
    return by_region[-1] if by_region else job.pair.cavity_m


def _cut(
    pieces: list[tuple[BaseGeometry, frozenset[str | None], str | None]],
    outline: BaseGeometry,
    region: str | None,
    media: str | None,
) -> list[tuple[BaseGeometry, frozenset[str | None], str | None]]:
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


def stack_amounts(job: Job, stack: Stack) -> dict[str, float]:
    """How much of each card lies in *stack*, per area: plies and core by their number, coats kg/m²."""
    counts: dict[str, int] = {}
    for layer in stack.layers:
        counts[layer.card] = counts.get(layer.card, 0) + layer.count
    coats = {card.id: card.areal_weight_kg_m2 for card in job.cards if isinstance(card, CoatCard)}
    return {name: count * coats.get(name, 1.0) for name, count in counts.items()}


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


@dataclass
class _Sum:
    """A stack being added up, per area."""

    transmissivity: npt.NDArray[np.float64]
    fibre_m: float = 0.0
    fibre_kg: float = 0.0
    thickness: float = 0.0
    loose: float = 0.0
    void: float = 0.0
    core_m: float = 0.0
    surface_m: float = 0.0
    core_thickness: float = 0.0
    core_kg: float = 0.0
    coat_thickness: float = 0.0
    coat_kg: float = 0.0
    resistance: float = 0.0
    starved: bool = False
    shut: bool = False
    # sums of ln(spread), weighted by what each spreads
    weight_spread: float = 0.0
    conducting_spread: float = 0.0
    packing_spread: float = 0.0
    through_spread: float = 0.0

    def add_fabrics(self, plies: list[tuple[FabricCard, float, int]], compaction_pa: float) -> None:
        """Add all plies of the stack: their order changes none of these sums."""
        counts: dict[tuple[str, float], int] = {}
        kinds: dict[tuple[str, float], FabricCard] = {}
        for card, angle_deg, count in plies:
            kind = card.id, angle_deg
            kinds[kind] = card
            counts[kind] = counts.get(kind, 0) + count
        for (name, angle_deg), count in counts.items():
            card = kinds[name, angle_deg]
            height, void, xx, xy, yy, resistance = packed_figures(card, angle_deg, (compaction_pa,))[0] * count
            self.thickness += float(height)
            self.loose += ply_thickness_m(card, fibre_fraction(card, min(HAND_PA, compaction_pa))) * count
            self.fibre_m += float(height - void)
            self.fibre_kg += card.areal_weight_kg_m2 * count
            self.weight_spread += card.areal_weight_kg_m2 * count * float(np.log(card.spread))
            self.void += float(void)
            self.packing_spread += float(height) * float(np.log(card.fibre_fraction_spread))
            self._conduct(np.array([[xx, xy], [xy, yy]]), card.permeability_along_m2.spread)
            self.resistance += float(resistance)
            self.through_spread += float(resistance) * float(np.log(card.permeability_through_m2.spread))

    def add_core(
        self,
        card: CoreCard,
        angle_deg: float,
        count: int,
        laying: CoreLaying,
        resin_density_kg_m3: float,
        starves: bool,
    ) -> None:
        """Add core; *starves* says whether there are plies beneath it that resin has to reach."""
        self.core_thickness += card.thickness_m * count
        weight = card.density_kg_m3 * card.thickness_m * count
        self.core_kg += weight
        self.weight_spread += weight * float(np.log(card.spread))
        self.core_m += (groove_volume_m(card) + perforation_volume_m(card) + joint_volume_m(card, laying)) * count
        self.surface_m += card.surface_uptake_kg_m2 * count / resin_density_kg_m3
        self._conduct(groove_transmissivity_m3(card, angle_deg) * count, card.conduction_spread)
        self._conduct(joint_transmissivity_m3(card, laying, angle_deg) * count, card.conduction_spread)
        if not lets_resin_through(card):
            self.starved = self.starved or starves
            self.shut = True

    def add_slack(self, gap_m: float) -> None:
        """Add a gap over a stack that lies loose: resin runs through it as between two plates, ``h³/12``."""
        self.thickness += gap_m
        self.void += gap_m
        self._conduct(np.eye(2) * gap_m**3 / 12, 1.0)

    def add_media(self, card: MediaCard) -> None:
        self._conduct(np.eye(2) * card.permeability_m2.value * card.thickness_m, card.permeability_m2.spread)

    def _conduct(self, share: npt.NDArray[np.float64], spread: float) -> None:
        self.transmissivity = self.transmissivity + share
        self.conducting_spread += float(np.trace(share)) * float(np.log(spread))


def packed_by_pa(job: Job, stack: Stack) -> float:
    """What the fibre of *stack* is pressed with, under film or in a cavity (Pa)."""
    if stack.cavity_m is None:
        return job.pressing_pa
    return HARDEST_PA if stack.fibre_load_pa is None else max(stack.fibre_load_pa, CAVITY_LOADS_PA[-1])


def stack_of(job: Job, layers: tuple[Layer, ...], media: MediaCard | None, cavity_m: float | None = None) -> Stack:
    """Figures of one stack under full planned vacuum, or pressed to a cavity, everything at the tool's temperature.

    In-plane ``T = Σ K·h`` over plies, grooves and media; capacity ``Σ (1−Vf)·h`` and the uptakes per area; through the
    thickness ``Σ h/Kz``.
    """
    compaction_pa = job.pressing_pa
    load_pa: float | None = 0.0
    if cavity_m is not None:
        load_pa = fibre_load_pa(layers, job.cards, cavity_m)
        compaction_pa = HARDEST_PA if load_pa is None else max(load_pa, CAVITY_LOADS_PA[-1])
    resin_density = job.resin.density_kg_m3
    total = _Sum(np.zeros((2, 2)))
    cards = {card.id: card for card in job.cards}
    plies: list[tuple[FabricCard, float, int]] = []
    entries: list[tuple[FabricCard | CoreCard, float, int]] = []
    for layer in layers:
        card = cards[layer.card]
        if isinstance(card, FabricCard):
            plies.append((card, layer.angle_deg, layer.count))
            entries.append(plies[-1])
        elif isinstance(card, CoreCard):
            entries.append((card, layer.angle_deg, layer.count))
            total.add_core(card, layer.angle_deg, layer.count, job.core_laying, resin_density, starves=bool(plies))
        elif isinstance(card, CoatCard):
            total.coat_thickness += card.thickness_m * layer.count
            weight = card.areal_weight_kg_m2 * layer.count
            total.coat_kg += weight
            total.weight_spread += weight * float(np.log(card.spread))
    total.add_fabrics(plies, compaction_pa)
    if media is not None:
        total.add_media(media)
    peel = job.card(job.peel_ply, PeelPlyCard) if job.peel_ply and not job.in_mould else None
    slack = 0.0
    if cavity_m is not None:
        slack = max(cavity_m - total.thickness - total.core_thickness - total.coat_thickness, 0.0)
        slack = slack if slack > 1e-9 else 0.0
        total.add_slack(slack)
    resin_kg = total.void * resin_density
    tensor, trace = total.transmissivity, float(np.trace(total.transmissivity))
    through = total.through_spread / total.resistance if total.resistance > 0 and not total.shut else 0.0
    beside = total.core_thickness + total.coat_thickness
    dry_kg = total.fibre_kg + total.core_kg + total.coat_kg
    return Stack(
        layers=layers,
        thickness_m=total.thickness + beside,
        laminate_thickness_m=total.thickness,
        loose_m=total.loose + beside,
        fibre_fraction=total.fibre_m / total.thickness if total.thickness else 0.0,
        fibre_fraction_spread=float(np.exp(total.packing_spread / total.thickness)) if total.thickness else 1.0,
        fibre_weight_fraction=total.fibre_kg / (total.fibre_kg + resin_kg) if total.fibre_kg else 0.0,
        areal_weight_kg_m2=dry_kg,
        weight_spread=float(np.exp(total.weight_spread / dry_kg)) if dry_kg else 1.0,
        fibre_kg_m2=total.fibre_kg,
        void_m=total.void,
        core_m=total.core_m,
        core_surface_m=total.surface_m,
        media_m=media.porosity * media.thickness_m if media is not None else 0.0,
        peel_ply_m=peel.uptake_kg_m2 / resin_density if peel and total.thickness else 0.0,
        transmissivity_m3=(
            (float(tensor[0, 0]), float(tensor[0, 1])),
            (float(tensor[1, 0]), float(tensor[1, 1])),
        ),
        through_resistance_m=float("inf") if total.shut else total.resistance,
        through_spread=float(np.exp(through)),
        starved_side=total.starved,
        log_spread=total.conducting_spread / trace if trace else 0.0,
        levels=with_slack(
            levels_of(
                tuple(entries),
                media,
                peel,
                compaction_pa,
                resin_density,
                job.core_laying,
                CAVITY_LOADS_PA if cavity_m is not None else None,
            ),
            slack,
        ),
        cavity_m=cavity_m,
        fibre_load_pa=load_pa,
        slack_m=slack,
    )
