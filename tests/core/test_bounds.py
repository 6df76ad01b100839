"""Files that strangers made: each bad one ends with a sentence, within ten seconds and 500 MB, and good ones
come through whole."""

import json
import os
import pickle
import socket
import struct
import subprocess
import sys
import tempfile
import time
import zlib
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from unittest import mock

import numpy as np
import trimesh

from tests.core.test_imports import HILLS, Folder, X, Z
from thicket.formats.bounded import PROCESSES, Bounds, bounded
from thicket.formats.heights_in import Reading, read_heights
from thicket.formats.layers_in import read_channels, read_mask
from thicket.formats.rasters import OPTIONS
from thicket.refused import Refused

MESH = Bounds(memory=1_000_000_000, seconds=6, patience=45.0)


ASK = """
import pickle, resource, sys, time
from thicket.formats.bounded import PROCESSES, bounded
from thicket.refused import Refused
name, read, path, bounds = pickle.load(sys.stdin.buffer)
began = time.perf_counter()
try:
    bounded(name, read, path, name, bounds=bounds)
except Refused as error:
    spent = time.perf_counter() - began
    PROCESSES.close()
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    pickle.dump((str(error), spent, peak), sys.stdout.buffer)
"""


def probe(own, other, work, port):
    """What a reading process can do: what came of each try, or the error's name."""

    def tried(do):
        try:
            return str(do())
        except OSError as error:
            return type(error).__name__

    def written():
        (Path(work) / "x").write_text("y")
        return "written"

    say = lambda: socket.socket(socket.AF_INET, socket.SOCK_DGRAM).sendto(b"x", ("127.0.0.1", 9))
    return {
        "own": tried(own.read_text),
        "other": tried(lambda: Path(other).read_text()),
        "accounts": tried(lambda: Path("/etc/passwd").read_text()),
        "environment of another": tried(lambda: Path(f"/proc/{os.getppid()}/environ").read_bytes()),
        "listing": tried(lambda: os.listdir(Path(other).parent)),
        "writing": tried(lambda: Path(other).write_text("x")),
        "connecting": tried(lambda: socket.create_connection(("127.0.0.1", port), 2)),
        "datagram": tried(say),
        "signal": tried(lambda: os.kill(os.getppid(), 0)),
        "work": tried(written),
        "secret": os.environ.get("KT_SECRET", ""),
        "user": os.geteuid(),
    }


class Calls:
    """What has whoever unpickles it call something."""

    def __init__(self, *given):
        self.given = given

    def __reduce__(self):
        return self.given[0], self.given[1:]


def evil(k):
    return (Calls(os.system, "true"), Calls(tempfile.mkdtemp))[k]


def give(value):
    return value


def hang():
    while True:
        pass


def swallow():
    return len(np.ones(1 << 28))


def chunk(name: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))


def gltf(nodes, vertices, faces) -> bytes:
    """A glTF document with its buffer inside."""
    import base64

    points, indices = np.asarray(vertices, "<f4"), np.asarray(faces, "<u4").ravel()
    data = points.tobytes() + indices.tobytes()
    return json.dumps(
        {
            "asset": {"version": "2.0"},
            "scene": 0,
            "scenes": [{"nodes": [0]}],
            "nodes": nodes,
            "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
            "buffers": [
                {
                    "byteLength": len(data),
                    "uri": "data:application/octet-stream;base64," + base64.b64encode(data).decode(),
                }
            ],
            "bufferViews": [
                {"buffer": 0, "byteLength": points.nbytes},
                {"buffer": 0, "byteOffset": points.nbytes, "byteLength": indices.nbytes},
            ],
            "accessors": [
                {
                    "bufferView": 0,
                    "componentType": 5126,
                    "count": len(points),
                    "type": "VEC3",
                    "min": points.min(0).tolist(),
                    "max": points.max(0).tolist(),
                },
                {"bufferView": 1, "componentType": 5125, "count": len(indices), "type": "SCALAR"},
            ],
        }
    ).encode()


CORNERS = [[0, 0, 0], [100, 5, 0], [0, 9, 100]]


