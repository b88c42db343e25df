"""Cards of what is not laid: tubes, fittings, and the parts of closed moulds."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, model_validator

from bibulon.job.base import (
    Density,
    Thickness,
)
from bibulon.job.stock_card import StockCard

BARB_WALL_M = 0.001
"""The wall of a barb, for the other end of reducers whose card does not say it."""


class TubeCard(StockCard):
    """Spiral, hose or vent line by the metre."""

    sold_by: ClassVar[str] = "m"

    kind: Literal["tube"] = "tube"
    use: Literal["feed line", "vent line", "hose"]
    bore_m: Annotated[float, Field(ge=0.0005, le=0.3)]
    outer_m: Annotated[float, Field(ge=0.0005, le=0.4)]
    clampable: bool = True
    material: Annotated[str, Field(max_length=40)] = ""
    pinch_n: Annotated[float, Field(gt=0, le=1e5)] | None = None
    """Force of a clamp that shuts it; None: not known."""
    least_bend_m: Thickness | None = None
    """Radius to which it can be bent without a kink; None: not known."""
    reuse: bool = False
    """Whether it is used again after a shot."""

    @model_validator(mode="after")
    def _has_a_wall(self) -> TubeCard:
        if self.outer_m <= self.bore_m:
            raise ValueError("the outer diameter has to be larger than the bore")
        return self


class FittingCard(StockCard):
    """A tee, port, elbow, clamp or valve; ``fits_bore_m`` is the bore of the hose that goes over its barb, ``bore_m``
    what is open inside it, or how far the jaw of a clamp opens."""

    sold_by: ClassVar[str] = "piece"

    kind: Literal["fitting"] = "fitting"
    use: Literal["tee", "port", "elbow", "clamp", "valve", "reducer"]
    bore_m: Annotated[float, Field(ge=0.0005, le=0.3)]
    fits_bore_m: Annotated[float, Field(ge=0.0005, le=0.4)]
    other_fits_bore_m: Annotated[float, Field(ge=0.0005, le=0.4)] | None = None
    """Of a reducer: the bore of the hose, or of the barb's hose, on its other end."""
    through_film: bool = False
    """Of a port: whether it is sealed to the film with a hose on it, and not put under it."""
    force_n: Annotated[float, Field(gt=0, le=1e5)] | None = None
    """What a clamp presses with; None: not known."""

    @model_validator(mode="before")
    @classmethod
    def _reducer_has_two_ends(cls, data: Any) -> Any:
        """Reducers from before ``other_fits_bore_m`` say their smaller end by what is open inside it."""
        if isinstance(data, dict) and data.get("use") == "reducer" and data.get("other_fits_bore_m") is None:
            bore_m = data.get("bore_m")
            if isinstance(bore_m, int | float):
                return {**data, "other_fits_bore_m": bore_m + 2 * BARB_WALL_M}
        return data


class SealCard(StockCard):
    """A seal between two mould halves, by the metre."""

    sold_by: ClassVar[str] = "m"

    kind: Literal["seal"] = "seal"
    use: Literal["inner", "outer"]
    width_m: Thickness
    hardness_shore: Annotated[float, Field(ge=0, le=100)]
    spring_n_m: Annotated[float, Field(ge=0, le=1e6)]
    """What it pushes the halves apart with, by its length."""
    life_shots: Annotated[int, Field(ge=1, le=1_000_000)]
    follows_m: Thickness = 0.002
    """How far the halves may move apart there and it still seals."""
    stands_styrene: bool = True
    stands_amine: bool = True
    """Whether it stands the hardeners of epoxies."""
    inflatable: bool = False


class ChannelCard(StockCard):
    """A former for the channel round the rim, by the metre."""

    sold_by: ClassVar[str] = "m"

    kind: Literal["channel"] = "channel"
    profile: Literal["half round", "rectangle"]
    width_m: Thickness
    height_m: Thickness


class SleeveCard(StockCard):
    """A sleeve laminated into a mould half, through which the tube of a port is pushed."""

    kind: Literal["sleeve"] = "sleeve"
    bore_m: Thickness


class PotCard(StockCard):
    """A catch pot."""

    kind: Literal["catch pot"] = "catch pot"
    capacity_m3: Annotated[float, Field(gt=0, le=1000)]
    lid: bool = True
    """Whether it comes with a lid that seals."""


class MouldClampCard(StockCard):
    """A latch or bolt that holds two mould halves together."""

    kind: Literal["mould clamp"] = "mould clamp"
    use: Literal["latches", "bolts"]
    force_n: Annotated[float, Field(ge=1, le=1e9)]


class UpperCard(StockCard):
    """How an upper mould half is built: its laminate, and the ribs or frame on it."""

    sold_by: ClassVar[str] = "m²"

    kind: Literal["upper half"] = "upper half"
    thickness_m: Thickness
    modulus_pa: Annotated[float, Field(ge=1e6, le=1e12)]
    density_kg_m3: Density
    rib_pitch_m: Thickness | None = None
    rib_width_m: Thickness = 0.05
    rib_height_m: Thickness = 0.05
    rib_modulus_pa: Annotated[float, Field(ge=1e6, le=1e12)] = 9e9
    clear: bool = False
    """Whether the front can be seen through it."""
    life_shots: Annotated[int, Field(ge=1, le=1_000_000)] = 600
