"""Plants on placed meshes: places even and nested over any surface, fixed to it, and refused where it is
none."""

import csv
import io
import json
from dataclasses import replace
from itertools import pairwise

import numpy as np
import trimesh
from django.test import SimpleTestCase
from scipy.spatial import cKDTree

import thicket
from demo import tank
from tests.core.levels import InFolder, drawn_level, plain_stand
from thicket.document.edits import ChangeMasks, ChangeSettings, ChangeSurfaces, LeaveItem, Paint, Painted
from thicket.document.folder import save_level
from thicket.document.reading import open_level
from thicket.document.surface_settings import MadeMesh, PlacedMesh
from thicket.planted.aiming import aim
from thicket.planted.explaining import look
from thicket.planted.export import level_json, mapped, plants_csv
from thicket.planted.hand import PinChanges, hand_edit
from thicket.planted.hiding import hidden_share
from thicket.planted.survey import survey
from thicket.refused import Conflict, Missing, Refused
from thicket.sight.cost import loads_of
from thicket.sight.drawing import Drawing
from thicket.sight.pops import ASPECT, FOV
from thicket.sight.views import View
from thicket.site.conditions import Condition
from thicket.surfaces.mesh import Mesh, made_mesh, mended
from thicket.surfaces.placing import SHARES, points_on, spread
from thicket.surfaces.sizing import sized


def scan() -> Mesh:
    """A noisy, lumpy closed mesh, as scans are."""
    ball = trimesh.creation.icosphere(4, 5.0)
    noise = np.random.default_rng(3).normal(0, 0.05, (len(ball.vertices), 1))
    lumps = 1 + 0.2 * np.sin(ball.vertices @ [1.1, 0.4, 0.7])[:, None]
    return Mesh(ball.vertices * (lumps + noise), np.asarray(ball.faces))


def wall() -> Mesh:
    """A wall 20 m wide, 6 m high and 0.1 m thick."""
    return made_mesh("block", (20, 6, 0.1), 8)


def torus() -> Mesh:
    ring = trimesh.creation.torus(6.0, 2.0, major_sections=64, minor_sections=32)
    return mended(np.asarray(ring.vertices), np.asarray(ring.faces))[0]


MESHES = {"sphere": lambda: made_mesh("sphere", (10, 10, 10), 32), "torus": torus, "wall": wall, "scan": scan}


def too_near(at, normal, spacing):
    """Pairs nearer than the spacing on one side of the mesh, by an independent search."""
    pairs = cKDTree(at).query_pairs(spacing * (1 - 1e-9), output_type="ndarray")
    return int((np.einsum("ij,ij->i", normal[pairs[:, 0]], normal[pairs[:, 1]]) >= 0).sum())


