"""Meshes that others packed in every way glTF knows come in with the same triangles, places and colours:
quantised, sparse, compressed by meshoptimizer and Draco, skinned, with LOD lists, texture transforms, a
second set of coordinates, colours of corners; and values outside their buffers are refused."""

import base64
import io
import json
import struct
import unittest

import DracoPy
import meshoptimizer
import numpy as np
import pygltflib
import trimesh
from PIL import Image

from thicket.formats.mesh_files import read_mesh
from thicket.formats.plain_gltf import plain_gltf
from thicket.refused import Refused

BALL = trimesh.creation.icosphere(2, 1.0)
PLACE, FACES = BALL.vertices.astype(np.float32), BALL.faces.astype(np.uint32)
UV = (PLACE[:, :2] / 2 + 0.5).astype(np.float32)


def striped() -> bytes:
    """Red on the left, blue on the right."""
    out, half = io.BytesIO(), np.zeros((8, 16, 3), np.uint8)
    half[:, :8], half[:, 8:] = (200, 10, 10), (10, 10, 200)
    Image.fromarray(half).save(out, "PNG")
    return out.getvalue()


class File:
    """A glTF file put together part by part, and written by pygltflib."""

    def __init__(self, **more):
        self.json = {
            "asset": {"version": "2.0"},
            "scene": 0,
            "scenes": [{"nodes": [0]}],
            "nodes": [{"mesh": 0, "name": "ball"}],
            "meshes": [{"primitives": [{"attributes": {}}]}],
            "accessors": [],
            "bufferViews": [],
            **more,
        }
        self.data = b""

    @property
    def primitive(self):
        return self.json["meshes"][0]["primitives"][0]

    def view(self, data, **more):
        self.data += b"\0" * (-len(self.data) % 4)
        self.json["bufferViews"].append(
            {"buffer": 0, "byteOffset": len(self.data), "byteLength": len(data), **more}
        )
        self.data += data
        return len(self.json["bufferViews"]) - 1

    def accessor(self, values, kind, view=None, **more):
        code = {"f4": 5126, "u4": 5125, "u2": 5123, "i2": 5122, "u1": 5121, "i1": 5120}[values.dtype.str[1:]]
        view = self.view(values.tobytes()) if view is None else view
        entry = {"bufferView": view, "componentType": code, "count": len(values), "type": kind, **more}
        if kind == "VEC3":
            entry |= {"min": values.min(0).tolist(), "max": values.max(0).tolist()}
        self.json["accessors"].append(entry)
        return len(self.json["accessors"]) - 1

    def shape(self, place=PLACE, faces=FACES):
        self.primitive["attributes"]["POSITION"] = self.accessor(place, "VEC3")
        self.primitive["indices"] = self.accessor(faces.ravel(), "SCALAR")
        return self

    def textured(self, uv=UV, name="TEXCOORD_0", **texture):
        self.primitive["attributes"][name] = self.accessor(uv, "VEC2", **texture.pop("accessor", {}))
        image = "data:image/png;base64," + base64.b64encode(striped()).decode()
        self.json |= {
            "images": [{"uri": image}],
            "textures": [{"source": 0}],
            "materials": [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0, **texture}}}],
        }
        self.primitive["material"] = 0
        return self

    def bytes(self):
        body = self.json | {"buffers": [{"byteLength": len(self.data)}]}
        if any(
            "extensions" in view for view in self.json["bufferViews"]
        ):  # pygltflib would move what these point to
            text = json.dumps(body).encode()
            text, data = text + b" " * (-len(text) % 4), self.data + b"\0" * (-len(self.data) % 4)
            return b"".join(
                [
                    struct.pack("<4sII", b"glTF", 2, 28 + len(text) + len(data)),
                    struct.pack("<I4s", len(text), b"JSON"),
                    text,
                    struct.pack("<I4s", len(data), b"BIN\0"),
                    data,
                ]
            )
        gltf = pygltflib.GLTF2.from_dict(body)
        gltf.set_binary_blob(self.data)
        return b"".join(gltf.save_to_bytes())

    def read(self):
        return read_mesh({"ball.glb": self.bytes()}, "ball.glb")


