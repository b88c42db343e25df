"""Flow levels: a stack from the tool face to the film, as layers that resin flows along and joints it crosses.

From the tool: the skin on the tool side, the core's grooves, the skin on the bag side, the media. A stack without a
core is halved into a tool side and a bag side, so that the lag of the tool face is computed, not guessed. Levels that
a stack does not have are left out. A joint conducts ``1/Σ(h/Kz)`` per area (m), between the middles of its levels; peel
ply and perforations are in that sum. Source: resistances in series; a perforation is a pipe, ``π d⁴/(128 L)``.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import numpy.typing as npt

from bibulon.job.cards import CoreCard, FabricCard, MediaCard, PeelPlyCard
from bibulon.job.layup import CoreLaying
from bibulon.laminate.compaction import PACKED, packed_figures
from bibulon.laminate.core import (
    groove_transmissivity_m3,
    groove_volume_m,
    is_slit,
    joint_transmissivity_m3,
    joint_volume_m,
    perforation_volume_m,
)

LevelName = Literal["tool side", "core", "bag side", "media"]
LEVEL_NAMES: tuple[LevelName, ...] = ("tool side", "core", "bag side", "media")
SQUARE_AND_TIGHT = CoreLaying()
OPEN_M = 1e-6
"""Conductance per area of a joint with no resistance to speak of."""

CARRIED_SHARES = (0.0, 0.2, 0.4, 0.55, 0.7, 0.8, 0.88, 0.94, 0.98)
"""Shares of the compaction pressure carried by the resin, at which the swelling of a level is tabulated."""

CAVITY_LOADS_PA = tuple(float(load) for load in np.geomspace(1e7, 100.0, 49))
"""Pressures on the fibre in a closed mould, from the hardest, at which a level is tabulated; the last lets it loose."""

Tensor = tuple[tuple[float, float], tuple[float, float]]


@dataclass(frozen=True)
class Level:
    """One level: in-plane transmissivity (m³), capacity (m), how easily resin passes to the next one up (m), thickness.

    These hold under full vacuum, or at the height of a closed mould's cavity. Where resin carries a share of the
    pressure the level holds ``swelling_m`` more and conducts ``opening`` times as much: one value for each of
    ``CARRIED_SHARES``, in a closed mould for each of ``CAVITY_LOADS_PA``; empty if it does not swell.
    """

    name: LevelName
    transmissivity_m3: Tensor
    capacity_m: float
    joint_m: float = 0.0
    thickness_m: float = 0.0
    swelling_m: tuple[float, ...] = ()
    opening: tuple[float, ...] = ()


@dataclass
class _Skin:
    """Plies added up."""

    transmissivity: npt.NDArray[np.float64]
    capacity: float = 0.0
    resistance: float = 0.0
    thickness: float = 0.0


def _skin(figures: npt.NDArray[np.float64]) -> _Skin:
    """The skin of those summed :data:`~bibulon.laminate.compaction.PACKED` figures."""
    thickness, capacity, xx, xy, yy, resistance = (float(figure) for figure in figures)
    return _Skin(np.array([[xx, xy], [xy, yy]]), capacity, resistance, thickness)


def _tensor(matrix: npt.NDArray[np.float64]) -> Tensor:
    return ((float(matrix[0, 0]), float(matrix[0, 1])), (float(matrix[1, 0]), float(matrix[1, 1])))


def perforation_conductance_m(core: CoreCard) -> float:
    """``Q·μ/Δp`` per area of the perforations, from the floor of the grooves (or the far face) through the core."""
    if core.perforation_pitch_m is None:
        return 0.0
    depth = core.groove_depth_m if core.grooves != "none" else 0.0
    length = max(core.thickness_m - depth, core.perforation_diameter_m)
    return math.pi * core.perforation_diameter_m**4 / (128 * length * core.perforation_pitch_m**2)


def _series(*conductances: float) -> float:
    if any(conductance <= 0 for conductance in conductances):
        return 0.0
    return min(1 / sum(1 / conductance for conductance in conductances), OPEN_M) if conductances else OPEN_M


def _half(skin: _Skin) -> float:
    return 2 / skin.resistance if skin.resistance > 0 else OPEN_M


def levels_of(
    plies: tuple[tuple[FabricCard | CoreCard, float, int], ...],
    media: MediaCard | None,
    peel: PeelPlyCard | None,
    compaction_pa: float,
    resin_density_kg_m3: float,
    laying: CoreLaying = SQUARE_AND_TIGHT,
    loads_pa: tuple[float, ...] | None = None,
) -> tuple[Level, ...]:
    """The levels of a stack of ``(card, angle in degrees, count)`` from the tool face under *compaction_pa*, with their
    tables over *loads_pa*; None: over what the shares that resin carries leave.

    Plies between two cores count with the bag side; grooves lie on the core's bag face or go through it.
    """
    tabulated = loads_pa or tuple(compaction_pa * (1 - share) for share in CARRIED_SHARES)
    loads = (compaction_pa, *tabulated)
    cores = [(card, angle, count) for card, angle, count in plies if isinstance(card, CoreCard)]
    between = _core_level(cores, resin_density_kg_m3, laying)
    packed = [
        _levels_under(_skin(tool), _skin(bag), bool(cores), between, media, peel, resin_density_kg_m3)
        for tool, bag in zip(*_skins(plies, loads), strict=True)
    ]
    return tuple(
        replace(
            level,
            swelling_m=tuple(other[at].capacity_m - level.capacity_m for other in packed[1:]),
            opening=tuple(_conducting(other[at]) / max(_conducting(level), 1e-300) for other in packed[1:]),
        )
        for at, level in enumerate(packed[0])
    )


def _conducting(level: Level) -> float:
    return level.transmissivity_m3[0][0] + level.transmissivity_m3[1][1]


def _skins(
    plies: tuple[tuple[FabricCard | CoreCard, float, int], ...], loads: tuple[float, ...]
) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """The figures of the skins on the tool side and the bag side, a row for each load: divided by the first core, or,
    in a stack without one, halved by thickness."""
    fabrics = [
        (at, card, angle, count) for at, (card, angle, count) in enumerate(plies) if isinstance(card, FabricCard)
    ]
    if not fabrics:
        return np.zeros((len(loads), PACKED)), np.zeros((len(loads), PACKED))
    kinds = {(card.id, angle): card for _, card, angle, _ in fabrics}
    table = np.stack([packed_figures(card, angle, loads) for (_, angle), card in kinds.items()])
    order = {kind: at for at, kind in enumerate(kinds)}
    index = [order[card.id, angle] for _, card, angle, _ in fabrics]
    each = table[index] * np.array([count for *_, count in fabrics], dtype=np.float64)[:, None, None]
    core = next((at for at, (card, _, _) in enumerate(plies) if isinstance(card, CoreCard)), None)
    if core is not None:
        below = np.array([at < core for at, *_ in fabrics])
        return each[below].sum(axis=0), each[~below].sum(axis=0)
    heights = each[:, :, 0]
    beneath = np.cumsum(heights, axis=0) - heights
    share = np.clip((heights.sum(axis=0) / 2 - beneath) / heights, 0.0, 1.0)[:, :, None]
    return (share * each).sum(axis=0), ((1 - share) * each).sum(axis=0)


def _levels_under(
    tool: _Skin,
    bag: _Skin,
    cored: bool,
    between: tuple[Level | None, float],
    media: MediaCard | None,
    peel: PeelPlyCard | None,
    resin_density_kg_m3: float,
) -> tuple[Level, ...]:
    """The levels with those skins and what is *between* them."""
    middle, joints = between
    if peel is not None and (tool.capacity > 0 or bag.capacity > 0):
        bag.capacity += peel.uptake_kg_m2 / resin_density_kg_m3
    cover = _series(_half(bag), peel.permeability_through_m2.value / peel.thickness_m if peel else OPEN_M)
    levels: list[tuple[Level, float]] = []  # with the conductance from its middle to its upper face
    if tool.capacity > 0:
        level = Level("tool side", _tensor(tool.transmissivity), tool.capacity, thickness_m=tool.thickness)
        levels.append((level, _half(tool)))
    if middle is not None:
        levels.append((middle, OPEN_M))
    if bag.capacity > 0:
        level = Level("bag side", _tensor(bag.transmissivity), bag.capacity, thickness_m=bag.thickness)
        levels.append((level, cover))
    if media is not None:
        through = np.eye(2) * media.permeability_m2.value * media.thickness_m
        capacity = media.porosity * media.thickness_m
        levels.append((Level("media", _tensor(through), capacity, thickness_m=media.thickness_m), OPEN_M))
    joined = []
    for at, (level, upward) in enumerate(levels):
        if at + 1 == len(levels):
            joined.append(level)
            continue
        above = levels[at + 1][0]
        below_above = _half(bag) if above.name == "bag side" else OPEN_M
        crossing = joints if level.name == "tool side" and cored else OPEN_M
        joined.append(replace(level, joint_m=_series(upward, crossing, below_above)))
    return tuple(joined)


def _core_level(
    cores: list[tuple[CoreCard, float, int]], resin_density_kg_m3: float, laying: CoreLaying
) -> tuple[Level | None, float]:
    """The level of the cores' grooves, holes and joints, and what the cores conduct through their thickness."""
    if not cores:
        return None, OPEN_M
    transmissivity, capacity, through = np.zeros((2, 2)), 0.0, []
    for core, angle, count in cores:
        along = groove_transmissivity_m3(core, angle) + joint_transmissivity_m3(core, laying, angle)
        transmissivity = transmissivity + along * count
        capacity += (groove_volume_m(core) + perforation_volume_m(core) + joint_volume_m(core, laying)) * count
        capacity += core.surface_uptake_kg_m2 * count / resin_density_kg_m3
        through.append(OPEN_M if is_slit(core) else perforation_conductance_m(core) / count)
    if capacity <= 0:
        return None, _series(*through)
    thickness = sum(core.thickness_m * count for core, _, count in cores)
    return Level("core", _tensor(transmissivity), capacity, thickness_m=thickness), _series(*through)


