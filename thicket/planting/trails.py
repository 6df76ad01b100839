"""Trails: paths that lay plants over, as where feet or wheels have gone through grass."""

from __future__ import annotations

from collections.abc import Sequence

import numba as nb
import numpy as np

from thicket.ground.shapes import Shape
from thicket.planting.stands import Plants, times


def trails_near(shapes: Sequence[Shape], stratum: str, box: tuple[float, float, float, float]) -> list[Shape]:
    """The paths that lay over plants of a stratum somewhere in a box (x0, z0, x1, z1) of level metres."""
    out = []
    for s in shapes:
        if s.trail is not None and stratum in s.trail.strata:
            far, own = s.trail.reach, s.box
            if (
                own[0] - far < box[2]
                and own[2] + far > box[0]
                and own[1] - far < box[3]
                and own[3] + far > box[1]
            ):
                out.append(s)
    return out


@nb.njit(nogil=True, cache=True)
def _nearest(x, z, segments):
    """How far a place lies from a line, and the way from the line to it."""
    least, ux, uz = np.inf, 0.0, 0.0
    for k in range(segments.shape[0]):
        x0, z0 = segments[k, 0], segments[k, 1]
        ex, ez = segments[k, 2] - x0, segments[k, 3] - z0
        length = ex * ex + ez * ez
        t = min(max(((x - x0) * ex + (z - z0) * ez) / length, 0.0), 1.0) if length > 0.0 else 0.0
        dx, dz = x - x0 - t * ex, z - z0 - t * ez
        far = np.sqrt(dx * dx + dz * dz)
        if far < least:
            least = far
            if far > 1e-6:
                ux, uz = dx / far, dz / far
            elif length > 0.0:
                ux, uz = -ez / np.sqrt(length), ex / np.sqrt(length)
    return least, ux, uz


@nb.njit(nogil=True, cache=True)
def _lay(form, segments, half, reach, lean, flatten):
    for k in range(form.shape[0]):
        far, ux, uz = _nearest(np.float64(form[k, 0]), np.float64(form[k, 2]), segments)
        if far >= half + reach:
            continue
        e = max(far - half, 0.0) / reach if reach > 0.0 else 0.0
        f = 1.0 - e * e * (3.0 - 2.0 * e)
        x, y, z, w = (
            np.float64(form[k, 3]),
            np.float64(form[k, 4]),
            np.float64(form[k, 5]),
            np.float64(form[k, 6]),
        )
        fx, fz = -2.0 * (x * z + w * y), -1.0 + 2.0 * (x * x + y * y)
        aside = np.arctan2(fx * uz - fz * ux, fx * ux + fz * uz)
        q = times((x, y, z, w), (0.0, np.sin(-0.5 * f * aside), 0.0, np.cos(-0.5 * f * aside)))
        a = 0.5 * f * lean * np.pi / 180.0
        q = times((uz * np.sin(a), 0.0, -ux * np.sin(a), np.cos(a)), q)
        form[k, 3], form[k, 4], form[k, 5], form[k, 6] = q
        form[k, 8] *= 1.0 - f * flatten


def laid_over(plants: Plants, trails: Sequence[Shape]) -> Plants:
    """Plants as they lie beside trails: turned to face away from the line, leaned away from it and shortened,
    fully within the path's width and less and less, by a smooth step, over the trail's reach beyond it. Their
    places do not change.

    Parameters: plants; trails, paths with a `trail`; where several reach a plant, each does its part in turn.
    Returns: the plants themselves when no trail is given.
    """
    if not trails or not len(plants):
        return plants
    form = plants.form.copy()
    for s in trails:
        if trail := s.trail:
            _lay(form, s.segments, s.half, float(trail.reach), float(trail.lean), float(trail.flatten))
    return Plants(plants.id, form, plants.item)
