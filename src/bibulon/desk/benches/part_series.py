"""Part: how many are wanted, and which way to make them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from bibulon.desk.fields import QuantityField

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench


def series_fields(bench: Bench) -> tuple[QuantityField, QuantityField]:
    """How many, and how true to thickness."""
    return (
        QuantityField(bench.document, "How many", "count", "series/quantity", "Parts over the whole run."),
        QuantityField(
            bench.document, "Thickness within", "share", "series/thickness_tolerance",
            "Share that it may be off to either side.", empty="as it comes",
        ),
    )  # fmt: skip


def build_series(bench: Bench) -> None:
    """The section, with the way to the advice."""
    bench.section("How many, and how")
    for field in series_fields(bench):
        bench.add(field)

    def show() -> None:
        from bibulon.desk.process_advice import AdviceDialog  # loads the charts only when asked for

        AdviceDialog(bench).exec()
        bench.refresh()

    bench.button("Process advice …", show).setToolTip("Hand lay-up, infusion, light RTM and RTM compared for this part")
