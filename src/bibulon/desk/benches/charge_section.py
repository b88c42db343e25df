"""What the parts of Charge share: the bench they are built into, and what they are of."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench


class ChargeSection:
    """Built into a *bench*."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document

    def key(self) -> object:
        """What batches, pots and what is weighed follow from."""
        made = self.document.assessment
        job = made.job
        return (
            made.batches, made.charge, job.charge, job.shop, job.mould, job.resin, job.plumbing.bucket,
            job.shot_start_s, job.weighed, job.house, self.document.settings,
        )  # fmt: skip
