"""Whole working sessions of two people, drawn by chance: what is kept between requests never differs from
what planting anew gives, nothing is lost or doubled, nothing stands in anything, and taking all back leaves
the level as it was."""

import json

from django.db import transaction
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from server.journal.models import Entry
from server.levels.models import Level
from server.pins.models import Pin
from server.stands.models import Stand
from tests.caching import nothing_kept
from tests.fixtures import stored_touch
from tests.server.test_ground import GroundCase, key
from tests.server.test_room import overlaps

where = st.integers(8, 248)
person = st.sampled_from(["north", "lead"])
stand = st.sampled_from(["slate-blocks", "birch", "young-birch", "moor-grass"])
single = st.sampled_from(["slate-blocks", "birch", "young-birch"])
change = st.one_of(
    st.builds(lambda v: {"fullness": v}, st.sampled_from([0.1, 0.5, 1.0])),
    st.builds(lambda v: {"spacing": v}, st.sampled_from([2.6, 4.0, 6.5])),
    st.builds(lambda v: {"gap": v}, st.sampled_from([0.0, 0.8])),
    st.builds(lambda v: {"under": v}, st.sampled_from([[], ["Stone", "Canopy"]])),
    st.builds(
        lambda v: {"conditions": v},
        st.sampled_from([[], [{"kind": "slope", "lo": 0, "hi": 20, "soft_hi": 9}]]),
    ),
)
actions = st.lists(
    st.one_of(
        st.tuples(
            st.just("stroke"),
            person,
            stand,
            st.sampled_from(["thicken", "thin", "ease", "level"]),
            where,
            where,
            st.integers(3, 60),
        ),
        st.tuples(st.just("settings"), person, stand, change),
        st.tuples(st.just("set"), person, single, where, where),
        st.tuples(
            st.just("hand"), person, single, where, where, st.sampled_from(["change", "copy", "remove"])
        ),
        st.tuples(st.just("uproot"), person, single, where, where, st.integers(2, 20)),
        st.tuples(st.just("shape"), person, where, where, st.integers(4, 30)),
        st.tuples(st.just("duplicate"), person, stand),
        st.tuples(st.just("seed"), person, stand, st.integers(1, 9)),
        st.tuples(st.just("clear"), person, stand),
        st.tuples(st.just("undo"), person),
        st.tuples(st.just("redo"), person),
    ),
    min_size=5,
    max_size=9,
)


class Acting:
    """What one of two people does; a test case has its `people`, its `base` and `post`."""

    def pk(self, slug):
        stands = self.people["north"].get(f"{self.base}/stands").json()
        return next(s["id"] for s in stands if s["slug"] == slug)

    def act(self, kind, who, *said):
        """Do one thing; the answer's status, which is a refusal with a sentence where it cannot be done."""
        client = self.people[who]
        if kind in ("undo", "redo"):
            return client.post(f"{self.base}/{kind}")
        slug, pk = said[0], None if kind == "shape" else self.pk(said[0])
        if kind == "stroke":
            _, verb, x, z, radius = said
            body = {
                "stand": pk,
                "verb": verb,
                "path": [[x, z], [x + 9, z + 4]],
                "radius": radius,
                "soft": 0.5,
                "strength": 0.7,
                "toward": -0.4,
            }
            return self.post("/strokes", {"key": key()} | body, client)
        if kind == "settings":
            return self.post(f"/stands/{pk}", {"key": key(), "settings": said[1]}, client, "patch")
        if kind == "set":
            return self.post(
                f"/stands/{pk}/pins", {"key": key(), "add": [{"x": said[1], "z": said[2]}]}, client
            )
        if kind == "hand":
            _, x, z, do = said
            square = [[x - 12, z - 12], [x + 12, z - 12], [x + 12, z + 12], [x - 12, z + 12]]
            some = [
                p["plant"]
                for p in self.post("/select", {"stands": [pk], "outline": square}, client).json()["plants"]
            ]
            return self.post(
                "/hand",
                {"key": key(), "plants": {pk: some[:6]}, "do": do, "east": 1.5, "turn_by": 30},
                client,
            )
        if kind == "uproot":
            return self.post(
                "/uproot", {"key": key(), "stands": [pk], "path": [said[1:3]], "radius": said[3]}, client
            )
        if kind == "shape":
            x, z, half = said
            ring = [[x - half, z - half], [x + half, z - half], [x + half, z + half]]
            put = {"kind": "obstacle", "form": "polygon", "name": "Shed", "clear": 1.0, "points": ring}
            return self.post("/shapes", {"key": key(), "put": [put]}, self.people["lead"])
        if kind == "duplicate":
            return self.post(f"/stands/{pk}/duplicate", {"key": key()}, client)
        if kind == "seed":
            return self.post(f"/stands/{pk}/change", {"key": key(), "seed": said[1]}, client)
        return self.post(f"/stands/{self.pk(slug)}/clear", {"key": key()}, client)


