"""Room: which plants would stand in another's footprint."""

from __future__ import annotations

from typing import NamedTuple

import numba as nb
import numpy as np


class Discs(NamedTuple):
    """Footprints on the ground: x, z of their middles and their radii r, float64 (n,), in m."""

    x: np.ndarray
    z: np.ndarray
    r: np.ndarray

    @property
    def nbytes(self) -> int:
        return self.x.nbytes + self.z.nbytes + self.r.nbytes


NO_DISCS = Discs(np.empty(0), np.empty(0), np.empty(0))


def concat_discs(parts: list[Discs]) -> Discs:
    """Several sets of discs as one, in order."""
    return Discs(*(np.concatenate(column) for column in zip(*parts))) if parts else NO_DISCS


def standing(form: np.ndarray, item: np.ndarray, radius: np.ndarray) -> Discs:
    """The footprints of plants, by their form and item as `Plants` has them and the radius of each item in m,
    float64 (items,)."""
    return Discs(*_standing(np.ascontiguousarray(form), item, np.ascontiguousarray(radius, float)))


@nb.njit(nogil=True, cache=True)
def _standing(form, item, radius):
    x, z, r = np.empty(len(form)), np.empty(len(form)), np.empty(len(form))
    for k in range(len(form)):
        x[k], z[k], r[k] = form[k, 0], form[k, 2], radius[item[k]] * form[k, 7]
    return x, z, r


def near(discs: Discs, box: tuple[float, float, float, float], room: float) -> Discs:
    """The discs whose edge comes within `room` m of a box (x0, z0, x1, z1) of level metres."""
    return Discs(*_near(*discs, *(float(v) for v in box), float(room)))


@nb.njit(nogil=True, cache=True)
def _near(x, z, r, x0, z0, x1, z1, room):
    found = np.empty(x.shape[0], np.int64)
    n = 0
    for k in range(x.shape[0]):
        far = r[k] + room
        if x0 - far < x[k] < x1 + far and z0 - far < z[k] < z1 + far:
            found[n] = k
            n += 1
    found = found[:n]
    return x[found], z[found], r[found]


@nb.njit(nogil=True, cache=True)
def _slot(held, x, z, r, a, b, c):
    """Where in a table of indices a disc is held, or the free place where it would be."""
    at = (((a * 0x1B873593AF3 + b) * 0x2C1B3C6D4A5 + c) >> 17) & (held.shape[0] - 1)
    while held[at] >= 0 and not (x[held[at]] == a and z[held[at]] == b and r[held[at]] == c):
        at = (at + 1) & (held.shape[0] - 1)
    return at


@nb.njit(nogil=True, cache=True)
def _differing(ax, az, ar, bx, bz, br, x0, z0, x1, z1, out):
    size = 2
    while size < 2 * ax.shape[0] + 2:
        size *= 2
    held, met = np.full(size, -1, np.int64), np.zeros(ax.shape[0], np.bool_)
    xs, zs, rs = ax.view(np.int64), az.view(np.int64), ar.view(np.int64)
    for k in range(ax.shape[0]):
        met[k] = not (x0 - ar[k] < ax[k] < x1 + ar[k] and z0 - ar[k] < az[k] < z1 + ar[k])
        if not met[k]:
            held[_slot(held, xs, zs, rs, xs[k], zs[k], rs[k])] = k
    us, vs, ws = bx.view(np.int64), bz.view(np.int64), br.view(np.int64)
    for k in range(bx.shape[0]):
        if x0 - br[k] < bx[k] < x1 + br[k] and z0 - br[k] < bz[k] < z1 + br[k]:
            same = held[_slot(held, xs, zs, rs, us[k], vs[k], ws[k])]
            if same >= 0:
                met[same] = True
            else:
                _widen(out, bx[k], bz[k], br[k])
    for k in range(ax.shape[0]):
        if not met[k]:
            _widen(out, ax[k], az[k], ar[k])


@nb.njit(nogil=True, cache=True)
def _widen(out, x, z, r):
    out[0], out[1] = min(out[0], x - r), min(out[1], z - r)
    out[2], out[3] = max(out[2], x + r), max(out[3], z + r)


NOWHERE = np.inf, np.inf, -np.inf, -np.inf
_ANYWHERE = -np.inf, -np.inf, np.inf, np.inf


def differing(
    was: Discs, now: Discs, within: tuple[float, float, float, float] | None = None
) -> tuple[float, float, float, float]:
    """The box (x0, z0, x1, z1) in m around all discs that, bit for bit, only one of two sets has; `NOWHERE`
    when there are none.

    Only discs that reach into the box `within` are looked at when it is given. No set holds the same disc
    twice.
    """
    out = np.array(NOWHERE)
    _differing(*was, *now, *(float(v) for v in within or _ANYWHERE), out)
    x0, z0, x1, z1 = out.tolist()
    return x0, z0, x1, z1


