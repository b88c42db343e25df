"""What a job needs laid ready: hoses to cut, fittings by count, what is in hand, what to buy, and what it costs."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace

from bibulon.assess import Assessment
from bibulon.bag.film import bag_materials
from bibulon.job import UNDER_FILM, WITH_PLEATS, Job
from bibulon.job.base import StationId
from bibulon.job.cards import AdhesiveCard, Card, CoreCard, FabricCard, FilmCard, MediaCard, PeelPlyCard, TapeCard
from bibulon.job.gear_cards import FittingCard, TubeCard
from bibulon.job.resin_card import ResinCard
from bibulon.laminate.cut_list import cut_list
from bibulon.laminate.relief import developed_area_m2, developed_length_m
from bibulon.laminate.tack import binder_kg, tack_kg
from bibulon.plumbing.network import Hose, Network, inlets_short, network_of
from bibulon.quantities import QuantityKind, Units, show

STATION_WORDS: dict[StationId, str] = {"layup": "Lay-up", "lines": "Lines", "bag": "Bag", "charge": "Charge"}
ALLOWANCE = 1.05
"""Lines and hoses are cut so much longer."""


@dataclass(frozen=True)
class Need:
    """A thing to buy or to lay ready: what, how much of it in which kind of quantity, what that costs, and what for."""

    what: str
    amount: float
    kind: QuantityKind
    price: float | None
    station: StationId
    use: str = ""
    again: bool = False
    """Of the shop's own, and used again after the shot: laid ready, not bought."""
    card: Card | None = None
    """The shelf card it is of; None for what has none."""
    in_hand: float | None = None
    """How much of it the shop has, in the same quantity as ``amount``; None if nobody has counted."""

    @property
    def to_buy(self) -> float | None:
        """What is missing: all of it where nobody has counted what there is; None for what has no card to count by."""
        if self.again:
            return 0.0
        if self.card is None and self.in_hand is None:
            return None
        return max(self.amount - (self.in_hand or 0.0), 0.0)

    @property
    def costs_to_buy(self) -> float | None:
        """The price of what is missing, or of all of it where that is not known; None without a price."""
        if self.price is None or self.to_buy is None or self.amount <= 0:
            return self.price
        return self.price * self.to_buy / self.amount


def each_part_has(job: Job) -> frozenset[str]:
    """The lines and manifolds of *job* that each of several parts has one of."""
    return frozenset((*(line.id for line in job.lines), *(one.id for one in job.manifolds if one.each_part)))


def fittings_needed(
    network: Network, own: Collection[str] = (), parts: int = 1
) -> tuple[tuple[str, FittingCard | None, int], ...]:
    """Fittings of *network* by count: what for, the card, None where the shelf has none that fits, and how many; those
    of the hoses named *own* are needed for each of so many *parts*."""
    counted: Counter[tuple[str, FittingCard | None]] = Counter()
    for hose in network.hoses:
        times = parts if hose.name in own else 1
        for joint in hose.joints:
            if joint.fitting is not None:
                use = "where a hose branches" if joint.fitting.use == "tee" else "ports of lines"
                counted[use, joint.fitting] += times
            elif joint.verdict == "nothing fits":
                counted[f"port for {hose.card.name.lower()}", None] += times
            if joint.reducer is not None:
                counted["between hose and barb", joint.reducer] += times
        if hose.elbow is not None:
            counted["where hoses turn", hose.elbow] += times * hose.fitted.elbows
        if hose.clamp is not None:
            for_what = "valves" if hose.clamp.card is not None else f"clamp for {hose.card.name.lower()}"
            counted[for_what, hose.clamp.card] += times * hose.clamps
    return tuple((words, card, count) for (words, card), count in counted.items())


def needs_of(assessment: Assessment) -> tuple[Need, ...]:
    """Everything that *assessment*'s job takes, in the order of the stations, each card once with what is in hand."""
    return counted_off(taken_by(assessment), assessment.job)


def taken_by(assessment: Assessment) -> tuple[Need, ...]:
    """What *assessment*'s job takes, before anything is counted off: it packs the cut list, which takes a while."""
    job = assessment.job
    dry = (_times(need, job.parts_together) for need in _dry(assessment))
    together: dict[tuple[str, bool] | int, Need] = {}
    for number, need in enumerate((*dry, *_plumbing(job), *_bag(assessment))):
        key = number if need.card is None else (need.card.id, need.again)
        together[key] = _together(together[key], need) if key in together else need
    return (*together.values(), *_resin(assessment))


