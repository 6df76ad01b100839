"""Single plants on placed meshes: set, moved, uprooted and asked about."""

import numpy as np
from trimesh.triangles import closest_point

import thicket
from tests.core.levels import InFolder
from tests.core.test_mesh_painting import OVER, alike, on_ball, painted
from tests.core.test_surfaces import BALL, grown, plants_of, ups
from thicket.document.edits import ChangeSurfaces
from thicket.document.folder import save_level
from thicket.document.reading import open_level
from thicket.planted.explaining import look, why
from thicket.planted.hand import InTheWay, PinChanges, hand_edit
from thicket.planted.uprooting import over, regrow_edit, uproot_edit
from thicket.refused import Refused
from thicket.site.conditions import Condition
from thicket.surfaces.mesh import made_mesh
from thicket.surfaces.nearest import NearestOn

SIDE = (1.0, 0.0, 0.0)
MOVED = {"at": (90.0, 390.0, 150.0), "turn": 70.0, "roll": 140.0}


def spot(way, placed=BALL, number=1):
    """A place on the ball in a direction from its middle, as a hand names it."""
    x, y, z = placed.at + 12 * np.array(way, float) / np.linalg.norm(way)
    return {"x": float(x), "z": float(z), "on": (number, float(y))}


def done(planted, key="key", **wish):
    return planted.after(hand_edit(planted, {20: PinChanges(**wish)}, key)).after


def sparse(**settings):
    return grown(spacing=3.0, variation={"follow": 1, "lean": 0, "sink": 0}, **settings)


