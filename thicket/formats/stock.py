"""Stock items as binary glTF: one node for each LOD (`lod0` …), one for the `billboard` and one for the
`collider`."""

from __future__ import annotations

import io
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from PIL import Image

from thicket.formats.glb import ARRAY, INDEX, GlbReader, GlbWriter
from thicket.refused import Refused
from thicket.sight.cost import Item, Mesh


@dataclass(frozen=True, eq=False)
class Material:
    """A surface: RGBA texture uint8 (rows, columns, 4); cut, whether its alpha cuts holes, and cutoff,
    from which alpha on (0–1) something is there; softness, 0–1, how much of alpha its edge takes; facing,
    whether the mesh turns about its upright to face the eye; tinted, whether a stand's tints colour it;
    normals, RGB uint8 of the same shape, directions x, y, z in the texture's own frame, or None;
    both_sides, whether it is seen from behind; encoded, the PNG or JPEG that the texture was read from,
    if it is just that."""

    name: str
    texture: np.ndarray
    cut: bool = False
    facing: bool = False
    normals: np.ndarray | None = None
    both_sides: bool = False
    encoded: bytes | None = None
    cutoff: float = 0.5
    softness: float = 0.0
    tinted: bool = True

    @property
    def threshold(self) -> int:
        """The alpha, 0–255, from which something is there; 0 where nothing is cut."""
        return max(round(255 * self.cutoff), 1) if self.cut else 0


@dataclass(frozen=True, eq=False)
class Part:
    """Triangles of one material: position and normal float32 (n, 3), uv (n, 2), index unsigned (3·t,);
    colour, that its corners multiply the texture by, in linear light, uint8 (n, 4), or None."""

    material: Material
    position: np.ndarray
    normal: np.ndarray
    uv: np.ndarray
    index: np.ndarray
    colour: np.ndarray | None = None


@dataclass(frozen=True, eq=False)
class Collider:
    """What a game lets bodies bump into: kind (cylinder, box or hull), corners float32 (n, 3) in m and
    triangles uint (t, 3)."""

    kind: str
    position: np.ndarray
    index: np.ndarray


@dataclass(frozen=True, eq=False)
class StockModel:
    """A plantable thing: its LODs and billboard, each a list of parts; footprint radii in m."""

    slug: str
    lods: list[list[Part]]
    billboard: list[Part] = field(default_factory=list)
    anchors: dict[str, tuple] = field(default_factory=dict)
    """Place and up-direction, x, y, z each, of the points that companions may stand on, by name."""
    collider: Collider | None = None


def png_bytes(image: np.ndarray) -> bytes:
    """An image uint8 (rows, columns, 3 or 4) as PNG."""
    out = io.BytesIO()
    Image.fromarray(image).save(
        out, "PNG", compress_type=zlib.Z_RLE if image.size >= 1 << 18 else zlib.Z_DEFAULT_STRATEGY
    )
    return out.getvalue()


BILLBOARD, COLLIDER = "billboard", "collider"
ANCHOR = "anchor "
"""Nodes without a mesh whose name begins so are anchor points: they stand at their translation, their y axis
is up."""


def _from_upright(up: Sequence[float]) -> list[float]:
    """The quaternion x, y, z, w that turns the y axis along a direction."""
    x, y, z = np.asarray(up, float) / np.linalg.norm(up)
    q = np.array([z, 0.0, -x, 1.0 + y]) if y > -0.999999 else np.array([1.0, 0.0, 0.0, 0.0])
    return [float(v) for v in q / np.linalg.norm(q)]


def read_anchors(slug: str, glb: bytes) -> list[dict]:
    """The anchor points of an item's file: name, place `at` and direction `up`, x, y, z each.

    Raises: Refused when one lies outside its full mesh, naming it.
    """
    reader = GlbReader(glb)
    if not any(
        "mesh" not in node and node.get("name", "").startswith(ANCHOR) for node in reader.json["nodes"]
    ):
        return []
    lows, highs = [], []
    for node in reader.json["nodes"]:
        if "mesh" in node and node["name"] not in (BILLBOARD, COLLIDER):
            for primitive in reader.json["meshes"][node["mesh"]]["primitives"]:
                place = reader.array(primitive["attributes"]["POSITION"])
                lows.append(place.min(0))
                highs.append(place.max(0))
    out = []
    for node in reader.json["nodes"]:
        if "mesh" in node or not node.get("name", "").startswith(ANCHOR):
            continue
        at, (x, y, z, w) = (
            np.array(node.get("translation", [0, 0, 0]), float),
            node.get("rotation", [0, 0, 0, 1]),
        )
        name = node["name"][len(ANCHOR) :]
        slack = 0.05 * float(np.max(np.max(highs, 0) - np.min(lows, 0)))
        if (at < np.min(lows, 0) - slack).any() or (at > np.max(highs, 0) + slack).any():
            raise Refused(
                f"{slug}: the anchor {name!r} at {', '.join(f'{v:.2f}' for v in at)} m lies outside the mesh"
            )
        up = [2 * (x * y - w * z), 1 - 2 * (x * x + z * z), 2 * (y * z + w * x)]
        out.append(
            {"name": name, "at": [round(float(v), 5) for v in at], "up": [round(float(v), 6) for v in up]}
        )
    return out


