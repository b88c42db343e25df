"""What of a plan a hold test stands for, so that a change made after it is seen."""

from __future__ import annotations

import hashlib
import json
from typing import Any

from bibulon.job import Job

OF_NO_MATTER = ("label", "opens", "turns", "membrane", "ends_sealed", "bridge")
"""Of a line: when its valve is turned, and what is written on it, opens no joint."""
OF_NO_MATTER_IN_POTS = ("place", "barb_m", "liner")
PARTS: dict[str, str] = {
    "part": "outline",
    "layup": "plies",
    "lines": "lines",
    "manifolds": "manifolds",
    "media": "flow media",
    "peel_ply": "peel ply",
    "peel_ply_on": "peel ply",
    "pots": "catch pots",
    "plumbing": "hoses and fittings",
    "bag": "bag",
    "pair": "mould halves",
}
"""The parts of a job that count, and what they are called."""
LATER_FIELDS = ("put_in_at",)
"""Fields that were added to the models after the first digests were kept."""
OF_PAIR = ("inner_seal", "outer_seal", "sleeve_m", "seal_off_m", "flange_m", "joints")


def held_plan(job: Job) -> tuple[tuple[str, str], ...]:
    """Part and digest of what is under vacuum, or lets air in if it is changed."""
    digests: list[tuple[str, str]] = []
    for name in PARTS:
        if name == "pair" and not job.in_mould:
            continue
        data: Any = job.model_dump(mode="json", include={name})[name]
        if name == "lines":
            data = [{key: value for key, value in line.items() if key not in OF_NO_MATTER} for line in data]
        elif name == "pots":
            data = [{key: value for key, value in pot.items() if key not in OF_NO_MATTER_IN_POTS} for pot in data]
        elif name == "plumbing":
            data = [sorted(data["hoses"], key=lambda hose: hose["id"]), data["bypass"], data["regulator"]]
        elif name == "pair":
            data = {key: data[key] for key in OF_PAIR}
        elif name == "part":
            data = [data["outline"], data["holes"]]
        data = _without_later_fields(data)
        digests.append((name, hashlib.sha256(json.dumps(data, sort_keys=True).encode("utf-8")).hexdigest()[:12]))
    return tuple(digests)


def _without_later_fields(data: Any) -> Any:
    """*data* without those :data:`LATER_FIELDS` that are None: digests kept by earlier versions still fit."""
    if isinstance(data, dict):
        return {
            key: _without_later_fields(value)
            for key, value in data.items()
            if not (key in LATER_FIELDS and value is None)
        }
    return [_without_later_fields(value) for value in data] if isinstance(data, list) else data


def changed_since(job: Job, of_plan: tuple[tuple[str, str], ...]) -> tuple[str, ...]:
    """What was changed of the plan since a test of *of_plan*, in words; nothing if the test does not say what it
    held."""
    now = dict(held_plan(job))
    return tuple(PARTS[name] for name, digest in of_plan if name in now and now[name] != digest)
