"""Which way to make a part: cost per part over the run, what each way needs, and the reasons in words.

Cost per part = (equipment + moulds worn out)/parts + labour + materials with their waste + consumables, over one less
the share scrapped. A mould is counted anew each time its life is over; equipment once for the run. Materials follow
from the ply book: its fibre and core as they are, its resin by each process' usual fibre fraction.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from importlib.resources import files
from pathlib import Path
from typing import Annotated

import numpy as np
import platformdirs
import tomli_w
from pydantic import Field, ValidationError

from bibulon.job import WITH_BLADDER, Job
from bibulon.job.base import Amount, Model, Name, Share
from bibulon.job.faults import explain
from bibulon.laminate.cells import laminate_of
from bibulon.laminate.cost import dry_cost
from bibulon.quantities import Units, show
from bibulon.quantities_in_words import percent
from bibulon.refusal import Refusal
from bibulon.whole_file import toml_of, write_own

LONGEST_RUN = 10_000
MUCH_DEARER = 1.25


class ProcessCosts(Model):
    """One process on the shop's card; money per piece, area or part."""

    id: Name
    name: Name
    tool_per_m2: Amount
    tool_life: Annotated[int, Field(ge=1)]
    """Parts that come off one mould."""
    equipment: Amount
    """Bought for this run if the shop has none: set to 0 what it has."""
    setup_h: Amount
    labour_h_per_m2: Amount
    consumables_per_m2: Amount
    consumables_per_part: Amount
    fibre_fraction: Annotated[float, Field(gt=0.05, lt=0.8)]
    resin_waste: Amount
    scrap: Annotated[float, Field(ge=0, lt=1)]
    good_faces: Annotated[int, Field(ge=1, le=2)]
    thickness_tolerance: Share
    largest_m2: Annotated[float, Field(gt=0, le=1e9)]
    hollow: bool = False
    """It makes hollow parts, and none other."""
    needs: tuple[str, ...] = ()


class ShopCosts(Model):
    """The shop's card of costs."""

    labour_per_h: Amount
    process: Annotated[tuple[ProcessCosts, ...], Field(min_length=1)]


class CostsError(Refusal):
    """A card of costs that cannot be used; the message says where and why."""


def costs_file() -> Path:
    """Where the shop's own card lies."""
    return Path(platformdirs.user_data_dir("bibulon")) / "costs.toml"


def read_costs(text: str, name: str) -> ShopCosts:
    """The card in *text*. Raises :class:`CostsError`."""
    try:
        return ShopCosts.model_validate(toml_of(text))
    except ValidationError as error:
        raise CostsError(f"{name}: {explain(error)}.") from error
    except ValueError as error:
        raise CostsError(f"{name} is not a card of costs: {error}.") from error


def shop_costs() -> ShopCosts:
    """The shop's own card, or the one that ships. Raises :class:`CostsError` if the shop's cannot be used."""
    own = costs_file()
    if not own.exists():
        shipped = files("bibulon.planning").joinpath("processes.toml").read_text(encoding="utf-8")
        return read_costs(shipped, "the shipped card of costs")
    try:
        return read_costs(own.read_text(encoding="utf-8"), own.name)
    except (OSError, UnicodeDecodeError) as error:
        raise CostsError(f"{own} cannot be read ({error}).") from error


def save_costs(costs: ShopCosts) -> None:
    """Keep *costs* as the shop's own, all at once. Raises :class:`CostsError`; the old ones stay then."""
    try:
        write_own(costs_file(), tomli_w.dumps(costs.model_dump(mode="json")))
    except OSError as error:
        raise CostsError(f"The costs could not be kept ({error.strerror or error}).") from error


@dataclass(frozen=True)
class PartMaterials:
    """What goes into one part: area (m²), money in fibre, core and coats, fibre volume (m³), and resin by its price."""

    area_m2: float
    dry: float
    fibre_m3: float
    core_resin_m3: float
    resin_per_m3: float
    unpriced: tuple[str, ...]


def materials_of(job: Job) -> PartMaterials:
    """The materials of one part of *job* by the prices on its cards."""
    laminate = laminate_of(job)
    fibre = core_resin = 0.0
    for cell in laminate.cells:
        fibre += cell.area_m2 * cell.stack.fibre_fraction * cell.stack.laminate_thickness_m
        core_resin += cell.area_m2 * (cell.stack.core_m + cell.stack.core_surface_m)
    dry = dry_cost(job, laminate.amounts)
    unpriced = dry.unpriced if job.resin.price is not None else (*dry.unpriced, job.resin.name)
    per_m3 = (job.resin.price or 0.0) * job.resin.density_kg_m3
    return PartMaterials(laminate.total.area_m2, dry.amount, fibre, core_resin, per_m3, unpriced)


@dataclass(frozen=True)
class PartCost:
    """Money per part of a run, by what it goes into; each is borne by the parts that are not scrapped."""

    tools: float
    labour: float
    materials: float
    consumables: float

    @property
    def total(self) -> float:
        return self.tools + self.labour + self.materials + self.consumables


