"""What an item knows and how it is changed: colliders, anchors, sizes, mends; stand-ins, and grass from
pictures; companions on, round and inside groups of anchors."""

import io
import unittest
from dataclasses import replace

import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from shapely import Point, Polygon
from trimesh.visual.material import PBRMaterial

from demo.shelf import starter
from demo.stock import MODELS
from tests.core.test_stock import picture, textured, tree
from thicket.formats.stock import (
    Material,
    Part,
    StockModel,
    from_glb,
    measure,
    read_materials,
    to_glb,
)
from thicket.planting.companions import Anchors, closed_curve, inside_curve
from thicket.refused import Refused
from thicket.sight.billboard import render_billboard, render_with_normals
from thicket.stock.bringing import Options, bring
from thicket.stock.cards import Cards, from_picture, read_picture
from thicket.stock.colliders import collider_of
from thicket.stock.findings import findings, mended, never_drawn
from thicket.stock.lods import made_lods
from thicket.stock.making import changed, distances_for, made, mended_item, succeeded
from thicket.stock.silhouette import distance_of, silhouette_error
from thicket.stock.stand_ins import SHAPES, stand_in
from thicket.stock.traits import Edit, Traits, group_of


def part_of(mesh, material=None, side=4, colour=(90, 120, 60, 255)):
    texture = np.tile(np.array(colour, np.uint8), (side, side, 1))
    uv = (mesh.vertices[:, :2] - mesh.vertices[:, :2].min(0)).astype("f4")
    return Part(
        material or Material("m", texture),
        mesh.vertices.astype("f4"),
        mesh.vertex_normals.astype("f4"),
        uv,
        mesh.faces.ravel().astype("u4"),
    )


def solid_of(part):
    return trimesh.Trimesh(part.position, part.index.reshape(-1, 3), process=True)


