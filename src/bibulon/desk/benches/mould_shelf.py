"""Choices that take the figures of a part of a mould from a card of the shelf."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TypeVar

from bibulon.desk.widgets.choices import ChoiceField
from bibulon.desk.work.document import Document
from bibulon.job.base import Model
from bibulon.job.edits import changed, revised, with_pair
from bibulon.job.gear_cards import ChannelCard, MouldClampCard, PotCard, SealCard, SleeveCard, UpperCard
from bibulon.job.pair import Seal
from bibulon.job.stock_card import StockCard
from bibulon.mould.lives import with_new
from bibulon.stock.choice import cards_for

CardKind = TypeVar("CardKind", bound=StockCard)
TYPED = "as typed"
CHANNEL = ("profile", "width_m", "height_m")
CLAMP = ("force_n",)
SEAL = ("hardness_shore", "spring_n_m", "follows_m", "life_shots", "stands_styrene", "stands_amine", "inflatable")
UPPER = (
    "thickness_m", "modulus_pa", "density_kg_m3", "rib_pitch_m", "rib_width_m", "rib_height_m", "rib_modulus_pa",
    "clear",
)  # fmt: skip
"""What a part of the mould has from its card."""


def from_shelf(
    document: Document, name: str, cards: dict[str, CardKind], fits: Callable[[CardKind], bool],
    take: Callable[[CardKind], None],
) -> ChoiceField:  # fmt: skip
    """A choice among *cards*: the one that *fits* what the job has is chosen, and *take* takes one over."""

    def current() -> str:
        return next((key for key, card in cards.items() if fits(card)), "")

    def choose(key: str) -> None:
        if key and key != current():
            take(cards[key])

    return ChoiceField(
        name, lambda: [(TYPED, ""), *((card.name, key) for key, card in cards.items())], current, choose,
        "Cards of the shelf; the shop's own are made in the Stock.",
    )  # fmt: skip


def _same(model: Model, card: StockCard, fields: tuple[str, ...]) -> bool:
    return all(getattr(model, field) == getattr(card, field) for field in fields)


def _from(card: StockCard, fields: tuple[str, ...]) -> dict[str, object]:
    return {field: getattr(card, field) for field in fields}


def channel_choice(document: Document) -> ChoiceField:
    """The channel by a card."""

    def take(card: ChannelCard) -> None:
        channel = revised(document.job.pair.channel, **_from(card, CHANNEL))
        document.edit("channel", with_pair(document.job, channel=channel))

    cards = cards_for(document.job, ChannelCard)
    return from_shelf(
        document, "Channel card", cards, lambda card: _same(document.job.pair.channel, card, CHANNEL), take
    )


def seal_choice(document: Document, which: str) -> ChoiceField:
    """The "inner" or "outer" seal by a card; what it has been through is set to nothing."""

    def seal() -> Seal:
        return document.job.pair.inner_seal if which == "inner" else document.job.pair.outer_seal

    def take(card: SealCard) -> None:
        taken = revised(seal(), kind=card.name, **_from(card, SEAL))
        job = with_pair(document.job, **{f"{which}_seal": taken})
        document.edit(f"{which} seal", with_new(job, "inner seal" if which == "inner" else "outer seal"))

    cards = {key: card for key, card in cards_for(document.job, SealCard).items() if card.use == which}
    return from_shelf(document, f"{which.capitalize()} seal card", cards, lambda card: _same(seal(), card, SEAL), take)


def upper_choice(document: Document) -> ChoiceField:
    """The upper half by a card; a measured stiffness stays with the half it was measured on."""

    def take(card: UpperCard) -> None:
        upper = revised(document.job.pair.upper, rigid=False, measured_pa=None, **_from(card, UPPER))
        document.edit("upper half", with_pair(document.job, upper=upper))

    cards = cards_for(document.job, UpperCard)
    return from_shelf(document, "Upper card", cards, lambda card: _same(document.job.pair.upper, card, UPPER), take)


def clamp_choice(document: Document) -> ChoiceField:
    """Latches or bolts by a card."""

    def take(card: MouldClampCard) -> None:
        clamp = revised(document.job.pair.clamp, kind=card.use, force_n=card.force_n)
        document.edit("clamps", with_pair(document.job, clamp=clamp))

    cards = cards_for(document.job, MouldClampCard)

    def fits(card: MouldClampCard) -> bool:
        clamp = document.job.pair.clamp
        return clamp.kind == card.use and _same(clamp, card, CLAMP)

    return from_shelf(document, "Clamp card", cards, fits, take)


def sleeve_choice(document: Document) -> ChoiceField:
    """The sleeves of ports by a card."""
    cards = cards_for(document.job, SleeveCard)
    return from_shelf(
        document, "Sleeve card", cards, lambda card: document.job.pair.sleeve_m == card.bore_m,
        lambda card: document.edit("sleeves", with_pair(document.job, sleeve_m=card.bore_m)),
    )  # fmt: skip


def pot_choice(document: Document, label: str) -> ChoiceField:
    """The catch pot of that *label* by a card."""

    def fits(label: str, card: PotCard) -> bool:
        pot = next((pot for pot in document.job.pots if pot.label == label), None)
        return pot is not None and (pot.capacity_m3, pot.lid) == (card.capacity_m3, card.lid)

    def take(label: str, card: PotCard) -> None:
        pots = tuple(
            revised(pot, capacity_m3=card.capacity_m3, lid=card.lid) if pot.label == label else pot
            for pot in document.job.pots
        )
        document.edit(f"pot {label}", changed(document.job, pots=pots))

    cards = cards_for(document.job, PotCard)
    return from_shelf(document, f"Card of {label}", cards, partial(fits, label), partial(take, label))
