"""Every operation of the API, by its own schema: who may only look changes nothing, nobody gets in unsigned,
and nonsense is refused with a sentence and never fails."""

import json
import uuid

from django.test import Client

from server.api import api
from server.journal.models import Entry
from server.levels.models import Level
from server.stands.models import Stand
from tests.server.test_ground import GroundCase

OPEN = {
    ("get", "/api/session"),
    ("post", "/api/session"),
    ("post", "/api/session/first"),
    ("get", "/api/links/{token}"),
    ("post", "/api/links/{token}/account"),
    ("post", "/api/links/{token}/password"),
}
LOOKS = {
    "/try",
    "/why",
    "/select",
    "/cost",
    "/seen",
    "/fog",
    "/aim",
    "/sample",
    "/forecast",
    "/beat",
    "/curve",
    "/histogram",
    "/measure",
}
"""Ends of paths that are posted to and change nothing."""
NONSENSE = (None, [], 7, "x", {}, {"key": "no"}, {"key": None, "settings": None}, {"path": [[1e308, -1e308]]})


def operations():
    schema = api.get_openapi_schema()
    for path, methods in schema["paths"].items():
        for method, said in methods.items():
            yield method, path, said, schema["components"]["schemas"]


def wrong_values(field: dict):
    """Values that a field of a body cannot mean."""
    kind = field.get("type") or next(
        (a.get("type") for a in field.get("anyOf", []) if a.get("type")), "object"
    )
    nullable = any(a.get("type") == "null" for a in field.get("anyOf", []))
    wrong = {
        "number": ["far", float("1e300"), None, []],
        "integer": ["three", 10**30, -1, {}],
        "string": [5, [], "x" * 5000],
        "array": ["no", 3, [None], [[]]],
        "boolean": ["perhaps", 12],
    }.get(kind, [3, "no", [], None])
    return [value for value in wrong if value is not None or not nullable]


class EveryWayIn(GroundCase):
    def filled(self, path: str) -> str:
        """A path with what this level has in place of its parameters."""
        known = {
            "slug": self.level.slug,
            "stand": self.birch.pk,
            "revision": 1,
            "kind": "heights",
            "tx": 0,
            "tz": 0,
            "key": "k",
            "column": 0,
            "row": 0,
            "x": 1,
            "z": 1,
            "name": "None",
            "digest": "d",
            "thing": 1,
            "item": "birch",
            "entry": 1,
            "draft": uuid.uuid4(),
            "batch": uuid.uuid4(),
            "job": uuid.uuid4(),
        }
        for name, value in known.items():
            path = path.replace(f"{{{name}}}", str(value)).replace(f"{{int:{name}}}", str(value))
        for part in path.split("/"):
            if part.startswith("{"):
                path = path.replace(part, "1")
        return path

    def ask(self, client: Client, method: str, path: str, body):
        return getattr(client, method)(self.filled(path), json.dumps(body), content_type="application/json")

    def state(self):
        names = (
            "name",
            "drawing",
            "tiers",
            "walks",
            "wind",
            "atmosphere",
            "bookmarks",
            "version",
        )
        return (
            list(Level.objects.values(*names)),
            list(Stand.every.order_by("pk").values()),
            Entry.objects.count(),
        )

    def test_who_is_not_signed_in_gets_nothing(self):
        for method, path, *_ in operations():
            if (method, path) not in OPEN:
                answer = (
                    self.ask(Client(), method, path, {})
                    if method != "get"
                    else Client().get(self.filled(path))
                )
                self.assertEqual(answer.status_code, 401, (method, path))

    def test_who_may_only_look_changes_nothing(self):
        guest, before, tried = self.client_of("guest"), self.state(), 0
        for method, path, *_ in operations():
            if method == "get" or "/levels/{slug}" not in path or any(path.endswith(end) for end in LOOKS):
                continue
            tried += 1
            answer = self.ask(guest, method, path, {"key": str(uuid.uuid4())})
            self.assertIn(answer.status_code, (403, 404, 409, 422), (method, path, answer.content))
            self.assertEqual(self.state(), before, (method, path))
        self.assertGreater(tried, 30)

    def test_nonsense_is_refused_with_a_sentence(self):
        before, tried = self.state(), 0
        for method, path, said, schemas in operations():
            body = (
                said.get("requestBody", {}).get("content", {}).get("application/json", {}).get("schema", {})
            )
            if not body or (method, path) in OPEN or path.endswith("/keys"):
                continue
            known = schemas[body["$ref"].rsplit("/", 1)[1]] if "$ref" in body else body
            tries = [
                *NONSENSE,
                *(
                    {"key": str(uuid.uuid4()), name: value}
                    for name, field in known.get("properties", {}).items()
                    for value in wrong_values(field)
                ),
            ]
            for wrong in tries:
                answer = self.ask(self.lead, method, path, wrong)
                tried += 1
                if answer.status_code < 400:
                    self.assertEqual(self.state(), before, (method, path, wrong, "was taken"))
                    continue
                self.assertLess(answer.status_code, 500, (method, path, wrong))
                self.assertGreater(len(answer.json()["detail"]), 8, (method, path, wrong, answer.content))
        self.assertEqual(self.state(), before)
        self.assertGreater(tried, 500)
