"""Binary glTF 2.0: a small writer and reader of the parts of the standard that we use.

After: Khronos Group, "glTF 2.0 Specification", and its extension EXT_mesh_gpu_instancing.
"""

from __future__ import annotations

import json
import struct

import numpy as np

from thicket.refused import Refused

_MAGIC, _JSON, _BIN = 0x46546C67, 0x4E4F534A, 0x004E4942
_COMPONENT = {"f4": 5126, "u4": 5125, "u2": 5123, "u1": 5121, "i2": 5122, "i1": 5120}
_WIDTH = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}
ARRAY, INDEX = 34962, 34963


class GlbWriter:
    """Collects buffers, accessors and nodes; `finish` gives the file's bytes, always the same for the same
    calls."""

    def __init__(self, generator: str = "Knee Thicket") -> None:
        self.json: dict = {
            "asset": {"version": "2.0", "generator": generator},
            "bufferViews": [],
            "accessors": [],
            "meshes": [],
            "nodes": [],
            "materials": [],
            "textures": [],
            "images": [],
            "samplers": [{"magFilter": 9729, "minFilter": 9987, "wrapS": 10497, "wrapT": 10497}],
        }
        self._parts: list[bytes] = []
        self._size = 0

    def add(self, kind: str, entry: dict) -> int:
        """Append an entry to one of the file's lists; its index."""
        self.json[kind].append(entry)
        return len(self.json[kind]) - 1

    def view(self, data: bytes, target: int | None = None) -> int:
        """Append bytes as a buffer view, on a four-byte border; its index."""
        pad = -self._size % 4
        self._parts.append(b"\0" * pad)
        self._size += pad
        entry = {"buffer": 0, "byteOffset": self._size, "byteLength": len(data)}
        if target:
            entry["target"] = target
        self._parts.append(data)
        self._size += len(data)
        return self.add("bufferViews", entry)

    def accessor(
        self, array: np.ndarray, target: int | None = None, bounds: bool = False, normalized: bool = False
    ) -> int:
        """Append an array (n,) or (n, 2–4) of a glTF component type; its index. `normalized` integers stand
        for 0 to 1."""
        array = np.ascontiguousarray(array)
        kind = _COMPONENT[array.dtype.str[1:]]
        entry = {
            "bufferView": self.view(array.tobytes(), target),
            "componentType": kind,
            "count": len(array),
            "type": _WIDTH[1 if array.ndim == 1 else array.shape[1]],
        }
        if normalized:
            entry["normalized"] = True
        if bounds:
            entry["min"], entry["max"] = array.min(0).tolist(), array.max(0).tolist()
        return self.add("accessors", entry)

    def texture(self, data: bytes) -> int:
        """Append a PNG or JPEG image as a texture; its index."""
        kind = "image/jpeg" if data[:2] == b"\xff\xd8" else "image/png"
        image = self.add("images", {"bufferView": self.view(data), "mimeType": kind})
        return self.add("textures", {"source": image, "sampler": 0})

    def finish(self, roots: list[int]) -> bytes:
        """The file, with `roots` as the nodes of its only scene."""
        body = {
            **self.json,
            "scene": 0,
            "scenes": [{"nodes": roots}],
            "buffers": [{"byteLength": self._size}],
        }
        if not body["images"]:
            del body["samplers"]
        text = json.dumps({k: v for k, v in body.items() if v != []}, separators=(",", ":")).encode()
        text += b" " * (-len(text) % 4)
        data = b"".join(self._parts)
        data += b"\0" * (-len(data) % 4)
        head = struct.pack("<III", _MAGIC, 2, 12 + 8 + len(text) + 8 + len(data))
        return head + struct.pack("<II", len(text), _JSON) + text + struct.pack("<II", len(data), _BIN) + data


class GlbReader:
    """The JSON and the arrays of a binary glTF file.

    Raises: Refused when the bytes are not a whole binary glTF 2.0 file.
    """

    def __init__(self, data: bytes) -> None:
        if len(data) < 20 or struct.unpack_from("<II", data) != (_MAGIC, 2):
            raise Refused("this is not a binary glTF 2.0 file")
        total, length, kind = struct.unpack_from("<III", data, 8)
        if kind != _JSON or total != len(data):
            raise Refused("the binary glTF file is cut short")
        self.json = json.loads(data[20 : 20 + length])
        self._bin = data[28 + length :]

    def view(self, index: int) -> bytes:
        """The bytes of a buffer view."""
        entry = self.json["bufferViews"][index]
        start = entry.get("byteOffset", 0)
        return self._bin[start : start + entry["byteLength"]]

    def array(self, index: int) -> np.ndarray:
        """An accessor as an array (n,) or (n, k)."""
        entry = self.json["accessors"][index]
        dtype = next(k for k, v in _COMPONENT.items() if v == entry["componentType"])
        flat = np.frombuffer(self.view(entry["bufferView"]), "<" + dtype)
        width = next(k for k, v in _WIDTH.items() if v == entry["type"])
        return flat if width == 1 else flat.reshape(entry["count"], width)