def seen_colours(part):
    """The picture's colours at the corners, uint8 (n, 3)."""
    rows, columns = part.material.texture.shape[:2]
    u, v = (part.uv % 1.0 * 0.999).T
    return part.material.texture[(v * rows).astype(int), (u * columns).astype(int), :3]


class Packed(unittest.TestCase):
    def same_ball(self, brought, atol=1e-5, place=PLACE):
        [part] = brought.lods[0]
        self.assertEqual(len(part.index), FACES.size)
        np.testing.assert_allclose(part.position[part.index], place[FACES.ravel()], atol=atol)
        return part

    def test_quantised_and_normalised(self):
        file = File(extensionsUsed=["KHR_mesh_quantization"], extensionsRequired=["KHR_mesh_quantization"])
        steps = np.rint(PLACE * 32767).astype(np.int16)
        padded = np.zeros((len(steps), 4), np.int16)
        padded[:, :3] = steps
        view = file.view(padded.tobytes(), byteStride=8)
        file.primitive["attributes"]["POSITION"] = file.accessor(steps, "VEC3", view, normalized=True)
        file.primitive["indices"] = file.accessor(FACES.astype(np.uint16).ravel(), "SCALAR")
        file.textured(np.rint(UV * 65535).astype(np.uint16), accessor={"normalized": True})
        part = self.same_ball(file.read(), 1e-4)
        np.testing.assert_allclose(part.uv[part.index], UV[FACES.ravel()], atol=1e-4)

    def test_sparse_values_stand_in_their_places(self):
        file, moved = File().shape(), PLACE.copy()
        moved[[3, 40]] += [0, 1, 0]
        at = file.view(np.array([3, 40], np.uint16).tobytes())
        new = file.view(moved[[3, 40]].tobytes())
        file.json["accessors"][0]["sparse"] = {
            "count": 2,
            "indices": {"bufferView": at, "componentType": 5123},
            "values": {"bufferView": new},
        }
        self.same_ball(file.read(), place=moved)

    def test_meshopt_and_draco(self):
        file = File(
            extensionsUsed=["EXT_meshopt_compression"], extensionsRequired=["EXT_meshopt_compression"]
        )
        packed = (
            meshoptimizer.encode_vertex_buffer(PLACE, len(PLACE), 12),
            meshoptimizer.encode_index_buffer(FACES.ravel(), FACES.size, len(PLACE)),
        )
        for data, count, stride, mode in (
            (packed[0], len(PLACE), 12, "ATTRIBUTES"),
            (packed[1], FACES.size, 4, "TRIANGLES"),
        ):
            start = file.view(data)
            file.json["bufferViews"][start] = {
                "buffer": 0,
                "byteLength": count * stride,
                "extensions": {
                    "EXT_meshopt_compression": {
                        **file.json["bufferViews"][start],
                        "byteStride": stride,
                        "count": count,
                        "mode": mode,
                    }
                },
            }
        file.primitive["attributes"]["POSITION"] = file.accessor(PLACE, "VEC3", 0)
        file.primitive["indices"] = file.accessor(FACES.ravel(), "SCALAR", 1)
        [part] = file.read().lods[0]
        want, got = (
            np.sort(t.reshape(-1, 9).round(5), axis=0) for t in (PLACE[FACES], part.position[part.index])
        )
        self.assertEqual(want.shape, got.shape)
        np.testing.assert_allclose(np.sort(want.ravel()), np.sort(got.ravel()), atol=1e-5)

        whole = trimesh.Scene(trimesh.Trimesh(PLACE, FACES, process=False)).export(file_type="glb")
        plain = len(whole)
        file = File(
            extensionsUsed=["KHR_draco_mesh_compression"], extensionsRequired=["KHR_draco_mesh_compression"]
        )
        data = DracoPy.encode(PLACE, FACES, quantization_bits=14, preserve_order=True)
        for values, kind in ((PLACE, "VEC3"), (FACES.ravel(), "SCALAR")):
            file.accessor(values, kind, 0)
            del file.json["accessors"][-1]["bufferView"]
        file.primitive.update(
            {
                "attributes": {"POSITION": 0},
                "indices": 1,
                "extensions": {
                    "KHR_draco_mesh_compression": {
                        "bufferView": file.view(data),
                        "attributes": {"POSITION": 0},
                    }
                },
            }
        )
        [part] = file.read().lods[0]
        self.assertEqual((len(part.index), len(file.bytes()) < plain), (FACES.size, True))
        np.testing.assert_allclose(np.linalg.norm(part.position, axis=1), 1, atol=1e-3)

    def test_textures_are_read_where_they_say(self):
        plain = seen_colours(File().shape().textured().read().lods[0][0])
        left = (PLACE[:, 0] < -0.1) & (PLACE[:, 0] > -0.9)
        self.assertTrue((plain[left] == (200, 10, 10)).all())
        turned = (
            File(extensionsUsed=["KHR_texture_transform"])
            .shape()
            .textured(extensions={"KHR_texture_transform": {"offset": [0.5, 0.0]}})
            .read()
            .lods[0][0]
        )
        self.assertTrue((seen_colours(turned)[left] == (10, 10, 200)).all())
        half = (
            File(extensionsUsed=["KHR_texture_transform"])
            .shape()
            .textured(extensions={"KHR_texture_transform": {"rotation": np.pi / 2, "scale": [2, 3]}})
            .read()
            .lods[0][0]
        )
        np.testing.assert_allclose(half.uv, np.c_[UV[:, 1] * 3, -UV[:, 0] * 2], atol=1e-5)
        file = File().shape().textured(np.zeros_like(UV)).textured(UV, "TEXCOORD_1", texCoord=1)
        np.testing.assert_allclose(file.read().lods[0][0].uv, UV, atol=1e-6)

    def test_colours_of_corners_are_kept(self):
        for values, more in (
            (np.tile(np.float32([0.5, 0.25, 0.1, 1]), (len(PLACE), 1)), {}),
            (np.tile(np.uint16([32768, 16384, 6554, 65535]), (len(PLACE), 1)), {"normalized": True}),
        ):
            file = File().shape().textured()
            file.primitive["attributes"]["COLOR_0"] = file.accessor(values, "VEC4", **more)
            [part] = file.read().lods[0]
            np.testing.assert_allclose(part.colour[0, :3] / 255, [0.5, 0.25, 0.1], atol=0.01)

    def test_a_skinned_mesh_stands_as_its_bones_hold_it(self):
        file = File().shape()
        joints, weights = np.zeros((len(PLACE), 4), np.uint8), np.zeros((len(PLACE), 4), np.float32)
        joints[:, 1], upper = 1, PLACE[:, 1] > 0
        weights[:, 0], weights[:, 1] = ~upper, upper
        file.primitive["attributes"] |= {
            "JOINTS_0": file.accessor(joints, "VEC4"),
            "WEIGHTS_0": file.accessor(weights, "VEC4"),
        }
        bind = np.tile(np.eye(4, dtype=np.float32), (2, 1, 1))
        file.json["nodes"] = [
            {"mesh": 0, "skin": 0, "translation": [9, 9, 9]},
            {"children": [2]},
            {"translation": [0, 2, 0]},
        ]
        file.json["scenes"] = [{"nodes": [0, 1]}]
        inverse = file.accessor(bind.reshape(2, 16), "MAT4")
        file.json |= {
            "skins": [{"joints": [1, 2], "inverseBindMatrices": inverse}],
            "animations": [{"channels": [], "samplers": []}],
        }
        brought = file.read()
        self.same_ball(brought, place=PLACE + np.where(upper, 2, 0)[:, None] * np.float32([0, 1, 0]))
        told = " ".join(brought.notes)
        self.assertTrue("bones" in told and "animation" in told, told)

    def test_lod_lists_and_groups_tell_the_lods(self):
        file = File(extensionsUsed=["MSFT_lod"]).shape()
        for level in (1, 0):
            coarse = trimesh.creation.icosphere(level, 1.0)
            attributes = {"POSITION": file.accessor(coarse.vertices.astype(np.float32), "VEC3")}
            index = file.accessor(coarse.faces.astype(np.uint32).ravel(), "SCALAR")
            file.json["meshes"].append({"primitives": [{"attributes": attributes, "indices": index}]})
        file.json["nodes"] = [
            {"mesh": 0, "name": "tree", "extensions": {"MSFT_lod": {"ids": [1, 2]}}},
            {"mesh": 1},
            {"mesh": 2},
        ]
        want = [len(FACES), 80, 20]
        self.assertEqual([sum(len(p.index) for p in lod) // 3 for lod in file.read().lods], want)
        del file.json["nodes"][0]["extensions"]
        file.json["nodes"] = [{"name": f"Tree_LOD{k}", "children": [k + 3]} for k in range(3)] + [
            {"mesh": k} for k in range(3)
        ]
        file.json["scenes"] = [{"nodes": [0, 1, 2]}]
        self.assertEqual([sum(len(p.index) for p in lod) // 3 for lod in file.read().lods], want)

    def test_a_mesh_may_bring_its_own_billboard(self):
        scene = trimesh.Scene({"ball_lod0": BALL})
        card = trimesh.Trimesh(
            [[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]], [[0, 1, 2], [0, 2, 3]], process=False
        )
        scene.add_geometry(card, "card", "ball_billboard")
        brought = read_mesh({"a.glb": scene.export(file_type="glb")}, "a.glb")
        self.assertEqual(
            (len(brought.lods), len(brought.billboard), brought.billboard[0].material.facing), (1, 1, True)
        )

    def test_values_outside_their_buffers_are_refused(self):
        def spoilt(**change):
            file = File().shape().textured(np.rint(UV * 255).astype(np.uint8), accessor={"normalized": True})
            for path, value in change.items():
                kind, index, name = path.split("__")
                file.json[kind][int(index)][name] = value
            return {"bad.glb": file.bytes()}

        for change in (
            {"accessors__0__count": 10_000},
            {"bufferViews__0__byteLength": 10**7},
            {"accessors__0__byteOffset": 10**6},
            {"accessors__0__bufferView": 99},
            {"accessors__1__count": 3 * 10**9},
            {"nodes__0__mesh": 7},
        ):
            with self.assertRaises(Refused, msg=change) as told:
                read_mesh(spoilt(**change), "bad.glb")
            self.assertTrue(str(told.exception).startswith("bad.glb: "), told.exception)
        for kind in ("indices", "values"):
            file = File().shape()
            at, new = file.view(np.array([9999], np.uint16).tobytes()), file.view(PLACE[:1].tobytes())
            file.json["accessors"][0]["sparse"] = {
                "count": 1,
                "indices": {"bufferView": at, "componentType": 5123},
                "values": {"bufferView": new if kind == "indices" else 55},
            }
            with self.assertRaises(Refused):
                read_mesh({"bad.glb": file.bytes()}, "bad.glb")

    def test_a_plain_file_comes_back_as_it_is(self):
        data = File().shape().textured().bytes()
        self.assertEqual(plain_gltf(data, ".glb", None), (data, ".glb", []))
        (size,) = struct.unpack_from("<I", data, 12)
        self.assertIn("nodes", json.loads(data[20 : 20 + size]))
