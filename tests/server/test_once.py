"""Actions that are sent twice, at once, under another's key, or about what has been removed: a reason, and
nothing done twice."""

import json
import threading
import uuid

from django.db import connections
from django.test import TransactionTestCase

from server.journal.models import Entry
from server.levels.models import Level, Membership
from tests.fixtures import MARKS, small_level
from tests.server.test_api import VIEW, ApiCase
from tests.server.test_roles import AREA, KEEP, WALK
from thicket.document.drawing import tiers_for

SEEN = VIEW | {"drawing": {"full_meshes": 6}}
"""A view under a ceiling on full meshes: how far they are drawn follows from the plants."""


class Once(TransactionTestCase):
    def setUp(self):
        self._fixture_teardown()
        self.level = small_level()
        self.birch = self.level.stands.get(slug="birch")
        self.lead, self.north = (ApiCase.client_of(self, name) for name in ("lead", "north"))
        self.base = f"/api/levels/{self.level.slug}"

    def actions(self):
        """One of each kind, as path, method and body without a key."""
        stroke = {
            "stand": self.birch.pk,
            "verb": "thin",
            "path": [[80, 90]],
            "radius": 24,
            "soft": 0.4,
            "strength": 0.8,
            "view": SEEN,
        }
        stand = f"/stands/{self.birch.pk}"
        return [
            ("/strokes", "post", stroke),
            (stand, "patch", {"settings": {"fullness": 0.3}, "view": SEEN}),
            ("/shapes", "post", {"put": [AREA]}),
            ("/views", "post", {"name": "Rim", **KEEP}),
            ("/tiers", "put", {"tiers": tiers_for(MARKS)}),
            ("/walks", "put", {"walks": {"There": WALK}}),
            ("/plots", "put", {"plots": {"outside": "refused"}}),
            ("/drawing", "put", {"drawing": {"sward_share": 0.5}}),
            ("/marks", "put", {"tier": "Console", "marks": MARKS | {"ms": 5}}),
            ("/wind", "put", {"wind": {"speed": 7}}),
            ("/atmosphere", "put", {"atmosphere": {"fog": {"kind": "none"}}}),
            ("/new-stand", "post", {"name": "More", "stratum": "Shrub", "item": "birch"}),
            (f"{stand}/duplicate", "post", {}),
            (f"{stand}/change", "post", {"name": "Silver"}),
            (f"{stand}/move", "post", {"stratum": "Shrub"}),
            (f"{stand}/clear", "post", {}),
            ("/uproot", "post", {"stands": [self.birch.pk], "path": [[150, 150]], "radius": 30}),
            (f"{stand}/pins", "post", {"add": [{"x": 60, "z": 60}], "push": True}),
            ("/resolution", "post", {"cell": 2}),
        ]

    def send(self, path, method, body, client=None, base=None):
        return getattr(client or self.lead, method)(
            f"{base or self.base}{path}", json.dumps(body), content_type="application/json"
        )

    def test_the_same_action_again_counts_once_and_its_key_for_something_else_is_refused(self):
        other = Level.objects.create(
            slug="other",
            name="Other",
            seed=1,
            cell=1,
            rows=9,
            columns=9,
            low=0,
            high=1,
            tiers=tiers_for(MARKS),
        )
        Membership.objects.create(user=Membership.objects.get(role="lead").user, level=other, role="lead")
        for path, method, body in self.actions():
            key = {"key": str(uuid.uuid4())}
            first = self.send(path, method, body | key)
            self.assertEqual(first.status_code, 200, (path, first.content))
            entries = Entry.objects.count()
            again = self.send(path, method, body | key)
            self.assertEqual(again.status_code, 200, (path, again.content))
            if "entry" in first.json():
                self.assertEqual(again.json()["entry"]["id"], first.json()["entry"]["id"], path)
            self.assertEqual(Entry.objects.count(), entries, path)
            wrong = [
                self.send("/marks", "put", {"tier": "Console", "marks": MARKS | {"ms": 9}} | key),
                self.send(
                    "/marks", "put", {"tier": "Console", "marks": MARKS} | key, base="/api/levels/other"
                ),
            ]
            if path not in ("/marks", "/tiers", "/plots", "/resolution"):
                wrong.append(self.send(path, method, body | key, self.north))
            for told in wrong:
                self.assertEqual(
                    (told.status_code, "has been used for something else" in told.json()["detail"]),
                    (409, True),
                    path,
                )
            self.assertEqual(Entry.objects.count(), entries, path)

    def test_the_same_action_sent_twice_at_the_same_moment_counts_once(self):
        for path, method, body in self.actions():
            body = body | {"key": str(uuid.uuid4())}
            before, told = Entry.objects.count(), []

            def ask(said=(path, method, body), told=told):
                told.append(self.send(*said))
                connections.close_all()

            both = [threading.Thread(target=ask) for _ in range(2)]
            for thread in both:
                thread.start()
            for thread in both:
                thread.join()
            self.assertEqual([t.status_code for t in told], [200, 200], (path, [t.content for t in told]))
            self.assertEqual(Entry.objects.count(), before + 1, path)

    def test_what_another_has_removed_meanwhile_is_told(self):
        self.send(f"/stands/{self.birch.pk}/remove", "post", {"key": str(uuid.uuid4())})
        for path, method, body in self.actions():
            if str(
                self.birch.pk
            ) in f"{path}{body.get('stand', '')}{body.get('stands', '')}" and path not in (
                "/wind",
                "/atmosphere",
            ):
                told = self.send(path, method, body | {"key": str(uuid.uuid4())}, self.north)
                self.assertIn(told.status_code, (404, 409, 422), (path, told.content))
                self.assertGreater(len(told.json()["detail"]), 15)
