"""Hold, second part: the hunt for a leak, branch by branch, and the places to look at, in the order they are likely."""

from __future__ import annotations

from datetime import UTC, datetime
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from bibulon.desk.benches.hunt_gauge import HuntGauge
from bibulon.desk.widgets.choices import ChoiceField, ToggleField
from bibulon.desk.widgets.fields import FreeField, column, label, tool_button
from bibulon.job.edits import changed, revised
from bibulon.job.hunt import HOW_FOUND, FoundLeak, HowFound, IsolationTest, LeakHunt, LeakKind, Search
from bibulon.planning.leak_places import believed, leak_map
from bibulon.quantities_in_words import percent
from bibulon.stock import StockError
from bibulon.stock.leaks import remember_leak, shop_leaks
from bibulon.vacuum.hunt import SURE, Belief, LeakPlace, next_isolation

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

MOST_PLACES = 6
LEAST_CHANCE = 0.01


def _found_before() -> list[LeakKind]:
    """The kinds of the leaks that the shop has found; none where its list cannot be read."""
    try:
        return [leak.kind for leak in shop_leaks()]
    except StockError:
        return []


class HuntSection:
    """The hunt of a Hold *bench*."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document
        self.gauge = HuntGauge(bench)
        self.open = bool(self.document.job.hunt.isolations)
        self.mapped = False
        self.how: HowFound = "by ear"
        self.cure = ""
        self._of: object = None
        self._believed: Belief | None = None
        self._next: frozenset[str] | None = None
        """The cuts to shut next."""

    def build(self) -> None:
        self.bench.section("Hunt a leak")
        self.bench.add(
            ToggleField("It leaks: find where", lambda: self.open, self._set_open, "Shut off branch after branch.")
        )
        if not self.document.job.in_mould:
            self.bench.add(
                ToggleField(
                    "Rehearse: a leak somewhere",
                    lambda: self.gauge.rehearse,
                    self.gauge.set_rehearsal,
                    "The simulated gauge leaks at a place that it has drawn, until that is found.",
                )
            )
        self.bench.add(
            ToggleField(
                "Map: where this shop leaks", lambda: self.mapped, self._set_mapped,
                "By what is usual and all leaks that were found in this shop's jobs.",
            )
        )  # fmt: skip
        self.bench.watch(self._map_key, column(3), self._fill_map)
        self.bench.watch(self._key, column(5), self._fill)

    def _set_mapped(self, on: bool) -> None:
        self.mapped = on
        self.bench.refresh()

    def _map_key(self) -> object:
        return self.mapped, self._reads()

    def _fill_map(self, layout: QVBoxLayout) -> None:
        if not self.mapped:
            self.bench.desk.plan.set_leak_map(())
            return
        found = leak_map(self.document.job, _found_before())
        self.bench.desk.plan.set_leak_map([(place.at, share) for place, share in found.places if place.at is not None])
        kinds = ", ".join(f"{kind} {count}" for kind, count in found.by_kind)
        many = "One leak" if found.found == 1 else f"{found.found} leaks"
        logged = f"{many} found so far: {kinds}."
        layout.addWidget(label(logged if found.found else "No leak was logged yet: by what is usual."))
        beside = sorted((pair for pair in found.places if pair[0].at is None), key=lambda pair: -pair[1])
        for place, share in beside[:MOST_PLACES]:
            layout.addWidget(label(f"Beside the plan: {place.words}, {percent(share)}", "muted"))

    def _set_open(self, on: bool) -> None:
        self.open = on
        self.bench.refresh()

    @property
    def belief(self) -> Belief:
        """What is believed after all that was tried; worked out anew when the job has changed."""
        job, key = self.document.job, self._reads()
        if self._believed is None or key != self._of:
            self._of, self._believed = key, believed(job, _found_before())
            self._next = next_isolation(self._believed)
        return self._believed

    def likely(self) -> list[tuple[LeakPlace, float]]:
        """The places to look at, likeliest first: once no test tells more, those of the likeliest section."""
        known = self.belief
        sections, chances = known.of_sections, known.of_places
        best = max(sections, key=lambda name: sections[name])
        places = [place for place in known.branches.places if self._next is not None or place.section == best]
        ranked = sorted(places, key=lambda place: -round(chances[place.id], 9))  # as good as equal: as they are drawn
        return [(place, chances[place.id]) for place in ranked if chances[place.id] >= LEAST_CHANCE][:MOST_PLACES]

    def _reads(self) -> object:
        """What of the job the belief follows from."""
        job = self.document.job
        return job.process, job.hunt, job.lines, job.pots, job.part, job.bag, job.manifolds, job.pair

    def _key(self) -> object:
        return self.open, self._reads(), self.gauge.said, self.gauge.reading

    def _fill(self, layout: QVBoxLayout) -> None:
        places = [place.at for place, _ in self.likely()] if self.open else []
        self.bench.desk.plan.set_numbered(places)
        if not self.open:
            if self.document.job.hunt.found:
                self._fill_found(layout)
            return
        known, shut = self.belief, self._next
        sections = known.of_sections
        best = max(sections, key=lambda name: sections[name])
        words = known.branches.sections
        if shut is not None:
            cuts = [cut.words for cut in known.branches.cuts if cut.id in shut]
            layout.addWidget(label("Shut, and leave all else open:", "muted"))
            for cut in cuts:
                layout.addWidget(label(cut, "figure"))
            joined = known.branches.joined(shut)
            kept = [said for name, said in words.items() if name in joined]
            layout.addWidget(
                label(
                    f"Left on the gauge: {', '.join(kept)}. Shut the pump off, wait until it has settled, and read as "
                    "long as the leak took to show.",
                    "muted",
                )
            )
            row = QHBoxLayout()
            self.bench.button("It still leaks", partial(self._answer, shut, True), into=row)
            self.bench.button("It holds", partial(self._answer, shut, False), into=row)
            layout.addLayout(row)
            if self.gauge.reading:
                self.bench.button("Stop reading", self.gauge.stop, into=layout)
            else:
                self.bench.button("Have the gauge say it", partial(self._ask_gauge, shut, joined), into=layout)
        else:
            sure = "It is" if sections[best] >= SURE else "Most likely it is"
            where = f"{sure} in {words[best]} ({percent(sections[best])}). Look there, in this order."
            layout.addWidget(label(where, "figure"))
            self.bench.button("Nothing found there", partial(self._in_vain, best), into=layout)
        if self.gauge.said:
            layout.addWidget(label(self.gauge.said))
        self._fill_places(layout)
        self._fill_tried(layout)
        self._fill_found(layout)

    def _fill_places(self, layout: QVBoxLayout) -> None:
        layout.addWidget(label("Where it is likely", "muted"))
        for number, (place, chance) in enumerate(self.likely(), 1):
            row = QHBoxLayout()
            row.addWidget(label(f"{number}  {place.words[:1].upper()}{place.words[1:]}"), 1)
            row.addWidget(label(percent(chance), "figure", wrap=False))
            button = self.bench.button("Found", partial(self._found, place), into=row)
            button.setAccessibleName(f"Found: {place.words}")
            layout.addLayout(row)
        layout.addWidget(
            ChoiceField("Found how", lambda: [(how, how) for how in HOW_FOUND], lambda: self.how, self._set_how)
        )
        layout.addWidget(FreeField("Cured by", lambda: self.cure, self._set_cure, "For the log: new tape, lid seal …"))

    def _set_how(self, how: HowFound) -> None:
        self.how = how

    def _set_cure(self, text: str) -> None:
        self.cure = text.strip()[:400]

    def _fill_tried(self, layout: QVBoxLayout) -> None:
        tests, searched = self.document.job.hunt.isolations, self.document.job.hunt.searched
        if not tests and not searched:
            return
        words = {cut.id: cut.words for cut in self.belief.branches.cuts}
        layout.addWidget(label("Tried", "muted"))
        for test in tests:
            row = QHBoxLayout()
            shut = ", ".join(words.get(name, name) for name in test.shut) or "nothing"
            outcome = "still leaks" if test.leaks else "holds"
            row.addWidget(label(f"{test.at.astimezone():%H:%M}  {shut} shut: {outcome}"), 1)
            row.addWidget(tool_button("remove", f"Take back: {shut} shut, {outcome}", partial(self._take_back, test)))
            layout.addLayout(row)
        for search in searched:
            where = self.belief.branches.sections.get(search.section, "what is no longer there")
            layout.addWidget(label(f"{search.at.astimezone():%H:%M}  Nothing found in {where}"))
        self.bench.button("Begin anew", self._begin_anew, into=layout)

    def _fill_found(self, layout: QVBoxLayout) -> None:
        for leak in self.document.job.hunt.found:
            row = QHBoxLayout()
            cure = f": {leak.cure}" if leak.cure else ""
            row.addWidget(label(f"{leak.at.astimezone():%d %b %H:%M}  {leak.words}, {leak.how}{cure}"), 1)
            row.addWidget(tool_button("remove", f"Take out: {leak.words}", partial(self._without, leak)))
            layout.addLayout(row)

    # -- edits -------------------------------------------------------------------------------------------------------

    def _put(self, name: str, hunt: LeakHunt) -> None:
        self.document.edit(name, changed(self.document.job, hunt=hunt))

    def _answer(self, shut: frozenset[str], leaks: bool) -> None:
        hunt = self.document.job.hunt
        test = IsolationTest(shut=tuple(sorted(shut)), leaks=leaks, at=datetime.now(UTC).astimezone())
        self._put("branch shut off", revised(hunt, isolations=(*hunt.isolations, test)))

    def _ask_gauge(self, shut: frozenset[str], joined: frozenset[str]) -> None:
        self.gauge.begin(joined, partial(self._answer, shut))
        self.bench.refresh()

    def _in_vain(self, section: str) -> None:
        hunt = self.document.job.hunt
        search = Search(section=section, at=datetime.now(UTC).astimezone())
        self._put("searched in vain", revised(hunt, searched=(*hunt.searched, search)))

    def _take_back(self, test: IsolationTest) -> None:
        hunt = self.document.job.hunt
        self._put("take back", revised(hunt, isolations=tuple(one for one in hunt.isolations if one != test)))

    def _begin_anew(self) -> None:
        self._put("begin the hunt anew", revised(self.document.job.hunt, isolations=(), searched=()))

    def _found(self, place: LeakPlace) -> None:
        hunt, at = self.document.job.hunt, datetime.now(UTC).astimezone()
        leak = FoundLeak(
            place=place.id, kind=place.kind, words=place.words, spot=place.at, how=self.how, cure=self.cure, at=at
        )
        self.cure = ""
        self._put("leak found", revised(hunt, found=(*hunt.found, leak)))
        self.gauge.mended()
        try:
            remember_leak(leak)
        except StockError as error:
            self.bench.desk.show_message(str(error))
        self.bench.desk.show_message("Logged. Mend it and hold again: another may be behind it.")

    def _without(self, leak: FoundLeak) -> None:
        hunt = self.document.job.hunt
        self._put("take out a leak", revised(hunt, found=tuple(one for one in hunt.found if one != leak)))
