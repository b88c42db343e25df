"""Shared pieces: the demo job, a bare panel for closed-form checks, folders set aside."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
import pytest
from hypothesis import settings

from bibulon.demo import demo_job
from bibulon.job import Job
from bibulon.job.charge import ChargePlan
from bibulon.job.edits import changed, revised
from bibulon.job.flow import FlowChoices
from bibulon.job.layup import Layer
from bibulon.job.lines import AtTime, Bucket, CatchPot, Line, Turn
from bibulon.job.part import Part, Vacuum
from bibulon.stock import shelf_card

REGISTRY_LOG = "bibulon.cautions.registry"
# the same examples every time, so that a run says something about the change; to look for new ones: HYPOTHESIS=explore
settings.register_profile("suite", deadline=None, max_examples=40, derandomize=True)
settings.register_profile("explore", deadline=None, max_examples=400)
settings.load_profile(os.environ.get("HYPOTHESIS", "suite"))


@pytest.fixture(autouse=True)
def folders_set_aside(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """No test reads or writes the user's own settings, journals or cards."""
    for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"):
        monkeypatch.setenv(name, str(tmp_path / "home"))


@pytest.fixture(autouse=True)
def every_check_can_be_made(caplog: pytest.LogCaptureFixture) -> Iterator[None]:
    """A check that fails by an error of the program is shown to the user as such, and fails a test."""
    yield
    failed = [
        record for when in ("setup", "call") for record in caplog.get_records(when) if record.name == REGISTRY_LOG
    ]
    assert not failed, [record.getMessage() for record in failed]


@pytest.fixture
def demo() -> Job:
    return demo_job()


def rectangle(x0: float, y0: float, x1: float, y1: float) -> tuple[tuple[float, float], ...]:
    return ((x0, y0), (x1, y0), (x1, y1), (x0, y1))


def clamped_at(time_s: float) -> tuple[Turn, ...]:
    """The turns of a valve that is clamped by the clock, once it was opened."""
    return (Turn(to="clamped", when=AtTime(time_s=time_s)),)


def bare_panel(length: float = 1.0, width: float = 0.4, fabric: str = "glass-biax-800", plies: int = 3) -> Job:
    """One fabric on a rectangle, fed along its left edge, vented along its right edge, with almost no hose.

    Resin that hardly thickens and a laminate that does not swell, so that one-dimensional closed forms hold.
    """
    resin = revised(shelf_card("epoxy-slow"), thickening_time_s=1e9, flow_limit_pa_s=1e3)
    resin = revised(resin, film_gel=tuple(revised(point, time_s=1e8) for point in resin.film_gel))
    hose = revised(shelf_card("hose-12"), id="wide-hose", bore_m=0.019, outer_m=0.025)
    spiral = revised(shelf_card("spiral-12"), id="thin-spiral", bore_m=0.009)

    def line(kind: str, x: float) -> Line:
        return Line(
            id=kind, kind=kind, label=kind[0].upper() + "1", points=((x, 0.0), (x, width)), tube=spiral.id,
            hose=hose.id, hose_length_m=0.05,
        )  # fmt: skip

    return Job(
        id="panel",
        name="Bare panel",
        part=Part(outline=rectangle(0, 0, length, width)),
        layup=(Layer(id="ply", card=fabric, count=plies),),
        lines=(line("feed", 0.0), line("vent", length)),
        bucket=Bucket(below_part_m=0.0, heel_kg=0.0),
        vacuum=Vacuum(cavity_pa=2000.0),
        flow=FlowChoices(swelling=False, by_batch=False),
        pots=(CatchPot(label="P1", capacity_m3=0.01),),
        charge=ChargePlan(resin=resin.id),
        cards=(shelf_card(fabric), resin, hose, spiral),
    )


@pytest.fixture
def panel() -> Job:
    return bare_panel()


@pytest.fixture(scope="session")
def runner() -> Iterator[object]:
    """One worker process for all windows of the suite."""
    from bibulon import switches
    from bibulon.desk.app import make_app
    from bibulon.desk.work.fill_runner import FillRunner

    make_app()
    made = FillRunner(nodes=(150, 300))
    switches.set_what_stays_aside()
    yield made
    made.close()


@pytest.fixture
def window(qtbot, runner) -> Iterator[object]:
    """The window on the demo job with its fill computed; it builds the benches that a test goes to, and no others."""
    from PySide6.QtCore import QCoreApplication, QEvent

    from bibulon.desk.app import make_app, wait_for_fill
    from bibulon.desk.widgets import theme
    from bibulon.desk.window import Window
    from bibulon.desk.work.settings import Settings

    if theme.current.palette is not theme.LIGHT:
        make_app()
    made = Window(demo_job(), Settings(), runner=runner, ahead=False)
    made.show()
    wait_for_fill(made)
    yield made
    made.close()
    made.deleteLater()  # windows left over would be styled again with every new one
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


__all__ = ["bare_panel", "changed", "rectangle"]
