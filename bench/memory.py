"""Memory: a server held to a gigabyte through 2,000 strokes, 500 sheets, 50 handover files and 10 imports
each taken back; of what the server and the worker take together, the last quarter is compared with the third.

Makes a database of its own beside the application's and drops it again. KT_BENCH_SHARE=0.1 does a tenth of
it.
"""

from __future__ import annotations

import json
import os
import statistics
import sys
import time
import urllib.request
import uuid
from pathlib import Path

from bench._short import short

SHARE = float(os.environ.get("KT_BENCH_SHARE", short("1", "0.004")))
STROKES, SHEETS, HANDOVERS, IMPORTS = (round(n * SHARE) for n in (2000, 500, 50, 10))
SIDE = 513


def resident(pids: list[int]) -> float:
    """MB that processes take."""
    return (
        sum(int(Path(f"/proc/{pid}/statm").read_text().split()[1]) for pid in pids)
        * os.sysconf("SC_PAGE_SIZE")
        / 2**20
    )


def children() -> list[int]:
    """The server and the worker, which we started."""
    return [
        int(pid)
        for pid in Path(f"/proc/self/task/{os.getpid()}/children").read_text().split()
        if any(word in Path(f"/proc/{pid}/cmdline").read_bytes() for word in (b"server", b"work"))
    ]


def bring(lead, base: str, level, data: bytes) -> None:
    """Bring heights into the level, keep them, and take that back."""
    edge, token = uuid.uuid4().hex, next(c.value for c in lead.jar if c.name == "csrftoken")
    fields = (("kind", "heights"), ("level", level.slug), ("options", "{}"))
    parts = [
        f'--{edge}\r\nContent-Disposition: form-data; name="{n}"\r\n\r\n{v}\r\n'.encode() for n, v in fields
    ]
    head = f'--{edge}\r\nContent-Disposition: form-data; name="files"; filename="hills.tif"\r\n\r\n'.encode()
    request = urllib.request.Request(
        f"{base}/api/drafts",
        b"".join([*parts, head, data, f"\r\n--{edge}--\r\n".encode()]),
        {"Content-Type": f"multipart/form-data; boundary={edge}", "X-CSRFToken": token},
    )
    with lead.opener.open(request) as answer:
        path = f"/api/drafts/{json.loads(answer.read())['id']}"
    reply = wait(lead, path, ("ready", "failed"), lambda t: t["state"] == "failed" or t["forecast"])
    if reply["state"] == "failed":
        raise SystemExit(reply["trouble"])
    lead.post(f"{path}/keep", {"key": str(uuid.uuid4())})
    wait(lead, path, ("kept",), lambda t: True)
    lead.post(f"/api/levels/{level.slug}/undo", {})


def wait(client, path: str, states: tuple[str, ...], true) -> dict:
    for _ in range(6000):
        reply = json.loads(client.get(path))
        if reply["state"] in states and true(reply):
            return reply
        time.sleep(0.05)
    raise SystemExit(f"{path} did not end")


def main() -> int:
    os.environ.setdefault("KT_MEMORY_MB", "1024")
    from bench._server import served_demo

    with served_demo() as (base, level):
        from bench.load import painter, signed_in
        from server.levels.ground import heights_of
        from thicket.formats.handover import heights_tif
        from thicket.ground.heights import Ground

        lead, pids, seen = signed_in(base, "lead"), children(), []
        heights = heights_of(level).ground.heights
        birch = level.stands.get(slug="birch")
        paint = painter(lead, level, birch)
        stands = [s for s in json.loads(lead.get(f"/api/levels/{level.slug}/stands")) if not s["sward"]]
        steps = short(200, 8)
        for k in range(steps):
            for _ in range(round((k + 1) * STROKES / steps) - round(k * STROKES / steps)):
                paint()
            for n in range(round(k * SHEETS / steps), round((k + 1) * SHEETS / steps)):
                stand = json.loads(
                    lead.get(f"/api/levels/{level.slug}/stands/{stands[n % len(stands)]['id']}")
                )
                at = n % len(stand["sheets"]["keys"])
                column, row = at % stand["sheets"]["columns"], at // stand["sheets"]["columns"]
                lead.get(
                    f"/api/levels/{level.slug}/stands/{stand['id']}/plants/{column}/{row}/{stand['sheets']['keys'][at]}"
                )
            for _ in range(round((k + 1) * HANDOVERS / steps) - round(k * HANDOVERS / steps)):
                job = lead.post(f"/api/levels/{level.slug}/handovers", {"name": "Plants", "recipe": {}})[1]
                wait(lead, f"/api/levels/{level.slug}/handover-jobs/{job['id']}", ("done",), lambda t: True)
            for n in range(round(k * IMPORTS / steps), round((k + 1) * IMPORTS / steps)):
                bring(lead, base, level, heights_tif(Ground(heights + n + 1, level.cell)))
            seen.append((resident(pids[:1]), resident(pids)))
        quarter = len(seen) // 4
        third, last = (
            [statistics.fmean(s[k] for s in part) for k in (0, 1)]
            for part in (seen[2 * quarter : 3 * quarter], seen[3 * quarter :])
        )
    print(
        f"memory: {STROKES:,} strokes, {SHEETS} sheets, {HANDOVERS} handover files, {IMPORTS} "
        f"imports taken back; "
        f"budget {os.environ['KT_MEMORY_MB']} MB a process"
    )
    print(
        f"  server {last[0]:.0f} MB at the end, at most {max(s[0] for s in seen):.0f} MB; with "
        f"the worker {last[1]:.0f} MB, "
        f"at most {max(s[1] for s in seen):.0f} MB"
    )
    print(f"  last quarter over the third {last[1] / third[1]:.3f} (at most 1.05)")
    return 0 if last[1] <= 1.05 * third[1] else 1


if __name__ == "__main__":
    sys.exit(main())
