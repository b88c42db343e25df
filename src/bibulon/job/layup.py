"""The ply book: what lies on the tool, in order from the tool face."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import Field

from bibulon.job.base import Coordinate, Identifier, Length, Model, Name, Point
from bibulon.job.cards import Card, CoatCard, CoreCard, FabricCard

Role = Literal["surface coat", "skin coat", "ply", "core", "bulking mat", "insert", "reinforcement patch"]

ROLES: dict[str, tuple[Role, ...]] = {
    "surface coat": ("surface coat",),
    "fabric": ("ply", "skin coat", "bulking mat", "reinforcement patch"),
    "core": ("core", "insert"),
}
"""What a card of each kind can be in the ply book; the first unless another is chosen."""


class Layer(Model):
    """One entry of the ply book: a coat, fabric or core, ``count`` times, over the whole part or one region."""

    id: Identifier
    card: Identifier
    role: Role | None = None
    """None: what a card of its kind usually is."""
    angle_deg: Annotated[float, Field(ge=-360, le=360)] = 0.0
    region: Name | None = None
    count: Annotated[int, Field(ge=1, le=500)] = 1
    group: Name | None = None
    """The group of entries, next to one another, that it is repeated with."""


class Preform(Model):
    """Plies made into one piece with binder before they are laid."""

    binder_share: Annotated[float, Field(ge=0, le=0.5)] = 0.04
    """Its weight as a share of that of the fabrics."""
    weighed_kg: Annotated[float, Field(gt=0, le=100_000)] | None = None
    """What one showed on the scale."""
    fits: Literal["not tried", "fits", "does not fit"] = "not tried"
    """Whether it lies in the mould by itself."""


class PlyGroup(Model):
    """Entries of the ply book that are laid, one after another, so many times."""

    name: Annotated[str, Field(min_length=1, max_length=60)]
    times: Annotated[int, Field(ge=1, le=200)] = 2
    preform: Preform | None = None
    """None: its plies are laid one by one."""


class CoreLaying(Model):
    """How core is fitted."""

    chamfer: Annotated[float, Field(ge=0, le=20)] = 0.0
    """Run of the bevel at its edges over the core's thickness; 0 for a square edge."""
    joint_gap_m: Annotated[float, Field(ge=0, le=0.02)] = 0.0
    """Left between neighbouring sheets, and filled by resin."""


class JointShift(Model):
    """The joints of one ply moved by hand, across its roll."""

    layer: Identifier
    turn: Annotated[int, Field(ge=1, le=100_000)] = 1
    shift_m: Coordinate


class Dart(Model):
    """A cut from ``mouth``, on the edge of the cloth, to ``tip``, whose sides are brought together or lapped."""

    id: Identifier
    tip: Point
    mouth: Point
    width_m: Annotated[float, Field(gt=0, le=2)]
    """Taken out at the mouth."""


class Offcut(Model):
    """A rectangle of cloth left from an earlier job, used before the roll."""

    label: Name
    card: Identifier
    length_m: Length
    width_m: Length


class CutChoices(Model):
    """How plies are joined and cut."""

    overlap_m: Annotated[float, Field(ge=0, le=0.2)] = 0.025
    """Pieces of one ply overlap so much where they meet."""
    stagger_m: Annotated[float, Field(ge=0, le=1.0)] = 0.1
    """Joints of neighbouring plies are to lie at least so far apart."""
    allowance_m: Annotated[float, Field(ge=0, le=0.1)] = 0.0
    """What is left standing round each piece, to be trimmed."""
    shifts: tuple[JointShift, ...] = ()
    darts: Annotated[tuple[Dart, ...], Field(max_length=200)] = ()
    dart_stagger_m: Annotated[float, Field(ge=0, le=10)] = 0.03
    """From ply to ply each dart moves so far along the edge, to one side and to the other."""
    offcuts: Annotated[tuple[Offcut, ...], Field(max_length=500)] = ()


def role_of(layer: Layer, card: Card) -> Role:
    """What *layer*, of *card*, is in the stack."""
    return layer.role or ROLES[card.kind][0]


def laid(book: Sequence[Layer], groups: Sequence[PlyGroup]) -> tuple[Layer, ...]:
    """The entries of *book* as they are laid: those of a group repeated, with identifiers of their own."""
    if not groups:
        return tuple(book)
    times = {group.name: group.times for group in groups}
    entries: list[Layer] = []
    at = 0
    while at < len(book):
        end = at + 1
        name = book[at].group
        while name is not None and end < len(book) and book[end].group == name:
            end += 1
        for turn in range(times[name] if name is not None else 1):
            again = f"~{turn + 1}" if turn else ""
            entries += [layer.model_copy(update={"id": f"{layer.id}{again}"}) for layer in book[at:end]]
        at = end
    return tuple(entries)


LayupCard = CoatCard | CoreCard | FabricCard
"""Cards that the ply book can hold."""
