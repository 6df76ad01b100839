"""Grass and flowers from a picture with alpha: a card that faces the eye, crossed cards, or a tuft of bent
cards."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from thicket.formats.pictures import opened
from thicket.formats.stock import Material, Part, StockModel
from thicket.planting.hashing import seed_of
from thicket.refused import Refused

KINDS = ("facing", "crossed", "tuft")
LARGEST = 1024
JOINTS = 3


@dataclass(frozen=True)
class Cards:
    """How a picture becomes an item: kind, one of `KINDS`; width and height in m; count, cards of a tuft or
    crossed ones; bend, the lean of a tuft's tips in degrees; rows, how many variants the picture holds one
    above another."""

    kind: str = "tuft"
    width: float = 0.6
    height: float = 0.5
    count: int = 5
    bend: float = 25.0
    rows: int = 1


def read_picture(name: str, data: bytes) -> np.ndarray:
    """A picture with alpha, RGBA uint8 (rows, columns, 4), at most `LARGEST` a side.

    Raises: Refused naming the file when it is no picture, too large, or has no alpha.
    """
    try:
        out = opened(data, "RGBA", ("PNG", "WEBP"))
    except Refused as error:
        raise Refused(f"{name}: {error}") from error
    out.thumbnail((LARGEST, LARGEST))
    values = np.asarray(out)
    if values[..., 3].min() > 200 or values[..., 3].max() < 128:
        raise Refused(
            f"{name}: it has no alpha that cuts grass or flowers out; save it with a see-through background"
        )
    return values


def from_picture(slug: str, picture: np.ndarray, cards: Cards) -> list[StockModel]:
    """Items of a picture (rows, columns, 4), one for each of its variants, the topmost first.

    Raises: Refused when there are more variants than rows of pixels.
    """
    if cards.kind not in KINDS:
        raise Refused(f"kind: cards are {', '.join(KINDS)}")
    if cards.rows > len(picture) // 4:
        raise Refused(f"rows: the picture is only {len(picture)} pixels high")
    strips = np.array_split(picture, cards.rows) if cards.rows > 1 else [picture]
    return [_model(slug, strip, cards) for strip in strips]


def _model(slug: str, picture: np.ndarray, cards: Cards) -> StockModel:
    material = Material(slug[:60], np.ascontiguousarray(picture), cut=True, facing=cards.kind == "facing")
    if cards.kind == "facing":
        return StockModel(slug, [[_joined(material, [_card(cards, 0.0, 0.0, 0.0, 1)])]])
    if cards.kind == "crossed":
        counts = [max(cards.count, 2), *([2] if cards.count > 2 else [])]
        return StockModel(slug, [_crossed(material, cards, count) for count in counts])
    near = [
        _card(
            cards,
            360.0 * k / cards.count + _chance("turn", k, 24),
            cards.bend * (0.7 + _chance("bend", k, 0.6)),
            0.04 * cards.width,
            JOINTS,
        )
        for k in range(cards.count)
    ]
    lods = [[_joined(material, near)]]
    if cards.count > 2:
        lods.append(_crossed(material, cards, 2))
    return StockModel(slug, lods)


def _chance(word: str, k: int, reach: float) -> float:
    return (seed_of("cards", word, k) % 1000) / 1000 * reach


def _crossed(material: Material, cards: Cards, count: int) -> list[Part]:
    return [_joined(material, [_card(cards, 180.0 * k / count, 0.0, 0.0, 1) for k in range(count)])]


def _card(
    cards: Cards, heading: float, bend: float, out: float, joints: int
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """One card as corners (2·joints + 2, 3), texture coordinates and triangles, bent away from the middle
    toward its tip."""
    a, t = np.radians(heading), np.linspace(0, 1, joints + 1)
    lean = np.radians(bend) * t
    step = cards.height / joints
    along = np.r_[0, np.cumsum(np.sin(lean[1:]) * step)] + out
    up = np.r_[0, np.cumsum(np.cos(lean[1:]) * step)]
    away, across = np.array([np.sin(a), 0, np.cos(a)]), np.array([np.cos(a), 0, -np.sin(a)])
    middle = along[:, None] * away + up[:, None] * np.array([0, 1.0, 0])
    place = np.stack([middle - across * cards.width / 2, middle + across * cards.width / 2], 1).reshape(-1, 3)
    uv = np.stack([np.c_[np.zeros_like(t), 1 - t], np.c_[np.ones_like(t), 1 - t]], 1).reshape(-1, 2)
    k = np.arange(joints)[:, None] * 2
    return place, uv, np.concatenate([k + [0, 1, 3], k + [0, 3, 2]])


def _joined(material: Material, cards: Sequence[tuple[np.ndarray, np.ndarray, np.ndarray]]) -> Part:
    first = np.cumsum([0, *(len(place) for place, _, _ in cards)])
    place = np.concatenate([place for place, _, _ in cards]).astype(np.float32)
    # Grass is lit as the ground beneath it is, so that cards look alike whichever way they are turned.
    normal = np.tile(np.array([0, 1, 0], np.float32), (len(place), 1))
    index = np.concatenate([triangles + k for (_, _, triangles), k in zip(cards, first)])
    return Part(
        material,
        place,
        normal,
        np.concatenate([uv for _, uv, _ in cards]).astype(np.float32),
        index.astype(np.uint32).ravel(),
    )
