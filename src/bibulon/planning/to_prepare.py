"""What a job needs laid ready: hoses to cut, fittings by count, and everything to buy with its price."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

from bibulon.assess import Assessment
from bibulon.bag.film import bag_materials
from bibulon.job import UNDER_FILM, WITH_PLEATS, Job
from bibulon.job.base import StationId
from bibulon.job.cards import CoreCard, FabricCard, FilmCard, MediaCard, PeelPlyCard, TapeCard
from bibulon.job.gear_cards import FittingCard, TubeCard
from bibulon.laminate.cut_list import cut_list
from bibulon.laminate.relief import developed_length_m
from bibulon.quantities import QuantityKind
from bibulon.stock.choice import cards_for

FITS_M = 0.0006
"""A barb fits a hose that is as wide to within this."""
ALLOWANCE = 1.05
"""Lines and hoses are cut so much longer."""
BETWEEN_POTS_M = 1.0
"""A hose from one pot to the next."""


@dataclass(frozen=True)
class HoseToCut:
    """A hose: the label that is tied to it, what it is, from where to where, and how long it is cut."""

    label: str
    card: TubeCard
    start: str
    end: str
    length_m: float


@dataclass(frozen=True)
class Need:
    """A thing to buy or to lay ready: what, how much of it in which kind of quantity, what that costs, and what for."""

    what: str
    amount: float
    kind: QuantityKind
    price: float | None
    station: StationId
    use: str = ""


def hoses_to_cut(job: Job) -> tuple[HoseToCut, ...]:
    """Every hose of *job*, in the order of its lines."""
    bucket = job.pair.injection.source if job.in_mould else "bucket"
    pot = f"pot {job.pots[0].label}" if job.pots else "pump"
    sources = {line.id: line.label for line in job.lines} | {
        manifold.id: f"manifold {manifold.label}" for manifold in job.manifolds
    }
    hoses = []
    for manifold in job.manifolds:
        card = job.card(manifold.hose, TubeCard)
        hoses.append(HoseToCut(manifold.label, card, bucket, f"manifold {manifold.label}", manifold.hose_length_m))
    for line in job.lines:
        card = job.card(line.hose, TubeCard)
        start = sources.get(line.fed_by or "", bucket) if line.kind == "feed" else line.label
        end = line.label if line.kind == "feed" else pot
        hoses.append(HoseToCut(line.label, card, start, end, line.hose_length_m))
    if job.vents:
        card = job.card(job.vents[0].hose, TubeCard)
        for one, other in pairwise(job.pots):
            ends = f"pot {one.label}", f"pot {other.label}"
            hoses.append(HoseToCut(f"{one.label}–{other.label}", card, *ends, BETWEEN_POTS_M))
    return tuple(hoses)


def fittings_needed(job: Job) -> tuple[tuple[str, FittingCard | None, int], ...]:
    """Fittings by count: what for, the card of the shelf that fits the hose, None if none does, and how many."""
    shelf = cards_for(job, FittingCard).values()
    counted: Counter[tuple[str, str]] = Counter()
    cards: dict[tuple[str, str], FittingCard | None] = {}

    def need(use: str, hose: TubeCard, words: str, count: int = 1) -> None:
        fitting = [card for card in shelf if card.use == use and _fits(card, hose)]
        card = min(fitting, key=lambda card: card.bore_m, default=None)
        key = words, card.id if card is not None else f"{use} for {hose.name}"
        counted[key] += count
        cards[key] = card

    manifolds = {manifold.id for manifold in job.manifolds}
    for line in job.lines:
        hose = job.card(line.hose, TubeCard)
        if line.fed_by is not None:
            need("tee", hose, "where a hose branches")
        if line.is_branch(manifolds):
            continue
        need("port", hose, "ports of lines")
        if hose.clampable:
            need("clamp", hose, "valves", 2 if line.kind == "feed" else 1)
    return tuple((words, cards[words, name], count) for (words, name), count in counted.items())


def _fits(card: FittingCard, hose: TubeCard) -> bool:
    """Whether a clamp goes over *hose*, or the hose over the barb of what is none."""
    if card.use == "clamp":
        return card.bore_m >= hose.outer_m - FITS_M
    return abs(card.fits_bore_m - hose.bore_m) <= FITS_M


def needs_of(assessment: Assessment) -> tuple[Need, ...]:
    """Everything that *assessment*'s job takes, in the order of the stations."""
    return (*_dry(assessment), *_plumbing(assessment.job), *_bag(assessment), *_resin(assessment))


