"""The job format as a page to read, made from the models themselves (docs/job-format.md)."""

from __future__ import annotations

from typing import Any

from bibulon.job import FORMAT_VERSION
from bibulon.job.storage import BACKUP_SUFFIX, SUFFIX, schema

UNITS = (
    ("_kg_m3", "kg/m³"), ("_kg_m2", "kg/m²"), ("_pa_m3_s", "Pa·m³/s"), ("_m3_s", "m³/s"), ("_pa_s", "Pa·s"),
    ("_pa_per_600_s", "Pa in 10 min"), ("_j_kg_k", "J/(kg·K)"), ("_j_kg", "J/kg"), ("_m3", "m³"), ("_m2", "m²"),
    ("_kg", "kg"), ("_pa", "Pa"), ("_deg", "degrees"), ("_m", "m"), ("_s", "s"), ("_k", "K"),
)  # fmt: skip
INTRODUCTION = f"""# The job file

<!-- Made by `bibulon schema --markdown`; a test compares it with the models. Do not edit by hand. -->

A job is one JSON document in UTF-8, by custom named `*{SUFFIX}`, format version {FORMAT_VERSION}. `bibulon schema`
prints its JSON Schema. Everything that was decided and everything that happened is in it, with every material card it
uses, so that it opens the same anywhere; what follows from it (fill, charge, cautions) is computed, never stored.

- Numbers are SI; the name of a field carries its unit (`_m`, `_pa`, `_kg_m2`). Pressures are absolute. Places are
  `[x, y]` in metres, x to the right, y up. Clock times of the shop count in seconds from midnight, run times from the
  opening of the first feed. Times of day with a date are ISO 8601 with an offset.
- Unknown fields, NaN and infinities are refused, by name.
- A file is written beside the old one and renamed over it; the version before stays as `*{SUFFIX}{BACKUP_SUFFIX}`.
- `format` and `format_version` have to be there; a resin card has two components or more.
- A file of a newer format version is refused and left as it is.
- While a shot runs, every entry of `run` is first appended to a journal in the user's state folder, in the folder that
  belongs to the file (`$XDG_STATE_HOME/bibulon/work/<file>/journal`): one line an entry,
  `<crc32 in hex> <entry as JSON>`. Once the file holds an entry, the journal need not.
"""


def format_page() -> str:
    """The page, in Markdown."""
    whole = schema()
    parts = [INTRODUCTION, _section("The document", whole)]
    parts += [_section(name, model) for name, model in sorted(whole["$defs"].items()) if "properties" in model]
    return "\n".join(parts)


def _section(title: str, model: dict[str, Any]) -> str:
    required = set(model.get("required", ()))
    lines = [
        f"## {title}",
        "",
        _plain(model.get("description", "")),
        "",
        "| field | is | default | |",
        "|---|---|---|---|",
    ]
    for name, field in model["properties"].items():
        default = "required" if name in required else _default(field)
        lines.append(f"| `{name}` | {_type(field)}{_unit(name)} | {default} | {_plain(field.get('description', ''))} |")
    return "\n".join([*lines, ""])


def _plain(text: str) -> str:
    return " ".join(text.replace("``", "`").replace("|", "\\|").split())


def _unit(name: str) -> str:
    return next((f", {unit}" for suffix, unit in UNITS if name.endswith(suffix)), "")


def _default(field: dict[str, Any]) -> str:
    value = field.get("default")
    if value is None:
        return "none"
    if isinstance(value, dict | list):
        return "empty" if not value else "as there"
    return f"`{value}`"


def _type(field: dict[str, Any]) -> str:
    if "$ref" in field:
        name = str(field["$ref"]).rsplit("/", 1)[-1]
        return f"[{name}](#{name.lower()})"
    if "const" in field:
        return f"`{field['const']}`"
    if "enum" in field:
        return " or ".join(f"`{choice}`" for choice in field["enum"])
    for several in ("anyOf", "oneOf"):
        if several in field:
            return " or ".join(_type(choice) for choice in field[several])
    if field.get("type") == "array":
        if "prefixItems" in field:
            return "[" + ", ".join(_type(choice) for choice in field["prefixItems"]) + "]"
        return f"list of {_type(field.get('items', {}))}"
    if field.get("type") == "null":
        return "nothing"
    bounds = [
        f"{sign} {field[key]:g}"
        for key, sign in (("minimum", "≥"), ("exclusiveMinimum", ">"), ("maximum", "≤"), ("exclusiveMaximum", "<"))
        if key in field
    ]
    return " ".join([str(field.get("type", "anything")), *bounds])
