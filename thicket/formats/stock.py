"""Stock items as binary glTF: one node for each LOD (`lod0` …) and one for the `billboard`."""

from __future__ import annotations

import io
from dataclasses import dataclass, field

import numpy as np
from PIL import Image

from thicket.formats.glb import ARRAY, INDEX, GlbReader, GlbWriter
from thicket.sight.cost import Item, Mesh


@dataclass(frozen=True, eq=False)
class Material:
    """A surface: RGBA texture uint8 (rows, columns, 4); cut, whether its alpha cuts holes; facing, whether
    the mesh turns about its upright to face the eye."""

    name: str
    texture: np.ndarray
    cut: bool = False
    facing: bool = False


@dataclass(frozen=True, eq=False)
class Part:
    """Triangles of one material: position and normal float32 (n, 3), uv (n, 2), index uint16 (3·t,)."""

    material: Material
    position: np.ndarray
    normal: np.ndarray
    uv: np.ndarray
    index: np.ndarray


@dataclass(frozen=True, eq=False)
class StockModel:
    """A plantable thing: its LODs and billboard, each a list of parts; footprint radii in m."""

    slug: str
    lods: list[list[Part]]
    billboard: list[Part] = field(default_factory=list)


def png_bytes(image: np.ndarray) -> bytes:
    """An image uint8 (rows, columns, 3 or 4) as PNG."""
    out = io.BytesIO()
    Image.fromarray(image).save(out, "PNG", optimize=True)
    return out.getvalue()


def _material(writer: GlbWriter, material: Material) -> int:
    texture = writer.texture(png_bytes(material.texture))
    entry = {"name": material.name, "doubleSided": material.cut,
             "pbrMetallicRoughness": {"baseColorTexture": {"index": texture}, "metallicFactor": 0,
                                      "roughnessFactor": 0.9}}
    if material.cut:
        entry |= {"alphaMode": "MASK", "alphaCutoff": 0.5}
    if material.facing:
        entry["extras"] = {"facing": True}
    return writer.add("materials", entry)


def to_glb(model: StockModel) -> bytes:
    """The model as binary glTF."""
    writer = GlbWriter()
    materials: dict[int, int] = {}
    roots = []
    named = [(f"lod{k}", parts) for k, parts in enumerate(model.lods)]
    if model.billboard:
        named.append(("billboard", model.billboard))
    for name, parts in named:
        primitives = []
        for part in parts:
            key = id(part.material)
            if key not in materials:
                materials[key] = _material(writer, part.material)
            attributes = {"POSITION": writer.accessor(part.position.astype("<f4"), ARRAY, bounds=True),
                          "NORMAL": writer.accessor(part.normal.astype("<f4"), ARRAY),
                          "TEXCOORD_0": writer.accessor(part.uv.astype("<f4"), ARRAY)}
            primitives.append({"attributes": attributes, "material": materials[key],
                               "indices": writer.accessor(part.index.astype("<u2"), INDEX)})
        mesh = writer.add("meshes", {"name": name, "primitives": primitives})
        roots.append(writer.add("nodes", {"name": name, "mesh": mesh}))
    return writer.finish(roots)


def _measure_mesh(reader: GlbReader, mesh: dict) -> tuple[Mesh, float]:
    triangles, alpha, size, bound = 0, 0.0, 0, 0.0
    for primitive in mesh["primitives"]:
        place = reader.array(primitive["attributes"]["POSITION"]).astype(float)
        index = reader.array(primitive["indices"]).reshape(-1, 3)
        material = reader.json["materials"][primitive["material"]]
        triangles += len(index)
        size += len(place) * 32 + index.size * 2
        bound = max(bound, float(np.linalg.norm(place, axis=1).max()))
        if material.get("alphaMode") == "MASK":
            a, b, c = (place[index[:, k]] for k in range(3))
            area = 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()
            alpha += area * (1.0 if material.get("extras", {}).get("facing") else 0.5)
    return Mesh(triangles, len(mesh["primitives"]), round(float(alpha), 4), size), bound


def measure(slug: str, glb: bytes) -> Item:
    """What the reckoning must know of a stock item, read from its file.

    A card seen from anywhere shows half its area on the mean; a billboard, which faces the eye, all of it.
    Textures count four bytes a pixel and a third more for their smaller copies.

    Raises: ValueError when the file has no node called `lod0`.
    """
    reader = GlbReader(glb)
    lods: list[Mesh] = []
    billboard, bound = None, 0.0
    for node in reader.json["nodes"]:
        mesh, reach = _measure_mesh(reader, reader.json["meshes"][node["mesh"]])
        bound = max(bound, reach)
        if node["name"] == "billboard":
            billboard = mesh
        else:
            lods.append(mesh)
    if not lods:
        raise ValueError(f"{slug}: the file has no mesh called lod0")
    texture = 0
    for image in reader.json.get("images", []):
        w, h = Image.open(io.BytesIO(reader.view(image["bufferView"]))).size
        texture += w * h * 16 // 3
    return Item(slug, tuple(lods), billboard, bound, texture)
