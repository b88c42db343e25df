"""The hunt by the gauge: a branch is shut off, the gauge read for a while, and its rise says whether that leaks.

Where no instruments are connected the simulated ones are, with a leak that they have drawn if a hunt is rehearsed.
"""

from __future__ import annotations

import zlib
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from bibulon.planning.leak_places import branches_of, leaks_drawn
from bibulon.quantities import show
from bibulon.vacuum.hold import drop_allowed_pa, fit_leak

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

PACE = 60.0
READ_FOR_S, SAMPLE_S = 900.0, 20.0
LEAKS_OVER = 0.35
"""What is left on the gauge leaks if it rises by more than this share of what all of it did."""
DRAWN_PA_S = (3.0, 8.0)
"""A drawn leak raises the pressure by so much: far over any house rule."""


def rehearsed_leaks(bench: Bench) -> tuple[tuple[str, float], ...]:
    """The leaks that a rehearsal of this job has: drawn once for it, without those that the hunt has mended."""
    job = bench.document.job
    seed = zlib.crc32(job.id.encode("utf-8"))
    mended = {leak.place for leak in job.hunt.found}
    drawn = leaks_drawn(branches_of(job), seed)
    rises = [
        DRAWN_PA_S[0] + (DRAWN_PA_S[1] - DRAWN_PA_S[0]) * ((seed >> (5 * at)) % 32) / 31 for at in range(len(drawn))
    ]
    return tuple((place.section, rise) for place, rise in zip(drawn, rises, strict=True) if place.id not in mended)


class HuntGauge(QObject):
    """Reads the gauge of a Hold *bench* for one test of a hunt at a time."""

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self.bench = bench
        self.rehearse = False
        """Whether simulated instruments have a leak to be hunted."""
        self.said = ""
        self._begun_s = 0.0
        self._readings: list[tuple[float, float]] = []
        self._decide: Callable[[bool], None] | None = None
        bench.desk.run.reading_taken.connect(self._take)
        bench.desk.run.lost.connect(lambda _: self.stop())

    @property
    def reading(self) -> bool:
        return self._decide is not None

    def have_instruments(self) -> None:
        """Have instruments, the shop's own if it has named them."""
        run = self.bench.desk.run
        if run.link is not None:
            return
        url = self.bench.document.settings.instruments_url
        if url:
            run.connect_url(url)
        else:
            run.connect_simulated(PACE, rehearsed_leaks(self.bench) if self.rehearse else ())

    def set_rehearsal(self, on: bool) -> None:
        """Have a leak in the simulated instruments, or none."""
        self.rehearse = on
        if self.bench.desk.run.simulated is not None:
            self.bench.desk.run.simulated.set_leaks(rehearsed_leaks(self.bench) if on else ())

    def mended(self) -> None:
        """A leak was found and mended: the simulated bag has it no more."""
        self.set_rehearsal(self.rehearse)

    def begin(self, joined: frozenset[str], decide: Callable[[bool], None]) -> None:
        """Read the gauge with the sections *joined* left on it; *decide* is told whether they leak."""
        self.have_instruments()
        run = self.bench.desk.run
        if run.simulated is not None:
            run.simulated.isolate(joined)
        self._begun_s, self._readings, self._decide = run.instrument_time(), [], decide
        self.said = "Reading the gauge …"

    def stop(self) -> None:
        """Give the reading up."""
        self._decide, self.said = None, ""
        if self.bench.desk.run.simulated is not None:
            self.bench.desk.run.simulated.connect_pump()
        self.bench.refresh()

    def _take(self, name: str, value: float) -> None:
        if self._decide is None or name != "vacuum":
            return
        now = self.bench.desk.run.instrument_time() - self._begun_s
        if self._readings and now - self._readings[-1][0] < SAMPLE_S:
            return
        self._readings.append((now, value))
        units = self.bench.document.assessment.units
        self.said = f"Reading the gauge: {show(value, 'pressure', units)} after {show(now, 'duration', units)}."
        if now >= READ_FOR_S:
            self._end()
        self.bench.refresh()

    def _end(self) -> None:
        decide, self._decide = self._decide, None
        rise = fit_leak(tuple(self._readings)).rise_pa_s
        whole = self.whole_rise_pa_s()
        leaks = rise > LEAKS_OVER * whole
        units = self.bench.document.assessment.units
        lost = show(max(rise, 0.0) * 600, "pressure difference", units)
        self.said = f"The gauge lost {lost} in ten minutes: {'it still leaks' if leaks else 'it holds'}."
        if self.bench.desk.run.simulated is not None:
            self.bench.desk.run.simulated.connect_pump()
        if decide is not None:
            decide(leaks)

    def whole_rise_pa_s(self) -> float:
        """By what the pressure rose with everything on the gauge: of the last test that failed, else what the house
        still lets pass."""
        assessment = self.bench.document.assessment
        failed = [verdict for _, verdict in assessment.hold_verdicts if not verdict.passed]
        allowed = drop_allowed_pa(assessment.hold_figures, assessment.area_together_m2) / 600
        return max(failed[-1].fit.rise_pa_s, allowed) if failed else allowed
