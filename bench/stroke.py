"""Stroke: a 32 m stroke with three stands in the level, request to response, against a bare endpoint on the same database.

Makes a database of its own beside the application's and drops it again. Both are asked over HTTP, in turn.
"""

from __future__ import annotations

import http.cookiejar
import io
import json
import os
import socket
import statistics
import subprocess
import sys
import time
import urllib.request
import uuid
from contextlib import suppress

ROUNDS = 60


class Client:
    """A signed-in client that keeps its cookies."""

    def __init__(self, base: str) -> None:
        self.base, self.jar = base, http.cookiejar.CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))

    def post(self, path: str, body: dict) -> tuple[float, dict]:
        token = next((c.value for c in self.jar if c.name == "csrftoken"), "")
        request = urllib.request.Request(self.base + path, json.dumps(body).encode(), {
            "Content-Type": "application/json", "X-CSRFToken": token})
        began = time.perf_counter()
        with self.opener.open(request) as answer:
            data = json.loads(answer.read())
        return time.perf_counter() - began, data


def measure(base: str, level, stand) -> tuple[list[float], list[float]]:
    client = Client(base)
    client.opener.open(base + "/api/session").close()
    client.post("/api/session", {"name": "north", "password": "slate-and-birch"})
    ours, bare = [], []
    for k in range(ROUNDS):
        x, z = 500 + 9.0 * (k % 7), 500 + 7.0 * (k % 5)
        body = {"key": str(uuid.uuid4()), "stand": stand.pk, "verb": "thicken" if k % 2 else "thin",
                "path": [[x, z], [x + 12, z + 6]], "radius": 32, "soft": 0.5, "strength": 0.4}
        ours.append(client.post(f"/api/levels/{level.slug}/strokes", body)[0])
        tiles = [[1, 1], [2, 1], [1, 2], [2, 2]]
        bare.append(client.post("/reference/blobs", {"stand": other_stand(level).pk, "level": level.pk, "tiles": tiles})[0])
    return ours[10:], bare[10:]


def other_stand(level):
    """A stand that nothing is planted of, for the bare endpoint to write to."""
    from server.stands.models import Stand

    birch = level.stands.get(slug="birch")
    return Stand.every.get_or_create(level=level, slug="bare", defaults={
        "number": 9000, "name": "Bare", "stratum": "Moss", "seed": 1, "settings": birch.settings, "gone": True})[0]


def main() -> int:
    import django

    django.setup()
    from django.core.management import call_command
    from django.db import connection
    from django.test.utils import setup_databases, teardown_databases

    old = setup_databases(verbosity=0, interactive=False)
    process = None
    try:
        call_command("build_demo", stdout=io.StringIO())
        from server.levels.models import Level

        level = Level.objects.get()
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        env = os.environ | {"KT_DB_NAME": connection.settings_dict["NAME"], "KT_ROOT_URLCONF": "bench._reference"}
        process = subprocess.Popen([sys.executable, "-m", "gunicorn", "-c", "server/gunicorn.py", "--bind",
                                    f"127.0.0.1:{port}", "server.wsgi"], env=env)
        base = f"http://127.0.0.1:{port}"
        for _ in range(600):
            with suppress(OSError):
                urllib.request.urlopen(base + "/api/session").close()
                break
            time.sleep(0.1)
        ours, bare = measure(base, level, level.stands.get(slug="birch"))
    finally:
        if process:
            process.terminate()
            process.wait()
        teardown_databases(old, verbosity=0)
    a, b = statistics.median(ours), statistics.median(bare)
    print(f"stroke: {a * 1e3:.1f} ms, bare endpoint with 4 blobs of 8 KB {b * 1e3:.1f} ms (medians of {len(ours)})")
    print(f"  ratio {a / b:.2f} (at most 4)")
    return 0 if a / b <= 4 else 1


if __name__ == "__main__":
    raise SystemExit(main())
