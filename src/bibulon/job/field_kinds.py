"""What a field counts in, by its name: stored fields end with their unit, as ``pressure_pa``."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from bibulon.quantities import QuantityKind

KIND_OF_ENDING: Mapping[str, QuantityKind] = MappingProxyType(
    {
        "_kg_m2": "areal weight",
        "_kg_m3": "density",
        "_m3": "volume",
        "_n_m": "line force",
        "_n": "force",
        "_pa_s": "viscosity",
        "_pa": "pressure difference",
        "_kg": "mass",
        "_k": "temperature",
        "_s": "duration",
        "_m": "thickness",
    }
)
"""The first ending that fits holds."""
NOT_COUNTED = ("_j_kg", "_j_kg_k", "_m2_s", "_m3_s", "_per_600_s", "slope1_k", "slope2_k")
"""Endings of units that no one kind of quantity has."""
DIFFERENCES = ("_over_k", "_rise_k")
"""Endings of what one temperature is above another."""


def kind_of_field(name: str) -> QuantityKind | None:
    """The kind of quantity of the field *name*; None for one that has no unit, or one that no kind has.

    >>> kind_of_field("gel_temperature_k"), kind_of_field("roll_width_m"), kind_of_field("rate_m3_s")
    ('temperature', 'length', None)
    """
    if name == "price":
        return "money"
    if name.endswith(NOT_COUNTED):
        return None
    if name.endswith(DIFFERENCES):
        return "temperature difference"
    if name.endswith("modulus_pa"):
        return "stiffness"
    if name.startswith(("roll_width", "sheet_", "rib_")):
        return "length"
    return next((kind for ending, kind in KIND_OF_ENDING.items() if name.endswith(ending)), None)
