"""The house rules by which a plan and a run are judged, with the trade's usual figures as defaults."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, model_validator

from bibulon.job.base import Model, PressureDifference

Reach = Annotated[float, Field(ge=0, le=5)]
Portion = Annotated[float, Field(ge=0, le=1)]
TemperatureDifference = Annotated[float, Field(gt=0, le=100)]


class HouseRules(Model):
    """Thresholds of the cautions; a shop may set each to its own figure."""

    # lay-up
    overlap_least_m: Annotated[float, Field(ge=0, le=0.2)] = 0.010
    """Pieces of a ply overlap by no less."""
    overlap_most_m: Annotated[float, Field(ge=0, le=0.2)] = 0.030
    """Nor by more than this."""
    past_core_m: Annotated[float, Field(gt=0, le=0.5)] = 0.030
    """A local ply runs up onto the core, or so far past its edge."""
    open_gap_m: Annotated[float, Field(gt=0, le=0.02)] = 0.001
    """A gap beside a core or along the part's edge that resin races along."""
    hottest_k: Annotated[float, Field(ge=293.15, le=523.15)] = 353.15
    """As hot as a stack may get by its own heat: above about 80 °C foam core and many composite moulds soften."""
    high_build: Annotated[float, Field(ge=1.1, le=20)] = 2.0
    """Plies so many times as thick as on most of the part want a feed, media or a vacuum point of their own."""
    slow_share: Portion = 0.25
    """A fabric with less than this of the others' permeability is slow."""
    late_share: Portion = 0.12
    """The tool side may fill later than the film side by this share of the fill time."""
    # lines
    brake_m: Annotated[float, Field(ge=0, le=1)] = 0.060
    """Flow media ends so far before a vent."""
    off_media_m: Reach = 0.05
    """So much of a feed may lie off the media."""
    vent_reach_m: Reach = 0.15
    """The place that fills last may lie so far from a vent."""
    vents_apart: Portion = 0.4
    """Resin may come to one open vent earlier than to another by this share of the fill time."""
    narrow_end: Portion = 0.67
    """A feed at an end that is narrower than this share of the vent's end is on the wrong one."""
    supply_loss: Portion = 0.25
    """Hoses and feed lines may take this share of the pull."""
    tube_fit_m: Annotated[float, Field(gt=0, le=0.02)] = 0.003
    """Hose and line go together where one slides over the other within this."""
    hose_waste: Portion = 0.10
    """Hoses may hold this share of the charge."""
    large_part_m2: Annotated[float, Field(gt=0, le=1e6)] = 8.0
    """A part larger than this wants two catch pots."""
    pot_reserve: Annotated[float, Field(ge=1, le=20)] = 2.0
    """Catch pots hold so many times the expected bleed."""
    pump_down_s: Annotated[float, Field(gt=0, le=86_400)] = 1200.0
    """A pump may take so long to empty bag, hoses and pots to the planned vacuum."""
    # bag and hold
    film_excess: Annotated[float, Field(ge=0, le=2)] = 0.30
    """Film has so much more area than the taped surface."""
    tapes_on_flange: Annotated[float, Field(ge=1, le=50)] = 4.0
    """The flange is so many times as wide as the tape."""
    shortest_hold_s: Annotated[float, Field(gt=0, le=604_800)] = 300.0
    """A hold test that is shorter says nothing."""
    hold_age_s: Annotated[float, Field(gt=0, le=2_592_000)] = 4 * 3600.0
    """A hold test older than this when the shot starts is done again."""
    # closed moulds
    flange_vacuum_pa: Annotated[float, Field(ge=0, le=110_000)] = 78_000.0
    """The flange of a closed mould pulls with no less before anything is injected."""
    clamp_reserve: Annotated[float, Field(ge=1, le=20)] = 1.5
    """Latches, bolts or a press give so many times what opens the mould."""
    usual_pressure_pa: Annotated[float, Field(gt=0, le=10_000_000)] = 200_000.0
    """RTM is injected with no more over the atmosphere as a rule."""
    seldom_pressure_pa: Annotated[float, Field(gt=0, le=10_000_000)] = 700_000.0
    """And seldom with more than this."""
    rim_share: Portion = 0.35
    """The channel round the rim may take this share of the fill to come full."""
    rim_uneven: Annotated[float, Field(ge=1, le=20)] = 1.5
    """Inlets may lie so many times as far apart round the rim as spread evenly."""
    filler_off: Portion = 0.02
    """Filled resin may weigh this share more or less than mixed through."""
    # resin
    thick_pa_s: Annotated[float, Field(gt=0, le=100)] = 0.30
    """Mix at use that is more viscous than this is thick."""
    pot_time_s: Annotated[float, Field(ge=0, le=86_400)] = 600.0
    """A batch has to last at least so long after it was mixed."""
    mix_temperature_k: TemperatureDifference = 3.0
    """Mixed resin may differ from the planned temperature by so much."""
    ratio_off: Portion = 0.02
    """What was weighed may be off the mix ratio by this share."""
    green_over_k: TemperatureDifference = 10.0
    """A part is taken off its mould when its glass transition is so much over its own temperature and the shop's."""
    trim_over_k: TemperatureDifference = 20.0
    """And it is cut when it is so much over: the edge that is cut gets warm."""
    # run
    vacuum_rise_pa: PressureDifference = 1_000.0
    """During a shot, the vacuum may lose so much against its best."""
    pot_rise_k: TemperatureDifference = 8.0
    """A pot so much warmer than the shop is warming by itself."""
    bucket_low_kg: Annotated[float, Field(ge=0, le=1000)] = 0.7
    """A bucket with so little over its heel is nearly empty."""
    front_off: Portion = 0.2
    """The front may be ahead of or behind the plan by this share."""

    @model_validator(mode="after")
    def _in_order(self) -> HouseRules:
        if self.overlap_most_m < self.overlap_least_m:
            raise ValueError("the most that joints may overlap is less than the least")
        return self
