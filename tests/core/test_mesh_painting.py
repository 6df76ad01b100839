"""Painting on placed meshes: where a stroke reaches, that it stays with the mesh, and that it is undone."""

from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase

import thicket
from tests.core.levels import InFolder
from tests.core.test_surfaces import BALL, grown, plants_of
from thicket.document.edits import ChangeSurfaces, GoBack, Paint, PaintedMesh, RemoveStand, TakeSnapshot
from thicket.document.folder import save_level
from thicket.document.mesh_touch import MeshTouch, pack, unpack
from thicket.document.reading import open_level
from thicket.document.surface_settings import MadeMesh
from thicket.planted.brushing import Brush, Limits, clearing
from thicket.planting.strokes import Stroke
from thicket.refused import Conflict, Missing, Refused

OVER = (0, 1, 0)


def on_ball(*ways, verb="thin", radius=5.0, soft=0.0, strength=1.0, placed=BALL, **more):
    """A stroke over the ball, through the points that lie in these directions from its middle."""
    ways = np.array(ways, float)
    ways /= np.linalg.norm(ways, axis=1)[:, None]
    at = np.array(placed.at) + 12 * placed.scale * ways
    on = [(1, float(p[1]), *map(float, w)) for p, w in zip(at, ways)]
    path = [(float(x), float(z)) for x, _, z in at]
    return Stroke(verb, path, radius, soft, strength, on=on, **more)


def painted(planted, stroke, limits=None, fill="", number=20):
    return planted.after(Brush(stroke, limits or Limits(), fill).painting(planted, [number])).after


def alike(case, mine, its):
    case.assertEqual(mine.keys(), its.keys())
    case.assertTrue(all(np.array_equal(mine[i], its[i]) for i in mine))


