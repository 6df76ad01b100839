"""Heightmaps from open formats: 16-bit PNG, headerless raw, GeoTIFF, NumPy arrays, and triangle meshes seen
from above."""

from __future__ import annotations

import struct
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image, UnidentifiedImageError
from rasterio.errors import RasterioError
from rasterio.fill import fillnodata

from thicket.formats.mesh_in import mesh_heights
from thicket.formats.rasters import open_raster
from thicket.limits import HEIGHTS_SIDE as LARGEST
from thicket.limits import LEAST_HEIGHTS_SIDE as SMALLEST
from thicket.refused import Refused

RAW_SUFFIXES, MESH_SUFFIXES = (".raw", ".r16", ".bin"), (".glb", ".gltf", ".obj")
_BAD = (
    OSError,
    SyntaxError,
    ValueError,
    EOFError,
    struct.error,
    RasterioError,
    UnidentifiedImageError,
    Image.DecompressionBombError,
)


@dataclass(frozen=True)
class Reading:
    """How to read what a file does not say: the width and byte order of a raw file, the cell size in m for a
    mesh."""

    width: int | None = None
    big_endian: bool | None = None
    cell: float | None = None


@dataclass(frozen=True, eq=False)
class HeightsFile:
    """A heightmap as its file has it.

    steps: whole-number values (rows, columns) that lie between a lowest and a highest altitude yet to be
    given, or None; metres: float32 altitudes, or None; full: the step that stands for the highest altitude.
    cell, low, high in m where the file says them. filled: the share of the ground where the file says nothing
    and neighbours were carried over. notes: what a person should know, sentences.
    """

    kind: str
    steps: np.ndarray | None = None
    metres: np.ndarray | None = None
    full: int = 0
    cell: float | None = None
    low: float | None = None
    high: float | None = None
    filled: float = 0.0
    notes: list[str] = field(default_factory=list)
    reading: Reading = Reading()

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns of its values."""
        rows, columns = self._values.shape
        return rows, columns

    @property
    def _values(self) -> np.ndarray:
        values = self.metres if self.steps is None else self.steps
        if values is None:
            raise ValueError("a heightmap has steps or metres")
        return values

    def altitudes(self, low: float | None = None, high: float | None = None) -> np.ndarray:
        """Heights float32 (rows, columns) in m, the lowest and highest altitude as given or as the file says.

        Raises: Refused when the file does not say them and they are not given, or low is not below high.
        """
        low, high = self.low if low is None else low, self.high if high is None else high
        if self.metres is not None and (low, high) == (self.low, self.high):
            return self.metres
        if low is None or high is None:
            raise Refused("the file does not say how high its lowest and highest steps lie: give both, in m")
        if not (np.isfinite(low) and np.isfinite(high) and low < high):
            raise Refused(f"the lowest altitude ({low:g} m) must lie below the highest ({high:g} m)")
        if self.steps is not None:
            table = (low + np.arange(self.full + 1) * ((high - low) / self.full)).astype(np.float32)
            return table[self.steps]
        lowest, highest = float(self.low or 0.0), float(self.high or 0.0)
        span = max(highest - lowest, 1e-9)
        return (low + (self._values.astype(float) - lowest) * ((high - low) / span)).astype(np.float32)


def _check_size(rows: int, columns: int) -> None:
    if rows > LARGEST or columns > LARGEST:
        raise Refused(f"it is {columns:,} × {rows:,}; at most {LARGEST:,} × {LARGEST:,} values are taken")
    if rows < SMALLEST or columns < SMALLEST:
        raise Refused(f"it is {columns} × {rows}; a level needs at least {SMALLEST} × {SMALLEST} values")


def png_head(path: Path) -> tuple[int, int, int, int]:
    """Columns, rows, bits a channel and colour type of a PNG, from its first chunk.

    Raises: Refused when that is not the header, as the format demands.
    """
    with path.open("rb") as file:
        head = file.read(26)
    if len(head) < 26 or head[12:16] != b"IHDR":
        raise Refused("it is damaged: a PNG begins with its size")
    return struct.unpack(">IIBB", head[16:26])


def _from_png(path: Path, reading: Reading) -> HeightsFile:
    columns, rows, bits, colour = png_head(path)
    _check_size(rows, columns)
    if colour not in (0, 4):
        raise Refused("it holds colours; a heightmap is a greyscale picture")
    with Image.open(path) as image:
        stated: dict[str, Any] = {
            k: float(v) for k, v in image.info.items() if k in ("low", "high", "cell") and isinstance(v, str)
        }
        values = np.array(image.getchannel(0) if image.mode == "LA" else image)
    steps = values.astype(np.uint16 if bits == 16 else np.uint8, copy=False)
    return HeightsFile(f"{bits}-bit PNG", steps, full=2**bits - 1, notes=_steps_note(bits), **stated)


def _steps_note(bits: int) -> list[str]:
    if bits >= 16:
        return []
    return [
        f"It has only {2**bits} steps of height, so slopes will be terraced: bring in 16 bits where you can."
    ]


def _smoothness(values: np.ndarray) -> float:
    """How much neighbours differ; the right width and byte order give the least."""
    v = values.astype(np.float32)
    return float(np.abs(np.diff(v, axis=0)).mean() + np.abs(np.diff(v, axis=1)).mean())


def raw_widths(count: int) -> list[int]:
    """Widths that a headerless file of so many values may have, squarest first."""
    found = {
        w
        for w in range(SMALLEST, min(LARGEST, count // SMALLEST) + 1)
        if count % w == 0 and count // w <= LARGEST
    }
    return sorted(found, key=lambda w: (abs(np.log(w * w / count)), w))


def _from_raw(path: Path, reading: Reading) -> HeightsFile:
    size = path.stat().st_size
    if size % 2:
        raise Refused(
            f"it has {size:,} bytes, an odd number; 16-bit values have two each, so it is cut "
            f"short or no such file"
        )
    count = size // 2
    if count > LARGEST * LARGEST:
        raise Refused(f"it holds {count:,} values; at most {LARGEST:,} × {LARGEST:,} are taken")
    widths = raw_widths(count)
    if reading.width is not None:
        if reading.width < 1 or count % reading.width:
            raise Refused(f"{count:,} values do not make whole rows of {reading.width:,}")
        _check_size(count // reading.width, reading.width)
        widths = [reading.width]
    if not widths:
        raise Refused(
            f"{count:,} values make no rectangle between {SMALLEST} and {LARGEST:,} on a side; "
            "it is cut short or has a header"
        )
    data = path.read_bytes()
    orders = (">u2", "<u2") if reading.big_endian is None else (">u2",) if reading.big_endian else ("<u2",)
    tries = [
        (_smoothness(np.frombuffer(data, o).reshape(-1, w)[:512]), w, o) for w in widths[:6] for o in orders
    ]
    best = min(t[0] for t in tries)
    rough, width, order = next(t for t in tries if t[0] <= best * 1.02)
    guessed = [
        name
        for name, given in (("width", reading.width), ("byte order", reading.big_endian))
        if given is None
    ]
    stated_by_file = (
        f"{width:,} × {count // width:,} values, {'most' if order == '>u2' else 'least'} "
        f"significant byte first"
    )
    note = (
        [f"{stated_by_file}; the {' and the '.join(guessed)} {'is' if len(guessed) == 1 else 'are'} guessed."]
        if guessed
        else []
    )
    return HeightsFile(
        "16-bit raw",
        np.frombuffer(data, order).reshape(-1, width).astype(np.uint16),
        full=65535,
        notes=note,
        reading=replace(reading, width=width, big_endian=order == ">u2"),
    )


def _from_tiff(path: Path, reading: Reading) -> HeightsFile:
    with open_raster(path, "GTiff") as file:
        _check_size(file.height, file.width)
        values = file.read(1)
        holes = file.read_masks(1) == 0
        scale, offset, transform, crs, bands = (
            file.scales[0],
            file.offsets[0],
            file.transform,
            file.crs,
            file.count,
        )
        tags = file.tags()
    if np.iscomplexobj(values):
        raise Refused("it holds complex numbers, not heights")
    placed = not transform.is_identity
    notes = [f"It has {bands} bands; the first is taken for the heights."] if bands > 1 else []
    cell = None
    if placed:
        across, down = abs(transform.a), abs(transform.e)
        if crs is not None and crs.is_geographic:
            notes.append("Its size is in degrees, not in m: give the cell size.")
        elif abs(across - down) > 0.01 * across:
            raise Refused(
                f"its cells are {across:g} m by {down:g} m; square cells are needed, resample it first"
            )
        else:
            cell = across
        if transform.e > 0:
            values, holes = values[::-1], holes[::-1]
    whole = np.issubdtype(values.dtype, np.integer)
    if whole and not placed and values.dtype in (np.uint8, np.uint16) and (scale, offset) == (1.0, 0.0):
        bits = values.dtype.itemsize * 8
        if holes.any():
            values = np.rint(_fill(values.astype(np.float32), holes)).astype(values.dtype)
        stated: dict[str, Any] = {
            k: float(tags[f"KT_{k.upper()}"]) for k in ("low", "high", "cell") if f"KT_{k.upper()}" in tags
        }
        return HeightsFile(
            f"{bits}-bit TIFF",
            np.ascontiguousarray(values),
            full=2**bits - 1,
            filled=float(holes.mean()),
            notes=notes + _steps_note(bits),
            **stated,
        )
    metres = (values.astype(np.float64) * scale + offset).astype(np.float32)
    return _in_metres(f"GeoTIFF, {values.dtype}", metres, holes, cell, notes)


def _in_metres(
    kind: str, metres: np.ndarray, holes: np.ndarray, cell: float | None, notes: list[str]
) -> HeightsFile:
    """A file that says its altitudes: holes filled, range read off."""
    holes = holes | ~np.isfinite(metres)
    share = float(holes.mean())
    metres = np.ascontiguousarray(_fill(metres, holes) if share else metres)
    low, high = float(metres.min()), float(metres.max())
    if max(abs(low), abs(high)) > 1e5:
        raise Refused(f"its values run from {low:g} to {high:g}, which cannot be altitudes in m")
    return HeightsFile(kind, metres=metres, cell=cell, low=low, high=high, filled=share, notes=notes)


def _fill(metres: np.ndarray, holes: np.ndarray) -> np.ndarray:
    """Carry the ground around over the holes."""
    if holes.all():
        raise Refused("it holds no height at all")
    solid = np.where(holes, 0, metres).astype(np.float32)
    out = fillnodata(
        solid,
        mask=(~holes).astype(np.uint8),
        max_search_distance=float(max(metres.shape)),
        smoothing_iterations=1,
    )
    return out.astype(np.float32)


def _from_npy(path: Path, reading: Reading) -> HeightsFile:
    values = np.load(path, mmap_mode="r", allow_pickle=False)
    if not isinstance(values, np.ndarray) or values.ndim != 2 or values.dtype.kind not in "iuf":
        raise Refused("it holds no table of numbers with rows and columns")
    _check_size(*values.shape)
    kind = f"NumPy array, {values.dtype}"
    if values.dtype in (np.uint8, np.uint16):
        bits = values.dtype.itemsize * 8
        return HeightsFile(kind, np.ascontiguousarray(values), full=2**bits - 1, notes=_steps_note(bits))
    with np.errstate(over="ignore"):
        return _in_metres(kind, np.array(values, np.float32), np.zeros(values.shape, bool), None, [])


def _from_mesh(path: Path, suffix: str, reading: Reading) -> HeightsFile:
    seen = mesh_heights(path, suffix, reading.cell, LARGEST)
    _check_size(*seen.heights.shape)
    file = _in_metres(
        f"mesh of {seen.triangles:,} triangles", seen.heights, np.isnan(seen.heights), seen.cell, []
    )
    if file.filled:
        file.notes.append(f"Seen from above, the mesh leaves {file.filled:.1%} of its rectangle uncovered.")
    file.notes.append("Its y is taken for up; where parts lie over each other, the highest counts.")
    return replace(file, reading=replace(reading, cell=seen.cell))


def read_heights(path: Path, name: str, reading: Reading = Reading()) -> HeightsFile:
    """Read a heightmap.

    Parameters: path of the file; the name it goes by, whose ending marks a raw file or a mesh; reading, what
    the file itself does not say. Its size is checked before its values are unpacked.

    Raises: Refused naming the file and the cause when it is cut short, too large or small, or not a
    heightmap.
    """
    suffix = Path(name).suffix.lower()
    try:
        with path.open("rb") as file:
            head = file.read(8)
        if head.startswith(b"\x89PNG"):
            found = _from_png(path, reading)
        elif head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
            found = _from_tiff(path, reading)
        elif head.startswith(b"\x93NUMPY"):
            found = _from_npy(path, reading)
        elif suffix in MESH_SUFFIXES:
            found = _from_mesh(path, suffix, reading)
        elif suffix in RAW_SUFFIXES:
            found = _from_raw(path, reading)
        else:
            raise Refused("it is none of PNG, GeoTIFF, NumPy .npy, raw (.raw, .r16, .bin), glTF or OBJ")
    except _BAD as error:
        raise Refused(f"{name}: {_sentence(error)}") from error
    if found.filled and not any("uncovered" in n for n in found.notes):
        found.notes.append(
            f"{found.filled:.1%} of it holds no height; that was filled from the ground around."
        )
    return found


def _sentence(error: Exception) -> str:
    """The cause in words; never a library's own."""
    if isinstance(error, Refused):
        return str(error)
    return "it is damaged or cut short and cannot be read"
