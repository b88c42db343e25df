"""The fields of a series: how many parts are wanted, and how true to thickness."""

from __future__ import annotations

from bibulon.desk.widgets.fields import QuantityField
from bibulon.desk.work.document import Document


def series_fields(document: Document) -> tuple[QuantityField, QuantityField]:
    """How many parts, and the share that their thickness may be off."""
    return (
        QuantityField(document, "How many", "count", "series/quantity", "Parts over the whole run."),
        QuantityField(
            document,
            "Thickness within",
            "share",
            "series/thickness_tolerance",
            "Share that it may be off to either side.",
            empty="as it comes",
        ),
    )
