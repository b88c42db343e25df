"""The card of a resin system: what its data sheet says, and what the shop has measured of it."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field, model_validator

from bibulon.job.base import Density, Exponent, LongTime, Model, Name, Temperature
from bibulon.job.stock_card import StockCard

Viscosity = Annotated[float, Field(ge=1e-4, le=10_000)]
PotShape = Literal["bucket", "tray"]
"""What resin stands in: a bucket as deep as it is wide, or a tray filled to 30 mm."""
PotMass = Annotated[float, Field(ge=0.001, le=10_000)]
CureTemperature = Annotated[float, Field(ge=233.15, le=623.15)]
ShareOfCure = Annotated[float, Field(gt=0, lt=1)]


class ViscosityPoint(Model):
    """Viscosity of the fresh mix at one temperature."""

    temperature_k: Temperature
    viscosity_pa_s: Viscosity


class ViscosityAtAge(Model):
    """Viscosity of a thin sample kept at one temperature, so long after it was mixed; curves of sheets begin at 0."""

    temperature_k: Temperature
    time_s: Annotated[float, Field(ge=0, le=1e9)]
    viscosity_pa_s: Annotated[float, Field(ge=1e-4, le=1_000_000)]


class TimePoint(Model):
    """A time from the data sheet at one temperature."""

    temperature_k: Temperature
    time_s: LongTime


class PotLifePoint(TimePoint):
    """How long a pot lasts that was mixed at one temperature."""

    mass_kg: PotMass | None = None
    """None: the mass that the card has for all its points."""
    shape: PotShape = "bucket"


class CupPoint(Model):
    """A cup test of the shop: so long after mixing a cup of this mass, mixed at a temperature, was so warm."""

    mass_kg: PotMass
    mixed_k: Temperature
    time_s: Annotated[float, Field(ge=0, le=1e6)]
    temperature_k: CureTemperature


class TgPoint(Model):
    """Glass transition after a cure that the sheet names."""

    cured_k: CureTemperature
    cured_s: LongTime
    tg_k: CureTemperature


class BoilingPoint(Model):
    """The pressure at which the resin's lightest part boils at one temperature."""

    temperature_k: Temperature
    pressure_pa: Annotated[float, Field(ge=0.1, le=200_000)]


class DosePoint(Model):
    """Gel time of a thin film with a dose of catalyst, as a share of the mass of what it is stirred into."""

    dose: Annotated[float, Field(gt=0, le=1)]
    temperature_k: Temperature
    gel_s: LongTime


class Dose(Model):
    """The catalyst of a peroxide system: the range that the maker allows, as shares of the mass of all else."""

    component: Name
    least: Annotated[float, Field(gt=0, le=1)]
    most: Annotated[float, Field(gt=0, le=1)]
    points: Annotated[tuple[DosePoint, ...], Field(max_length=200)] = ()

    @model_validator(mode="after")
    def _has_a_range(self) -> Dose:
        if self.least > self.most:
            raise ValueError("the least dose is more than the most")
        return self


class CureConstants(Model):
    """Fitted rate of cure, ``dα/dt = (k1 + k2·αᵐ)(1 − α)ⁿ`` with ``k = exp(ln k − slope/T)``; gel at ``gel_cure``.

    Viscosity grows by ``(α_g/(α_g − α))^(steepness + bend·α)`` (Castro–Macosko).
    """

    ln_k1: Annotated[float, Field(ge=-200, le=200)]
    """Of k1 in 1/s."""
    slope1_k: Annotated[float, Field(ge=0, le=50_000)]
    ln_k2: Annotated[float, Field(ge=-200, le=200)]
    slope2_k: Annotated[float, Field(ge=0, le=50_000)]
    m: Annotated[float, Field(ge=0, le=5)]
    n: Annotated[float, Field(ge=0.2, le=5)]
    gel_cure: ShareOfCure
    steepness: Annotated[float, Field(ge=0, le=20)] = 1.5
    bend: Annotated[float, Field(ge=-20, le=20)] = 1.0


class Component(Model):
    """One component of a resin system and its parts by weight."""

    name: Name
    parts_by_weight: Annotated[float, Field(gt=0, le=1_000_000)]
    density_kg_m3: Density
    parts_by_volume: Annotated[float, Field(gt=0, le=1_000_000)] | None = None
    """As the sheet gives them; None: by weight and density."""
    heat_j_kg_k: Annotated[float, Field(ge=500, le=6000)] | None = None
    filler: bool = False
    """Stirred in: it neither cures nor counts where a dose is a share of the resin."""


class ResinCard(StockCard):
    """A resin system: mix ratio, viscosity, thickening, pot life and gel, as a data sheet gives them."""

    sold_by: ClassVar[str] = "kg"

    kind: Literal["resin"] = "resin"
    chemistry: Literal["epoxy", "vinyl ester", "polyester"]
    density_kg_m3: Density
    components: Annotated[tuple[Component, ...], Field(min_length=2)]
    viscosity: Annotated[tuple[ViscosityPoint, ...], Field(min_length=1)]
    viscosity_spread: Annotated[float, Field(ge=1, le=100)] = 1.15
    thickening_time_s: LongTime
    """Time at ``film_gel[0].temperature_k`` in which the viscosity grows e-fold."""
    flow_limit_pa_s: Annotated[float, Field(ge=1e-4, le=1_000_000)] = 1.0
    pot_life: Annotated[tuple[PotLifePoint, ...], Field(min_length=1)]
    pot_life_mass_kg: PotMass
    pot_life_mass_exponent: Exponent = 0.35
    film_gel: Annotated[tuple[TimePoint, ...], Field(min_length=1)]
    release_after_gel_factor: Annotated[float, Field(ge=1, le=100)] = 1.5
    """Vacuum may be let go at this multiple of the film gel time."""
    lowest_temperature_k: Temperature = 288.15
    highest_temperature_k: Temperature = 313.15
    """Mix, mould and shop are kept below this until gel."""
    lowest_pressure_pa: Annotated[float, Field(ge=0, le=100_000)] = 500.0
    """Below this absolute pressure the resin gases or boils."""
    system: Name = ""
    """The resin that this is one of; cards with the same one are its hardeners."""
    viscosity_aged: Annotated[tuple[ViscosityAtAge, ...], Field(max_length=500)] = ()
    cup_tests: Annotated[tuple[CupPoint, ...], Field(max_length=2000)] = ()
    heat_j_kg: Annotated[float, Field(ge=10_000, le=1_000_000)] | None = None
    """Heat of the whole cure per mass of mix; None: what is usual for the chemistry."""
    heat_capacity_j_kg_k: Annotated[float, Field(ge=500, le=6000)] | None = None
    cure: CureConstants | None = None
    """None: the rate of cure is the usual one for the chemistry, timed by gel and pot life."""
    tg: Annotated[tuple[TgPoint, ...], Field(max_length=50)] = ()
    tg_full_k: CureTemperature | None = None
    """Glass transition of the resin that is cured through; None: what is usual for the chemistry."""
    most_exotherm_k: CureTemperature | None = None
    """How hot it may get by its own cure; None: what is usual for the chemistry."""
    boiling: Annotated[tuple[BoilingPoint, ...], Field(max_length=50)] = ()
    dose: Dose | None = None
