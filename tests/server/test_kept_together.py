"""Settings of several stands kept as one, taken back as one; and the journal searched."""

from datetime import timedelta

from django.utils import timezone

from server.journal.models import Entry
from server.stands.models import Stand
from tests.server.test_ground import GroundCase, key


class Together(GroundCase):
    def keep(self, parts, **more):
        body = {"key": key(), "stands": {str(pk): said for pk, said in parts.items()}, **more}
        return self.patch("/stands", body)

    def patch(self, path, body, client=None):
        import json

        return (client or self.north).patch(
            f"{self.base}{path}", json.dumps(body), content_type="application/json"
        )

    def settings(self):
        return {s.slug: s.settings for s in Stand.objects.filter(level=self.level)}

    def test_several_stands_are_one_action_and_one_undo(self):
        before = self.settings()
        blocks = self.level.stands.get(slug="slate-blocks")
        told = self.keep(
            {
                self.birch.pk: {"settings": {"fullness": 0.2, "gap": 1}},
                blocks.pk: {"settings": {"fullness": 0.2}},
            }
        )
        self.assertEqual(told.status_code, 200, told.content)
        entry = Entry.objects.get()
        self.assertEqual(
            (told.json()["entry"]["id"], entry.what), (entry.pk, "Birch, Slate blocks: fullness, gap")
        )
        self.assertGreater(entry.lost, 10)
        self.assertEqual(
            {s: v["fullness"] for s, v in self.settings().items()},
            {s: 0.2 if s in ("birch", "slate-blocks") else v["fullness"] for s, v in before.items()},
        )
        self.assertEqual(self.post("/undo", {}).status_code, 200)
        self.assertEqual(self.settings(), before)
        self.post("/redo", {})
        self.assertEqual(self.settings()["birch"]["gap"], 1)

    def test_when_one_is_refused_none_is_kept(self):
        before = self.settings()
        blocks = self.level.stands.get(slug="slate-blocks")
        for second in (
            {"settings": {"fullness": 7}},
            {"settings": {"fullness": 0.1}, "was": {"fullness": 0.77}},
        ):
            if "was" in second:
                self.patch(f"/stands/{blocks.pk}", {"key": key(), "settings": {"fullness": 0.3}})
                before = self.settings()
            told = self.keep({self.birch.pk: {"settings": {"fullness": 0.2}}, blocks.pk: second})
            self.assertIn(told.status_code, (409, 422))
            self.assertEqual(self.settings(), before)
        self.assertIn("Slate blocks", told.json()["detail"])
        self.assertEqual(self.keep({999_999: {"settings": {}}}).status_code, 404)

    def test_the_journal_is_searched_by_person_stand_kind_and_time(self):
        blocks = self.level.stands.get(slug="slate-blocks")
        self.keep(
            {self.birch.pk: {"settings": {"fullness": 0.2}}, blocks.pk: {"settings": {"fullness": 0.2}}}
        )
        self.patch(f"/stands/{blocks.pk}", {"key": key(), "settings": {"gap": 1}}, self.lead)
        self.stroke()
        self.post(f"/stands/{blocks.pk}/change", {"key": key(), "name": "Slabs"})
        Entry.objects.filter(what__startswith="Birch, ").update(at=timezone.now() - timedelta(days=3))
        found = lambda query: [
            e["what"].split(":")[0] for e in self.north.get(f"{self.base}/journal?{query}").json()
        ]
        self.assertEqual(len(found("")), 4)
        self.assertEqual(found("who=lead"), ["Slate blocks"])
        self.assertEqual(found(f"stand={self.birch.pk}"), ["Thinned Birch", "Birch, Slate blocks"])
        self.assertEqual(len(found(f"stand={blocks.pk}")), 3)
        self.assertEqual(found("topic=painting"), ["Thinned Birch"])
        since = (timezone.now() - timedelta(days=1)).isoformat().replace("+", "%2B")
        self.assertEqual(len(found(f"since={since}")), 3)
        self.assertEqual(self.north.get(f"{self.base}/journal?topic=magic").status_code, 422)
