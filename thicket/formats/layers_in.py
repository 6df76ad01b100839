"""Ground layers and mask images from PNG and GeoTIFF."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numba as nb
import numpy as np
from PIL import Image

from thicket.formats.heights_in import _BAD, _sentence, png_head
from thicket.formats.rasters import open_raster
from thicket.ground.rasters import resample
from thicket.limits import HEIGHTS_SIDE as LARGEST
from thicket.limits import LAYERS as MOST_LAYERS
from thicket.refused import Refused

SAME_FORM = 0.02
"""Maps whose widths over heights differ by less than this share are of one form."""
Frame = tuple[float, float, float, float]
"""A part of a map: west, north, east, south, as shares of its width and height."""


def _png_channels(path: Path) -> list[np.ndarray]:
    """The channels of a PNG, uint8 or uint16 (rows, columns) each."""
    columns, rows, bits, colour = png_head(path)
    _check_size(rows, columns)
    if bits == 16 and colour in (2, 6):
        return _deep_channels(path, columns, rows, 3 if colour == 2 else 4)
    with Image.open(path) as image:
        if image.mode == "P":
            raise Refused("it is a picture with a palette, not weights")
        values = np.array(image)
    values = values.astype(np.uint8) * np.uint8(255) if values.dtype == bool else values
    values = values.astype(np.uint16) if values.dtype == np.int32 else values
    return (
        [values]
        if values.ndim == 2
        else [np.ascontiguousarray(values[..., k]) for k in range(values.shape[2])]
    )


def _deep_channels(path: Path, columns: int, rows: int, channels: int) -> list[np.ndarray]:
    """A colour PNG of 16 bits a channel, which Pillow would cut to 8: GDAL reads it whole."""
    with open_raster(path, "PNG") as file:
        return list(file.read())


def _tiff_bands(path: Path) -> list[np.ndarray]:
    with open_raster(path, "GTiff") as file:
        _check_size(file.height, file.width)
        if file.count > MOST_LAYERS:
            raise Refused(f"it has {file.count} bands; a level holds at most {MOST_LAYERS} ground layers")
        return list(file.read())


def _check_size(rows: int, columns: int) -> None:
    if rows > LARGEST or columns > LARGEST:
        raise Refused(f"it is {columns:,} × {rows:,}; at most {LARGEST:,} × {LARGEST:,} values are taken")


def _as_share(values: np.ndarray) -> np.ndarray:
    """Weights float32 0–1 of any number type."""
    if values.dtype == np.uint8:
        return values.astype(np.float32) / np.float32(255)
    if values.dtype == np.uint16:
        return values.astype(np.float32) / np.float32(65535)
    if np.issubdtype(values.dtype, np.floating):
        return np.clip(np.nan_to_num(values.astype(np.float32)), 0, None)
    raise Refused(f"its values are of type {values.dtype}; 8 or 16 bits or floating point are taken")


def read_channels(path: Path, name: str) -> list[np.ndarray]:
    """The channels of a PNG or the bands of a GeoTIFF, float32 (rows, columns) each, 1 for full.

    Raises: Refused naming the file and the cause.
    """
    try:
        return [_as_share(values) for values in _read_raw(path, name)]
    except _BAD as error:
        raise Refused(f"{name}: {_sentence(error)}") from error


def _read_raw(path: Path, name: str) -> list[np.ndarray]:
    """The same with the values as they are in the file."""
    try:
        with path.open("rb") as file:
            head = file.read(4)
        if head.startswith(b"\x89PNG"):
            found = _png_channels(path)
        elif head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
            found = _tiff_bands(path)
        else:
            raise Refused("it is neither PNG nor GeoTIFF")
        return found
    except _BAD as error:
        raise Refused(f"{name}: {_sentence(error)}") from error


@nb.njit(nogil=True, cache=True)
def _share_out(weights, out):
    """Whole weights that add up to 255 in every cell, the left-over ones to the largest remainders."""
    n = weights.shape[0]
    bare = 0
    part = np.empty(n)
    for k in range(weights.shape[1]):
        total = 0.0
        for c in range(n):
            total += weights[c, k]
        if not total > 0.0:
            bare += 1
            for c in range(n):
                out[k, c] = 255 if c == 0 else 0
            continue
        left = 255
        for c in range(n):
            exact = weights[c, k] / total * 255.0
            whole = int(exact + 1e-4)
            part[c] = exact - whole
            out[k, c] = whole
            left -= whole
        for _ in range(left):
            most = 0
            for c in range(1, n):
                if part[c] > part[most]:
                    most = c
            out[k, most] += 1
            part[most] -= 1.0
    return bare


@dataclass(frozen=True, eq=False)
class Layers:
    """weights uint8 (rows, columns, layers), 255 altogether in every cell; bare, the share of cells no layer
    covered, which the first layer was given; notes, sentences."""

    names: list[str]
    weights: np.ndarray
    bare: float
    notes: list[str] = field(default_factory=list)


def band_names(path: Path) -> list[str]:
    """What a GeoTIFF calls its bands, empty for those without a name; [] for other files."""
    try:
        with path.open("rb") as file:
            if file.read(4) not in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
                return []
        with open_raster(path, "GTiff") as raster:
            return [str(name or "")[:40] for name in raster.descriptions]
    except _BAD:
        return []


def read_named_channels(path: Path, name: str) -> tuple[list[np.ndarray], list[str]]:
    """A file's channels, see `read_channels`, and what it calls them, see `band_names`."""
    return read_channels(path, name), band_names(path)


