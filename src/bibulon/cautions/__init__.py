"""Cautions: the judgement calls, each one function with its text beside it in a registry.

A rule is registered with :func:`caution`; it looks at an Assessment and yields what it found. Adding one touches one
place. Modules: ``mould``, ``layup``, ``stack``, ``preforms``, ``pair``, ``clamping``, ``injection``, ``bladder``,
``wear``, ``shots``, ``lines``, ``supply``, ``vents``, ``layout``, ``tubes``, ``plumbing``, ``bag``, ``hold``,
``resin``, ``mixing``, ``cure``, ``run``; ``safety`` holds the notes about hurting people.
"""

from __future__ import annotations

from bibulon.cautions import (
    bag,
    bladder,
    clamping,
    cure,
    hold,
    injection,
    layout,
    layup,
    lines,
    mixing,
    mould,
    pair,
    plumbing,
    preforms,
    resin,
    run,
    shots,
    stack,
    supply,
    tubes,
    vents,
    wear,
)
from bibulon.cautions.registry import REGISTRY, Caution, Rank, cautions_of, findings_of_plan, remember_findings

__all__ = [
    "REGISTRY",
    "Caution",
    "Rank",
    "bag",
    "bladder",
    "cautions_of",
    "clamping",
    "cure",
    "findings_of_plan",
    "hold",
    "injection",
    "layout",
    "layup",
    "lines",
    "mixing",
    "mould",
    "pair",
    "plumbing",
    "preforms",
    "remember_findings",
    "resin",
    "run",
    "shots",
    "stack",
    "supply",
    "tubes",
    "vents",
    "wear",
]