def mends(model):
    flat = 1.0 if model.billboard else None
    distances = {"lods": [float(k) / 9 for k in range(1, len(model.lods))], "billboard": flat}
    triangles = [sum(len(p.index) for p in lod) // 3 for lod in model.lods]
    return [f.mend for f in findings(model, triangles, distances)]


class StandIns(unittest.TestCase):
    @given(st.sampled_from(SHAPES), st.floats(0.1, 40), st.floats(0.1, 20))
    @settings(max_examples=30, deadline=None)
    def test_they_are_closed_as_large_as_asked_and_stand_on_the_ground(self, shape, height, width):
        model = stand_in(shape, height, width, (10, 200, 30))
        for lod in model.lods:
            place = lod[0].position
            np.testing.assert_allclose(
                [place[:, 1].min(), place[:, 1].max()], [0, height], atol=1e-4 * height
            )
            self.assertLessEqual(np.abs(place[:, [0, 2]]).max(), width / 2 * 1.001)
            if shape != "cross":
                body = solid_of(lod[0])
                self.assertTrue(body.is_watertight and body.volume > 0, shape)
        self.assertEqual(tuple(model.lods[0][0].material.texture[0, 0]), (10, 200, 30, 255))
        self.assertEqual(mends(model), [])

    def test_another_shape_is_refused(self):
        with self.assertRaisesRegex(Refused, "cone"):
            stand_in("pyramid", 1, 1, (0, 0, 0))


class FromPictures(unittest.TestCase):
    def test_cards_are_as_large_as_asked_and_bent_tufts_lean_out(self):
        image = np.asarray(picture(size=(64, 32), holes=True))
        for kind, triangles in (("facing", 2), ("crossed", 10), ("tuft", 30)):
            [model] = from_picture("grass", image, Cards(kind, 0.4, 0.6, 5, 30))
            [part] = model.lods[0]
            self.assertEqual(
                (len(part.index) // 3, part.material.cut, part.material.facing),
                (triangles, True, kind == "facing"),
            )
            tall = float(part.position[:, 1].max())
            self.assertTrue(0.48 < tall <= 0.6001 and part.position[:, 1].min() == 0, tall)
            widths = np.linalg.norm(part.position[1::2] - part.position[::2], axis=1)
            np.testing.assert_allclose(widths, 0.4, rtol=1e-5)
        straight, bent = (
            from_picture("g", image, Cards("tuft", 0.1, 0.6, 5, b))[0].lods[0][0].position for b in (0, 60)
        )
        self.assertGreater(np.hypot(*bent[:, [0, 2]].T).max(), np.hypot(*straight[:, [0, 2]].T).max() + 0.2)

    def test_rows_of_a_picture_are_variants(self):
        image = np.zeros((30, 10, 4), np.uint8)
        for k in range(3):
            image[10 * k : 10 * k + 10] = (80 * k, 0, 0, 255)
        models = from_picture("f", image, Cards("facing", rows=3))
        self.assertEqual([int(m.lods[0][0].material.texture[0, 0, 0]) for m in models], [0, 80, 160])
        with self.assertRaisesRegex(Refused, "pixels high"):
            from_picture("f", image[:8], Cards(rows=3))

    def test_what_is_no_cut_out_picture_is_refused_by_name(self):
        solid = io.BytesIO()
        picture().save(solid, "PNG")
        for data, word in (
            (b"not a picture", "no PNG"),
            (solid.getvalue(), "no alpha"),
            (solid.getvalue()[:60], "PNG"),
        ):
            with self.assertRaisesRegex(Refused, f"grass.png: .*{word}"):
                read_picture("grass.png", data)
        wide = io.BytesIO()
        Image.new("1", (9000, 2)).save(wide, "PNG")
        with self.assertRaisesRegex(Refused, "8,192"):
            read_picture("grass.png", wide.getvalue())

    def test_they_become_items(self):
        out = io.BytesIO()
        picture(size=(64, 64), holes=True).save(out, "PNG")
        things = bring(
            {"reed.png": out.getvalue()}, ["reed.png"], "reed", Options(cards=Cards("tuft", rows=2))
        )
        self.assertEqual([t.name for t in things], ["reed 1", "reed 2"])
        self.assertEqual(
            (things[0].made.traits["casts_shadow"], things[0].made.traits["stiffness"]), (False, 0.1)
        )


class Colliders(unittest.TestCase):
    def test_they_hold_the_solid_parts_and_are_closed(self):
        birch = MODELS["birch"]().lods[0]
        solid = np.concatenate([p.position for p in birch if not p.material.cut])
        for kind in ("box", "hull"):
            found = collider_of(kind, birch, 9, 0.2)
            body = trimesh.Trimesh(found.position, found.index)
            self.assertTrue(body.is_watertight and body.volume > 0, kind)
            outside = ((solid[:, None] - body.triangles[None, :, 0]) * body.face_normals).sum(-1).max()
            self.assertLess(outside, 0.3 if kind == "hull" else 1e-3, kind)
        self.assertLessEqual(len(collider_of("hull", birch, 9, 0.2).position), 64)
        post = collider_of("cylinder", birch, 9, 0.25)
        np.testing.assert_allclose(
            [post.position[:, 1].max(), np.hypot(*post.position[:, [0, 2]].T).max()], [9, 0.25], rtol=1e-5
        )
        self.assertIsNone(collider_of("none", birch, 9, 0.2))

    def test_a_flat_mesh_has_a_box(self):
        flat = part_of(
            trimesh.Trimesh(
                [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], [[0, 1, 2], [0, 2, 3]], process=False
            )
        )
        self.assertEqual(collider_of("hull", [flat], 1, 0.1).kind, "box")


class Items(unittest.TestCase):
    def test_files_round_trip_with_everything(self):
        model = MODELS["slate-block"]()
        colours = [replace(p, colour=np.full((len(p.position), 4), 77, np.uint8)) for p in model.lods[0]]
        normals = replace(MODELS["rowan"]().billboard[0])
        lit = replace(
            normals, material=replace(normals.material, normals=normals.material.texture[..., :3].copy())
        )
        whole = StockModel(
            "x", [colours, model.lods[1]], [lit], model.anchors, collider_of("hull", model.lods[0], 1, 0.4)
        )
        data = to_glb(whole)
        again = from_glb("x", data)
        self.assertEqual(to_glb(from_glb("x", to_glb(again))), to_glb(again))
        self.assertEqual((again.collider.kind, again.anchors.keys()), ("hull", model.anchors.keys()))
        np.testing.assert_array_equal(again.billboard[0].material.normals, lit.material.normals)
        self.assertEqual(len(measure("x", data).lods), 2, "a collider is no LOD")
        [thing] = bring({"mine.glb": data}, ["mine.glb"], "x")
        self.assertEqual(from_glb("x", thing.made.glb).anchors.keys(), model.anchors.keys())

    def test_sizes_scale_all_alike_and_a_foot_can_be_lifted(self):
        was = starter("slate-block")
        twice = changed("slate-block", was, Edit(height=2 * was.height, traits=Traits(**was.traits)))
        for name in ("height", "crown", "trunk"):
            self.assertAlmostEqual(getattr(twice, name) / getattr(was, name), 2, delta=0.03)
        np.testing.assert_allclose(twice.anchors[0]["at"], 2 * np.array(was.anchors[0]["at"]), atol=1e-4)
        ratio = twice.distances["lods"][0] / was.distances["lods"][0]
        self.assertAlmostEqual(ratio, 2, delta=0.1)
        lifted = changed("slate-block", was, Edit(lift=0.5, traits=Traits(**was.traits)))
        self.assertAlmostEqual(lifted.anchors[0]["at"][1] - was.anchors[0]["at"][1], 0.5, places=4)

    def test_a_cut_out_threshold_thins_the_leaves_is_in_the_file_and_measured(self):
        was = starter("rowan")
        traits = replace(Traits(**was.traits), cutoff=0.9, softness=0.3)
        now = changed("rowan", was, Edit(traits=traits))
        model, before = (from_glb("rowan", each.glb) for each in (now, was))
        cut = {id(p.material): p.material for lod in model.lods for p in lod if p.material.cut}
        self.assertEqual({(m.cutoff, m.softness) for m in cut.values()}, {(0.9, 0.3)})
        old = {id(p.material) for lod in before.lods for p in lod if p.material.cut}
        self.assertEqual(len(cut), len(old), "materials stay shared")
        self.assertTrue(all(p.material.cutoff == 0.5 for p in model.billboard))
        self.assertTrue(all(not p.material.softness for lod in model.lods for p in lod if not p.material.cut))
        self.assertLess(now.states[0]["covered"], was.states[0]["covered"])
        back = changed("rowan", now, Edit(traits=Traits(**was.traits)))
        self.assertEqual(back.states[0], was.states[0])

    def test_tints_leave_alone_what_is_proposed_by_name_until_a_person_says_otherwise(self):
        box = trimesh.creation.box((1, 1, 1))
        names = {"Oak_Bark": 200, "Leaf": 20}
        scene = trimesh.Scene()
        for k, (name, colour) in enumerate(names.items()):
            mesh = box.copy().apply_translation((0, k, 0))
            material = PBRMaterial(name=name, baseColorFactor=[colour, 90, 40, 255])
            mesh.visual = trimesh.visual.TextureVisuals(
                uv=np.zeros((len(mesh.vertices), 2)), material=material
            )
            scene.add_geometry(mesh, geom_name=name)
        brought = bring({"oak.glb": scene.export(file_type="glb")}, ["oak.glb"], "oak", Options())[0].made
        self.assertEqual(sorted(read_materials(brought.glb)), sorted(names))

        def untinted(made):
            model = from_glb("oak", made.glb)
            return {p.material.name for lod in model.lods for p in lod if not p.material.tinted}

        self.assertEqual((untinted(brought), brought.traits["untinted"]), ({"Oak_Bark"}, ["Oak_Bark"]))
        said = changed("oak", brought, Edit(traits=replace(Traits(**brought.traits), untinted=["Leaf"])))
        self.assertEqual((untinted(said), said.traits["untinted"]), ({"Leaf"}, ["Leaf"]))
        again = succeeded("oak", said, brought)
        self.assertEqual(untinted(again), {"Leaf"}, "another source keeps what was said")
        self.assertEqual(
            untinted(mended_item("oak", said.glb, "ground", Traits(**said.traits), 1, 1)), {"Leaf"}
        )

    def test_edits_that_move_nothing_leave_measures_and_pictures(self):
        was = starter("birch")
        now = changed(
            "birch", was, Edit(trunk=0.4, traits=replace(Traits(**was.traits), stiffness=0.9, collider="box"))
        )
        self.assertEqual(
            (now.trunk, now.crown, now.picture, now.distances), (0.4, was.crown, was.picture, was.distances)
        )
        self.assertEqual((now.traits["stiffness"], from_glb("birch", now.glb).collider.kind), (0.9, "box"))
        for bad in (
            [{"name": "a", "at": [0, 99, 0], "up": [0, 1, 0]}],
            [{"name": "a", "at": [0, 1, 0], "up": [0, 0, 0]}],
        ):
            with self.assertRaises(Refused):
                changed("birch", was, Edit(anchors=bad, traits=Traits(**was.traits)))

    def test_a_new_source_keeps_traits_and_the_anchors_that_lie_on_it(self):
        was = starter("slate-block")
        new = bring({"fir.glb": tree(3.0).export(file_type="glb")}, ["fir.glb"], "x")[0].made
        now = succeeded("slate-block", was, new)
        self.assertEqual((now.traits, round(now.height, 2)), (was.traits, 3.0))
        near = {a["name"] for a in was.anchors if abs(a["at"][0]) < 1 > abs(a["at"][2])}
        self.assertEqual({a["name"] for a in now.anchors}, near)
        low = bring(
            {"low.glb": textured(trimesh.creation.box((2, 0.2, 2))).export(file_type="glb")}, ["low.glb"], "x"
        )[0].made
        self.assertNotIn("top", {a["name"] for a in succeeded("slate-block", was, low).anchors})

    def test_distances_for_other_numbers_of_pixels(self):
        said = starter("rowan").distances
        half = distances_for(said, 4.0)
        self.assertEqual(distances_for(said, 2.0), said)
        np.testing.assert_allclose(half["lods"], np.array(said["lods"]) / 2, atol=0.02)
        self.assertAlmostEqual(half["lods"][0], distance_of(said["errors"][0], 4.0), delta=0.02)

    def test_groups_are_told_by_names(self):
        self.assertEqual(
            [group_of(n) for n in ("rim 1", "rim 22", "top", "7", "bough2")],
            ["rim", "rim", "top", "7", "bough"],
        )

    def test_normals_of_a_billboard_face_as_the_mesh_does(self):
        ball = trimesh.creation.icosphere(4, 1.0)
        ball.apply_translation([0, 1, 0])
        colours, normals = render_with_normals([part_of(ball)], 2, 2, 64)
        z, x = np.mgrid[0:64, 0:64]
        place = np.stack([(x + 0.5) / 32 - 1, 1 - (z + 0.5) / 32, np.zeros((64, 64))], -1)
        place[..., 2] = np.sqrt(np.clip(1 - (place[..., :2] ** 2).sum(-1), 0, 1))
        deep = colours[..., 3] == 255
        got = normals[deep] / 127.5 - 1
        self.assertGreater((got * place[deep]).sum(-1).min(), 0.97)


class Findings(unittest.TestCase):
    def test_what_is_wrong_is_found_and_mended(self):
        ball = trimesh.creation.icosphere(3, 1.0)
        ball.apply_translation([0, 1, 0])
        solid, rough = part_of(ball), part_of(trimesh.creation.icosphere(3, 1.0))
        inside_out = replace(solid, index=solid.index.reshape(-1, 3)[:, ::-1].ravel())
        sheet = trimesh.Trimesh(
            [[-1, 0, 0], [1, 0, 0], [1, 2, 0], [-1, 2, 0]], [[0, 1, 2], [0, 2, 3]], process=False
        )
        large = replace(solid, material=Material("huge", np.full((2048, 2048, 4), 255, np.uint8)))
        holed = np.full((64, 64, 4), 255, np.uint8)
        holed[::3, :, 3] = 0
        floating = replace(solid, position=solid.position + np.float32([0, 3, 0]))
        same = [solid, replace(solid)]
        for model, mend in (
            (StockModel("a", [[solid]]), "lods"),
            (StockModel("a", [[solid]]), "billboard"),
            (StockModel("a", [[inside_out]]), "turn faces"),
            (StockModel("a", [[part_of(sheet)]]), "both sides"),
            (StockModel("a", [[large]]), "smaller textures"),
            (StockModel("a", [[replace(solid, material=Material("leaf", holed))]]), "cut out"),
            (StockModel("a", [[floating]]), "ground"),
            (StockModel("a", [same[:1], same[1:]]), "drop lod 1"),
            (StockModel("a", [[replace(rough, position=rough.position - np.float32([0, 2, 0]))]]), "ground"),
        ):
            self.assertIn(mend, mends(model), mend)
            self.assertNotIn(mend, mends(mended(model, mend)), mend)
        self.assertEqual(mends(StockModel("a", [[solid], *made_lods([solid])])), ["billboard"])
        with self.assertRaises(Refused):
            mended(StockModel("a", [[solid]]), "drop lod 7")

    def test_a_smaller_texture_is_the_old_ones_mean(self):
        ball = part_of(trimesh.creation.icosphere(2, 0.3))
        noise = np.random.default_rng(1).integers(0, 255, (2048, 2048, 4)).astype(np.uint8)
        noise[..., 3] = 255
        before = StockModel("a", [[replace(ball, material=Material("n", noise))]])
        after = mended(before, "smaller textures").lods[0][0].material.texture
        self.assertLess(len(after), 2048)
        np.testing.assert_allclose(after.mean((0, 1)), noise.mean((0, 1)), atol=1)

    def test_starter_items_have_none_but_of_states_and_their_states_cover_alike(self):
        for slug in ("birch", "heather", "slate-slab", "sleeper-stack"):
            item = starter(slug)
            self.assertEqual([f for f in item.findings if "never be drawn" not in f["text"]], [], slug)
            covered = [s["covered"] for s in item.states]
            self.assertLess(max(covered) / min(covered), 1.6, slug)
            model = from_glb(slug, item.glb)
            self.assertAlmostEqual(
                silhouette_error(model.lods[0], model.lods[-1]) / (item.distances["errors"] or [0])[-1],
                1,
                delta=0.15,
            )


class NeverDrawn(unittest.TestCase):
    def test_a_lod_that_the_next_state_replaces_at_once_is_left_out_and_that_is_said(self):
        ball, rough = (part_of(trimesh.creation.icosphere(n, 1.0)) for n in (4, 1))
        lods = {"a-lod0": ball, "a-lod1": rough, "a-lod2": part_of(trimesh.creation.icosphere(3, 1.0))}
        files = {f"{name}.glb": to_glb(StockModel("a", [[part]])) for name, part in lods.items()}
        [thing] = bring(files, sorted(files), "a", Options(billboard="none"))
        self.assertEqual([s["triangles"] for s in thing.made.states], [5120, 1280])
        self.assertEqual(sum("LOD 1 would never be drawn" in note for note in thing.notes), 1)
        kept = made(StockModel("a", [[p] for p in lods.values()]))
        self.assertIn("drop lod 1", [f["mend"] for f in kept.findings])
        self.assertEqual(never_drawn(thing.made.distances), {})


class Merging(unittest.TestCase):
    @given(st.integers(0, 9999), st.booleans(), st.booleans())
    @settings(max_examples=12, deadline=None)
    def test_merged_materials_draw_the_same_picture_in_fewer_calls(self, seed, plain, cut):
        rng = np.random.default_rng(seed)
        lods = []
        parts = []
        for k in range(6):
            texture = np.zeros((16, 24, 4), np.uint8)
            texture[..., :3] = rng.integers(20, 235, 3)
            texture[..., 3] = 255
            if not plain:
                texture[: 4 + k, : 6 + k] = (*rng.integers(20, 235, 3), 0 if cut else 255)
            box = part_of(trimesh.creation.box((1, 1, 1)))
            spread = 2.4 if k == 0 else 1.0
            part = replace(
                box,
                material=Material(f"m{k}", texture, cut),
                position=(box.position + [1.3 * k, 0.5, 0]).astype("f4"),
                uv=(rng.uniform(0, spread, box.uv.shape) - (k == 1)).astype("f4"),
            )
            parts.append(part)
        bark = replace(parts[2], material=replace(parts[2].material, tinted=False))
        lods = [[*parts, bark], parts[:3]]
        whole = StockModel("m", lods)
        self.assertIn("merge materials", mends(whole))
        after = mended(whole, "merge materials")
        self.assertEqual([len(lod) for lod in after.lods], [2, 1])
        self.assertEqual(sorted(p.material.tinted for p in after.lods[0]), [False, True])
        self.assertNotIn("merge materials", mends(after))
        for was, now in zip(whole.lods, after.lods):
            self.assertEqual(sum(len(p.index) for p in was), sum(len(p.index) for p in now))
            pictures = [render_billboard(x, 18.0, 2.0, 96, oversample=1).astype(int) for x in (was, now)]
            apart = np.abs(pictures[0] - pictures[1]).max(-1)
            self.assertLess((apart > 12).mean(), 0.02)
        self.assertEqual(after.lods[0][0].colour is not None, plain and not cut)

    def test_a_texture_that_repeats_far_keeps_its_own_material(self):
        rng = np.random.default_rng(5)
        parts = []
        for k in range(6):
            box = part_of(trimesh.creation.box((1, 1, 1)))
            texture = rng.integers(0, 255, (8, 8, 4)).astype(np.uint8)
            texture[..., 3] = 255
            uv = rng.uniform(0, 30 if k == 0 else 1, box.uv.shape).astype("f4")
            parts.append(replace(box, material=Material(f"m{k}", texture), uv=uv))
        after = mended(StockModel("m", [parts]), "merge materials")
        self.assertEqual(len(after.lods[0]), 2)
        self.assertIs(after.lods[0][0].material, parts[0].material)


class OnAnchors(unittest.TestCase):
    @given(st.integers(3, 8), st.integers(1, 40), st.floats(-1, 1), st.floats(-1, 1))
    @settings(max_examples=40, deadline=None)
    def test_inside_a_ring_they_lie_inside_and_apart(self, corners, count, lean_x, lean_z):
        a = np.arange(corners) * 2 * np.pi / corners
        at = np.c_[np.cos(a), 0.4 * np.cos(2 * a) + lean_x * np.cos(a) + lean_z * np.sin(a), np.sin(a)]
        up = np.tile([0.0, 1.0, 0.0], (corners, 1))
        found = inside_curve(Anchors(at, up), count)
        ring = Polygon(closed_curve(Anchors(at, up), 64).at[:, [0, 2]]).buffer(1e-2)
        self.assertEqual(len(found.at), count)
        self.assertTrue(all(ring.contains(Point(p)) for p in found.at[:, [0, 2]]))
        self.assertTrue(
            (found.at[:, 1] >= at[:, 1].min() - 1e-9).all()
            and (found.at[:, 1] <= at[:, 1].max() + 1e-9).all()
        )
        if count > 1:
            far = np.linalg.norm(found.at[:, None] - found.at[None], axis=2)[~np.eye(count, dtype=bool)]
            self.assertGreater(far.min(), 0.35 / np.sqrt(count))
        np.testing.assert_array_equal(found.at, inside_curve(Anchors(at, up), count).at)

    def test_groups_are_told_apart(self):
        both = Anchors(np.zeros((3, 3)), np.ones((3, 3)), ("rim", "top", "rim"))
        self.assertEqual((len(both.of("rim").at), len(both.of("").at), len(both.of("none").at)), (2, 3, 0))

    def test_a_kept_item_is_measured_as_it_is_made(self):
        ball = trimesh.creation.icosphere(3, 0.5)
        ball.apply_translation([0, 0.5, 0])
        item = made(StockModel("b", [[part_of(ball)]]))
        np.testing.assert_allclose([item.height, item.states[0]["covered"]], [1.0, np.pi / 4], rtol=0.02)