class Strokes(InFolder):
    def test_reach_what_is_near_and_nothing_else(self):
        planted = grown()
        before = plants_of(planted)
        after = plants_of(painted(planted, on_ball(OVER)))
        top = np.array(BALL.at) + (0, 12, 0)
        far = {i: np.linalg.norm(form[:3] - top) for i, form in before.items()}
        gone = before.keys() - after.keys()
        self.assertTrue(gone and after.keys() <= before.keys())
        cell = planted.level.touch_cell
        self.assertLess(max(far[i] for i in gone), 5 + 2 * cell)
        self.assertGreater(min(far[i] for i in after), 5 - 2 * cell)
        # a drag right round the ball works underneath too
        round_it = on_ball(*[(np.sin(a), np.cos(a), 0) for a in np.linspace(0, 2 * np.pi, 90)], radius=3)
        ring = plants_of(painted(planted, round_it))
        off = {i: abs(form[2] - BALL.at[2]) for i, form in before.items()}
        self.assertGreater(min(off[i] for i in ring), 3 - 2 * cell)
        self.assertLess(max(off[i] for i in before.keys() - ring.keys()), 3 + 2 * cell)

    def test_never_go_through_a_thin_wall(self):
        wall = {"made": MadeMesh(form="block", size=(20, 8, 0.1), divisions=8)}
        planted = grown(wall)
        front = Stroke("thin", [(128, 128.05)], 4, 0, 1, on=[(1, 372.0, 0.0, 0.0, 1.0)])
        before, after = plants_of(planted), plants_of(painted(planted, front))
        sides = {i: np.sign(form[2] - BALL.at[2]) for i, form in before.items()}
        gone = before.keys() - after.keys()
        self.assertGreater(len(gone), 20)
        self.assertEqual({sides[i] for i in gone}, {1.0})

    def test_thicken_ease_and_even_work_as_on_the_terrain(self):
        bare = grown(fullness=0.2)
        few = plants_of(bare)
        more = painted(bare, on_ball(OVER, verb="thicken"))
        alike(self, plants_of(more), few)  # suitability is 1 there already
        thinned = painted(bare, on_ball(OVER, verb="thin", strength=0.5))
        self.assertLess(len(plants_of(thinned)), len(few))
        even = painted(thinned, on_ball(OVER, verb="level", toward=0.0))
        alike(self, plants_of(even), few)
        rim = painted(grown(), on_ball(OVER))
        eased = painted(rim, on_ball(OVER, verb="ease", radius=7))
        cubes = [of.level.mesh_touch[20].surfaces[1].touch for of in (rim, eased)]
        self.assertEqual(set(np.unique(cubes[0])), {-255})
        self.assertGreater(len(np.unique(cubes[1])), 20)

    def test_tips_and_pressure_make_a_difference(self):
        planted = grown()
        half = np.zeros((8, 8), np.float32)
        half[:, :4] = 1
        tip = plants_of(painted(planted, on_ball(OVER, tip=half)))
        gone = np.array([f[:3] for i, f in plants_of(planted).items() if i not in tip]) - BALL.at
        self.assertLess(gone[:, 0].max(), 2)
        self.assertLess(gone[:, 0].min(), -3)
        soft = on_ball(OVER, (0.3, 1, 0), pressure=[0.0, 0.0])
        alike(self, plants_of(painted(planted, soft)), plants_of(planted))

    def test_limits_hold_them_to_slopes_and_heights(self):
        planted = grown()
        steep = Brush(on_ball(OVER, radius=60), Limits(slope=(60, 180))).painting(planted, [20])
        after = plants_of(planted.after(steep).after)
        for i, form in plants_of(planted).items():
            up = (form[1] - BALL.at[1]) / 12
            if up > 0.75:
                self.assertIn(i, after)
            elif abs(up) < 0.25:
                self.assertNotIn(i, after)
        with self.assertRaisesRegex(Refused, "no ground layers"):
            painted(planted, on_ball(OVER), Limits(layer="turf"))

    def test_fill_and_clear(self):
        planted = grown()
        none = painted(planted, on_ball(OVER), fill="level")
        self.assertEqual(len(plants_of(none)), 0)
        edit, _ = clearing(none, [20])
        alike(self, plants_of(none.after(edit).after), plants_of(planted))
        with self.assertRaisesRegex(Refused, "no painting"):
            clearing(planted, [20])

    def test_stands_that_grow_elsewhere_are_left_alone(self):
        planted = grown()
        both = Brush(on_ball(OVER)).painting(planted, [1, 20])
        self.assertEqual(both.stands, {20})
        for stroke, number, words in (
            (on_ball(OVER), 1, "grows on the terrain, not here"),
            (Stroke("thin", [(50, 50)], 5, 0, 1), 20, "grows on Ball, not here"),
        ):
            with self.assertRaisesRegex(Refused, words):
                Brush(stroke).painting(planted, [number])