class Places(SimpleTestCase):
    def test_are_maximal_apart_and_nested_on_any_mesh(self):
        for name, make in MESHES.items():
            with self.subTest(mesh=name):
                mesh, spacing = make(), 0.7
                points = points_on(mesh, spacing, 4)
                self.assertEqual(too_near(points.at, points.normal, spacing), 0)
                spots, face = spread(mesh, 20_000, 99)
                tree, uncovered = cKDTree(points.at), 0
                around = tree.query_ball_point(spots, spacing)
                for normal, near in zip(mesh.normals[face], around):
                    uncovered += not (points.normal[near] @ normal >= 0).any()
                self.assertLess(uncovered / len(spots), 0.002)
                for factor, share in zip((8, 4, 2), SHARES):
                    part = points.threshold < share
                    self.assertEqual(too_near(points.at[part], points.normal[part], factor * spacing), 0)
                self.assertAlmostEqual((points.threshold < 0.25).mean(), 0.2, delta=0.05)

    def test_pack_closely_and_lie_on_the_mesh(self):
        mesh = MESHES["sphere"]()
        points = points_on(mesh, 0.3, 1)
        packing = len(points.at) * np.pi / 4 * 0.3**2 / mesh.area
        self.assertGreater(packing, 0.63)
        np.testing.assert_allclose(np.linalg.norm(points.at, axis=1), 5, atol=0.05)
        self.assertEqual(len(np.unique(points.at.round(6), axis=0)), len(points.at))

    def test_follow_from_the_seed_alone(self):
        mesh = scan()
        first, again, other = (points_on(mesh, 0.9, seed) for seed in (5, 5, 6))
        for mine, its in zip(first, again):
            np.testing.assert_array_equal(mine, its)
        self.assertFalse(np.array_equal(first.at[:50], other.at[:50]))

    def test_stand_on_both_sides_of_a_thin_wall(self):
        points = points_on(wall(), 0.8, 2)
        sides = [points.normal[:, 2] > 0.9, points.normal[:, 2] < -0.9]
        self.assertTrue(all(part.sum() > 100 for part in sides))
        nearest = cKDTree(points.at[sides[0]]).query(points.at[sides[1]])[0]
        self.assertLess(float(np.median(nearest)), 0.6)

    def test_on_a_mesh_of_another_size_are_maximal_and_the_same_ones(self):
        for name in ("sphere", "torus", "wall", "scan"):
            mesh, spacing = MESHES[name](), 0.7
            base = points_on(mesh, spacing, 4)
            for scale in (0.15, 0.6, 1.3, 2.7):
                with self.subTest(mesh=name, scale=scale):
                    points = sized(mesh, base, spacing, scale, 4)
                    again = sized(mesh, base, spacing, scale, 4)
                    for mine, its in zip(points, again):
                        np.testing.assert_array_equal(mine, its)
                    np.testing.assert_array_equal(points.at[: len(base.at)], base.at)
                    stay = points.threshold < 1
                    at, normal, own = points.at[stay], points.normal[stay], spacing / scale
                    self.assertEqual(too_near(at, normal, own), 0)
                    part = points.threshold < 0.2
                    self.assertEqual(too_near(points.at[part], points.normal[part], 1.15 * own), 0)
                    spots, face = spread(mesh, 5000, 99)
                    around = cKDTree(at).query_ball_point(spots, own * 1.1)
                    bare = sum(not (normal[k] @ n >= 0).any() for n, k in zip(mesh.normals[face], around))
                    self.assertLess(bare / len(spots), 0.02)


class Meshes(SimpleTestCase):
    def test_made_here_have_their_size_and_look_outward(self):
        for form in ("sphere", "capsule", "block", "cylinder", "plane"):
            with self.subTest(form=form):
                mesh = made_mesh(form, (3, 5, 3), 12)
                extent = np.ptp(mesh.vertices, axis=0)
                np.testing.assert_allclose(extent, (3, 0 if form == "plane" else 5, 3), rtol=0.03)
                middle = mesh.corners.mean(axis=1)
                if form == "plane":
                    np.testing.assert_allclose(mesh.normals, [[0, 1, 0]] * len(mesh.faces))
                else:
                    self.assertGreater(np.einsum("ij,ij->i", middle, mesh.normals).min(), 0)

    def test_what_is_damaged_is_mended_in_words_or_refused(self):
        ball = trimesh.creation.icosphere(1)
        vertices, faces = np.asarray(ball.vertices), np.asarray(ball.faces)
        whole, notes = mended(vertices, faces)
        self.assertEqual((len(whole.faces), notes), (80, []))
        turned, notes = mended(vertices, faces[:, ::-1])
        self.assertIn("inside out", notes[0])
        np.testing.assert_allclose(np.sort(turned.areas), np.sort(whole.areas))
        self.assertGreater(np.einsum("ij,ij->i", turned.corners.mean(axis=1), turned.normals).min(), 0)
        twice, notes = mended(vertices, np.concatenate([faces, faces[:7], [[0, 0, 1]]]))
        self.assertEqual((len(twice.faces), len(notes)), (80, 2))
        self.assertIn("open edges", mended(vertices, faces[1:])[1][0])
        for wrong, word in (
            ((vertices * np.nan, faces), "no numbers"),
            ((vertices * 0, faces), "no area"),
            ((vertices, faces + 100), "vertices that it does not have"),
            ((vertices, np.zeros((2_000_000, 3), int)), "2,000,000 triangles"),
        ):
            with self.assertRaisesRegex(Refused, word):
                mended(*wrong)
        with self.assertRaisesRegex(Refused, "size"):
            made_mesh("block", (1, 0, 1), 1)


