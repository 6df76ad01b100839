"""A stand: what it plants, and the plants that follow from its places and its density."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numba as nb
import numpy as np

from thicket.ground.heights import Ground, at_cells
from thicket.ground.noise import gradient_noise
from thicket.planting.hashing import mix32, plant_ids, seed_of, unit
from thicket.planting.points import PointSet, Seats, plants_per_m2, point_set

STRATA = ("Stone", "Canopy", "Understorey", "Shrub", "Field", "Moss")


@dataclass(frozen=True)
class Variation:
    """How single plants differ. Sizes are multiples of the mesh; angles in degrees; sink and waves in m."""

    size: tuple[float, float] = (0.8, 1.2)
    width: tuple[float, float] = (0.9, 1.1)
    turn: tuple[float, float] = (0.0, 360.0)
    lean: float = 3.0
    follow: float = 0.1
    sink: float = 0.0
    patch: float = 40.0


@dataclass(frozen=True)
class Stand:
    """One layer of planting. `number` is unique in the level; `weights` are those of the mix's items, and
    `marks` a seed for each item that stays its own when others come and go; the items' places when left out.
    `sizes`, `sinks` and `widths` are those of each item where they differ from the variation's, else None.
    `manner` names how its places are laid out."""

    number: int
    seed: int
    spacing: float
    fullness: float
    weights: tuple[float, ...] = (1.0,)
    marks: tuple[int, ...] = ()
    variation: Variation = Variation()
    sizes: tuple[tuple[float, float] | None, ...] = ()
    sinks: tuple[float | None, ...] = ()
    manner: str = "free"
    widths: tuple[tuple[float, float] | None, ...] = ()

    @property
    def per_m2(self) -> float:
        """Plants on one m² when the ground is full."""
        return plants_per_m2(self.spacing)

    @property
    def largest(self) -> np.ndarray:
        """The most each item's width can be multiplied by."""
        return self.item_sizes[:, 1] * self.item_widths[:, 1]

    @property
    def item_sizes(self) -> np.ndarray:
        """Smallest and largest size of each item, (n, 2)."""
        given = self.sizes or (None,) * len(self.weights)
        return np.array([own or self.variation.size for own in given], float)

    @property
    def item_widths(self) -> np.ndarray:
        """Narrowest and widest of each item, as multiples of its size, (n, 2)."""
        given = self.widths or (None,) * len(self.weights)
        return np.array([own or self.variation.width for own in given], float)

    @property
    def item_sinks(self) -> np.ndarray:
        """Sink of each item in m, (n,)."""
        given = self.sinks or (None,) * len(self.weights)
        return np.array([self.variation.sink if own is None else own for own in given], float)

    @property
    def key(self) -> int:
        """Stands for the places: ids of another seed, spacing or layout differ."""
        layout = f"{self.spacing:.6g}" if self.manner == "free" else self.manner
        return seed_of("plants", self.seed, layout)

    def ids(self, points: PointSet | Seats, which: np.ndarray | slice = slice(None)) -> np.ndarray:
        """The ids of the plants at some of the points, uint64 (n,)."""
        salt = points.salt[which] if isinstance(points, Seats) else 0
        return plant_ids(self.number, self.key + salt, points.cell[which])

    def points(self, window: tuple[float, float, float, float]) -> PointSet:
        """The places this stand may use inside a window (x0, z0, x1, z1)."""
        return point_set(self.seed, self.spacing, window)


@dataclass(frozen=True, eq=False)
class Plants:
    """Plants as arrays of one length.

    id uint64; form float32 (n, 10): x, y, z in m, quaternion x, y, z, w, width and height as multiples
    of the mesh, tint 0–1; item uint8, the index in the stand's mix.
    """

    id: np.ndarray
    form: np.ndarray
    item: np.ndarray

    def __len__(self) -> int:
        return len(self.id)

    @property
    def nbytes(self) -> int:
        return self.id.nbytes + self.form.nbytes + self.item.nbytes

    def take(self, which: np.ndarray) -> Plants:
        """The plants of a boolean mask or an index array."""
        return Plants(self.id[which], self.form[which], self.item[which])


