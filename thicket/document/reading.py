"""Reading a level from the folder that `thicket.document.folder` writes. Nothing in the folder is trusted:
every part is held to the limits of `thicket.limits` and of the settings' schemas, and what cannot be taken
is refused by a sentence that names the file and the field."""

from __future__ import annotations

import csv
import json
import struct
import zipfile
from collections import defaultdict
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from pydantic import TypeAdapter, ValidationError
from rasterio.errors import RasterioError

from thicket.document.atmosphere import from_before
from thicket.document.drawing import from_marks
from thicket.document.folder import BROUGHT_IN, PIN_COLUMNS, RAISED, file_name
from thicket.document.level import Item, Level, Snapshot, Stand
from thicket.document.level_file import (
    FORMAT,
    ItemFile,
    LevelFile,
    SnapshotFile,
    UprootedFile,
    ViewFile,
    stand_from,
)
from thicket.document.mesh_touch import MeshTouch
from thicket.document.pin_rows import GoneRow, PinRow, Plant, Row, pins_from
from thicket.document.rasters import Heights, LayerMaps, Mask
from thicket.document.shape_file import core_shape
from thicket.document.stock_file import item_from
from thicket.document.surfaces import mesh_of
from thicket.document.touch import TouchMap
from thicket.formats.rasters import open_raster
from thicket.formats.stock import measure
from thicket.hashing import digest_of
from thicket.limits import (
    LARGEST_MESH,
    MASK_SIDE,
    PINS,
    check_count,
    check_ground,
    check_touch_cell,
)
from thicket.planting.pins import Pins, Uprooted
from thicket.refused import Refused, first_error

LARGEST, MOST_FILES = 2 << 30, 5000
"""A zip may unpack to so many bytes, in so many files."""
LARGEST_TEXT = 64 << 20
"""Bytes of `level.json`, and of `pins.csv`."""


def open_level(folder: str | Path) -> Level:
    """Read a level from a folder.

    Raises: Refused, naming the file, when one is missing, damaged, past a limit, or does not fit the others.
    """
    folder = Path(folder)
    given = _read_level_file(folder / "level.json")
    ground = _read_ground(folder, given.cell)
    stands = {stand.number: stand_from(stand) for stand in given.stands}
    level = Level(
        given.slug,
        given.name,
        given.seed,
        ground,
        _read_layers(folder, given.layers, ground.ground.cells),
        {name: _read_mask(folder, name, given) for name in given.masks},
        {s.number: core_shape(s) for s in given.shapes},
        {i.slug: _read_item(folder, i) for i in given.stock},
        stands,
        given.touch_cell,
        details={
            "view": _view(given.view, ground.ground.heights),
            "shapes": {s.number: s.details.model_dump(mode="json") for s in given.shapes},
            "textures": _read_textures(folder, given.view),
        },
        surfaces={s.number: s.placed() for s in given.surfaces},
    )
    for placed in level.surfaces.values():
        _named("level.json: surfaces", mesh_of, level, placed)
    _named("level.json", check_touch_cell, level.touch_shape, level.touch_cell)
    return replace(
        level,
        touch=_read_touch("touch/{}.png", stands, folder, level.touch_shape),
        mesh_touch=_read_mesh_touch("touch/{}.npy", stands, folder),
        pins=_read_pins(folder / "pins.csv", stands, level.stock, given.uprooted),
        snapshots={name: _read_snapshot(folder, name, level.stock) for name in given.snapshots},
    )


def _named(name: str, check: Any, *arguments: Any) -> Any:
    """What a check returns; what it refuses, it refuses of this file."""
    try:
        return check(*arguments)
    except Refused as error:
        raise Refused(f"{name}: {error}") from None
    except ValidationError as error:
        raise Refused(f"{name}: {first_error(error)}") from None


def _read_text(path: Path) -> str:
    if path.stat().st_size > LARGEST_TEXT:
        raise Refused(f"{path.name}: it has more than {LARGEST_TEXT >> 20} MB")
    return path.read_text(encoding="utf-8")


