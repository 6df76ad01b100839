"""Every operation asked for what its own document allows, and for what it does not, by schemathesis: nothing
fails, every refusal is a sentence of ours, and answers are what the document says."""

import json
import os
import re
import uuid
from urllib.parse import quote, urlencode

import schemathesis
from django.core.files.uploadedfile import SimpleUploadedFile
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from openapi_spec_validator import OpenAPIV31SpecValidator
from schemathesis import GenerationMode

from server.api import api
from tests.server.test_ground import GroundCase
from tests.server.test_roles import KEEP

CASES = int(os.environ.get("KT_FUZZ", "3"))
"""So many cases are drawn of each operation, each way; ./kt bench fuzz draws more."""
LEAKS = re.compile(
    r"/(work|root|home|tmp|var|usr)/|Traceback|site-packages|[Ee]rrno|django\.|numpy|pydantic|MySQL|\(\d{4}, "
)
KEEP_SESSION = {
    ("DELETE", "/api/session"),
    ("POST", "/api/session"),
    ("PUT", "/api/session/keys"),
    ("PUT", "/api/session/name"),
    ("DELETE", "/api/sessions"),
}


def document() -> dict:
    return json.loads(json.dumps(api.get_openapi_schema(), default=str))


class Fuzz(GroundCase):
    def setUp(self):
        super().setUp()
        self.stroke()
        self.known = {
            "slug": self.level.slug,
            "stand": self.birch.pk,
            "revision": 1,
            "tx": 0,
            "tz": 0,
            "column": 0,
            "row": 0,
            "item": "birch",
            "file": "level.json",
            "layer": "turf",
        }

    def test_the_document_is_valid(self):
        problems = [str(e)[:300] for e in OpenAPIV31SpecValidator(document()).iter_errors()]
        self.assertEqual(problems, [])
        for path, operations in document()["paths"].items():
            for method, said in operations.items():
                self.assertLessEqual(
                    {"401", "403", "404", "409", "422", "503"}, set(said["responses"]), (method, path)
                )

    def test_nothing_that_can_be_sent_makes_it_fail(self):
        tried = 0
        for mode in (GenerationMode.POSITIVE, GenerationMode.NEGATIVE):
            schema = schemathesis.openapi.from_dict(document())
            for found in schema.get_all_operations():
                operation = found.ok()
                if (operation.method.upper(), operation.path) in KEEP_SESSION:
                    continue
                tried += self.draw(operation, mode)
        self.assertGreater(tried, 250)

    def draw(self, operation, mode) -> int:
        """Ask an operation some times; how often it was asked."""
        tried = [0]
        real = st.fixed_dictionaries(
            {name: st.sampled_from([self.known.get(name)] * 3 + [None]) for name in self.known}
        )

        @settings(
            max_examples=CASES,
            deadline=None,
            database=None,
            phases=[Phase.generate],
            derandomize=True,
            suppress_health_check=list(HealthCheck),
        )
        @given(case=operation.as_strategy(generation_mode=mode), real=real)
        def ask(case, real):
            tried[0] += 1
            self.check(case, self.send(case, {k: v for k, v in real.items() if v is not None}))

        try:
            ask()
        except schemathesis.errors.SchemathesisError:
            return 0  # of what takes nothing there is nothing wrong to send
        except BaseException as error:
            if type(error).__name__ in ("Unsatisfiable", "SkipTest"):
                return 0
            raise
        return tried[0]

    def send(self, case, real):
        path = case.path
        for name, value in {
            **(case.path_parameters or {}),
            **{k: v for k, v in real.items() if f"{{{k}}}" in path},
        }.items():
            path = path.replace(f"{{{name}}}", quote(str(value), safe=""))
        query = {k: v for k, v in dict(case.query or {}).items() if isinstance(k, str)}
        if query:
            path += "?" + urlencode(query, doseq=True, errors="replace")
        method, body = case.method.lower(), case.body
        if case.media_type == "multipart/form-data" and isinstance(body, dict):
            form = {k: SimpleUploadedFile("f.png", b"x") if "file" in k else str(v) for k, v in body.items()}
            return getattr(self.lead, method)(path, form)
        data = (
            b"" if type(body).__name__ == "NotSet" else json.dumps(body, default=str).encode(errors="replace")
        )
        return self.lead.generic(method.upper(), path, data, content_type="application/json")

    def check(self, case, answer) -> None:
        said = (case.method, case.path, case.path_parameters, str(case.query)[:200], str(case.body)[:600])
        self.assertLess(answer.status_code, 500, (said, answer.content[:300]))
        if answer.status_code >= 400 and answer["Content-Type"].startswith("application/json"):
            detail = answer.json()["detail"]
            self.assertIsInstance(detail, str, said)
            self.assertGreater(len(detail), 5, said)
            self.assertIsNone(LEAKS.search(detail), (detail, said))
            self.assertLess(len(detail), 3000, said)

    def test_what_was_once_found(self):
        """Cases that failed before, kept."""
        stand, key = f"/stands/{self.birch.pk}", lambda: {"key": str(uuid.uuid4())}
        big, far = "9" * 20, [[1e308, -1e308], [-1e308, 1e308], [0, 1e308]]
        stroke = {
            "stand": self.birch.pk,
            "verb": "thin",
            "path": [[80, 90]],
            "radius": 24,
            "soft": 0.4,
            "strength": 0.8,
        }
        for path, body in (
            ("/conditions/noise", {"noise": {}, "side": 5e-324}),
            ("/conditions/noise", {"noise": {}, "side": 1e-14, "x": 1e6}),
            (f"{stand}/pins", {"remove": [big], **key()}),
            (f"{stand}/pins", {"release": [big], **key()}),
            ("/select", {"plants": [big]}),
            ("/hand", {"plants": {str(self.birch.pk): [big]}, "do": "remove", **key()}),
            ("/select", {"outline": far}),
            ("/strokes", stroke | key() | {"path": far}),
            ("/strokes", stroke | key() | {"stand": 10**30}),
            ("/strokes", stroke | key() | {"tip": "9" * 20}),
            ("/strokes", stroke | key() | {"tip": "²"}),
            ("/strokes", stroke | key() | {"also": [10**30]}),
            ("/views", {"name": "a\0b", **key(), **KEEP}),
            (f"{stand}/change", {"name": " " * 40, **key()}),
            (f"{stand}/change", {"name": "x" * 10_000, **key()}),
            ("/new-stand", {"name": "\0", "stratum": "Shrub", "item": "birch", **key()}),
            ("/snapshots", {"name": "  "}),
            ("/snapshots", {"name": "a\0"}),
            ("/snapshots/compare", {"before": 10**30}),
        ):
            answer = self.post(path, body)
            self.assertIn(answer.status_code, (404, 409, 422), (path, body, answer.content[:200]))
            self.assertGreater(len(answer.json()["detail"]), 8)
        flat = {
            "name": "Flat",
            "group": "rock",
            "shape": "block",
            "height": 0.05,
            "width": 100,
            "colour": "#112233",
        }
        told = self.lead.post("/api/shelf/new/stand-in", json.dumps(flat), content_type="application/json")
        self.assertEqual(told.status_code, 422, told.content[:200])
        self.assertIn("times as high as wide", told.json()["detail"])
        for path in (
            f"{stand[: -len(str(self.birch.pk))]}{10**30}",
            f"/journal?before={10**30}",
            "/relief/1/slope?radius=nan",
            "/ground/1/heights/99999999999/0",
            f"{stand}/plant?x=1e308&z=nan",
            "/under?x=inf&z=0",
            "/masks",
        ):
            self.assertLess(self.north.get(f"{self.base}{path}").status_code, 500, path)
        radius = (
            '{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"kind":"obstacle","form":"circle",'
            f'"radius":{"9" * 400}}},"geometry":{{"type":"Point","coordinates":[50,50]}}}}]}}'
        )
        for body in (
            radius,
            "[" * 100_000,
            radius.replace("9" * 400, "NaN"),
            "\0",
            '{"type":"FeatureCollection","features":[null]}',
        ):
            answer = self.north.post(
                f"{self.base}/shapes.geojson?key={uuid.uuid4()}", body, content_type="application/json"
            )
            self.assertEqual(answer.status_code, 422, (body[:40], answer.content[:200]))
        for options in ("[" * 100_000, "\0", "{", '{"cell": 1e999}'):
            form = {"kind": "heights", "files": SimpleUploadedFile("a/../b.png", b"x"), "options": options}
            self.assertEqual(self.lead.post("/api/drafts", form).status_code, 422, options[:20])
        head = (
            b'--e\r\nContent-Disposition: form-data; name="file"; filename="'
            + b"x" * 200_000
            + b'"\r\n\r\nx\r\n--e--\r\n'
        )
        for body in (head, b"--e\r\n" + b"A: b\r\n" * 5000 + b"\r\nx\r\n--e--\r\n", b"--e"):
            answer = self.north.generic(
                "POST", f"{self.base}/masks", body, content_type="multipart/form-data; boundary=e"
            )
            self.assertIn(answer.status_code, (400, 413, 422), body[:60])
            self.assertGreater(len(answer.json()["detail"]), 10)
        for name in ("a/b", " ", "\0", "x" * 10_000, "~kept~x"):
            form = {"key": str(uuid.uuid4()), "name": name, "file": SimpleUploadedFile("m.png", b"x")}
            answer = self.north.post(f"{self.base}/masks", form)
            self.assertIn(answer.status_code, (400, 413, 422), name[:10])
