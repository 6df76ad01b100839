"""A level as a folder: `level.json` beside its rasters, pins and meshes, in open formats, so that it can be
kept in version control, copied and planted anywhere. docs/formats.md describes it; docs/level.schema.json is
`LevelFile`'s JSON Schema.

The same level always gives the same bytes; text where text will do, in a stable order, one raster a file.
"""

from __future__ import annotations

import csv
import io
import json
import struct
import tempfile
import warnings
import zipfile
from collections import defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any, cast

import numpy as np
import rasterio
from PIL import Image
from pydantic import ValidationError
from rasterio.errors import NotGeoreferencedWarning, RasterioIOError
from rasterio.transform import from_origin

from thicket.document.atmosphere import from_before
from thicket.document.drawing import from_marks
from thicket.document.level import Item, Level, Stand
from thicket.document.level_file import (
    FORMAT,
    ItemFile,
    LevelFile,
    ShapeFile,
    StandFile,
    TrailFile,
    UprootedFile,
    ViewFile,
)
from thicket.document.rasters import Heights, LayerMaps, Mask
from thicket.document.touch import TouchMap
from thicket.formats.stock import measure
from thicket.ground.shapes import Shape, Trail
from thicket.planting.pins import COLUMNS, Pins, Uprooted
from thicket.refused import Refused

PARTS = ("layers", "masks", "touch", "stock", "textures")
LARGEST = 2 << 30
"""A zip may unpack to so many bytes."""
PIN_COLUMNS = ("stand", "plant", *COLUMNS)


def save_level(level: Level, folder: Path) -> None:
    """Write a level into a folder, which is made when it is not there; files of a level that was there before
    are removed.

    Raises: Refused when the folder holds other things than a level.
    """
    folder = Path(folder)
    if folder.exists() and any(folder.iterdir()) and not (folder / "level.json").exists():
        raise Refused(f"{folder}: it holds other things than a level")
    written = {folder / "level.json"}
    for part in PARTS:
        (folder / part).mkdir(parents=True, exist_ok=True)
    for name, data in _files(level):
        (folder / name).write_bytes(data)
        written.add(folder / name)
    body = _level_file(level).model_dump(mode="json")
    body["view"] = {name: part for name, part in body["view"].items() if part is not None}
    text = json.dumps(body, indent=2, ensure_ascii=False)
    (folder / "level.json").write_text(text + "\n", encoding="utf-8")
    for part in PARTS:
        for path in set((folder / part).iterdir()) - written:
            path.unlink()
        if not any((folder / part).iterdir()):
            (folder / part).rmdir()


def _file_name(name: str) -> str:
    """A layer's or mask's name as part of a file's."""
    return "".join(c if c.isalnum() or c in " -_." else f"%{ord(c):x}" for c in name)


def _files(level: Level) -> Iterator[tuple[str, bytes]]:
    """All files but `level.json`."""
    yield "heights.tif", _tif(level.heights.ground.heights, level.heights.ground.cell)
    for k, name in enumerate(level.layers.names):
        yield f"layers/{_file_name(name)}.png", _png(level.layers.weights[..., k])
    for name, mask in level.masks.items():
        yield f"masks/{_file_name(name)}.png", _png(mask.values)
    for number, touch in level.touch.items():
        if number in level.stands and touch.tiles:
            yield (
                f"touch/{level.stands[number].slug}.png",
                _png((touch.array.astype(np.int32) + 32768).astype(np.uint16)),
            )
    for item in level.stock.values():
        if item.glb:
            yield f"stock/{item.slug}.glb", item.glb
        if item.silhouette:
            yield f"stock/{item.slug}.png", item.silhouette
    for digest, picture in level.details.get("textures", {}).items():
        yield f"textures/{digest}.png", picture
    yield "pins.csv", _pins_csv(level)


def _tif(values: np.ndarray, cell: float) -> bytes:
    with warnings.catch_warnings(), rasterio.MemoryFile() as file:
        warnings.simplefilter("ignore", NotGeoreferencedWarning)
        with file.open(
            driver="GTiff",
            width=values.shape[1],
            height=values.shape[0],
            count=1,
            dtype="float32",
            compress="deflate",
            predictor=3,
            tiled=True,
            transform=from_origin(-cell / 2, cell / 2, cell, cell),
        ) as out:
            out.write(values.astype(np.float32), 1)
        return file.read()