class Hands(InFolder):
    def test_set_plants_where_they_are_pointed_at_and_they_go_along(self):
        planted = sparse()
        before = plants_of(planted)
        after = done(planted, add=[spot(SIDE)], push=True)
        (plant,) = plants_of(after).keys() - before.keys()
        form = plants_of(after)[plant]
        np.testing.assert_allclose(form[:3], np.array(BALL.at) + (12, 0, 0), atol=0.15)
        np.testing.assert_allclose(ups({plant: form})[0], SIDE, atol=0.15)
        put = ChangeSurfaces(put={1: BALL.model_copy(update=MOVED)})
        moved = after.after(put).after
        self.assertEqual(plants_of(moved).keys(), plants_of(after).keys())
        lies = moved.level.surfaces[1]
        np.testing.assert_allclose(lies.in_own([plants_of(moved)[plant][:3]])[0], (12, 0, 0), atol=0.15)
        turned = ups({plant: plants_of(moved)[plant]})[0]
        np.testing.assert_allclose(turned, lies.rotation @ ups({plant: form})[0], atol=1e-4)
        save_level(moved.level, self.folder)
        alike(self, plants_of(thicket.plant(open_level(self.folder))), plants_of(moved))

    def test_move_change_and_remove_what_the_rule_planted(self):
        planted = sparse()
        before = plants_of(planted)
        plant = next(i for i, form in before.items() if form[1] > BALL.at[1] + 11)
        after = done(planted, change=[{"plant": plant, **spot(SIDE)}], push=True)
        form = plants_of(after)[plant]
        np.testing.assert_allclose(form[:3], np.array(BALL.at) + (12, 0, 0), atol=0.15)
        self.assertGreater(ups({plant: form})[0][0], 0.98)
        slid = done(after, change=[{"plant": plant, "south": 3.0}], push=True)
        foot = plants_of(slid)[plant][:3] - BALL.at
        self.assertAlmostEqual(float(np.linalg.norm(foot)), 12, delta=0.2)
        self.assertGreater(foot[2], 2)
        wide = done(planted, change=[{"plant": plant, "size_by": 2.0}], push=True)
        np.testing.assert_allclose(plants_of(wide)[plant][:3], before[plant][:3], atol=1e-3)
        self.assertAlmostEqual(plants_of(wide)[plant][7], 2 * before[plant][7], places=4)
        gone = done(planted, remove=[plant])
        self.assertEqual(before.keys() - plants_of(gone).keys(), {plant})
        still = gone.after(ChangeSurfaces(put={1: BALL.model_copy(update=MOVED)})).after
        self.assertNotIn(plant, plants_of(still))
        freed = done(still, release=[plant])
        self.assertIn(plant, plants_of(freed))
        double = done(planted, copy=[{"plant": plant, "east": 2.0}], push=True)
        self.assertEqual(len(plants_of(double)), len(before) + 1)

    def test_leave_room_to_what_is_set_and_refuse_what_cannot_stand(self):
        planted = grown(spacing=0.9)
        wide = {**spot(SIDE), "width": 8.0}
        after = done(planted, add=[wide], push=True)
        (set_,) = plants_of(after).keys() - plants_of(planted).keys()
        radius = planted.planting(20).radii[0, 1] * 8
        near = [
            np.linalg.norm(f[:3] - plants_of(after)[set_][:3])
            for i, f in plants_of(after).items()
            if i != set_
        ]
        self.assertGreater(min(near), radius)
        alike(self, plants_of(thicket.plant(after.level)), plants_of(after))
        with self.assertRaisesRegex(InTheWay, "would stand in a pinned"):
            done(after, "other", add=[spot((1, 0.01, 0))])
        for wrong, words in (
            ({"x": 1.0, "z": 1.0}, "say where on one"),
            ({"x": 1.0, "z": 1.0, "on": (1, 372.0)}, "more than 2 m from there"),
            (spot(SIDE, number=7), "grows on Ball, not here"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(Refused, words):
                done(planted, add=[wrong])

    def test_uproot_under_the_brush_and_nothing_grows_there_again(self):
        planted = grown()
        before = plants_of(planted)
        edit, total, names = uproot_edit(planted, [1, 20], on_ball(SIDE, radius=4))
        after = planted.after(edit).after
        gone = before.keys() - plants_of(after).keys()
        self.assertEqual((len(gone), names), (total, ["Plain 20"]))
        far = {i: np.linalg.norm(f[:3] - BALL.at - (12, 0, 0)) for i, f in before.items()}
        self.assertLess(max(far[i] for i in gone), 4.1)
        self.assertGreater(min(far[i] for i in plants_of(after)), 3.9)
        save_level(after.level, self.folder)
        alike(self, plants_of(thicket.plant(open_level(self.folder))), plants_of(after))
        fuller = painted(after, on_ball(SIDE, verb="thicken", radius=6))
        moved = fuller.after(ChangeSurfaces(put={1: BALL.model_copy(update=MOVED)})).after
        for state in (fuller, moved):
            own = state.level.surfaces[1].in_own([f[:3] for f in plants_of(state).values()])
            self.assertGreater(np.linalg.norm(own - (12, 0, 0), axis=1).min(), 3.9)
        back = after.after(regrow_edit(after, 20)).after
        alike(self, plants_of(back), before)
        alike(self, plants_of(after.after(edit.inverse(planted.level)).after), before)
        with self.assertRaisesRegex(Refused, "no plant of Drawn 1"):
            uproot_edit(planted, [1], on_ball(SIDE))

    def test_say_what_stands_there_and_why(self):
        planted = grown(conditions=[{"kind": "slope", "lo": 0, "hi": 40, "soft_hi": 0}])
        level = planted.planting(20)
        top, side = np.array(BALL.at) + (0, 12, 0), np.array(BALL.at) + (12, 0, 0)

        def ask(of, at):
            return why(of, of.planting(20), float(at[0]), float(at[2]), (1, float(at[1])))

        found = ask(planted, top)
        self.assertEqual((found["planted"], found["conditions"][0]["kind"]), (True, "slope"))
        self.assertLess(found["conditions"][0]["value"], 15)
        bare = ask(planted, side)
        self.assertEqual((bare["planted"], bare["suitability"]), (False, 0.0))
        self.assertAlmostEqual(bare["conditions"][0]["value"], 90, delta=8)
        thin = painted(planted, on_ball(OVER))
        self.assertEqual((ask(thin, top)["touch"], ask(thin, top)["planted"]), (-1.0, False))
        out = planted.after(uproot_edit(planted, [20], on_ball(OVER))[0]).after
        self.assertIn("was uprooted here", ask(out, top)["shut"])
        pinned = done(planted, add=[spot(SIDE)], push=True)
        self.assertIn("was set by hand here", ask(pinned, side)["by_hand"])
        self.assertTrue(any(one.stand == 20 for one in over(planted, *top[[0, 2]].tolist(), float(top[1]))))
        self.assertFalse(any(one.stand == 20 for one in over(planted, *top[[0, 2]].tolist(), 360.0)))
        with self.assertRaisesRegex(Refused, "grows on Ball, not here"):
            why(planted, level, 128, 128)
        seen = look(planted, Condition("slope", 0, 40), planted.planting(20))
        self.assertGreater(seen["highest"], 160)
        with self.assertRaisesRegex(Refused, "says nothing on placed meshes"):
            look(planted, Condition("wetness", 0, 1), planted.planting(20))


class Nearest(InFolder):
    def test_points_are_the_nearest_of_any_mesh(self):
        places = np.random.default_rng(4).normal(0, 3, (60, 3))
        for form, n in (("block", 1), ("sphere", 64)):
            mesh = made_mesh(form, (6, 4, 6), n)
            at, face = NearestOn(mesh).to(places)
            every = closest_point(
                np.tile(mesh.corners, (60, 1, 1)), np.repeat(places, len(mesh.faces), axis=0)
            )
            far = np.linalg.norm(every.reshape(60, -1, 3) - places[:, None], axis=2).min(axis=1)
            np.testing.assert_allclose(np.linalg.norm(at - places, axis=1), far, atol=1e-3)
        wall = NearestOn(made_mesh("block", (20, 4, 0.2), 1))
        at, face = wall.to(np.array([[3.0, 1.0, 0.4], [3.0, 1.0, -0.4], [15.0, 0.0, 0.0]]))
        normal = wall.mesh.normals[face]
        np.testing.assert_allclose(at, [[3, 1, 0.1], [3, 1, -0.1], [10, 0, 0]], atol=1e-6)
        self.assertEqual([n.round().tolist() for n in normal[:2]], [[0, 0, 1], [0, 0, -1]])