def _read_json(path: Path) -> Any:
    try:
        return json.loads(_read_text(path))
    except FileNotFoundError:
        raise Refused(f"{path.parent.name}: there is no {path.name} in it") from None
    except (OSError, UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
        raise Refused(f"{path.name}: it cannot be read: {str(error)[:200]}") from None


def _read_level_file(path: Path) -> LevelFile:
    found = _read_json(path)
    newer = isinstance(found, dict) and found.get("format", FORMAT)
    if isinstance(newer, int) and newer > FORMAT:
        raise Refused(f"level.json: it was written by a newer version of Knee Thicket (format {newer})")
    return _named("level.json", LevelFile.model_validate, found)


def _read_ground(folder: Path, cell: float) -> Heights:
    """The heights, and what of them was raised by hand where the files for that give the same heights."""
    heights = _read_heights(folder / "heights.tif", cell)
    if (folder / RAISED).exists() and (folder / BROUGHT_IN).exists():
        base, raised = _read_heights(folder / BROUGHT_IN, cell), _read_tif(folder / RAISED, cell)
        if raised.dtype == np.int32 and raised.shape == base.shape:
            both = Heights.of(base, cell, raised)
            if both.key == digest_of(heights, cell):
                return both
    return Heights.of(heights, cell)


def _read_tif(path: Path, cell: float) -> np.ndarray:
    try:
        with open_raster(path, "GTiff") as file:
            _named(path.name, check_ground, file.height, file.width, cell)
            return file.read(1)
    except RasterioError:
        raise Refused(f"{path.name}: it is missing, damaged, or not a GeoTIFF") from None


def _read_heights(path: Path, cell: float) -> np.ndarray:
    heights = _read_tif(path, cell)
    if heights.dtype.kind not in "fiu" or not np.isfinite(heights).all():
        raise Refused(f"{path.name}: it holds values that are no heights")
    if np.abs(heights).max() > 1e5:
        raise Refused(f"{path.name}: it holds heights beyond 100,000 m")
    return heights.astype(np.float32)


def _read_layers(folder: Path, names: Sequence[str], shape: tuple[int, int]) -> LayerMaps:
    weights = [_read_png(folder / f"layers/{file_name(name)}.png", np.uint8, shape) for name in names]
    return LayerMaps.of(names, np.stack(weights, axis=-1) if weights else np.empty((*shape, 0), np.uint8))


def _read_mask(folder: Path, name: str, given: LevelFile) -> Mask:
    """A mask image, and what of it is painted where the files for that give the same values."""
    file, source = file_name(name), given.mask_sources.get(name)
    mask = Mask.of(_read_greys(folder / f"masks/{file}.png"), source)
    if name not in given.painted_masks:
        return mask
    base, path = _read_greys(folder / f"painted/{file}.png"), folder / f"painted/{file}.tif"
    try:
        with open_raster(path, "GTiff") as raster:
            fits = raster.shape == base.shape == mask.values.shape and raster.dtypes[0] == "int32"
            both = Mask.of(base, source, raster.read(1)) if fits else mask
    except RasterioError:
        raise Refused(f"painted/{file}.tif: it is missing, damaged, or not a GeoTIFF") from None
    return both if both.key == mask.key else mask


def _read_greys(path: Path) -> np.ndarray:
    deep = False
    with suppress(OSError), path.open("rb") as file:
        deep = file.read(25)[24:] == bytes([16])  # bits a channel
    return _read_png(path, np.uint16 if deep else np.uint8)


def _read_png(path: Path, kind: type, shape: tuple[int, int] | None = None) -> np.ndarray:
    name = f"{path.parent.name}/{path.name}"
    try:
        with Image.open(path, formats=["PNG"]) as picture:
            columns, rows = picture.size
            if shape and (rows, columns) != shape:
                raise Refused(
                    f"{name}: it has {columns} × {rows} values; the level has {shape[1]} × {shape[0]}"
                )
            if max(rows, columns) > max([MASK_SIDE, *(shape or ())]):
                raise Refused(
                    f"{name}: it has {columns:,} × {rows:,} values; at most {MASK_SIDE:,} a side are taken"
                )
            values = np.array(picture)
    except Refused:
        raise
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise Refused(f"{name}: it is missing, damaged, or not a PNG") from None
    if values.ndim != 2 or (values.dtype != kind and not (kind is np.uint16 and values.dtype == np.int32)):
        raise Refused(f"{name}: it is not greyscale of {np.dtype(kind).itemsize * 8} bits")
    return values.astype(kind)


def _read_picture(folder: Path, name: str) -> bytes:
    """The bytes of a PNG that is only shown."""
    try:
        with Image.open(folder / name, formats=["PNG"]) as picture:
            if max(picture.size) > MASK_SIDE:
                raise Refused(f"{name}: at most {MASK_SIDE:,} × {MASK_SIDE:,} points are taken")
            picture.load()
    except Refused:
        raise
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise Refused(f"{name}: it is missing, or not a PNG") from None
    return (folder / name).read_bytes()


def _read_textures(folder: Path, view: ViewFile) -> dict[str, bytes]:
    """The pictures that ground layers are drawn with, by their digests."""
    return {
        layer.texture: _read_picture(folder, f"textures/{layer.texture}.png")
        for layer in view.layers
        if layer.texture
    }


def _view(given: ViewFile, heights: np.ndarray) -> dict[str, Any]:
    view = {name: part for name, part in given.model_dump(mode="json").items() if part is not None}
    if "tiers" not in given.model_fields_set:
        del view["tiers"]
    low, high = float(heights.min()), float(heights.max())
    return from_marks(_named("level.json: view", from_before, view, low, high))


def _read_item(folder: Path, given: ItemFile) -> Item:
    mesh, picture = f"stock/{given.slug}.glb", f"stock/{given.slug}.png"
    data = b""
    if (folder / mesh).is_file():
        if (folder / mesh).stat().st_size > LARGEST_MESH:
            raise Refused(f"{mesh}: it has more than {LARGEST_MESH >> 20} MB")
        data = (folder / mesh).read_bytes()
    picture_bytes = _read_picture(folder, picture) if (folder / picture).is_file() else b""
    return item_from(given, data, picture_bytes)


def _read_touch(path: str, stands: Mapping[int, Stand], folder: Path, shape: tuple[int, int] | None) -> dict:
    """The touch of stands, in files called as `path` says of a stand's slug; `shape` is what it must have."""
    found = {}
    for number, stand in stands.items():
        name = path.format(stand.slug)
        if (folder / name).is_file():
            values = _read_png(folder / name, np.uint16, shape)
            found[number] = TouchMap.of((values.astype(np.int32) - 32768).astype(np.int16))
    return found


def _read_mesh_touch(path: str, stands: Mapping[int, Stand], folder: Path) -> dict[int, MeshTouch]:
    """What is painted of stands on placed meshes, in files called as `path` says of a stand's slug."""
    found = {}
    for number, stand in stands.items():
        name = path.format(stand.slug)
        if (folder / name).is_file():
            if (folder / name).stat().st_size > LARGEST_TEXT * 2:
                raise Refused(f"{name}: it has more than {LARGEST_TEXT * 2 >> 20} MB")
            found[number] = _named(name, MeshTouch.from_bytes, (folder / name).read_bytes())
    return found


def _pin_row(row: Mapping[str, str], stock: Mapping[str, Item]) -> tuple[int, Row]:
    plant = TypeAdapter(Plant).validate_python(row["plant"])
    home = (row["home_x"], row["home_z"]) if row["home_x"] else None
    if row["gone"] == "1":
        return plant, GoneRow.model_validate({"home": home})
    given = {name: row[name] for name in PinRow.model_fields if name != "home"}
    found = PinRow.model_validate({**given, "home": home})
    if found.item not in stock:
        raise Refused(f"there is no item {found.item!r} in stock")
    return plant, found


def _read_pins(
    path: Path, stands: Mapping[int, Stand], stock: Mapping[str, Item], uprooted: Sequence[UprootedFile]
) -> dict[int, Pins]:
    by_slug = {stand.slug: number for number, stand in stands.items()}
    rows: dict[int, dict[int, Row]] = defaultdict(dict)
    places: dict[int, list[Uprooted]] = defaultdict(list)
    known: set[int] = set()
    for line, given in _lines(path):
        where = f"{path.name}: line {line}"
        if given["stand"] not in by_slug:
            raise Refused(f"{where}: the level has no stand {given['stand'][:60]!r}")
        plant, row = _named(where, _pin_row, given, stock)
        if plant in known:
            raise Refused(f"{where}: the plant {plant} stands there twice")
        known.add(plant)
        rows[by_slug[given["stand"]]][plant] = row
    for place in uprooted:
        places[place.stand].append(Uprooted(tuple(place.path), place.radius))
    return {number: pins_from(rows[number], places[number]) for number in sorted(rows.keys() | places.keys())}


def _read_snapshot(folder: Path, name: str, stock: Mapping[str, Item]) -> Snapshot:
    stem = f"snapshots/{file_name(name)}"
    given = _named(f"{stem}.json", SnapshotFile.model_validate, _read_json(folder / f"{stem}.json"))
    stands = {stand.number: stand_from(stand) for stand in given.stands}
    touch = _read_touch(f"{stem}.{{}}.png", stands, folder, None)
    for map_ in touch.values():
        _named(f"{stem}.json", check_touch_cell, map_.shape, given.touch_cell)
    pins = _read_pins(folder / f"{stem}.pins.csv", stands, stock, given.uprooted)
    mesh_touch = _read_mesh_touch(f"{stem}.{{}}.npy", stands, folder)
    return Snapshot(given.touch_cell, stands, touch, pins, mesh_touch)


def _lines(path: Path) -> list[tuple[int, dict[str, str]]]:
    """The rows of a table of pins with their line numbers."""
    if not path.is_file():
        return []
    try:
        table = csv.DictReader(_read_text(path).splitlines())
        names = tuple(table.fieldnames or ())
        if names not in (PIN_COLUMNS, PIN_COLUMNS[:-1]):  # the last came later
            raise Refused(f"{path.name}: its first line must be {','.join(PIN_COLUMNS)}")
        found = [(table.line_num, row) for row in islice(table, PINS + 1)]
    except (csv.Error, UnicodeDecodeError) as error:
        raise Refused(f"{path.name}: it cannot be read: {error}") from None
    for line, row in found:
        if None in row or None in row.values():
            raise Refused(f"{path.name}: line {line}: it must have {len(names)} values")
        row.setdefault("surface", "0")
    _named(path.name, check_count, "pins", found, PINS)
    return found


def _check_glb(item: Item) -> None:
    """Refuse an item whose mesh is missing or cannot be drawn."""
    name = f"stock/{item.slug}.glb"
    if not item.glb:
        raise Refused(f"{name}: the mesh of {item.name} is missing")
    try:
        measure(item.slug, item.glb)
    except (ValueError, KeyError, IndexError, TypeError, AttributeError, OverflowError, struct.error):
        raise Refused(f"{name}: it is not a mesh with its states, as this application writes it") from None


def open_zip(path: Path, name: str, folder: Path) -> Level:
    """Read a level from a zip that `zip_level` made, or one of a folder that `save_level` wrote.

    Parameters: path of the file; name, what it is called in sentences; folder, an empty one to unpack it
    in, which is the caller's to remove. Raises: Refused."""
    try:
        with zipfile.ZipFile(path) as packed:
            _unpack(packed, name, folder)
    except (
        zipfile.BadZipFile,
        NotImplementedError,
        RuntimeError,
        EOFError,
        OSError,
        ValueError,
        struct.error,
    ) as error:
        if isinstance(error, Refused):
            raise
        raise Refused(f"{name}: it is not a zip that can be read") from None
    found = sorted(folder.rglob("level.json"), key=lambda p: (len(p.parts), p))
    if not found:
        raise Refused(f"{name}: there is no level.json in it")
    level = open_level(found[0].parent)
    for item in level.stock.values():
        _check_glb(item)
    return level


def _unpack(packed: zipfile.ZipFile, name: str, folder: Path) -> None:
    """Unpack a zip, its bytes counted as they come: what its directory says of sizes may be a lie."""
    parts = packed.infolist()
    if len(parts) > MOST_FILES:
        raise Refused(f"{name}: it holds more than {MOST_FILES:,} files")
    left = LARGEST
    for part in parts:
        target = (folder / part.filename).resolve()
        if part.is_dir():
            continue
        if not target.is_relative_to(folder.resolve()):
            raise Refused(f"{name}: {part.filename[:60]!r} would lie outside of its folder")
        target.parent.mkdir(parents=True, exist_ok=True)
        with packed.open(part) as inside, target.open("wb") as out:
            while data := inside.read(1 << 20):
                left -= len(data)
                if left < 0:
                    raise Refused(f"{name}: it unpacks to more than {LARGEST >> 20:,} MB")
                out.write(data)
