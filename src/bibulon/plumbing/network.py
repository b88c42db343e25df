"""The plumbing of a job: what stands where between bucket and pump, the hoses between, and how each end fits."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.gear_cards import FittingCard, TubeCard
from bibulon.job.lines import CatchPot, Line
from bibulon.job.plumbing import BYPASS_HOSE, PUMP_HOSE, REGULATOR_HOSE, FittedHose, ReducerEnd, hose_between_pots
from bibulon.plumbing.fits import (
    UNFIT,
    ClampFit,
    FitVerdict,
    bore_verdict,
    clamp_for,
    clamp_verdict,
    reducer_for,
    reducer_verdict,
)
from bibulon.plumbing.hose_way import tightest_bend, way_of
from bibulon.stock.choice import cards_for

NodeKind = Literal["bucket", "manifold", "feed", "vent", "pot", "regulator", "pump"]
Side = Literal["feed", "vent", "bypass"]
BUCKET, REGULATOR, PUMP = "bucket", "regulator", "pump"
WORDS: dict[FitVerdict, str] = {
    "fits": "fits",
    "warmed": "goes on with the hose's end warmed",
    "wide": "the hose is too wide for it",
    "narrow": "the hose is too narrow for it",
    "nothing fits": "nothing on the shelf fits this hose",
    "other way in": "is made for another way into the bag",
}


@dataclass(frozen=True)
class Node:
    """A thing that hoses go to: its name, what it is, what is written on it, the line, manifold or pot meant, and the
    pressure that a regulator of one vent alone keeps, behind which stands a pot of its own."""

    id: str
    kind: NodeKind
    label: str
    subject: str = ""
    level_pa: float | None = None


@dataclass(frozen=True)
class Joint:
    """One end of a hose: what it is put on, the bore that wants, how it fits, and what would make it fit."""

    on: str
    fitting: FittingCard | None
    wants_m: float | None
    reducer: FittingCard | None
    """One that is put between."""
    verdict: FitVerdict
    proposed: FittingCard | None = None
    """A reducer of the shelf that would make it fit."""
    proposed_port: FittingCard | None = None
    """The port that the proposed reducer goes on, where nothing fits."""

    @property
    def fits(self) -> bool:
        return self.verdict not in UNFIT

    @property
    def words(self) -> str:
        """What the hose is put on, and how it goes there."""
        between = f", over {self.reducer.name}" if self.reducer is not None else ""
        return f"{self.on}{between}: {WORDS[self.verdict]}"


@dataclass(frozen=True)
class Hose:
    """A hose from node to node, with both its ends, its clamp, and how many clamps it takes."""

    name: str
    label: str
    card: TubeCard
    side: Side
    start: str
    end: str
    length_m: float
    joints: tuple[Joint, Joint]
    clamps: int
    clamp: ClampFit | None
    fitted: FittedHose
    way: tuple[Point, ...] = ()
    """The places it is led past, where that is drawn."""
    elbow: FittingCard | None = None
    """Of its elbows, where it has any and a card is chosen."""

    @property
    def bend(self) -> tuple[float, Point | None] | None:
        """Radius of its tightest bend, as measured or else by the way that is drawn, and where that is; None where
        neither is known."""
        if self.fitted.tightest_bend_m is not None:
            return self.fitted.tightest_bend_m, None
        return tightest_bend(self.way, self.fitted.elbows)

    @property
    def kinks(self) -> bool:
        """Whether its way bends tighter than it stands."""
        bend, least = self.bend, self.card.least_bend_m
        return bend is not None and least is not None and bend[0] < least - 1e-9

    @property
    def sound(self) -> bool:
        """Whether both ends fit and its clamp shuts."""
        return all(joint.fits for joint in self.joints) and (self.clamp is None or self.clamp.shuts)


@dataclass(frozen=True)
class Network:
    """Nodes and hoses of a job."""

    nodes: tuple[Node, ...]
    hoses: tuple[Hose, ...]

    def node(self, name: str) -> Node:
        """The node of that name. Raises KeyError."""
        for node in self.nodes:
            if node.id == name:
                return node
        raise KeyError(name)

    def hose(self, name: str) -> Hose:
        """The hose of that name. Raises KeyError."""
        for hose in self.hoses:
            if hose.name == name:
                return hose
        raise KeyError(name)


def tube_to_pump(job: Job) -> TubeCard:
    """The tube between the pots and to the pump. Raises ValueError for a job without vents that names none."""
    if job.plumbing.pump_hose is not None:
        return job.card(job.plumbing.pump_hose, TubeCard)
    if not job.vents:
        raise ValueError("there is no vent yet whose hose it could be like")
    return job.card(job.vents[0].hose, TubeCard)


def _own_regulator(line: Line) -> str:
    return f"regulator of {line.id}"


def into_first_pot(network: Network, job: Job) -> tuple[Hose, ...]:
    """The hoses that end at the first pot of *job*: those of the vents, and the bypass."""
    if not job.pots:
        return ()
    first = _pot_node(job.pots[0])
    return tuple(hose for hose in network.hoses if hose.end == first)


def inlets_short(network: Network, job: Job) -> int:
    """How many hoses more end at the first pot than it has inlets; each of them has to be teed in."""
    inlets = job.pots[0].inlets if job.pots else None
    return 0 if inlets is None else max(len(into_first_pot(network, job)) - inlets, 0)


def network_of(job: Job) -> Network:
    """The plumbing of *job*, with fittings of the shelf where none are chosen."""
    return _Builder(job).network()


class _Builder:
    def __init__(self, job: Job) -> None:
        self.job, self.plumbing = job, job.plumbing
        self.shelf: Sequence[FittingCard] = tuple(cards_for(job, FittingCard).values())
        self.manifolds = {manifold.id: manifold for manifold in job.manifolds}
        self.hose_of = {line.id: job.card(line.hose, TubeCard) for line in job.lines}

    def network(self) -> Network:
        return Network(tuple(self._nodes()), tuple(self._hoses()))

    def _nodes(self) -> Iterator[Node]:
        job = self.job
        if job.feeds or job.manifolds:
            yield Node(BUCKET, "bucket", job.supply)
        for manifold in job.manifolds:
            yield Node(manifold.id, "manifold", manifold.label, manifold.id)
        for line in job.lines:
            yield Node(line.id, line.kind, line.label, line.id)
        for line in job.vents:
            if self._has_regulator(line):
                yield Node(_own_regulator(line), "regulator", f"regulator of {line.label}", line.id, line.level_pa)
        for pot in job.pots:
            yield Node(_pot_node(pot), "pot", pot.label)
        if job.vents:
            if self.plumbing.regulator:
                yield Node(REGULATOR, "regulator", "regulator")
            yield Node(PUMP, "pump", "pump and spare" if self.plumbing.spare_pump else "pump")

    def _hoses(self) -> Iterator[Hose]:
        job = self.job
        for manifold in job.manifolds:
            card = job.card(manifold.hose, TubeCard)
            ends = self._from_bucket(), self._on_pipe(card, manifold.id, "end")
            yield self._hose(
                manifold.id, manifold.label, card, "feed", (BUCKET, manifold.id), manifold.hose_length_m, ends, 1
            )
        for line in job.feeds:
            card, source = self.hose_of[line.id], line.fed_by or BUCKET
            under_film = line.is_branch(self.manifolds)
            ends = self._from(card, line.id, source), self._on_line(card, line, "end")
            yield self._hose(
                line.id, line.label, card, "feed", (source, line.id), line.hose_length_m, ends, 0 if under_film else 2
            )
        yield from self._vent_side()
        yield from self._bypass()

    def _vent_side(self) -> Iterator[Hose]:
        job = self.job
        if not job.vents:
            return
        last = REGULATOR if self.plumbing.regulator else PUMP
        first = _pot_node(job.pots[0]) if job.pots else last
        for line in job.vents:
            card = self.hose_of[line.id]
            to = _own_regulator(line) if self._has_regulator(line) else first
            ends = self._on_line(card, line, "start"), self._on_node(card, line.id, to, "end")
            yield self._hose(line.id, line.label, card, "vent", (line.id, to), line.hose_length_m, ends, 1)
        card = tube_to_pump(job)
        for one, other in zip(job.pots, job.pots[1:], strict=False):
            name, between = hose_between_pots(one.label, other.label), (_pot_node(one), _pot_node(other))
            yield self._tube(name, f"{one.label}–{other.label}", card, between, self.plumbing.between_pots_m)
        at = _pot_node(job.pots[-1]) if job.pots else None
        if self.plumbing.regulator:
            if at is not None:
                yield self._tube(REGULATOR_HOSE, "to regulator", card, (at, REGULATOR), self.plumbing.regulator_hose_m)
            at = REGULATOR
        if at is not None:
            yield self._tube(PUMP_HOSE, "to pump", card, (at, PUMP), self.plumbing.pump_hose_m)

    def _tube(self, name: str, label: str, card: TubeCard, between: tuple[str, str], length_m: float) -> Hose:
        ends = self._on_node(card, name, between[0], "start"), self._on_node(card, name, between[1], "end")
        return self._hose(name, label, card, "vent", between, length_m, ends, 0)

    def _bypass(self) -> Iterator[Hose]:
        bypass = self.plumbing.bypass
        if bypass is None or not (self.job.feeds or self.job.manifolds):
            return
        card, source = self.job.card(bypass.hose, TubeCard), bypass.source or BUCKET
        end = _pot_node(self.job.pots[0]) if self.job.pots else PUMP
        ends = self._from(card, BYPASS_HOSE, source), self._on_node(card, BYPASS_HOSE, end, "end")
        yield self._hose(
            BYPASS_HOSE, bypass.label, card, "bypass", (source, end), bypass.hose_length_m, ends, bypass.clamps
        )

    def _hose(
        self,
        name: str,
        label: str,
        card: TubeCard,
        side: Side,
        between: tuple[str, str],
        length_m: float,
        joints: tuple[Joint, Joint],
        clamps: int,
    ) -> Hose:
        fitted = self.plumbing.hose(name)
        clamp = None
        if clamps:
            chosen = self._chosen(fitted.clamp)
            clamp = clamp_for(card, self.shelf) if chosen is None else ClampFit(chosen, clamp_verdict(card, chosen))
        way = next((way_of(line) for line in self.job.lines if line.id == name), ())
        elbow = self._chosen(fitted.elbow) if fitted.elbows else None
        return Hose(name, label, card, side, *between, length_m, joints, clamps, clamp, fitted, way, elbow)

    # -- ends --------------------------------------------------------------------------------------------------------

    def _chosen(self, identifier: str | None) -> FittingCard | None:
        if identifier is None:
            return None
        return next(card for card in self.job.cards if isinstance(card, FittingCard) and card.id == identifier)

    def _from_bucket(self) -> Joint:
        return Joint(f"in the {self.job.supply}", None, None, None, "fits")

    def _from(self, card: TubeCard, name: str, source: str) -> Joint:
        if source == BUCKET:
            return self._from_bucket()
        if source in self.manifolds:
            return self._on_pipe(card, source, "start", name)
        other = self.hose_of[source]
        tees = [tee for tee in self.shelf if tee.use == "tee" and bore_verdict(other, tee.fits_bore_m) == "fits"]
        label = next(line.label for line in self.job.lines if line.id == source)
        return self._joint(
            card, name, "start", f"tee in {label}", tees[0] if tees else None, other.bore_m, self.job.house.tube_fit_m
        )

    def _on_pipe(self, card: TubeCard, manifold: str, end: ReducerEnd, name: str = "") -> Joint:
        pipe = self.job.card(self.manifolds[manifold].tube, TubeCard)
        on = f"manifold {self.manifolds[manifold].label}"
        return self._joint(card, name or manifold, end, on, None, pipe.bore_m, self.job.house.tube_fit_m)

    def _has_regulator(self, line: Line) -> bool:
        return line.level_pa is not None and line.level_pa > self.job.vacuum_pa

    def _on_node(self, card: TubeCard, name: str, node: str, end: ReducerEnd) -> Joint:
        if node == PUMP:
            return self._joint(card, name, end, "pump", None, self.plumbing.pump_barb_m)
        if node == REGULATOR:
            return self._joint(card, name, end, "regulator", None, self.plumbing.regulator_barb_m)
        of_vent = next((line for line in self.job.vents if _own_regulator(line) == node), None)
        if of_vent is not None:
            return self._joint(card, name, end, f"regulator of {of_vent.label}", None, None)
        pot = next(pot for pot in self.job.pots if _pot_node(pot) == node)
        return self._joint(card, name, end, f"pot {pot.label}", None, pot.barb_m)

    def _on_line(self, card: TubeCard, line: Line, end: ReducerEnd) -> Joint:
        """The port where a hose joins its line."""
        if line.is_port:
            return Joint(f"sleeve of {line.label}", None, None, None, "fits")
        if line.is_branch(self.manifolds):
            return Joint(f"{line.label}, under the film", None, None, None, "fits")
        fitted = self.plumbing.hose(line.id)
        film = fitted.through == "film"
        chosen = self._chosen(fitted.port)
        if chosen is not None:
            on = f"{chosen.name} of {line.label}"
            if chosen.use == "port" and chosen.through_film != film:
                return Joint(on, chosen, chosen.fits_bore_m, None, "other way in")
            return self._joint(card, line.id, end, on, chosen, chosen.fits_bore_m)
        ports = [port for port in self.shelf if port.use == "port" and port.through_film == film]
        fitting = [port for port in ports if bore_verdict(card, port.fits_bore_m) == "fits"]
        if not fitting:
            fitting = [port for port in ports if bore_verdict(card, port.fits_bore_m) == "warmed"]
        if fitting:
            return self._joint(
                card, line.id, end, f"{fitting[0].name} of {line.label}", fitting[0], fitting[0].fits_bore_m
            )
        pairs = [(port, reducer_for(card, port.fits_bore_m, self.shelf)) for port in ports]
        with_reducer = [(port, reducer) for port, reducer in pairs if reducer is not None]
        best = max(with_reducer, key=lambda pair: pair[1].bore_m, default=None)
        return Joint(
            f"port of {line.label}",
            None,
            None,
            None,
            "nothing fits",
            best[1] if best else None,
            best[0] if best else None,
        )

    def _joint(
        self,
        card: TubeCard,
        name: str,
        end: ReducerEnd,
        on: str,
        fitting: FittingCard | None,
        wants_m: float | None,
        tolerance_m: float | None = None,
    ) -> Joint:
        fitted = self.plumbing.hose(name)
        reducer = self._chosen(fitted.reducer_at_start if end == "start" else fitted.reducer_at_end)
        if reducer is not None:
            return Joint(on, fitting, wants_m, reducer, reducer_verdict(card, reducer, wants_m))
        verdict = bore_verdict(card, wants_m) if tolerance_m is None else bore_verdict(card, wants_m, tolerance_m)
        proposed = reducer_for(card, wants_m, self.shelf) if verdict in UNFIT and wants_m is not None else None
        return Joint(on, fitting, wants_m, None, verdict, proposed)


def _pot_node(pot: CatchPot) -> str:
    return f"pot {pot.label}"
