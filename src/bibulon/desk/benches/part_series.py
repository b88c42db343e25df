"""Part: how many are wanted, and which way to make them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from bibulon.desk.widgets.series_fields import series_fields

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench


def build_series(bench: Bench) -> None:
    """The section, with the way to the advice."""
    bench.section("How many, and how")
    for field in series_fields(bench.document):
        bench.add(field)

    def show() -> None:
        from bibulon.desk.dialogs.process_advice import AdviceDialog  # loads the charts only when asked for

        AdviceDialog(bench.document, bench.window()).exec()
        bench.refresh()

    bench.button("Process advice …", show).setToolTip(
        "Hand lay-up, infusion under film old or new, light RTM, RTM and bladder compared for this part"
    )
