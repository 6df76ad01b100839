"""Paths, areas and obstacles as GeoJSON (RFC 7946) in level metres: x east, z south, as the file's properties
say."""

from __future__ import annotations

import json
import math
from collections.abc import Iterable
from typing import Any

from thicket.ground.shapes import Shape, Trail, box, circle
from thicket.limits import SHAPES
from thicket.refused import Refused

MOST = SHAPES
_NEEDS = {"path": "LineString", "area": "Polygon"}


def shapes_geojson(shapes: Iterable[dict], level: str, width: float, length: float) -> bytes:
    """Shapes as a feature collection.

    Parameters: shapes as dictionaries with kind, name, form (`line`, `polygon`, `circle`, `box`), points,
    width, clear, locked, hidden, hatch, group, and round (x, z, radius), box (x, z, width, length, heading)
    or trail (reach, lean, flatten, strata) where they have one.
    """
    features = []
    for shape in shapes:
        points = [[round(x, 4), round(z, 4)] for x, z in shape["points"]]
        geometry: dict[str, Any] = {"type": "LineString", "coordinates": points}
        if shape["form"] == "circle":
            geometry = {"type": "Point", "coordinates": [shape["round"]["x"], shape["round"]["z"]]}
        elif shape["form"] != "line":
            geometry = {"type": "Polygon", "coordinates": [[*points, points[0]]]}
        kept = (
            "kind",
            "name",
            "form",
            "width",
            "clear",
            "locked",
            "hidden",
            "hatch",
            "group",
            "round",
            "box",
            "trail",
        )
        features.append(
            {
                "type": "Feature",
                "geometry": geometry,
                "properties": {k: shape[k] for k in kept if shape.get(k) is not None or k == "clear"},
            }
        )
    body = {
        "type": "FeatureCollection",
        "properties": {
            "level": level,
            "units": "m",
            "axes": "x east, z south",
            "width": width,
            "length": length,
        },
        "features": features,
    }
    return (json.dumps(body, indent=1, ensure_ascii=False) + "\n").encode()


def _number(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not math.isfinite(value):
        raise Refused(f"{value!r} is not a number")
    return float(value)


def _place(value: Any) -> tuple[float, float]:
    if not isinstance(value, list) or len(value) < 2:
        raise Refused("a position is not a pair of numbers")
    return _number(value[0]), _number(value[1])


def _shape(feature: Any) -> dict[str, Any]:
    if not isinstance(feature, dict) or feature.get("type") != "Feature":
        raise Refused("it is not a feature")
    given: dict[str, Any] = feature.get("properties") or {}
    geometry: dict[str, Any] = feature.get("geometry") or {}
    form = str(geometry.get("type"))
    kind: Any = given.get("kind")
    kind = kind or {"LineString": "path", "Polygon": "area", "Point": "obstacle"}.get(form)
    at: Any = geometry.get("coordinates")
    out: dict[str, Any] = {
        "kind": kind,
        "name": str(given.get("name") or "")[:80],
        "width": _number(given.get("width", 4.0)),
        "clear": None
        if given.get("clear") is None and ("clear" in given or kind == "area")
        else _number(given.get("clear", 0.5)),
        "locked": bool(given.get("locked")),
        "hidden": bool(given.get("hidden")),
        "hatch": str(given.get("hatch") or "")[:20],
        "group": str(given.get("group") or "")[:80],
    }
    if given.get("trail") is not None:
        t = given["trail"]
        out["trail"] = {k: _number(t.get(k)) for k in ("reach", "lean", "flatten")} | {
            "strata": [str(v) for v in t["strata"]]
        }
    if form == "LineString":
        out |= {"form": "line", "points": [_place(p) for p in at]}
    elif form == "Polygon":
        if not isinstance(at, list) or len(at) != 1:
            raise Refused("it has holes, or no outline; one outline is taken")
        points = [_place(p) for p in at[0]]
        out |= {
            "form": "polygon",
            "points": points[:-1] if len(points) > 1 and points[0] == points[-1] else points,
        }
        if isinstance(given.get("box"), dict) and given.get("form") == "box":
            b = {k: _number(given["box"].get(k)) for k in ("x", "z", "width", "length", "heading")}
            out |= {"form": "box", "box": b, "points": [list(p) for p in box(**b)]}
    elif form == "Point":
        radius = _number(given.get("radius", (given.get("round") or {}).get("radius")))
        x, z = _place(at)
        out |= {
            "form": "circle",
            "round": {"x": x, "z": z, "radius": radius},
            "points": list(circle(x, z, radius)),
        }
    else:
        raise Refused(f"its geometry is {form}; LineString, Polygon and Point are taken")
    if _NEEDS.get(kind, form) != form:
        raise Refused(f"its geometry is {form}, which cannot be {'an' if kind == 'area' else 'a'} {kind}")
    out["points"] = [tuple(p) for p in out["points"]]
    trail = out.get("trail")
    Shape(kind, tuple(out["points"]), out["width"], out["clear"], out["name"], trail and Trail(**trail))
    return out


def read_shapes(data: bytes, name: str, width: float, length: float) -> list[dict]:
    """Shapes of a GeoJSON file, as `shapes_geojson` takes them.

    Raises: Refused naming the file, the feature and the cause when one of them is malformed, crosses itself
    or lies outside the level (width × length m); nothing is taken then.
    """
    try:
        body = json.loads(data)
    except (ValueError, RecursionError) as error:
        where = f", by its line {error.lineno}" if isinstance(error, json.JSONDecodeError) else ""
        raise Refused(f"{name}: it is not GeoJSON{where}") from error
    features = (
        body.get("features") if isinstance(body, dict) and body.get("type") == "FeatureCollection" else None
    )
    if not isinstance(features, list):
        raise Refused(f"{name}: it is not a GeoJSON feature collection")
    if len(features) > MOST:
        raise Refused(f"{name}: it holds {len(features):,} features; at most {MOST:,} are taken")
    given = body.get("properties") or {}
    if isinstance(given, dict) and given.get("units", "m") != "m":
        raise Refused(f"{name}: its units are {given['units']!r}; level metres are needed")
    out = []
    for number, feature in enumerate(features, start=1):
        try:
            shape = _shape(feature)
        except Refused as error:
            raise Refused(f"{name}: feature {number}: {error}") from error
        except (ValueError, TypeError, KeyError, AttributeError, IndexError, OverflowError) as error:
            raise Refused(f"{name}: feature {number}: it is not as a feature of GeoJSON should be") from error
        if not all(0 <= x <= width and 0 <= z <= length for x, z in shape["points"]):
            raise Refused(
                f"{name}: feature {number}{' ' + repr(shape['name']) if shape['name'] else ''} "
                f"lies outside the "
                f"level, which is {width:g} m × {length:g} m in metres from its north-west corner"
            )
        out.append(shape)
    return out
