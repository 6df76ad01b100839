"""Fewer draw calls: materials of one kind become one, with a texture atlas or with vertex colours."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from PIL import Image

from thicket.formats.stock import Material, Part, StockModel

MANY = 4
"""Draw calls of the full mesh from which merging is worth while."""
MOST_REPEATS = 8
"""So often, along an axis, is a texture repeated in an atlas; one that repeats more keeps its material."""
SIDE, CELL, EDGE = 4096, 1024, 8
"""Pixels: the longest side of an atlas, of a texture in it, and of the border around it that repeats its own
edge, so that smaller copies do not mix neighbours."""
PATCH = 4
"""Pixels of the side of a texture that is one colour all over."""


def kind_of(material: Material) -> tuple:
    """What two materials must have in common to be merged."""
    edge = material.cutoff, material.softness
    return material.cut, material.facing, material.both_sides, edge, material.tinted


def merged_draws(parts: Sequence[Part]) -> int:
    """How many draw calls a mesh takes once its materials are merged."""
    return len({kind_of(p.material) if _fits(p) else id(p.material) for p in parts})


def merged(model: StockModel) -> StockModel:
    """A model whose materials of one kind are one, in all LODs; its billboard stays as it is.

    Textures of one colour each become vertex colours; others go into one atlas.
    """
    parts = [p for lod in model.lods for p in lod]
    keeps = {id(p.material) for p in parts if not _fits(p)}
    kinds: dict[tuple, list[Part]] = {}
    for part in parts:
        if id(part.material) not in keeps:
            kinds.setdefault(kind_of(part.material), []).append(part)
    makers = {kind: _maker(those) for kind, those in kinds.items()}

    def together(lod: list[Part]) -> list[Part]:
        out: dict[object, list[Part]] = {}
        for part in lod:
            stays = id(part.material) in keeps
            key = id(part.material) if stays else kind_of(part.material)
            out.setdefault(key, []).append(part if stays else makers[kind_of(part.material)](part))
        return [_joined(those) for those in out.values()]

    return replace(model, lods=[together(lod) for lod in model.lods])


def _fits(part: Part) -> bool:
    """Whether a part's texture can be laid into an atlas."""
    return _is_plain(part.material) or max(_repeats(part)) <= MOST_REPEATS


def _is_plain(material: Material) -> bool:
    flat = material.texture.reshape(-1, 4)
    return material.normals is None and int(np.ptp(flat, axis=0).max()) <= 2


def _repeats(part: Part) -> tuple[int, int]:
    """How often a texture is repeated over a part, along u and v."""
    low, high = np.floor(part.uv.min(0) + 1e-4), np.ceil(part.uv.max(0) - 1e-4)
    u, v = np.maximum(high - low, 1).astype(int)
    return int(u), int(v)


def _maker(parts: list[Part]) -> Callable[[Part], Part]:
    """What turns a part of one kind into one of the merged material."""
    first = {id(p.material): p.material for p in parts}
    materials = list(first.values())
    if len(materials) == 1:
        return lambda part: part
    if all(_is_plain(m) for m in materials) and not materials[0].cut:
        white = np.full((PATCH, PATCH, 4), 255, np.uint8)
        one = replace(materials[0], name=_name(materials), texture=white, encoded=None)
        return lambda part: _coloured(part, one)
    atlas = _atlas(parts, materials)
    return atlas.moved


def _name(materials: Sequence[Material]) -> str:
    return "merged" if materials[0].tinted else "merged, not tinted"


def _coloured(part: Part, material: Material) -> Part:
    """A part of one colour with that colour on its corners, in linear light."""
    srgb = part.material.texture.reshape(-1, 4).mean(0) / 255
    linear = np.where(srgb <= 0.04045, srgb / 12.92, ((srgb + 0.055) / 1.055) ** 2.4)
    tint = np.r_[linear[:3], srgb[3]]
    own = np.ones((len(part.position), 4)) if part.colour is None else part.colour / 255
    colour = np.round(own * tint * 255).astype(np.uint8)
    return replace(part, material=material, colour=colour)


@dataclass(frozen=True, eq=False)
class _Atlas:
    """One material for several: of each, by its id, the corner of its texture in pixels, its size, and how
    often it repeats there along u and v."""

    material: Material
    places: dict[int, tuple[int, int, int, int, int, int]]

    def moved(self, part: Part) -> Part:
        """A part with its texture coordinates in the atlas."""
        x, y, wide, high, across, down = self.places[id(part.material)]
        rows, columns = self.material.texture.shape[:2]
        local = (part.uv - np.floor(part.uv.min(0) + 1e-4)) / (across, down)
        uv = (np.clip(local, 0, 1) * (wide, high) + (x, y)) / (columns, rows)
        return replace(part, material=self.material, uv=uv.astype(np.float32))


