"""A new job: a plain panel with nothing decided yet."""

from __future__ import annotations

from bibulon.job import Job
from bibulon.job.charge import ChargePlan
from bibulon.job.edits import new_id
from bibulon.job.hold import HoldRules
from bibulon.job.house import HouseRules
from bibulon.job.part import Part
from bibulon.stock import shelf_card

FIRST_RESIN = "epoxy-slow"


def new_job(house: HouseRules | None = None, hold_rules: HoldRules | None = None) -> Job:
    """An empty job on a 2 m × 1 m outline, judged by the rules of that *house*, its hold tests by *hold_rules*."""
    return Job(
        id=new_id("job"),
        name="New job",
        part=Part(outline=((0.0, 0.0), (2.0, 0.0), (2.0, 1.0), (0.0, 1.0))),
        house=house or HouseRules(),
        hold_rules=hold_rules or HoldRules(),
        charge=ChargePlan(resin=FIRST_RESIN),
        cards=(shelf_card(FIRST_RESIN),),
    )
