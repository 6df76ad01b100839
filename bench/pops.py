"""Pops: a walk of 1 km over the demo, all stands with their swards. Finding every crossing, against stepping
the walk at 60 frames a second and comparing every plant's state with NumPy (of a stretch of it, which also
must find the same); the whole answer with remedies, against one cold planting of the level; the memory that
a check takes on 16 km²; and the truth of the strengths: how the pictures of the stage change at crossings
drawn by chance."""

from __future__ import annotations

import subprocess
import sys
import threading
import time
from dataclasses import replace

import numpy as np
from playwright.sync_api import Page
from scipy.stats import spearmanr

import thicket
from bench._scenes import level as scene
from bench._server import chromium, served_demo, stage_page
from bench._short import SHORT, short
from demo.shelf import starter
from thicket.cache import resident
from thicket.document.atmosphere import Atmosphere
from thicket.document.level import Level
from thicket.document.walks import Walk
from thicket.planted.costs import drawn, items_in, patch_of
from thicket.planted.level import PlantedLevel
from thicket.planted.pops import Walker, colours_of, edges_of, other_billboards, unlikenesses
from thicket.planted.remedies import check
from thicket.planted.whole import plant_whole
from thicket.planting.stands import join
from thicket.sight.drawing import PLAIN
from thicket.sight.pops import crossings
from thicket.warm import warm

FASTER, TIMES, TRUE, MEMORY = 100, 3, 0.85, 500
CROSSINGS, LEAST, LINES = short(60, 1), 2.0, short(1080, 270)
"""Crossings whose pictures are taken, of at least so many pixels; and how many lines the pictures have."""
POINTS = ((150, 380), (132, 427), (129, 492), (146, 555), (181, 612), (232, 660), (297, 694), (400, 700))
REST = ((452, 612), (520, 640), (610, 668), (730, 712), (800, 640), (780, 520), (700, 470))
SPEED, FRAME = 4.0, 1 / 60
STRETCH = (60.0, short(63.0, 60.1))
"""Seconds of the walk that are stepped."""


def stepped(form: np.ndarray, limits: np.ndarray, route) -> tuple[list, int]:
    """Crossings as (plant, edge, away) that stepping finds on the stretch, and how many frames it took."""
    times = np.arange(*STRETCH, FRAME)
    eye = np.column_stack([np.interp(times, route.time, route.eye[:, k]) for k in range(3)])
    near, out = None, []
    for at in eye:
        far = np.sqrt(((form[:, :3] - at) ** 2).sum(axis=1))[:, None]
        now = far < limits
        if near is not None:
            changed = now != near
            if changed.any():
                out += [(int(k), int(e), not now[k, e]) for k, e in np.argwhere(changed)]
        near = now
    return out, len(times)


def fewer(document: Level) -> Level:
    """The level with two of its stands, of one item each."""
    stands = {n: s for n, s in document.stands.items() if s.slug in ("moor-grass", "slate-blocks")}
    used = {entry.item for stand in stands.values() for entry in stand.settings.mix}
    return replace(document, stands=stands, stock={slug: document.stock[slug] for slug in used})


def walker_of(planted: PlantedLevel, whole: bool = not SHORT) -> Walker:
    """The walk of this bench over the planted demo, whole or its beginning, without other billboards."""
    route = Walk(points=[*POINTS, *(REST if whole else ())], speed=SPEED).route(planted.ground)
    document = planted.level
    unlike = unlikenesses(planted.cache, document.stock)
    view = document.details["view"]
    air, colours = Atmosphere.model_validate(view["atmosphere"]), colours_of(view["layers"])
    stock, others = items_in(document), (other_billboards(planted.cache, document.stock) if whole else {})
    return Walker(planted, stock, route, PLAIN, air.fog.core(), air.sun.toward, unlike, colours, others)