def counted_off(needs: Collection[Need], job: Job) -> tuple[Need, ...]:
    """*needs* of *job* with what is in hand of their cards: as it was counted for the job, else as the card says."""
    counted = {count.card: count.amount for count in job.counted}
    return tuple(
        need if need.card is None or need.again else replace(need, in_hand=counted.get(need.card.id, need.card.in_hand))
        for need in needs
    )


def _together(first: Need, second: Need) -> Need:
    """Two needs of the same card as one."""
    price = None if first.price is None or second.price is None else first.price + second.price
    use = first.use if second.use in ("", first.use) else ", ".join(filter(None, (first.use, second.use)))
    return replace(first, amount=first.amount + second.amount, price=price, use=use)


def _times(need: Need, parts: int) -> Need:
    """*need* for so many parts that are made together."""
    if parts == 1:
        return need
    price = None if need.price is None else parts * need.price
    use = f"{need.use}, for each of {parts} parts" if need.use else f"for {parts} parts"
    return replace(need, amount=parts * need.amount, price=price, use=use)


def turns_of_tape_m(hose: Hose) -> float:
    """Tape that is wound round *hose* where it goes through the tape of the bag."""
    into_bag = any(joint.fitting is not None and joint.fitting.use == "port" for joint in hose.joints)
    if not into_bag or hose.fitted.through == "film":
        return 0.0
    return hose.fitted.tape_turns * math.pi * hose.card.outer_m


def needed_words(need: Need, amount: float, units: Units) -> str:
    """An *amount* of what *need* is of, as it is written."""
    return str(round(amount)) if need.kind == "count" else show(amount, need.kind, units)


def cost_of(needs: Collection[Need], units: Units) -> str:
    """What *needs* cost in all and what is to buy of them, as a sentence."""
    unpriced = sum(need.price is None and not need.again for need in needs)
    all_, buy = (sum(filter(None, costs)) for costs in zip(*((n.price, n.costs_to_buy) for n in needs), strict=True))
    words = f"In all {show(all_, 'money', units)}"
    if buy < 0.9999 * all_:
        words += f", of it to buy {show(buy, 'money', units)}"
    return words + (f"; {unpriced} without a price." if unpriced else ".")


def _dry(assessment: Assessment) -> Iterator[Need]:
    job = assessment.job
    for roll in cut_list(job).rolls:
        if not roll.offcut:
            area = roll.length_m * roll.width_m
            yield _priced(roll.card, area, "area", "layup", f"{len(roll.pieces)} pieces off the roll")
    amounts = assessment.laminate.amounts
    for card in job.cards:
        amount = amounts.get(card.id, 0.0)
        if amount > 0 and isinstance(card, CoreCard):
            sheets = math.ceil(amount / (card.sheet_length_m * card.sheet_width_m))
            yield _priced(card, amount, "area", "layup", f"{sheets} sheets at the least")
        elif amount > 0 and not isinstance(card, FabricCard | MediaCard | PeelPlyCard):
            kind: QuantityKind = "area" if card.sold_by == "m²" else "mass"
            yield _priced(card, amount, kind, "layup", "")
    if job.tack is not None:
        yield _priced(job.card(job.tack, AdhesiveCard), tack_kg(job), "mass", "layup", "between plies, dots not film")
    binder = sum(group.times * binder_kg(job, group) for group in job.groups)
    if binder > 0:
        names = [group.name for group in job.groups if group.preform is not None]
        yield Need("Binder", binder, "mass", None, "layup", f"in {', '.join(names)}")
    if job.process in UNDER_FILM:
        if job.peel_ply is not None:
            peel = job.card(job.peel_ply, PeelPlyCard)
            area = sum(cell.area_m2 for cell in assessment.laminate.cells if cell.stack.peel_ply_m > 0)
            where = "over the part" if area > 0.999 * assessment.laminate.total.area_m2 else "over some regions"
            yield _priced(peel, area, "area", "layup", where)
        for patch in job.media:
            media = job.card(patch.card, MediaCard)
            over_mould_m2 = developed_area_m2(job.part.relief, patch.outline.polygon)
            area = over_mould_m2 * patch.layers / (1 + patch.stretched)
            use = "flow media" if patch.layers == 1 else f"flow media, {patch.layers} layers"
            yield _priced(media, area, "area", "lines", use)


