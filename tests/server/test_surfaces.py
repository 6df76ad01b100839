"""Placed meshes through the server: placed, moved, planted, taken back, saved, and by the shell."""

import base64
import io
import json

import numpy as np
from django.contrib.auth.models import User
from django.core.management import CommandError, call_command
from django.test import TestCase

from demo import tank
from demo.level import ACCOUNTS
from server.cache import CACHE
from server.catalogue.lifetime import copy
from server.catalogue.whole import document_of, make_level
from server.document.planted import planted_of
from server.levels.models import Level
from server.stands.models import Stand
from tests.server.test_ground import GroundCase, key
from thicket.document.edits import ChangeSurfaces
from thicket.document.surface_settings import PlacedMesh
from thicket.formats.glb import GlbReader

TANK = {
    "name": "Tank",
    "group": "scrap",
    "made": {"form": "cylinder", "size": [6, 9, 6], "divisions": 8},
    "at": [40, 370, 40],
    "pitch": 85,
}


class Surfaces(GroundCase):
    def place(self, client=None, **more):
        return self.post("/surfaces", {"key": key(), "put": [{**TANK, **more}]}, client or self.lead)

    def sent(self, address, body):
        return self.lead.post(address, json.dumps(body), content_type="application/json")

    def listed(self):
        return self.lead.get(f"{self.base}/surfaces").json()

    def moss(self, **more):
        body = {
            "key": key(),
            "name": "Moss",
            "stratum": "Moss",
            "item": "birch",
            "spacing": 0.8,
            "fullness": 1,
        }
        return self.post("/new-stand", {**body, "on": ["scrap"], **more}, self.lead)

    def forms(self):
        planted = planted_of(Level.objects.get(pk=self.level.pk))
        planting = planted["moss"]
        parts = [planting.plants(s) for s in planting.sheets_in(planting.everywhere)]
        return {i: form for p in parts for i, form in zip(p.id.tolist(), p.form.astype(float).tolist())}

    def test_a_stand_grows_on_it_goes_along_and_all_is_taken_back(self):
        placed = self.place().json()
        (tank,) = placed["since"]["surfaces"]
        self.assertEqual((tank["name"], tank["group"]), ("Tank", "scrap"))
        self.assertAlmostEqual(tank["area"], np.pi * 6 * 9 + 2 * np.pi * 9, delta=6)
        begun = self.moss().json()
        self.assertGreater(begun["gained"], 200)
        self.assertEqual(begun["gained"], len(self.forms()))
        stand = self.lead.get(f"{self.base}/stands/{begun['made'][0]}").json()
        self.assertEqual((stand["settings"]["on"], stand["settings"]["conditions"]), (["scrap"], []))
        before = self.forms()
        moved = self.place(id=tank["id"], at=[50, 371, 30]).json()
        self.assertEqual(moved["since"]["surfaces"][0]["at"], [50, 371, 30])
        after = self.forms()
        self.assertEqual(before.keys(), after.keys())
        steps = np.array([after[i][:3] for i in before]) - np.array([before[i][:3] for i in before])
        np.testing.assert_allclose(steps, [[10, 1, -10]] * len(before), atol=1e-3)
        refused = self.post("/surfaces", {"key": key(), "remove": [tank["id"]]}, self.lead)
        self.assertEqual(refused.status_code, 409)
        self.assertIn("Moss grows on scrap", refused.json()["detail"])
        for _ in range(3):
            self.assertEqual(self.lead.post(f"{self.base}/undo").status_code, 200)
        self.assertEqual(self.listed(), [])
        for _ in range(3):
            self.assertEqual(self.lead.post(f"{self.base}/redo").status_code, 200)
        self.assertEqual(self.forms(), after)

    def test_a_try_shows_the_plants_that_would_stand_on_it(self):
        (tank,) = self.place().json()["since"]["surfaces"]
        self.moss(on=["Tank"], fullness=0.8)
        before = self.forms()
        moved = {**TANK, "id": tank["id"], "at": [45, 372, 35], "turn": 30, "scale": 1.3}
        body = {"key": key(), "put": [moved]}
        (shown,) = self.trial("/surfaces", body, "own,standing", client=self.lead).json()["tried"]["standing"]
        self.assertEqual(self.forms(), before)
        packed = base64.b64decode(shown["plants"])
        n = int.from_bytes(packed[4:8], "little")
        form, ids = packed[8 : 8 + 40 * n], packed[8 + 40 * n : 8 + 48 * n]
        found = dict(
            zip(np.frombuffer(ids, "<u8").tolist(), np.frombuffer(form, "<f4").reshape(n, 10).tolist())
        )
        self.assertEqual(self.post("/surfaces", {**body, "key": key()}, self.lead).status_code, 200)
        self.assertEqual(found, self.forms())
        self.assertGreater(n, len(before))

    def test_a_sward_grows_on_it_as_listed_tufts(self):
        self.place()
        begun = self.moss(sward=True).json()
        stand = self.lead.get(f"{self.base}/stands/{begun['made'][0]}").json()
        self.assertTrue(stand["sward"])
        self.assertEqual(begun["gained"], stand["count"])
        self.assertEqual(len(self.forms()), stand["count"])
        thinned = self.post("/strokes", self.on_top()[0], self.lead).json()
        self.assertGreater(thinned["lost"], 10)
        self.assertEqual(len(self.forms()), stand["count"] - thinned["lost"])
        self.assertEqual(self.lead.post(f"{self.base}/undo").status_code, 200)
        self.assertEqual(len(self.forms()), stand["count"])

    def test_it_is_read_anew_as_it_was_and_opened_as_another_level(self):
        self.place()
        self.place(name="Block", made=None, item="slate-block", at=[20, 372, 70], scale=2)
        self.moss(on=["Tank", "Block"])
        forms = self.forms()
        CACHE.clear()
        self.assertEqual(self.forms(), forms)
        document = document_of(Level.objects.get(pk=self.level.pk))
        other = make_level(self.level.memberships.get(role="lead").user, document, "Another")
        again = planted_of(other).level
        self.assertEqual(again.surfaces, document.surfaces)
        self.assertEqual(planted_of(other)["moss"].count(), len(forms))

    def on_top(self, *more, verb="thin", radius=2.5, **fields):
        """A stroke along the ridge of the tank, which lies on its side; and where it passes."""
        tank = PlacedMesh(**TANK)
        own = np.array([(0.0, y, 3.0) for y in np.linspace(-3, 3, 7)])
        at, facing = tank.in_level(own), (tank.rotation @ (0, 0, 1)).tolist()
        number = self.listed()[0]["id"]
        return {
            "key": key(),
            "stand": Stand.objects.get(level=self.level, slug="moss").pk,
            **({} if verb is None else {"verb": verb, "soft": 0, "strength": 1}),
            "path": at[:, [0, 2]].tolist(),
            "on": [[number, y, *facing] for y in at[:, 1].tolist()],
            "radius": radius,
            **fields,
        }, at

    def stored_as_planted(self):
        """What is stored, read anew, plants as the value that is held."""
        forms = self.forms()
        CACHE.clear()
        self.assertEqual(self.forms(), forms)
        return forms

    def test_a_stand_is_painted_on_it_tried_stored_snapped_and_taken_back(self):
        self.place()
        self.moss()
        before, (stroke, at) = self.forms(), self.on_top()
        tried = self.post("/strokes/try", stroke, self.lead)
        self.assertEqual(tried.status_code, 200, tried.content)
        self.assertEqual(self.forms(), before)
        painted = self.post("/strokes", stroke, self.lead).json()
        self.assertEqual((painted["entry"]["what"], painted["entry"]["kind"]), ("Thinned Moss", "paint"))
        after = self.stored_as_planted()
        gone = before.keys() - after.keys()
        self.assertEqual((painted["gained"], painted["lost"]), (0, len(gone)))
        far = [np.linalg.norm(at - before[i][:3], axis=1).min() for i in gone]
        self.assertTrue(len(far) > 20 and max(far) < 3.6)
        self.assertEqual(self.post("/snapshots", {"key": key(), "name": "Bare"}, self.lead).status_code, 200)
        stand = stroke["stand"]
        self.post(f"/stands/{stand}/clear", {"key": key()}, self.lead)
        self.assertEqual(self.stored_as_planted(), before)
        snapshot = self.lead.get(f"{self.base}/snapshots").json()[0]["id"]
        back = self.post(f"/snapshots/{snapshot}/go-back", {"key": key()}, self.lead)
        self.assertEqual(back.status_code, 200, back.content)
        self.assertEqual(self.stored_as_planted(), after)
        other = make_level(
            self.level.memberships.get(role="lead").user,
            document_of(Level.objects.get(pk=self.level.pk)),
            "Another",
        )
        copied = copy(
            self.level.memberships.get(role="lead").user, Level.objects.get(pk=self.level.pk), "Copy"
        )
        for level in (other, copied):
            self.assertEqual(planted_of(level)["moss"].count(), len(after))
        for _ in range(4):
            self.assertEqual(self.lead.post(f"{self.base}/undo").status_code, 200)
        self.assertEqual(self.stored_as_planted(), before)
        elsewhere = self.post("/strokes", {**stroke, "key": key(), "on": []}, self.lead)
        self.assertIn("Moss grows on scrap, not here", elsewhere.json()["detail"])

    def test_single_plants_are_set_uprooted_and_asked_about_on_it(self):
        self.place()
        self.moss()
        before, (uproot, at) = self.forms(), self.on_top(verb=None)
        stand = uproot.pop("stand")
        place = {"x": at[3][0], "z": at[3][2], "on": [uproot["on"][0][0], at[3][1]]}
        why = self.post(f"/stands/{stand}/why", place, self.lead).json()
        self.assertEqual((why["planted"], why["suitability"]), (True, 1.0))
        done = self.post("/uproot", {**uproot, "stands": [stand]}, self.lead).json()
        after = self.stored_as_planted()
        self.assertEqual(done["lost"], len(before.keys() - after.keys()))
        self.assertIn("was uprooted here", self.post(f"/stands/{stand}/why", place, self.lead).json()["shut"])
        ghost = self.post(f"/stands/{stand}/pins/try", {"key": key(), "add": place}, self.lead).json()
        self.assertEqual((ghost["trouble"], round(ghost["plant"]["y"], 1)), ("", round(at[3][1], 1)))
        added = self.post(f"/stands/{stand}/pins", {"key": key(), "add": [place]}, self.lead).json()
        self.assertEqual(added["gained"], 1)
        (plant,) = self.stored_as_planted().keys() - after.keys()
        self.place(id=uproot["on"][0][0], at=[50, 371, 30], turn=40)
        lies = PlacedMesh(**{**TANK, "at": [50, 371, 30], "turn": 40})
        own = lies.in_own([self.stored_as_planted()[plant][:3]])[0]
        np.testing.assert_allclose(own, PlacedMesh(**TANK).in_own([at[3]])[0], atol=0.3)
        query = "&".join(f"{k}={v}" for k, v in zip("xyz", lies.in_level([own])[0]))
        near = self.lead.get(f"{self.base}/stands/{stand}/plant?{query}").json()
        self.assertEqual((near["plant"], near["state"]), (str(plant), "pinned"))
        under = self.lead.get(f"{self.base}/under?{query}").json()
        self.assertEqual(under[0]["stand"], stand)
        self.post(f"/stands/{stand}/regrow", {"key": key()}, self.lead)
        regrown = self.stored_as_planted().keys()
        self.assertIn(plant, regrown)
        self.assertLess(len(before.keys() - regrown), 3, "but for those that leave room to it")

    def test_what_grows_on_it_is_kept_as_a_set_and_planted_on_another(self):
        self.place()
        self.moss()
        self.moss(name="Ferns", stratum="Field", spacing=6, fullness=0.2)
        path = Stand.objects.get(level=self.level, slug="moss").pk
        conditions = [{"kind": "slope", "lo": 0, "hi": 70}, {"kind": "path", "lo": 2, "hi": 90}]
        self.lead.patch(
            f"{self.base}/stands/{path}",
            json.dumps({"key": key(), "settings": {"conditions": conditions}}),
            content_type="application/json",
        )
        self.place(name="Pipe", group="scrap", at=[60, 371, 60])
        self.place(name="Rock", group="", at=[20, 371, 75])
        tank, _, rock = (s["id"] for s in self.listed())
        keep = {"name": "Overgrown", "level": self.level.slug, "surface": tank}
        kept = self.sent("/api/stand-sets", keep).json()
        self.assertEqual((kept["stands"], kept["items"]), (["Ferns", "Moss"], ["birch"]))
        before = len(self.forms())
        body = {"key": key(), "set": kept["id"]}
        planted = self.post(f"/surfaces/{rock}/plant-set", body, self.lead).json()
        self.assertEqual(planted["entry"]["what"], "Overgrown planted on Rock")
        self.assertEqual(len(planted["made"]), 2)
        stands = {s.name: s for s in Stand.objects.filter(level=self.level, pk__in=planted["made"])}
        self.assertEqual(stands.keys(), {"Ferns, Rock", "Moss, Rock"})
        moss = stands["Moss, Rock"].settings
        self.assertEqual((moss["on"], [c["kind"] for c in moss["conditions"]]), (["Rock"], ["slope"]))
        self.assertEqual(len(self.forms()), before)
        planting = planted_of(Level.objects.get(pk=self.level.pk))[stands["Moss, Rock"].slug]
        self.assertGreater(planting.count(), 40)
        self.lead.post(f"{self.base}/undo")
        self.assertFalse(Stand.objects.filter(pk__in=planted["made"]).exists())
        on_group = {"key": key(), "set": kept["id"], "group": True}
        group = self.post(f"/surfaces/{tank}/plant-set", on_group, self.lead).json()
        self.assertEqual({s.settings["on"][0] for s in Stand.objects.filter(pk__in=group["made"])}, {"scrap"})
        for body, address, status, words in (
            ({"key": key(), "set": 99}, f"{self.base}/surfaces/{rock}/plant-set", 404, "no set of stands 99"),
            (
                {"key": key(), "set": kept["id"]},
                f"{self.base}/surfaces/77/plant-set",
                404,
                "no placed mesh 77",
            ),
            ({**keep, "surface": rock}, "/api/stand-sets", 422, "nothing grows on Rock yet"),
        ):
            answer = self.sent(address, body)
            self.assertEqual(answer.status_code, status, answer.content)
            self.assertIn(words, answer.json()["detail"])
        self.assertEqual(self.lead.delete(f"/api/stand-sets/{kept['id']}").status_code, 204)

    def test_its_triangles_come_as_gltf(self):
        self.place()
        self.place(name="Block", made=None, item="slate-block", at=[20, 372, 70])
        for surface in self.listed():
            answer = self.lead.get(f"{self.base}/surfaces/{surface['id']}/mesh/{surface['mesh']}.glb")
            self.assertEqual(answer.status_code, 200)
            other = self.lead.get(f"{self.base}/surfaces/{surface['id']}/mesh/0123456789abcdef.glb")
            self.assertEqual(other.status_code, 404)
            self.assertIn("immutable", answer["Cache-Control"])
            reader = GlbReader(answer.content)
            primitive = reader.json["meshes"][0]["primitives"][0]
            index = reader.array(primitive["indices"])
            place = reader.array(primitive["attributes"]["POSITION"])[index].reshape(-1, 3, 3).astype(float)
            if surface["name"] == "Tank":
                self.assertEqual(len(place), surface["triangles"])
                area = np.linalg.norm(np.cross(place[:, 1] - place[:, 0], place[:, 2] - place[:, 0]), axis=1)
                self.assertAlmostEqual(area.sum() / 2, surface["area"], delta=0.1)

    def test_what_cannot_be_is_refused_and_nothing_is_kept(self):
        self.place()
        version = Level.objects.get(pk=self.level.pk).version
        guest = self.client_of("guest")
        for answer, status, words in (
            (self.place(guest), 403, ""),
            (self.place(), 422, "two placed meshes called 'Tank'"),
            (self.place(name="Far", at=[9000, 0, 3]), 422, "Far: 9000, 3 lies outside the level"),
            (self.place(name="Flat", scale=0), 422, "scale"),
            (self.place(name="Lost", id=77), 404, "somebody may have removed Lost"),
            (
                self.place(name="Hut", made=None, item="hut"),
                422,
                "Hut: the level has no mesh of the item 'hut'",
            ),
            (self.place(name="Both", item="birch"), 422, "either made here, or the mesh of a stock item"),
            (self.moss(on=["Hut"]), 422, "no placed mesh or group 'Hut'"),
        ):
            with self.subTest(words=words):
                self.assertEqual(answer.status_code, status, answer.content)
                self.assertIn(words, answer.json()["detail"])
        self.assertEqual(Level.objects.get(pk=self.level.pk).version, version)

    def test_two_people_at_once_both_count(self):
        self.place()
        (tank,) = self.listed()
        self.post(
            "/surfaces", {"key": key(), "put": [{**TANK, "name": "Pipe", "at": [60, 371, 60]}]}, self.lead
        )
        north = self.client_of("north")
        since = north.get(f"{self.base}/pulse?version=1").json()["since"]
        self.assertEqual([s["name"] for s in since["surfaces"]], ["Tank", "Pipe"])
        edit = ChangeSurfaces(put={9: PlacedMesh(**{**TANK, "name": "Nine"})})
        self.assertEqual(edit, ChangeSurfaces.model_validate(json.loads(edit.model_dump_json())))

    def test_by_the_shell(self):
        out = io.StringIO()
        at = "--at=40,370,40"
        call_command(
            "place_mesh", self.level.slug, "--made=capsule", "--size=5,9,5", at, "--name=Pod", stdout=out
        )
        call_command("place_mesh", self.level.slug, "slate-block", "--at=70,371,60", "--scale=3", stdout=out)
        call_command(
            *("new_stand", self.level.slug, "birch", "--stratum=Moss", "--spacing=1", "--fullness=1"),
            *("--on", "Pod"),
            stdout=out,
        )
        self.assertEqual([s["name"] for s in self.listed()], ["Pod", "Slate-block"])
        stand = Stand.objects.get(level=self.level, stratum="Moss")
        self.assertGreater(planted_of(Level.objects.get(pk=self.level.pk))[stand.slug].count(), 100)
        with self.assertRaisesRegex(CommandError, "outside the level"):
            call_command("place_mesh", self.level.slug, "--made=sphere", "--at=9000,0,0", stdout=out)
        with self.assertRaisesRegex(CommandError, "either which item, or --made"):
            call_command("place_mesh", self.level.slug, "--at=9,0,0", stdout=out)


class Tank(TestCase):
    def test_the_second_demo_level_is_built_once_for_the_demos_accounts(self):
        call_command("build_tank", stdout=io.StringIO())
        self.assertFalse(Level.objects.exists(), "nobody is there to lead it")
        for name in ACCOUNTS:
            User.objects.create_user(name)
        for _ in range(2):
            call_command("build_tank", stdout=io.StringIO())
        level = Level.objects.get()
        roles = dict(level.memberships.values_list("user__username", "role"))
        self.assertEqual(roles, ACCOUNTS)
        planted = planted_of(level)
        self.assertEqual(planted.level.surfaces, tank.level().surfaces)
        self.assertGreater(planted["under-moss"].count(), 1000)
