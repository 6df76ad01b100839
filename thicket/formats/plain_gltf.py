"""glTF files made plain for trimesh: what it does not read is resolved first.

Buffers compressed by meshoptimizer, quantised, normalised and sparse values, texture transforms, second sets
of texture coordinates, lists of LODs (MSFT_lod) and skins become plain float arrays in a binary glTF.

After: Khronos Group, "glTF 2.0 Specification", and its registry of extensions.
"""

from __future__ import annotations

import base64
import binascii
import json
import struct
from collections.abc import Callable, Iterator
from urllib.parse import unquote

import numpy as np

from thicket.refused import Refused

TYPES = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
MESHOPT = ("EXT_meshopt_compression", "KHR_meshopt_compression")
RESOLVED = {*MESHOPT, "KHR_mesh_quantization", "KHR_texture_transform", "MSFT_lod"}
"""Extensions that this module resolves."""
MOST_VALUES = 64_000_000


def plain_gltf(data: bytes, suffix: str, get: Callable[[str], bytes]) -> tuple[bytes, str, list[str]]:
    """A glTF file with nothing in it that trimesh does not read.

    Parameters: data and suffix (.glb or .gltf) of the file; get, gives the bytes of a file that it names.
    Returns: the file, its suffix, and sentences on what was left out. A file that is plain already comes back
    as it is.

    Raises: Refused when values lie outside their buffers.
    """
    document, binary = split(data, suffix)
    notes = []
    if document.get("animations"):
        notes.append("Its animation is left out: it is kept as it stands at rest.")
    if not _needs_work(document):
        return data, suffix, notes
    try:
        return _Plain(document, binary, get).finish(), ".glb", notes + _skin_note(document)
    except (KeyError, IndexError, TypeError, ValueError, RuntimeError, struct.error) as error:
        if isinstance(error, Refused):
            raise
        raise Refused("it is damaged: it names values or nodes that it does not have") from error


def split(data: bytes, suffix: str) -> tuple[dict, bytes]:
    """The JSON of a glTF file, and the binary part of a .glb.

    Raises: Refused when it is damaged.
    """
    binary = b""
    try:
        if suffix == ".glb":
            size = int.from_bytes(data[12:16], "little")
            binary = data[28 + size :]
            data = data[20 : 20 + size]
        document = json.loads(data)
    except (ValueError, RecursionError) as error:
        raise Refused("it is damaged, or no glTF") from error
    if not isinstance(document, dict):
        raise Refused("it is damaged, or no glTF")
    return document, binary


def _needs_work(document: dict) -> bool:
    coordinates = [_base_texture(m).get("texCoord", 0) for m in document.get("materials", [])]
    return bool(
        RESOLVED & set(document.get("extensionsUsed", []))
        or document.get("skins")
        or any(coordinates)
        or any("sparse" in a or a.get("normalized") for a in document.get("accessors", []))
    )


def _skin_note(document: dict) -> list[str]:
    return ["Its bones are left out: it is kept as it stands at rest."] if document.get("skins") else []


def _base_texture(material: dict) -> dict:
    return material.get("pbrMetallicRoughness", {}).get("baseColorTexture", {})