def _dry(assessment: Assessment) -> Iterator[Need]:
    job = assessment.job
    for roll in cut_list(job).rolls:
        if not roll.offcut:
            area = roll.length_m * roll.width_m
            yield _priced(
                roll.card.name, area, "area", roll.card.price, "layup", f"{len(roll.pieces)} pieces off the roll"
            )
    amounts = assessment.laminate.amounts
    for card in job.cards:
        amount = amounts.get(card.id, 0.0)
        if amount > 0 and isinstance(card, CoreCard):
            sheets = math.ceil(amount / (card.sheet_length_m * card.sheet_width_m))
            yield _priced(card.name, amount, "area", card.price, "layup", f"{sheets} sheets at the least")
        elif amount > 0 and not isinstance(card, FabricCard | MediaCard | PeelPlyCard):
            kind: QuantityKind = "area" if card.sold_by == "m²" else "mass"
            yield _priced(card.name, amount, kind, card.price, "layup", "")
    if job.process in UNDER_FILM:
        for patch in job.media:
            media = job.card(patch.card, MediaCard)
            yield _priced(media.name, patch.outline.polygon.area, "area", media.price, "lines", "flow media")
        if job.peel_ply is not None:
            peel = job.card(job.peel_ply, PeelPlyCard)
            yield _priced(peel.name, assessment.laminate.total.area_m2, "area", peel.price, "layup", "over the part")


def _plumbing(job: Job) -> Iterator[Need]:
    metres: dict[str, float] = {}
    for line in job.lines:
        if not line.is_port:
            metres[line.tube] = metres.get(line.tube, 0.0) + developed_length_m(job.part.relief, line.points)
    for hose in hoses_to_cut(job):
        metres[hose.card.id] = metres.get(hose.card.id, 0.0) + hose.length_m
    for name, length in metres.items():
        tube = job.card(name, TubeCard)
        yield _priced(tube.name, length * ALLOWANCE, "distance", tube.price, "lines", tube.use)
    for words, card, count in fittings_needed(job):
        what = "No fitting on the shelf fits these hoses" if card is None else card.name
        yield _priced(what, count, "count", None if card is None else card.price, "lines", words)
    for pot in job.pots:
        yield Need(f"Catch pot {pot.label}", pot.capacity_m3, "volume", None, "lines", "with its lid and liner")


def _bag(assessment: Assessment) -> Iterator[Need]:
    job = assessment.job
    if job.process not in WITH_PLEATS:
        return
    film = job.card(job.bag.film, FilmCard) if job.bag.film is not None else None
    tape = job.card(job.bag.tape, TapeCard) if job.bag.tape is not None else None
    takes = bag_materials(assessment.bag, film, tape)
    width = film.width_m if film is not None else assessment.bag.film_width_m
    use = "one width" if takes.film_widths == 1 else f"{takes.film_widths} widths, joined"
    name = film.name if film is not None else "Bagging film"
    yield _priced(name, takes.film_m * width, "area", film.price if film else None, "bag", use)
    name = tape.name if tape is not None else "Sealing tape"
    use = f"{assessment.bag.pleats_planned} pleats"
    yield _priced(name, takes.tape_m, "distance", tape.price if tape else None, "bag", use)


def _resin(assessment: Assessment) -> Iterator[Need]:
    job = assessment.job
    price = job.resin.price
    for component in assessment.charge.components:
        cost = None if price is None else price * component.mass_kg
        yield Need(f"{job.resin.name}: {component.name}", component.mass_kg, "mass", cost, "charge", "weighed by batch")


def _priced(what: str, amount: float, kind: QuantityKind, price: float | None, station: StationId, use: str) -> Need:
    return Need(what, amount, kind, None if price is None else price * amount, station, use)
