"""Hold, before the test: what the gauge shows while the pump still runs, and how much of that is a leak."""

from __future__ import annotations

from typing import TYPE_CHECKING

from bibulon.desk.widgets.fields import FreeField
from bibulon.job.words import space_word
from bibulon.quantities import show
from bibulon.quantity_text import parse
from bibulon.vacuum.pump import leak_while_pumped_pa_m3_s

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench


class PumpedSection:
    """A pressure that is typed, and how the pump and the leak share in it; built into a *bench*."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document
        self._pressure_pa: float | None = None

    def build(self) -> None:
        self.bench.section("While the pump runs")
        self.bench.add(
            FreeField("Gauge shows", self._shown, self._take, "Once it is at rest, all valves as for the shot.")
        )
        self.bench.figure("Of that the pump's own", self._own)
        self.bench.figure("Leak behind the rest", self._leak)

    def _shown(self) -> str:
        if self._pressure_pa is None:
            return ""
        return show(self._pressure_pa, "pressure", self.document.assessment.units)

    def _take(self, text: str) -> None:
        units = self.document.assessment.units
        pressure = parse(text, "pressure", units) if text.strip() else None
        if pressure is not None and not 0 <= pressure <= self.document.job.shop.barometer_pa:
            where = f"in the {space_word(self.document.job)}"
            raise ValueError(f"The pressure {where} lies between nothing and the barometer's.")
        self._pressure_pa = pressure
        self.bench.refresh()

    def _own(self) -> tuple[str, str]:
        ultimate = self.document.job.vacuum.pump_ultimate_pa
        how = f"Its ultimate vacuum, at Lines: it pulls no deeper, however tight the {space_word(self.document.job)}."
        if self._pressure_pa is None:
            return "–", how
        return show(min(ultimate, self._pressure_pa), "pressure difference", self.document.assessment.units), how

    def _leak(self) -> tuple[str, str]:
        vacuum = self.document.job.vacuum
        how = "Q = S (P − P_ult) with the pump's speed at Lines. A hold test is surer: it knows no pump."
        if self._pressure_pa is None:
            return "–", how
        leak = leak_while_pumped_pa_m3_s(self._pressure_pa, vacuum.pump_ultimate_pa, vacuum.pump_speed_m3_s)
        if leak == 0.0:
            return "none to be seen", how
        return show(leak, "leak rate", self.document.assessment.units), how