@nb.njit(nogil=True, cache=True)
def _bins(x, z, x0, z0, cell, columns, rows):
    """Discs sorted into square bins: where each bin begins, and the discs in bin order."""
    first = np.zeros(columns * rows + 1, np.int64)
    place = np.empty(x.shape[0], np.int64)
    for k in range(x.shape[0]):
        i = min(max(int((x[k] - x0) / cell), 0), columns - 1)
        j = min(max(int((z[k] - z0) / cell), 0), rows - 1)
        place[k] = j * columns + i
        first[place[k] + 1] += 1
    for b in range(columns * rows):
        first[b + 1] += first[b]
    order = np.empty(x.shape[0], np.int64)
    at = first[:-1].copy()
    for k in range(x.shape[0]):
        order[at[place[k]]] = k
        at[place[k]] += 1
    return first, order


@nb.njit(nogil=True, cache=True)
def _meets(first, order, columns, rows, x0, z0, cell, dx, dz, dr, rank, x, z, r, own, gap, out):
    """Mark every (x, z, r) that overlaps a disc; with ranks, only discs of a lower one count."""
    reach = cell
    for k in range(x.shape[0]):
        i0 = min(max(int((x[k] - reach - x0) / cell), 0), columns - 1)
        i1 = min(max(int((x[k] + reach - x0) / cell), 0), columns - 1)
        j0 = min(max(int((z[k] - reach - z0) / cell), 0), rows - 1)
        j1 = min(max(int((z[k] + reach - z0) / cell), 0), rows - 1)
        for j in range(j0, j1 + 1):
            if out[k]:
                break
            for i in range(i0, i1 + 1):
                for s in range(first[j * columns + i], first[j * columns + i + 1]):
                    d = order[s]
                    if rank.shape[0] and not rank[d] < own[k]:
                        continue
                    room = dr[d] + r[k] + gap
                    ex, ez = x[k] - dx[d], z[k] - dz[d]
                    if ex * ex + ez * ez < room * room:
                        out[k] = True
                        break
                if out[k]:
                    break


_MOST_BINS = 1 << 20


def _search(
    discs: Discs,
    rank: np.ndarray,
    x: np.ndarray,
    z: np.ndarray,
    r: np.ndarray,
    own: np.ndarray,
    gap: float,
) -> np.ndarray:
    out = np.zeros(len(x), np.bool_)
    if not len(x) or not len(discs.x):
        return out
    x, z, r = (np.ascontiguousarray(a, dtype=np.float64) for a in (x, z, r))
    cell = max(float(discs.r.max()) + float(r.max()) + gap, 0.25)
    x0, z0 = float(discs.x.min()), float(discs.z.min())
    wide, high = float(discs.x.max()) - x0, float(discs.z.max()) - z0
    cell = max(cell, (wide * high / _MOST_BINS) ** 0.5, wide / 4096, high / 4096)
    columns, rows = int(wide / cell) + 1, int(high / cell) + 1
    first, order = _bins(discs.x, discs.z, x0, z0, cell, columns, rows)
    _meets(first, order, columns, rows, x0, z0, cell, *discs, rank, x, z, r, own, float(gap), out)
    return out


_UNRANKED = np.empty(0)


def taken(discs: Discs, x: np.ndarray, z: np.ndarray, r: np.ndarray, gap: float = 0.0) -> np.ndarray:
    """Which footprints (x, z and r in m, (n,)) come nearer than `gap` m to one of the discs; bool (n,)."""
    return _search(discs, _UNRANKED, x, z, r, np.empty(len(x)), gap)


def crowded(
    x: np.ndarray, z: np.ndarray, r: np.ndarray, threshold: np.ndarray, gap: float = 0.0
) -> np.ndarray:
    """Which of a stand's own plants come nearer than `gap` m to one of a lower threshold; bool (n,).

    One round: a plant gives way to every such neighbour, also to one that itself gives way, so that what
    stands at a place never depends on more ground than the widest footprints around it.
    """
    return _search(
        Discs(*(np.ascontiguousarray(a, dtype=np.float64) for a in (x, z, r))),
        np.asarray(threshold, float),
        x,
        z,
        r,
        np.asarray(threshold, float),
        gap,
    )


def covered(discs: Discs, cell: float, shape: tuple[int, int]) -> np.ndarray:
    """The share of each cell of a raster that the discs take, float32 0–1 (rows, columns); each disc's area
    lies in the cells its middle square of the same area meets, so the whole is exact where discs do not
    overlap."""
    out = np.zeros(shape, np.float32)
    _cover(*discs, float(cell), out)
    return np.minimum(out, np.float32(1), out=out)


@nb.njit(nogil=True, cache=True)
def _cover(x, z, r, cell, out):
    rows, cols = out.shape
    for k in range(x.shape[0]):
        half = r[k] * 0.886226925452758
        x0, x1, z0, z1 = (
            (x[k] - half) / cell,
            (x[k] + half) / cell,
            (z[k] - half) / cell,
            (z[k] + half) / cell,
        )
        for j in range(max(int(np.floor(z0)), 0), min(int(np.floor(z1)) + 1, rows)):
            high = min(z1, j + 1.0) - max(z0, float(j))
            for i in range(max(int(np.floor(x0)), 0), min(int(np.floor(x1)) + 1, cols)):
                out[j, i] += high * (min(x1, i + 1.0) - max(x0, float(i)))