def suggested_names(files: list[str], counts: list[int]) -> list[str]:
    """Names for layers from their files' names and how many channels each has."""
    out = []
    for name, count in zip(files, counts):
        stem = Path(name).stem[:36] or "layer"
        out += [stem] if count == 1 else [f"{stem} {k}" for k in range(1, count + 1)]
    return [n if out.index(n) == k else f"{n} {k + 1}" for k, n in enumerate(out)]


def proposed_frame(size: tuple[int, int], shape: tuple[int, int]) -> Frame | None:
    """The largest frame of a level's form in the middle of a map of another form; None for one of the same.

    Parameters: rows and columns of the map and of the level.
    """
    wide = (shape[1] / shape[0]) / (size[1] / size[0])
    if abs(np.log(wide)) <= SAME_FORM:
        return None
    across, down = min(wide, 1.0), min(1.0 / wide, 1.0)
    return (1 - across) / 2, (1 - down) / 2, (1 + across) / 2, (1 + down) / 2


def _framed(channel: np.ndarray, frame: Frame) -> np.ndarray:
    rows, columns = channel.shape
    x0, x1 = (round(v * columns) for v in (frame[0], frame[2]))
    y0, y1 = (round(v * rows) for v in (frame[1], frame[3]))
    return channel[min(y0, rows - 1) : max(y1, y0 + 1), min(x0, columns - 1) : max(x1, x0 + 1)]


def normalised(
    channels: Sequence[np.ndarray],
    names: Sequence[str],
    shape: tuple[int, int],
    file: str,
    frame: Frame | None = None,
    stretch: bool = False,
) -> Layers:
    """Ground layers for a level of `shape` cells: brought to its resolution and to 255 in every cell.

    Parameters: frame, the part of the maps that is taken; stretch, whether maps of another form are fitted
    to the level's.

    Raises: Refused when names and channels do not match, a name comes twice, or the maps are of another form
    and neither framed nor to be stretched.
    """
    names = [n.strip() for n in names]
    if len(names) != len(channels):
        raise Refused(
            f"{file}: there are {len(channels)} layers and {len(names)} names; each layer needs one"
        )
    if len(channels) > MOST_LAYERS:
        raise Refused(f"{file}: there are {len(channels)} layers; a level holds at most {MOST_LAYERS}")
    if not all(names) or len(set(names)) < len(names):
        raise Refused(f"{file}: every layer needs a name of its own")
    notes, rows, columns = [], *shape
    if frame:
        if not (frame[0] < frame[2] and frame[1] < frame[3]):
            raise Refused("frame: it needs a width and a height")
        channels = [_framed(channel, frame) for channel in channels]
        notes.append(f"A frame of {channels[0].shape[1]} × {channels[0].shape[0]} values is taken.")
    for channel in channels:
        high, wide = channel.shape
        if abs(np.log((wide / high) / (columns / rows))) > SAME_FORM and not frame:
            if not stretch:
                raise Refused(
                    f"{file}: the layers are {wide} × {high}, the level has {columns} × {rows} cells: "
                    "they are not of one form, so the layers would be stretched"
                )
            notes.append(f"Layers of {wide} × {high} are stretched to the level's form.")
    if any(c.shape != tuple(shape) for c in channels):
        high, wide = channels[0].shape
        notes.append(
            f"The layers are {wide} × {high} and are resampled to the level's {columns} × {rows} cells."
        )
    weights = np.stack([resample(c, shape).ravel() for c in channels])
    out = np.empty((rows * columns, len(channels)), np.uint8)
    bare = _share_out(weights, out) / (rows * columns)
    if bare:
        notes.append(f"{bare:.1%} of the ground has no layer; it is given to {names[0]}.")
    return Layers(names, out.reshape(rows, columns, len(channels)), bare, notes)


def read_mask(path: Path, name: str) -> np.ndarray:
    """A mask image (rows, columns): the first channel, uint8 where that holds all that the file says, else
    uint16; the highest value for full. Floating point counts from 0 to 1, or from its lowest value to its
    highest where it has others.

    Raises: Refused naming the file and the cause.
    """
    channels = _read_raw(path, name)
    if len(channels) > 2:
        raise Refused(f"{name}: it holds colours; a mask is a greyscale picture")
    values = channels[0]
    if np.issubdtype(values.dtype, np.floating):
        if bad := int((~np.isfinite(values)).sum()):
            raise Refused(f"{name}: {bad:,} of its values are no numbers (NaN, or without end)")
        low, high = float(values.min()), float(values.max())
        if low < 0 or high > 1:
            values = (values - low) / max(high - low, 1e-30)
    try:
        shares = np.clip(_as_share(values), 0, 1)
    except Refused as error:
        raise Refused(f"{name}: {error}") from None
    coarse = np.rint(shares * 255).astype(np.uint8)
    if np.array_equal(coarse.astype(np.float32) / np.float32(255), shares):
        return coarse
    return np.rint(shares * np.float32(65535)).astype(np.uint16)
