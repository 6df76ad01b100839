"""What frames cost from many places and in many headings at once: the cost model's own rule, but each plant's
distance from a place is worked out once for all headings."""

from __future__ import annotations

import numba as nb
import numpy as np

from thicket.sight.cost import NEAREST_OVERDRAW, SCREEN_HEIGHT
from thicket.sight.terrain import STEPS, TILE, Terrain
from thicket.sight.views import NEAR, View, box_visible


def planes_of(eyes: np.ndarray, headings: np.ndarray, like: View) -> np.ndarray:
    """The planes of level views, float64 (places, headings, 5, 4); see `View.planes`. eyes (places, 3) in m;
    headings in degrees; field of view and aspect are those of `like`."""
    normals = np.stack(
        [View(0.0, 0.0, 0.0, float(h), 0.0, like.fov, like.aspect).planes[:, :3] for h in headings]
    )
    off = -np.einsum("hkc,pc->phk", normals, eyes)
    off[..., 0] -= NEAR
    return np.concatenate([np.broadcast_to(normals, (len(eyes), *normals.shape)), off[..., None]], axis=-1)


@nb.njit(nogil=True, cache=True)
def apart(eye, box):
    """The distance in m of a box from the eye."""
    total = 0.0
    for k in range(3):
        off = max(box[k] - eye[k], eye[k] - box[k + 3], 0.0)
        total += off * off
    return np.sqrt(total)


@nb.njit(nogil=True, cache=True)
def count_from(
    form,
    item,
    order,
    first,
    box,
    places,
    eyes,
    planes,
    show,
    hide,
    start,
    end,
    solid,
    reach,
    by_size,
    farthest,
    clear,
    drawn,
    calls,
    cast,
    shadow_calls,
    alpha,
):
    """Add what a patch of plants comes to from `places`, the rows of eyes, planes and what is counted.

    show, hide, start, end (places or 1, headings or 1, items, states): where all headings have one table, the
    plants are gone through once for all of them. Counted by place, heading, item and state: instances drawn,
    draw calls, instances that cast, shadow calls, alpha weight. farthest, the distance in m beyond which no
    plant is drawn; clear (eyes,), beyond which the fog hides everything.
    """
    headings = planes.shape[1]
    tables = show.shape[1]
    together = headings if tables == 1 else 1
    items, most = show.shape[2], show.shape[3]
    visible = np.zeros(headings, np.bool_)
    here = np.zeros((items, most), np.int64)
    shaded = np.zeros((items, most), np.int64)
    area = np.zeros((items, most))
    for p in places:
        eye = eyes[p]
        beyond = 1.000001 * min(max(farthest, reach), clear[p]) ** 2
        q = p if show.shape[0] > 1 else 0
        for c in range(first.shape[0] - 1):
            off = apart(eye, box[c])
            if off >= farthest and off >= reach:
                continue
            for t in range(tables):
                anywhere = False
                for h in range(t, t + together):
                    visible[h] = off < farthest and box_visible(planes[p, h], box[c])
                    anywhere = anywhere or visible[h]
                if not anywhere and off >= reach:
                    continue
                here[:] = 0
                shaded[:] = 0
                area[:] = 0.0
                for k in order[first[c] : first[c + 1]]:
                    dx, dy, dz = form[k, 0] - eye[0], form[k, 1] - eye[1], form[k, 2] - eye[2]
                    square = dx * dx + dy * dy + dz * dz
                    if square > beyond:
                        continue
                    d = np.sqrt(square)
                    if d >= clear[p]:
                        continue
                    far = d / form[k, 8] if by_size else d
                    m = item[k]
                    for s in range(most):
                        if anywhere and show[q, t, m, s] <= far < hide[q, t, m, s]:
                            here[m, s] += 1
                            area[m, s] += form[k, 7] * form[k, 8] / max(d, NEAREST_OVERDRAW) ** 2
                        if d < reach and solid[m, s] and start[q, t, m, s] <= far < end[q, t, m, s]:
                            shaded[m, s] += 1
                for h in range(t, t + together):
                    for m in range(items):
                        for s in range(most):
                            if visible[h]:
                                drawn[p, h, m, s] += here[m, s]
                                calls[p, h, m, s] += here[m, s] > 0
                                alpha[p, h, m, s] += area[m, s]
                            cast[p, h, m, s] += shaded[m, s]
                            shadow_calls[p, h, m, s] += shaded[m, s] > 0