def join(parts: list[Plants]) -> Plants:
    """Several sets of plants as one, in order."""
    if not parts:
        return Plants(np.empty(0, np.uint64), np.empty((0, 10), np.float32), np.empty(0, np.uint8))
    return Plants(
        np.concatenate([p.id for p in parts]),
        np.concatenate([p.form for p in parts]),
        np.concatenate([p.item for p in parts]),
    )


def planted(stand: Stand, points: PointSet | Seats, density: np.ndarray) -> np.ndarray:
    """Which of the points carry a plant: threshold < density × fullness; density float32 (n,) at the points;
    bool (n,)."""
    return points.threshold < density * np.float32(stand.fullness)


@nb.njit(nogil=True, cache=True)
def times(a, b):
    """Product of two quaternions (x, y, z, w)."""
    ax, ay, az, aw = a
    bx, by, bz, bw = b
    return (
        aw * bx + ax * bw + ay * bz - az * by,
        aw * by - ax * bz + ay * bw + az * bx,
        aw * bz + ax * by - ay * bx + az * bw,
        aw * bw - ax * bx - ay * by - az * bz,
    )


@nb.njit(nogil=True, cache=True)
def upright_to(nx, ny, nz, follow):
    """The turn that lays the upright `follow` of the way toward the normal."""
    ux, uy, uz = nx * follow, 1.0 + (ny - 1.0) * follow, nz * follow
    length = np.sqrt(ux * ux + uy * uy + uz * uz)
    if length < 1e-6:  # halfway to straight down: nowhere
        return 0.0, 0.0, 0.0, 1.0
    ux, uy, uz = ux / length, uy / length, uz / length
    w = 1.0 + uy
    if w < 1e-6:  # straight down
        return 1.0, 0.0, 0.0, 0.0
    size = np.sqrt(uz * uz + ux * ux + w * w)
    return uz / size, 0.0, -ux / size, w / size


@nb.njit(nogil=True, cache=True)
def _forms(
    seed,
    lo_hash,
    hi_hash,
    x,
    z,
    y,
    normals,
    turned,
    leans,
    shape,
    sizes,
    widths,
    sinks,
    weights,
    marks,
    form,
    item,
):
    turn0, turn1, lean, follow, patch = shape
    for k in range(x.shape[0]):
        h = mix32(lo_hash[k] ^ mix32(hi_hash[k] ^ seed))
        draw = np.empty(6)
        for d in range(6):
            h = mix32(h + 0x3C6EF372)
            draw[d] = unit(h)
        h = mix32(h + 0x3C6EF372)
        row = k if weights.shape[0] > 1 else 0
        least, chosen = np.inf, 0
        for m in range(weights.shape[1]):
            if weights[row, m] > 0.0:
                score = -np.log(1.0 - unit(mix32(h ^ marks[m]))) / weights[row, m]
                if score < least:
                    least, chosen = score, m
        item[k] = chosen
        bearing = turned[k] if turned.shape[0] > 0 else 0.0
        half = 0.5 * np.pi / 180.0 * (turn0 + (turn1 - turn0) * draw[2] - bearing)
        tilt = 0.5 * np.pi / 180.0 * lean * np.sqrt(draw[3])
        if leans.shape[0] > 0:
            tilt *= leans[k]
        way = 2.0 * np.pi * draw[4]
        q = upright_to(normals[k, 0], normals[k, 1], normals[k, 2], follow)
        q = times(q, (np.sin(tilt) * np.cos(way), 0.0, np.sin(tilt) * np.sin(way), np.cos(tilt)))
        q = times(q, (0.0, np.sin(half), 0.0, np.cos(half)))
        size = sizes[chosen, 0] + (sizes[chosen, 1] - sizes[chosen, 0]) * draw[0]
        tint = 0.5 + 0.6 * gradient_noise(seed + 17, x[k] / patch, z[k] / patch) + 0.35 * (draw[5] - 0.5)
        form[k, 0], form[k, 1], form[k, 2] = x[k], y[k] - sinks[chosen], z[k]
        form[k, 3], form[k, 4], form[k, 5], form[k, 6] = q
        form[k, 7] = size * (widths[chosen, 0] + (widths[chosen, 1] - widths[chosen, 0]) * draw[1])
        form[k, 8] = size
        form[k, 9] = min(max(tint, 0.0), 1.0)


