"""The bounds of the API's numbers, written as TypeScript for the page's fields."""

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
