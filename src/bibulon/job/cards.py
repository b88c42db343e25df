"""Material cards: what is known of everything on the shelf, where it is known from, and what the shop has of it."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, model_validator

from bibulon.job.base import (
    ArealWeight,
    Density,
    Model,
    Temperature,
    Thickness,
)
from bibulon.job.gear_cards import (
    ChannelCard,
    FittingCard,
    MouldClampCard,
    PotCard,
    SealCard,
    SleeveCard,
    TubeCard,
    UpperCard,
)
from bibulon.job.resin_card import Component, ResinCard, TimePoint, ViscosityPoint
from bibulon.job.stock_card import Measured, Source, Spread, StockCard
from bibulon.quantities_in_words import percent


class FibreDirection(Model):
    """A direction in which a cloth has fibre, against its roll, with its share of the fibre."""

    angle_deg: Annotated[float, Field(ge=-90, le=90)]
    share: Annotated[float, Field(gt=0, le=1)]


def _of_one_weight(*angles_deg: float) -> tuple[dict[str, float], ...]:
    return tuple({"angle_deg": angle, "share": 1 / len(angles_deg)} for angle in angles_deg)


NAMED_DIRECTIONS: tuple[tuple[tuple[str, ...], tuple[dict[str, float], ...]], ...] = (
    (("±60",), _of_one_weight(0.0, 60.0, -60.0)),
    (("±45", "+/-45"), _of_one_weight(45.0, -45.0)),
    (("0/90",), _of_one_weight(0.0, 90.0)),
    (("triax",), _of_one_weight(0.0, 45.0, -45.0)),
    (("quad",), _of_one_weight(0.0, 45.0, 90.0, -45.0)),
    (("unidirectional",), _of_one_weight(0.0)),
    (("biax",), _of_one_weight(45.0, -45.0)),
    (("mat", "veil"), ()),
    (("woven", "twill", "plain cloth", "roving"), _of_one_weight(0.0, 90.0)),
)
"""Where fibre runs in cloths that are called so, the first that fits; of cards from before they said it themselves."""


class FabricCard(StockCard):
    """A dry fabric or mat; permeabilities hold at ``fibre_fraction``, reached at ``reference_pressure_pa``."""

    sold_by: ClassVar[str] = "m²"

    kind: Literal["fabric"] = "fabric"
    areal_weight_kg_m2: ArealWeight
    fibre_density_kg_m3: Density
    fibre_fraction: Annotated[float, Field(gt=0.05, lt=0.8)]
    fibre_fraction_spread: Annotated[float, Field(ge=1.0, le=3.0)] = 1.04
    """Geometric spread of the fibre fraction, and so of the ply's thickness."""
    fibre_fraction_source: Source = "class default"
    compaction_exponent: Annotated[float, Field(ge=0, le=1)] = 0.08
    reference_pressure_pa: Annotated[float, Field(ge=100, le=1_000_000)] = 95_000.0
    permeability_along_m2: Measured
    permeability_across_m2: Measured
    permeability_through_m2: Measured
    roll_width_m: Annotated[float, Field(ge=0.01, le=20)] = 1.27
    fibre_directions: Annotated[tuple[FibreDirection, ...], Field(max_length=12)] = ()
    """Against the roll; none: fibre lies every way, as in a mat."""
    drape: Literal["stiff", "fair", "supple"] = "fair"
    """How willingly it follows a double curve."""
    frays: Literal["hardly", "some", "much"] = "some"
    """At a cut edge."""
    bulk: Annotated[float, Field(ge=1, le=20)] = 1.8
    """Thickness as it is laid, dry, over the thickness it packs to."""
    tow_tex: Annotated[float, Field(gt=0, le=100_000)] | None = None
    """Mass of its tows, in grams per kilometre; None if nobody has said."""

    @model_validator(mode="before")
    @classmethod
    def _from_earlier(cls, data: Any) -> Any:
        """Cards from before ``fibre_directions`` said in their name alone where their fibre runs."""
        if isinstance(data, dict) and "fibre_directions" not in data:
            name = str(data.get("name", "")).lower()
            known = next((runs for words, runs in NAMED_DIRECTIONS if any(word in name for word in words)), None)
            return {**data, "fibre_directions": _of_one_weight(0.0) if known is None else known}
        return data

    @model_validator(mode="after")
    def _shares_add_up(self) -> FabricCard:
        total = sum(direction.share for direction in self.fibre_directions)
        if self.fibre_directions and abs(total - 1.0) > 0.011:
            raise ValueError(f"the shares of its fibre come to {percent(total)}; together they are all of it")
        return self


