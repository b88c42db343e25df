"""Files of the desk: jobs opened and saved, what is written for others, what is dropped on the window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from PySide6.QtWidgets import QFileDialog, QWidget

from bibulon.desk.plan.view import PlanView
from bibulon.desk.work.document import Document
from bibulon.desk.work.settings import save_settings, state_folder
from bibulon.job import Job
from bibulon.job.base import StationId
from bibulon.job.edits import new_id
from bibulon.job.kept import Kept, LeftOver
from bibulon.job.storage import SUFFIX, FileChanged, StorageError, load, load_with_fingerprint, save
from bibulon.laminate.other_hand import other_hand
from bibulon.whole_file import write_whole

LARGEST_READINGS_BYTES = 10_000_000
JOB_PATTERN = f"Bibulon jobs (*{SUFFIX});;All files (*)"
FILL_FILES = (
    "Fronts, full size (*.dxf *.svg)",
    "Times at the mesh's points (*.csv)",
    "Mesh with times (*.vtu)",
    "Mesh for each step (*.pvd)",
)
DRAWING_SUFFIXES, MESH_SUFFIXES = (".dxf", ".svg", ".csv"), (".stl", ".obj")


class FilesOwner(Protocol):
    """What reading and writing files asks of the window."""

    document: Document
    plan: PlanView

    def window(self) -> QWidget: ...
    def show_message(self, text: str, *actions: tuple[str, Callable[[], object]]) -> None: ...
    def show_status(self, text: str) -> None: ...
    def go(self, station: StationId) -> None: ...
    def refresh(self) -> None: ...
    def open_document(
        self, job: Job, path: Path | None = None, read_as: str | None = None, key: str | None = None
    ) -> None: ...


class Files:
    """Reads and writes for one window, and tells there what came of it."""

    def __init__(self, owner: FilesOwner) -> None:
        self.owner = owner
        self._last: Path | None = None

    @property
    def folder(self) -> Path:
        """Where a dialog begins: where the last one ended, else beside the job, else at home."""
        path = self.owner.document.path
        beside = path.parent if path is not None else Path.home()
        return self._last if self._last is not None and self._last.is_dir() else beside

    def open_job(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.owner.window(), "Open a job", str(self.folder), JOB_PATTERN)
        if name:
            self.open(Path(name))

    def open(self, path: Path) -> None:
        try:
            job, read_as = load_with_fingerprint(path)
        except StorageError as error:
            self.owner.show_message(str(error))
            return
        self.owner.open_document(job, path, read_as)

    def save_job(self) -> None:
        if self.owner.document.path is None:
            self.save_job_as()
        else:
            self._save(self.owner.document.path)

    def save_job_as(self) -> None:
        start = self.owner.document.path or self.folder / f"{_file_name(self.owner.document.job.name)}{SUFFIX}"
        self._ask_where("Save the job", start, JOB_PATTERN, (SUFFIX,), self._save)

    def _ask_where(
        self, title: str, start: Path, pattern: str, suffixes: tuple[str, ...], write: Callable[[Path], None]
    ) -> None:
        """Ask for a file and have it written there. One of *suffixes* is put behind a name that has none of them; if
        that name is taken, which the dialog could not ask about, the note over the plan asks."""
        name, _ = QFileDialog.getSaveFileName(self.owner.window(), title, str(start), pattern)
        if not name:
            return
        path = Path(name)
        self._last = path.parent
        if path.suffix.lower() not in suffixes:
            path = path.with_name(path.name + suffixes[0])
            if path.exists():
                self.owner.show_message(f"{path.name} is already there.", ("Replace it", lambda: write(path)))
                return
        write(path)

    def _save(self, path: Path, replace: bool = False) -> None:
        try:
            self.owner.document.save(path, replace)
        except FileChanged as error:
            self.owner.show_message(
                str(error), ("Save as …", self.save_job_as), ("Replace it", lambda: self._save(path, replace=True))
            )
            return
        except StorageError as error:
            self.owner.show_message(str(error), ("Save as …", self.save_job_as))
            return
        self.owner.document.settings = self.owner.document.settings.with_recent(path)
        save_settings(self.owner.document.settings)
        self.owner.show_status(f"Saved to {path.name}.")
        self.owner.refresh()

    def save_bytes(self, title: str, suffix: str, content: Callable[[], bytes]) -> None:
        """Ask where to and write *content* there."""
        name = f"{self.owner.document.job.name} {title.lower()}{suffix}"
        self.write(title, name, f"{title} (*{suffix})", (suffix,), lambda path: write_whole(path, content()))

    def export_fill(self) -> None:
        """Ask where to and write the fill there, in the format of the suffix."""
        from bibulon.exchange.fill_files import write_fill  # loads the writers only when asked for

        fill, job = self.owner.document.assessment.fill, self.owner.document.job
        if fill is None:
            self.owner.show_message("There is no fill to export yet.")
            return
        suffixes = (".dxf", ".svg", ".csv", ".vtu", ".pvd")
        self.write(
            "The fill", f"{job.name} fronts.dxf", ";;".join(FILL_FILES), suffixes,
            lambda path: write_fill(job, fill, path),
        )  # fmt: skip

    def export_plan(self) -> None:
        """Ask where to and write the plan there, as a drawing at full size."""
        from bibulon.exchange.plan_files import write_plan  # loads the writers only when asked for

        job = self.owner.document.job
        patterns, suffixes = "Drawings (*.dxf *.svg)", (".dxf", ".svg")
        self.write("The plan", f"{job.name} plan.dxf", patterns, suffixes, lambda path: write_plan(job, path))

    def write(
        self, title: str, name: str, patterns: str, suffixes: tuple[str, ...], write: Callable[[Path], None]
    ) -> None:
        """Ask where to, and have it written there; *title* says what."""

        def to(path: Path) -> None:
            try:
                write(path)
            except (ValueError, OSError) as error:
                reason = getattr(error, "strerror", None) or error
                self.owner.show_message(f"{path.name} could not be written: {reason}. Choose another place.")
                return
            self.owner.show_message(f"{title}: written to {path}.")

        self._ask_where(title, self.folder / _file_name(name), patterns, suffixes, to)

    def pick(self, title: str, pattern: str) -> Path | None:
        """A file that the user picks to read."""
        name, _ = QFileDialog.getOpenFileName(self.owner.window(), title, str(self.folder), pattern)
        if not name:
            return None
        self._last = Path(name).parent
        return Path(name)

    def read_text(self, title: str, pattern: str) -> str | None:
        """Text of a file that the user picks; None if there is none to be had."""
        path = self.pick(title, pattern)
        if path is None:
            return None
        try:
            if path.stat().st_size > LARGEST_READINGS_BYTES:
                self.owner.show_message(f"{path.name} is too large for a list of readings.")
                return None
            return path.read_text(encoding="utf-8-sig")
        except (OSError, UnicodeDecodeError) as error:
            self.owner.show_message(f"{path.name} could not be read as text: {error}.")
            return None

    def bring_in(self, title: str, suffixes: tuple[str, ...]) -> None:
        """Pick a drawing or mesh and bring it in."""
        path = self.pick(title, f"{title} ({' '.join(f'*{suffix}' for suffix in suffixes)})")
        if path is not None:
            self.take(path)

    def save_mirrored(self) -> None:
        """Ask where to and save the other hand of the job there."""
        other = other_hand(self.owner.document.job, new_id("job"))
        hand = "mirrored" if other.mould.hand == "single" else other.mould.hand
        start = Path.home() / _file_name(f"{self.owner.document.job.name} {hand}{SUFFIX}")

        def to(path: Path) -> None:
            try:
                save(other, path)
            except StorageError as error:
                self.owner.show_message(str(error))
                return
            self.owner.show_message(f"The mirrored job was saved as {path.name}.", ("Open it", lambda: self.open(path)))

        self._ask_where("The mirrored job", start, JOB_PATTERN, (SUFFIX,), to)

    def open_left_over(self, left: LeftOver) -> None:
        """Take up work that was left: with its file if that is there, else without one."""
        if left.file is not None:
            self.open(left.file)
            return
        try:
            job = load(Kept.recovery_in(state_folder(), left.key))
        except StorageError as error:
            self.owner.show_message(f"“{left.about.name}” cannot be taken up: {error}")
            return
        self.owner.open_document(job, key=left.key)

    def take(self, path: Path) -> None:
        """Open a job; bring a drawing in as the outline, a mesh as the relief."""
        suffix = path.suffix.lower()
        if suffix not in (*DRAWING_SUFFIXES, *MESH_SUFFIXES):
            self.open(path)
            return
        from bibulon.desk.dialogs.bring_in import bring_outline, bring_relief  # loads the readers only when asked for

        self.owner.go("part")
        (bring_outline if suffix in DRAWING_SUFFIXES else bring_relief)(self.owner, path)


def _file_name(name: str) -> str:
    """*name* without what a file's name cannot hold."""
    return name.replace("/", "-").replace("\0", "").strip()[:120]