def _atlas(parts: list[Part], materials: list[Material]) -> _Atlas:
    repeats = {id(m): (1, 1) for m in materials}
    for part in parts:
        repeats[id(part.material)] = tuple(np.maximum(repeats[id(part.material)], _repeats(part)))
    has_normals = any(m.normals is not None for m in materials)
    cell = CELL
    while True:
        images = [_image(m, repeats[id(m)], cell, has_normals) for m in materials]
        places, size = _packed([image.shape[:2] for image in images])
        if max(size) <= SIDE or cell <= 64:
            break
        cell //= 2
    sheet = np.zeros((*size, images[0].shape[2]), np.uint8)
    out = {}
    for material, image, (y, x) in zip(materials, images, places):
        rows, columns = image.shape[:2]
        sheet[y : y + rows, x : x + columns] = image
        inside = (x + EDGE, y + EDGE, columns - 2 * EDGE, rows - 2 * EDGE)
        out[id(material)] = (*inside, *(int(n) for n in repeats[id(material)]))
    one = replace(
        materials[0],
        name=_name(materials),
        texture=np.ascontiguousarray(sheet[..., :4]),
        normals=np.ascontiguousarray(sheet[..., 4:]) if has_normals else None,
        encoded=None,
    )
    return _Atlas(one, out)


def _image(material: Material, repeats: tuple[int, int], cell: int, has_normals: bool) -> np.ndarray:
    """A material's texture, and normals where asked for, as often as it repeats, at most so many pixels a
    side, with its border; uint8 (rows, columns, 4 or 7)."""
    if _is_plain(material):
        small = material.texture[:1, :1].repeat(PATCH, 0).repeat(PATCH, 1)
        across, down = 1, 1
    else:
        small, (across, down) = material.texture, repeats
    rows, columns = small.shape[:2]
    share = min(1.0, cell / (rows * down), cell / (columns * across))
    size = (max(int(columns * share), PATCH), max(int(rows * share), PATCH))

    def tiled(image: np.ndarray) -> np.ndarray:
        if size != (columns, rows):
            image = np.asarray(Image.fromarray(image).resize(size, Image.Resampling.BOX))
        whole = np.tile(image, (down, across, 1))
        return np.pad(whole, ((EDGE, EDGE), (EDGE, EDGE), (0, 0)), mode="edge")

    out = tiled(small)
    if not has_normals:
        return out
    if material.normals is None:
        flat = np.broadcast_to(np.array([128, 128, 255], np.uint8), (*out.shape[:2], 3))
        return np.concatenate([out, flat], axis=2)
    return np.concatenate([out, tiled(material.normals)], axis=2)


def _packed(sizes: Sequence[tuple[int, int]]) -> tuple[list[tuple[int, int]], tuple[int, int]]:
    """Places (row, column) of pictures of sizes (rows, columns) in rows of one sheet, the highest first, and
    the sheet's size: powers of two."""
    area = sum(rows * columns for rows, columns in sizes)
    wide = 1 << int(np.ceil(np.log2(max(np.sqrt(area), max(c for _, c in sizes)))))
    places = [(0, 0)] * len(sizes)
    y = x = tall = 0
    for k in sorted(range(len(sizes)), key=lambda k: -sizes[k][0]):
        rows, columns = sizes[k]
        if x + columns > wide:
            y, x, tall = y + tall, 0, 0
        places[k] = (y, x)
        x, tall = x + columns, max(tall, rows)
    return places, (1 << int(np.ceil(np.log2(y + tall))), wide)


def _joined(parts: Sequence[Part]) -> Part:
    """Parts of one material as one."""
    if len(parts) == 1:
        return parts[0]
    counts = np.cumsum([0, *(len(p.position) for p in parts)])
    colour = None
    if any(p.colour is not None for p in parts):
        colour = np.concatenate(
            [np.full((len(p.position), 4), 255, np.uint8) if p.colour is None else p.colour for p in parts]
        )
    return Part(
        parts[0].material,
        np.concatenate([p.position for p in parts]),
        np.concatenate([p.normal for p in parts]),
        np.concatenate([p.uv for p in parts]),
        np.concatenate([p.index.astype(np.uint32) + n for p, n in zip(parts, counts)]),
        colour,
    )
