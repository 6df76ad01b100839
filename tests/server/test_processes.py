"""Several server processes on one database: whatever two people do, each at another process, both say the
same, as does a process that has just begun."""

import json
import urllib.error
import urllib.request
from concurrent.futures import ThreadPoolExecutor
from types import SimpleNamespace

from hypothesis import HealthCheck, Phase, given, settings

from tests.server.test_durability import LEVEL, OwnState
from tests.server.test_ground import key
from tests.server.test_session import Acting, actions
from tests.serving import Server


class Remote:
    """A person at one process, asked as Django's test client is."""

    def __init__(self, server: Server, name: str) -> None:
        self.base, self.cookies = server.address, {}
        self.get("/api/session")
        self.post("/api/session", json.dumps({"name": name, "password": "slate-and-birch"}))

    def _ask(self, method: str, path: str, data: str | None) -> SimpleNamespace:
        request = urllib.request.Request(
            self.base + path,
            data and data.encode(),
            {
                "Content-Type": "application/json",
                "Cookie": "; ".join(f"{k}={v}" for k, v in self.cookies.items()),
                "X-CSRFToken": self.cookies.get("csrftoken", ""),
            },
            method=method,
        )
        try:
            answer = urllib.request.urlopen(request)
        except urllib.error.HTTPError as error:
            answer = error
        with answer:
            for cookie in answer.headers.get_all("Set-Cookie", []):
                name, _, value = cookie.split(";")[0].partition("=")
                self.cookies[name] = value
            content = answer.read()
        return SimpleNamespace(status_code=answer.status, content=content, json=lambda: json.loads(content))

    def get(self, path: str) -> SimpleNamespace:
        return self._ask("GET", path, None)

    def post(self, path: str, data: str = "{}", content_type: str = "") -> SimpleNamespace:
        return self._ask("POST", path, data)

    def patch(self, path: str, data: str, content_type: str = "") -> SimpleNamespace:
        return self._ask("PATCH", path, data)


class TwoProcesses(Acting, OwnState):
    base = LEVEL

    def setUp(self):
        super().setUp()
        second = Server(**self.env())
        self.addCleanup(second.kill)
        self.people = {"north": Remote(self.server, "north"), "lead": Remote(second, "lead")}
        told = self.post(
            "/new-stand", {"key": key(), "name": "Young birch", "stratum": "Understorey", "item": "birch"}
        )
        self.assertEqual(told.status_code, 200, told.content)

    def post(self, path, body, client=None, method="post"):
        return getattr(client or self.people["north"], method)(self.base + path, json.dumps(body))

    def said_by(self, person: Remote):
        """The stands with the keys of their sheets, single plants that were set, and the journal."""
        stands = person.get(f"{self.base}/stands").json()
        pins = [person.get(f"{self.base}/stands/{s['id']}/pins").json() for s in stands if not s["sward"]]
        journal = person.get(f"{self.base}/journal").json()
        return stands, pins, [(e["id"], e["what"], e["undone"], e["gained"], e["lost"]) for e in journal]

    def check_all_say_the_same(self, after):
        north, lead = map(self.said_by, self.people.values())
        self.assertEqual(north, lead, after)
        return north

    def check_against_a_fresh_process(self, after):
        said, fresh = self.check_all_say_the_same(after), Server(**self.env())
        try:
            self.assertEqual(self.said_by(Remote(fresh, "north")), said, after)
        finally:
            fresh.kill()

    def test_one_after_another(self):
        @settings(
            max_examples=2,
            deadline=None,
            suppress_health_check=list(HealthCheck),
            phases=[Phase.explicit, Phase.generate],
        )
        @given(actions)
        def check(session):
            for k, action in enumerate(session):
                answer = self.act(*action)
                self.assertIn(answer.status_code, (200, 409, 422), (action, answer.content))
                if k % 3 == 2:
                    self.check_all_say_the_same(session[: k + 1])
            self.check_all_say_the_same(session)

        check()
        self.check_against_a_fresh_process("chance sessions")

    def test_at_the_same_moment(self):
        def strokes(who: str, slug: str) -> list[int]:
            return [
                self.act("stroke", who, slug, "thin" if k % 2 else "thicken", 40 + 24 * k, 90, 20).status_code
                for k in range(6)
            ]

        def beat(who: str):
            told = self.post("/beat", {"x": 1, "z": 2, "heading": 3}, self.people[who]).json()
            return told["since"]["version"], [other["name"] for other in told["others"]]

        beat("north")
        before = beat("lead")
        self.assertEqual(before[1], ["north"])
        with ThreadPoolExecutor(2) as pool:
            told = [
                pool.submit(strokes, who, slug)
                for who, slug in (("north", "birch"), ("lead", "slate-blocks"))
            ]
            told += [pool.submit(strokes, who, "birch") for who in ("north", "lead")]
            self.assertEqual({status for each in told for status in each.result()}, {200})
        self.check_against_a_fresh_process("strokes at the same moment")
        entries = self.people["lead"].get(f"{self.base}/journal").json()
        self.assertEqual(sum(e["kind"] == "paint" for e in entries), 24)
        pulses = {beat(who)[0] for who in self.people}
        self.assertEqual(len(pulses), 1)
        self.assertNotIn(before[0], pulses)
        self.post("/beat", {"x": 1, "z": 2, "heading": 3, "leaving": True}, self.people["north"])
        self.assertEqual(beat("lead")[1], [])
