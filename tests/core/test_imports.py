"""Heights, layers, masks and shapes brought in: round trips bit for bit, what a file does not say, and files
that are bad."""

import io
import json
import struct
import tempfile
import unittest
import zlib
from pathlib import Path

import numpy as np
import rasterio
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from rasterio.transform import from_origin

from thicket.formats.geojson import read_shapes, shapes_geojson
from thicket.formats.handover import heights_png, heights_tif, layers_tif
from thicket.formats.heights_in import LARGEST, Reading, read_heights
from thicket.formats.layers_in import normalised, proposed_frame, read_channels, read_mask
from thicket.formats.painting import read_touch, touch_png
from thicket.ground.heights import Ground
from thicket.ground.shapes import box, circle
from thicket.planting.density import TOUCH_UNIT

AS_IT_IS = Reading()
Z, X = np.mgrid[0:60, 0:81].astype(float)
HILLS = (300 + 40 * np.sin(X / 11) + 25 * np.cos(Z / 9) + X * 0.3).astype(np.float32)


class Folder(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def put(self, name, data):
        path = self.folder / name
        path.write_bytes(data)
        return path

    def read(self, name, data, reading=AS_IT_IS):
        return read_heights(self.put(name, data), name, reading)

    def png(self, values, **more):
        out = io.BytesIO()
        Image.fromarray(values).save(out, "PNG", **more)
        return out.getvalue()

    def tiff(self, values, transform=None, **more):
        values = values if values.ndim == 3 else values[None]
        with rasterio.MemoryFile() as memory:
            with memory.open(
                driver="GTiff",
                width=values.shape[2],
                height=values.shape[1],
                count=len(values),
                dtype=values.dtype.name,
                **({"transform": transform} if transform else {}),
                **more,
            ) as file:
                file.write(values)
            return memory.read()

    def refused(self, name, data, *words, reading=AS_IT_IS):
        with self.assertRaises(ValueError) as caught:
            self.read(name, data, reading)
        for word in (name, *words):
            self.assertIn(word, str(caught.exception))


class RoundTrips(Folder):
    @settings(max_examples=15, deadline=None)
    @given(
        st.integers(9, 70),
        st.integers(9, 70),
        st.floats(-400, 3000),
        st.floats(0.5, 900),
        st.sampled_from([0.25, 1.0, 2.5]),
        st.integers(0, 99),
    )
    def test_what_goes_out_comes_in_bit_for_bit(self, rows, columns, low, span, cell, seed):
        share = np.random.default_rng(seed).uniform(0, 1, (rows, columns))
        heights = (low + span * share).astype(np.float32)
        tif = self.read("out.tif", heights_tif(Ground(heights, cell)))
        np.testing.assert_array_equal(tif.altitudes(), heights)
        self.assertAlmostEqual(tif.cell, cell)
        first = self.read("out.png", heights_png(Ground(heights, cell)))
        once = first.altitudes()
        self.assertLess(np.abs(once - heights).max(), span / 65535 + 1e-3)
        self.assertEqual(first.cell, cell)
        again = self.read("again.png", heights_png(Ground(once, cell)))
        np.testing.assert_array_equal(again.altitudes(), once)
        np.testing.assert_array_equal(again.steps, first.steps)

    def test_layers_go_out_and_come_in_bit_for_bit(self):
        weights = np.random.default_rng(3).uniform(0, 1, (40, 50, 5))
        layers = normalised(
            [weights[..., k].astype(np.float32) for k in range(5)], list("abcde"), (40, 50), "x"
        )
        self.assertTrue((layers.weights.sum(axis=2, dtype=int) == 255).all())
        np.testing.assert_allclose(
            layers.weights / 255, weights / weights.sum(axis=2, keepdims=True), atol=1.01 / 255
        )
        path = self.put("layers.tif", layers_tif(layers.weights, layers.names, 1.0))
        back = normalised(read_channels(path, path.name), list("abcde"), (40, 50), "x")
        np.testing.assert_array_equal(back.weights, layers.weights)


class Formats(Folder):
    def test_png_raw_npy_and_tiff_hold_the_same_ground(self):
        low, high = float(HILLS.min()), float(HILLS.max())
        steps = np.rint((HILLS - low) / (high - low) * 65535).astype(np.uint16)
        npy = io.BytesIO()
        np.save(npy, HILLS)
        files = {
            "a.png": self.png(steps),
            "a.raw": steps.astype("<u2").tobytes(),
            "b.r16": steps.astype(">u2").tobytes(),
            "a.npy": npy.getvalue(),
            "plain.tif": self.tiff(steps),
            "metres.tif": self.tiff(HILLS, from_origin(1000, 5000, 2.5, 2.5)),
        }
        for name, data in files.items():
            found = self.read(name, data)
            self.assertEqual(found.shape, HILLS.shape, name)
            np.testing.assert_allclose(found.altitudes(low, high), HILLS, atol=2e-3, err_msg=name)
        self.assertEqual(self.read("metres.tif", files["metres.tif"]).cell, 2.5)
        raw = self.read("b.r16", files["b.r16"])
        self.assertEqual((raw.reading.width, raw.reading.big_endian), (81, True))
        self.assertIn("guessed", raw.notes[0])
        told = self.read("b.r16", files["b.r16"], Reading(width=60, big_endian=True))
        self.assertEqual((told.shape, told.notes), ((81, 60), []))

    def test_what_the_file_does_not_say_must_be_said(self):
        found = self.read("a.png", self.png(np.arange(99 * 9, dtype=np.uint16).reshape(9, 99)))
        for low, high, word in (
            (None, 5, "give both"),
            (5, 5, "below"),
            (9, 2, "below"),
            (0, float("nan"), "below"),
        ):
            with self.assertRaisesRegex(ValueError, word):
                found.altitudes(low, high)
        eight = self.read("b.png", self.png(np.arange(99, dtype=np.uint8).reshape(9, 11)))
        self.assertIn("256 steps", eight.notes[0])
        self.assertAlmostEqual(float(eight.altitudes(0, 255)[8, 10]), 98, places=4)

    def test_holes_are_filled_from_around_and_told(self):
        holed = HILLS.copy()
        holed[20:26, 30:40] = np.nan
        marked = HILLS.copy()
        marked[20:26, 30:40] = -9999
        npy = io.BytesIO()
        np.save(npy, holed)
        for name, data in (
            ("a.tif", self.tiff(holed, from_origin(0, 0, 2, 2))),
            ("b.npy", npy.getvalue()),
            ("c.tif", self.tiff(marked, from_origin(0, 0, 2, 2), nodata=-9999)),
        ):
            found = self.read(name, data)
            self.assertAlmostEqual(found.filled, 60 / HILLS.size)
            self.assertTrue(any("1.2%" in note for note in found.notes), found.notes)
            self.assertLess(np.abs(found.altitudes() - HILLS).max(), 12)
        self.refused("d.npy", npy.getvalue()[: len(npy.getvalue()) // 2], "cut short")
        nothing = io.BytesIO()
        np.save(nothing, np.full((12, 12), np.nan, np.float32))
        self.refused("e.npy", nothing.getvalue(), "no height at all")

    def test_a_mesh_is_looked_at_from_above(self):
        z, x = np.mgrid[0:21, 0:31].astype(float)
        y = 5 + 0.5 * x + np.sin(z)
        at = np.c_[x.ravel() * 2, y.ravel(), z.ravel() * 2]
        k = np.arange(21 * 31).reshape(21, 31)
        faces = np.concatenate(
            [
                np.c_[k[:-1, :-1].ravel(), k[1:, :-1].ravel(), k[:-1, 1:].ravel()],
                np.c_[k[:-1, 1:].ravel(), k[1:, :-1].ravel(), k[1:, 1:].ravel()],
            ]
        )
        for name in ("a.obj", "b.glb"):
            mesh = trimesh.Trimesh(at, faces, process=False)
            data = mesh.export(file_type=name[-3:])
            found = self.read(name, data.encode() if isinstance(data, str) else data, Reading(cell=2.0))
            np.testing.assert_allclose(found.altitudes(), y, atol=1e-4)
            self.assertEqual((found.cell, found.filled), (2.0, 0.0))
        part = trimesh.Trimesh(at, faces[np.arange(len(faces)) % 10 != 0], process=False)
        some = self.read("c.glb", part.export(file_type="glb"), Reading(cell=0.5))
        self.assertGreater(some.filled, 0.01)
        self.assertTrue(any("uncovered" in note for note in some.notes))
        self.refused("d.glb", b"glTF nothing", "cannot be read")
        self.refused("e.obj", b"v 0 0 0\n", "no triangles")


class Bad(Folder):
    def test_files_that_are_cut_short_too_large_or_of_another_kind(self):
        steps = np.arange(60 * 81, dtype=np.uint16).reshape(60, 81)
        png, tif = self.png(steps), self.tiff(HILLS, from_origin(0, 0, 1, 1))
        self.refused("cut.png", png[: len(png) // 2], "cut short")
        self.refused("cut.tif", tif[: len(tif) // 2], "cut short")
        self.refused("cut.raw", steps.tobytes()[:-1], "odd number")
        self.refused("prime.raw", b"\0" * 2 * 10_007, "no rectangle")
        self.refused("wrong.raw", steps.tobytes(), "whole rows of 70", reading=Reading(width=70))
        self.refused("text.txt", b"hello", "none of PNG")
        self.refused("colour.png", self.png(np.zeros((20, 20, 3), np.uint8)), "colours")
        self.refused("small.png", self.png(np.zeros((4, 4), np.uint16)), "at least")
        self.refused("wide.tif", self.tiff(HILLS, from_origin(0, 0, 1, 3)), "square cells")
        self.refused("mad.tif", self.tiff(HILLS * 1e9, from_origin(0, 0, 1, 1)), "cannot be altitudes")
        self.refused("table.npy", b"\x93NUMPY\x01\x00nonsense", "cannot be read")

    def test_a_bomb_is_refused_before_it_is_unpacked(self):
        def chunk(name, body):
            return struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))

        for wide in (LARGEST + 1, 60_000, 2**31 - 1):
            head = struct.pack(">IIBBBBB", wide, wide, 16, 0, 0, 0, 0)
            body = chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(b"\0" * 100_000)) + chunk(b"IEND", b"")
            bomb = b"\x89PNG\r\n\x1a\n" + body
            self.refused("bomb.png", bomb, f"{wide:,} × {wide:,}", "at most 4,097")
            path = self.put("bomb.png", bomb)
            with self.assertRaisesRegex(ValueError, "at most"):
                read_channels(path, "bomb.png")
        head = b"\x93NUMPY\x01\x00" + struct.pack("<H", 118)
        said = b"{'descr': '<f8', 'fortran_order': False, 'shape': (900000, 900000), }".ljust(117) + b"\n"
        self.refused("bomb.npy", head + said, "bomb.npy")

    def test_layers_of_another_form_or_without_names(self):
        three = [np.ones((40, 50), np.float32)] * 3
        for names, shape, word in (
            (["a", "b"], (40, 50), "2 names"),
            (["a", "b", "a"], (40, 50), "name of its own"),
            (["a", "", "c"], (40, 50), "name of its own"),
            (["a", "b", "c"], (40, 80), "not of one form"),
        ):
            with self.assertRaisesRegex(ValueError, f"file.png.*{word}"):
                normalised(three, names, shape, "file.png")
        for frame in (None, (0.2, 0.1, 0.6, 0.9)):
            ramp = [np.tile(X[:40, :50] / 50, (1, 1)).astype(np.float32), (1 - X[:40, :50] / 50).astype("f4")]
            taken = normalised(ramp, ["a", "b"], (40, 80), "file.png", frame, stretch=frame is None)
            west, east = (0.2, 0.6) if frame else (0.0, 1.0)
            want = west + (np.arange(80) + 0.5) / 80 * (east - west)
            np.testing.assert_allclose(taken.weights[20, :, 0] / 255, want, atol=0.03)
        for size, shape in (((40, 50), (40, 80)), ((40, 50), (80, 40)), ((600, 20), (30, 30))):
            x0, y0, x1, y1 = proposed_frame(size, shape)
            self.assertAlmostEqual((x1 - x0) * size[1] / ((y1 - y0) * size[0]), shape[1] / shape[0])
            self.assertEqual((max(x1 - x0, y1 - y0), x0 + x1, y0 + y1), (1, 1, 1))
        self.assertIsNone(proposed_frame((40, 50), (80, 101)))
        with self.assertRaisesRegex(ValueError, "at most 8"):
            normalised(three * 3, list("abcdefghi"), (40, 50), "file.png")
        bare = normalised(
            [np.zeros((40, 50), np.float32), three[0] * (X[:40, :50] > 10)], ["a", "b"], (20, 25), "file.png"
        )
        self.assertTrue((bare.weights.sum(axis=2, dtype=int) == 255).all())
        self.assertTrue((bare.weights[:, :5, 0] == 255).all() and bare.bare > 0.1 and len(bare.notes) == 2)

    def test_layer_and_mask_pictures(self):
        colours = np.random.default_rng(1).integers(0, 256, (30, 40, 4)).astype(np.uint8)
        found = read_channels(self.put("a.png", self.png(colours)), "a.png")
        np.testing.assert_allclose(np.stack(found, -1), colours / 255, atol=1e-6)
        deep = np.random.default_rng(2).integers(0, 65536, (3, 30, 40)).astype(np.uint16)
        np.testing.assert_allclose(
            read_channels(self.put("a.tif", self.tiff(deep)), "a.tif"), deep / 65535, atol=1e-6
        )
        grey = self.put("m.png", self.png(deep[0]))
        np.testing.assert_array_equal(read_mask(grey, "m.png"), deep[0])
        self.assertEqual(read_mask(grey, "m.png").dtype, np.uint16)
        with self.assertRaisesRegex(ValueError, "c.png: it holds colours"):
            read_mask(self.put("c.png", self.png(colours[..., :3])), "c.png")
        eight = read_mask(self.put("e.png", self.png(colours[..., 0])), "e.png")
        self.assertEqual((eight.dtype, eight.tolist()), (np.uint8, colours[..., 0].tolist()))
        floats = read_mask(self.put("f.tif", self.tiff(np.linspace(0, 1, 1200).reshape(1, 30, 40))), "f.tif")
        np.testing.assert_allclose(floats.ravel() / 65535, np.linspace(0, 1, 1200), atol=1e-5)
        metres = self.put("g.tif", self.tiff(np.linspace(-20, 300, 1200).reshape(1, 30, 40)))
        np.testing.assert_array_equal(read_mask(metres, "g.tif"), floats)
        holes = np.linspace(0, 1, 1200).reshape(1, 30, 40)
        holes[0, 3, 4:6] = np.nan
        with self.assertRaisesRegex(ValueError, "h.tif: 2 of its values are no numbers"):
            read_mask(self.put("h.tif", self.tiff(holes)), "h.tif")

    @given(st.integers(0, 10**6), st.integers(9, 40), st.integers(9, 40))
    @settings(max_examples=20, deadline=None)
    def test_painting_goes_out_and_comes_in_as_a_picture(self, seed, rows, columns):
        rng = np.random.default_rng(seed)
        touch = rng.integers(-TOUCH_UNIT, TOUCH_UNIT + 1, (rows, columns)).astype(np.int16)
        path = self.put("p.png", touch_png(touch))
        read = lambda path, reading="both", shape=(rows, columns): read_touch(path, "p.png", shape, reading)
        np.testing.assert_array_equal(read(path), touch)
        self.assertEqual(read(path, shape=(2 * rows, 2 * columns)).shape, (2 * rows, 2 * columns))
        grey = rng.integers(0, 256, (rows, columns)).astype(np.uint8)
        path = self.put("g.png", self.png(grey))
        np.testing.assert_array_equal(read(path, "adds"), grey)
        np.testing.assert_array_equal(read(path, "takes"), grey.astype(int) - 255)
        self.assertEqual(int(np.abs(read(self.put("m.png", self.png(grey % 2 + 127)))).max()), 0)
        with self.assertRaisesRegex(ValueError, "not of one form"):
            read(path, shape=(rows, 2 * columns))
        with self.assertRaisesRegex(ValueError, "colours"):
            read(self.put("c.png", self.png(np.dstack([grey] * 3))))


class GeoJson(unittest.TestCase):
    SHAPES = [
        {
            "kind": "path",
            "form": "line",
            "name": "Lane",
            "points": [(1.0, 2.0), (30.5, 40.0)],
            "width": 3.0,
            "clear": 1.0,
            "locked": True,
            "hidden": False,
            "hatch": "blank",
            "round": None,
            "box": None,
        },
        {
            "kind": "area",
            "form": "polygon",
            "name": "Wood",
            "points": [(5.0, 5.0), (50.0, 5.0), (40.0, 60.0)],
            "width": 4.0,
            "clear": None,
            "locked": False,
            "hidden": True,
            "hatch": "dots",
            "round": None,
            "box": None,
        },
        {
            "kind": "obstacle",
            "form": "circle",
            "name": "Tank",
            "points": list(circle(60, 60, 8)),
            "width": 4.0,
            "clear": 0.5,
            "locked": False,
            "hidden": False,
            "hatch": "cross",
            "round": {"x": 60.0, "z": 60.0, "radius": 8.0},
            "box": None,
        },
        {
            "kind": "obstacle",
            "form": "box",
            "name": "Shed",
            "points": list(box(80, 30, 6, 9, 25)),
            "width": 4.0,
            "clear": 0.0,
            "locked": False,
            "hidden": False,
            "hatch": "slant",
            "round": None,
            "box": {"x": 80.0, "z": 30.0, "width": 6.0, "length": 9.0, "heading": 25.0},
        },
    ]

    def test_shapes_come_back_as_they_went(self):
        data = shapes_geojson(self.SHAPES, "Moor", 100, 90)
        said = json.loads(data)
        self.assertEqual((said["properties"]["units"], said["properties"]["axes"]), ("m", "x east, z south"))
        back = read_shapes(data, "x.geojson", 100, 90)
        for one, two in zip(self.SHAPES, back):
            for name in ("kind", "form", "name", "width", "clear", "locked", "hidden", "hatch"):
                self.assertEqual(one[name], two[name], name)
            np.testing.assert_allclose(one["points"], two["points"], atol=1e-3)
            self.assertEqual((one["round"], one["box"]), (two.get("round"), two.get("box")))

    def test_bad_files_name_the_feature_and_the_cause(self):
        def with_geometry(geometry, **properties):
            return json.dumps(
                {
                    "type": "FeatureCollection",
                    "features": [
                        {
                            "type": "Feature",
                            "geometry": {"type": "LineString", "coordinates": [[1, 1], [2, 2]]},
                            "properties": {},
                        },
                        {"type": "Feature", "geometry": geometry, "properties": properties},
                    ],
                }
            ).encode()

        ring = [[0, 0], [10, 10], [10, 0], [0, 10], [0, 0]]
        bad = [
            (b"{", "not GeoJSON"),
            (b"[]", "feature collection"),
            (with_geometry({"type": "Polygon", "coordinates": [ring]}), "feature 2.*crosses"),
            (
                with_geometry({"type": "LineString", "coordinates": [[0, 0], [500, 0]]}),
                "feature 2.*outside the level",
            ),
            (with_geometry({"type": "Polygon", "coordinates": [ring, ring]}), "holes"),
            (with_geometry({"type": "Point", "coordinates": [5, 5]}), "feature 2"),
            (with_geometry({"type": "MultiPoint", "coordinates": []}), "MultiPoint"),
            (with_geometry({"type": "LineString", "coordinates": [[0, 0], ["a", 0]]}), "not a number"),
            (
                with_geometry({"type": "LineString", "coordinates": [[0, 0], [9, 9]]}, kind="area"),
                "cannot be an area",
            ),
            (with_geometry({"type": "LineString", "coordinates": [[0, 0], [9, 9]]}, kind="hedge"), "hedge"),
            (
                json.dumps(
                    {"type": "FeatureCollection", "properties": {"units": "ft"}, "features": []}
                ).encode(),
                "ft",
            ),
        ]
        for data, word in bad:
            with self.assertRaisesRegex(ValueError, f"bad.geojson.*{word}"):
                read_shapes(data, "bad.geojson", 100, 90)
