"""A level as a folder: `level.json` beside its rasters, pins and meshes, in open formats, so that it can be
kept in version control, copied and planted anywhere. docs/formats.md describes it; docs/level.schema.json is
`LevelFile`'s JSON Schema.

The same level always gives the same bytes; text where text will do, in a stable order, one raster a file.
"""

from __future__ import annotations

import csv
import io
import json
import tempfile
import warnings
import zipfile
from collections.abc import Iterator, Mapping
from pathlib import Path

import numpy as np
import rasterio
from PIL import Image
from rasterio.errors import NotGeoreferencedWarning
from rasterio.transform import from_origin

from thicket.document.level import Level, Snapshot, Stand
from thicket.document.level_file import LevelFile, SnapshotFile, SurfaceFile, UprootedFile, ViewFile, file_of
from thicket.document.mesh_touch import MeshTouch
from thicket.document.pin_rows import VALUES, PinRow, rows_of
from thicket.document.shape_file import shape_file
from thicket.document.stock_file import item_file
from thicket.document.touch import TouchMap
from thicket.planting.pins import COLUMNS, Pins
from thicket.refused import Refused

PARTS = ("layers", "masks", "painted", "touch", "stock", "textures", "snapshots", "ground")
BROUGHT_IN, RAISED = "ground/brought-in.tif", "ground/raised.tif"
"""The heights before anything was raised by hand, and what was, where something was."""
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


def file_name(name: str) -> str:
    """A layer's or mask's name as part of a file's."""
    return "".join(c if c.isalnum() or c in " -_." else f"%{ord(c):x}" for c in name)


def _files(level: Level) -> Iterator[tuple[str, bytes]]:
    """All files but `level.json`."""
    heights, cell = level.heights, level.heights.ground.cell
    yield "heights.tif", _tif(heights.ground.heights, cell)
    if heights.raised is not None:
        yield BROUGHT_IN, _tif(heights.base, cell)
        yield RAISED, _tif(heights.raised, cell)
    for k, name in enumerate(level.layers.names):
        yield f"layers/{file_name(name)}.png", grey_png(level.layers.weights[..., k])
    for name, mask in level.masks.items():
        yield f"masks/{file_name(name)}.png", grey_png(mask.values)
        if mask.painted is not None:
            yield f"painted/{file_name(name)}.png", grey_png(mask.base)
            yield f"painted/{file_name(name)}.tif", _tif(mask.painted, 1.0)
    for slug, picture in _painting(level.stands, level.touch):
        yield f"touch/{slug}.png", picture
    for slug, data in _mesh_painting(level.stands, level.mesh_touch):
        yield f"touch/{slug}.npy", data
    for item in level.stock.values():
        if item.glb:
            yield f"stock/{item.slug}.glb", item.glb
        if item.silhouette:
            yield f"stock/{item.slug}.png", item.silhouette
    for digest, picture in level.details.get("textures", {}).items():
        yield f"textures/{digest}.png", picture
    for name, shot in level.snapshots.items():
        yield from _snapshot_files(name, shot)
    yield "pins.csv", _pins_csv(level.stands, level.pins)


def _tif(values: np.ndarray, cell: float) -> bytes:
    with warnings.catch_warnings(), rasterio.MemoryFile() as file:
        warnings.simplefilter("ignore", NotGeoreferencedWarning)
        with file.open(
            driver="GTiff",
            width=values.shape[1],
            height=values.shape[0],
            count=1,
            dtype=values.dtype.name,
            compress="deflate",
            predictor=3 if values.dtype.kind == "f" else 2,
            tiled=True,
            transform=from_origin(-cell / 2, cell / 2, cell, cell),
        ) as out:
            out.write(values, 1)
        return file.read()


def grey_png(values: np.ndarray) -> bytes:
    """A greyscale PNG of uint8 or uint16 values (rows, columns)."""
    out = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(values)).save(out, "PNG")
    return out.getvalue()


def _level_file(level: Level) -> LevelFile:
    stands = [file_of(stand) for _, stand in sorted(level.stands.items())]
    return LevelFile(
        slug=level.slug,
        name=level.name,
        seed=level.seed,
        cell=level.heights.ground.cell,
        touch_cell=level.touch_cell,
        layers=list(level.layers.names),
        masks=list(level.masks),
        mask_sources={name: mask.source for name, mask in level.masks.items() if mask.source},
        painted_masks=[name for name, mask in level.masks.items() if mask.painted is not None],
        stock=[item_file(item) for item in level.stock.values()],
        shapes=[shape_file(level, number) for number in sorted(level.shapes)],
        surfaces=[
            SurfaceFile(number=n, **placed.model_dump()) for n, placed in sorted(level.surfaces.items())
        ],
        stands=stands,
        uprooted=_uprooted(level.stands, level.pins),
        snapshots=list(level.snapshots),
        view=ViewFile.model_validate({"atmosphere": {}, **level.details.get("view", {})}),
    )


def _uprooted(stands: Mapping[int, Stand], pins: Mapping[int, Pins]) -> list[UprootedFile]:
    return [
        UprootedFile.model_validate({"stand": n, "path": place.path, "radius": place.radius})
        for n, given in sorted(pins.items())
        if n in stands
        for place in given.uprooted
    ]


def _pins_csv(stands: Mapping[int, Stand], pins: Mapping[int, Pins]) -> bytes:
    """All pins, and the plants that were removed by hand, sorted by stand and id."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(PIN_COLUMNS)
    for number, given in sorted(pins.items()):
        if number not in stands:
            continue
        for plant, row in rows_of(given).items():
            home = row.home or ("", "")
            if isinstance(row, PinRow):
                values = (row.item, row.x, row.z, row.lift, *(getattr(row, n) for n in VALUES), 0)
            else:
                values = ("", *home, *("",) * 8, 1)
            table.writerow([stands[number].slug, plant, *values, *home, getattr(row, "surface", 0)])
    return out.getvalue().encode()


def _painting(stands: Mapping[int, Stand], touch: Mapping[int, TouchMap]) -> Iterator[tuple[str, bytes]]:
    """The touch of stands that are painted, by their slugs, as PNG."""
    for number, given in touch.items():
        if number in stands and any(tile.any() for tile in given.tiles.values()):
            values = (given.array.astype(np.int32) + 32768).astype(np.uint16)
            yield stands[number].slug, grey_png(values)


def _mesh_painting(
    stands: Mapping[int, Stand], touch: Mapping[int, MeshTouch]
) -> Iterator[tuple[str, bytes]]:
    """What is painted of stands on placed meshes, by their slugs; see `thicket.document.mesh_touch.ROW`."""
    for number, given in touch.items():
        if number in stands and given.painted_anywhere:
            yield stands[number].slug, given.to_bytes()


def _snapshot_files(name: str, shot: Snapshot) -> Iterator[tuple[str, bytes]]:
    stem = f"snapshots/{file_name(name)}"
    given = SnapshotFile(
        touch_cell=shot.touch_cell,
        stands=[file_of(stand) for _, stand in sorted(shot.stands.items())],
        uprooted=_uprooted(shot.stands, shot.pins),
    )
    yield f"{stem}.json", f"{given.model_dump_json(indent=2)}\n".encode()
    yield f"{stem}.pins.csv", _pins_csv(shot.stands, shot.pins)
    for slug, picture in _painting(shot.stands, shot.touch):
        yield f"{stem}.{slug}.png", picture
    for slug, data in _mesh_painting(shot.stands, shot.mesh_touch):
        yield f"{stem}.{slug}.npy", data


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
