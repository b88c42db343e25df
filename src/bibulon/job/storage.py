"""The Job on disk: one JSON document, saved whole or not at all, refused with a reason when damaged or newer."""

from __future__ import annotations

import hashlib
import json
import os
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from bibulon.job import FORMAT, FORMAT_VERSION, Job
from bibulon.job.faults import explain
from bibulon.whole_file import write_whole

SUFFIX = ".bibulon"
BACKUP_SUFFIX = ".previous"
LARGEST_FILE_BYTES = 200_000_000


class StorageError(Exception):
    """A job file that could not be read or written; the message says what happened, what was kept, what to do."""


def dump(job: Job) -> str:
    """*job* as the text of its file."""
    return json.dumps(job.model_dump(mode="json"), indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def parse(text: str, name: str = "the file") -> Job:
    """The Job in *text*. Raises :class:`StorageError` naming the field that is wrong."""
    if not text.strip():
        raise StorageError(f"{name} is empty.")
    try:
        data = json.loads(text, parse_constant=_refuse_constant)
    except RecursionError as error:
        raise StorageError(f"{name} is not a job file: it is nested deeper than any job.") from error
    except ValueError as error:
        raise StorageError(f"{name} is not a complete job file: {error}.") from error
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise StorageError(f"{name} is not a Bibulon job.")
    version = data.get("format_version")
    if not isinstance(version, int) or version < 1:
        raise StorageError(f"{name} does not say which format version it has.")
    if version > FORMAT_VERSION:
        raise StorageError(
            f"{name} was saved by a newer Bibulon (format {version}; this one reads up to {FORMAT_VERSION}). "
            "Nothing was changed. Open it there, or update this program."
        )
    try:
        return Job.model_validate_json(text if version == FORMAT_VERSION else json.dumps(brought_up(data)))
    except ValidationError as error:
        raise StorageError(f"{name} cannot be used: {explain(error)}.") from error


def brought_up(data: dict[str, Any]) -> dict[str, Any]:
    """The document *data* of an earlier format version as one of this version."""
    data = {**data, "format_version": FORMAT_VERSION}
    mould = data.get("mould")
    if isinstance(mould, dict) and "cavity_m" in mould:  # version 1 had it there
        data["mould"] = {name: value for name, value in mould.items() if name != "cavity_m"}
        data["pair"] = {"cavity_m": mould["cavity_m"]}
    return data


def _refuse_constant(constant: str) -> Any:
    raise ValueError(f"{constant} is not a number")


def load(path: Path) -> Job:
    """The Job in the file. Raises :class:`StorageError`; a damaged file is left as it is."""
    return load_with_fingerprint(path)[0]


def load_with_fingerprint(path: Path) -> tuple[Job, str]:
    """The Job in the file, and what tells this content of the file from another. Raises :class:`StorageError`."""
    try:
        if not path.is_file():
            raise StorageError(
                f"{path.name} could not be read: {'it is no file' if path.exists() else 'it is not there'}."
            )
        if path.stat().st_size > LARGEST_FILE_BYTES:
            raise StorageError(f"{path.name} is too large to be a job file.")
        content = path.read_bytes()
        text = content.decode("utf-8-sig")
    except OSError as error:
        raise StorageError(f"{path.name} could not be read: {error.strerror or error}.") from error
    except UnicodeDecodeError as error:
        raise StorageError(f"{path.name} is not a text file, so not a job file.") from error
    try:
        return parse(text, path.name), fingerprint(content)
    except StorageError as error:
        backup = backup_of(path)
        if backup.exists():
            raise StorageError(f"{error} The previous version is beside it: {backup.name}.") from error
        raise


def fingerprint(content: bytes) -> str:
    """What tells one content of a file from another."""
    return hashlib.sha256(content).hexdigest()


def backup_of(path: Path) -> Path:
    """Where the previous version of the file is kept."""
    return path.with_name(path.name + BACKUP_SUFFIX)


class FileChanged(StorageError):
    """The file on disk is no longer what was read: another program has written it."""


def save(job: Job, path: Path, expected: str | None = None) -> str:
    """Write *job* to the file: complete or not at all, with the version before kept beside it; its fingerprint.

    Raises :class:`StorageError`; then the file is as it was. Where the fingerprint *expected* of the file is given and
    the file has another, :class:`FileChanged` is raised.
    """
    content = dump(job).encode("utf-8")
    if len(content) > LARGEST_FILE_BYTES:
        raise StorageError(
            f"{path.name} was not saved: it would be {len(content) / 1e6:.0f} MB, more than the "
            f"{LARGEST_FILE_BYTES / 1e6:.0f} MB that a job file may have. Its photographs are most of that. The file "
            "on disk is as it was, and your work is still open here."
        )
    try:
        path = Path(os.path.realpath(path))
        if path.exists():
            before = path.read_bytes()
            if expected is not None and fingerprint(before) != expected:
                raise FileChanged(
                    f"{path.name} was not saved: another program has changed it since it was opened here. "
                    "Save to another place, or replace what is there; what is replaced stays beside it as "
                    f"{backup_of(path).name}."
                )
            write_whole(backup_of(path), before)
        write_whole(path, content)
    except OSError as error:
        raise StorageError(
            f"{path.name} could not be saved: {error.strerror or error}. The file on disk is as it was; "
            "your work is still open here. Save it to another place."
        ) from error
    return fingerprint(content)


def schema() -> dict[str, Any]:
    """The JSON Schema of the job file."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **Job.model_json_schema(),
        "title": "Bibulon job",
    }
