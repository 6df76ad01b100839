"""What is painted of a stand on placed meshes: a sparse grid of cubes in each mesh's own space.

Cubes know nothing of triangles, so that painting stays when a mesh is replaced by another version, and goes
along when it is moved, turned or sized. Each cube has six values, one for each way along an axis that a
surface in it may face; so the two sides of a thin wall are painted apart. A place reads the values of the way
that it faces most.
"""

from __future__ import annotations

import io
from collections.abc import Mapping
from dataclasses import dataclass, field

import numba as nb
import numpy as np

from thicket.hashing import digest_of
from thicket.lazy import lazy
from thicket.limits import MESH_CELLS
from thicket.planting.density import TOUCH_UNIT
from thicket.refused import Refused

WAYS = np.array([(1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0), (0, 0, 1), (0, 0, -1)], float)
"""The ways that a surface in a cube may face."""
FARTHEST = 32_000
"""Cubes lie at most so many cubes from a mesh's own origin, along each axis."""
ROW = np.dtype(
    [("surface", "<i4"), ("cell", "<f4"), ("way", "u1"), ("x", "<i2"), ("y", "<i2"), ("z", "<i2")]
    + [("touch", "<i2")]
)
"""A painted cube as it is saved: the mesh's number, the side of its cubes in m of its own space, which of
`WAYS`, the cube's place along x, y and z, and the touch."""


def pack(way: np.ndarray, cubes: np.ndarray) -> np.ndarray:
    """Numbers that stand for cubes and ways: int64 (n,) of ways (n,) and cubes int64 (n, 3)."""
    x, y, z = (np.asarray(cubes, np.int64) + (1 << 19)).T
    return (((np.asarray(way, np.int64) << 20 | x) << 20 | y) << 20) | z