def part_cost_by(process: ProcessCosts, labour_per_h: float, materials: PartMaterials, parts: int) -> PartCost:
    """Cost of one good part of a run of so many good *parts*."""
    good = 1 - process.scrap
    shots = parts / good
    moulds = max(math.ceil(shots / process.tool_life - 1e-9), 1)
    resin_m3 = materials.fibre_m3 * (1 - process.fibre_fraction) / process.fibre_fraction + materials.core_resin_m3
    return PartCost(
        tools=(process.equipment + moulds * process.tool_per_m2 * materials.area_m2) / parts,
        labour=labour_per_h * (process.setup_h + process.labour_h_per_m2 * materials.area_m2) / good,
        materials=(materials.dry + resin_m3 * (1 + process.resin_waste) * materials.resin_per_m3) / good,
        consumables=(process.consumables_per_part + process.consumables_per_m2 * materials.area_m2) / good,
    )


@dataclass(frozen=True)
class Judged:
    """A process for a part: its cost, and why it is ruled out ("" if it is not)."""

    process: ProcessCosts
    cost: PartCost
    against: str


@dataclass(frozen=True)
class Advice:
    """The ways to make a part, the best that fits first, and the reasons in words."""

    ways: tuple[Judged, ...]
    reasons: tuple[str, ...]

    @property
    def best(self) -> ProcessCosts | None:
        return self.ways[0].process if self.ways and not self.ways[0].against else None


def advice(job: Job, costs: ShopCosts, units: Units) -> Advice:
    """Which of the processes on the card suits *job*."""
    materials, parts = materials_of(job), job.series.quantity
    judged = [
        Judged(
            process,
            part_cost_by(process, costs.labour_per_h, materials, parts),
            _against(job, process, materials, units),
        )
        for process in costs.process
    ]
    ways = tuple(sorted(judged, key=lambda process: (bool(process.against), process.cost.total)))
    return Advice(ways, tuple(_reasons(job, costs, materials, ways, units)))


def _against(job: Job, process: ProcessCosts, materials: PartMaterials, units: Units) -> str:
    if process.hollow != (job.process in WITH_BLADDER):
        return "It makes hollow parts." if process.hollow else "The part is hollow."
    if job.mould.two_good_faces and process.good_faces < 2:
        return "It leaves one good face, and two are wanted."
    wanted = job.series.thickness_tolerance
    if wanted is not None and process.thickness_tolerance > wanted + 1e-9:
        return f"Its thickness wanders by {percent(process.thickness_tolerance)}; {percent(wanted)} is wanted."
    if materials.area_m2 > process.largest_m2:
        most = show(process.largest_m2, "area", units)
        return f"The part is larger than the {most} that this shop makes so."
    return ""


def _reasons(job: Job, costs: ShopCosts, materials: PartMaterials, ways: Sequence[Judged], units: Units) -> list[str]:
    parts = job.series.quantity
    reasons = []
    fitting = [way for way in ways if not way.against]
    if not fitting:
        reasons.append("None of these makes the part as it is wanted: ease the tolerance or the faces, or divide it.")
    else:
        best = fitting[0]
        each = show(best.cost.total, "money", units, 0 if best.cost.total >= 100 else 2)
        count = "the one part" if parts == 1 else f"{parts} parts"
        reasons.append(f"{best.process.name} suits best: {each} each for {count}.")
        kinds = {"moulds and equipment": best.cost.tools, "labour": best.cost.labour,
                 "materials": best.cost.materials, "consumables": best.cost.consumables}  # fmt: skip
        most = max(kinds, key=lambda kind: kinds[kind])
        reasons.append(f"Most of that is {most}: {percent(kinds[most] / max(best.cost.total, 1e-9))}.")
        for other in fitting[1:]:
            dearer = other.cost.total / max(best.cost.total, 1e-9)
            reasons.append(f"{other.process.name} costs {_dearer(dearer)}.")
            turn = break_even(best.process, other.process, costs.labour_per_h, materials, parts)
            if turn is not None:
                reasons[-1] = reasons[-1][:-1] + f", and less from {_about(turn)} parts on."
    if materials.unpriced:
        reasons.append("Without a price, and so left out: " + ", ".join(materials.unpriced) + ".")
    if not job.layup:
        reasons.append("The ply book is empty: no materials are counted yet.")
    return reasons


def _about(parts: int) -> str:
    """A number of parts to two digits: planning figures tell no more.

    >>> _about(87), _about(2075)
    ('87', 'about 2100')
    """
    known = round(parts, 2 - len(str(parts)))
    return f"{parts}" if parts < 100 else f"about {known}"


def _dearer(ratio: float) -> str:
    return f"{ratio:.1f} times as much" if ratio >= MUCH_DEARER else f"{percent(ratio - 1)} more"


def break_even(
    now: ProcessCosts, later: ProcessCosts, labour_per_h: float, materials: PartMaterials, parts: int
) -> int | None:
    """The first longer run for which *later* makes the part for less than *now*, up to the longest looked at."""
    for run in run_lengths(parts + 1):
        costs = [part_cost_by(process, labour_per_h, materials, run).total for process in (now, later)]
        if costs[1] < costs[0]:
            return run
    return None


def run_lengths(shortest: int = 1, longest: int = LONGEST_RUN) -> list[int]:
    """Run lengths evenly spread by ratio, for a chart."""
    if shortest >= longest:
        return []
    return sorted({round(float(n)) for n in np.geomspace(shortest, longest, 160)})
