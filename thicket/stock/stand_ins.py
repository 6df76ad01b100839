"""Stand-ins: plain shapes in a size and colour, planted before the real mesh exists."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from thicket.formats.stock import Material, Part, StockModel
from thicket.refused import Refused

SHAPES = ("cone", "cylinder", "ball", "block", "cross")


def stand_in(
    shape: str, height: float, width: float, colour: Sequence[int], slug: str = "stand-in"
) -> StockModel:
    """A plain shape that stands on the ground.

    Parameters: shape, one of `SHAPES`; height and width in m; colour, red, green, blue 0–255.

    Raises: Refused for another shape.
    """
    if shape not in SHAPES:
        raise Refused(f"shape: there is no stand-in called {shape[:40]!r}; {', '.join(SHAPES)} are")
    texture = np.tile(np.array([*colour, 255], np.uint8), (4, 4, 1))
    material = Material(f"{shape} stand-in", texture)
    sides = {"cone": (16, 6), "cylinder": (16, 6), "ball": (12, 6), "block": (4,), "cross": (4,)}[shape]
    make = {"cone": _cone, "cylinder": cylinder, "ball": _ball, "block": _block, "cross": _cross}[shape]
    return StockModel(slug, [[_part(material, make(n), height, width)] for n in sides])


def _part(material: Material, triangles: np.ndarray, height: float, width: float) -> Part:
    """Triangles (t, 3, 3) in a box one wide and one high, sized, each with its own corners and flat light."""
    place = triangles * np.array([width, height, width])
    across = np.cross(place[:, 1] - place[:, 0], place[:, 2] - place[:, 0])
    normal = across / np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-12)
    count = 3 * len(place)
    return Part(
        material,
        place.reshape(count, 3).astype(np.float32),
        np.repeat(normal, 3, axis=0).astype(np.float32),
        np.full((count, 2), 0.5, np.float32),
        np.arange(count, dtype=np.uint32),
    )


def _ring(sides: int, radius: float, up: float) -> np.ndarray:
    a = np.arange(sides) * 2 * np.pi / sides + np.pi / sides
    return np.stack([np.sin(a) * radius, np.full(sides, up), np.cos(a) * radius], axis=1)


def _between(low: np.ndarray, high: np.ndarray) -> np.ndarray:
    """Two rings of corners joined by triangles that face outward."""
    low2, high2 = np.roll(low, -1, 0), np.roll(high, -1, 0)
    return np.concatenate([np.stack([low, low2, high], 1), np.stack([high, low2, high2], 1)])


def _lid(ring: np.ndarray, tip: float, outward: int) -> np.ndarray:
    """A ring of corners closed to a point on the upright; outward 1 for a lid, −1 for a floor."""
    centre = np.broadcast_to([0.0, tip, 0.0], ring.shape)
    return np.stack([ring, np.roll(ring, -outward, 0), centre], 1)


def _cone(sides: int) -> np.ndarray:
    return np.concatenate([_lid(_ring(sides, 0.5, 0.0), 1.0, 1), _lid(_ring(sides, 0.5, 0.0), 0.0, -1)])


def cylinder(sides: int) -> np.ndarray:
    """A closed cylinder, one wide and one high, as triangles (t, 3, 3) that face outward."""
    low, high = _ring(sides, 0.5, 0.0), _ring(sides, 0.5, 1.0)
    return np.concatenate([_between(low, high), _lid(high, 1.0, 1), _lid(low, 0.0, -1)])


def _ball(sides: int) -> np.ndarray:
    rings = [
        _ring(sides, 0.5 * np.sin(a), 0.5 - 0.5 * np.cos(a))
        for a in np.arange(1, sides // 2) * 2 * np.pi / sides
    ]
    walls = [_between(low, high) for low, high in zip(rings, rings[1:])]
    return np.concatenate([*walls, _lid(rings[-1], 1.0, 1), _lid(rings[0], 0.0, -1)])


def _block(sides: int) -> np.ndarray:
    return cylinder(sides) * np.array([np.sqrt(2), 1, np.sqrt(2)])


def _cross(sides: int) -> np.ndarray:
    """Two upright boards through each other, each a tenth as thick as wide."""
    board = _block(sides) * np.array([1.0, 1.0, 0.1])
    other = board[:, :, [2, 1, 0]] * np.array([1.0, 1.0, -1.0])
    return np.concatenate([board, other])