def crossings_by_chance(walker: Walker, count: int, seed: int) -> list[dict]:
    """Crossings of the walk, the same number of every stand where it has them, as the stage's page takes
    them, each with its strength in pixels if nothing fades."""
    rng, found = np.random.default_rng(seed), []
    plantings = walker.level.plantings()
    for planting in plantings:
        sudden = replace(planting.settings.distances.core(), fade=0.0)
        pops = walker.pops_of(planting, sudden)
        strong = np.flatnonzero(pops.strength >= LEAST)
        for k in rng.permutation(strong)[: 3 * count // len(plantings)]:
            x, _, z = (float(v) for v in pops.place[k])
            near = join([planting.plants(sheet) for sheet in planting.sheets_in((x, z, x, z))]).form
            form = near[np.abs(near[:, :3] - pops.place[k]).sum(axis=1).argmin()]
            eye = walker.route.at(pops.time[k])
            found.append(
                {
                    "stand": planting.stand.slug,
                    "item": int(pops.item[k]),
                    "form": [float(v) for v in form],
                    "before": int(pops.before[k]),
                    "after": int(pops.after[k]),
                    "shadow": bool(pops.shadow[k]),
                    "x": eye.x,
                    "y": eye.y,
                    "z": eye.z,
                    "heading": eye.heading,
                    "strength": float(pops.strength[k]),
                }
            )
    return [found[k] for k in rng.permutation(len(found))[:count]]


def pictured(page: Page, crossings: list[dict], lines: int) -> np.ndarray:
    """By how many pixels the stage's pictures, of so many lines, change at crossings."""
    return np.array([page.evaluate("([c, n]) => bench.changed([c], n)[0]", [c, lines]) for c in crossings])


def truth(base: str, walker: Walker) -> bool:
    """Strengths against the stage's pictures, by rank."""
    crossings = crossings_by_chance(walker, CROSSINGS, 1)
    with chromium() as browser:
        changed = pictured(stage_page(browser, base), crossings, LINES)
    found = np.array([c["strength"] for c in crossings])
    rank = float(spearmanr(found, changed).statistic)
    print(
        f"  strengths of {len(crossings)} crossings by chance against the pixels that change on the stage: "
        f"Spearman {rank:.3f} (at least {TRUE})"
    )
    return rank >= TRUE


def found_alike(walker: Walker) -> bool:
    """Every crossing of the walk, against stepping."""
    level, stock, route = walker.level, walker.stock, walker.route
    ours, theirs, frames, found, same, events = 0.0, 0.0, 0, 0, True, 0
    for planting in level.plantings():
        items, distances = drawn(planting, stock, replace(route.at(0.0), drawing=PLAIN))
        whole = [stock[slug] for slug in planting.items]
        radii = edges_of(items, whole, distances).radii
        patches = [patch_of(planting, [s], items, PLAIN) for s, _ in walker.sheets(planting, radii.max())]
        if not patches:
            continue
        crossings(patches[0].plants, radii, False, route)
        began = time.perf_counter()
        each_patch = [crossings(patch.plants, radii, distances.by_size, route) for patch in patches]
        ours += time.perf_counter() - began
        events += sum(len(each.time) for each in each_patch)
        plants = join([patch.plants for patch in patches])
        first = np.cumsum([0, *(len(patch.plants) for patch in patches)])
        limits = radii[plants.item]
        began = time.perf_counter()
        by_steps, count = stepped(plants.form, limits, route)
        theirs += (time.perf_counter() - began) * route.seconds / (count * FRAME)
        frames = count
        last = STRETCH[0] + (count - 1) * FRAME
        exact = [
            (int(first[n] + k), int(e), bool(away))
            for n, each in enumerate(each_patch)
            for k, e, away, at in zip(each.plant, each.edge, each.away, each.time)
            if STRETCH[0] < at <= last
        ]
        same &= sorted(exact) == sorted(by_steps)
        found += len(exact)
    faster = theirs / ours
    print(
        f"pops: {route.seconds * SPEED:.0f} m, {events:,} crossings in {ours:.2f} s; stepping at 60 frames a "
        f"second would take {theirs:.0f} s (from {frames} frames): {faster:.0f} times as fast (at least "
        f"{FASTER})"
    )
    print(f"  on those frames {found:,} crossings, {'the same' if same else 'NOT the same'} both ways")
    return faster >= FASTER and same


def whole_answer(walker: Walker, cold: float) -> bool:
    """The check with its remedies, against a cold planting that took so many s."""
    began = time.perf_counter()
    answer = check(walker)
    spent = time.perf_counter() - began
    print(
        f"  the whole answer, {len(answer.remedies)} remedies, {spent:.1f} s; one cold planting "
        f"{cold:.1f} s: {spent / cold:.2f} times (at most {TIMES})"
    )
    return spent <= TIMES * cold


SIDE = short(4000, 180)
"""m of the level whose check is measured for its memory; and the meshes that its items are drawn as."""
MESHES = {
    "stone": "slate-block",
    "oak": "birch",
    "thorn": "hawthorn",
    "bush": "gorse",
    "fern": "bracken",
    "blade": "moor-grass",
}
if SHORT:
    MESHES = dict.fromkeys(MESHES, "moor-grass")


def memory_of_a_check() -> float:
    """MB that a check takes at the most, above a planted level of 16 km²; in a process of its own."""
    document = scene(SIDE)
    meshes = {mesh: starter(mesh).glb for mesh in set(MESHES.values())}
    stock = {slug: replace(item, glb=meshes[MESHES[slug]]) for slug, item in document.stock.items()}
    planted = thicket.plant(replace(document, stock=stock), 2)
    for _ in plant_whole(planted, 2):
        pass
    planted.counts()
    half = SIDE / 2
    corners = [(-300, -200), (0, 0), (250, 150), (300, 450)]
    route = Walk(points=[(half + x, half + z) for x, z in corners], speed=SPEED).route(planted.ground)
    unlike = unlikenesses(planted.cache, planted.level.stock)
    walker = Walker(planted, items_in(planted.level), route, unlike=unlike)
    before, most, done = resident(), 0, threading.Event()

    def look() -> None:
        nonlocal most
        while not done.wait(0.02):
            most = max(most, resident())

    watch = threading.Thread(target=look)
    watch.start()
    check(walker)
    done.set()
    watch.join()
    return (most - before) / 1e6


def within_memory() -> bool:
    if SHORT:
        found = memory_of_a_check()
    else:
        own = [sys.executable, "-m", "bench.pops", "memory"]
        found = float(subprocess.run(own, stdout=subprocess.PIPE, check=True).stdout)
    print(f"  a check on 16 km² takes {found:.0f} MB above the planted level (at most {MEMORY})")
    return found <= MEMORY


def main() -> int:
    warm()
    if sys.argv[1:] == ["memory"]:
        print(memory_of_a_check())
        return 0
    fits = within_memory()
    with served_demo() as (base, level):
        from server.catalogue.whole import document_of

        document = document_of(level)
        if SHORT:
            document = fewer(document)
        began = time.perf_counter()
        planted = thicket.plant(document, 1)
        for _ in plant_whole(planted, 1):
            pass
        planted.counts()
        cold = time.perf_counter() - began
        walker = walker_of(planted)
        met = [fits, found_alike(walker), whole_answer(walker, cold), truth(base, walker)]
    return 0 if all(met) else 1


if __name__ == "__main__":
    raise SystemExit(main())
