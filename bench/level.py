"""Level: planting all of a level with ten stands (two swards) on 1, 4 and 16 km²: how time grows with area,
the peak memory of 16 km², and two threads against one. Each is planted in a process of its own."""

from __future__ import annotations

import json
import math
import resource
import subprocess
import sys
import time

SIDES = (1000, 2000, 4000)
MOST_BYTES, GROWTH, GAIN = 3 << 29, 1.05, 1.7


def plant(side: int, threads: int) -> dict:
    """Plant a level of `side` m; seconds, plants, and peak bytes."""
    import thicket
    from bench._scenes import level
    from server.warm import warm
    from thicket.planted.whole import plant_whole

    warm()
    for _ in plant_whole(thicket.plant(level(300), threads), threads):
        pass
    made = thicket.plant(level(side), threads)
    began = time.perf_counter()
    count = 0
    for planting, sheet in plant_whole(made, threads):
        count += len(planting.plants(sheet))
    singles = time.perf_counter() - began
    tufts = sum(planting.count() for planting in made.plantings() if planting.stand.sward)
    spent = time.perf_counter() - began
    return {
        "seconds": spent,
        "singles": singles,
        "plants": count,
        "tufts": tufts,
        "peak": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024,
    }


def run(side: int, threads: int) -> dict:
    done = subprocess.run(
        [sys.executable, "-m", "bench.level", str(side), str(threads)], capture_output=True, text=True
    )
    if done.returncode:
        raise SystemExit(done.stderr)
    return json.loads(done.stdout.splitlines()[-1])


def main() -> int:
    told = {side: run(side, 1) for side in SIDES}
    two = run(SIDES[-1], 2)
    for side, one in told.items():
        print(
            f"level: {side * side / 1e6:g} km², one thread: {one['seconds']:.1f} s, "
            f"{one['plants']:,} plants, "
            f"{one['tufts']:,} tufts reckoned, peak {one['peak'] / 2**30:.2f} GiB"
        )
    growth = max(
        math.log(told[b]["seconds"] / told[a]["seconds"]) / math.log((b / a) ** 2)
        for a, b in zip(SIDES, SIDES[1:])
    )
    gain = told[SIDES[-1]]["seconds"] / two["seconds"]
    peak = max(told[SIDES[-1]]["peak"], two["peak"])
    print(
        f"  time grows as area^{growth:.3f} (at most {GROWTH}), 16 km² peak {peak / 2**30:.2f} "
        f"GiB (under 1.5), "
        f"two threads {gain:.2f} times one (at least {GAIN}): {two['seconds']:.1f} s"
    )
    return 0 if growth <= GROWTH and peak < MOST_BYTES and gain >= GAIN else 1


if __name__ == "__main__":
    if len(sys.argv) > 2:
        print(json.dumps(plant(int(sys.argv[1]), int(sys.argv[2]))))
        raise SystemExit(0)
    raise SystemExit(main())