class Painting(InFolder):
    def test_goes_along_with_the_mesh_and_stays_when_it_is_cut_otherwise(self):
        planted = painted(grown(), on_ball(OVER, (1, 1, 0), soft=0.5))
        moved = {"at": (90.0, 390.0, 150.0), "turn": 70.0, "roll": 140.0}
        put = ChangeSurfaces(put={1: BALL.model_copy(update=moved)})
        after = planted.after(put).after
        self.assertEqual(plants_of(planted).keys(), plants_of(after).keys())
        finer = BALL.model_copy(update={"made": BALL.made.model_copy(update={"divisions": 48})})
        recut = planted.after(ChangeSurfaces(put={1: finer})).after
        top, bare = np.array(BALL.at) + (0, 12, 0), plants_of(recut)
        self.assertGreater(len(bare), 300)
        self.assertGreater(min(np.linalg.norm(f[:3] - top) for f in bare.values()), 2.5)

    def test_steps_give_what_planting_anew_gives_and_are_taken_back(self):
        self.steps(grown(spacing=0.6))
        huge = {"made": MadeMesh(form="sphere", size=(240, 24, 24), divisions=16)}
        self.steps(grown(huge, spacing=1.2))  # its cubes are wider than touch cells

    def steps(self, state):
        for sheet in state.planting(20).sheets_in(state.planting(20).everywhere):
            state.planting(20).plants(sheet)
        rng = np.random.default_rng(8)
        for k in range(6):
            ways = rng.normal(size=(3, 3))
            verb = ("thin", "thicken", "ease", "level")[k % 4]
            stroke = on_ball(*ways, verb=verb, radius=2 + k / 2, soft=0.5, strength=0.7, toward=-0.4)
            edit = Brush(stroke).painting(state, [20])
            after = state.after(edit).after
            fresh = thicket.plant(after.level)
            alike(self, plants_of(after), plants_of(fresh))
            for sheet in fresh.planting(20).sheets_in(fresh.planting(20).everywhere):
                self.assertEqual(after.planting(20).key(sheet), fresh.planting(20).key(sheet))
            back = after.after(edit.inverse(state.level)).after
            self.assertEqual(back.level.mesh_touch_of(20).digest, state.level.mesh_touch_of(20).digest)
            alike(self, plants_of(back), plants_of(state))
            state = after

    def test_is_kept_by_folders_snapshots_copies_and_removal(self):
        level = painted(grown(), on_ball(OVER)).level
        save_level(level, self.folder)
        self.assertEqual(open_level(self.folder).mesh_touch[20].digest, level.mesh_touch[20].digest)
        saved = TakeSnapshot(name="thin").apply(level)
        save_level(saved, self.folder)
        cleared = clearing(thicket.plant(saved), [20])[0].apply(saved)
        for of in (cleared, replace(open_level(self.folder), mesh_touch={})):
            again = GoBack(name="thin").apply(of)
            self.assertEqual(again.mesh_touch[20].digest, level.mesh_touch[20].digest)
        edit = RemoveStand(number=20)
        back = edit.inverse(level).apply(edit.apply(level))
        self.assertEqual(back.mesh_touch[20].digest, level.mesh_touch[20].digest)

    def test_of_a_damaged_file_or_edit_is_refused_in_words(self):
        level = painted(grown(), on_ball(OVER)).level
        data = level.mesh_touch[20].to_bytes()
        for wrong in (data[:-5], b"", data.replace(b"touch", b"tooch"), b"\x93NUMPY" + data[8:40]):
            with self.assertRaises(Refused):
                MeshTouch.from_bytes(wrong)
        one = {"stand": 20, "surface": 1, "cell": 1.0, "cubes": np.zeros((1, 4), np.int16)}
        for change, kind, words in (
            ({"delta": np.ones(2, np.int16)}, Refused, "another length"),
            ({"delta": np.ones(1, np.float32) * np.nan}, Refused, "whole numbers"),
            ({"delta": np.ones(1, np.int16), "cubes": np.zeros(4, np.int16)}, Refused, "place along x"),
            ({"delta": np.ones(1, np.int16), "surface": 9}, Missing, "no placed mesh 9"),
            ({"delta": np.ones(1, np.int16), "cell": 0.0}, Refused, "wider than 0"),
            ({"delta": np.ones(1, np.int16), "cell": 3.0}, Conflict, "cubes of 1 m"),
            ({"delta": np.ones(1, np.int16), "cubes": np.full((1, 4), 7, np.int16)}, Refused, "6 ways"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(kind, words):
                Paint(cell=1, meshes=(PaintedMesh(**{**one, **change}),)).apply(level)


class Cubes(SimpleTestCase):
    def test_numbers_stand_for_cubes(self):
        rng = np.random.default_rng(1)
        way, cubes = rng.integers(0, 6, 500), rng.integers(-32_000, 32_000, (500, 3))
        keys = pack(way, cubes)
        self.assertEqual(len(np.unique(keys)), 500)
        for mine, its in zip(unpack(keys), (way, cubes)):
            np.testing.assert_array_equal(mine, its)
