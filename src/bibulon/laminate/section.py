"""A section through the dry stack: every entry of the ply book with the thickness it has under the vacuum."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from shapely import Point, Polygon
from shapely.geometry.base import BaseGeometry

from bibulon.arrays import Floats
from bibulon.job import Job
from bibulon.job.cards import CoatCard, CoreCard, FabricCard
from bibulon.job.layup import Layer, role_of
from bibulon.laminate.cells import laminate_of
from bibulon.laminate.compaction import fibre_fraction, ply_thickness_m
from bibulon.laminate.stack import packed_by_pa


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class SectionLevel:
    """A level in a section: (stations,) thickness in metres, NaN where the stack has none, and its wet share."""

    name: str
    thickness_m: Floats
    wet_share: Floats
    core: bool = False


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Section:
    """The stack along a straight line on the plan: ``stations_m`` from its first point, levels from the tool."""

    stations_m: Floats
    levels: tuple[SectionLevel, ...]


def stack_section(job: Job, start: tuple[float, float], end: tuple[float, float], count: int = 160) -> Section:
    """The ply book of *job*, dry, along the line from *start* to *end*; entries it does not meet are left out."""
    shares = np.linspace(0.0, 1.0, count)
    places = np.outer(1 - shares, start) + np.outer(shares, end)
    laminate = laminate_of(job)
    cards = {card.id: card for card in job.cards}
    book = job.laid
    numbers = {layer.id: number for number, layer in enumerate(job.layup, 1)}
    edges = {layer.id: _edge(job, layer) for layer in book if job.is_core(layer.card)}
    heights = {layer.id: np.full(count, np.nan) for layer in book}
    for at, (x, y) in enumerate(places):
        cell = laminate.at(float(x), float(y))
        for layer in cell.stack.layers if cell is not None else ():
            card = cards[layer.card]
            if isinstance(card, FabricCard) and cell is not None:
                thickness_m = ply_thickness_m(card, fibre_fraction(card, packed_by_pa(job, cell.stack)))
            else:
                assert isinstance(card, CoreCard | CoatCard)
                thickness_m = card.thickness_m
            high = thickness_m * layer.count
            if layer.id in edges and job.core_laying.chamfer > 0:
                high = min(high, edges[layer.id].distance(Point(x, y)) / job.core_laying.chamfer)
            heights[layer.id][at] = high
    levels = []
    for layer in book:
        if not np.isnan(heights[layer.id]).all():
            number = numbers[layer.id.partition("~")[0]]
            core = job.is_core(layer.card)
            role = role_of(layer, cards[layer.card])
            words = f"{number} {role}" if role not in ("ply", "bulking mat") else f"{number}  {layer.angle_deg:g}°"
            name = words + (f" × {layer.count}" if layer.count > 1 else "")
            levels.append(SectionLevel(name, heights[layer.id], np.zeros(count), core))
    return Section(shares * float(np.hypot(end[0] - start[0], end[1] - start[1])), tuple(levels))


def _edge(job: Job, layer: Layer) -> BaseGeometry:
    """The edge of what *layer* covers."""
    region = next((region.outline for region in job.regions if region.name == layer.region), None)
    return job.part.shape.boundary if region is None else Polygon(region).boundary
