"""The Job: everything that was decided and everything that happened, as one frozen value.

SI numbers whose names carry their unit; an edit makes a new Job (see :mod:`bibulon.job.edits`); stored as one JSON
document (see :mod:`bibulon.job.storage`).
"""

from __future__ import annotations

from collections import Counter
from itertools import pairwise
from typing import Annotated, Literal, TypeVar

from pydantic import Field, model_validator

from bibulon.durations import DAY_S
from bibulon.job.base import Identifier, Model, Name
from bibulon.job.cards import (
    AdhesiveCard,
    Card,
    CoatCard,
    CoreCard,
    FabricCard,
    FilmCard,
    MediaCard,
    PeelPlyCard,
    ResinCard,
    TapeCard,
)
from bibulon.job.charge import ChargePlan, MixedBatch, Weighed, as_mixed
from bibulon.job.curing import Curing
from bibulon.job.dosing import dosed
from bibulon.job.filling import with_filler
from bibulon.job.flow import FlowChoices
from bibulon.job.gear_cards import FittingCard, TubeCard
from bibulon.job.hold import HoldRules, HoldTest
from bibulon.job.house import HouseRules
from bibulon.job.hunt import LeakHunt
from bibulon.job.layup import ROLES, CoreLaying, CutChoices, Layer, PlyGroup, laid
from bibulon.job.lines import Bucket, CatchPot, Line, Manifold, MediaPatch
from bibulon.job.mould import Mould
from bibulon.job.pair import MouldPair, Source
from bibulon.job.part import Bag, Part, Region, Shop, Vacuum
from bibulon.job.places import FARTHEST_M
from bibulon.job.plumbing import Plumbing
from bibulon.job.run import RunEvent, shot_of, shots_before
from bibulon.job.series import Series
from bibulon.job.stock_card import Counted

FORMAT = "bibulon job"
FORMAT_VERSION = 2
Process = Literal["film infusion", "light RTM", "RTM", "reusable film", "bladder"]
CLOSED: frozenset[Process] = frozenset({"light RTM", "RTM"})
"""Processes with two mould halves."""
WITH_BLADDER: frozenset[Process] = frozenset({"bladder"})
"""Processes with a bag inside a hollow part, which a rigid mould holds from outside."""
IN_MOULD = CLOSED | WITH_BLADDER
"""Processes whose mould is shut all round: injected through ports, shot after shot."""
UNDER_FILM: frozenset[Process] = frozenset({"film infusion", "reusable film"})
WITH_PLEATS: frozenset[Process] = frozenset({"film infusion"})
"""Processes whose film is cut, pleated and taped anew for every part."""
REUSABLE: frozenset[Process] = frozenset({"reusable film"})
CLAMPED_BY_VACUUM: frozenset[Process] = frozenset({"light RTM"})
CLAMPED_BY_FORCE: frozenset[Process] = frozenset({"RTM"})
EVERY_PROCESS = IN_MOULD | UNDER_FILM

CardKind = TypeVar(
    "CardKind",
    FabricCard,
    CoreCard,
    CoatCard,
    MediaCard,
    PeelPlyCard,
    TubeCard,
    ResinCard,
    FilmCard,
    TapeCard,
    AdhesiveCard,
    FittingCard,
)


