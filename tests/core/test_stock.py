"""Things to plant brought in from files that other writers made: the same triangles, size and colours, LODs
and billboards that look like the mesh at their distances, and bad files refused by name."""

import io
import json
import unittest
import zipfile

import numpy as np
import trimesh
from PIL import Image
from trimesh.visual.material import PBRMaterial

from demo.stock import MODELS
from thicket.formats.mesh_files import guessed_unit, read_mesh, unpacked
from thicket.formats.stock import Material, Part, measure
from thicket.refused import Refused
from thicket.stock.billboards import crossed_billboard, facing_billboard
from thicket.stock.bringing import Options, bring, meshes_in
from thicket.stock.lods import made_lods, simplified, thinned
from thicket.stock.making import made, measured
from thicket.stock.silhouette import HEADINGS, coverage, distance_of, frame_of, silhouette_error

GREEN = (40, 120, 60, 255)


def picture(colour=GREEN, size=(32, 32), holes=False) -> Image.Image:
    values = np.tile(np.array(colour, np.uint8), (*size, 1))
    if holes:
        values[::2, :, 3] = 0
    return Image.fromarray(values)


def textured(mesh, image=None, **more):
    uv = np.random.default_rng(1).uniform(0, 1, (len(mesh.vertices), 2))
    mesh.visual = trimesh.visual.TextureVisuals(
        uv=uv, material=PBRMaterial(baseColorTexture=image or picture(), **more)
    )
    return mesh


def tree(height=5.0):
    """A trunk and a crown under two nodes, moved and turned."""
    scene = trimesh.Scene()
    trunk = textured(
        trimesh.creation.cylinder(0.1 * height / 5, height * 0.6, sections=12), picture((90, 60, 30, 255))
    )
    crown = textured(trimesh.creation.icosphere(4, height * 0.3))
    upright = trimesh.transformations.rotation_matrix(-np.pi / 2, [1, 0, 0])
    upright[:3, 3] = [0, height * 0.3, 0]
    moved = trimesh.transformations.translation_matrix([0, height * 0.7, 0])
    scene.add_geometry(trunk, "trunk", transform=upright)
    scene.add_geometry(crown, "crown", transform=moved)
    return scene