def _png(values: np.ndarray) -> bytes:
    out = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(values)).save(out, "PNG")
    return out.getvalue()


def _trail_file(trail: Trail | None) -> TrailFile | None:
    if trail is None:
        return None
    return TrailFile(
        reach=trail.reach, lean=trail.lean, flatten=trail.flatten, strata=cast(Any, list(trail.strata))
    )


def _trail(given: TrailFile | None) -> Trail | None:
    return None if given is None else Trail(given.reach, given.lean, given.flatten, tuple(given.strata))


def _level_file(level: Level) -> LevelFile:
    details = level.details.get("shapes", {})
    shapes = [
        ShapeFile(
            number=n,
            kind=cast(Any, s.kind),
            name=s.name,
            points=list(s.points),
            width=s.width,
            clear=s.clear,
            trail=_trail_file(s.trail),
            details=details.get(n, {}),
        )
        for n, s in sorted(level.shapes.items())
    ]
    stock = [
        ItemFile(
            slug=i.slug,
            name=i.name,
            height=i.height,
            crown=i.crown,
            trunk=i.trunk,
            points=[dict(p) for p in i.points],
            traits=dict(i.traits),
            distances=dict(i.distances),
        )
        for i in level.stock.values()
    ]
    stands = [
        StandFile(
            number=s.number,
            slug=s.slug,
            name=s.name,
            stratum=cast(Any, s.stratum),
            place=s.place,
            sward=s.sward,
            seed=s.seed,
            locked=s.locked,
            colour=s.colour,
            settings=s.settings,
        )
        for _, s in sorted(level.stands.items())
    ]
    uprooted = [
        UprootedFile(stand=n, path=list(place.path), radius=place.radius)
        for n, pins in sorted(level.pins.items())
        if n in level.stands
        for place in pins.uprooted
    ]
    return LevelFile(
        slug=level.slug,
        name=level.name,
        seed=level.seed,
        cell=level.heights.ground.cell,
        touch_cell=level.touch_cell,
        layers=list(level.layers.names),
        masks=list(level.masks),
        stock=stock,
        shapes=shapes,
        stands=stands,
        uprooted=uprooted,
        view=ViewFile.model_validate(level.details.get("view", {})),
    )


