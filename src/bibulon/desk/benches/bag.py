"""Bag: film, tape and pleats."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from itertools import groupby

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from bibulon.bag.checks import bag_checks
from bibulon.bag.film import BagMaterials, BagPlan, bag_materials
from bibulon.bag.slack import FilmSlack, film_slack
from bibulon.bag.together import bagged_part
from bibulon.desk.benches.base import Bench
from bibulon.desk.benches.tick_list import CHECKED, Tick, TickList
from bibulon.desk.plan.maps import PlanMap
from bibulon.desk.widgets.choices import ChoiceField, ToggleField
from bibulon.desk.widgets.fields import column, label
from bibulon.job import WITH_PLEATS, Job
from bibulon.job.cards import FilmCard, TapeCard
from bibulon.job.edits import changed, revised, with_card
from bibulon.mould.lives import lives_of, with_new
from bibulon.quantities_in_words import percent
from bibulon.stock.choice import cards_for

LIST_PX = 240
PLEAT_WORDS: dict[str, str] = {
    "corner": "corner",
    "film": "for the film",
    "deep draw": "for a deep draw",
}


class BagBench(Bench):
    """What to cut and where to pleat."""

    def build(self) -> None:
        self.slack_shown = False
        self._worked_out: tuple[BagPlan, FilmSlack] | None = None
        self._picture: tuple[FilmSlack, PlanMap] | None = None
        if self.document.job.process in WITH_PLEATS:
            self._build_film()
        else:
            self._build_skin()
        self.section("While bagging")
        draw = "Tape goes down before any fibre, and round every hose that goes through it."
        skin = "Seal and flange wiped. Draw down slowly and stop half-way."
        self.body.addWidget(label(draw if self.document.job.process in WITH_PLEATS else skin))
        self.ticks = TickList(self, self._checks, ("Checks on the bag", "checked"), LIST_PX)

    def _shape_key(self) -> object:
        job = self.document.job
        box = self.document.assessment.bag.box
        return job.bag.shape, box, bool(job.part.holes), self.document.settings.system

    def _box_words(self) -> str:
        box = self.document.assessment.bag.box
        if box is None:
            return "This mould is flat: there is nothing to fold, and the film is planned as a sheet."
        return f"Walls {self.shown(box.height_m, 'length')} high, with a seam up each of its four corners."

    def _fill_shape(self, layout: QVBoxLayout) -> None:
        job = self.document.job
        if job.bag.shape == "tube":
            self.quantity("Mould thickness", "length", "bag/mould_thickness_m", "The tube goes round it.", into=layout)
            layout.addWidget(label("Two sheets with a seam along each side, round the mould too.", "muted"))
            return
        if job.bag.shape == "box":
            layout.addWidget(label(self._box_words(), "muted"))
        if job.part.holes:
            ways = [("runs over them", "covered"), ("is cut out and taped round them", "cut out")]
            layout.addWidget(
                ChoiceField(
                    "At holes the film", lambda: ways, lambda: self.document.job.bag.openings,
                    partial(self._put, "openings"),
                )
            )  # fmt: skip

    def _fill_parts(self, layout: QVBoxLayout) -> None:
        if self.document.job.bag.parts == 1:
            return
        self.quantity("Apart", "length", "bag/parts_apart_m", "From one part to the next.", into=layout)
        ways = [("side by side along x", "x"), ("one over another along y", "y")]
        layout.addWidget(
            ChoiceField(
                "They lie", lambda: ways, lambda: self.document.job.bag.parts_along, partial(self._put, "parts_along")
            )
        )
        layout.addWidget(
            ToggleField(
                "Every other one is the other hand", lambda: self.document.job.bag.parts_mirrored,
                lambda on: self._put("parts_mirrored", on),
            )
        )  # fmt: skip
        told = "Charge, batches, hold test and what to prepare are for all of them; the fill is that of each."
        layout.addWidget(label(told, "muted"))

    def _put(self, field: str, value: object) -> None:
        job = self.document.job
        self.document.edit("shape of the bag", changed(job, bag=revised(job.bag, **{field: value})))

    def _build_skin(self) -> None:
        """A skin that is used again and again: what it has been through, and what it costs beside bagging film."""
        self.section("Reusable film")
        self.choice(
            "Skin", lambda: [("silicone", "silicone"), ("sprayed on the mould", "sprayed")],
            lambda: self.document.job.bag.skin.kind, self._take_skin,
        )  # fmt: skip
        self.quantity("Costs", "money", "bag/skin/price", "Made, with its seal and ports.", empty="not said")
        self.quantity("Good for", "count", "bag/skin/life_shots", "Shots.")
        self.quantity("Has made", "count", "bag/skin/shots", "Shots before this job's log.")
        self.figure("Shots left", self._skin_left)
        self.watch(self._skin_used, column(0), self._fill_new_skin)
        self.figure("Skin, by the shot", self._skin_cost)
        self._material("Film instead", FilmCard, "film")
        self._material("Tape instead", TapeCard, "tape")
        self.figure("Film and tape, by the shot", self._cost)
        self.figure("Over the series", self._saved)

    def _take_skin(self, kind: str) -> None:
        job = self.document.job
        self.document.edit("skin", changed(job, bag=revised(job.bag, skin=revised(job.bag.skin, kind=kind))))

    def _skin_left(self) -> tuple[str, str]:
        (life,) = lives_of(self.document.job)
        return str(life.left), life.how

    def _skin_used(self) -> bool:
        return any(life.made for life in lives_of(self.document.job))

    def _fill_new_skin(self, layout: QVBoxLayout) -> None:
        if self._skin_used():
            self.button("A new skin is put in", self._put_in_new_skin, into=layout)

    def _put_in_new_skin(self) -> None:
        self.document.edit("new skin", with_new(self.document.job, "skin"))

    def _skin_each(self) -> float | None:
        skin = self.document.job.bag.skin
        return None if skin.price is None else skin.price / skin.life_shots

    def _skin_cost(self) -> tuple[str, str]:
        each = self._skin_each()
        return ("–", "Say what the skin costs.") if each is None else (self.shown(each, "money"), "Price by its life.")

    def _saved(self) -> tuple[str, str]:
        each, film, count = self._skin_each(), self._materials().cost, self.document.job.series.quantity
        if each is None or film is None:
            return "–", "Say what the skin costs, and choose film and tape that have a price."
        skins = math.ceil(count / self.document.job.bag.skin.life_shots)
        price = self.document.job.bag.skin.price or 0.0
        less = film * count - skins * price
        words = "saved" if less >= 0 else "lost"
        how = f"{count} parts: {skins} skins against film and tape for each, without the labour of bagging."
        return f"{self.shown(abs(less), 'money')} {words}", how

    def _build_film(self) -> None:
        self.figure(
            "Film to cut",
            self._of(
                lambda bag: f"{self.shown(bag.film_length_m, 'distance')} × {self.shown(bag.film_width_m, 'distance')}",
                "Each side of what it covers, longer by the root of the excess, and room for tape.",
            ),
        )
        self.figure("Film area", self._of(lambda bag: self.shown(bag.film_area_m2, "area"), "Length times width."))
        self.figure(
            "Sealing tape",
            self._of(lambda bag: self.shown(bag.tape_m, "distance"), "Every run once, corners overlapped."),
        )
        self.figure(
            "Excess round the edge",
            self._of(lambda bag: self.shown(bag.excess_m, "distance"), "Edge of the film less the tape line."),
        )
        self.figure(
            "Pleats needed",
            self._of(lambda bag: str(bag.pleats_needed), "What takes up the excess, and one at every corner and port."),
        )
        self.figure(
            "Pleat height",
            self._of(self._heights, "Half of what each pleat gathers; at a port at least what stands there."),
        )
        self.figure("Slack of the film", self._slack)
        self.choice(
            "Plan shows",
            lambda: [("pleats", False), ("slack of the film", True)],
            lambda: self.slack_shown,
            self._show_slack,
        )
        self.section("Pleats, in the order they are made")
        self.watch(
            lambda: (self.document.assessment.bag.pleats, self.document.settings.system), column(2), self._fill_pleats
        )
        self.section("Off the rolls")
        self._material("Film", FilmCard, "film")
        self._material("Tape", TapeCard, "tape")
        self.figure("Film off the roll", self._film)
        self.figure("Tape off the roll", lambda: (self.shown(self._materials().tape_m, "distance"),
                                                  "The sealing tape, and that of the joints in the film."))  # fmt: skip
        self.figure("Film and tape", self._cost)
        self.section("Plan the bag")
        self.choice(
            "The film is", lambda: [("a sheet", "sheet"), ("a tube", "tube"), ("folded to a box", "box")],
            lambda: self.document.job.bag.shape, partial(self._put, "shape"),
        )  # fmt: skip
        self.watch(self._shape_key, column(4), self._fill_shape)
        self.quantity("Film excess", "share", "bag/film_excess", "Film area over the taped surface.")
        self.quantity("Excess per pleat", "length", "bag/excess_per_pleat_m")
        self.quantity("Pleats", "count", "bag/pleats", "Empty: as many as needed.", empty="as needed")
        self.quantity("Tape width", "length", "bag/tape_width_m")
        self.section("Parts under this bag")
        self.quantity("Parts", "count", "bag/parts", "Each with its own lines, from one bucket, opened together.")
        self.watch(
            lambda: (self.document.job.bag.parts > 1, self.document.settings.system), column(4), self._fill_parts
        )

    def _slack_of(self) -> FilmSlack:
        job, bag = self.document.job, self.document.assessment.bag
        if self._worked_out is None or self._worked_out[0] is not bag:
            self._worked_out = bag, film_slack(bagged_part(job).relief, bag)
        return self._worked_out[1]

    def _slack(self) -> tuple[str, str]:
        slack = self._slack_of()
        how = "Film along each way over the mould, with what the pleats beside it gather, over the way's own length."
        least, most = percent(slack.least), percent(slack.most)
        return least if least == most else f"{least} to {most}", f"{how} Below nothing it bridges."

    def _show_slack(self, on: bool) -> None:
        self.slack_shown = on
        self.refresh()

    def _fill_pleats(self, layout: QVBoxLayout) -> None:
        """Pleats beside one another that are alike, in one line."""
        bag = self.document.assessment.bag
        numbered = enumerate(bag.pleats, 1)
        for _, some in groupby(
            numbered, key=lambda one: (one[1].why, one[1].of, self.shown(one[1].height_m), one[1].last)
        ):
            alike = list(some)
            first, pleat = alike[0]
            numbers = str(first) if len(alike) == 1 else f"{first} to {alike[-1][0]}"
            words = {"port": f"port{'s' if ', ' in pleat.of else ''} of {pleat.of}", "line end": f"end of {pleat.of}"}
            what = words.get(pleat.why) or PLEAT_WORDS[pleat.why]
            row = QHBoxLayout()
            row.addWidget(label(f"{numbers}  {what}{', reversed to close' if pleat.last else ''}"), 1)
            row.addWidget(label(f"{self.shown(pleat.height_m)} high", "figure", wrap=False))
            layout.addLayout(row)

    def _map(self) -> PlanMap:
        slack = self._slack_of()
        if self._picture is None or self._picture[0] is not slack:
            low, high = min(slack.least, 0.0), max(slack.most, 0.01)
            map_ = PlanMap(slack.grid, "Slack of the film", low, high, percent(low), percent(high))
            self._picture = slack, map_
        return self._picture[1]

    def _heights(self, bag: BagPlan) -> str:
        low, high = (self.shown(height, "length") for height in (bag.lowest_pleat_m, bag.highest_pleat_m))
        return low if low == high else f"{low} to {high}"

    def _checks(self, job: Job) -> list[Tick]:
        return [Tick(check.label, check.text, CHECKED, check.ticked) for check in bag_checks(job)]

    def refresh(self) -> None:
        super().refresh()
        if self.document.job.process in WITH_PLEATS:
            self.desk.plan.set_field(self._map() if self.slack_shown else None)
        self.ticks.refresh()

    def _material(self, name: str, kind: type[FilmCard] | type[TapeCard], field: str) -> None:
        """A choice of a card of *kind*, or none, for that field of the bag."""

        def cards() -> dict[str, FilmCard | TapeCard]:
            return {**cards_for(self.document.job, kind)}

        def put(card_id: str | None) -> None:
            job = self.document.job
            bag = revised(job.bag, **{field: card_id})
            if card_id is not None:
                card = cards()[card_id]
                job = with_card(job, card)
                if isinstance(card, TapeCard):
                    bag = revised(bag, tape_width_m=card.width_m)
            self.document.edit(name.lower(), changed(job, bag=bag))

        def choices() -> list[tuple[str, str | None]]:
            return [("none chosen", None), *((card.name, card.id) for card in cards().values())]

        self.choice(name, choices, lambda: getattr(self.document.job.bag, field), put)

    def _materials(self) -> BagMaterials:
        job = self.document.job
        film = job.card(job.bag.film, FilmCard) if job.bag.film else None
        tape = job.card(job.bag.tape, TapeCard) if job.bag.tape else None
        return bag_materials(self.document.assessment.bag, film, tape)

    def _film(self) -> tuple[str, str]:
        materials = self._materials()
        text = self.shown(materials.film_m, "distance")
        if materials.film_widths > 1:
            return f"{materials.film_widths} widths, {text}", "Taped together where they overlap: each joint can leak."
        return text, "One width of the roll."

    def _cost(self) -> tuple[str, str]:
        cost = self._materials().cost
        if cost is None:
            return "–", "Choose film and tape that have a price."
        return self.shown(cost, "money"), "By the prices on their cards, for one bag."

    def _of(self, text: Callable[[BagPlan], str], how: str) -> Callable[[], tuple[str, str]]:
        return lambda: (text(self.document.assessment.bag), how)