def read_materials(glb: bytes) -> list[str]:
    """The names of the materials of an item's meshes, its billboard's left out, each once."""
    reader = GlbReader(glb)
    used = [
        reader.json["materials"][primitive["material"]]["name"]
        for node in reader.json["nodes"]
        if "mesh" in node and node["name"] not in (BILLBOARD, COLLIDER)
        for primitive in reader.json["meshes"][node["mesh"]]["primitives"]
    ]
    return list(dict.fromkeys(used))


def _material(writer: GlbWriter, material: Material) -> int:
    texture = writer.texture(material.encoded or png_bytes(material.texture))
    entry = {
        "name": material.name,
        "doubleSided": material.cut or material.both_sides,
        "pbrMetallicRoughness": {
            "baseColorTexture": {"index": texture},
            "metallicFactor": 0,
            "roughnessFactor": 0.9,
        },
    }
    if material.cut:
        entry |= {"alphaMode": "MASK", "alphaCutoff": material.cutoff}
    extras: dict[str, float | bool] = {"facing": True} if material.facing else {}
    if material.softness:
        extras["softness"] = material.softness
    if not material.tinted:
        extras["tinted"] = False
    if extras:
        entry["extras"] = extras
    if material.normals is not None:
        entry["normalTexture"] = {"index": writer.texture(png_bytes(material.normals))}
    return writer.add("materials", entry)


def to_glb(model: StockModel) -> bytes:
    """The model as binary glTF."""
    writer = GlbWriter()
    materials: dict[int, int] = {}
    roots = []
    named = [(f"lod{k}", parts) for k, parts in enumerate(model.lods)]
    if model.billboard:
        named.append((BILLBOARD, model.billboard))
    for name, parts in named:
        primitives = []
        for part in parts:
            key = id(part.material)
            if key not in materials:
                materials[key] = _material(writer, part.material)
            attributes = {
                "POSITION": writer.accessor(part.position.astype("<f4"), ARRAY, bounds=True),
                "NORMAL": writer.accessor(part.normal.astype("<f4"), ARRAY),
                "TEXCOORD_0": writer.accessor(part.uv.astype("<f4"), ARRAY),
            }
            if part.colour is not None:
                attributes["COLOR_0"] = writer.accessor(part.colour, ARRAY, normalized=True)
            index = part.index.astype("<u2" if len(part.position) < 65536 else "<u4")
            primitives.append(
                {
                    "attributes": attributes,
                    "material": materials[key],
                    "indices": writer.accessor(index, INDEX),
                }
            )
        mesh = writer.add("meshes", {"name": name, "primitives": primitives})
        roots.append(writer.add("nodes", {"name": name, "mesh": mesh}))
    if model.collider:
        roots.append(_add_collider(writer, model.collider))
    for name, (at, up) in model.anchors.items():
        roots.append(
            writer.add(
                "nodes",
                {
                    "name": f"{ANCHOR}{name}",
                    "translation": [float(v) for v in at],
                    "rotation": _from_upright(up),
                },
            )
        )
    return writer.finish(roots)


def _add_collider(writer: GlbWriter, collider: Collider) -> int:
    place = writer.accessor(collider.position.astype("<f4"), ARRAY, bounds=True)
    index = writer.accessor(collider.index.astype("<u2").ravel(), INDEX)
    mesh = writer.add(
        "meshes",
        {
            "name": COLLIDER,
            "primitives": [{"attributes": {"POSITION": place}, "indices": index}],
            "extras": {"kind": collider.kind},
        },
    )
    return writer.add("nodes", {"name": COLLIDER, "mesh": mesh})