class Bounded(Folder):
    def ended(self, name, data, *words, read=read_heights, bounds=MESH):
        # In a process of its own, so that the memory which reading took can be told from that of other
        # children.
        asked = pickle.dumps((name, read, self.put(name, data), bounds))
        told = subprocess.run([sys.executable, "-c", ASK], input=asked, capture_output=True)
        self.assertEqual(told.returncode, 0, told.stderr.decode())
        sentence, spent, peak = pickle.loads(told.stdout)
        self.assertTrue(sentence.startswith(f"{name}: "), sentence)
        for word in words:
            self.assertIn(word, sentence)
        self.assertNotIn("/", sentence)
        self.assertLess(spent, Bounds().seconds, "it was refused for what it holds, not for its time")
        self.assertLess(peak, 500, name)

    def test_a_png_whose_first_chunk_is_not_its_size(self):
        side = 30_000
        body = chunk(b"tEXt", b"a\0b") + chunk(b"IHDR", struct.pack(">IIBBBBB", side, side, 16, 0, 0, 0, 0))
        body += chunk(b"IDAT", zlib.compress(bytes(1 << 22), 9) * 8) + chunk(b"IEND", b"")
        for read in (read_heights, read_channels, read_mask):
            self.ended(
                "bomb.png", b"\x89PNG\r\n\x1a\n" + body, "begins with its size", read=read, bounds=Bounds()
            )

    def test_meshes_that_never_end(self):
        rng = np.random.default_rng(1)
        wide = rng.uniform(0, 4000, (6000, 3)) * [1, 0.01, 1]
        self.ended("wide.gltf", gltf([{"mesh": 0}], wide, np.arange(6000).reshape(-1, 3)), "over each other")
        deep = [{"children": [k + 1]} for k in range(5000)] + [{"mesh": 0}]
        self.ended("deep.gltf", gltf(deep, CORNERS, [[0, 1, 2]]), "deep")
        self.ended(
            "round.gltf", gltf([{"children": [1]}, {"children": [0], "mesh": 0}], CORNERS, [[0, 1, 2]])
        )
        self.ended("line.obj", b"v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 2 3" + b" 1" * (20 << 20), "64 KB")
        self.ended("cut.glb", trimesh.creation.box().export(file_type="glb")[:-100])
        self.ended("lost.gltf", gltf([{"mesh": 0}], CORNERS, [[0, 1, 7]]))
        self.ended("none.obj", b"v 0 0 0\n", "triangles")

    def test_what_hangs_or_swallows_memory_is_ended(self):
        small = Bounds(memory=200_000_000, seconds=1, patience=6.0)
        for read in (hang, swallow):
            began = time.perf_counter()
            with self.assertRaisesRegex(Refused, "^it: .*(time|long)"):
                bounded("it", read, bounds=small)
            self.assertLess(time.perf_counter() - began, 8)

    def test_what_reads_a_file_has_no_right_to_anything_else(self):
        own, other = self.put("own", b"mine"), self.put("other", b"another's")
        work = self.folder / "work"
        work.mkdir()
        with (
            socket.create_server(("127.0.0.1", 0)) as listener,
            mock.patch.dict(os.environ, {"KT_SECRET": "x"}),
        ):
            listener.settimeout(0)
            found = bounded("it", probe, own, str(other), str(work), listener.getsockname()[1], work=work)
            with self.assertRaises(BlockingIOError):
                listener.accept()
        self.assertEqual(found.pop("own"), "mine")
        self.assertEqual((found.pop("work"), found.pop("secret")), ("written", ""))
        self.assertEqual(os.geteuid() == 0, found.pop("user") != os.geteuid())
        for name, said in found.items():
            self.assertIn("Error", said, name)
        for name, value in OPTIONS.items():
            self.assertEqual(os.environ[name], value)

    def test_what_a_process_answers_can_call_nothing(self):
        for k in (0, 1):
            with self.assertRaisesRegex(Refused, "cannot be read"):
                bounded("it", evil, k)
        self.assertEqual(bounded("it", give, {"a": [1, np.float32(2)]}), {"a": [1, 2.0]})

    def test_who_waits_can_give_up(self):
        def give_up():
            raise KeyError

        with self.assertRaises(KeyError):
            bounded("it", hang, tick=give_up)

    def test_files_read_at_once_do_not_end_each_other_nor_does_the_end_of_all(self):
        small = Bounds(seconds=30, patience=1.0)
        with ThreadPoolExecutor(4) as pool:
            hung = [pool.submit(bounded, "it", hang, bounds=small) for _ in range(2)]
            well = [pool.submit(bounded, "it", give, k) for k in range(8)]
            self.assertEqual([future.result() for future in well], list(range(8)))
            for future in hung:
                self.assertIn("too long", str(future.exception()))
        PROCESSES._server.kill()
        PROCESSES._server.wait()
        self.assertEqual(bounded("it", give, 5), 5)

    def test_good_files_come_through_whole(self):
        rows, columns = HILLS.shape
        corner = np.arange(rows * columns).reshape(HILLS.shape)
        faces = np.stack(
            [
                corner[:-1, :-1],
                corner[1:, :-1],
                corner[:-1, 1:],
                corner[:-1, 1:],
                corner[1:, :-1],
                corner[1:, 1:],
            ]
        )
        faces = faces.reshape(2, 3, -1).transpose(0, 2, 1).reshape(-1, 3)
        mesh = trimesh.Trimesh(np.stack([X, HILLS, Z], -1).reshape(-1, 3), faces, process=False)
        for name in ("hills.glb", "hills.obj"):
            data = mesh.export(file_type=name[-3:])
            path = self.put("file-0", data if isinstance(data, bytes) else data.encode())
            seen = bounded(name, read_heights, path, name, Reading(cell=1.0), bounds=MESH)
            np.testing.assert_allclose(seen.metres, HILLS, atol=1e-3)
