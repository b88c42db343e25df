"""A pair of mould halves: cavity, upper half, rim channel, seals, ports, vacuums, and how it is injected."""

from __future__ import annotations

from collections import Counter
from typing import Annotated, Literal

from pydantic import AwareDatetime, Field, model_validator

from bibulon.job.base import Identifier, Label, Length, Mass, Model, Name, Point, Temperature, Thickness

AbsolutePressure = Annotated[float, Field(ge=0, le=110_000)]
OverPressure = Annotated[float, Field(ge=0, le=5_000_000)]
"""Pressure over the atmosphere."""
Rate = Annotated[float, Field(gt=0, le=0.1)]
Volume = Annotated[float, Field(gt=0, le=100)]
Shots = Annotated[int, Field(ge=0, le=1_000_000)]


class RegionHeight(Model):
    """Height of the cavity in one region, where a step is moulded in."""

    region: Name
    height_m: Thickness


class Upper(Model):
    """The upper half as a plate: its laminate, what stiffens it, or what was measured of it."""

    rigid: bool = False
    """It does not bend at all, as a half of steel or in a press."""
    thickness_m: Thickness = 0.006
    modulus_pa: Annotated[float, Field(ge=1e6, le=1e12)] = 9e9
    poisson: Annotated[float, Field(ge=0, le=0.49)] = 0.3
    density_kg_m3: Annotated[float, Field(ge=1, le=25_000)] = 1600.0
    rib_pitch_m: Length | None = None
    """Distance between ribs, or the bars of a frame over it; None: it has none."""
    rib_width_m: Thickness = 0.05
    rib_height_m: Thickness = 0.05
    rib_modulus_pa: Annotated[float, Field(ge=1e6, le=1e12)] = 9e9
    ribs_run: Literal["along x", "along y", "both ways"] = "along y"
    edge: Literal["held flat", "free to turn"] = "held flat"
    """Whether the flange lets the plate turn about its edge."""
    measured_pa: Annotated[float, Field(gt=0, le=110_000)] | None = None
    """Vacuum in the empty, closed mould under which the middle was measured to give ``measured_m``; None: it was not
    measured, and the laminate's figures count."""
    measured_m: Thickness = 0.001
    lift: Literal["hands", "hoist"] = "hands"
    clear: bool = False
    """The front can be seen through it, and marked."""


class Channel(Model):
    """The channel round the rim that the resin fills first."""

    profile: Literal["half round", "rectangle", "none"] = "half round"
    width_m: Thickness = 0.012
    height_m: Thickness = 0.006


class Seal(Model):
    """One of the two seals and what it has been through."""

    kind: Name = ""
    hardness_shore: Annotated[float, Field(ge=0, le=100)] = 40.0
    spring_n_m: Annotated[float, Field(ge=0, le=1e6)] = 400.0
    """What it pushes the halves apart with, by its length."""
    follows_m: Thickness = 0.002
    """How far the halves may move apart there and it still seals."""
    stands_styrene: bool = True
    stands_amine: bool = True
    """Whether it stands the hardeners of epoxies."""
    inflatable: bool = False
    """Blown up once the mould is shut."""
    life_shots: Annotated[int, Field(ge=1, le=1_000_000)] = 300
    shots: Shots = 0
    """Shots that it had been through before this job's log."""
    put_in_at: AwareDatetime | None = None
    """When it was put in new, if it was in this job's log: only shots that were begun later count."""


class Joint(Model):
    """A joint of the mould, and on which side of it the seal lies."""

    name: Annotated[str, Field(min_length=1, max_length=80)]
    sealed: Literal["on the resin side", "on the outside only", "not sealed"] = "on the resin side"