class _Plain:
    """A glTF document while it is made plain; what is new lies in one buffer of its own."""

    def __init__(self, document: dict, binary: bytes, get: Callable[[str], bytes]) -> None:
        self.document = document
        self.buffers = [self._buffer(b, binary, get) for b in document.get("buffers", [])]
        self.views = [self._view(v) for v in document.get("bufferViews", [])]
        self.nodes = document.get("nodes", [])
        self.accessors: list[dict] = []
        self.parts: list[bytes] = []
        self.new_views: list[dict] = []
        self.size = 0

    def _buffer(self, buffer: dict, binary: bytes, get: Callable[[str], bytes]) -> bytes:
        uri = buffer.get("uri")
        if uri is None:
            return binary
        if not uri.startswith("data:"):
            try:
                return get(uri)
            except ValueError as error:
                raise Refused(f"it needs {unquote(uri)[:80]}, which was not given with it") from error
        try:
            return base64.b64decode(uri.split(",", 1)[1])
        except (binascii.Error, IndexError) as error:
            raise Refused("it is damaged: a buffer inside it cannot be read") from error

    def _view(self, view: dict) -> tuple[bytes, int | None]:
        """A buffer view's bytes and stride."""
        packed = next(
            (view["extensions"][name] for name in MESHOPT if name in view.get("extensions", {})), None
        )
        source = packed or view
        start = source.get("byteOffset", 0)
        data = self.buffers[source["buffer"]][start : start + source["byteLength"]]
        if len(data) < source["byteLength"] or start < 0:
            raise Refused("it is cut short: a buffer ends before its values")
        return (_unpacked(packed, data), packed["byteStride"]) if packed else (data, view.get("byteStride"))

    def values(self, index: int) -> np.ndarray:
        """An accessor's values (n, width), normalised ones as float, sparse ones in place."""
        accessor = self.document["accessors"][index]
        kind, width, count = TYPES[accessor["componentType"]], WIDTHS[accessor["type"]], accessor["count"]
        if not 0 <= count * width <= MOST_VALUES:
            raise Refused("it holds more values than can be taken")
        if "bufferView" in accessor:
            out = self._read(accessor["bufferView"], accessor.get("byteOffset", 0), kind, count, width).copy()
        else:
            out = np.zeros((count, width), kind)
        if "sparse" in accessor:
            self._fill_sparse(out, accessor["sparse"], kind, width)
        if accessor.get("normalized"):
            return np.maximum(out.astype(np.float32) / np.iinfo(out.dtype).max, -1.0)
        return out

    def _fill_sparse(self, out: np.ndarray, sparse: dict, kind: type, width: int) -> None:
        at, new, count = sparse["indices"], sparse["values"], sparse["count"]
        rows = self._read(at["bufferView"], at.get("byteOffset", 0), TYPES[at["componentType"]], count, 1)[
            :, 0
        ]
        if count and rows.max() >= len(out):
            raise Refused("its sparse values name places that it does not have")
        out[rows] = self._read(new["bufferView"], new.get("byteOffset", 0), kind, count, width)

    def _read(self, view: int, offset: int, kind: type, count: int, width: int) -> np.ndarray:
        data, stride = self.views[view]
        item = np.dtype(kind).itemsize * width
        stride = stride or item
        if offset < 0 or offset + stride * max(count - 1, 0) + item * (count > 0) > len(data):
            raise Refused("it is damaged: an accessor reaches past the end of its buffer")
        return np.ndarray((count, width), kind, data, offset, (stride, np.dtype(kind).itemsize))

    def add(self, values: np.ndarray) -> int:
        """A new accessor of float or uint32 values (n, width)."""
        values = np.ascontiguousarray(values)
        self.new_views.append({"buffer": 0, "byteOffset": self.size, "byteLength": values.nbytes})
        self.parts.append(values.tobytes())
        self.size += values.nbytes
        entry = {
            "bufferView": len(self.new_views) - 1,
            "componentType": 5125 if values.dtype == np.uint32 else 5126,
            "count": len(values),
            "type": ["SCALAR", "VEC2", "VEC3", "VEC4"][values.shape[1] - 1],
        }
        if values.shape[1] == 3 and len(values):
            entry |= {"min": values.min(0).tolist(), "max": values.max(0).tolist()}
        self.accessors.append(entry)
        return len(self.accessors) - 1

    def finish(self) -> bytes:
        """The plain file."""
        lods, skinned = list(self._lods()), list(self._skinned())
        for mesh in self.document.get("meshes", []):
            mesh["primitives"] = [self._primitive(p) for p in mesh["primitives"]]
        self._place_skinned(skinned)
        for scene in self.document.get("scenes", []):
            scene["nodes"] = [*scene.get("nodes", []), *lods]
        images = [self._image(i) for i in self.document.get("images", [])]
        body = {
            key: value
            for key, value in self.document.items()
            if key in ("asset", "scene", "scenes", "nodes", "meshes", "materials", "textures", "samplers")
        }
        body |= {
            "accessors": self.accessors,
            "bufferViews": self.new_views,
            "images": images,
            "buffers": [{"byteLength": self.size}],
        }
        for node in self.nodes:
            node.pop("skin", None)
        text = json.dumps({k: v for k, v in body.items() if v != []}).encode()
        text += b" " * (-len(text) % 4)
        binary = b"".join(self.parts) + b"\0" * (-self.size % 4)
        head = struct.pack("<4sII", b"glTF", 2, 28 + len(text) + len(binary))
        return (
            head
            + struct.pack("<I4s", len(text), b"JSON")
            + text
            + struct.pack("<I4s", len(binary), b"BIN\0")
            + binary
        )

    def _image(self, image: dict) -> dict:
        if "bufferView" not in image:
            return image
        data = self.views[image["bufferView"]][0]
        pad = -self.size % 4
        self.parts.append(b"\0" * pad + data)
        self.new_views.append({"buffer": 0, "byteOffset": self.size + pad, "byteLength": len(data)})
        self.size += pad + len(data)
        return {**image, "bufferView": len(self.new_views) - 1}

    def _primitive(self, primitive: dict) -> dict:
        """A primitive with plain attributes: position, normal, colour and the texture coordinates that its
        colour is read by."""
        material = self.document["materials"][primitive["material"]] if "material" in primitive else {}
        texture = _base_texture(material)
        transform = texture.get("extensions", {}).get("KHR_texture_transform", {})
        uv = f"TEXCOORD_{transform.get('texCoord', texture.get('texCoord', 0))}"
        arrays, index = self._arrays(primitive)
        attributes = {}
        for name, wanted in (
            ("POSITION", "POSITION"),
            ("NORMAL", "NORMAL"),
            (uv, "TEXCOORD_0"),
            ("COLOR_0", "COLOR_0"),
        ):
            if name in arrays:
                found = arrays[name].astype(np.float32)
                attributes[wanted] = self.add(
                    _transformed(found, transform) if wanted == "TEXCOORD_0" else found
                )
        out = {"attributes": attributes, **{k: primitive[k] for k in ("material", "mode") if k in primitive}}
        return out if index is None else out | {"indices": self.add(index.astype(np.uint32).reshape(-1, 1))}

    def _arrays(self, primitive: dict) -> tuple[dict[str, np.ndarray], np.ndarray | None]:
        draco = primitive.get("extensions", {}).get("KHR_draco_mesh_compression")
        if not draco:
            return (
                {name: self.values(k) for name, k in primitive["attributes"].items()},
                self.values(primitive["indices"]) if "indices" in primitive else None,
            )
        import DracoPy

        mesh = DracoPy.decode(self.views[draco["bufferView"]][0])
        by_id = {a["unique_id"]: np.asarray(a["data"]) for a in mesh.attributes}
        return {name: by_id[k] for name, k in draco["attributes"].items()}, np.asarray(mesh.faces)

    def _lods(self) -> Iterator[int]:
        """Name the nodes of lists of LODs so that their numbers can be read; gives those that no scene holds
        yet."""
        held = {c for n in self.nodes for c in n.get("children", [])}
        held |= {n for s in self.document.get("scenes", []) for n in s.get("nodes", [])}
        for k, node in enumerate(self.nodes):
            coarser = node.get("extensions", {}).get("MSFT_lod", {}).get("ids", [])
            for number, index in enumerate([k, *coarser] if coarser else []):
                self.nodes[index]["name"] = f"thing {k} lod{number}"
                if index not in held:
                    yield index

    def _skinned(self) -> Iterator[tuple[int, dict]]:
        """Nodes with a skin, and their mesh as its bones hold it at rest."""
        globals_ = _global_transforms(self.nodes, self.document.get("scenes", []))
        for k, node in enumerate(self.nodes):
            if "skin" not in node or "mesh" not in node:
                continue
            skin = self.document["skins"][node["skin"]]
            bones = np.stack([globals_[j] for j in skin["joints"]])
            if "inverseBindMatrices" in skin:
                bones = bones @ self.values(skin["inverseBindMatrices"]).reshape(-1, 4, 4).transpose(0, 2, 1)
            mesh = self.document["meshes"][node["mesh"]]
            yield k, {**mesh, "primitives": [self._posed(p, bones) for p in mesh["primitives"]]}

    def _posed(self, primitive: dict, bones: np.ndarray) -> dict:
        """A plain primitive with its corners where its bones hold them."""
        arrays, _ = self._arrays(primitive)
        out = self._primitive(primitive)
        weight = arrays["WEIGHTS_0"].astype(float)
        weight /= np.maximum(weight.sum(1, keepdims=True), 1e-9)
        hold = np.einsum("nk,nkij->nij", weight, bones[arrays["JOINTS_0"].astype(int)])
        place = np.einsum("nij,nj->ni", hold[:, :3, :3], arrays["POSITION"].astype(float)) + hold[:, :3, 3]
        out["attributes"]["POSITION"] = self.add(place.astype(np.float32))
        if "NORMAL" in arrays:
            normal = np.einsum("nij,nj->ni", hold[:, :3, :3], arrays["NORMAL"].astype(float))
            normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-9)
            out["attributes"]["NORMAL"] = self.add(normal.astype(np.float32))
        return out

    def _place_skinned(self, skinned: list[tuple[int, dict]]) -> None:
        """Put posed meshes into the scene as they are: a skin's own node does not move it."""
        for k, mesh in skinned:
            node = self.nodes[k]
            del node["mesh"]
            self.document["meshes"].append(mesh)
            self.nodes.append(
                {"name": node.get("name", f"skin {k}"), "mesh": len(self.document["meshes"]) - 1}
            )
            for scene in self.document.get("scenes", []):
                scene.setdefault("nodes", []).append(len(self.nodes) - 1)