class Job(Model):
    """One job. Every card it names is carried in ``cards``, so that it opens the same anywhere."""

    format: Literal["bibulon job"] = "bibulon job"
    format_version: Literal[2] = 2
    id: Identifier
    name: Name
    process: Process = "film infusion"
    part: Part
    mould: Mould = Mould()
    pair: MouldPair = MouldPair()
    """The two halves of a closed mould; kept, and not used, under film."""
    series: Series = Series()
    shop: Shop = Shop()
    regions: Annotated[tuple[Region, ...], Field(max_length=200)] = ()
    layup: Annotated[tuple[Layer, ...], Field(max_length=2000)] = ()
    groups: Annotated[tuple[PlyGroup, ...], Field(max_length=200)] = ()
    core_laying: CoreLaying = CoreLaying()
    tack: Identifier | None = None
    """Adhesive that holds the dry plies."""
    cutting: CutChoices = CutChoices()
    lines: Annotated[tuple[Line, ...], Field(max_length=200)] = ()
    manifolds: Annotated[tuple[Manifold, ...], Field(max_length=50)] = ()
    media: Annotated[tuple[MediaPatch, ...], Field(max_length=200)] = ()
    peel_ply: Identifier | None = None
    peel_ply_on: Literal["part", "regions"] = "part"
    """Whether peel ply lies over the whole part but where a region says otherwise, or only in regions that say so."""
    bucket: Bucket = Bucket()
    pots: Annotated[tuple[CatchPot, ...], Field(max_length=50)] = ()
    plumbing: Plumbing = Plumbing()
    vacuum: Vacuum = Vacuum()
    flow: FlowChoices = FlowChoices()
    bag: Bag = Bag()
    hold_rules: HoldRules = HoldRules()
    house: HouseRules = HouseRules()
    hold_tests: Annotated[tuple[HoldTest, ...], Field(max_length=500)] = ()
    hunt: LeakHunt = LeakHunt()
    charge: ChargePlan
    curing: Curing = Curing()
    run: tuple[RunEvent, ...] = ()
    cards: Annotated[tuple[Card, ...], Field(max_length=5000)] = ()
    counted: Annotated[tuple[Counted, ...], Field(max_length=5000)] = ()
    """What was counted on the shelf for this job; of other cards there is in hand what they say."""

    @model_validator(mode="after")
    def _parts_lie_in_reach(self) -> Job:
        if self.bag.parts > 1:
            low_x, low_y, high_x, high_y = self.part.outline.polygon.bounds
            along = self.bag.parts_along == "x"
            each = (high_x - low_x if along else high_y - low_y) + self.bag.parts_apart_m
            if (high_x if along else high_y) + (self.bag.parts - 1) * each > FARTHEST_M:
                raise ValueError("so many parts under one bag, so far apart, reach farther than 1 km")
        return self

    @model_validator(mode="after")
    def _names_agree(self) -> Job:
        _no_twins("card", [card.id for card in self.cards])
        _no_twins("count of", [count.card for count in self.counted])
        _no_twins("region", [region.name for region in self.regions])
        things = [
            *(line.id for line in self.lines),
            *(patch.id for patch in self.media),
            *(manifold.id for manifold in self.manifolds),
        ]
        _no_twins("line, manifold or media patch", things)
        _no_twins("ply book entry", [layer.id for layer in self.layup])
        _no_twins("group", [group.name for group in self.groups])
        self._check_book()
        everything = {line.id for line in self.lines}
        for line in self.lines:
            for use in (line.tube, line.hose):
                self._expect(use, TubeCard, f"line {line.label}")
            if not everything.issuperset(line.waits_for):
                raise ValueError(f"line {line.label}: its valve waits for a line that is not there")
        for manifold in self.manifolds:
            for use in (manifold.tube, manifold.hose):
                self._expect(use, TubeCard, f"manifold {manifold.label}")
        self._check_supply()
        self._check_plumbing()
        self._check_pair()
        for patch in self.media:
            self._expect(patch.card, MediaCard, "a media patch")
        for user, chosen, kind in (
            ("the peel ply", self.peel_ply, PeelPlyCard),
            ("the tack", self.tack, AdhesiveCard),
            ("the bag's film", self.bag.film, FilmCard),
            ("the bag's tape", self.bag.tape, TapeCard),
        ):
            if chosen is not None:
                self._expect(chosen, kind, user)
        self._expect(self.charge.resin, ResinCard, "the charge")
        if any(later.number <= earlier.number for earlier, later in pairwise(self.run)):
            raise ValueError("the numbers of the run log's entries have to grow from one to the next")
        return self

    def _check_book(self) -> None:
        """Every entry of the ply book has a card that can lie there, a region that is there and a whole group."""
        regions = {region.name for region in self.regions}
        groups = {group.name for group in self.groups}
        done: set[str | None] = set()
        group_before: str | None = None
        for number, layer in enumerate(self.layup, 1):
            card = self._card_of(layer.card, f"ply book entry {number}")
            if card.kind not in ROLES:
                raise ValueError(f"ply book entry {number}: {card.name} is neither a coat, a fabric nor a core")
            if layer.role is not None and layer.role not in ROLES[card.kind]:
                raise ValueError(f"ply book entry {number}: {card.name} cannot be a {layer.role}")
            if layer.region is not None and layer.region not in regions:
                raise ValueError(f"ply book entry {number}: there is no region named “{layer.region}”")
            if layer.group is not None and layer.group not in groups:
                raise ValueError(f"ply book entry {number}: there is no group named “{layer.group}”")
            if layer.group != group_before:
                if layer.group in done:
                    raise ValueError(f"ply book entry {number}: group “{layer.group}” is broken by other entries")
                if group_before is not None:
                    done.add(group_before)
                group_before = layer.group

    def _check_supply(self) -> None:
        """Every feed hangs on the bucket in the end, by other feeds or manifolds."""
        above = {line.id: line.fed_by for line in self.feeds} | {manifold.id: None for manifold in self.manifolds}
        for line in self.feeds:
            seen: set[str] = set()
            at = line.fed_by
            while at is not None:
                if at not in above:
                    raise ValueError(f"line {line.label}: it is fed by a line or manifold that is not there")
                if at in seen or at == line.id:
                    raise ValueError(f"line {line.label}: it is fed, in the end, by itself")
                seen.add(at)
                at = above[at]

    def _check_plumbing(self) -> None:
        """Fittings and hoses that are chosen have their cards."""
        for hose in self.plumbing.hoses:
            for chosen in hose.cards:
                self._expect(chosen, FittingCard, "a hose's fitting")
        if self.plumbing.pump_hose is not None:
            self._expect(self.plumbing.pump_hose, TubeCard, "the hose to the pump")
        bypass = self.plumbing.bypass
        if bypass is not None:
            self._expect(bypass.hose, TubeCard, "the bypass")
            sources = {line.id for line in self.feeds} | {manifold.id for manifold in self.manifolds}
            if bypass.source is not None and bypass.source not in sources:
                raise ValueError("the bypass: it is teed into a feed or manifold that is not there")

    def _check_pair(self) -> None:
        """Heights of the cavity have regions that are there."""
        regions = {region.name for region in self.regions}
        for entry in self.pair.heights:
            if entry.region not in regions:
                raise ValueError(f"the cavity: there is no region named “{entry.region}”")

    def _card_of(self, identifier: str, user: str) -> Card:
        for card in self.cards:
            if card.id == identifier:
                return card
        raise ValueError(f"{user}: the job carries no card “{identifier}”")

    def _expect(self, identifier: str, kind: type[Card], user: str) -> None:
        card = self._card_of(identifier, user)
        if not isinstance(card, kind):
            raise ValueError(f"{user}: “{card.name}” is a {card.kind} card")

    def card(self, identifier: str, kind: type[CardKind]) -> CardKind:
        """The card of that identifier and kind, which the validators guarantee to be there."""
        for card in self.cards:
            if card.id == identifier and isinstance(card, kind):
                return card
        raise KeyError(identifier)

    def is_core(self, identifier: str) -> bool:
        """Whether the card of that identifier is a core."""
        return any(card.id == identifier and isinstance(card, CoreCard) for card in self.cards)

    def line(self, identifier: str) -> Line:
        """The line of that identifier. Raises KeyError."""
        for line in self.lines:
            if line.id == identifier:
                return line
        raise KeyError(identifier)

    @property
    def laid(self) -> tuple[Layer, ...]:
        """The ply book as it is laid, groups repeated."""
        return laid(self.layup, self.groups)

    @property
    def shot(self) -> tuple[RunEvent, ...]:
        """The entries of the run log since the last new run."""
        return shot_of(self.run)

    @property
    def shot_start_s(self) -> float:
        """The time of day at which the run clock was at nothing: as the shot was begun, before that as it is planned.
        A rehearsal keeps to the plan."""
        begun = next((event for event in self.shot if event.kind == "started" and not event.rehearsal), None)
        if begun is None:
            return self.shop.shot_start_s
        at = begun.at
        return (at.hour * 3600 + at.minute * 60 + at.second - begun.clock_s) % DAY_S

    @property
    def worked_feeds(self) -> tuple[Line, ...]:
        """The feeds that somebody opens and clamps."""
        manifolds = {manifold.id for manifold in self.manifolds}
        return tuple(line for line in self.feeds if line.has_valve(manifolds))

    @property
    def feeds_to_pots(self) -> tuple[Line, ...]:
        """The feeds that the bypass joins to the pots once the part is full: those that hang on what it is teed into,
        all where that is the hose in the bucket; none where that is not planned."""
        bypass = self.plumbing.bypass
        if bypass is None or self.flow.feeds_after != "to the pots":
            return ()
        above = {line.id: line.fed_by for line in self.feeds} | {manifold.id: None for manifold in self.manifolds}

        def hangs_on_it(line: Line) -> bool:
            at: str | None = line.id
            while at is not None and at != bypass.source:
                at = above[at]
            return at == bypass.source

        return tuple(line for line in self.feeds if hangs_on_it(line))

    @property
    def mixed(self) -> tuple[MixedBatch, ...]:
        """The batches of this shot that were weighed and written down."""
        now = self.shot_number
        return tuple(batch for batch in self.charge.mixed if batch.shot == now)

    @property
    def shot_number(self) -> int:
        """How many shots were begun, not rehearsed, before this one."""
        return shots_before(self.run)

    @property
    def weighed(self) -> tuple[Weighed, ...]:
        """The first batches of this shot as they were mixed, by the mixing sheet and the log."""
        sheets = self.mixed if self.charge.mixed else ()
        return as_mixed(sheets, self.shot, self.shot_start_s) if sheets or self.run else ()

    @property
    def closed(self) -> bool:
        """Whether it is made between two mould halves."""
        return self.process in CLOSED

    @property
    def in_mould(self) -> bool:
        """Whether its mould is shut all round: by another half, or by itself with a bladder inside."""
        return self.process in IN_MOULD

    @property
    def supply(self) -> Source:
        """What the resin is drawn from."""
        return self.pair.injection.source if self.in_mould else "bucket"

    @property
    def mixed_as_it_comes(self) -> bool:
        """Whether a machine mixes the resin at its head, so that it comes fresh and stands in no pot."""
        return self.supply == "machine" and self.pair.injection.mixed_at_head

    @property
    def stands_mixed_s(self) -> float:
        """How old resin is at least when it is poured: while it is mixed, unless a machine mixes it as it comes."""
        return 0.0 if self.mixed_as_it_comes else self.charge.mix_time_s

    @property
    def bends(self) -> bool:
        """Whether it is made under an upper half that gives."""
        return self.process in CLAMPED_BY_VACUUM and not self.pair.upper.rigid

    @property
    def vacuum_pa(self) -> float:
        """Absolute pressure planned under the film, or in the cavity."""
        return self.pair.cavity_pa if self.in_mould else self.vacuum.cavity_pa

    @property
    def parts_together(self) -> int:
        """Parts that are shot at once under one film: the charge, the batches and the hold test are for all of them."""
        return self.bag.parts if self.process in UNDER_FILM else 1

    def manifolds_of(self, manifold: Manifold) -> int:
        """How many of that *manifold* there are for all parts that are made together."""
        return self.parts_together if manifold.each_part else 1

    @property
    def pressing_pa(self) -> float:
        """What film or bladder presses dry fibre with: the pressure on its far side over the vacuum's."""
        over = self.pair.bladder.over_pressure_pa if self.process in WITH_BLADDER else 0.0
        return self.shop.barometer_pa + over - self.vacuum_pa

    @property
    def mould_temperature_k(self) -> float:
        """Of the mould, and of the resin in the part."""
        return self.mould.temperature_k if self.mould.temperature_k is not None else self.shop.temperature_k

    @property
    def feeds(self) -> tuple[Line, ...]:
        return tuple(line for line in self.lines if line.kind == "feed")

    @property
    def vents(self) -> tuple[Line, ...]:
        return tuple(line for line in self.lines if line.kind == "vent")

    @property
    def resin(self) -> ResinCard:
        """The resin of the charge, with the dose of catalyst that is planned and the filler stirred into it."""
        resin = dosed(self.card(self.charge.resin, ResinCard), self.charge.dose)
        if not self.in_mould:
            return resin
        injection = self.pair.injection
        return with_filler(resin, injection.filler_share, injection.filler_density_kg_m3, injection.filler_thickens)


def _no_twins(what: str, names: list[str]) -> None:
    twins = [name for name, count in Counter(names).items() if count > 1]
    if twins:
        raise ValueError(f"two of the {what} entries are both called “{twins[0]}”")
