"""Files out and read back by other libraries; ids that are one each; the demo's ground and stock."""

import dataclasses
import io
import unittest

import numpy as np
import rasterio
import trimesh

from demo import ground as demo_ground
from demo.stock import MODELS
from server.stands.payload import encode
from thicket.formats.glb import GlbReader
from thicket.formats.handover import Planted, density_png, heights_tif
from thicket.formats.plant_tables import HEADER, plants_csv, table_of
from thicket.formats.recipe import PLAIN
from thicket.formats.stock import measure, read_anchors, to_glb
from thicket.ground.heights import Ground
from thicket.planting.hashing import plant_ids
from thicket.planting.stands import Plants
from thicket.sight.billboard import render_billboard


def some_plants(n=40, seed=2):
    rng = np.random.default_rng(seed)
    form = rng.normal(0, 1, (n, 10)).astype(np.float32)
    return Plants(rng.permutation(np.arange(2**60, 2**60 + n, dtype=np.uint64)), form, np.zeros(n, np.uint8))


class Ids(unittest.TestCase):
    def test_one_each_within_a_stand_and_apart_between_stands_and_spacings(self):
        i, j = np.mgrid[-300:300, -300:300]
        cells = np.c_[i.ravel(), j.ravel()]
        ids = plant_ids(3, 77, cells)
        self.assertEqual(len(np.unique(ids)), len(cells))
        self.assertEqual(set((ids >> np.uint64(48)).tolist()), {3})
        self.assertFalse(np.isin(ids, plant_ids(4, 77, cells)).any())
        self.assertLess(np.isin(ids, plant_ids(3, 78, cells)).mean(), 0.01)
        np.testing.assert_array_equal(ids, plant_ids(3, 77, cells))


class Stock(unittest.TestCase):
    def test_meshes_open_elsewhere_and_step_down(self):
        for slug, make in MODELS.items():
            model = make()
            data = to_glb(model)
            item = measure(slug, data)
            self.assertEqual(data, to_glb(make.__wrapped__()), "the same code must give the same bytes")
            counted = sum(
                len(g.faces) for g in trimesh.load(io.BytesIO(data), file_type="glb").geometry.values()
            )
            self.assertEqual(counted, sum(mesh.triangles for mesh in item.meshes))
            steps = [mesh.triangles for mesh in item.meshes]
            self.assertEqual(steps, sorted(steps, reverse=True))
        self.assertEqual(len(measure("birch", to_glb(MODELS["birch"]())).lods), 3)

    def test_anchor_points_go_along_and_one_outside_the_mesh_is_refused(self):
        model = MODELS["slate-block"]()
        data = to_glb(model)
        read = read_anchors("slate-block", data)
        self.assertEqual({a["name"] for a in read}, set(model.anchors))
        for anchor in read:
            at, up = model.anchors[anchor["name"]]
            np.testing.assert_allclose(anchor["at"], at, atol=1e-5)
            np.testing.assert_allclose(anchor["up"], np.array(up) / np.linalg.norm(up), atol=1e-5)
        astray = dataclasses.replace(model, anchors={"far": ((0, 9, 0), (0, 1, 0))})
        with self.assertRaisesRegex(ValueError, "'far' at 0.00, 9.00, 0.00 m lies outside the mesh"):
            read_anchors("slate-block", to_glb(astray))

    def test_the_billboard_is_the_mesh_from_the_side(self):
        model = MODELS["birch"]()
        picture = render_billboard(model.lods[0], 6.4, 10.2, 128)
        self.assertEqual(picture.shape, (128, 80, 4))
        covered = picture[..., 3] > 127
        self.assertTrue(0.15 < covered.mean() < 0.8)
        trunk = picture[-8:-2][covered[-8:-2]]
        self.assertGreater(trunk[:, :3].mean(), 130, "a birch has a white trunk")
        self.assertLess(abs(np.flatnonzero(covered[-4]).mean() - 40), 4)

    def test_what_is_no_glb_is_refused(self):
        for data in (b"", b"glTF", b"x" * 64, to_glb(MODELS["slate-block"]())[:-10]):
            with self.assertRaises(ValueError):
                GlbReader(data)


class Files(unittest.TestCase):
    def test_csv_rows_are_sorted_and_parse_back(self):
        plants = some_plants()
        text = plants_csv(table_of([Planted("birch", ["birch"], plants)], PLAIN, 400, 400))
        self.assertTrue(text.startswith(HEADER))
        rows = [line.split(",") for line in text.splitlines()[1:]]
        self.assertEqual([int(r[0]) for r in rows], sorted(plants.id.tolist()))
        order = np.argsort(plants.id)
        np.testing.assert_allclose(
            [[float(v) for v in r[3:6]] for r in rows], plants.form[order, :3], atol=6e-5
        )

    def test_rasters_read_back_bit_for_bit(self):
        rng = np.random.default_rng(5)
        heights = rng.uniform(300, 400, (33, 21)).astype(np.float32)
        with rasterio.MemoryFile(heights_tif(Ground(heights, 2.5))) as memory, memory.open() as tif:
            np.testing.assert_array_equal(tif.read(1), heights)
            self.assertEqual(tif.res, (2.5, 2.5))
        with (
            rasterio.MemoryFile(density_png(np.linspace(0, 1, 12).reshape(3, 4))) as memory,
            memory.open() as png,
        ):
            self.assertEqual((png.dtypes, int(png.read(1).max())), (("uint16",), 65535))

    def test_the_stages_bytes_hold_the_plants(self):
        plants = some_plants()
        data = encode(plants)
        n = int.from_bytes(data[4:8], "little")
        np.testing.assert_array_equal(np.frombuffer(data, "<f4", n * 10, 8).reshape(n, 10), plants.form)
        np.testing.assert_array_equal(np.frombuffer(data, "<u8", n, 8 + 40 * n), plants.id)


class DemoGround(unittest.TestCase):
    def test_the_quarry(self):
        quarry = demo_ground.build()
        self.assertEqual(quarry.heights.shape, (1025, 1025))
        np.testing.assert_allclose(quarry.layers.sum(-1), 1, atol=1e-5)
        pit = quarry.heights[470:500, 425:455]
        self.assertLess(pit.max(), demo_ground.WATER)
        bed = [quarry.heights[int(z), int(x)] for x, z in demo_ground.TRAMWAY[1:-1]]
        self.assertTrue(all(0 < a - b < 16 for a, b in zip(bed, bed[1:])), bed)