def unpack(keys: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The ways, int64 (n,), and the cubes, int64 (n, 3), that numbers stand for."""
    parts = [(keys >> shift) & ((1 << 20) - 1) for shift in (40, 20, 0)]
    return keys >> 60, np.stack(parts, axis=1) - (1 << 19)


def ways_of(normals: np.ndarray) -> np.ndarray:
    """Which of `WAYS` directions, float64 (n, 3), face most: int64 (n,)."""
    return (normals @ WAYS.T).argmax(axis=1)


@nb.njit(nogil=True, cache=True)
def _read(keys, values, at, way, out):
    """Touch at places given in cubes, between the centres of the eight around each."""
    n = keys.shape[0]
    for k in range(at.shape[0]):
        total = 0.0
        for corner in range(8):
            weight, key = 1.0, way[k]
            for d in range(3):
                lower = np.floor(at[k, d] - 0.5)
                share = at[k, d] - 0.5 - lower
                up = (corner >> d) & 1
                weight *= share if up else 1.0 - share
                key = (key << 20) | (int(lower) + up + (1 << 19))
            if weight == 0.0:
                continue
            lo, hi = 0, n
            while lo < hi:
                mid = (lo + hi) // 2
                if keys[mid] < key:
                    lo = mid + 1
                else:
                    hi = mid
            if lo < n and keys[lo] == key:
                total += weight * values[lo]
        out[k] = total / TOUCH_UNIT


@dataclass(frozen=True, eq=False)
class Cubes:
    """What is painted on one mesh, in cubes of `cell` m of its own space: keys int64 (n,), sorted, and touch
    int16 (n,) in `TOUCH_UNIT`, none of them 0."""

    cell: float
    keys: np.ndarray = field(default_factory=lambda: np.empty(0, np.int64))
    touch: np.ndarray = field(default_factory=lambda: np.empty(0, np.int16))

    @lazy
    def digest(self) -> str:
        """Equal for equal painting."""
        return f"{self.cell} {digest_of(self.keys)} {digest_of(self.touch)}"

    @property
    def nbytes(self) -> int:
        return self.keys.nbytes + self.touch.nbytes

    def at(self, places: np.ndarray, normals: np.ndarray) -> np.ndarray:
        """Touch −1…+1 at places of the mesh's own space, float64 (n, 3), that face normals: float32 (n,)."""
        out = np.zeros(len(places), np.float32)
        if len(self.keys):
            _read(self.keys, self.touch, np.asarray(places, float) / self.cell, ways_of(normals), out)
        return out

    def of(self, keys: np.ndarray) -> np.ndarray:
        """Touch of cubes, int16 (n,)."""
        if not len(self.keys):
            return np.zeros(len(keys), np.int16)
        where = np.minimum(np.searchsorted(self.keys, keys), len(self.keys) - 1)
        return np.where(self.keys[where] == keys, self.touch[where], np.int16(0))

    def painted(self, keys: np.ndarray, touch: np.ndarray) -> Cubes:
        """The same with other touch of some cubes: keys int64 (n,), sorted, touch int16 (n,)."""
        at = np.minimum(np.searchsorted(keys, self.keys), max(len(keys) - 1, 0))
        stay = keys[at] != self.keys if len(keys) else np.ones(len(self.keys), bool)
        all_keys = np.concatenate([self.keys[stay], keys[touch != 0]])
        order = np.argsort(all_keys, kind="stable")
        return Cubes(self.cell, all_keys[order], np.concatenate([self.touch[stay], touch[touch != 0]])[order])


@dataclass(frozen=True, eq=False)
class MeshTouch:
    """What is painted of one stand on placed meshes, by their numbers."""

    surfaces: Mapping[int, Cubes] = field(default_factory=dict)

    @property
    def painted_anywhere(self) -> bool:
        """Whether any cube of any mesh is painted."""
        return any(len(cubes.keys) for cubes in self.surfaces.values())

    @lazy
    def digest(self) -> str:
        """Equal for equal painting."""
        return " ".join(f"{n} {c.digest}" for n, c in sorted(self.surfaces.items()) if len(c.keys))

    def with_cubes(self, number: int, cubes: Cubes) -> MeshTouch:
        """The same with other painting on one mesh."""
        return MeshTouch({**self.surfaces, number: cubes})

    def to_bytes(self) -> bytes:
        """It as a file: a NumPy array of `ROW`, sorted by mesh, way and cube."""
        parts = []
        for number, cubes in sorted(self.surfaces.items()):
            rows = np.zeros(len(cubes.keys), ROW)
            way, at = unpack(cubes.keys)
            rows["surface"], rows["cell"], rows["way"], rows["touch"] = number, cubes.cell, way, cubes.touch
            rows["x"], rows["y"], rows["z"] = at.T
            parts.append(rows)
        out = io.BytesIO()
        np.save(out, np.concatenate([np.zeros(0, ROW), *parts]), allow_pickle=False)
        return out.getvalue()

    @staticmethod
    def from_bytes(data: bytes) -> MeshTouch:
        """What `to_bytes` wrote. Raises: Refused when it is damaged, or past a limit."""
        try:
            rows = np.load(io.BytesIO(data), allow_pickle=False, max_header_size=2000)
        except (ValueError, OSError, EOFError, SyntaxError, MemoryError, TypeError, KeyError) as error:
            raise Refused("it is damaged, or not painting of meshes") from error
        if rows.dtype != ROW or rows.ndim != 1:
            raise Refused("it is not painting of meshes, as this application writes it")
        if len(rows) > MESH_CELLS:
            raise Refused(f"it has {len(rows):,} painted cubes; at most {MESH_CELLS:,} are taken")
        found: dict[int, Cubes] = {}
        for number in np.unique(rows["surface"]).tolist():
            of = rows[rows["surface"] == number]
            keys = pack(of["way"], np.stack([of["x"], of["y"], of["z"]], axis=1))
            cell = float(of["cell"][0])
            check_cubes(cell, of["way"], of["touch"], TOUCH_UNIT)
            if (of["cell"] != of["cell"][0]).any() or (np.diff(keys) <= 0).any():
                raise Refused("its cubes are not in order, or of more than one size")
            found[number] = Cubes(cell, keys, np.ascontiguousarray(of["touch"]))
        return MeshTouch(found)


def check_cubes(cell: float, way: np.ndarray, touch: np.ndarray, most: int) -> None:
    """Refuse cubes that cannot be, and touch, or a difference of it, that is more than it can be. Raises:
    Refused."""
    if not (np.isfinite(cell) and cell > 0):
        raise Refused("cell: cubes are wider than 0 m")
    if len(way) and (way.min() < 0 or way.max() >= len(WAYS)):
        raise Refused(f"way: a surface faces one of {len(WAYS)} ways")
    if len(touch) and np.abs(touch.astype(np.int32)).max() > most:
        raise Refused(f"touch: it lies between {-most} and {most}")


NOT_PAINTED = MeshTouch()
