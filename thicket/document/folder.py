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
from collections.abc import Iterator
from pathlib import Path
from typing import Any, cast

import numpy as np
import rasterio
from PIL import Image
from rasterio.errors import NotGeoreferencedWarning
from rasterio.transform import from_origin

from thicket.document.level import Level
from thicket.document.level_file import (
    ItemDistances,
    ItemFile,
    ItemTraits,
    LevelFile,
    ShapeDetails,
    ShapeFile,
    StandFile,
    UprootedFile,
    ViewFile,
)
from thicket.document.shape_settings import Trail
from thicket.ground.shapes import Trail as CoreTrail
from thicket.planting.pins import COLUMNS
from thicket.refused import Refused

PARTS = ("layers", "masks", "touch", "stock", "textures")
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
    yield "heights.tif", _tif(level.heights.ground.heights, level.heights.ground.cell)
    for k, name in enumerate(level.layers.names):
        yield f"layers/{file_name(name)}.png", _png(level.layers.weights[..., k])
    for name, mask in level.masks.items():
        yield f"masks/{file_name(name)}.png", _png(mask.values)
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


def _trail_file(trail: CoreTrail | None) -> Trail | None:
    if trail is None:
        return None
    return Trail(
        reach=trail.reach, lean=trail.lean, flatten=trail.flatten, strata=cast(Any, list(trail.strata))
    )


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
            details=ShapeDetails.model_validate(details.get(n, {})),
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
            points=cast(Any, [dict(p) for p in i.points]),
            traits=ItemTraits.model_validate(dict(i.traits)),
            distances=ItemDistances.model_validate(dict(i.distances)),
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