def _pins_csv(level: Level) -> bytes:
    """All pins, and the plants that were removed by hand, sorted by stand and id."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(PIN_COLUMNS)
    for number, pins in sorted(level.pins.items()):
        if number not in level.stands:
            continue
        homes = dict(zip(pins.replaced.tolist(), pins.home.tolist()))
        rows: list[list[Any]] = [
            [level.stands[number].slug, plant, item, x, z, lift, *rest, 0, *homes.pop(plant, ("", ""))]
            for plant, item, x, z, lift, rest in zip(
                pins.id.tolist(),
                pins.item,
                pins.x.tolist(),
                pins.z.tolist(),
                pins.lift.tolist(),
                pins.rest.tolist(),
            )
        ]
        for plant, home in homes.items():
            rows.append([level.stands[number].slug, plant, "", *home, *("",) * 8, 1, *home])
        rows.sort(key=lambda row: row[1])
        table.writerows(rows)
    return out.getvalue().encode()


def open_level(folder: str | Path) -> Level:
    """Read a level from a folder.

    Raises: Refused, naming the file, when one is missing, damaged or does not fit the others.
    """
    folder = Path(folder)
    given = _read_level_file(folder / "level.json")
    heights = _read_tif(folder / "heights.tif")
    ground = Heights.of(heights, given.cell)
    rows, columns = ground.ground.cells
    weights = [
        _read_png(folder / f"layers/{_file_name(name)}.png", np.uint8, (rows, columns))
        for name in given.layers
    ]
    layers = np.stack(weights, axis=-1) if weights else np.empty((rows, columns, 0), np.uint8)
    stands = {
        s.number: Stand(
            s.number, s.slug, s.name, s.stratum, s.place, s.sward, s.seed, s.settings, s.locked, s.colour
        )
        for s in given.stands
    }
    if len(stands) < len(given.stands) or len({s.slug for s in given.stands}) < len(given.stands):
        raise Refused("level.json: two stands have one number or slug")
    level = Level(
        given.slug,
        given.name,
        given.seed,
        ground,
        LayerMaps.of(given.layers, layers),
        {
            name: Mask.of(_read_png(folder / f"masks/{_file_name(name)}.png", np.uint8))
            for name in given.masks
        },
        {
            s.number: Shape(
                s.kind,
                tuple(s.points),
                s.width,
                s.clear,
                s.name,
                _trail(s.trail),
            )
            for s in given.shapes
        },
        {
            i.slug: Item(
                i.slug,
                i.name,
                i.height,
                i.crown,
                i.trunk,
                i.points,
                _read_glb(folder / f"stock/{i.slug}.glb"),
                i.traits,
                i.distances,
                _read_picture(folder, f"stock/{i.slug}.png")
                if (folder / f"stock/{i.slug}.png").exists()
                else b"",
            )
            for i in given.stock
        },
        stands,
        given.touch_cell,
        details={
            "view": from_marks(
                from_before(
                    given.view.model_dump(mode="json", exclude_none=True),
                    float(ground.ground.heights.min()),
                    float(ground.ground.heights.max()),
                )
            ),
            "shapes": {s.number: s.details for s in given.shapes if s.details},
            "textures": _read_textures(folder, given.view),
        },
    )
    return replace(level, touch=_read_touch(folder, level), pins=_read_pins(folder, level, given.uprooted))


def _read_level_file(path: Path) -> LevelFile:
    try:
        text = path.read_text(encoding="utf-8")
        found = json.loads(text)
        newer = isinstance(found, dict) and found.get("format", FORMAT)
        if isinstance(newer, int) and newer > FORMAT:
            raise Refused(f"level.json: it was written by a newer version of Knee Thicket (format {newer})")
        return LevelFile.model_validate(found)
    except FileNotFoundError:
        raise Refused(f"{path.parent}: there is no level.json in it") from None
    except (OSError, UnicodeDecodeError, json.JSONDecodeError) as error:
        raise Refused(f"level.json: it cannot be read: {error}") from None
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise Refused(f"level.json: {where}: {first['msg']}") from None


def _read_tif(path: Path) -> np.ndarray:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", NotGeoreferencedWarning)
            with rasterio.open(path) as file:
                heights = file.read(1)
    except RasterioIOError:
        raise Refused(f"{path.name}: it is missing, or not a GeoTIFF") from None
    if heights.ndim != 2 or min(heights.shape) < 2 or not np.isfinite(heights).all():
        raise Refused(f"{path.name}: it holds no whole grid of heights")
    return heights.astype(np.float32)


def _read_png(path: Path, kind: type, shape: tuple[int, int] | None = None) -> np.ndarray:
    name = f"{path.parent.name}/{path.name}"
    try:
        with Image.open(path) as picture:
            values = np.array(picture)
    except (OSError, ValueError):
        raise Refused(f"{name}: it is missing, or not a PNG") from None
    if values.ndim != 2 or (values.dtype != kind and not (kind is np.uint16 and values.dtype == np.int32)):
        raise Refused(f"{name}: it is not greyscale of {np.dtype(kind).itemsize * 8} bits")
    if shape and values.shape != shape:
        raise Refused(
            f"{name}: it has {values.shape[1]} × {values.shape[0]} values; the level has "
            f"{shape[1]} × {shape[0]}"
        )
    return values.astype(kind)


def _read_textures(folder: Path, view: ViewFile) -> dict[str, bytes]:
    """The pictures that ground layers are drawn with, by their digests."""
    found = {}
    for digest in filter(None, (layer.get("texture") for layer in view.layers)):
        found[digest] = _read_picture(folder, f"textures/{_file_name(str(digest))}.png")
    return found


def _read_picture(folder: Path, name: str) -> bytes:
    """The bytes of a PNG that is only shown."""
    try:
        with Image.open(folder / name, formats=["PNG"]) as picture:
            picture.load()
    except (OSError, ValueError, Image.DecompressionBombError):
        raise Refused(f"{name}: it is missing, or not a PNG") from None
    return (folder / name).read_bytes()


def _read_glb(path: Path) -> bytes:
    return path.read_bytes() if path.exists() else b""


def _read_touch(folder: Path, level: Level) -> dict[int, TouchMap]:
    found = {}
    for number, stand in level.stands.items():
        path = folder / f"touch/{stand.slug}.png"
        if path.exists():
            values = _read_png(path, np.uint16, level.touch_shape)
            found[number] = TouchMap.of((values.astype(np.int32) - 32768).astype(np.int16))
    return found


def _read_pins(folder: Path, level: Level, uprooted: list[UprootedFile]) -> dict[int, Pins]:
    by_slug = {stand.slug: number for number, stand in level.stands.items()}
    rows: dict[int, list[Mapping[str, str]]] = defaultdict(list)
    path = folder / "pins.csv"
    if path.exists():
        with path.open(newline="", encoding="utf-8") as file:
            table = csv.DictReader(file)
            if tuple(table.fieldnames or ()) != PIN_COLUMNS:
                raise Refused(f"pins.csv: its first line must be {','.join(PIN_COLUMNS)}")
            for row in table:
                if row["stand"] not in by_slug:
                    raise Refused(f"pins.csv: line {table.line_num}: the level has no stand {row['stand']!r}")
                rows[by_slug[row["stand"]]].append(row)
    places: dict[int, list[Uprooted]] = defaultdict(list)
    for place in uprooted:
        places[place.stand].append(Uprooted(tuple(place.path), place.radius))
    try:
        return {
            number: _pins(rows[number], tuple(places[number]))
            for number in sorted(rows.keys() | places.keys())
        }
    except (TypeError, ValueError) as error:
        raise Refused(f"pins.csv: {error}") from None


def _pins(rows: list[Mapping[str, str]], uprooted: tuple[Uprooted, ...]) -> Pins:
    standing = [row for row in rows if row["gone"] != "1"]
    homes = [row for row in rows if row["home_x"]]
    x, z, lift = (np.array([float(row[name]) for row in standing], float) for name in ("x", "z", "lift"))
    rest = np.array(
        [[float(row[name]) for name in PIN_COLUMNS[6:13]] for row in standing], np.float32
    ).reshape(-1, 7)
    return Pins(
        np.array([int(row["plant"]) for row in standing], np.uint64),
        x,
        z,
        lift.astype(np.float32),
        rest,
        tuple(row["item"] for row in standing),
        np.array([int(row["plant"]) for row in homes], np.uint64),
        np.array([[float(row["home_x"]), float(row["home_z"])] for row in homes], float).reshape(-1, 2),
        uprooted,
    )


def _check_glb(item: Item) -> None:
    """Refuse an item whose mesh cannot be drawn."""
    try:
        if item.glb:
            measure(item.slug, item.glb)
    except (ValueError, KeyError, IndexError, TypeError, struct.error):
        raise Refused(
            f"stock/{item.slug}.glb: it is not a mesh with its states, as this application writes it"
        ) from None


def zip_level(level: Level) -> bytes:
    """The folder as one zip, always the same for the same level."""
    with tempfile.TemporaryDirectory() as folder:
        save_level(level, Path(folder) / "level")
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
            for path in sorted(p for p in (Path(folder) / "level").rglob("*") if p.is_file()):
                name = path.relative_to(Path(folder) / "level").as_posix()
                packed.writestr(zipfile.ZipInfo(name), path.read_bytes(), zipfile.ZIP_DEFLATED)
        return out.getvalue()


def open_zip(path: Path, name: str) -> Level:
    """Read a level from a zip that `zip_level` made, or one of a folder that `save_level` wrote.

    Parameters: path of the file; name, what it is called in sentences. Raises: Refused.
    """
    try:
        with zipfile.ZipFile(path) as packed, tempfile.TemporaryDirectory() as folder:
            if sum(part.file_size for part in packed.infolist()) > LARGEST:
                raise Refused(f"{name}: it unpacks to more than {LARGEST >> 20:,} MB")
            packed.extractall(folder)  # which keeps every file inside the folder
            found = sorted(Path(folder).rglob("level.json"), key=lambda p: len(p.parts))
            if not found:
                raise Refused(f"{name}: there is no level.json in it")
            level = open_level(found[0].parent)
            for item in level.stock.values():
                _check_glb(item)
            return level
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, OSError):
        raise Refused(f"{name}: it is not a zip that can be read") from None