class Read(unittest.TestCase):
    def test_a_scene_comes_in_with_its_places_triangles_and_colours(self):
        scene = tree()
        for name in ("tree.glb", "tree.gltf"):
            files = (
                {name: scene.export(file_type="glb")}
                if name.endswith("glb")
                else {
                    {"model.gltf": "tree.gltf"}.get(k, k): v
                    for k, v in scene.export(file_type="gltf").items()
                }
            )
            brought = read_mesh(files, name)
            parts = brought.lods[0]
            self.assertEqual(
                sum(len(p.index) for p in parts) // 3, sum(len(m.faces) for m in scene.geometry.values())
            )
            place = np.concatenate([p.position for p in parts])
            np.testing.assert_allclose([place.min(0), place.max(0)], scene.bounds, atol=1e-4)
            self.assertEqual({tuple(p.material.texture[0, 0]) for p in parts}, {GREEN, (90, 60, 30, 255)})
            self.assertEqual((brought.name, brought.unit), ("tree", "m"))

    def test_obj_with_material_and_image_in_a_zip(self):
        mesh = trimesh.creation.box((1, 2, 1))
        text, more = trimesh.exchange.obj.export_obj(textured(mesh), return_texture=True, mtl_name="box.mtl")
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as archive:
            for name, data in {
                "things/box.obj": text.encode(),
                **{f"things/{k}": v for k, v in more.items()},
            }.items():
                archive.writestr(name, data)
        files = unpacked({"all.zip": packed.getvalue()})
        self.assertEqual(meshes_in(files), [["things/box.obj"]])
        brought = read_mesh(files, "things/box.obj")
        self.assertEqual(sum(len(p.index) for p in brought.lods[0]) // 3, 12)
        np.testing.assert_allclose(brought.lods[0][0].material.texture[0, 0], GREEN, atol=2)
        del files["things/material_0.png"]
        self.assertIn("was not given", " ".join(read_mesh(files, "things/box.obj").notes))

    def test_units_axes_feet_and_heights(self):
        self.assertEqual([guessed_unit(h) for h in (0.3, 12, 812, 12000)], ["m", "m", "cm", "mm"])
        mesh = trimesh.creation.box((100, 100, 812))
        mesh.apply_translation([500, 300, 406])
        data = {"post.glb": textured(mesh).export(file_type="glb")}
        [thing] = bring(data, ["post.glb"], "post", Options(up="z"))
        item = thing.made
        self.assertIn("taken for cm", thing.notes[0])
        np.testing.assert_allclose([item.height, item.crown], [8.12, np.hypot(0.5, 0.5)], rtol=0.01)
        item = bring(data, ["post.glb"], "post", Options(unit="in", up="z", height=3.0))[0].made
        self.assertAlmostEqual(item.height, 3.0, places=4)

    def test_an_upright_axis_is_guessed_where_the_format_has_none(self):
        post = trimesh.creation.box((1, 1, 4))
        post.apply_translation([0, 0, 2])
        for turn, axis in (
            (None, "z"),
            (trimesh.transformations.rotation_matrix(-np.pi / 2, [1, 0, 0]), "y"),
        ):
            if turn is not None:
                post.apply_transform(turn)
            brought = read_mesh({"post.obj": post.export(file_type="obj").encode()}, "post.obj")
            self.assertAlmostEqual(float(np.ptp(brought.lods[0][0].position[:, 1])), 4, places=4)
            self.assertEqual(any("z is taken" in n for n in brought.notes), axis == "z")
        self.assertEqual(read_mesh({"post.glb": post.export(file_type="glb")}, "post.glb").notes, [])

    def test_lods_come_from_names_in_one_file_or_in_several(self):
        balls = [textured(trimesh.creation.icosphere(k, 1.0)) for k in (3, 2, 1)]
        scene = trimesh.Scene()
        for k, ball in enumerate(balls):
            scene.add_geometry(ball, geom_name=f"Ball_LOD{k}", node_name=f"Ball_LOD{k}")
        want = [len(b.faces) for b in balls]
        item = bring(
            {"ball.glb": scene.export(file_type="glb")}, ["ball.glb"], "ball", Options(billboard="none")
        )[0].made
        self.assertEqual([s["triangles"] for s in item.states], want)
        files = {f"ball-lod{k}.glb": b.export(file_type="glb") for k, b in enumerate(balls)} | {
            "other.glb": b"x"
        }
        self.assertEqual(meshes_in(files), [[f"ball-lod{k}.glb" for k in range(3)], ["other.glb"]])
        [thing] = bring(files, meshes_in(files)[0], "ball", Options(billboard="none"))
        self.assertEqual([s["triangles"] for s in thing.made.states], want)
        self.assertEqual(thing.name, "ball")

    def test_see_through_surfaces_are_cut_out_and_solid_ones_are_not(self):
        card = trimesh.creation.box((1, 1, 0.01))
        for mode, image, cut in (
            ("MASK", picture(holes=True), True),
            ("BLEND", picture(), True),
            ("OPAQUE", picture(holes=True), False),
        ):
            brought = read_mesh(
                {"a.glb": textured(card.copy(), image, alphaMode=mode).export(file_type="glb")}, "a.glb"
            )
            self.assertEqual(brought.lods[0][0].material.cut, cut, mode)
            self.assertEqual(any("cut-out" in n for n in brought.notes), mode == "BLEND")

    def test_bad_files_are_named_with_their_cause(self):
        good = textured(trimesh.creation.box()).export(file_type="glb")
        far = json.dumps(
            {"asset": {"version": "2.0"}, "buffers": [{"uri": "http://far/x.bin", "byteLength": 9}]}
        ).encode()
        up = far.replace(b"http://far/x.bin", b"../../etc/passwd")
        ring = json.dumps(
            {"asset": {"version": "2.0"}, "scenes": [{"nodes": [0]}], "nodes": [{"children": [0]}]}
        ).encode()
        needs = json.dumps({"asset": {"version": "2.0"}, "extensionsRequired": ["XX_unheard_of"]}).encode()
        lone = trimesh.creation.box().export(file_type="gltf")["model.gltf"]
        flat = b"v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 2 3\n"
        for name, data, word in (
            ("cut.glb", good[:-400], "cut short"),
            ("no.glb", b"glTF", "damaged"),
            ("far.gltf", far, "never read"),
            ("up.gltf", up, "never read"),
            ("ring.gltf", ring, "themselves"),
            ("needs.gltf", needs, "XX_unheard"),
            ("lone.gltf", lone, "was not given"),
            ("empty.obj", b"v 0 0 0\n", "triangles"),
            ("flat.obj", flat, "height"),
            ("nan.obj", b"v nan 0 0\nv 1 0 0\nv 0 1 1\nf 1 2 3\n", "numbers"),
        ):
            with self.assertRaises(Refused, msg=name) as told:
                read_mesh({name: data}, name)
            self.assertTrue(
                str(told.exception).startswith(f"{name}: ") and word in str(told.exception), told.exception
            )
        for entry in ("../out.obj", "/abs.obj", "c:\\x.obj"):
            packed = io.BytesIO()
            with zipfile.ZipFile(packed, "w") as archive:
                archive.writestr(entry, b"x")
            with self.assertRaisesRegex(Refused, "a.zip: .*leads out"):
                unpacked({"a.zip": packed.getvalue()})
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("big", bytes(600 << 20))
        with self.assertRaisesRegex(Refused, "more than 512 MB"):
            unpacked({"bomb.zip": packed.getvalue()})
        with self.assertRaisesRegex(Refused, "damaged"):
            unpacked({"a.zip": b"PK\3\4"})
        with self.assertRaisesRegex(Refused, "no mesh"):
            meshes_in({"a.png": b""})


class Coarser(unittest.TestCase):
    def test_solids_keep_their_shape_and_corners_their_textures(self):
        ball = trimesh.creation.icosphere(5, 1.0)
        part = Part(
            Material("m", np.full((4, 4, 4), 255, np.uint8)),
            ball.vertices.astype("f4"),
            ball.vertex_normals.astype("f4"),
            (ball.vertices[:, :2] / 2 + 0.5).astype("f4"),
            ball.faces.ravel().astype("u4"),
        )
        few = simplified(part, 0.1)
        self.assertAlmostEqual(len(few.index) / len(part.index), 0.1, delta=0.02)
        self.assertLess(abs(np.linalg.norm(few.position, axis=1) - 1).max(), 0.03)
        np.testing.assert_allclose(few.uv, few.position[:, :2] / 2 + 0.5, atol=1e-6)
        self.assertLess(silhouette_error([part], [few]), 0.01)

    def test_leaf_cards_are_thinned_and_enlarged_so_that_area_stays(self):
        leaves = next(p for p in MODELS["birch"]().lods[0] if p.material.cut)
        few = thinned(leaves, 0.3)

        def area(part):
            a, b, c = (part.position[part.index.reshape(-1, 3)[:, k]].astype(float) for k in range(3))
            return np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2

        self.assertAlmostEqual(len(few.index) / len(leaves.index), 0.3, delta=0.03)
        self.assertAlmostEqual(area(few) / area(leaves), 1, delta=0.01)
        np.testing.assert_array_equal(few.position, thinned(leaves, 0.3).position)

    def test_billboards_cover_what_the_mesh_covers_in_its_colours(self):
        full = MODELS["rowan"]().lods[0]
        frame = frame_of(full)
        want = coverage(full, 0, frame).mean()
        for card in (facing_billboard(full), crossed_billboard(full, 3)[:1]):
            self.assertAlmostEqual(coverage(card, 0, frame).mean() / want, 1, delta=0.25)
            drawn, meant = (
                card[0].material.texture,
                np.concatenate([p.material.texture.reshape(-1, 4) for p in full]),
            )
            solid = drawn[drawn[..., 3] > 128][:, :3].astype(float).mean(0)
            self.assertLess(abs(solid - meant[meant[:, 3] > 128][:, :3].mean(0)).max(), 60)
            self.assertGreater(drawn[..., :3][drawn[..., 3] == 0].min(), 0, "no dark rims")

    def test_silhouette_error_is_nothing_for_the_same_and_grows_as_it_gets_coarser(self):
        model = MODELS["hawthorn"]()
        self.assertEqual(silhouette_error(model.lods[0], model.lods[0]), 0)
        errors = [silhouette_error(model.lods[0], lod) for lod in made_lods(model.lods[0], (0.6, 0.2, 0.05))]
        self.assertEqual(errors, sorted(errors))
        self.assertGreater(errors[0], 0)
        odd = silhouette_error(model.lods[0], model.lods[1], [h + 22.5 for h in HEADINGS])
        self.assertAlmostEqual(odd / silhouette_error(model.lods[0], model.lods[1]), 1, delta=0.2)

    def test_a_known_difference_gives_the_known_error_and_distance(self):
        def post(radius):
            mesh = trimesh.creation.cylinder(radius, 4.0, sections=48)
            place = (mesh.vertices[:, [0, 2, 1]] + [0, 2, 0]).astype("f4")
            return [
                Part(
                    Material("m", np.full((4, 4, 4), 255, np.uint8)),
                    place,
                    mesh.vertex_normals.astype("f4"),
                    np.zeros((len(mesh.vertices), 2), "f4"),
                    mesh.faces.ravel().astype("u4"),
                )
            ]

        self.assertAlmostEqual(silhouette_error(post(0.5), post(0.6)), 0.1, delta=0.02)
        self.assertAlmostEqual(
            distance_of(0.1, 2.0), 0.1 * 1080 / (2 * np.tan(np.radians(27.5)) * 2), places=6
        )


class Kept(unittest.TestCase):
    def test_what_is_kept_is_measured_drawn_and_opens_again(self):
        [thing] = bring({"tree.glb": tree().export(file_type="glb")}, ["tree.glb"], "tree")
        item = thing.made
        self.assertEqual(item.findings, [])
        self.assertIn("LOD 2 would never be drawn", " ".join(thing.notes))
        np.testing.assert_allclose([item.height, item.crown], [5.0, 1.5], rtol=0.03)
        self.assertAlmostEqual(item.trunk, 0.1, delta=0.02)
        self.assertEqual([s["name"] for s in item.states], ["lod0", "lod1", "billboard"])
        again = measure("tree", item.glb)
        self.assertEqual([m.triangles for m in again.lods], [s["triangles"] for s in item.states[:2]])
        opened = trimesh.load(io.BytesIO(item.glb), file_type="glb")
        self.assertEqual(len(opened.graph.nodes_geometry), 2 * 2 + 1)
        with Image.open(io.BytesIO(item.picture)) as drawn:
            self.assertGreater(np.asarray(drawn)[..., 3].mean(), 10)
        self.assertEqual(item.distances["lods"], sorted(item.distances["lods"]))

    def test_a_floating_mesh_without_lods_is_found_out(self):
        model = MODELS["birch"]()
        lifted = [
            Part(p.material, p.position + np.array([0, 2, 0], "f4"), p.normal, p.uv, p.index)
            for p in model.lods[0]
        ]
        told = " ".join(f["text"] for f in made(type(model)("b", [lifted])).findings)
        for word in ("no LODs", "no billboard", "above the ground"):
            self.assertIn(word, told)
        self.assertEqual(measured(model.lods[0])[0] > 8, True)
