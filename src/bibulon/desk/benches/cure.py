"""Cure: gel, vacuum off, demould, the end of the shift; heat and cure through the stack; ramps and holds."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtWidgets import QVBoxLayout

from bibulon.cure.answers import TO_TOUCH_K, demould_s, load_s, post_cure, too_hot, trim_s, wanted_tg_k
from bibulon.cure.schedule import around_of
from bibulon.cure.study import CureStudy, StackCure
from bibulon.desk.benches.base import Bench
from bibulon.desk.benches.cure_afterwards import AfterwardsSection
from bibulon.desk.benches.cure_heating import HeatingSection
from bibulon.desk.benches.cure_logged import LoggedSection
from bibulon.desk.benches.cure_vapour import VapourSection
from bibulon.desk.plan.maps import MAPS
from bibulon.desk.widgets.curves_chart import Curve, CurvesChart, Drawn, Mark
from bibulon.desk.widgets.fields import FreeField, column, label
from bibulon.desk.widgets.figure_rows import shown_figure
from bibulon.desk.work.job_tasks import HeatQuestion, heat_remedies
from bibulon.desk.work.newest_answer import NewestAnswer
from bibulon.durations import clock_time
from bibulon.job.run import thermocouple_readings
from bibulon.quantities import number_shown, show, unit_shown
from bibulon.quantities_in_words import percent
from bibulon.quantity_text import parse_moment
from bibulon.resin.card_law import law_of
from bibulon.resin.data_range import guessed, known_k
from bibulon.stock.choice import hardeners_for

LOOKS: tuple[tuple[str, str], ...] = (
    ("temperature, over time", "temperature"),
    ("degree of cure and Tg, over time", "cure"),
    ("temperature, through the stack", "through"),
)


class CureBench(Bench):
    """From the end of the fill to the part off its mould."""

    long = True
    width_px = 380

    def build(self) -> None:
        self.look, self.chosen = "temperature", 0
        self.helps = NewestAnswer(heat_remedies, self)
        self.helps.answered.connect(self.refresh)
        in_mould = self.document.job.in_mould
        self.figure("Gel margin", shown_figure(self.document, lambda: self.document.assessment.gel_margin))
        self.figure("First gel in the part", self._first_gel)
        self.figure("Last gel in the part", lambda: self._time(self.document.assessment.cure.gel_s, "gel"))
        self.figure("Vacuum may go from", lambda: self._time(self.document.assessment.cure.release_s, "release"))
        self.figure("To the end of the shift", self._shift)
        self.figure("Demould from", self._demould)
        self.figure("Trimmed from", self._trim)
        self.figure("Fit to be loaded from", self._load)
        self.figure("Hottest", self._hottest)
        self.figure("Comes apart", self._pieces)
        self.said = column(3)
        self.watch(lambda: (self._study_key(), self.helps.newest, self.helps.message), self.said, self._fill_said)
        self.choice("Plan shows", self._maps, lambda: self.desk.plan.map.name, self.desk.plan.set_map)
        self.at = FreeField("Cure and Tg at", self._map_time, self._set_map_time, "Time of day, or hours as 12 h.")
        self.at.editor.setPlaceholderText("vacuum off")
        self.add(self.at)
        self.section("Through the stack")
        self.choice("Shown", lambda: list(LOOKS), lambda: self.look, self._set_look)
        self.choice("At", self._places, lambda: self.chosen, self._set_place)
        self.body.addWidget(label("Or click a place on the plan.", "muted"))
        self.chart = CurvesChart("Cure through the stack", 210)
        self.body.addWidget(self.chart)
        self.chart_words = column(2)
        self.watch(self._chart_key, self.chart_words, self._fill_chart)
        self.desk.plan.touched.connect(self._look_at)
        self.heating = HeatingSection(self)
        self.heating.build()
        self.logged = LoggedSection(self)
        self.logged.build()
        AfterwardsSection(self).build()
        self.section("Conditions")
        self.quantity(
            "Temperature", "temperature", "shop/temperature_k", "Shop and resin, and the mould unless it is heated."
        )
        self.quantity("Mould held at", "temperature", "mould/temperature_k", empty="as the shop")
        self.quantity("Mould is thick", "thickness", "curing/wall_m", empty="as is usual for its kind")
        self.quantity("Mould stands", "temperature", "mould/highest_temperature_k", empty="as is usual for its kind")
        self.quantity(
            "Tg wanted", "temperature", "curing/tg_wanted_k", "Of the part in use.", empty="well over the shop"
        )
        self.clock("Shot starts", "shop/shot_start_s")
        self.watch(lambda: self.document.job.shot_start_s, column(), self._fill_begun)
        self.clock("Shift ends at", "shop/shift_end_s")
        VapourSection(self, self._study_key).build()
        self.section("Remember")
        where = "laminate in the mould" if in_mould else "film in the bag"
        for text in (
            f"The thin {where} gels later than the pot: the pot says nothing about the part.",
            "Vacuum stays on until gel, whatever the clock says: test a sample of the same batch first.",
        ):
            self.body.addWidget(label(text))

    # -- figures -----------------------------------------------------------------------------------------------------

    @property
    def study(self) -> CureStudy | None:
        found = self.document.assessment.cure_study
        return found if found is not None and found.stacks else None

    def _study_key(self) -> object:
        job = self.document.job
        conditions = job.resin, job.curing, job.vacuum, job.mould, job.shop, job.shot_start_s
        return self._waits(), self.study, conditions, self.document.settings

    def _fill_begun(self, layout: QVBoxLayout) -> None:
        job = self.document.job
        if abs(job.shot_start_s - job.shop.shot_start_s) >= 60:
            began = clock_time(job.shot_start_s)
            layout.addWidget(label(f"It was begun at {began}: times of day count from then.", "muted"))

    def _clock(self, time_s: float) -> str:
        if not math.isfinite(time_s):
            return "not by itself"
        return clock_time(self.document.job.shot_start_s + time_s)

    def _time(self, time_s: float, what: str) -> tuple[str, str]:
        resin, study = self.document.job.resin, self.study
        by = (
            "Through the stack, where it is last; counted from the resin that was mixed last."
            if study is not None
            else "At the mould's temperature, from the last mixing; the cure through the stack is on its way."
        )
        how = {
            "gel": by,
            "release": f"{by} As far cured as after {resin.release_after_gel_factor:g} gel times at the mould's "
            "temperature.",
        }[what]
        return f"{self._clock(time_s)}  ({show(time_s, 'duration')})", how

    def _first_gel(self) -> tuple[str, str]:
        study = self.study
        if study is None:
            return "–", self._waits()
        return self._clock(study.first_gel_s), "Where the oldest and warmest resin lies."

    def _waits(self) -> str:
        fill = self.document.assessment.fill
        return "There is no fill yet." if fill is None else "The cure is being followed through the stack."

    def _demould(self) -> tuple[str, str]:
        study = self.study
        if study is None:
            return "–", self._waits()
        over = self._difference(self.document.job.house.green_over_k)
        how = f"Vacuum off, and glass transition {over} over the part's own temperature and the shop's: green."
        return self._clock(demould_s(self.document.job, study)), how

    def _trim(self) -> tuple[str, str]:
        study = self.study
        if study is None:
            return "–", self._waits()
        over, warm = self._difference(self.document.job.house.trim_over_k), self.shown(TO_TOUCH_K, "temperature")
        how = f"Off the mould, glass transition {over} over its own temperature, and no warmer than {warm}."
        return self._clock(trim_s(self.document.job, study)), how

    def _difference(self, kelvins: float) -> str:
        return show(kelvins, "temperature difference", self.document.assessment.units)

    def _load(self) -> tuple[str, str]:
        study = self.study
        if study is None:
            return "–", self._waits()
        wanted = self.shown(wanted_tg_k(self.document.job), "temperature")
        return self._clock(load_s(self.document.job, study)), f"Glass transition of {wanted} everywhere."

    def _hottest(self) -> tuple[str, str]:
        study = self.study
        if study is None:
            return "–", self._waits()
        hottest = study.hottest
        when = self._clock(hottest.course.peak_s)
        return f"{self.shown(hottest.peak_k, 'temperature')} at {when}", f"In {self._stack_words(hottest)}."

    def _pieces(self) -> tuple[str, str]:
        pieces = self.document.job.mould.pieces
        if not pieces:
            return "one piece", "The part comes off a mould that is one piece; say at Part if it comes apart."
        return ", ".join(f"{number} {name}" for number, name in enumerate(pieces, 1)), "In the order given at Part."

    def _shift(self) -> tuple[str, str]:
        left = -self.document.assessment.cure.after_shift_s
        text = show(left, "duration") if left >= 0 else f"{show(-left, 'duration')} past it"
        return text, "From the earliest release of vacuum to the end of the shift."

    # -- what is said ------------------------------------------------------------------------------------------------

    def _fill_said(self, layout: QVBoxLayout) -> None:
        study, job = self.study, self.document.job
        if study is None:
            layout.addWidget(label(self._waits(), "muted"))
            return
        least = study.least_cure_at(study.end_s)
        reached, span = float(study.law.tg_k(least)), show(study.end_s - study.start_s, "duration")
        words = (
            f"After {span} the least cured resin is {percent(least)} cured, Tg {self.shown(reached, 'temperature')}."
        )
        layout.addWidget(label(words, "muted"))
        if not math.isfinite(study.tg_over_s(wanted_tg_k(job))):
            hold, wanted = post_cure(job, study), self.shown(wanted_tg_k(job), "temperature")
            if study.law.cure_at_tg(wanted_tg_k(job)) >= 1:
                words = f"No cure of this resin brings a Tg of {wanted}: take another."
            elif hold is None:
                words = f"No hold of up to 16 h brings a Tg of {wanted}."
            else:
                at, time = self.shown(hold.hold_k, "temperature"), show(hold.hold_s, "duration")
                words = (
                    f"A post-cure of {time} at {at} brings a Tg of {wanted}; warm up slowly, no faster than it cures."
                )
            layout.addWidget(label(words))
        hot_ones = too_hot(job, study)
        key, units = self._study_key(), self.document.assessment.units
        if hot_ones:
            self.helps.ask(key, lambda: HeatQuestion(job, study.start_s, hot_ones, hardeners_for(job)[1:], units))
        found = self.helps.of(key)
        for number, hot in enumerate(hot_ones):
            peak, most = self.shown(hot.peak_k, "temperature"), self.shown(hot.most_k, "temperature")
            layout.addWidget(label(f"The {hot.what} gets {peak}; it stands {most}.", "error"))
            if found is None:
                layout.addWidget(label(self.helps.message or "What would make it cooler is being tried …", "muted"))
                continue
            for help_ in found[number][:3]:
                layout.addWidget(label(f"{help_.words}: {self.shown(help_.peak_k, 'temperature')}", "muted"))
            if not found[number]:
                layout.addWidget(label("Nothing that was tried makes it cooler.", "muted"))
        assumed = law_of(job.resin).assumed
        warmest = max([job.mould_temperature_k, *(step.to_k for step in job.curing.steps), study.hottest.peak_k])
        for at_k in (job.mould_temperature_k, warmest):
            if guessed(job.resin, "viscosity and gel", at_k):
                low, high = (self.shown(one, "temperature") for one in known_k(job.resin, "viscosity and gel"))
                words = f"At {self.shown(at_k, 'temperature')} the rate of cure is guessed: the card has data from"
                layout.addWidget(label(f"{words} {low} to {high}.", "muted"))
                break
        if assumed:
            layout.addWidget(label(f"Assumed: {'; '.join(assumed)}. Treat figures as a guess.", "muted"))

    # -- the chart ---------------------------------------------------------------------------------------------------

    def _stack_words(self, one: StackCure) -> str:
        job = self.document.job
        core = any(job.is_core(layer.card) for layer in one.stack.layers)
        thick = self.shown(one.stack.laminate_thickness_m, "thickness")
        words = f"{thick} of plies" + (" on core" if core else "")
        if one.latest:
            return f"{words}, resin mixed last"
        return f"{words}, resin {show(one.age_s / one.faster, 'duration')} old"

    def _places(self) -> list[tuple[str, int]]:
        study = self.study
        if study is None:
            return [("the hottest place", 0)]
        return [
            (f"{'the hottest: ' if rank == 0 else ''}{self._stack_words(study.stacks[at])}", rank)
            for rank, at in enumerate(self._order(study))
        ]

    def _maps(self) -> list[tuple[str, str]]:
        return [(kind.words, kind.name) for kind in MAPS if kind.offered(self.document)]

    def _map_time(self) -> str:
        at_s = self.document.cure_at_s
        return "" if at_s is None else self._clock(at_s)

    def _set_map_time(self, text: str) -> None:
        units, start_s = self.document.assessment.units, self.document.job.shot_start_s
        self.document.cure_at_s = parse_moment(text, start_s, units) if text.strip() else None
        self.desk.plan.update()
        self.refresh()

    def _set_look(self, look: str) -> None:
        self.look = look
        self.refresh()

    def _look_at(self, place: tuple[float, float]) -> None:
        """Show the cure at the place on the plan that was clicked."""
        study, fill = self.study, self.document.assessment.fill
        if study is None or fill is None or not self.isVisible() or len(study.of_point) != len(fill.mesh.points_m):
            return
        nearest = int(np.argmin(((fill.mesh.points_m - np.array(place)) ** 2).sum(axis=1)))
        stack = int(study.of_point[nearest])
        if stack >= 0:
            self._set_place(self._order(study).index(stack))

    def _order(self, study: CureStudy) -> list[int]:
        """The stacks, the hottest first."""
        return sorted(range(len(study.stacks)), key=lambda at: -study.stacks[at].peak_k)

    def _set_place(self, rank: int) -> None:
        self.chosen = rank
        self.refresh()

    def _chart_key(self) -> object:
        return self._waits(), self.study, self.look, self.chosen, self._logged(), self.document.settings

    def _logged(self) -> tuple[tuple[float, float, str], ...]:
        """Times and temperatures of the part, and which thermocouple's: those brought in, and those read in this
        shot."""
        job = self.document.job
        points = [(point.time_s, point.temperature_k, point.name) for point in job.curing.read_in(job.shot_number)]
        return (*points, *((time_s, warm_k, "") for time_s, warm_k in thermocouple_readings(job.shot)))

    def _fill_chart(self, layout: QVBoxLayout) -> None:
        study, units = self.study, self.document.assessment.units
        degrees = unit_shown("temperature", units)
        if study is None:
            self.chart.draw(Drawn(), "h", degrees)
            layout.addWidget(label(self._waits(), "muted"))
            return
        order = self._order(study)
        one = study.stacks[order[min(self.chosen, len(order) - 1)]]

        def warm(values: np.ndarray) -> np.ndarray:
            return np.array([number_shown(float(value), "temperature", units) for value in values])

        def deep(values: np.ndarray) -> np.ndarray:
            return np.array([number_shown(float(value), "length", units) for value in values])

        course, hours = one.course, one.course.times_s / 3600
        resin = course.temperature_k[:, course.cures]
        cure = course.cure[:, course.cures]
        gel = one.course.cured_to_s(study.law.gel_cure)
        marks = [Mark(gel / 3600, "gel", upright=True)] if math.isfinite(gel) else []
        if self.look == "through":
            hottest = int(np.argmax(resin.max(axis=1)))
            end = len(course.times_s) - 1
            curves = [
                Curve(deep(course.z_m), warm(course.temperature_k[at]), name)
                for at, name in ((0, "at first"), (hottest, "hottest"), (end, "at the end"))
            ]
            edges = deep(np.cumsum([slab.thickness_m for slab in one.slabs])[:-1])
            names = [slab.name for slab in one.slabs][1:]
            marks = [Mark(float(edge), name, upright=True) for edge, name in zip(edges, names, strict=True)]
            self.chart.draw(Drawn(curves, marks), f"{unit_shown('length', units)} from the back of the mould", degrees)
        elif self.look == "cure":
            glass = study.law.tg_k(cure.min(axis=1))
            curves = [
                Curve(hours, 100 * cure.max(axis=1), "most cured, %"),
                Curve(hours, 100 * cure.min(axis=1), "least cured, %"),
                Curve(hours, warm(glass), f"its Tg, {degrees}"),
            ]
            self.chart.draw(Drawn(curves, marks), "h since the start", f"% · {degrees}")
        else:
            around = around_of(self.document.job, study.legs)
            below = warm(np.array([around(float(time)).below_k for time in course.times_s]))
            curves = [
                Curve(hours, warm(resin.max(axis=1)), "hottest resin"),
                Curve(hours, warm(resin.min(axis=1)), "coolest resin"),
                Curve(hours, below, "around"),
            ]
            logged = self._logged()
            if logged:
                for name in dict.fromkeys(name for _, _, name in logged):
                    times, values = np.array([(time, value) for time, value, of in logged if of == name]).T
                    curves.append(Curve(times / 3600, warm(values), name or "logged", dots=True))
            self.chart.draw(Drawn(curves, marks), "h since the start", degrees)
            if logged:
                warmest: dict[float, float] = {}
                for time, value, _ in logged:
                    warmest[time] = max(value, warmest.get(time, value))
                hottest = np.interp(list(warmest), course.times_s, resin.max(axis=1))
                worst = max(np.array(list(warmest.values())) - hottest, key=abs)
                layout.addWidget(label(self._off_words(float(worst)), "muted"))

    def _off_words(self, off_k: float) -> str:
        """How far logged temperatures are off at most."""
        off = show(abs(off_k), "temperature difference", self.document.assessment.units)
        return f"Points are logged; the warmest at most {off} {'over' if off_k > 0 else 'under'} the hottest resin."
