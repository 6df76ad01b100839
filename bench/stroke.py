"""Stroke: a 32 m stroke in the demo level, request to response, against a bare endpoint on the same database;
and eight people who paint twenty strokes a second between them for a minute.

Makes a database of its own beside the application's and drops it again. All is asked over HTTP.
"""

from __future__ import annotations

import http.cookiejar
import json
import statistics
import time
import urllib.error
import urllib.request
import uuid
from concurrent.futures import ThreadPoolExecutor

from bench._server import served_demo
from bench._short import short

ROUNDS = short(60, 13)
PEOPLE, PER_SECOND, SECONDS = short((8, 20, 60), (2, 5, 1))


class Client:
    """A signed-in client that keeps its cookies."""

    def __init__(self, base: str) -> None:
        self.base, self.jar = base, http.cookiejar.CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))

    def get(self, path: str) -> bytes:
        with self.opener.open(self.base + path) as answer:
            return answer.read()

    def post(self, path: str, body: dict) -> tuple[float, dict]:
        token = next((c.value for c in self.jar if c.name == "csrftoken"), "")
        request = urllib.request.Request(
            self.base + path,
            json.dumps(body).encode(),
            {"Content-Type": "application/json", "X-CSRFToken": token},
        )
        began = time.perf_counter()
        with self.opener.open(request) as answer:
            data = json.loads(answer.read())
        return time.perf_counter() - began, data


def crowd(base: str, level) -> tuple[list[float], int]:
    """Strokes of several people, who have the level open, at even times, each on a stand and a part of the
    level of their own: how long each took, from when it was due, and how many were refused."""
    from django.contrib.auth.models import User

    from server.levels.models import Membership

    on_ground = (s for s in level.stands.all() if not s.settings.get("on"))
    stands = [s for s in on_ground if s.settings["layout"]["kind"] == "free"]
    names = [f"painter-{k}" for k in range(PEOPLE)]
    for name in names:
        if not User.objects.filter(username=name).exists():  # a bench may ask them twice
            user = User.objects.create_user(name, password="slate-and-birch")
            Membership.objects.create(user=user, level=level, role=Membership.Role.ARTIST)
    first = Client(base)
    first.get("/api/session")
    first.post("/api/session", {"name": names[0], "password": "slate-and-birch"})
    for stand in json.loads(first.get(f"/api/levels/{level.slug}/stands")):
        for n, sheet in enumerate([] if stand["sward"] else stand["sheets"]["keys"][: short(None, 1)]):
            x, z = n % stand["sheets"]["columns"], n // stand["sheets"]["columns"]
            first.get(f"/api/levels/{level.slug}/stands/{stand['id']}/plants/{x}/{z}/{sheet}")
    spent, refused = [], 0
    began = time.perf_counter() + short(2.0, 0.1)

    def person(k: int) -> None:
        nonlocal refused
        client = Client(base)
        client.opener.open(base + "/api/session").close()
        client.post("/api/session", {"name": names[k], "password": "slate-and-birch"})
        for n in range(k, PER_SECOND * SECONDS, PEOPLE):
            due = began + n / PER_SECOND
            time.sleep(max(due - time.perf_counter(), 0.0))
            x, z = 120 + 110.0 * (n * 7 % 8), 120 + 110.0 * (n * 3 % 8)
            body = {
                "key": str(uuid.uuid4()),
                "stand": stands[(k + n) % len(stands)].pk,
                "verb": "thicken" if n % 2 else "thin",
                "path": [[x, z], [x + 12, z + 6]],
                "radius": 24,
                "soft": 0.5,
                "strength": 0.4,
            }
            try:
                client.post(f"/api/levels/{level.slug}/strokes", body)
            except urllib.error.HTTPError:
                refused += 1
            spent.append(time.perf_counter() - due)

    with ThreadPoolExecutor(PEOPLE) as pool:
        list(pool.map(person, range(PEOPLE)))
    return spent, refused


def measure(base: str, level, stand) -> tuple[list[float], list[float]]:
    client = Client(base)
    client.opener.open(base + "/api/session").close()
    client.post("/api/session", {"name": "north", "password": "slate-and-birch"})
    ours, bare = [], []
    for k in range(ROUNDS):
        x, z = 500 + 9.0 * (k % 7), 500 + 7.0 * (k % 5)
        body = {
            "key": str(uuid.uuid4()),
            "stand": stand.pk,
            "verb": "thicken" if k % 2 else "thin",
            "path": [[x, z], [x + 12, z + 6]],
            "radius": 32,
            "soft": 0.5,
            "strength": 0.4,
        }
        ours.append(client.post(f"/api/levels/{level.slug}/strokes", body)[0])
        tiles = [[1, 1], [2, 1], [1, 2], [2, 2]]
        bare.append(
            client.post(
                "/reference/blobs", {"stand": other_stand(level).pk, "level": level.pk, "tiles": tiles}
            )[0]
        )
    return ours[10:], bare[10:]


def other_stand(level):
    """A stand that nothing is planted of, for the bare endpoint to write to."""
    from server.stands.models import Stand

    birch = level.stands.get(slug="birch")
    return Stand.every.get_or_create(
        level=level,
        slug="bare",
        defaults={
            "number": 9000,
            "name": "Bare",
            "stratum": "Moss",
            "seed": 1,
            "settings": birch.settings,
            "gone": True,
        },
    )[0]


def main() -> int:
    with served_demo() as (base, level):
        from server.journal.models import Entry

        ours, bare = measure(base, level, level.stands.get(slug="birch"))
        before = Entry.objects.filter(kind="paint").count()
        times, refused = crowd(base, level)
        kept = Entry.objects.filter(kind="paint").count() - before
    a, b = statistics.median(ours), statistics.median(bare)
    print(
        f"stroke: {a * 1e3:.1f} ms, bare endpoint with 4 blobs of 8 KB {b * 1e3:.1f} ms (medians "
        f"of {len(ours)})"
    )
    print(f"  ratio {a / b:.2f} (at most 4)")
    late = statistics.quantiles(times, n=20)[-1]
    lost = len(times) - refused - kept
    print(
        f"  {PEOPLE} people, {PER_SECOND} strokes a second for {SECONDS} s: median "
        f"{statistics.median(times) * 1e3:.0f} ms, "
        f"95th percentile {late * 1e3:.0f} ms, {refused} refused, {lost} lost"
    )
    print(f"  95th percentile over the single median {late / a:.2f} (at most 4)")
    return 0 if a / b <= 4 and late <= 4 * a and not refused and not lost else 1


if __name__ == "__main__":
    raise SystemExit(main())
