"""One stack: what its plies, core and media weigh, hold, and let through, under the vacuum or pressed to a cavity."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from bibulon.job import Job
from bibulon.job.cards import CoatCard, CoreCard, FabricCard, MediaCard, PeelPlyCard
from bibulon.job.layup import CoreLaying, Layer
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


def stack_amounts(job: Job, stack: Stack) -> dict[str, float]:
    """How much of each card lies in *stack*, per area: plies and core by their number, coats kg/m²."""
    counts: dict[str, int] = {}
    for layer in stack.layers:
        counts[layer.card] = counts.get(layer.card, 0) + layer.count
    coats = {card.id: card.areal_weight_kg_m2 for card in job.cards if isinstance(card, CoatCard)}
    return {name: count * coats.get(name, 1.0) for name, count in counts.items()}


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


def stack_of(
    job: Job,
    layers: tuple[Layer, ...],
    media: MediaCard | None,
    cavity_m: float | None = None,
    peel: PeelPlyCard | None = None,
) -> Stack:
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
