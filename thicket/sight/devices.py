"""Devices: the milliseconds that hardware needs for a frame, and how such a profile is fitted to measured
frames.

A frame's milliseconds are a sum of its loads, each times a coefficient, and a fixed part. The coefficients
are found by non-negative least squares on relative errors (Lawson and Hanson, *Solving Least Squares
Problems*, 1974); which of them the frames cannot distinguish, from the covariance of least squares.
docs/devices.md says how frames are captured.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import nnls

from thicket.refused import Refused

LOADS = ("triangles", "draw_calls", "shadow_triangles", "alpha_mpx", "memory")
"""What a frame is made of: counts (draw calls with those of shadows), covered megapixels, bytes."""
UNITS = np.array([1e6, 1e3, 1e6, 1.0, 1e6])
"""A coefficient is the ms for so much of each load."""
NAMES = ("triangles", "draw calls", "shadow triangles", "covered pixels", "memory", "the fixed part")
PLACES = ("x", "y", "z", "heading", "pitch", "fov")
"""Columns of captures that say where the camera was instead of what the frame was made of."""
FEWEST, MOST = 30, 20_000
"""Frames that a calibration needs, and takes at the most."""
OUTLYING = 4.0
"""A frame does not fit that is off by so many times the usual error."""
POOR, TOGETHER = 0.5, 0.5
"""A coefficient is not known that may be off by this share of itself; another that its error goes with by
this correlation cannot be distinguished from it."""
FOLDS = 10
WORST = 0.5
"""Frames that a fit misses by more than this are not taken for a device's."""


@dataclass(frozen=True)
class Device:
    """A cost profile: milliseconds for a million triangles, a thousand draw calls, and so on, and for every
    frame. `spread` is the covariance of these six, in their order, empty when it is not known; `noise` the
    relative standard deviation of a single frame."""

    name: str
    per_mtri: float
    per_kcall: float
    per_shadow_mtri: float
    per_alpha_mpx: float
    per_mbyte: float = 0.0
    fixed: float = 0.0
    spread: tuple[tuple[float, ...], ...] = ()
    noise: float = 0.0

    @property
    def coefficients(self) -> tuple[float, ...]:
        """The six in their order."""
        rest = self.per_alpha_mpx, self.per_mbyte, self.fixed
        return self.per_mtri, self.per_kcall, self.per_shadow_mtri, *rest

    def ms(self, loads: Sequence[float]) -> float:
        """What it needs for some loads (5,), without the fixed part."""
        return float(np.dot(np.asarray(loads) / UNITS, self.coefficients[:5]))

    def margin(self, loads: Sequence[float]) -> float | None:
        """By how many ms a whole frame of these loads (5,) may differ from what is computed: two standard
        deviations of coefficients and noise together; None for a device that was not measured."""
        if not self.spread:
            return None
        row = np.r_[np.asarray(loads) / UNITS, 1.0]
        noise = self.noise * (self.ms(loads) + self.fixed)
        return float(2 * np.sqrt(row @ np.array(self.spread) @ row + noise**2))


PLAIN_DEVICE = Device("Plain desktop", per_mtri=0.9, per_kcall=1.6, per_shadow_mtri=1.1, per_alpha_mpx=0.09)


@dataclass(frozen=True, eq=False)
class Calibration:
    """A device fitted to frames. error, the relative root mean square error on frames that were left out of
    the fit; predicted (n,) in ms; fits (n,), whether a frame was used; unclear, groups of coefficients by
    name that these frames do not distinguish, or that they say nothing about (one alone)."""

    device: Device
    error: float
    predicted: np.ndarray
    fits: np.ndarray
    unclear: list[list[str]]


def read_captures(text: str) -> tuple[str, np.ndarray, np.ndarray]:
    """Measured frames from CSV.

    Returns: "loads" or "places"; what is given of the frames, loads (n, 5) or places (n, 6); ms (n,).

    Raises: Refused when columns are missing or unknown, a value is no number or beyond what can be, the ms
    are in another unit, or there are too few frames or too many.
    """
    header, *table = _table(text)
    kind = "places" if "x" in header else "loads"
    wanted = [*(PLACES if kind == "places" else LOADS), "ms"]
    values = _columns(header, table, wanted, _listed())
    if len(values) < FEWEST:
        raise Refused(f"captures: these are {len(values)} frames; it takes {FEWEST} at least")
    loads, ms = values[:, :-1], values[:, -1]
    if kind == "loads" and (loads < 0).any():
        row, column = np.argwhere(loads < 0)[0]
        raise Refused(f"captures: {wanted[column]} is below 0 in frame {row + 1}")
    if (ms <= 0).any():
        raise Refused(f"captures: ms is not above 0 in frame {np.flatnonzero(ms <= 0)[0] + 1}")
    middle = float(np.median(ms))
    if not 0.05 <= middle <= 2000:
        raise Refused(f"captures: half of the frames take {middle:g} ms or less; is ms in milliseconds")
    return kind, loads, ms


def read_places(text: str) -> np.ndarray:
    """Camera places (n, 6) from CSV, see `PLACES`; other columns do not count.

    Raises: Refused as `read_captures`, and when there are none.
    """
    header, *table = _table(text)
    places = _columns(header, table, [*PLACES], ", ".join(PLACES))
    if not len(places):
        raise Refused("captures: there are no camera places")
    return places


def _table(text: str) -> list[list[str]]:
    """The rows of a CSV, the first its columns' names."""
    header, *rows = [*csv.reader(io.StringIO(text.lstrip("\ufeff")))] or [[]]
    return [[name.strip().lower() for name in header], *rows]


