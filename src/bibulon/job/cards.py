"""Material cards: what is known of a fabric, core, medium, peel ply, tube or resin, and where it is known from."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from bibulon.job.base import Identifier, Model, Name, NotNegative, Positive, Temperature

Source = Literal["class default", "data sheet", "strip test", "past job", "measured"]


class Measured(Model):
    """A value with its geometric spread (1.6 = a factor of 1.6 either way, one standard deviation) and its source."""

    value: Positive
    spread: Annotated[float, Field(ge=1.0, le=100.0)] = 1.0
    source: Source = "class default"


class FabricCard(Model):
    """A dry fabric or mat; permeabilities hold at ``fibre_fraction``, reached at ``reference_pressure_pa``."""

    kind: Literal["fabric"] = "fabric"
    id: Identifier
    name: Name
    areal_weight_kg_m2: Positive
    fibre_density_kg_m3: Positive
    fibre_fraction: Annotated[float, Field(gt=0.05, lt=0.8)]
    compaction_exponent: NotNegative = 0.08
    reference_pressure_pa: Positive = 95_000.0
    permeability_along_m2: Measured
    permeability_across_m2: Measured
    permeability_through_m2: Measured
    roll_width_m: Positive = 1.27
    note: str = ""


class CoreCard(Model):
    """A sandwich core and the ways resin has through it."""

    kind: Literal["core"] = "core"
    id: Identifier
    name: Name
    thickness_m: Positive
    density_kg_m3: Positive
    grooves: Literal["none", "one way", "two ways"] = "none"
    groove_pitch_m: Positive = 0.02
    groove_width_m: Positive = 0.001
    groove_depth_m: Positive = 0.001
    perforation_pitch_m: Positive | None = None
    perforation_diameter_m: Positive = 0.002
    surface_uptake_kg_m2: NotNegative = 0.0
    spread: Annotated[float, Field(ge=1.0, le=100.0)] = 1.5
    source: Source = "class default"
    note: str = ""

    @model_validator(mode="after")
    def _grooves_fit(self) -> CoreCard:
        if self.grooves != "none" and self.groove_width_m >= self.groove_pitch_m:
            raise ValueError("the grooves are wider than their pitch")
        if self.groove_depth_m > self.thickness_m:
            raise ValueError("the grooves are deeper than the core is thick")
        if self.perforation_pitch_m is not None and self.perforation_diameter_m >= self.perforation_pitch_m:
            raise ValueError("the perforations are wider than their pitch")
        return self


class MediaCard(Model):
    """Flow media laid on the stack to lead resin quickly over it."""

    kind: Literal["media"] = "media"
    id: Identifier
    name: Name
    thickness_m: Positive
    porosity: Annotated[float, Field(gt=0, lt=1)]
    permeability_m2: Measured
    note: str = ""


class PeelPlyCard(Model):
    """Peel ply: the resin it holds and how it resists flow through it."""

    kind: Literal["peel ply"] = "peel ply"
    id: Identifier
    name: Name
    areal_weight_kg_m2: Positive
    uptake_kg_m2: NotNegative
    thickness_m: Positive
    permeability_through_m2: Measured
    note: str = ""


class TubeCard(Model):
    """Spiral, hose or vent line by the metre."""

    kind: Literal["tube"] = "tube"
    id: Identifier
    name: Name
    use: Literal["feed line", "vent line", "hose"]
    bore_m: Positive
    outer_m: Positive
    clampable: bool = True
    note: str = ""

    @model_validator(mode="after")
    def _has_a_wall(self) -> TubeCard:
        if self.outer_m <= self.bore_m:
            raise ValueError("the outer diameter has to be larger than the bore")
        return self


class ViscosityPoint(Model):
    """Viscosity of the fresh mix at one temperature."""

    temperature_k: Temperature
    viscosity_pa_s: Positive


class TimePoint(Model):
    """A time from the data sheet at one temperature."""

    temperature_k: Temperature
    time_s: Positive


class Component(Model):
    """One component of a resin system and its parts by weight."""

    name: Name
    parts_by_weight: Positive
    density_kg_m3: Positive


class ResinCard(Model):
    """A resin system: mix ratio, viscosity, thickening, pot life and gel, as a data sheet gives them."""

    kind: Literal["resin"] = "resin"
    id: Identifier
    name: Name
    chemistry: Literal["epoxy", "vinyl ester", "polyester"]
    density_kg_m3: Positive
    components: Annotated[tuple[Component, ...], Field(min_length=2)]
    viscosity: Annotated[tuple[ViscosityPoint, ...], Field(min_length=1)]
    viscosity_spread: Annotated[float, Field(ge=1.0)] = 1.15
    thickening_time_s: Positive
    """Time at ``film_gel[0].temperature_k`` in which the viscosity grows e-fold."""
    flow_limit_pa_s: Positive = 1.0
    pot_life: Annotated[tuple[TimePoint, ...], Field(min_length=1)]
    pot_life_mass_kg: Positive
    pot_life_mass_exponent: NotNegative = 0.35
    film_gel: Annotated[tuple[TimePoint, ...], Field(min_length=1)]
    release_after_gel_factor: Annotated[float, Field(ge=1)] = 1.5
    """Vacuum may be let go at this multiple of the film gel time."""
    lowest_temperature_k: Temperature = 288.15
    lowest_pressure_pa: NotNegative = 500.0
    """Below this absolute pressure the resin gases or boils."""
    source: Source = "class default"
    note: str = ""


Card = Annotated[
    FabricCard | CoreCard | MediaCard | PeelPlyCard | TubeCard | ResinCard,
    Field(discriminator="kind"),
]

__all__ = [
    "Card",
    "Component",
    "CoreCard",
    "FabricCard",
    "Measured",
    "MediaCard",
    "PeelPlyCard",
    "ResinCard",
    "Source",
    "TimePoint",
    "TubeCard",
    "ViscosityPoint",
]
