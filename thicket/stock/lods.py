"""LODs made here: solid parts simplified, leaf cards thinned and enlarged so that covered area stays."""

from __future__ import annotations

import ctypes
from collections.abc import Sequence
from dataclasses import replace

import meshoptimizer
import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from thicket.formats.stock import Part
from thicket.planting.hashing import mix32, seed_of
from thicket.stock.welding import welded

SHARES = (0.35, 0.1)
"""The shares of triangles that LODs are made with unless others are asked for."""
WEIGHTS = np.array([0.4, 0.4, 0.4, 0.2, 0.2], np.float32)
"""How much normals (x, y, z) and texture coordinates (u, v) count beside the shape."""


def made_lods(full: Sequence[Part], shares: Sequence[float] = SHARES) -> list[list[Part]]:
    """Coarser states of a mesh, each with about a share (0–1) of its triangles and made from the one
    before."""
    states, last = [list(full)], 1.0
    for share in shares:
        states.append([coarser(part, share / last) for part in states[-1]])
        last = share
    return states[1:]


def coarser(part: Part, share: float) -> Part:
    """A part with about a share of its triangles: cards are thinned, all else is simplified."""
    if part.material.cut:
        pieces = _pieces(part)
        if pieces[0] > 3:
            return thinned(part, share, pieces)
    return simplified(part, share)


def simplified(part: Part, share: float) -> Part:
    """A part with about a share of its triangles, keeping normals and texture coordinates (meshoptimizer)."""
    index = np.ascontiguousarray(part.index, np.uint32)
    wanted = max(int(len(index) * share) // 3, 1) * 3
    if wanted >= len(index):
        return part
    place = np.ascontiguousarray(part.position, np.float32)
    more = np.ascontiguousarray(
        np.c_[part.normal, part.uv]
        if part.colour is None
        else np.c_[part.normal, part.uv, part.colour[:, :3] / 255],
        np.float32,
    )
    weights = np.r_[WEIGHTS, np.full(more.shape[1] - 5, 0.3)].astype(np.float32)
    out, size = np.zeros(len(index), np.uint32), ctypes.c_size_t
    # The package does not declare to ctypes the types of this call's numbers, so they are given as such.
    count = meshoptimizer.simplify_with_attributes(
        out,
        index,
        place,
        more,
        weights,
        index_count=size(len(index)),
        vertex_count=size(len(place)),
        vertex_positions_stride=size(12),
        vertex_attributes_stride=size(more.strides[0]),
        attribute_count=size(len(weights)),
        target_index_count=size(wanted),
        target_error=ctypes.c_float(0.6),
    )
    return _only(part, out[:count] if count >= 3 else index)


def thinned(part: Part, share: float, pieces: tuple[int, np.ndarray] | None = None) -> Part:
    """A part with a share of its pieces, the rest enlarged about their middles so that their area is as
    before.

    Which pieces stay follows from a hash of their number, so that what stays is spread evenly. Parameters:
    pieces, their count and which one each corner belongs to, if that is known.
    """
    count, of = pieces or _pieces(part)
    keep = max(round(count * share), 1)
    order = np.argsort(mix32(np.arange(count) ^ seed_of("card")), kind="stable")
    stays = np.zeros(count, bool)
    stays[order[:keep]] = True
    triangles = part.index.reshape(-1, 3)
    a, b, c = (part.position[triangles[:, k]].astype(float) for k in range(3))
    area = np.bincount(of[triangles[:, 0]], np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2, count)
    grow = np.sqrt(area.sum() / max(area[stays].sum(), 1e-12))
    corners = np.bincount(of, minlength=count)[:, None]
    middle = np.stack([np.bincount(of, part.position[:, k], count) for k in range(3)], 1) / corners
    place = middle[of] + (part.position - middle[of]) * grow
    grown = replace(part, position=place.astype(np.float32))
    return _only(grown, triangles[stays[of[triangles[:, 0]]]].ravel())


def _pieces(part: Part) -> tuple[int, np.ndarray]:
    """How many connected pieces a part has, and which one each corner belongs to; corners at one place are
    one."""
    n, same = welded(part.position)
    triangles = same[part.index.astype(np.int64)].reshape(-1, 3)
    ends = triangles[:, :2].ravel("F"), triangles[:, 1:].ravel("F")
    links = coo_matrix((np.ones(2 * len(triangles)), ends), shape=(n, n))
    count, of = connected_components(links, directed=False)
    return count, of[same]


def _only(part: Part, index: np.ndarray) -> Part:
    """A part with the triangles of an index, and the corners that these use."""
    used, fresh = np.unique(index, return_inverse=True)
    return Part(
        part.material,
        part.position[used],
        part.normal[used],
        part.uv[used],
        fresh.ravel().astype(np.uint32),
        None if part.colour is None else part.colour[used],
    )