def _columns(header: list[str], table: list[list[str]], wanted: list[str], listed: str) -> np.ndarray:
    """The numbers in some columns of a table, float64 (rows, columns), without its empty rows.

    Raises: Refused, which says what columns there should be.
    """
    if missing := [name for name in wanted if name not in header]:
        raise Refused(f"captures: the columns {', '.join(missing)} are missing; there should be {listed}")
    at = [header.index(name) for name in wanted]
    rows: list[list[float]] = []
    for number, row in enumerate(table, start=2):
        if not any(cell.strip() for cell in row):
            continue
        if len(rows) >= MOST:
            raise Refused(f"captures: at most {MOST:,} frames are taken")
        rows.append(_numbers(row, at, wanted, number))
    return np.array(rows).reshape(-1, len(wanted))


def _listed() -> str:
    return f"{', '.join(LOADS)} and ms, or {', '.join(PLACES)} and ms"


def _numbers(row: list[str], at: list[int], names: list[str], line: int) -> list[float]:
    """A row's values in the order of the names."""
    out = []
    for name, k in zip(names, at):
        try:
            value = float(row[k])
        except (ValueError, IndexError):
            raise Refused(f"captures: {name} is no number in line {line}") from None
        if not abs(value) <= 1e12:  # neither NaN
            raise Refused(f"captures: {name} is beyond what can be in line {line}")
        out.append(value)
    return out


def calibrate(name: str, loads: np.ndarray, ms: np.ndarray) -> Calibration:
    """Fit a device to measured frames.

    Parameters: name; loads (n, 5), see `LOADS`; ms (n,). Frames that lie far off are left out of the fit,
    such as those of a device that is warming up.

    Raises: Refused when the frames do not fit one another.
    """
    frames = np.column_stack([loads / UNITS, np.ones(len(ms))])
    fits = np.ones(len(ms), bool)
    for _ in range(20):
        found = _fit(frames[fits], ms[fits])
        off = ms / np.maximum(frames @ found, 1e-9) - 1
        middle = np.median(off[fits])
        usual = 1.4826 * np.median(np.abs(off[fits] - middle))
        now = np.abs(off - middle) <= OUTLYING * max(usual, 1e-6)
        if (now == fits).all():
            break
        fits = now
    error = _left_out_error(frames[fits], ms[fits])
    if error > WORST or fits.mean() < 0.5:
        raise Refused(
            f"captures: the ms do not follow from the loads, the best fit is off by {100 * error:.0f} %; are "
            f"the frames all of one device"
        )
    weighted = _weighted(frames[fits], found)
    free = found > 0
    noise = float(np.sqrt((off[fits] ** 2).sum() / max(fits.sum() - free.sum(), 1)))
    spread = np.zeros((6, 6))
    spread[np.ix_(free, free)] = noise**2 * np.linalg.pinv(weighted[:, free].T @ weighted[:, free])
    mtri, kcall, shadow, alpha, mbyte, fixed = found.tolist()
    rows = tuple(map(tuple, spread.tolist()))
    device = Device(name, mtri, kcall, shadow, alpha, mbyte, fixed, rows, noise)
    return Calibration(device, error, frames @ found, fits, unclear(weighted, found, noise))


def _weighted(frames: np.ndarray, found: np.ndarray) -> np.ndarray:
    """Frames divided by what they are predicted to take, so that errors are relative."""
    return frames / np.maximum(frames @ found, 1e-9)[:, None]


def _fit(frames: np.ndarray, ms: np.ndarray) -> np.ndarray:
    """The coefficients (6,), none below 0, with the least squared relative error."""
    by = ms
    for _ in range(3):  # relative to the prediction, which noise does not bias, once there is one
        rows = frames / by[:, None]
        scale = np.maximum(np.linalg.norm(rows, axis=0), 1e-12)
        found = nnls(rows / scale, ms / by)[0] / scale
        by = np.maximum(frames @ found, 1e-9)
    return np.asarray(found)


def _left_out_error(frames: np.ndarray, ms: np.ndarray) -> float:
    """The relative root mean square error on frames that are left out, a tenth at a time."""
    off = np.empty(len(ms))
    for fold in range(FOLDS):
        out = np.arange(len(ms)) % FOLDS == fold
        off[out] = frames[out] @ _fit(frames[~out], ms[~out]) / ms[out] - 1
    return float(np.sqrt((off**2).mean()))


def unclear(weighted: np.ndarray, found: np.ndarray, noise: float) -> list[list[str]]:
    """The coefficients that frames do not distinguish, in groups by name; alone, one that they say too little
    of. weighted (n, 6), see `_weighted`; found (6,), the coefficients; noise, relative."""
    length = np.linalg.norm(weighted, axis=0)
    scaled = weighted / np.maximum(length, 1e-12)
    # A touch of ridge, so that what is exactly alike gets a large error instead of none.
    covariance = np.linalg.inv(scaled.T @ scaled + 1e-9 * np.eye(6))
    error = np.sqrt(np.diag(covariance))
    alike = np.abs(covariance / np.outer(error, error)) - np.eye(6)
    poor = 2 * noise * error > POOR * found * length
    groups: list[list[str]] = []
    for k in np.flatnonzero(poor | (length < 1e-9)):
        with_it = [j for j in range(6) if j == k or alike[k, j] >= TOGETHER and poor[j]]
        group = [NAMES[j] for j in with_it]
        if group not in groups:
            groups.append(group)
    return groups
