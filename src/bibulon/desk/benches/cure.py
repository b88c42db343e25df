"""Cure: gel, release of vacuum, the end of the shift."""

from __future__ import annotations

from bibulon.desk.benches.base import Bench
from bibulon.desk.widgets.fields import label
from bibulon.desk.widgets.figure_rows import shown_figure
from bibulon.durations import clock_time
from bibulon.quantities import show


class CureBench(Bench):
    """From the end of the fill to letting the vacuum go."""

    def build(self) -> None:
        self.figure("Gel margin", shown_figure(self.document, lambda: self.document.assessment.gel_margin))
        self.figure("Fresh viscosity", self._viscosity)
        self.figure("Resin flows until", lambda: self._time(self.document.assessment.flows_until_s, "flow"))
        in_mould = self.document.job.in_mould
        gel = "Gel in the part" if in_mould else "Gel of the film"
        self.figure(gel, lambda: self._time(self.document.assessment.cure.gel_s, "gel"))
        self.figure("Vacuum may go from", lambda: self._time(self.document.assessment.cure.release_s, "release"))
        self.figure("To the end of the shift", self._shift)
        self.figure("Comes apart", self._pieces)
        self.section("Conditions")
        self.quantity(
            "Temperature", "temperature", "shop/temperature_k", "Shop and resin, and the mould unless it is heated."
        )
        self.clock("Shot starts", "shop/shot_start_s")
        self.clock("Shift ends at", "shop/shift_end_s")
        self.section("Remember")
        where = "laminate in the mould" if in_mould else "film in the bag"
        for text in (
            f"The thin {where} gels later than the pot: the pot says nothing about the part.",
            "Vacuum stays on until gel, whatever the clock says: test a sample of the same batch first.",
        ):
            self.body.addWidget(label(text))

    def _pieces(self) -> tuple[str, str]:
        pieces = self.document.job.mould.pieces
        if not pieces:
            return "one piece", "The part comes off a mould that is one piece; say at Part if it comes apart."
        return ", ".join(f"{number} {name}" for number, name in enumerate(pieces, 1)), "In the order given at Part."

    def _viscosity(self) -> tuple[str, str]:
        resin = self.document.job.resin
        points = len(resin.viscosity)
        fit = "a straight line" if points > 1 else "the class slope"
        how = f"{resin.name}: ln(viscosity) against 1/T, {fit} through {points} point(s) of the card ({resin.source})."
        return show(
            self.document.assessment.resin_flow.viscosity_pa_s, "viscosity", self.document.assessment.units
        ), how

    def _time(self, time_s: float, what: str) -> tuple[str, str]:
        clock = clock_time(self.document.job.shop.shot_start_s + time_s)
        resin = self.document.job.resin
        how = {
            "flow": "The resin that fills the last places, until it gels or thickening brings it to "
            f"{resin.flow_limit_pa_s * 1000:.0f} mPa·s.",
            "gel": "Film gel times of the card, Arrhenius, at the mould's temperature, from the last mixing.",
            "release": f"{resin.release_after_gel_factor:g} times the film gel time, after the last mixing.",
        }[what]
        return f"{clock}  ({show(time_s, 'duration')})", how

    def _shift(self) -> tuple[str, str]:
        left = -self.document.assessment.cure.after_shift_s
        text = show(left, "duration") if left >= 0 else f"{show(-left, 'duration')} past it"
        return text, "From the earliest release of vacuum to the end of the shift."
