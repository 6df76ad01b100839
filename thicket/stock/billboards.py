"""Billboards made here: a card that faces the eye, or crossed cards, with the mesh's picture on them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from thicket.formats.stock import Material, Part
from thicket.sight.billboard import render_with_normals
from thicket.stock.silhouette import frame_of, pixels_at, turned

CARDS = {"facing": 1, "crossed": 2, "three crossed": 3}
"""The kinds of billboard and how many cards each has."""
MADE = "billboard "
"""What mends an item by another billboard is called this, and its kind."""
ROWS, FEWEST, MOST = 256, 64, 512
TRIED = 128
"""Rows of the picture that a billboard's silhouette error is measured with before it is known how many it
needs."""


def harden(picture: np.ndarray) -> np.ndarray:
    """Raise the alpha of thin parts so that they outlast the alpha test."""
    out = picture.copy()
    out[..., 3] = np.clip(picture[..., 3].astype(float) * 1.6, 0, 255).astype(np.uint8)
    return out


def billboard_of(parts: Sequence[Part], kind: str = "facing", rows: int | None = None) -> list[Part]:
    """A billboard of one of the kinds of `CARDS`, its picture with so many rows."""
    rows = rows or ROWS
    return facing_billboard(parts, rows) if kind == "facing" else crossed_billboard(parts, CARDS[kind], rows)


def kind_of(billboard: Sequence[Part]) -> str:
    """The kind of a billboard by its cards, empty when it is none of `CARDS`."""
    if len(billboard) == 1:
        return "facing" if billboard[0].material.facing else ""
    return next((kind for kind, cards in CARDS.items() if cards == len(billboard)), "")


def fitted(parts: Sequence[Part], kind: str, distance: float) -> list[Part]:
    """A billboard whose picture has as many rows as it takes on the screen at the distance in m at which it
    takes over."""
    return billboard_of(parts, kind, rows_at(frame_of(parts)[1], distance))


def rows_at(height: float, distance: float) -> int:
    """The power of two of rows that a thing of a height in m takes on the screen at a distance in m."""
    wanted = height * pixels_at(max(distance, 0.1))
    return int(np.clip(2 ** np.ceil(np.log2(max(wanted, 1))), FEWEST, MOST))


def facing_billboard(parts: Sequence[Part], rows: int = ROWS) -> list[Part]:
    """One card that turns to the eye; its picture has so many rows."""
    width, height = frame_of(parts)
    picture, normals = render_with_normals(parts, width, height, rows)
    return [
        _card(
            Material("billboard", harden(picture), cut=True, facing=True, normals=normals), width, height, 0.0
        )
    ]


def crossed_billboard(parts: Sequence[Part], cards: int = 2, rows: int = ROWS) -> list[Part]:
    """Upright cards through the middle, evenly turned, each with its own picture."""
    width, height = frame_of(parts)
    out = []
    for k in range(cards):
        heading = 180.0 * k / cards
        picture, normals = render_with_normals(turned(parts, -heading), width, height, rows)
        out.append(
            _card(
                Material(f"billboard {k + 1}", harden(picture), cut=True, normals=normals),
                width,
                height,
                heading,
            )
        )
    return out


def _card(material: Material, width: float, height: float, heading: float) -> Part:
    a = np.radians(heading)
    across = np.array([np.cos(a), 0, -np.sin(a)]) * width / 2
    up = np.array([0, height, 0])
    place = np.array([-across, across, across + up, -across + up], np.float32)
    normal = np.tile(np.array([np.sin(a) * 0.8, 0.6, np.cos(a) * 0.8], np.float32), (4, 1))
    uv = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32)
    return Part(material, place, normal, uv, np.array([0, 1, 2, 0, 2, 3], np.uint32))
