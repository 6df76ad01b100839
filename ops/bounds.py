"""The bounds of the API's numbers and the kinds of site condition, written as TypeScript for the page."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

HEAD = """/* The API's numbers by schema and field, in the API's units: a value lies above `above`, from
 * `min` to `max`; `step` is that of a field's arrow keys, `unit` what stands beside it ("%" for hundredths).
 * Written by `./kt lint --write-types`. */
"""
KEYS = {"exclusiveMinimum": "above", "minimum": "min", "maximum": "max", "step": "step", "unit": "unit"}


def bounds_of(field: dict[str, Any]) -> dict[str, float | str]:
    """The bounds, step, unit and default of a field that is a number, may be one, or holds several that are
    alike."""
    if field.get("type") in ("number", "integer"):
        known = {name: field[key] for key, name in KEYS.items() if field.get(key, "") != ""}
    else:
        values = [field[key] for key in ("items", "additionalProperties") if isinstance(field.get(key), dict)]
        values += field.get("patternProperties", {}).values()
        inner = (*field.get("anyOf", []), *field.get("prefixItems", []), *values)
        known = next((found for part in inner if (found := bounds_of(part))), {})
    default = field.get("default")
    return known | ({"default": default} if known and type(default) in (int, float) else {})


def each_of(field: dict[str, Any]) -> Any:
    """The bounds of a field; of each of several numbers where they differ."""
    parts = [bounds_of(part) for part in field.get("prefixItems", [])]
    return parts if any(part != parts[0] for part in parts) else bounds_of(field)


def query_bounds(paths: dict[str, Any]) -> dict[str, dict[str, Any]]:
    """The bounds of the numbers that operations have as query parameters, by the operation's name."""
    out: dict[str, dict[str, Any]] = {}
    for operation in (o for path in paths.values() for o in path.values()):
        name = operation["operationId"].split("_api_")[-1]
        for parameter in operation.get("parameters", []):
            found = bounds_of(parameter["schema"])
            if parameter["in"] == "query" and ("step" in found):
                out.setdefault(name, {})[parameter["name"]] = found
    return out


def typescript(openapi: Path) -> str:
    """The page's file, from the API's schema as JSON."""
    described = json.loads(openapi.read_text())
    schemas = described["components"]["schemas"]
    out = [HEAD]
    for name, schema in sorted(schemas.items()):
        fields = {k: b for k, field in schema.get("properties", {}).items() if (b := each_of(field))}
        if fields:
            out.append(f"export const {name}Bounds = {json.dumps(fields, indent=2)} as const\n")
    for name, fields in sorted(query_bounds(described["paths"]).items()):
        out.append(f"export const {name}QueryBounds = {json.dumps(fields, indent=2)} as const\n")
    return "".join(out)


KINDS_HEAD = """/* The kinds of site condition, from `thicket.site.kinds`: what each is called, measured
 * in and made of. Written by `./kt lint --write-types`. */
"""


def kinds() -> str:
    """The page's file of the kinds of site condition, and of the strata."""
    from thicket.planting.stands import STRATA
    from thicket.site.kinds import KINDS

    described = {
        name: {
            "label": kind.label,
            "unit": kind.unit,
            "says": kind.says,
            "step": kind.step,
            "digits": kind.digits,
            "begin": kind.begin,
            "parameters": kind.parameters,
            "radius": kind.radius,
            "radiusLabel": kind.radius_label[0],
            "radiusStep": kind.radius_label[1],
            "distance": kind.distance,
        }
        for name, kind in KINDS.items()
    }
    text = json.dumps(described, indent=2, ensure_ascii=False)
    return (
        f"{KINDS_HEAD}export const KINDS = {text} as const\n\n/** The strata, those first that claim room "
        f"first. */\nexport const STRATA = {json.dumps(STRATA)} as const\n"
    )


if __name__ == "__main__":
    print(kinds(), end="")