BALL = PlacedMesh(
    name="Ball",
    group="round",
    made=MadeMesh(form="sphere", size=(24, 24, 24), divisions=24),
    at=(128, 372, 128),
)


def grown(*changes, **settings):
    """A planted level with a ball and a stand on it, and changes of the ball."""
    stand = plain_stand(20, "Moss", 0.9)
    more = {"on": ["Ball"], "variation": {"follow": 1, "lean": 0, "sink": 0}, **settings}
    stand = replace(stand, settings=stand.settings.model_validate({**stand.settings.model_dump(), **more}))
    level = drawn_level(3, singles=2)
    ball = BALL
    for change in changes:
        ball = ball.model_copy(update=change)
    level = ChangeSurfaces(put={1: ball}).apply(level)
    return thicket.plant(level.with_stand(stand))


def plants_of(planted, number=20):
    planting = planted.planting(number)
    return {
        int(i): form
        for sheet in planting.sheets_in(planting.everywhere)
        for i, form in zip(planting.plants(sheet).id, planting.plants(sheet).form.astype(float))
    }


def ups(forms):
    """The direction in which plants grow, (n, 3)."""
    qx, qy, qz, qw = np.array(list(forms.values()))[:, 3:7].T
    return np.c_[2 * (qx * qy - qw * qz), 1 - 2 * (qx * qx + qz * qz), 2 * (qy * qz + qw * qx)]