def _plumbing(job: Job) -> Iterator[Need]:
    metres: dict[tuple[str, bool], float] = {}  # by card, and whether it is used again
    parts, own = job.parts_together, each_part_has(job)
    for line in job.lines:
        if not line.is_port:
            length = parts * developed_length_m(job.part.relief, line.points)
            metres[line.tube, False] = metres.get((line.tube, False), 0.0) + length
    network = network_of(job)
    for hose in network.hoses:
        times = parts if hose.name in own else 1
        key = hose.card.id, hose.card.reuse and hose.side == "vent"  # others have carried resin and are full of it
        metres[key] = metres.get(key, 0.0) + times * hose.length_m
    for (name, again), length in metres.items():
        tube = job.card(name, TubeCard)
        use = f"{tube.use}, used again: look it through for resin" if again else tube.use
        need = _priced(tube, length * ALLOWANCE, "distance", "lines", use)
        yield replace(need, price=None, again=True) if again else need
    for words, card, count in fittings_needed(network, own, parts):
        if card is None:
            yield Need("No fitting on the shelf fits these hoses", count, "count", None, "lines", words)
        else:
            yield _priced(card, count, "count", "lines", words)
    if job.vents and job.plumbing.regulator:
        yield Need("Regulator", 1, "count", None, "lines", "before the pump")
    for node in network.nodes:
        if node.level_pa is not None:
            label = job.line(node.subject).label
            yield Need("Regulator", 1, "count", None, "lines", f"for {label}, with a pot of its own")
    if teed := inlets_short(network, job):
        yield Need("Tee before the first pot", teed, "count", None, "lines", "it has fewer inlets than hoses")
    for pot in job.pots:
        yield Need(
            f"Catch pot {pot.label}",
            pot.capacity_m3,
            "volume",
            None,
            "lines",
            "with its lid and a liner" if pot.liner else "with its lid",
        )


def _bag(assessment: Assessment) -> Iterator[Need]:
    job = assessment.job
    if job.process not in WITH_PLEATS:
        return
    film = job.card(job.bag.film, FilmCard) if job.bag.film is not None else None
    tape = job.card(job.bag.tape, TapeCard) if job.bag.tape is not None else None
    turns_m = job.parts_together * sum(turns_of_tape_m(hose) for hose in network_of(job).hoses)
    takes = bag_materials(assessment.bag, film, tape)
    width = film.width_m if film is not None else assessment.bag.film_width_m
    use = "one width" if takes.film_widths == 1 else f"{takes.film_widths} widths, joined"
    yield _of_bag(film, "Bagging film", takes.film_m * width, "area", use)
    use = f"{assessment.bag.pleats_planned} pleats, {show(turns_m, 'length', assessment.units)} round hoses"
    yield _of_bag(tape, "Sealing tape", takes.tape_m + turns_m, "distance", use)


def _of_bag(card: FilmCard | TapeCard | None, name: str, amount: float, kind: QuantityKind, use: str) -> Need:
    """A need of the bag, by its card where one is chosen."""
    return Need(name, amount, kind, None, "bag", use) if card is None else _priced(card, amount, kind, "bag", use)


def _resin(assessment: Assessment) -> Iterator[Need]:
    """The components; what is in hand is counted of all together and taken to be there in the ratio of the mix."""
    job = assessment.job
    card = job.card(job.charge.resin, ResinCard)
    counted = card.in_hand if job.charge.in_hand_kg is None else job.charge.in_hand_kg
    fillers = {one.name for one in job.resin.components if one.filler}
    total_kg = assessment.charge.total_kg
    for component in assessment.charge.components:
        cost = None if card.price is None or component.name in fillers else card.price * component.mass_kg
        share = component.mass_kg / total_kg if total_kg > 0 else 0.0
        what = f"{job.resin.name}: {component.name}"
        in_hand = None if counted is None else counted * share
        yield Need(what, component.mass_kg, "mass", cost, "charge", "weighed by batch", in_hand=in_hand)


def _priced(card: Card, amount: float, kind: QuantityKind, station: StationId, use: str) -> Need:
    price = None if card.price is None else card.price * amount
    return Need(card.name, amount, kind, price, station, use, card=card)