def _weights_at(stand: Stand, drives: Sequence[np.ndarray | None], count: int) -> np.ndarray:
    """Weights of the mix's items, (1, items), or at every one of so many places, (n, items), when something
    drives one of them."""
    weights = np.array(stand.weights, float)[None]
    if not any(drive is not None for drive in drives) or not count:
        return weights
    driven = np.repeat(weights, count, axis=0)
    for m, drive in enumerate(drives):
        if drive is not None:
            driven[:, m] *= drive
    bare = ~(driven > 0).any(axis=1)
    driven[bare] = weights
    return np.concatenate([driven, driven]) if count == 1 else driven


@dataclass(frozen=True, eq=False)
class Driven:
    """What conditions make of the variation at places: what sizes, random leans and tints are multiplied by,
    float32 (n,) each, None where nothing drives them; and for each item of the mix None, or what its weight
    is multiplied by there (where all weights come to 0, the weights as given count)."""

    size: np.ndarray | None = None
    lean: np.ndarray | None = None
    tint: np.ndarray | None = None
    weights: Sequence[np.ndarray | None] = ()


def grow(
    stand: Stand,
    points: PointSet | Seats,
    which: np.ndarray,
    ground: Ground,
    driven: Driven = Driven(),
) -> Plants:
    """The plants that stand on the chosen points, each with its variation, all from its own hash.

    A plant takes the item of the mix whose draw, weighted, comes first, so that changing one weight only
    moves plants to or from that item (rendezvous hashing: Thaler and Ravishankar, IEEE/ACM Trans. Networking
    6(1), 1998).

    Parameters: points of the stand, or seats, which have a bearing and may have a height, an up-direction and
    a scale of their own; which, bool (n,) or indices; ground to stand on; driven, what conditions make of the
    variation at each of the chosen points.
    Returns: `Plants` in the order of the points.
    """
    x, z = points.x[which], points.z[which]
    seats = points if isinstance(points, Seats) else None
    ids = stand.ids(points, which)
    v = stand.variation
    shape = (*map(float, (*v.turn, v.lean, v.follow, max(v.patch, 0.1))),)
    form, item = np.empty((len(x), 10), np.float32), np.empty(len(x), np.uint8)
    low = (ids & np.uint64(0xFFFFFFFF)).astype(np.int64)
    high = ((ids >> np.uint64(32)) & np.uint64(0xFFFF)).astype(np.int64)
    y, normals, turned = ground.height_at(x, z), ground.normal_at(x, z), np.empty(0)
    if seats is not None:
        turned = seats.turn[which].astype(float)
        own = np.isfinite(seats.y[which])
        y[own], normals[own] = seats.y[which][own], seats.up[which][own]
    _forms(
        stand.seed & 0x7FFFFFFF,
        low,
        high,
        x,
        z,
        y,
        normals,
        turned,
        np.empty(0, np.float32) if driven.lean is None else driven.lean,
        shape,
        stand.item_sizes,
        stand.item_widths,
        stand.item_sinks,
        _weights_at(stand, driven.weights, len(x)),
        np.array(stand.marks or range(len(stand.weights)), np.int64),
        form,
        item,
    )
    if driven.size is not None:
        form[:, 7:9] *= driven.size[:, None]
    if driven.tint is not None:
        form[:, 9] *= driven.tint
    if seats is not None:
        form[:, 7:9] *= seats.scale[which][:, None]
    return Plants(ids, form, item)


def plants_in(
    stand: Stand,
    window: tuple[float, float, float, float],
    density_map: np.ndarray,
    ground: Ground,
    points: PointSet | None = None,
) -> Plants:
    """The plants of a stand inside a window, which only cuts them.

    Parameters: window (x0, z0, x1, z1) in level metres, half open; density_map float32 0–1 at the
    ground's cell centres; points, the stand's places in that window where they are at hand.
    """
    if points is None:
        points = stand.points(window)
    return grow(
        stand, points, planted(stand, points, at_cells(density_map, ground.cell, points.x, points.z)), ground
    )
