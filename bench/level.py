"""Level: planting all of a level with ten stands (two swards) on 1, 4 and 16 km²: how time grows with area,
the peak memory of 16 km², two threads against one, and two Dask worker processes against one. Each is planted
in a process of its own."""

from __future__ import annotations

import json
import math
import resource
import subprocess
import sys
import time

from bench._short import SHORT, short

SIDES = short((1000, 2000, 4000), (128, 256))
MOST_BYTES, GROWTH, GAIN, CLUSTER_GAIN = 3 << 29, 1.05, 1.7, 1.6


def plant(side: int, threads: int) -> dict:
    """Plant a level of `side` m; seconds, plants, and peak bytes."""
    import thicket
    from bench._scenes import level
    from thicket.planted.whole import plant_whole
    from thicket.warm import warm

    warm()
    for _ in plant_whole(thicket.plant(level(300), threads), threads):
        pass
    made = thicket.plant(level(side), threads)
    began = time.perf_counter()
    count = 0
    for planting, sheet in plant_whole(made, threads):
        count += len(planting.plants(sheet))
    singles = time.perf_counter() - began
    counts = made.counts()
    tufts = sum(counts[stand.slug] for stand in made.level.stands.values() if stand.sward)
    spent = time.perf_counter() - began
    return {
        "seconds": spent,
        "singles": singles,
        "plants": count,
        "tufts": tufts,
        "peak": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024,
    }


def plant_on_workers(side: int, workers: int) -> dict:
    """Plant a level's single plants on so many Dask worker processes of one thread each; seconds, plants."""
    from distributed import LocalCluster

    import thicket
    from bench._scenes import level
    from thicket.planted.cluster import plant_on

    with LocalCluster(n_workers=workers, threads_per_worker=1, dashboard_address=None) as cluster:
        for _ in plant_on(cluster.scheduler_address, thicket.plant(level(600))):
            pass  # every worker has the kernels ready
        made = thicket.plant(level(side))
        began, count = time.perf_counter(), 0
        for planting, sheet in plant_on(cluster.scheduler_address, made):
            count += planting.number_in(sheet)
        return {"seconds": time.perf_counter() - began, "plants": count}


def run(side: int, how: str, threads: int) -> dict:
    if SHORT:
        return plant(side, threads)
    done = subprocess.run(
        [sys.executable, "-m", "bench.level", str(side), how, str(threads)], capture_output=True, text=True
    )
    if done.returncode:
        raise SystemExit(done.stderr)
    return json.loads(done.stdout.splitlines()[-1])


def main() -> int:
    runs = {side: run(side, "threads", 1) for side in SIDES}
    two = run(SIDES[-1], "threads", 2)
    workers = [run(SIDES[-1], "workers", n) for n in (1, 2)]
    for side, one in runs.items():
        print(
            f"level: {side * side / 1e6:g} km², one thread: {one['seconds']:.1f} s, "
            f"{one['plants']:,} plants, "
            f"{one['tufts']:,} tufts reckoned, peak {one['peak'] / 2**30:.2f} GiB"
        )
    growth = max(
        math.log(runs[b]["seconds"] / runs[a]["seconds"]) / math.log((b / a) ** 2)
        for a, b in zip(SIDES, SIDES[1:])
    )
    gain = runs[SIDES[-1]]["seconds"] / two["seconds"]
    peak = max(runs[SIDES[-1]]["peak"], two["peak"])
    print(
        f"  time grows as area^{growth:.3f} (at most {GROWTH}), 16 km² peak {peak / 2**30:.2f} "
        f"GiB (under 1.5), "
        f"two threads {gain:.2f} times one (at least {GAIN}): {two['seconds']:.1f} s"
    )
    cluster_gain = workers[0]["seconds"] / workers[1]["seconds"]
    print(
        f"  Dask: one worker process {workers[0]['seconds']:.1f} s, two {workers[1]['seconds']:.1f} s: "
        f"{cluster_gain:.2f} times one (at least {CLUSTER_GAIN})"
    )
    met = growth <= GROWTH and peak < MOST_BYTES and gain >= GAIN and cluster_gain >= CLUSTER_GAIN
    met &= workers[0]["plants"] == workers[1]["plants"] == two["plants"]
    return 0 if met else 1


if __name__ == "__main__":
    if len(sys.argv) > 2:
        work = plant if sys.argv[2] == "threads" else plant_on_workers
        print(json.dumps(work(int(sys.argv[1]), int(sys.argv[3]))))
        raise SystemExit(0)
    raise SystemExit(main())