class Sessions(Acting, GroundCase):
    def setUp(self):
        super().setUp()
        self.settings(conditions=[], spacing=4, fullness=0.8)
        self.post(
            "/new-stand", {"key": key(), "name": "Young birch", "stratum": "Understorey", "item": "birch"}
        )
        young = self.pk("young-birch")
        near = [{"kind": "stand", "lo": 0, "hi": 9, "soft_hi": 5, "stand": self.birch.number}]
        told = self.post(
            f"/stands/{young}",
            {"key": key(), "settings": {"spacing": 3, "fullness": 0.6, "conditions": near}},
            method="patch",
        )
        self.assertEqual(told.status_code, 200, told.content)
        self.people = {"north": self.north, "lead": self.lead}
        Entry.objects.all().delete()

    def pk(self, slug):
        return Stand.objects.get(level=self.level, slug=slug).pk

    def told(self):
        """What the level says of its stands: keys of all sheets, counts, and their painting and pins as
        stored."""
        stands = {
            s["slug"]: (s["sheets"]["keys"], s["count"], s["settings"])
            for s in self.north.get(f"{self.base}/stands").json()
        }
        pins = sorted((p.stand_id, p.plant, json.dumps(p.as_dict())) for p in Pin.objects.all())
        return stands, {s.slug: stored_touch(s).tobytes() for s in self.fresh().stands.all()}, pins

    def fresh(self):
        return Level.objects.get(pk=self.level.pk)

    def test_whatever_two_people_do(self):
        @settings(
            max_examples=10,
            deadline=None,
            suppress_health_check=list(HealthCheck),
            phases=[Phase.explicit, Phase.generate],
        )
        @given(actions)
        def check(session):
            with transaction.atomic():
                try:
                    self.check(session)
                finally:
                    transaction.set_rollback(True)

        check()

    def check(self, session):
        first = now = self.told()
        for action in session:
            with self.captureOnCommitCallbacks(execute=True):
                answer = self.act(*action)
            was, now = now, self.told()
            if answer.status_code != 200:
                self.assertIn(answer.status_code, (409, 422), (action, answer.content))
                self.assertGreater(len(answer.json()["detail"]), 12, action)
                self.assertEqual(now, was, f"{action} was refused, so nothing may change")
            with nothing_kept():
                self.assertEqual(self.told(), now, f"{action}: planted anew the level is another")
        self.assertEqual(overlaps(self.fresh())[0], 0)
        for entry in Entry.objects.filter(undone=False).order_by("-pk"):
            with self.captureOnCommitCallbacks(execute=True):
                answer = self.lead.post(f"{self.base}/journal/{entry.pk}/undo")
            self.assertEqual(answer.status_code, 200, (entry.what, answer.content))
        after = self.told()
        for slug, (keys, count, said) in first[0].items():
            self.assertEqual(after[0][slug], (keys, count, said), f"{slug} after all was taken back")
        self.assertEqual(({s: after[1][s] for s in first[1]}, after[2]), first[1:])