class Planted(InFolder):
    def test_all_round_upright_to_the_surface_and_counted(self):
        planted = grown()
        forms = plants_of(planted)
        self.assertGreater(len(forms), 500)
        self.assertEqual(planted.counts()["plain-20"], len(forms))
        out = np.array([form[:3] for form in forms.values()]) - BALL.at
        np.testing.assert_allclose(np.linalg.norm(out, axis=1), 12, atol=0.15)
        out /= np.linalg.norm(out, axis=1)[:, None]
        self.assertLess(out[:, 1].min(), -0.9)
        self.assertGreater(np.einsum("ij,ij->i", out, ups(forms)).min(), 0.99)
        self.assertGreater(np.ptp([form[9] for form in forms.values()]), 0.2)

    def test_moving_turning_and_the_order_of_work_change_none(self):
        still, moved = (
            plants_of(grown()),
            plants_of(grown({"at": (90.0, 390.0, 150.0), "turn": 70, "roll": 40})),
        )
        self.assertEqual(still.keys(), moved.keys())
        turned = BALL.model_copy(update={"at": (90.0, 390.0, 150.0), "turn": 70, "roll": 40})
        before = np.array([form[:3] for form in still.values()])
        after = np.array([moved[i][:3] for i in still])
        np.testing.assert_allclose(turned.in_level(before - BALL.at), after, atol=1e-3)
        planted = grown()
        sheets = list(planted.planting(20).sheets_in(planted.planting(20).everywhere))
        for sheet in reversed(sheets):
            for i, form in zip(*(lambda p: (p.id, p.form))(planted.planting(20).plants(sheet))):
                np.testing.assert_array_equal(form.astype(float), still[int(i)])

    def test_sizing_carries_plants_along_and_leaves_the_spacing_in_metres(self):
        still = plants_of(grown(fullness=0.6))
        for scale in (0.5, 0.9, 1.4, 2.0):
            with self.subTest(scale=scale):
                ball = BALL.model_copy(update={"scale": scale})
                sized = plants_of(grown({"scale": scale}, fullness=0.6))
                everywhere = np.array(
                    [form[:3] for form in plants_of(grown({"scale": scale}, fullness=1)).values()]
                )
                near = cKDTree(everywhere).query(everywhere, k=2)[0][:, 1]
                self.assertGreater(near.min(), 0.9 - 1e-3)
                self.assertGreater(len(everywhere) * np.pi / 4 * 0.9**2 / (np.pi * (24 * scale) ** 2), 0.38)
                both = still.keys() & sized.keys()
                self.assertEqual(len(both), len(still)) if scale > 1 else self.assertGreater(len(both), 50)
                before = np.array([still[i][:3] for i in both]) - BALL.at
                after = np.array([sized[i][:3] for i in both])
                np.testing.assert_allclose(ball.in_level(before), after, atol=1e-3)
                other = plants_of(grown({"scale": scale * 1.1}, fullness=0.6))
                kept = len(sized.keys() & other.keys()) / len(sized)
                self.assertEqual(kept, 1) if scale > 1 else self.assertGreater(kept, 0.3)

    def test_a_huge_mesh_that_lies_small_has_no_more_places_than_it_has_room_for(self):
        huge = {"made": MadeMesh(form="sphere", size=(2000, 2000, 2000), divisions=24), "scale": 0.012}
        at = np.array([form[:3] for form in plants_of(grown(huge, fullness=1)).values()])
        self.assertGreater(cKDTree(at).query(at, k=2)[0][:, 1].min(), 0.9 - 1e-3)
        self.assertGreater(len(at) * np.pi / 4 * 0.9**2 / (np.pi * 24**2), 0.38)

    def test_conditions_look_at_the_surface(self):
        def condition(kind, lo, hi, **more):
            return plants_of(grown(conditions=[{"kind": kind, "lo": lo, "hi": hi, **more}]))

        whole = plants_of(grown())
        kept = {
            "upward": condition("slope", 0, 45),
            "under": condition("slope", 135, 180),
            "high": condition("altitude", 374, 500),
            "west": condition("facing", 0, 40, centre=270),
            "patch": condition("noise", 0.55, 2, noise={"wavelength": 9}),
            "off the track": condition("path", 20, 1e5),
            "left out": condition("wetness", 9, 30),
        }
        self.assertEqual(kept["left out"].keys(), whole.keys())
        out = {name: np.array([f[:3] for f in forms.values()]) - BALL.at for name, forms in kept.items()}
        self.assertGreater(out["upward"][:, 1].min(), 12 * np.cos(np.radians(48)))
        self.assertLess(out["under"][:, 1].max(), -12 * np.cos(np.radians(48)))
        self.assertGreater(out["high"][:, 1].min(), 2 - 0.01)
        bearing = np.degrees(np.arctan2(out["west"][:, 0], -out["west"][:, 2])) % 360
        self.assertLess(np.abs(bearing - 270).max(), 44)
        for name in ("upward", "under", "high", "west", "patch", "off the track"):
            self.assertLess(0, len(kept[name]))
            self.assertLess(len(kept[name]), len(whole))
            self.assertLessEqual(kept[name].keys(), whole.keys())

    def test_an_image_is_laid_by_texture_coordinates_or_from_above(self):
        image = np.zeros((32, 32), np.uint16)
        image[:16, 8:24] = 65535  # the upper half, on the side where the image has its middle
        planted = grown()
        level = ChangeMasks(put={"Wrap": image}).apply(planted.level)

        def on(ball=None, **condition):
            given = {"kind": "mask", "mask": "Wrap", "lo": 0.5, "hi": 1, **condition}
            changed = ChangeSettings(put={20: {"conditions": [given]}}).apply(level)
            if ball:
                changed = ChangeSurfaces(put={1: BALL.model_copy(update=ball)}).apply(changed)
            forms = plants_of(thicket.plant(changed))
            return np.array([form[:3] for form in forms.values()]) - BALL.at

        above, round_ = on(), on(wrapped=True)
        self.assertGreater(len(round_), 100)
        self.assertGreater(round_[:, 1].min(), -0.5)
        self.assertLess(
            round_[:, 2].max(), 0.5
        )  # the image's middle lies at the north, its edges at the south
        self.assertFalse(np.array_equal(above, round_))
        turned = on({"turn": 180}, wrapped=True)
        self.assertEqual(len(turned), len(round_))
        self.assertGreater(turned[:, 2].min(), -0.5)

        corners = np.array([[0, 0, 0], [4, 0, 0], [4, 3, 0], [0, 3, 0]], float)
        faces = np.array([[0, 1, 2], [0, 2, 3]])
        uv = np.array([[0, 1], [1, 1], [1, 0], [0, 0]]) * 0.999
        flat = Mesh(corners, faces, uv)
        at, face = spread(flat, 300, 5)
        wanted = np.c_[at[:, 0] / 4, 1 - at[:, 1] / 3] * 0.999
        np.testing.assert_allclose(flat.texture_at(at, face), wanted, atol=1e-9)

    def test_a_sward_grows_on_it_and_is_listed_tuft_by_tuft(self):
        moss = replace(
            grown(spacing=0.6, gap=0.1).level.stands[20],
            sward=True,
            stratum="Field",
            slug="moss",
            name="Moss",
        )
        level = grown().level.with_stand(moss)
        stones = replace(plain_stand(21, "Stone", 3.0), stratum="Stone")
        on = {"on": ["round"], "mix": [{"item": "slate-block", "weight": 1}]}
        given = stones.settings.model_validate(stones.settings.model_dump() | on)
        both = thicket.plant(level.with_stand(replace(stones, settings=given)))
        forms, blocks = plants_of(both), plants_of(both, 21)
        self.assertEqual(both.counts()["moss"], len(forms))
        self.assertGreater(len(forms), 1000)
        radius = both.planting(21).radii[:, 1][0]
        at, stone = (np.array([form[:3] for form in some.values()]) for some in (forms, blocks))
        wide = np.array([form[7] for form in blocks.values()]) * radius
        far, nearest = cKDTree(stone).query(at)
        self.assertGreater((far - wide[nearest]).min(), 0.1 - 1e-3)
        self.assertEqual(plants_of(thicket.plant(level.with_stand(replace(moss, off=True)))), {})
        rows = list(csv.DictReader(io.StringIO(plants_csv(both).decode())))
        self.assertEqual(sum(row["stand"] == "moss" for row in rows), len(forms))
        self.assertEqual({row["surface"] for row in rows if row["stand"] == "moss"}, {"Ball"})
        self.assertEqual([p.stand.slug for p in mapped(both) if p.settings.on], [])
        fewer = both.after(ChangeSettings(put={20: {"fullness": 0.3}}))
        left = plants_of(fewer.after)
        self.assertLess(left.keys(), forms.keys())
        self.assertEqual(fewer.counted(20), (0, len(forms) - len(left)))
        self.assertEqual(aim(both, moss, 700)[1], 700)
        with self.assertRaisesRegex(Refused, "is a sward; it has no single plants"):
            hand_edit(both, {20: PinChanges(remove=[next(iter(forms))])}, "k")

    def test_hollows_and_ridges_are_those_of_the_mesh(self):
        lumps = grown({"made": MadeMesh(form="block", size=(16, 16, 16), divisions=8)})
        number = lumps.planting(20).stand.number
        ridge = lumps.after(
            ChangeSettings(
                put={number: {"conditions": [{"kind": "hollow", "lo": 0.3, "hi": 9, "radius": 3}]}}
            )
        ).after
        at = np.abs(np.array([form[:3] for form in plants_of(ridge).values()]) - BALL.at)
        self.assertGreater(len(at), 20)
        self.assertGreater(np.sort(at, axis=1)[:, 1].min(), 5.5)  # along the edges, where two sides meet

    def test_earlier_stands_claim_room_on_it_and_terrain_plants_keep_off(self):
        planted = grown()
        stones = replace(plain_stand(21, "Stone", 3.0), stratum="Stone")
        wide = {
            **stones.settings.model_dump(),
            "on": ["round"],
            "mix": [{"item": "slate-block", "weight": 1}],
        }
        stones = replace(stones, settings=stones.settings.model_validate(wide))
        both = thicket.plant(planted.level.with_stand(stones))
        moss, blocks = plants_of(both), plants_of(both, 21)
        self.assertLess(len(moss), len(plants_of(planted)))
        radius = both.planting(21).radii[:, 1].max()
        at = np.array([form[:3] for form in blocks.values()])
        far, which = cKDTree(at).query(np.array([form[:3] for form in moss.values()]))
        sizes = np.array([form[7] for form in blocks.values()])
        self.assertTrue((far >= radius * sizes[which]).all())
        low = {"at": (128.0, float(planted.ground.height_at(np.array([128.0]), np.array([128.0]))[0]), 128.0)}
        bare = thicket.plant(drawn_level(3, singles=2).with_stand(plain_stand(30, "Canopy", 4.0)))
        kept = thicket.plant(grown(low).level.with_stand(plain_stand(30, "Canopy", 4.0)))
        inside = [
            sum(np.hypot(f[0] - 128, f[2] - 128) < 8 for f in plants_of(level, 30).values())
            for level in (bare, kept)
        ]
        self.assertGreater(inside[0], 0)
        self.assertEqual(inside[1], 0)

    def test_the_second_demo_level_is_grown_over_all_round(self):
        level = tank.level()
        planted = thicket.plant(level)
        middle = level.surfaces[1].at[1]
        ends = {}
        for stand in level.in_order:
            if stand.settings.on:
                heights = [form[1] - middle for form in plants_of(planted, stand.number).values()]
                ends[stand.slug] = len(heights), min(heights), max(heights)
        self.assertEqual(ends.keys(), {"saplings", "flank-ferns", "top-heather", "under-moss"})
        self.assertTrue(all(count > 8 for count, _, _ in ends.values()), ends)
        self.assertLess(ends["under-moss"][1], -5.5)
        self.assertGreater(ends["top-heather"][2], 6)
        self.assertGreater(ends["saplings"][1], 3)
        self.assertEqual(tank.level().surfaces, level.surfaces)

    def test_they_are_paid_for_where_they_are_seen(self):
        bare, placed = thicket.plant(drawn_level(3, singles=2)), grown({"drawn": True})
        toward, away = View(128, 380, 200, 0, -4, 55, 1.6), View(128, 380, 200, 180, -4, 55, 1.6)
        faces = len(made_mesh("sphere", (24, 24, 24), 24).faces)
        for view, triangles, calls in ((toward, faces, 1), (away, 0, 0)):
            costs = [level.ground_cost(view) for level in (bare, placed)]
            self.assertEqual(costs[1].triangles - costs[0].triangles, triangles)
            self.assertEqual(costs[1].draw_calls - costs[0].draw_calls, calls)
            self.assertEqual(costs[1].memory - costs[0].memory, faces * 3 * 28)
            self.assertGreaterEqual(costs[1].ms, costs[0].ms)
            # it casts shadow to 80 m, also from behind the eye
            self.assertEqual((costs[1].shadow_triangles, costs[1].shadow_calls), (faces, 1))
        far = View(128, 380, 240, 0, -4, 55, 1.6)
        self.assertEqual(placed.ground_cost(far).shadow_triangles, 0)
        near = placed.ground_cost(replace(far, drawing=Drawing(shadows=2)))
        self.assertEqual(near.shadow_triangles, faces)
        hidden = grown({"drawn": False}).ground_cost(toward)
        self.assertEqual(hidden, bare.ground_cost(toward))
        found = survey(placed, {}, Drawing(plants=False), step=64, headings=4)
        for place, eye in enumerate(found.eyes.tolist()):
            for k, heading in enumerate(found.headings.tolist()):
                cost = placed.ground_cost(View(*eye, heading, 0, FOV, ASPECT))
                np.testing.assert_allclose(found.loads[0][place, k], loads_of(cost), rtol=1e-6)

    def test_the_distance_to_them_is_a_condition_on_the_terrain_and_on_others(self):
        near = {"kind": "mesh", "lo": 0, "hi": 4}
        skirt = grown()
        stand = plain_stand(30, "Field", 1.2)
        given = {**stand.settings.model_dump(), "conditions": [near], "clear_of": [], "fullness": 1}
        skirt = thicket.plant(
            skirt.level.with_stand(replace(stand, settings=stand.settings.model_validate(given)))
        )
        forms = np.array(list(plants_of(skirt, 30).values()))
        far = np.abs(np.linalg.norm(forms[:, :3] - BALL.at, axis=1) - 12)
        self.assertGreater(len(far), 20)
        self.assertLess(far.max(), 4 + 1.6)
        moved = skirt.after(ChangeSurfaces(put={1: BALL.model_copy(update={"at": (100, 375, 90)})})).after
        anew = thicket.plant(moved.level)
        self.assertEqual(plants_of(moved, 30).keys(), plants_of(anew, 30).keys())
        self.assertNotEqual(plants_of(moved, 30).keys(), plants_of(skirt, 30).keys())
        # of a place on a mesh, to the others
        wall = PlacedMesh(name="Wall", made=MadeMesh(form="block", size=(2, 40, 40)), at=(142, 372, 128))
        both = ChangeSurfaces(put={2: wall}).apply(grown(conditions=[near]).level)
        facing = np.array(list(plants_of(thicket.plant(both)).values()))
        self.assertGreater(len(facing), 20)
        self.assertGreater(facing[:, 0].min(), 141 - 4 - 0.8)
        gone = thicket.plant(replace(both, surfaces={1: BALL}))
        self.assertEqual(len(plants_of(gone)), 0)
        named = Condition("mesh", 0, 4, shapes=(7,))
        with self.assertRaisesRegex(Refused, "no longer there"):
            look(skirt, named)

    def test_the_angle_to_a_direction_is_that_of_the_surface(self):
        toward = {"kind": "toward", "lo": 0, "hi": 50, "toward": [90, 30]}
        forms = np.array(list(plants_of(grown(conditions=[toward])).values()))
        way = np.array([np.cos(np.radians(30)), np.sin(np.radians(30)), 0.0])
        out = forms[:, :3] - BALL.at
        angle = np.degrees(np.arccos(out @ way / np.linalg.norm(out, axis=1)))
        self.assertGreater(len(forms), 100)
        self.assertTrue(40 < angle.max() < 50 + 5, angle.max())
        level = thicket.plant(drawn_level(3, singles=2))
        values = level.rasters.whole_values(Condition("toward", 0, 50, toward=(90.0, 30.0)))
        side = np.arange(values.shape[0]) + 0.5
        x, z = (a.ravel() for a in np.meshgrid(side, side))
        normals = level.ground.normal_at(x, z).astype(float)
        there = np.degrees(np.arccos(normals @ way))
        self.assertLess(np.median(np.abs(values.ravel() - there)), 2)

    def test_they_hide_what_stands_behind_them(self):
        planted = grown()
        form = np.array(list(plants_of(planted).values()))
        eye = np.array(BALL.at) + (0, 40, 60)
        far = form[:, :3] - BALL.at
        hidden = hidden_share(planted, np.tile(eye, (len(form), 1)), form, np.full(len(form), 0.3))
        self.assertGreater(hidden[far[:, 2] < -8].min(), 0.99)
        unseen = grown({"drawn": False})
        ground = hidden_share(unseen, np.tile(eye, (len(form), 1)), form, np.full(len(form), 0.3))
        self.assertLess(ground[far[:, 1] > 4].max(), 0.01)
        facing = far[:, 2] > 6
        self.assertLess((hidden - ground)[facing].max(), 0.4)

    def test_edits_give_what_planting_anew_gives_and_are_taken_back(self):
        planted = grown()
        edits = [
            ChangeSettings(put={20: {"fullness": 0.9}}),
            ChangeSurfaces(put={1: BALL.model_copy(update={"turn": 30.0})}),
            ChangeSettings(put={1: {"fullness": 0.1}}),
        ]
        states = [planted]
        for edit in edits:
            states.append(states[-1].after(edit).after)
        for state in states:
            fresh = thicket.plant(state.level)
            for number in state.level.stands:
                mine, its = plants_of(state, number), plants_of(fresh, number)
                self.assertEqual(mine.keys(), its.keys())
                self.assertTrue(all(np.array_equal(mine[i], its[i]) for i in mine))
        for edit, (before, after) in zip(reversed(edits), reversed(list(pairwise(states)))):
            back = after.after(edit.inverse(before.level)).after
            self.assertEqual(back.level.surfaces, before.level.surfaces)
            self.assertEqual(plants_of(back).keys(), plants_of(before).keys())

    def test_the_folder_and_the_table_name_the_mesh(self):
        planted = grown({"name": 'The "round", one'}, on=["round"])
        save_level(planted.level, self.folder)
        again = open_level(self.folder)
        self.assertEqual(again.surfaces, planted.level.surfaces)
        rows = list(csv.DictReader(io.StringIO(plants_csv(thicket.plant(again)).decode())))
        mine = plants_of(planted)
        for row in rows:
            on = 'The "round", one' if int(row["id"]) in mine else ""
            self.assertEqual(row["surface"], on)
        self.assertEqual(sum(bool(row["surface"]) for row in rows), len(mine))
        (handed,) = json.loads(level_json(planted))["surfaces"]
        self.assertEqual(PlacedMesh.model_validate(handed), planted.level.surfaces[1])
        code, out, _ = self.ask("plant", self.folder)
        self.assertEqual(code, 0)
        self.assertIn(f"{len(mine):,}", out)

    def test_what_cannot_be_is_refused_in_words(self):
        level = grown().level
        wrong = [
            (ChangeSurfaces(put={1: None}), Conflict, "Plain 20 grows on Ball"),
            (ChangeSurfaces(put={5: None}), Missing, "no placed mesh 5"),
            (ChangeSurfaces(put={2: BALL}), Refused, "two placed meshes called 'Ball'"),
            (
                ChangeSurfaces(put={2: BALL.model_copy(update={"name": "Far", "at": (900.0, 0.0, 3.0)})}),
                Refused,
                "Far: 900, 3 lies outside the level",
            ),
            (
                ChangeSurfaces(put={2: BALL.model_copy(update={"name": "Hut", "made": None, "item": "hut"})}),
                Refused,
                "Hut: the level has no mesh of the item 'hut'",
            ),
            (
                Paint(cell=1, parts=(Painted(stand=20, box=(0, 0, 1, 1), delta=np.ones((1, 1), np.int16)),)),
                Conflict,
                "grows on placed meshes",
            ),
        ]
        for edit, kind, words in wrong:
            with self.subTest(words=words), self.assertRaisesRegex(kind, words):
                edit.apply(level)
        locked = ChangeSurfaces(put={1: BALL.model_copy(update={"locked": True})}).apply(level)
        with self.assertRaisesRegex(Conflict, "Ball is locked"):
            ChangeSurfaces(put={1: BALL.model_copy(update={"locked": True, "turn": 9.0})}).apply(locked)
        hut = replace(level.stock["slate-block"], slug="hut", name="Hut")
        stone = BALL.model_copy(update={"name": "Old hut", "made": None, "item": "hut", "at": (60, 370, 60)})
        with_hut = ChangeSurfaces(put={2: stone}).apply(replace(level, stock={**level.stock, "hut": hut}))
        with self.assertRaisesRegex(Conflict, "Hut is placed as Old hut"):
            LeaveItem(slug="hut").apply(with_hut)
        huge = ChangeSurfaces(put={1: BALL.model_copy(update={"scale": 60.0})})
        with self.assertRaisesRegex(Refused, "places of Plain 20 on its meshes; the ceiling is 2,000,000"):
            thicket.plant(huge.apply(level)).planting(20)
        with self.assertRaisesRegex(Refused, "no placed mesh or group 'Hut'"):
            thicket.plant(level).after(ChangeSettings(put={20: {"on": ["Hut"]}}))
