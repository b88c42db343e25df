"""What a fill returns, and what can be read off it."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from bibulon.arrays import Floats, Integers
from bibulon.flow.mesh import Mesh
from bibulon.flow.pockets import Pocket
from bibulon.flow.problem import FlowProblem
from bibulon.flow.upper_half import Forces
from bibulon.job.lines import ValveAction
from bibulon.laminate.levels import LEVEL_NAMES, LevelName
from bibulon.resin.charge import Taken

HALF = 0.5
StopReason = Literal[
    "filled",
    "gel",
    "flow limit",
    "trapped air",
    "too high for the vacuum",
    "no feed open",
    "shot mass in",
    "dry area behind the vents",
]
STOP_WORDS: dict[StopReason, str] = {
    "filled": "Every pore is full",
    "gel": "The resin gels before the part is full",
    "flow limit": "The resin grows too thick to flow before the part is full",
    "trapped air": "Resin closes round air that has no way out",
    "too high for the vacuum": "The vacuum cannot lift the resin any higher",
    "no feed open": "Every feed is clamped or waits for resin that never comes",
    "shot mass in": "The shot mass is in and the inlets are clamped before the part is full",
    "dry area behind the vents": "Resin has no way past the vents to what lies behind them",
}
"""Why a fill ended, as a sentence without its full stop."""


@dataclass(frozen=True)
class WaitForBatch:
    """The bucket was down to its heel at ``since_s``, and its feeds are clamped until a batch is there."""

    batch: int
    since_s: float
    until_s: float


@dataclass(frozen=True)
class ValveEvent:
    """A valve opened or closed at ``time_s``."""

    time_s: float
    line: str
    action: ValveAction


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class After:
    """What the laminate does from the end of the fill until the resin stops.

    ``times_s`` (k,) on the run clock, from the end of the fill on; ``pressure_pa`` and ``swelling_m`` (k, n) as in
    :class:`FillResult`; what bled to the pots, how much of it to pots of vents' own, and what was still drawn; whether
    it was followed until the resin stops, and not only as far as ``times_s`` goes.
    """

    times_s: Floats
    pressure_pa: Floats
    swelling_m: Floats
    mass_error: float
    bled_m3: float
    bled_own_m3: float
    drawn_m3: float
    whole: bool = True


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Even:
    """An upper half over a cavity that is full at one absolute pressure.

    ``edge_load_n_m`` (m,) the greatest load on the edge at each ``pressure_pa`` (m,); ``thinnest`` and ``thickest``
    (k,) the shares by which the cavity is higher than built where it is least and most, at each ``held_pa`` (k,) up to
    the atmosphere.
    """

    pressure_pa: Floats
    edge_load_n_m: Floats
    held_pa: Floats
    thinnest: Floats
    thickest: Floats


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class UpperCourse:
    """What the upper half of a mould does over a fill and after it, until the resin stops.

    ``times_s`` (k,) on the run clock; ``rise_m`` (k, points) how much the cavity is higher than built;
    ``edge_places_m`` (r, 2) along the inner seal, each for ``edge_shares_m`` (r,) of it, with what pulls up there,
    ``edge_load_n_m`` (k, r); ``forces`` for each time; ``filled`` the number of times until the end of the fill;
    ``even`` what it does with the cavity full at one pressure, None if nobody will ask.
    """

    times_s: Floats
    rise_m: Floats
    edge_places_m: Floats
    edge_shares_m: Floats
    edge_load_n_m: Floats
    forces: tuple[Forces, ...]
    filled: int
    even: Even | None


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class FillResult:
    """A fill, from the opening of the first valve to its end.

    ``times_s`` (k,); ``saturation`` and ``pressure_pa`` (k, n) at the nodes, pressure over the vent's and as the mean
    of each step; node *i* lies at mesh point ``place[i]`` on level ``level[i]``. ``level_arrival_s`` (levels, points)
    when resin came to each level, NaN where it never did or the stack has no such level; ``arrival_s`` (points,) when
    the last level of the place was reached, ``seen_s`` (points,) when the level under the film was. Volumes (k,),
    ``in_own_pots_m3`` of what is in pots that which is in those of a vent with a regulator of its own,
    ``drawn_m3`` by each hose at the bucket (k, h), ``supply_pa`` (k,) the supply's pressure over the vent's.
    ``swelling_m`` (k, n) how much thicker each node is than under full vacuum; ``laminate_m`` and ``fibre_m`` (points,)
    the plies' thickness then and the fibre in it, ``built_m`` the height that a closed mould's cavity was built to;
    ``pockets`` of gas at the end of the fill; ``margin_s`` how long the resin that filled the last places would still
    have flowed, as warm as it is and gets by its own cure, ``margin_held_s`` if held at the mould's temperature;
    ``after`` None if the fill was not followed on.
    """

    problem: FlowProblem
    mesh: Mesh
    place: Integers
    level: Integers
    node_area_m2: Floats
    laminate_m: Floats
    fibre_m: Floats
    built_m: Floats
    times_s: Floats
    saturation: Floats
    pressure_pa: Floats
    swelling_m: Floats
    level_arrival_s: Floats
    arrival_s: Floats
    seen_s: Floats
    drawn_m3: Floats
    in_part_m3: Floats
    in_lines_m3: Floats
    in_pots_m3: Floats
    in_own_pots_m3: Floats
    supply_pa: Floats
    events: tuple[ValveEvent, ...]
    pockets: tuple[Pocket, ...]
    stopped_by: StopReason
    filled_fraction: float
    fill_time_s: float | None
    mass_error: float
    solves: int
    margin_s: float | None
    margin_held_s: float | None
    after: After | None
    upper: UpperCourse | None = None
    """None under film and in a rigid mould."""
    age_s: Floats = field(default_factory=lambda: np.zeros(0))
    """(n,) of the resin at the nodes at the end, at the mould's temperature."""
    excess_k: Floats = field(default_factory=lambda: np.zeros(0))
    """(n,) by which it is warmer than the mould then."""
    faster: Floats = field(default_factory=lambda: np.zeros(0))
    """(n,) how many times as fast as the planned resin it cures, by its dose of catalyst."""
    stage_begun_s: tuple[float, ...] = (0.0,)
    """When each step of the injection began that did."""
    waits: tuple[WaitForBatch, ...] = ()

    @property
    def end_s(self) -> float:
        return float(self.times_s[-1])

    @property
    def flowing_s(self) -> Floats:
        """(k,) ``times_s`` without those in which a batch was waited for."""
        waited = [np.clip(self.times_s, wait.since_s, wait.until_s) - wait.since_s for wait in self.waits]
        return np.asarray(np.maximum.accumulate(self.times_s - sum(waited)))

    @property
    def resin_drawn_m3(self) -> float:
        return float(self.drawn_m3[-1].sum())

    @property
    def taken(self) -> Taken:
        """What it takes of resin beyond what part and lines hold; what runs on past a part that is not filled, nobody
        is to mix."""
        if self.fill_time_s is None:
            return Taken(self.swollen_m3)
        after_m3 = 0.0 if self.after is None else self.after.drawn_m3
        return Taken(self.swollen_m3, float(self.in_pots_m3[-1]), after_m3)

    @property
    def swollen_m3(self) -> float:
        """What the laminate holds at the end of the fill beyond its pores under full vacuum, or at the height that a
        closed mould was built to."""
        if self.upper is not None:
            rise_m = self.upper.rise_m[self.upper.filled - 1]
            return float((rise_m[self.mesh.triangles].mean(axis=1) * self.mesh.areas_m2).sum())
        return float((self.swelling_m[-1] * self.node_area_m2).sum())

    @property
    def half_full_s(self) -> Floats:
        """(points,) when the last level of each place was half full: air that is squeezed into a corner keeps it from
        being quite full for long, and says nothing of where the front went. NaN where it never was."""
        enough = self.saturation >= HALF
        first = enough.argmax(axis=0)
        before = np.maximum(first - 1, 0)
        node = np.arange(self.saturation.shape[1])
        low, high = self.saturation[before, node], self.saturation[first, node]
        share = np.clip((HALF - low) / np.where(high > low, high - low, 1.0), 0.0, 1.0)
        times = self.times_s[before] + share * (self.times_s[first] - self.times_s[before])
        times[~enough.any(axis=0)] = np.inf
        times_s = np.zeros(len(self.mesh.points_m))
        np.maximum.at(times_s, self.place, times)
        return np.where(np.isinf(times_s), np.nan, times_s)

    @property
    def last_filled(self) -> tuple[float, float]:
        """Place where the front ends, or the middle of what stays dry."""
        if self.fill_time_s is None and np.isnan(self.arrival_s).any():
            dry = np.flatnonzero(np.isnan(self.arrival_s))
            middle = self.mesh.points_m[dry].mean(axis=0)
            node = dry[int(np.argmin(((self.mesh.points_m[dry] - middle) ** 2).sum(axis=1)))]
        else:
            node = int(np.argmax(np.nan_to_num(self.half_full_s, nan=-1.0)))
        return float(self.mesh.points_m[node, 0]), float(self.mesh.points_m[node, 1])

    @property
    def dry_area_m2(self) -> float:
        """Area of the plan where some level is not reached: the worst level counts."""
        worst, area = np.ones(len(self.mesh.points_m)), np.zeros(len(self.mesh.points_m))
        np.minimum.at(worst, self.place, np.minimum(self.saturation[-1], 1))
        np.maximum.at(area, self.place, self.node_area_m2)
        return float(area @ (1 - worst))

    @property
    def lag_s(self) -> Floats:
        """(points,) how long after the level under the film the last level of each place is reached."""
        return self.arrival_s - self.seen_s

    @property
    def lag_max_s(self) -> float:
        """The longest lag of any place that is reached."""
        lag = self.lag_s
        return float(np.nanmax(lag)) if not np.isnan(lag).all() else 0.0

    def arrival_at(self, x_m: float, y_m: float, level: int | None = None) -> float | None:
        """Arrival time at a place, on its last level or on the level of that number from the tool.

        None where resin never comes. Raises ValueError off the part, or where the stack has fewer levels.
        """
        nodes, weights = self._weights(x_m, y_m)
        arrivals = self.arrival_s
        if level is not None:
            there = np.unique(self.level[np.isin(self.place, nodes)])
            if not 0 <= level < len(there):
                raise ValueError(f"there are {len(there)} levels at {x_m:g}, {y_m:g} m, counted from 0 at the tool")
            arrivals = self.level_arrival_s[there[level]]
        return _weighed(arrivals, nodes, weights)

    def level_times_at(self, x_m: float, y_m: float) -> tuple[tuple[LevelName, float | None], ...]:
        """When resin comes to each level of a place, from the tool. Raises ValueError off the part."""
        nodes, weights = self._weights(x_m, y_m)
        there = np.unique(self.level[np.isin(self.place, nodes)])
        return tuple(
            (LEVEL_NAMES[level], _weighed(self.level_arrival_s[level], nodes, weights)) for level in there.tolist()
        )

    def seen_at(self, x_m: float, y_m: float) -> float | None:
        """When resin shows under the film at a place; None if never. Raises ValueError off the part."""
        return _weighed(self.seen_s, *self._weights(x_m, y_m))

    def _weights(self, x_m: float, y_m: float) -> tuple[Integers, Floats]:
        located = self.mesh.locate(x_m, y_m)
        if located is None:
            raise ValueError(f"{x_m:g}, {y_m:g} m is not on the part")
        return located

    @property
    def in_catch_pots_m3(self) -> Floats:
        """(k,) in the pots that all vents share."""
        return self.in_pots_m3 - self.in_own_pots_m3

    @property
    def caught_m3(self) -> float:
        """In the pots that all vents share at the end of what was followed: of the fill, or of the bleed after it."""
        bled_m3 = 0.0 if self.after is None else self.after.bled_m3 - self.after.bled_own_m3
        return float(self.in_catch_pots_m3[-1]) + bled_m3

    def drawn_at(self, time_s: float) -> float:
        """Resin drawn from the bucket by *time_s* (m³)."""
        return float(np.interp(time_s, self.times_s, self.drawn_m3.sum(axis=1)))


def _weighed(values: Floats, nodes: Integers, weights: Floats) -> float | None:
    known = weights > 1e-9
    value = float(values[nodes[known]] @ weights[known])
    return None if math.isnan(value) else value