class CoreCard(StockCard):
    """A sandwich core and the ways resin has through it."""

    sold_by: ClassVar[str] = "m²"

    kind: Literal["core"] = "core"
    thickness_m: Thickness
    density_kg_m3: Density
    grooves: Literal["none", "one way", "two ways"] = "none"
    groove_pitch_m: Thickness = 0.02
    groove_width_m: Thickness = 0.001
    groove_depth_m: Thickness = 0.001
    perforation_pitch_m: Thickness | None = None
    perforation_diameter_m: Thickness = 0.002
    surface_uptake_kg_m2: Annotated[float, Field(ge=0, le=200)] = 0.0
    highest_temperature_k: Temperature | None = None
    """What it stands in the cure; None: 80 °C, as foams do."""
    sheet_length_m: Annotated[float, Field(ge=0.01, le=100)] = 2.44
    sheet_width_m: Annotated[float, Field(ge=0.01, le=100)] = 1.22
    conduction_spread: Spread = 1.5
    """Geometric spread of what its grooves and joints conduct."""

    @model_validator(mode="before")
    @classmethod
    def _from_earlier(cls, data: Any) -> Any:
        """Cards from before ``conduction_spread`` gave that spread alone, as ``spread``."""
        if isinstance(data, dict) and "spread" in data and "conduction_spread" not in data:
            data = {**data, "conduction_spread": data["spread"]}
            del data["spread"]
        return data

    @model_validator(mode="after")
    def _grooves_fit(self) -> CoreCard:
        if self.grooves != "none" and self.groove_width_m >= self.groove_pitch_m:
            raise ValueError("the grooves are wider than their pitch")
        if self.grooves != "none" and self.groove_depth_m > self.thickness_m:
            raise ValueError("the grooves are deeper than the core is thick")
        if self.perforation_pitch_m is not None and self.perforation_diameter_m >= self.perforation_pitch_m:
            raise ValueError("the perforations are wider than their pitch")
        return self


class MediaCard(StockCard):
    """Flow media laid on the stack to lead resin quickly over it."""

    sold_by: ClassVar[str] = "m²"

    kind: Literal["media"] = "media"
    thickness_m: Thickness
    porosity: Annotated[float, Field(gt=0, lt=1)]
    permeability_m2: Measured
    releases: bool = False
    """Whether release film is joined to its underside, so that it comes off without peel ply under it."""


class PeelPlyCard(StockCard):
    """Peel ply: the resin it holds and how it resists flow through it."""

    sold_by: ClassVar[str] = "m²"

    kind: Literal["peel ply"] = "peel ply"
    areal_weight_kg_m2: ArealWeight
    uptake_kg_m2: Annotated[float, Field(ge=0, le=200)]
    thickness_m: Thickness
    permeability_through_m2: Measured


class CoatCard(StockCard):
    """A surface coat brushed or sprayed on the tool before any fibre: a gel coat or a sealing coat."""

    sold_by: ClassVar[str] = "kg"

    kind: Literal["surface coat"] = "surface coat"
    areal_weight_kg_m2: ArealWeight
    thickness_m: Thickness


class FilmCard(StockCard):
    """Bagging film by the area."""

    sold_by: ClassVar[str] = "m²"

    kind: Literal["film"] = "film"
    width_m: Annotated[float, Field(ge=0.001, le=50)]
    thickness_m: Thickness
    stretch: Annotated[float, Field(ge=0, le=10)]
    """How much longer it gets before it tears, as a share."""
    highest_temperature_k: Temperature
    lowest_temperature_k: Temperature = 283.15
    """Below it the film is stiff, and tears in its pleats."""


class TapeCard(StockCard):
    """Sealing tape by the metre."""

    sold_by: ClassVar[str] = "m"

    kind: Literal["tape"] = "tape"
    width_m: Annotated[float, Field(ge=0.001, le=50)]
    thickness_m: Thickness
    highest_temperature_k: Temperature


class AdhesiveCard(StockCard):
    """Tack for dry fibre, by the can or kilogram."""

    sold_by: ClassVar[str] = "kg"

    kind: Literal["adhesive"] = "adhesive"
    areal_weight_kg_m2: ArealWeight
    """What is sprayed on one face of a ply."""
    most_kg_m2: ArealWeight
    """More than this, counted over the whole stack, blocks wet-out."""


Card = Annotated[
    FabricCard
    | CoreCard
    | CoatCard
    | MediaCard
    | PeelPlyCard
    | FilmCard
    | TapeCard
    | TubeCard
    | FittingCard
    | ResinCard
    | AdhesiveCard
    | SealCard
    | ChannelCard
    | SleeveCard
    | PotCard
    | MouldClampCard
    | UpperCard,
    Field(discriminator="kind"),
]

__all__ = [
    "AdhesiveCard",
    "Card",
    "ChannelCard",
    "CoatCard",
    "Component",
    "CoreCard",
    "FabricCard",
    "FilmCard",
    "FittingCard",
    "Measured",
    "MediaCard",
    "MouldClampCard",
    "PeelPlyCard",
    "PotCard",
    "ResinCard",
    "SealCard",
    "SleeveCard",
    "Source",
    "StockCard",
    "TapeCard",
    "TimePoint",
    "TubeCard",
    "UpperCard",
    "ViscosityPoint",
]