def with_slack(levels: tuple[Level, ...], gap_m: float) -> tuple[Level, ...]:
    """*levels* with a gap over the last of them that resin runs through as between two plates, ``h³/12``."""
    if gap_m <= 0 or not levels:
        return levels
    last = levels[-1]
    (xx, xy), (yx, yy) = last.transmissivity_m3
    more = gap_m**3 / 12
    opening = np.array(last.opening) * _conducting(last) / (_conducting(last) + 2 * more)
    return (
        *levels[:-1],
        replace(
            last,
            transmissivity_m3=((xx + more, xy), (yx, yy + more)),
            capacity_m=last.capacity_m + gap_m,
            thickness_m=last.thickness_m + gap_m,
            swelling_m=tuple(float(swelling) - gap_m for swelling in last.swelling_m),
            opening=tuple(float(factor) for factor in opening),
        ),
    )


def merged(levels: tuple[Level, ...], count: int) -> tuple[Level, ...]:
    """*levels* as so many: one takes everything together; two keep the tool side apart from the rest of the plies and
    the core; more keep all. From two on media stay a level of their own: what lies under them, peel ply and plies, has
    to be crossed, and that is what the tool side waits for."""
    if count > 2 or len(levels) <= 1:
        return levels
    if count == 1:
        return (_one(levels),)
    media = tuple(level for level in levels if level.name == "media")
    plies = levels[: len(levels) - len(media)]
    tool = plies[:1] if plies[:1] and plies[0].name == "tool side" else ()
    rest = plies[len(tool) :]
    return (*tool, *((_one(rest),) if rest else ()), *media)


def _one(levels: tuple[Level, ...]) -> Level:
    if len(levels) == 1:
        return levels[0]
    tensor = _tensor(np.sum([np.array(level.transmissivity_m3) for level in levels], axis=0))
    whole = Level(
        "bag side",
        tensor,
        sum(level.capacity_m for level in levels),
        levels[-1].joint_m,
        sum(level.thickness_m for level in levels),
    )
    if not all(level.swelling_m for level in levels):
        return whole
    conducting = np.sum([np.multiply(level.opening, _conducting(level)) for level in levels], axis=0)
    return replace(
        whole,
        swelling_m=tuple(float(x) for x in np.sum([level.swelling_m for level in levels], axis=0)),
        opening=tuple(float(x) for x in conducting / max(_conducting(whole), 1e-300)),
    )
