"""Billboards rendered from the mesh: an orthographic side view with a depth buffer."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numba as nb
import numpy as np


@nb.njit(nogil=True, cache=True)
def _raster(place, normal, uv, corner, index, texture, cut, colour, facing, depth, scale, left, top):
    rows, cols = depth.shape
    th, tw = texture.shape[0], texture.shape[1]
    for t in range(index.shape[0]):
        a, b, c = index[t]
        ax, ay = (place[a, 0] - left) * scale, (top - place[a, 1]) * scale
        bx, by = (place[b, 0] - left) * scale, (top - place[b, 1]) * scale
        cx, cy = (place[c, 0] - left) * scale, (top - place[c, 1]) * scale
        area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if abs(area) < 1e-9:
            continue
        for row in range(max(int(min(ay, by, cy) + 0.5), 0), min(int(max(ay, by, cy) + 0.5), rows)):
            for col in range(max(int(min(ax, bx, cx) + 0.5), 0), min(int(max(ax, bx, cx) + 0.5), cols)):
                x, y = col + 0.5, row + 0.5
                wb = ((x - ax) * (cy - ay) - (y - ay) * (cx - ax)) / area
                wc = ((bx - ax) * (y - ay) - (by - ay) * (x - ax)) / area
                wa = 1.0 - wb - wc
                if wa < 0.0 or wb < 0.0 or wc < 0.0:
                    continue
                z = wa * place[a, 2] + wb * place[b, 2] + wc * place[c, 2]
                if z <= depth[row, col]:
                    continue
                u = (wa * uv[a, 0] + wb * uv[b, 0] + wc * uv[c, 0]) % 1.0
                v = (wa * uv[a, 1] + wb * uv[b, 1] + wc * uv[c, 1]) % 1.0
                texel = texture[min(int(v * th), th - 1), min(int(u * tw), tw - 1)]
                if texel[3] < cut:
                    continue
                ny = wa * normal[a, 1] + wb * normal[b, 1] + wc * normal[c, 1]
                light = 0.82 + 0.22 * ny
                depth[row, col] = z
                for k in range(3):
                    if len(corner):
                        own = wa * corner[a, k] + wb * corner[b, k] + wc * corner[c, k]
                        colour[row, col, k] = min(texel[k] * light * np.sqrt(own), 255.0)
                    else:
                        colour[row, col, k] = min(texel[k] * light, 255.0)
                    if len(facing):
                        facing[row, col, k] = wa * normal[a, k] + wb * normal[b, k] + wc * normal[c, k]
                colour[row, col, 3] = 255.0


@nb.njit(nogil=True, cache=True)
def _cover(place, uv, index, alpha, cut, mask, scale, left, top):
    """Mark the pixels that triangles cover, but for the holes of their texture."""
    rows, cols = mask.shape
    th, tw = alpha.shape
    for t in range(index.shape[0]):
        a, b, c = index[t]
        ax, ay = (place[a, 0] - left) * scale, (top - place[a, 1]) * scale
        bx, by = (place[b, 0] - left) * scale, (top - place[b, 1]) * scale
        cx, cy = (place[c, 0] - left) * scale, (top - place[c, 1]) * scale
        area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if abs(area) < 1e-9:
            continue
        for row in range(max(int(min(ay, by, cy) + 0.5), 0), min(int(max(ay, by, cy) + 0.5), rows)):
            for col in range(max(int(min(ax, bx, cx) + 0.5), 0), min(int(max(ax, bx, cx) + 0.5), cols)):
                if mask[row, col]:
                    continue
                x, y = col + 0.5, row + 0.5
                wb = ((x - ax) * (cy - ay) - (y - ay) * (cx - ax)) / area
                wc = ((bx - ax) * (y - ay) - (by - ay) * (x - ax)) / area
                wa = 1.0 - wb - wc
                if wa < 0.0 or wb < 0.0 or wc < 0.0:
                    continue
                if cut:
                    u = (wa * uv[a, 0] + wb * uv[b, 0] + wc * uv[c, 0]) % 1.0
                    v = (wa * uv[a, 1] + wb * uv[b, 1] + wc * uv[c, 1]) % 1.0
                    if alpha[min(int(v * th), th - 1), min(int(u * tw), tw - 1)] < cut:
                        continue
                mask[row, col] = True


def render_coverage(
    parts: Sequence[Any], width: float, height: float, rows: int, oversample: int = 2
) -> np.ndarray:
    """How much of each pixel the mesh covers seen from +z, float 0–1 (rows, columns); parameters as of
    `render_billboard`."""
    columns = max(int(round(rows * width / height)), 1)
    mask = np.zeros((rows * oversample, columns * oversample), np.bool_)
    for part in parts:
        _cover(
            part.position.astype(np.float64),
            part.uv,
            part.index.astype(np.int64).reshape(-1, 3),
            part.material.texture[..., 3],
            part.material.threshold,
            mask,
            rows * oversample / height,
            -width / 2,
            height,
        )
    return _smaller(mask.astype(np.float32), oversample)


def _smaller(picture: np.ndarray, by: int) -> np.ndarray:
    """A picture (rows, columns, …) made smaller by a whole number: the means of its blocks."""
    total = sum(picture[j::by, k::by] for j in range(by) for k in range(by))
    return np.asarray(total / np.float32(by * by))


def render_billboard(
    parts: Sequence[Any], width: float, height: float, rows: int, oversample: int = 4
) -> np.ndarray:
    """The mesh seen from +z, with its textures and a little shade from above.

    Parameters: parts with position, normal, uv, index and material, as in `thicket.formats.stock`; the
    picture's width and height in m (the foot stands in the middle of its lower edge) and its rows.

    Returns: RGBA uint8 (rows, columns, 4); empty pixels carry the colour of the nearest drawn one, so
    that no dark rim shows when the picture is made smaller.
    """
    return _render(parts, width, height, rows, oversample, False)[0]


def render_with_normals(
    parts: Sequence[Any], width: float, height: float, rows: int, oversample: int = 2
) -> tuple[np.ndarray, np.ndarray]:
    """The same, and the directions of what is seen, toward the eye: RGB uint8, 128 for 0 and 255 for 1."""
    return _render(parts, width, height, rows, oversample, True)


def _render(
    parts: Sequence[Any], width: float, height: float, rows: int, oversample: int, normals: bool
) -> tuple[np.ndarray, np.ndarray]:
    columns = max(int(round(rows * width / height)), 1)
    colour = np.zeros((rows * oversample, columns * oversample, 4), np.float32)
    facing = np.zeros((*colour.shape[:2], 3) if normals else (0, 0, 3), np.float32)
    depth = np.full(colour.shape[:2], -1e9, np.float32)
    for part in parts:
        corner = np.empty((0, 3)) if part.colour is None else part.colour[:, :3] / 255.0
        _raster(
            part.position.astype(float),
            part.normal.astype(float),
            part.uv.astype(float),
            corner,
            part.index.astype(np.int64).reshape(-1, 3),
            part.material.texture,
            part.material.threshold,
            colour,
            facing,
            depth,
            rows * oversample / height,
            -width / 2,
            height,
        )
    drawn = _smaller(colour, oversample)
    alpha = drawn[..., 3:] / 255.0
    known, total = alpha[..., 0] > 0, np.maximum(alpha, 1e-9)
    picture = np.dstack([_spread(drawn[..., :3] / total, known), alpha * 255.0]).round().astype(np.uint8)
    if not normals:
        return picture, facing
    way = _spread(
        _smaller(facing * np.where(facing[..., 2:] < 0, np.float32(-1), np.float32(1)), oversample) / total,
        known,
    )
    way /= np.maximum(np.linalg.norm(way, axis=2, keepdims=True), 1e-9)
    return picture, (way * 127.5 + 127.5).round().astype(np.uint8)


def _spread(rgb: np.ndarray, known: np.ndarray) -> np.ndarray:
    """Fill what is unknown with the nearest known colour."""
    from scipy.ndimage import distance_transform_edt

    if not known.any():
        return rgb
    nearest = distance_transform_edt(~known, return_distances=False, return_indices=True)
    return rgb[tuple(nearest)]