def _transformed(uv: np.ndarray, transform: dict) -> np.ndarray:
    """Texture coordinates (n, 2) under KHR_texture_transform."""
    if not transform:
        return uv
    (ox, oy), (sx, sy), a = (
        transform.get("offset", (0, 0)),
        transform.get("scale", (1, 1)),
        transform.get("rotation", 0.0),
    )
    turn = np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]])
    return ((uv * (sx, sy)) @ turn.T + (ox, oy)).astype(np.float32)


def _unpacked(packed: dict, data: bytes) -> bytes:
    """A buffer view that meshoptimizer compressed."""
    import meshoptimizer

    count, stride, mode, kind = (
        packed["count"],
        packed["byteStride"],
        packed["mode"],
        packed.get("filter", "NONE"),
    )
    if count * stride > MOST_VALUES * 4:
        raise Refused("it holds more values than can be taken")
    if mode != "ATTRIBUTES":
        decode = (
            meshoptimizer.decode_index_buffer if mode == "TRIANGLES" else meshoptimizer.decode_index_sequence
        )
        return decode(count, stride, data).tobytes()[: count * stride]
    out = meshoptimizer.decode_vertex_buffer(count, stride, data, dtype=np.dtype(f"V{stride}"))
    filters = {
        "OCTAHEDRAL": meshoptimizer.decode_filter_oct,
        "QUATERNION": meshoptimizer.decode_filter_quat,
        "EXPONENTIAL": meshoptimizer.decode_filter_exp,
    }
    return (filters[kind](out, count, stride) if kind in filters else out).tobytes()


def _local_transform(node: dict) -> np.ndarray:
    if "matrix" in node:
        return np.array(node["matrix"], float).reshape(4, 4).T
    x, y, z, w = node.get("rotation", (0, 0, 0, 1))
    turn = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )
    out = np.eye(4)
    out[:3, :3] = turn * np.array(node.get("scale", (1, 1, 1)), float)
    out[:3, 3] = node.get("translation", (0, 0, 0))
    return out


def _global_transforms(nodes: list[dict], scenes: list[dict]) -> list[np.ndarray]:
    """Every node's place in the scene, (4, 4) each; nodes form a forest, which the caller has checked."""
    out = [_local_transform(n) for n in nodes]
    children = {c for n in nodes for c in n.get("children", [])}
    level = [k for k in range(len(nodes)) if k not in children]
    while level:
        for k in level:
            for c in nodes[k].get("children", []):
                out[c] = out[k] @ out[c]
        level = [c for k in level for c in nodes[k].get("children", [])]
    return out
