"""The resin charge, line by line: what is in the part, in consumables and hoses, and what is lost.

Source: volume integral over the laminate cells (voids ``(1−Vf)·h``, grooves, perforations, cut cells, media, peel
ply), bores ``π d²/4·L`` of lines and hoses, plus heel, bleed (planned, or simulated where that is more) and
contingency.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from bibulon.job import WITH_BLADDER, Job
from bibulon.job.gear_cards import TubeCard
from bibulon.laminate.cells import Cell, laminate_of
from bibulon.laminate.closed_mould import channel_section_m2
from bibulon.laminate.relief import developed_length_m, rim_length_m
from bibulon.quantities import Units, show
from bibulon.quantities_in_words import percent
from bibulon.resin.mixing import Measure, measures_of

LITTLE_KG = 1e-9


@dataclass(frozen=True)
class Taken:
    """What the simulated fill of one part takes of resin beyond what part and lines are made to hold: what the laminate
    holds at its end beyond its voids under full vacuum, what is in the catch pots by then, what is still drawn after
    it."""

    swollen_m3: float = 0.0
    in_pots_m3: float = 0.0
    after_m3: float = 0.0


NOTHING_TAKEN = Taken()


@dataclass(frozen=True)
class ChargeItem:
    """One line of the charge; ``stays`` tells whether it ends up in the part."""

    name: str
    mass_kg: float
    how: str
    stays: bool = False


@dataclass(frozen=True)
class Charge:
    """All lines of the charge and what to weigh for it."""

    items: tuple[ChargeItem, ...]
    components: tuple[Measure, ...]

    @property
    def total_kg(self) -> float:
        return sum(item.mass_kg for item in self.items)

    @property
    def in_part_kg(self) -> float:
        """What the finished part keeps: laminate and core."""
        return sum(item.mass_kg for item in self.items if item.stays)

    @property
    def waste_kg(self) -> float:
        return self.total_kg - self.in_part_kg


def charge_of(job: Job, units: Units | None = None, taken: Taken = NOTHING_TAKEN) -> Charge:
    """The charge of *job*; *units* only colour the explanations.

    *taken* is what the simulated fill of each part takes besides.
    """
    units = units or Units()
    cells, parts = laminate_of(job).cells, job.parts_together
    density = job.resin.density_kg_m3
    together = f", in each of {parts} parts" if parts > 1 else ""

    def over_cells(name: str, depth: str, why: str, stays: bool) -> ChargeItem:
        volume = sum(cell.area_m2 * _depth(cell, depth) for cell in cells)
        area = sum(cell.area_m2 for cell in cells if _depth(cell, depth) > 0)
        weight = show(density, "density", units)
        how = f"{why} over {show(area, 'area', units)}: {show(volume, 'volume', units)} at {weight}{together}"
        return ChargeItem(name, parts * volume * density, how, stays)

    items = [
        over_cells("Laminate", "void_m", "voids (1 − Vf)·h of the plies", True),
        _swollen(job, taken.swollen_m3, units),
        over_cells("Core grooves and perforations", "core_m", "their volume", True),
        over_cells("Core surface", "core_surface_m", "cut cells at the core's faces", True),
        over_cells("Flow media", "media_m", "porosity times thickness", False),
        over_cells("Peel ply", "peel_ply_m", "uptake of the card", False),
        *_channel(job, units),
        _bores(job, "Lines", units),
        _bores(job, "Hoses", units),
        ChargeItem("Bucket heel", job.bucket.heel_kg, "what the dip tube leaves in the bucket"),
        *_run_on(job, taken, units),
    ]
    computed = sum(item.mass_kg for item in items)
    items.append(
        ChargeItem(
            "Contingency",
            computed * job.charge.contingency,
            f"{percent(job.charge.contingency)} of the {show(computed, 'mass', units)} above",
        )
    )
    kept = tuple(item for item in items if item.mass_kg > LITTLE_KG)
    return Charge(kept, measures_of(job.resin, sum(item.mass_kg for item in kept)))


def _swollen(job: Job, swollen_m3: float, units: Units) -> ChargeItem:
    if job.closed:
        name, why = "Cavity opened", "where the upper half gives as the mould fills"
    else:
        presses = "bladder" if job.process in WITH_BLADDER else "film"
        name, why = "Laminate swollen", f"where resin carries the {presses}'s load as the part fills"
    how = f"{show(swollen_m3, 'volume', units)} more {why}; simulated; most of it bleeds again before gel"
    return ChargeItem(name, job.parts_together * swollen_m3 * job.resin.density_kg_m3, how)


def _run_on(job: Job, taken: Taken, units: Units) -> tuple[ChargeItem, ...]:
    """What runs on into the catch pot, and what feeds that stay open draw after the fill: as planned, or as simulated
    where that is more."""
    planned_kg, weight = job.charge.bleed_kg, job.parts_together * job.resin.density_kg_m3
    caught_kg = taken.in_pots_m3 * weight
    bleed = ChargeItem("Bleed", planned_kg, "planned to run on into the catch pot")
    if caught_kg > planned_kg:
        more = f"more than the {show(planned_kg, 'mass', units)} that is planned"
        bleed = ChargeItem("Bleed", caught_kg, f"runs into the catch pot before the part is full; simulated, {more}")
    late_kg = caught_kg + taken.after_m3 * weight - bleed.mass_kg
    late = ChargeItem("Drawn after the fill", max(late_kg, 0.0), "by feeds that stay open, until gel; simulated")
    return bleed, late


def _channel(job: Job, units: Units) -> tuple[ChargeItem, ...]:
    """The channel round the rim of a closed mould."""
    if not job.closed or job.pair.channel.profile == "none":
        return ()
    rim_m = rim_length_m(job.part)
    volume = channel_section_m2(job.pair.channel) * rim_m
    how = f"its section over {show(rim_m, 'distance', units)} of rim: {show(volume, 'volume', units)}; trimmed off"
    return (ChargeItem("Rim channel", volume * job.resin.density_kg_m3, how),)


def _depth(cell: Cell, depth: str) -> float:
    return float(getattr(cell.stack, depth))


def _bores(job: Job, what: str, units: Units) -> ChargeItem:
    parts = job.parts_together
    volume, length = 0.0, 0.0  # of all parts
    for line in job.lines:
        metres = developed_length_m(job.part.relief, line.points) if what == "Lines" else line.hose_length_m
        bore = job.card(line.tube if what == "Lines" else line.hose, TubeCard).bore_m
        volume += parts * math.pi / 4 * bore**2 * metres
        length += parts * metres
    for manifold in job.manifolds:
        metres = manifold.length_m if what == "Lines" else manifold.hose_length_m
        bore = job.card(manifold.tube if what == "Lines" else manifold.hose, TubeCard).bore_m
        volume += job.manifolds_of(manifold) * math.pi / 4 * bore**2 * metres
        length += job.manifolds_of(manifold) * metres
    count = parts * len(job.lines) + sum(job.manifolds_of(manifold) for manifold in job.manifolds)
    how = f"bore of {show(length, 'distance', units)} in {count} lines: {show(volume, 'volume', units)}"
    together = f", for all {parts} parts" if parts > 1 else ""
    return ChargeItem(what, volume * job.resin.density_kg_m3, f"{how}{together}")
