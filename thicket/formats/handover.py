"""Plants and maps in open formats, for engines and other tools."""

from __future__ import annotations

import io
import warnings
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import rasterio
from PIL import Image
from PIL.PngImagePlugin import PngInfo
from rasterio.errors import NotGeoreferencedWarning
from rasterio.transform import from_origin

from thicket.formats.glb import GlbReader, GlbWriter
from thicket.ground.heights import Ground
from thicket.planting.stands import Plants


@dataclass(frozen=True, eq=False)
class Planted:
    """A stand's plants with the slugs of the stand and of its mix's items."""

    stand: str
    items: Sequence[str]
    plants: Plants
    pins: np.ndarray = field(default_factory=lambda: np.empty(0, np.uint64))
    """Ids of those that were set by hand."""
    surfaces: Mapping[int, str] = field(default_factory=dict)
    """The names of the placed meshes that plants stand on, by their ids; the others stand on the terrain."""


def plants_glb(stands: Sequence[Planted], meshes: dict[str, bytes]) -> bytes:
    """All plants as binary glTF: each stock item's LODs and billboard once, and for every stand and item a
    node that instances the full mesh (EXT_mesh_gpu_instancing).

    Parameters: meshes, the items' own binary glTF by slug. A plant's id and tint go along as the instance
    attributes `_ID` (four uint16, the lowest first) and `_TINT`.
    """
    writer = GlbWriter()
    writer.json["extensionsUsed"] = writer.json["extensionsRequired"] = ["EXT_mesh_gpu_instancing"]
    mesh_of: dict[str, dict[str, int]] = {}
    roots = []
    for stand in stands:
        children = []
        for index, slug in enumerate(stand.items):
            mine = stand.plants.take(stand.plants.item == index)
            if not len(mine):
                continue
            if slug not in mesh_of:
                mesh_of[slug] = _copy_meshes(writer, GlbReader(meshes[slug]), slug)
            form = mine.form.astype("<f4")
            quarters = mine.id.astype("<u8").view("<u2").reshape(-1, 4)
            attributes = {
                "TRANSLATION": writer.accessor(form[:, 0:3], bounds=True),
                "ROTATION": writer.accessor(form[:, 3:7]),
                "SCALE": writer.accessor(form[:, [7, 8, 7]]),
                "_ID": writer.accessor(quarters),
                "_TINT": writer.accessor(form[:, 9].copy()),
            }
            children.append(
                writer.add(
                    "nodes",
                    {
                        "name": f"{stand.stand}/{slug}",
                        "mesh": mesh_of[slug]["lod0"],
                        "extensions": {"EXT_mesh_gpu_instancing": {"attributes": attributes}},
                        "extras": {"states": mesh_of[slug]},
                    },
                )
            )
        roots.append(
            writer.add(
                "nodes", {"name": stand.stand, "children": children} if children else {"name": stand.stand}
            )
        )
    return writer.finish(roots)


def _copy_meshes(writer: GlbWriter, source: GlbReader, slug: str) -> dict[str, int]:
    """Copy all meshes of an item's file with their materials; mesh index by node name."""
    materials = []
    for material in source.json.get("materials", []):
        entry = dict(material)
        surface = dict(entry.get("pbrMetallicRoughness", {}))
        for holder, name in ((surface, "baseColorTexture"), (entry, "normalTexture")):
            if name in holder:
                image = source.json["textures"][holder[name]["index"]]["source"]
                holder[name] = {
                    "index": writer.texture(source.view(source.json["images"][image]["bufferView"]))
                }
        entry["pbrMetallicRoughness"] = surface
        materials.append(writer.add("materials", entry))
    out = {}
    for node in source.json["nodes"]:
        if "mesh" not in node:
            continue
        primitives = []
        for primitive in source.json["meshes"][node["mesh"]]["primitives"]:
            attributes = {
                name: writer.accessor(source.array(index), 34962, name == "POSITION", name == "COLOR_0")
                for name, index in primitive["attributes"].items()
            }
            surface = {"material": materials[primitive["material"]]} if "material" in primitive else {}
            primitives.append(
                {
                    "attributes": attributes,
                    **surface,
                    "indices": writer.accessor(source.array(primitive["indices"]), 34963),
                }
            )
        extras = (
            {"extras": mesh["extras"]} if "extras" in (mesh := source.json["meshes"][node["mesh"]]) else {}
        )
        out[node["name"]] = writer.add(
            "meshes", {"name": f"{slug} {node['name']}", "primitives": primitives, **extras}
        )
    return out


def field_tif(values: np.ndarray, cell: float, nodata: float | None = None) -> bytes:
    """A raster as float32 GeoTIFF; values at pixel centres, the first at the level's north-west corner,
    `cell` m apart, no projection."""
    rows, columns = values.shape
    transform = from_origin(-cell / 2, cell / 2, cell, cell)
    with rasterio.MemoryFile() as memory:
        with memory.open(
            driver="GTiff",
            width=columns,
            height=rows,
            count=1,
            dtype="float32",
            transform=transform,
            compress="deflate",
            predictor=3,
            nodata=nodata,
        ) as file:
            file.write(values.astype(np.float32), 1)
        return memory.read()


def heights_tif(ground: Ground) -> bytes:
    """Heights at the grid vertices in m; see `field_tif`."""
    return field_tif(ground.heights, ground.cell)


def _steps(ground: Ground) -> tuple[np.ndarray, float, float]:
    """Heights as steps, uint16 (rows, columns), from 0 for the lowest to 65535 for the highest; and the
    altitudes of both in m."""
    low, high = float(ground.heights.min()), float(ground.heights.max())
    high = high if high > low else low + 1.0
    steps = np.rint((ground.heights.astype(np.float64) - low) * (65535 / (high - low)))
    return steps.astype(np.uint16), low, high


def heights_raw(ground: Ground) -> bytes:
    """The steps of `heights_png` without a header: uint16, low byte first, row by row from the north."""
    return _steps(ground)[0].astype("<u2").tobytes()


def heights_png(ground: Ground) -> bytes:
    """Heights as 16-bit greyscale PNG, 0 for the lowest and 65535 for the highest, whose altitudes in m, and
    the cell size, stand in the text chunks `low`, `high` and `cell`."""
    steps, low, high = _steps(ground)
    given = PngInfo()
    for name, value in (("low", low), ("high", high), ("cell", ground.cell)):
        given.add_text(name, repr(float(value)))
    out = io.BytesIO()
    Image.fromarray(steps).save(out, "PNG", pnginfo=given)
    return out.getvalue()


def layers_tif(weights: np.ndarray, names: Sequence[str], cell: float) -> bytes:
    """Ground layers uint8 (rows, columns, layers) as GeoTIFF, one band each with its name as description."""
    rows, columns, bands = weights.shape
    with rasterio.MemoryFile() as memory, warnings.catch_warnings():
        warnings.simplefilter("ignore", NotGeoreferencedWarning)
        with memory.open(
            driver="GTiff", width=columns, height=rows, count=bands, dtype="uint8", compress="deflate"
        ) as file:
            file.update_tags(KT_CELL=repr(float(cell)))
            for k, name in enumerate(names, start=1):
                file.write(np.ascontiguousarray(weights[..., k - 1]), k)
                file.set_band_description(k, name)
        return memory.read()


def density_png(density: np.ndarray) -> bytes:
    """A density map as 16-bit greyscale PNG, 65535 for 1."""
    out = io.BytesIO()
    Image.fromarray(np.rint(np.clip(density, 0, 1) * 65535).astype(np.uint16)).save(out, "PNG")
    return out.getvalue()
