"""Load: many people at once, slow and silent connections, a large import beside the work; every figure a
ratio within this run.

Makes a database of its own beside the application's and drops it again. All is asked over HTTP.
"""

from __future__ import annotations

import importlib
import json
import socket
import statistics
import sys
import tempfile
import threading
import time
import urllib.request
import uuid
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack, suppress
from pathlib import Path
from urllib.parse import urlsplit

from bench._server import served_demo
from bench._short import short
from bench.stroke import SECONDS, Client, crowd

READERS, READ_SECONDS = short((30, 20), (2, 1))
SILENT, UPLOADS = short((500, 40), (3, 1))
START = short(1.0, 0.1)
"""Seconds from the word to the start of those who begin together."""
_failed = []


def late(times: list[float]) -> float:
    """The 95th percentile."""
    return statistics.quantiles(times, n=20)[-1]


def report(what: str, ratio: float, most: float) -> None:
    print(f"  {what}: {ratio:.2f} (at most {most:g})", flush=True)
    if ratio > most:
        _failed.append(what)


def signed_in(base: str, name: str) -> Client:
    client = Client(base)
    client.get("/api/session")
    client.post("/api/session", {"name": name, "password": "slate-and-birch"})
    return client


def timed(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def painter(client: Client, level, stand) -> Callable[[], object]:
    """One stroke after another."""
    count = iter(range(10**9))

    def paint() -> None:
        k = next(count)
        x, z = 500 + 9.0 * (k % 7), 500 + 7.0 * (k % 5)
        client.post(
            f"/api/levels/{level.slug}/strokes",
            {
                "key": str(uuid.uuid4()),
                "stand": stand.pk,
                "verb": "thicken" if k % 2 else "thin",
                "path": [[x, z], [x + 12, z + 6]],
                "radius": 24,
                "soft": 0.5,
                "strength": 0.4,
            },
        )

    return paint


def paced(work: Callable[[], object], count: int, apart: float = short(0.1, 0.0)) -> list[float]:
    """How long work takes each time, when it is begun at even times as a person would."""
    out = []
    for _ in range(count):
        spent = timed(work)
        out.append(spent)
        time.sleep(max(apart - spent, 0.0))
    return out


def reading(base: str, level, people: int) -> list[float]:
    """People who beat and read a sheet every second, each at a moment of their own: how long each request
    took."""
    spent: list[float] = []
    stands = json.loads(signed_in(base, "north").get(f"/api/levels/{level.slug}/stands"))[: short(None, 2)]
    paths = [
        f"/api/levels/{level.slug}/stands/{s['id']}/plants"
        f"/{n % s['sheets']['columns']}/{n // s['sheets']['columns']}/{key}"
        for s in stands
        for n, key in enumerate(s["sheets"]["keys"])
        if not s["sward"]
    ]
    here = {"x": 1, "z": 1, "heading": 0, "bench": "planting"}
    clients = [signed_in(base, ("lead", "north", "south", "guest")[k % 4]) for k in range(people)]
    began = time.perf_counter() + START

    def person(k: int) -> None:
        for n in range(READ_SECONDS * 2):
            time.sleep(max(began + (n + k / people) / 2 - time.perf_counter(), 0.0))
            if n % 2:
                spent.append(clients[k].post(f"/api/levels/{level.slug}/beat", here)[0])
            else:
                path = paths[(n * 7 + k) % len(paths)]
                spent.append(timed(lambda path=path: clients[k].get(path)))

    for path in paths:
        clients[0].get(path)
    with ThreadPoolExecutor(people) as pool:
        list(pool.map(person, range(people)))
    return spent


def beating(clients: list[Client], level, seconds: int) -> list[float]:
    """People who say once a second where they look, each at a moment of their own: how long each took."""
    people, spent = len(clients), []
    began = time.perf_counter() + START

    def person(k: int) -> None:
        for n in range(seconds):
            time.sleep(max(began + n + k / people - time.perf_counter(), 0.0))
            here = {"x": n, "z": k, "heading": 0, "bench": "planting"}
            spent.append(clients[k].post(f"/api/levels/{level.slug}/beat", here)[0])

    with ThreadPoolExecutor(people) as pool:
        list(pool.map(person, range(people)))
    return spent


def hold(base: str, stack: ExitStack) -> None:
    """Open connections that are silent, half sent, or dripping."""
    address = urlsplit(base)
    for k in range(SILENT):
        line = stack.enter_context(socket.create_connection((address.hostname, address.port)))
        line.sendall(
            (
                b"",
                b"GET /api/levels HTTP/1.1\r\nHost:",
                b"POST /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 90\r\n\r\n{",
            )[k % 3]
        )


def slow_uploads(base: str, ended: threading.Event) -> None:
    """Forty uploads of which a kilobyte comes every tenth of a second."""
    address = urlsplit(base)
    lines = [socket.create_connection((address.hostname, address.port)) for _ in range(UPLOADS)]
    for line in lines:
        line.sendall(b"POST /api/drafts HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 100000000\r\n\r\n")
    while not ended.wait(0.1):
        for line in lines:
            with suppress(OSError):
                line.sendall(b"x" * 1024)
    for line in lines:
        line.close()


def importing(base: str) -> Callable[[], bool]:
    """Bring in 4,097² heights and make a level of them; the function that is returned says whether that is
    done."""
    picture = importlib.import_module("bench.import").picture

    lead = signed_in(base, "lead")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "hills.png"
        picture(path)
        data = path.read_bytes()
    edge, token = uuid.uuid4().hex, next(c.value for c in lead.jar if c.name == "csrftoken")
    parts = [
        f'--{edge}\r\nContent-Disposition: form-data; name="{name}"\r\n\r\n{value}\r\n'.encode()
        for name, value in (("kind", "heights"), ("options", '{"cell": 1, "low": 100, "high": 400}'))
    ]
    head = f'--{edge}\r\nContent-Disposition: form-data; name="files"; filename="hills.png"\r\n\r\n'.encode()
    body = b"".join([*parts, head, data, f"\r\n--{edge}--\r\n".encode()])
    request = urllib.request.Request(
        f"{base}/api/drafts",
        body,
        {"Content-Type": f"multipart/form-data; boundary={edge}", "X-CSRFToken": token},
    )
    with lead.opener.open(request) as answer:
        draft = json.loads(answer.read())["id"]
    kept = False

    def done() -> bool:
        nonlocal kept
        draft_now = json.loads(lead.get(f"/api/drafts/{draft}"))
        if draft_now["state"] == "ready" and not kept:
            kept = True
            lead.post(f"/api/drafts/{draft}/keep", {"key": str(uuid.uuid4()), "name": "Wide Fell"})
        if draft_now["state"] == "failed":
            raise SystemExit(f"the import failed: {draft_now['trouble']}")
        return draft_now["state"] == "kept"

    return done


def main() -> int:
    with served_demo() as (base, level):
        began = [timed(lambda: urllib.request.urlopen(base + "/api/session").read()) for _ in range(10)]
        print("load: one run, all ratios within it")
        report("first request after a start over the tenth", began[0] / began[9], 1.5)
        birch = level.stands.get(slug="birch")
        paint = painter(signed_in(base, "north"), level, birch)
        paced(paint, short(20, 2))
        single = statistics.median(paced(paint, short(60, 3)))
        print(f"  a stroke alone: median {single * 1e3:.1f} ms")
        one = late(reading(base, level, 1))
        many = late(reading(base, level, READERS))
        report(f"{READERS} people reading and beating, 95th percentile over one person's", many / one, 5)
        look = signed_in(base, "south")
        ask = lambda: look.get(f"/api/levels/{level.slug}/pulse")
        calm_ask, calm = late(paced(ask, short(300, 4), 0.02)), late(paced(paint, short(100, 3)))
        with ExitStack() as stack:
            hold(base, stack)
            beside_them = late(paced(ask, short(300, 4), 0.02))
            report(
                f"others beside {SILENT} silent and half-sent connections, 95th percentile",
                beside_them / calm_ask,
                1.5,
            )
            report("strokes beside them, 95th percentile", late(paced(paint, short(100, 3))) / calm, 1.5)
        ended = threading.Event()
        thread = threading.Thread(target=slow_uploads, args=(base, ended))
        thread.start()
        report(
            f"others beside {UPLOADS} slow uploads, 95th percentile",
            late(paced(ask, short(300, 4), 0.02)) / calm_ask,
            1.5,
        )
        ended.set()
        thread.join()
        calm, done, beside = late(paced(paint, short(150, 3))), importing(base), []
        while not done():
            beside += paced(paint, short(10, 1))
        print(f"  {len(beside)} strokes while 4,097² heights were read and kept")
        report("strokes beside the import, 95th percentile over calm", late(beside) / calm, 2)
        strokes, refused = crowd(base, level)
        report("8 people, 20 strokes a second for 60 s: refused or lost", refused, 0)
        report("their 95th percentile over the single median", late(strokes) / single, 4)
        crew = [signed_in(base, ("lead", "north", "south", "guest")[k % 4]) for k in range(READERS)]
        alone = statistics.median(beating(crew[:1], level, READ_SECONDS))
        with ThreadPoolExecutor(1) as pool:
            beats = pool.submit(beating, crew, level, SECONDS)
            _, refused = crowd(base, level)
        report(f"the same while {READERS} people beat: refused or lost", refused, 0)
        report("95th percentile of the beats over one person's median", late(beats.result()) / alone, 5)
    return 1 if _failed else 0


if __name__ == "__main__":
    sys.exit(main())
