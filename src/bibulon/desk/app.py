"""Starting the desk."""

from __future__ import annotations

import os
import sys
import time
from pathlib import Path

from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication

from bibulon import switches
from bibulon.demo import demo_job
from bibulon.desk.fault_report import report_faults
from bibulon.desk.widgets import theme
from bibulon.desk.window import Window
from bibulon.desk.work.large_jobs import is_large
from bibulon.desk.work.settings import load_settings, state_folder
from bibulon.job import Job
from bibulon.job.kept import left_over
from bibulon.job.storage import StorageError, load_with_fingerprint
from bibulon.stock.new_job import new_job

UNSEEN_PICTURE = Path("build") / "demo.png"
LONGEST_FILL_MS = 60_000
COLLECT_EVERY_MS = 100
COLLECTOR = "garbage collector"
SAME_DAY_S = 24 * 3600.0


def has_screen() -> bool:
    """Whether there is a display to open a window on."""
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def make_app() -> QApplication:
    """The application in the shop's theme."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    if app.findChild(QTimer, COLLECTOR) is None:
        collector = QTimer(app)
        collector.setObjectName(COLLECTOR)
        collector.setInterval(COLLECT_EVERY_MS)
        collector.timeout.connect(switches.collect_garbage_if_due)
        collector.start()
        switches.collect_garbage_by_hand()
    app.setApplicationName("bibulon")
    app.setApplicationDisplayName("Bibulon")
    app.setDesktopFileName("bibulon")
    switches.give_way_often()
    theme.load_fonts()
    theme.apply(app, theme.palette_for(load_settings().appearance))
    return app


def wait_for_fill(window: Window) -> None:
    """Run the event loop until the newest fill is there."""
    if not window.runner.busy:
        return
    loop = QEventLoop()
    window.runner.settled.connect(loop.quit)
    QTimer.singleShot(LONGEST_FILL_MS, loop.quit)
    loop.exec()
    window.refresh()


def _opened(job: Job, path: Path | None, read_as: str | None) -> Window:
    return Window(job, load_settings(), path, read_as=read_as)


def go_on_with_a_run(window: Window) -> None:
    """Open the job whose shot was under way when the program ended: there is no time to look for it."""
    for left in left_over(state_folder()):
        if left.about.running and not left.about.put_by and time.time() - left.at_s < SAME_DAY_S:
            window.files.open_left_over(left)
            return


def run(path: Path | None, demo: bool = False) -> int:
    """Open the window on *path*, on the demo job, or on a new job; returns the exit code."""
    unseen = not has_screen() and "QT_QPA_PLATFORM" not in os.environ
    if unseen:
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    read_as = None
    try:
        if path is not None:
            job, read_as = load_with_fingerprint(path)
        else:
            job = demo_job() if demo else load_settings().new_job()
    except StorageError as error:
        print(error, file=sys.stderr)
        return 2
    app = make_app()
    beside = is_large(job) and not unseen  # then it is worked out while the window is there already
    window = Window(new_job(), load_settings()) if beside else _opened(job, path, read_as)
    report_faults(window)
    window.show()
    if beside:
        window.open_document(job, path, read_as)
    elif path is None and not demo:
        go_on_with_a_run(window)
    if not unseen:
        return app.exec()
    wait_for_fill(window)
    UNSEEN_PICTURE.parent.mkdir(exist_ok=True)
    window.grab().save(str(UNSEEN_PICTURE))
    window.close()
    print(f"There is no screen here: the desk was opened unseen and drawn to {UNSEEN_PICTURE}.")
    return 0
