"""The tools of the plan, each declared once: the tool bar, the shortcuts and the list of keys read it here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from bibulon.desk.plan.draw_tools import (
    BranchesTool,
    DartTool,
    HoseTool,
    LineTool,
    MediaTool,
    RegionTool,
    SectionTool,
    StationsTool,
)
from bibulon.desk.plan.outline_tools import HoleTool, OutlineTool
from bibulon.desk.plan.placing_tools import AllRoundTool, FittingTool, PortTool
from bibulon.desk.plan.tools import MarkTool, SelectTool, Tool
from bibulon.job import EVERY_PROCESS, IN_MOULD, UNDER_FILM, Process
from bibulon.job.base import StationId


@dataclass(frozen=True)
class PlanTool:
    """A tool: its name, icon, key and words, the stations that have it (the first is where its key leads from
    elsewhere; none: it is taken up from a bench), and how it is made anew each time it is taken up."""

    name: str
    icon: str
    key: str
    text: str
    stations: tuple[StationId, ...]
    make: Callable[[], Tool]
    stays: bool = False
    """Whether its key stays at the station where it is pressed."""
    processes: frozenset[Process] = EVERY_PROCESS


TOOLS = (
    PlanTool("select", "select", "S", "Select", ("part", "layup", "lines", "mould"), SelectTool, stays=True),
    PlanTool("outline", "part", "O", "Draw the outline", ("part",), OutlineTool),
    PlanTool("hole", "hole", "H", "Draw a hole", ("part",), HoleTool),
    PlanTool("region", "region", "R", "Draw a region", ("layup",), RegionTool),
    PlanTool("dart", "dart", "X", "Draw a dart", ("layup",), DartTool),
    PlanTool("feed", "feed", "F", "Draw a feed line", ("lines",), lambda: LineTool("feed")),
    PlanTool("vent", "vent", "V", "Draw a vent line", ("lines",), lambda: LineTool("vent")),
    PlanTool("hose", "hose", "L", "Draw the way of a hose", ("lines",), HoseTool),
    PlanTool(
        "stations",
        "stations",
        "T",
        "Feeds from station to station, opened in turn",
        ("lines",),
        StationsTool,
        processes=UNDER_FILM,
    ),
    PlanTool("branches", "branches", "B", "A spine with branches", ("lines",), BranchesTool, processes=UNDER_FILM),
    PlanTool(
        "all round in",
        "all round in",
        "U",
        "A feed all round, a vent in the middle",
        ("lines",),
        lambda: AllRoundTool("feed"),
        processes=UNDER_FILM,
    ),
    PlanTool(
        "all round out",
        "all round out",
        "A",
        "A vent all round, a feed in the middle",
        ("lines",),
        lambda: AllRoundTool("vent"),
        processes=UNDER_FILM,
    ),
    PlanTool("media", "media", "M", "Draw flow media", ("lines",), MediaTool, processes=UNDER_FILM),
    PlanTool("inlet", "inlet", "I", "Put an inlet", ("mould",), lambda: PortTool("feed"), processes=IN_MOULD),
    PlanTool(
        "vent port", "vent", "E", "Put a vent in the cavity", ("mould",), lambda: PortTool("vent"), processes=IN_MOULD
    ),
    PlanTool("clamp", "clamp", "K", "Put a clamp", ("mould",), lambda: FittingTool("clamp"), processes=IN_MOULD),
    PlanTool("dowel", "dowel", "W", "Put a dowel", ("mould",), lambda: FittingTool("dowel"), processes=IN_MOULD),
    PlanTool("gauge", "gauge", "G", "Put a gauge", ("mould",), lambda: FittingTool("gauge"), processes=IN_MOULD),
    PlanTool("section", "section", "C", "Cut a section through the stack", ("lines", "layup", "mould"), SectionTool),
    PlanTool("mark", "", "", "Mark the front", (), MarkTool),
)


def tool_named(name: str) -> PlanTool:
    """The tool of that *name*. Raises KeyError."""
    for tool in TOOLS:
        if tool.name == name:
            return tool
    raise KeyError(name)