def from_glb(slug: str, glb: bytes) -> StockModel:
    """The model that `to_glb` wrote."""
    reader = GlbReader(glb)
    materials = [_read_material(reader, entry) for entry in reader.json.get("materials", [])]
    lods, billboard, collider = [], [], None
    for node in reader.json["nodes"]:
        if "mesh" not in node:
            continue
        mesh = reader.json["meshes"][node["mesh"]]
        if node["name"] == COLLIDER:
            primitive = mesh["primitives"][0]
            collider = Collider(
                mesh["extras"]["kind"],
                reader.array(primitive["attributes"]["POSITION"]),
                reader.array(primitive["indices"]).reshape(-1, 3),
            )
            continue
        parts = [_read_part(reader, primitive, materials) for primitive in mesh["primitives"]]
        if node["name"] == BILLBOARD:
            billboard = parts
        else:
            lods.append(parts)
    anchors = {a["name"]: (a["at"], a["up"]) for a in read_anchors(slug, glb)}
    return StockModel(slug, lods, billboard, anchors, collider)


def _read_part(reader: GlbReader, primitive: dict, materials: list[Material]) -> Part:
    values = {name: reader.array(k) for name, k in primitive["attributes"].items()}
    return Part(
        materials[primitive["material"]],
        values["POSITION"],
        values["NORMAL"],
        values["TEXCOORD_0"],
        reader.array(primitive["indices"]),
        values.get("COLOR_0"),
    )


def _read_material(reader: GlbReader, entry: dict) -> Material:
    def encoded(texture: int) -> bytes:
        return reader.view(reader.json["images"][reader.json["textures"][texture]["source"]]["bufferView"])

    def image(data: bytes, mode: str) -> np.ndarray:
        return np.asarray(Image.open(io.BytesIO(data)).convert(mode))

    colour = encoded(entry["pbrMetallicRoughness"]["baseColorTexture"]["index"])
    normals = image(encoded(entry["normalTexture"]["index"]), "RGB") if "normalTexture" in entry else None
    return Material(
        entry["name"],
        image(colour, "RGBA"),
        entry.get("alphaMode") == "MASK",
        entry.get("extras", {}).get("facing", False),
        normals,
        entry.get("doubleSided", False),
        colour,
        entry.get("alphaCutoff", 0.5),
        entry.get("extras", {}).get("softness", 0.0),
        entry.get("extras", {}).get("tinted", True),
    )


def _measure_mesh(reader: GlbReader, mesh: dict) -> tuple[Mesh, float]:
    triangles, alpha, size, bound = 0, 0.0, 0, 0.0
    for primitive in mesh["primitives"]:
        place = reader.array(primitive["attributes"]["POSITION"]).astype(float)
        index = reader.array(primitive["indices"]).reshape(-1, 3)
        material = reader.json["materials"][primitive["material"]]
        triangles += len(index)
        size += len(place) * (36 if "COLOR_0" in primitive["attributes"] else 32) + index.nbytes
        bound = max(bound, float(np.linalg.norm(place, axis=1).max()))
        if material.get("alphaMode") == "MASK":
            a, b, c = (place[index[:, k]] for k in range(3))
            area = 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()
            alpha += area * (1.0 if material.get("extras", {}).get("facing") else 0.5)
    return Mesh(triangles, len(mesh["primitives"]), round(float(alpha), 4), size), bound


def measure(slug: str, glb: bytes) -> Item:
    """What the cost model must know of a stock item, read from its file.

    A card seen from anywhere shows half its area on the mean; a billboard, which faces the eye, all of it.
    Textures count four bytes a pixel and a third more for their smaller copies.

    Raises: Refused when the file has no node called `lod0`.
    """
    reader = GlbReader(glb)
    lods: list[Mesh] = []
    billboard, bound = None, 0.0
    for node in reader.json["nodes"]:
        if "mesh" not in node or node["name"] == COLLIDER:
            continue
        mesh, reach = _measure_mesh(reader, reader.json["meshes"][node["mesh"]])
        bound = max(bound, reach)
        if node["name"] == BILLBOARD:
            billboard = mesh
        else:
            lods.append(mesh)
    if not lods:
        raise Refused(f"{slug}: the file has no mesh called lod0")
    texture = 0
    for image in reader.json.get("images", []):
        w, h = Image.open(io.BytesIO(reader.view(image["bufferView"]))).size
        texture += w * h * 16 // 3
    return Item(slug, tuple(lods), billboard, bound, texture)
