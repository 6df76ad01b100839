"""The bounds of the API's numbers and the kinds of site condition, written as TypeScript for the page."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

HEAD = """/* The bounds of the API's numbers by schema and field, in the API's units: a value lies above
 * `above`, from `min` to `max`. Written by `./kt lint --write-types`. */
"""
KEYS = {"exclusiveMinimum": "above", "minimum": "min", "maximum": "max"}


def bounds_of(field: dict[str, Any]) -> dict[str, float]:
    """The bounds of a field that is a number, may be one, or holds several that are alike."""
    for part in (field, *field.get("anyOf", []), field.get("items", {}), *field.get("prefixItems", [])):
        if part.get("type") in ("number", "integer"):
            return {name: part[key] for key, name in KEYS.items() if key in part}
    return {}


def typescript(openapi: Path) -> str:
    """The page's file, from the API's schema as JSON."""
    schemas = json.loads(openapi.read_text())["components"]["schemas"]
    out = [HEAD]
    for name, schema in sorted(schemas.items()):
        fields = {k: b for k, field in schema.get("properties", {}).items() if (b := bounds_of(field))}
        if fields:
            out.append(f"export const {name}Bounds = {json.dumps(fields, indent=2)} as const\n")
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
