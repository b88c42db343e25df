"""The benches: one a station, with its inputs, results and cautions."""

from __future__ import annotations

from bibulon.desk.benches.bag import BagBench
from bibulon.desk.benches.base import Bench, Desk
from bibulon.desk.benches.charge import ChargeBench
from bibulon.desk.benches.cure import CureBench
from bibulon.desk.benches.hold import HoldBench
from bibulon.desk.benches.layup import LayupBench
from bibulon.desk.benches.lines import LinesBench
from bibulon.desk.benches.log import LogBench
from bibulon.desk.benches.part import PartBench
from bibulon.desk.benches.shoot import ShootBench

BENCHES: dict[str, type[Bench]] = {
    "part": PartBench,
    "layup": LayupBench,
    "lines": LinesBench,
    "bag": BagBench,
    "hold": HoldBench,
    "charge": ChargeBench,
    "shoot": ShootBench,
    "cure": CureBench,
    "log": LogBench,
}

__all__ = ["BENCHES", "Bench", "Desk"]