class Bladder(Model):
    """The bag inside a hollow part: open to the atmosphere, or blown up."""

    over_pressure_pa: OverPressure = 0.0
    """Over the atmosphere; 0: open to it."""
    rated_pa: OverPressure = 200_000.0
    """The most over the atmosphere that bladder and outer mould are made for."""
    girth_m: Length | None = None
    """Round it, blown up by itself; None: nobody has said."""
    stretch: Annotated[float, Field(ge=0, le=10)] = 0.05
    """How much longer round it gets before it tears, as a share."""
    wraps: bool = True
    """The two long sides of the plan are one line of the part, which is developed flat around its section."""
    life_shots: Annotated[int, Field(ge=1, le=1_000_000)] = 30
    shots: Shots = 0
    """Shots that it had been through before this job's log."""
    put_in_at: AwareDatetime | None = None
    """When it was put in new, if it was in this job's log: only shots that were begun later count."""


VacuumSupply = Literal["not said", "one pump", "one pump, split reservoir", "two pumps"]
SUPPLIES: tuple[VacuumSupply, ...] = ("not said", "one pump", "one pump, split reservoir", "two pumps")

FittingKind = Literal["clamp", "dowel", "gauge"]


class Fitting(Model):
    """Something that sits on the mould at a place: a clamp or a dowel on its flange, a gauge in its cavity."""

    id: Identifier
    kind: FittingKind
    label: Label = ""
    place: Point


class ClampForce(Model):
    """What holds two rigid halves together: so many latches or bolts of a force each, or a press."""

    kind: Literal["latches", "bolts", "press"] = "latches"
    count: Annotated[int, Field(ge=1, le=10_000)] = 12
    force_n: Annotated[float, Field(gt=0, le=1e9)] = 6_000.0
    """Of each latch or bolt, or of the press."""


class UntilEnd(Model):
    """The step goes on until the shot is over."""

    kind: Literal["until the end"] = "until the end"


class UntilVolume(Model):
    """The step ends when so much resin has been drawn since the start."""

    kind: Literal["until a volume"] = "until a volume"
    volume_m3: Volume


class UntilMass(Model):
    """The step ends when so much resin has been drawn since the start."""

    kind: Literal["until a mass"] = "until a mass"
    mass_kg: Annotated[float, Field(gt=0, le=100_000)]


class UntilTime(Model):
    """The step ends at a time on the run clock."""

    kind: Literal["until a time"] = "until a time"
    time_s: Annotated[float, Field(gt=0, le=2_592_000)]


class UntilPressure(Model):
    """The step ends when the machine has to press so much over the atmosphere to keep its rate."""

    kind: Literal["until a pressure"] = "until a pressure"
    over_pressure_pa: OverPressure


Until = Annotated[UntilEnd | UntilVolume | UntilMass | UntilTime | UntilPressure, Field(discriminator="kind")]


class InjectionStep(Model):
    """A step of the recipe: a pressure over the atmosphere, or a rate for as long as it takes no more than that."""

    rate_m3_s: Rate | None = None
    """None: the pressure is held, whatever flows."""
    over_pressure_pa: OverPressure = 0.0
    until: Until = UntilEnd()

    @model_validator(mode="after")
    def _can_end(self) -> InjectionStep:
        if self.rate_m3_s is None and isinstance(self.until, UntilPressure):
            raise ValueError("a step that holds a pressure cannot last until a pressure: it would never end")
        if isinstance(self.until, UntilPressure) and self.until.over_pressure_pa > self.over_pressure_pa:
            raise ValueError("the step ends at a pressure above the most that it may give: it would never end")
        return self


Source = Literal["bucket", "pressure pot", "machine"]


