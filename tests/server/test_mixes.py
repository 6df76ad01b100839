"""What single items of a mix may have of their own, and stands that follow paths, rows and other plants."""

import numpy as np

from server.levels.models import Level
from server.stands.access import planting_of
from server.stands.models import SavedMix, Stand
from tests.server.test_ground import GroundCase, key
from tests.server.test_room import overlaps

PATH = {
    "kind": "path",
    "form": "line",
    "name": "Line",
    "points": [[20, 30], [200, 30], [200, 180]],
    "width": 3,
    "clear": 1,
}
AREA = {
    "kind": "area",
    "form": "polygon",
    "name": "Plot",
    "clear": None,
    "points": [[60, 60], [180, 60], [180, 160], [60, 160]],
}


def far_from(hosts, plants):
    """How far the nearest of some plants stands from each host."""
    return np.hypot(
        plants.form[:, 0, None] - hosts.form[:, 0], plants.form[:, 2, None] - hosts.form[:, 2]
    ).min(0)


class Mixes(GroundCase):
    def planting(self, pk=None):
        return planting_of(Stand.objects.select_related("level").get(pk=pk or self.birch.pk))

    def tried(self, status=200, **changes):
        answer = self.settings_tried(self.birch.pk, changes)
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def add(self, name, stratum, item, **settings):
        pk = self.post("/new-stand", {"key": key(), "name": name, "stratum": stratum, "item": item}).json()[
            "made"
        ][0]
        answer = self.post(f"/stands/{pk}", {"key": key(), "settings": settings}, method="patch")
        self.assertEqual(answer.status_code, 200, answer.content)
        return pk

    def test_a_mix_is_kept_for_all_levels_and_planted_without_what_a_level_has_not(self):
        follows = lambda kind, **more: {"kind": kind, "lo": 0, "hi": 20, **more}
        mix = [
            {"item": "birch", "weight": 3, "size": [0.8, 1.2], "drive": follows("slope")},
            {"item": "slate-block", "weight": 5, "drive": follows("layer", layers=["turf"])},
        ]
        send = lambda who, **body: who.post(
            "/api/kept-mixes", {"level": self.level.slug, **body}, content_type="application/json"
        )
        made = send(self.north, name="Birch and slate", mix=mix).json()
        self.assertEqual((made["items"], made["by"]), (["slate-block", "birch"], "north"))
        path = f"/kept-mixes/{made['id']}"
        found = self.north.get(self.base + path).json()
        drives = [entry["drive"] and entry["drive"]["kind"] for entry in found["mix"]]
        self.assertEqual((drives, found["missing"]), (["slope", None], []))
        self.assertEqual(found["mix"][0]["size"], [0.8, 1.2])
        body = {"key": key(), "name": "Both", "stratum": "Canopy", "item": "birch", "mix": found["mix"]}
        pk = self.post("/new-stand", body).json()["made"][0]
        kept = Stand.objects.get(pk=pk).settings["mix"]
        self.assertEqual([e["item"] for e in kept], ["birch", "slate-block"])
        refused = send(self.client_of("south"), name="Birch and slate", mix=mix[:1])
        self.assertEqual((refused.status_code, "north's" in refused.json()["detail"]), (403, True))
        for bad in ([], [{"item": "birch", "weight": -1}]):
            self.assertEqual(send(self.north, name="Bad", mix=bad).status_code, 422)
        self.assertEqual(SavedMix.objects.count(), 1)

        SavedMix.objects.update(mix=[{"item": "birch", "weight": 1}, {"item": "yew", "weight": 1}])
        found = self.north.get(self.base + path).json()
        self.assertEqual(([e["item"] for e in found["mix"]], found["missing"]), (["birch"], ["yew"]))
        SavedMix.objects.update(mix=[{"item": "yew", "weight": 1}])
        refused = self.north.get(self.base + path)
        self.assertEqual((refused.status_code, "yew" in refused.json()["detail"]), (422, True))
        self.assertEqual(self.lead.delete(f"/api{path}").status_code, 204)
        self.assertEqual(self.north.get(self.base + path).status_code, 404)
        self.assertEqual(len(Stand.objects.get(pk=pk).settings["mix"]), 2)

    def test_an_item_has_its_own_size_sink_and_footprint(self):
        self.settings(
            conditions=[],
            spacing=3,
            fullness=1,
            mix=[
                {"item": "birch", "weight": 1},
                {
                    "item": "slate-block",
                    "weight": 1,
                    "size": [0.2, 0.3],
                    "width": [1.5, 2],
                    "sink": 0.5,
                    "footprint": 0.5,
                },
            ],
        )
        planting = self.planting()
        plants = planting.plants((0, 0))
        sizes, apart = plants.form[:, 8], plants.form[:, 7] / plants.form[:, 8]
        self.assertTrue((apart[plants.item == 1] >= 1.499).all() and (apart[plants.item == 0] < 1.4).all())
        self.assertTrue(
            (sizes[plants.item == 1] <= 0.3001).all() and (sizes[plants.item == 0] >= 0.449).all()
        )
        ground = planting.ground.height_at(plants.form[:, 0].astype(float), plants.form[:, 2].astype(float))
        np.testing.assert_allclose((ground - plants.form[:, 1])[plants.item == 1], 0.5, atol=1e-3)
        self.assertEqual(planting.radii[1].tolist(), [0.5, 0.45])
        self.assertEqual(overlaps(Level.objects.get(pk=self.level.pk))[0], 0)

    def test_a_condition_drives_a_weight_and_nothing_else_changes(self):
        self.settings(conditions=[], spacing=3, fullness=1, under=["Stone"])
        plain = [{"item": "birch", "weight": 1}, {"item": "moor-grass", "weight": 1}]
        driven = [plain[0], plain[1] | {"drive": {"kind": "altitude", "lo": 372, "hi": 1000, "soft_lo": 0}}]
        self.settings(mix=plain)
        before = self.planting().plants((0, 0))
        self.settings(mix=driven)
        after = self.planting().plants((0, 0))
        both = np.intersect1d(before.id, after.id)
        self.assertGreater(len(both), 0.95 * len(before))
        was, now = (dict(zip(p.id.tolist(), p.item.tolist())) for p in (before, after))
        self.assertTrue(all(now[i] == 0 for i in both.tolist() if was[i] == 0))
        high = after.form[:, 1] > 373
        self.assertEqual(after.item[~high & (after.form[:, 1] < 371)].max(), 0)
        self.assertAlmostEqual(after.item[high].mean(), 0.5, delta=0.06)
        only = [{"item": "birch", "weight": 1, "drive": {"kind": "altitude", "lo": 9000, "hi": 9001}}]
        self.assertGreater(self.tried(mix=only)["tried"]["counts"][str(self.birch.pk)], 100)
        bad = self.tried(
            422, mix=[plain[0] | {"drive": {"kind": "layer", "lo": 0, "hi": 1, "layers": ["lava"]}}]
        )
        self.assertIn("lava", bad["detail"])

    def test_a_trail_lays_the_grass_over_and_is_taken_back(self):
        grass = self.level.stands.get(sward=True).pk

        def forms():
            planting = self.planting(grass)
            found = [planting.plants(sheet) for sheet in planting.sheets_in(planting.everywhere)]
            return {i: f for p in found for i, f in zip(p.id.tolist(), p.form.tolist())}, {
                s: planting.key(s) for s in planting.sheets_in(planting.everywhere)
            }

        line = PATH | {"clear": None, "width": 0.6}
        pk = self.post("/shapes", {"key": key(), "put": [line]}).json()["since"]["shapes"][0]["id"]
        (plain, was), trees = forms(), self.planting().plants((0, 0)).form.copy()
        trod = {"reach": 2, "lean": 60, "flatten": 0.5, "strata": ["Field", "Moss"]}
        made = self.post("/shapes", {"key": key(), "put": [line | {"id": pk, "trail": trod}]}).json()
        self.assertEqual(
            (made["since"]["shapes"][0]["trail"], made["entry"]["gained"], made["entry"]["lost"]),
            (trod, 0, 0),
        )
        laid, now = forms()
        self.assertEqual(laid.keys(), plain.keys())
        near = {
            i
            for i, f in plain.items()
            if min(abs(f[2] - 30) if 20 < f[0] < 200 else 99, abs(f[0] - 200) if 30 < f[2] < 180 else 99)
            < 2.2
        }
        moved = {i for i in plain if laid[i] != plain[i]}
        self.assertTrue(near and near <= moved and len(moved) < len(plain) / 4, (len(near), len(moved)))
        self.assertTrue(all(laid[i][:3] == plain[i][:3] and laid[i][8] < plain[i][8] for i in near))
        self.assertTrue(any(was[s] == now[s] for s in was) and any(was[s] != now[s] for s in was))
        np.testing.assert_array_equal(self.planting().plants((0, 0)).form, trees)
        said = self.north.get(f"{self.base}/shapes.geojson").content
        self.north.post(f"{self.base}/undo")
        self.assertEqual(forms()[0], plain)
        back = self.north.post(
            f"{self.base}/shapes.geojson?key={key()}&instead=true", said, "application/geo+json"
        ).json()
        self.assertEqual([s["trail"] for s in back["since"]["shapes"] if s["name"] == "Line"], [trod])
        self.assertEqual(forms()[0], laid)
        bad = self.post("/shapes", {"key": key(), "put": [AREA | {"trail": trod}]})
        self.assertEqual((bad.status_code, "only a path" in bad.json()["detail"]), (422, True))
        far = self.post("/shapes", {"key": key(), "put": [line | {"trail": trod | {"reach": 30}}]})
        self.assertEqual((far.status_code, "reach" in far.json()["detail"]), (422, True))

    def test_posts_along_a_path_move_with_it_and_stay_out_of_nothing_but_others(self):
        line = self.post("/shapes", {"key": key(), "put": [PATH]}).json()["since"]["shapes"][0]["id"]
        self.settings(conditions=[], fullness=1, spacing=3)
        posts = self.add(
            "Posts",
            "Stone",
            "slate-block",
            conditions=[],
            fullness=1,
            layout={"kind": "path", "shapes": [line], "every": 3, "face": "along"},
            mix=[{"item": "slate-block", "weight": 1, "footprint": 0.3}],
            variation={"size": [1, 1], "width": [1, 1], "turn": [0, 0], "lean": 0, "follow": 0, "sink": 0},
        )
        form = self.planting(posts).plants((0, 0)).form
        blocks = overlaps(Level.objects.get(pk=self.level.pk))
        self.assertEqual((blocks[0], len(form) > 80), (0, True))
        self.assertTrue((np.minimum(np.abs(form[:, 2] - 30), np.abs(form[:, 0] - 200)) < 1e-3).all())
        ids = set(self.planting(posts).plants((0, 0)).id.tolist())
        moved = PATH | {"id": line, "points": [[20, 40], [200, 40], [200, 180]]}
        self.assertEqual(self.post("/shapes", {"key": key(), "put": [moved]}).status_code, 200)
        form = self.planting(posts).plants((0, 0)).form
        self.assertTrue((np.minimum(np.abs(form[:, 2] - 40), np.abs(form[:, 0] - 200)) < 1e-3).all())
        self.assertEqual(overlaps(Level.objects.get(pk=self.level.pk))[0], 0)
        self.north.post(f"{self.base}/undo")
        self.assertEqual(set(self.planting(posts).plants((0, 0)).id.tolist()), ids)
        many = self.tried(422, layout={"kind": "rows", "shapes": [line], "apart": 1, "every": 1})
        self.assertIn("no longer there", many["detail"])
        shapes = self.post("/shapes", {"key": key(), "put": [AREA]}).json()["since"]["shapes"]
        plot = next(s["id"] for s in shapes if s["name"] == "Plot")
        many = self.tried(422, layout={"kind": "rows", "shapes": [plot], "apart": 0.05, "every": 0.1})
        self.assertIn("ceiling is 2,000,000", many["detail"])
        self.assertIn("offset", self.tried(422, layout={"kind": "path", "side": "left"})["detail"])
        self.assertEqual(self.north.get(f"{self.base}/stands/{posts}").json()["warnings"], [])
        self.post("/shapes", {"key": key(), "remove": [line]})
        told = self.north.get(f"{self.base}/stands/{posts}").json()
        self.assertEqual(
            (told["warnings"], told["count"]), (["One of the paths that it follows is no longer there."], 0)
        )

    def test_companions_follow_their_hosts_and_cycles_are_refused(self):
        stones = self.level.stands.get(slug="slate-blocks")
        self.post(
            f"/stands/{stones.pk}",
            {"key": key(), "settings": {"conditions": [], "fullness": 0.6}},
            method="patch",
        )
        layout = {"kind": "anchors", "host": stones.number}
        moss = self.add("Cushions", "Moss", "moor-grass", conditions=[], fullness=1, layout=layout)
        hosts, here = self.planting(stones.pk).plants((0, 0)), self.planting(moss)
        plants = here.plants((0, 0))
        self.assertGreater(len(plants), 2 * len(hosts))
        far = np.hypot(
            plants.form[:, None, 0] - hosts.form[:, 0], plants.form[:, None, 2] - hosts.form[:, 2]
        ).min(1)
        self.assertLess(far.max(), 1.2 * hosts.form[:, 7].max())
        ground = here.ground.height_at(plants.form[:, 0].astype(float), plants.form[:, 2].astype(float))
        self.assertGreater(np.median(plants.form[:, 1] - ground), 0.1)
        self.assertEqual(overlaps(Level.objects.get(pk=self.level.pk))[0], 0)
        k = int(far_from(hosts, plants).argmin())
        one, (x, z) = hosts.id[k], hosts.form[k, [0, 2]]
        near = np.hypot(plants.form[:, 0] - x, plants.form[:, 2] - z) < 2.0
        answer = self.post(f"/stands/{stones.pk}/pins", {"key": key(), "remove": [str(one)]})
        self.assertEqual(answer.status_code, 200, answer.content)
        left = self.planting(moss).plants((0, 0))
        gone = set(plants.id.tolist()) - set(left.id.tolist())
        self.assertTrue(gone and gone <= set(plants.id[near].tolist()))
        share = self.count_tried(moss, {"fullness": 0.5})
        self.assertAlmostEqual(share / len(left), 0.5, delta=0.08)
        ring = self.count_tried(moss, {"layout": layout | {"around": 5}})
        self.assertGreater(ring, 3 * len(hosts))
        for stand, wrong, word in (
            (stones.pk, {"layout": {"kind": "anchors", "host": here.stand.number}}, "does not stand above"),
            (moss, {"layout": {"kind": "anchors", "host": self.birch.number}}, "has anchor points"),
            (moss, {"layout": {"kind": "anchors", "host": 999}}, "no longer there"),
        ):
            bad = self.settings_tried(stand, wrong)
            self.assertEqual((bad.status_code, word in bad.json()["detail"]), (422, True), bad.content)
        first = self.post(f"/stands/{stones.pk}/move", {"key": key(), "stratum": "Moss", "before": None})
        self.assertEqual((first.status_code, "does not stand above" in first.json()["detail"]), (422, True))
        self.assertEqual(self.post(f"/stands/{stones.pk}/remove", {"key": key()}).status_code, 422)

    def test_an_item_without_a_mesh_cannot_be_planted(self):
        self.level.stock.filter(slug="moor-grass").update(mesh=None)
        bad = self.tried(422, mix=[{"item": "moor-grass", "weight": 1}])
        self.assertIn("has no mesh", bad["detail"])
        for settings, word in (
            ({"spacing": 0}, "spacing"),
            ({"spacing": -2}, "spacing"),
            ({"spacing": 0.2}, None),
        ):
            answer = self.settings_tried(self.birch.pk, settings)
            self.assertEqual(answer.status_code, 200 if word is None else 422)
        self.assertEqual(planting_of(Stand.objects.get(pk=self.birch.pk)).settings.spacing, 4.6)