@nb.njit(nogil=True, cache=True)
def nearest_full(form, item, order, first, box, places, eyes, planes, hide, by_size, clear, nearest, count):
    """Keep, of what a patch has within `hide` (items,), the nearest distances in view, ascending, in nearest
    (places, headings, so many), and add how many there are to count (places, headings). Those from clear
    (places,) m on are left out."""
    kept = nearest.shape[2]
    farthest = hide.max()
    for p in places:
        eye = eyes[p]
        for c in range(first.shape[0] - 1):
            if not by_size and apart(eye, box[c]) >= farthest:
                continue
            for h in range(planes.shape[1]):
                if not box_visible(planes[p, h], box[c]):
                    continue
                for k in order[first[c] : first[c + 1]]:
                    dx, dy, dz = form[k, 0] - eye[0], form[k, 1] - eye[1], form[k, 2] - eye[2]
                    d = np.sqrt(dx * dx + dy * dy + dz * dz)
                    far = d / form[k, 8] if by_size else d
                    if d >= clear[p] or far >= hide[item[k]]:
                        continue
                    n = count[p, h]
                    count[p, h] += 1
                    if n >= kept:
                        if far >= nearest[p, h, kept - 1]:
                            continue
                        n = kept - 1
                    while n > 0 and nearest[p, h, n - 1] > far:
                        nearest[p, h, n] = nearest[p, h, n - 1]
                        n -= 1
                    nearest[p, h, n] = far


@nb.njit(nogil=True, cache=True)
def _tiles_from(box, error, eyes, planes, metres, counts):
    """Count the tiles of each step by place and heading; metres of error are allowed for each m away."""
    for p in range(eyes.shape[0]):
        for tile in range(box.shape[0]):
            allowed = apart(eyes[p], box[tile]) * metres
            step = 0
            for k in range(error.shape[1] - 1, -1, -1):
                if error[tile, k] <= allowed:
                    step = k
                    break
            for h in range(planes.shape[1]):
                if box_visible(planes[p, h], box[tile]):
                    counts[p, h, step] += 1


@nb.njit(nogil=True, cache=True)
def _boxes_from(box, eyes, planes, loads, shadow, out):
    for p in range(planes.shape[0]):
        for b in range(box.shape[0]):
            shaded = apart(eyes[p], box[b]) < shadow[b]
            for h in range(planes.shape[1]):
                if box_visible(planes[p, h], box[b]):
                    out[p, h, 0] += loads[b, 0]
                    out[p, h, 1] += loads[b, 1]
                if shaded:
                    out[p, h, 1] += loads[b, 1]
                    out[p, h, 2] += loads[b, 0]


def boxes_from(
    box: np.ndarray, eyes: np.ndarray, planes: np.ndarray, loads: np.ndarray, shadow: np.ndarray
) -> np.ndarray:
    """Triangles, draw calls and shadow triangles of boxes that are drawn whole where they are in the picture:
    int64 (places, headings, 3).

    Parameters: box float64 (n, 6); eyes (places, 3) and planes of the views; loads int64 (n, 2), triangles
    and draw calls of each; shadow float64 (n,), m from the eye to which each casts shadow.
    """
    out = np.zeros((*planes.shape[:2], 3), np.int64)
    _boxes_from(box, eyes, planes, loads, shadow, out)
    return out


def ground_from(
    terrain: Terrain, eyes: np.ndarray, planes: np.ndarray, like: View, pixels: float
) -> tuple[np.ndarray, np.ndarray]:
    """Triangles and draw calls of the ground, int64 (places, headings); see
    `thicket.sight.terrain.ground_cost`."""
    counts = np.zeros((*planes.shape[:2], len(STEPS)), np.int64)
    _tiles_from(
        terrain.box, terrain.error, eyes, planes, pixels / like.pixels_per_radian(SCREEN_HEIGHT), counts
    )
    triangles = [2 * (TILE // step + 2) ** 2 for step in STEPS]
    return counts @ np.array(triangles), (counts > 0).sum(axis=2)
