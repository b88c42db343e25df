"""Which cards a job may choose from, and which it begins with."""

from __future__ import annotations

from typing import TypeVar

from bibulon.job import Job
from bibulon.job.base import Model
from bibulon.job.cards import CoreCard, MediaCard, ResinCard
from bibulon.job.edits import with_card
from bibulon.job.gear_cards import TubeCard
from bibulon.job.layup import LayupCard
from bibulon.stock import shelf

CardKind = TypeVar("CardKind", bound=Model)


def cards_for(job: Job, *kinds: type[CardKind]) -> dict[str, CardKind]:
    """The cards of those *kinds* by identifier: the shelf's, and the job's own in place of those of the same one."""
    own = {card.id: card for card in (*shelf(), *job.cards)}
    return {name: card for name, card in own.items() if isinstance(card, kinds)}


def tubes_for(job: Job, use: str) -> dict[str, TubeCard]:
    """The tubes for one *use*, as "hose" or "feed line", by identifier."""
    return {name: card for name, card in cards_for(job, TubeCard).items() if card.use == use}


def with_line_cards(job: Job, kind: str) -> tuple[Job, str, str]:
    """*job* with cards for a new line of that *kind*, and the identifiers of its tube and hose: as the
    first line of its kind has them, else the first that the job carries, else the first of the shelf."""
    like = next((line for line in job.lines if line.kind == kind), None)
    if like is not None:
        return job, like.tube, like.hose
    chosen = []
    for use in (f"{kind} line", "hose"):
        carried = [card for card in job.cards if isinstance(card, TubeCard) and card.use == use]
        chosen.append((*carried, *tubes_for(job, use).values())[0])
        job = with_card(job, chosen[-1])
    return job, chosen[0].id, chosen[1].id


def with_media_card(job: Job) -> tuple[Job, str]:
    """*job* with a card for a new patch of media, and its identifier: the first that the job carries,
    else the first of the shelf."""
    carried = [card for card in job.cards if isinstance(card, MediaCard)]
    card = (*carried, *cards_for(job, MediaCard).values())[0]
    return with_card(job, card), card.id


def with_ply_card(job: Job, kind: type[LayupCard]) -> tuple[Job, LayupCard]:
    """*job* with a card of that *kind* for a new entry of the ply book, and that card: the last that is used in the
    book, else the first of the shelf; a first core is one with holes, for resin has to get through to what lies
    under it."""
    used = {layer.card for layer in job.layup}
    like = [card for card in job.cards if isinstance(card, kind) and card.id in used]
    on_shelf = list(cards_for(job, kind).values())
    with_holes = [card for card in on_shelf if isinstance(card, CoreCard) and card.perforation_pitch_m is not None]
    card = [*like[-1:], *with_holes, *on_shelf][0]
    return with_card(job, card), card


def hardeners_for(job: Job) -> tuple[ResinCard, ...]:
    """The cards that are hardeners of the job's resin, its own first: those of the same system, which a card that the
    job carries from before cards had one has from the shelf."""
    cards = cards_for(job, ResinCard)
    own = cards[job.charge.resin]
    on_shelf = next((card for card in shelf() if isinstance(card, ResinCard) and card.id == own.id), None)
    system = own.system or (on_shelf.system if on_shelf is not None else "")
    others = [card for name, card in cards.items() if name != own.id and system and card.system == system]
    return (own, *others)