class Injection(Model):
    """What brings the resin in, and what is done once it has come."""

    source: Source = "bucket"
    rated_pa: OverPressure = 200_000.0
    """The most that pot or machine may be pressed to, over the atmosphere, as its plate says."""
    steps: Annotated[tuple[InjectionStep, ...], Field(min_length=1, max_length=20)] = (InjectionStep(),)
    resin_temperature_k: Temperature | None = None
    """Of the resin where it leaves the hose; None: that of the shop."""
    mixed_at_head: bool = True
    """A machine mixes resin where it leaves: it is fresh whenever it comes, and there are no batches. Else it is mixed
    in a pot that the machine draws from."""
    recirculated: bool = False
    """The hose is brought to temperature by pumping resin round through the heater before it is opened."""
    filler_share: Annotated[float, Field(ge=0, le=0.8)] = 0.0
    """Filler by mass of the filled resin."""
    filler_density_kg_m3: Annotated[float, Field(ge=1, le=25_000)] = 2700.0
    filler_thickens: Annotated[float, Field(ge=1, le=1000)] | None = None
    """How many times as thick as without filler the resin was measured to be; None: by the filler's volume."""
    density_kg_m3: Annotated[float, Field(ge=500, le=5000)] | None = None
    """As last measured of the filled resin, to see whether the filler has settled."""
    stop: Literal["at the vent", "by mass"] = "at the vent"
    by_itself: bool = False
    """A sensor or the meter ends the shot; else somebody watches it."""
    stop_kg: Mass | None = None
    """Resin in at which the inlet is clamped; None: nobody has said."""
    vent_after: Literal["held", "clamped"] = "held"
    """The vent once the inlet is clamped: at the holding vacuum until gel, or shut."""

    @model_validator(mode="after")
    def _ends(self) -> Injection:
        for number, step in enumerate(self.steps, 1):
            last = number == len(self.steps)
            if isinstance(step.until, UntilEnd) and not last:
                raise ValueError(f"step {number} of the recipe goes on until the end: the steps after it never come")
            if last and not isinstance(step.until, UntilEnd):
                raise ValueError("the last step of the recipe has to go on until the shot is over")
        return self


class MouldPair(Model):
    """The two halves, where everything on them is, and the vacuums between them; pressures are absolute."""

    cavity_m: Thickness | None = None
    """Height of the cavity as the mould was built; None: nobody has said."""
    heights: Annotated[tuple[RegionHeight, ...], Field(max_length=200)] = ()
    upper: Upper = Upper()
    channel: Channel = Channel()
    seal_off_m: Annotated[float, Field(ge=0.001, le=1)] = 0.03
    """From the edge of the part to the inner seal."""
    flange_m: Annotated[float, Field(ge=0.001, le=2)] = 0.1
    """Between the two seals: what the flange vacuum acts on."""
    flange_thickness_m: Thickness | None = None
    """Of the upper half's flange; None: as thick as the upper half."""
    inner_seal: Seal = Seal(kind="dynamic seal")
    outer_seal: Seal = Seal(kind="wing seal")
    clamp: ClampForce = ClampForce()
    sleeve_m: Thickness | None = None
    """Bore of the sleeves that the tubes of ports are pushed through; None: nobody has said."""
    tubes_thrown: bool = True
    """The tubes of the ports are thrown away after each shot."""
    bladder: Bladder = Bladder()
    fittings: Annotated[tuple[Fitting, ...], Field(max_length=500)] = ()
    joints: Annotated[tuple[Joint, ...], Field(max_length=100)] = ()
    """Joints that resin could leave the part by, beside the seals of two halves."""
    flange_pa: AbsolutePressure = 23_325.0
    cavity_pa: AbsolutePressure = 51_325.0
    hold_pa: AbsolutePressure = 71_325.0
    """In the cavity from the end of the injection until gel."""
    supply: VacuumSupply = "not said"
    """What pulls flange and cavity, each to its own level."""
    reservoir_m3: Volume | None = None
    """Behind the flange; None: there is none."""
    injection: Injection = Injection()
    life_shots: Annotated[int, Field(ge=1, le=1_000_000)] = 600
    shots: Shots = 0
    """Shots that the pair had made before this job's log."""
    put_in_at: AwareDatetime | None = None
    """When it was put in new, if it was in this job's log: only shots that were begun later count."""

    @model_validator(mode="after")
    def _agrees(self) -> MouldPair:
        twins = [name for name, count in Counter(entry.region for entry in self.heights).items() if count > 1]
        if twins:
            raise ValueError(f"two cavity heights are given for region “{twins[0]}”")
        if len({fitting.id for fitting in self.fittings}) < len(self.fittings):
            raise ValueError("two clamps, dowels or gauges have one identifier")
        return self
