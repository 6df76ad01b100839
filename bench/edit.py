"""Edit: planting after a 32 m stroke on a ten-stand level of 1 km² against planting all of it, both on one thread, and which
sheets the stroke reaches."""

from __future__ import annotations

import statistics
import time
from concurrent.futures import ThreadPoolExecutor

STROKES = 12


def main() -> int:
    import django

    django.setup()
    from bench._scenes import scene
    from server.levels import suiting
    from server.levels.scene import replace
    from server.stands.touch import TouchMap
    from server.stands.whole import plant_whole, plantings_of
    from server.warm import warm
    from thicket.planting.strokes import Stroke, stroke_delta

    suiting._pool = ThreadPoolExecutor(1)
    warm()
    for _ in plant_whole(scene(300), 1):
        pass
    now = scene(1000)
    began = time.perf_counter()
    for _ in plant_whole(now, 1):
        pass
    whole = time.perf_counter() - began
    runs, reached, untouched = [], [], 0
    for k in range(STROKES + 2):
        stand = list(now.stands.values())[2]
        stroke = Stroke("thin" if k % 2 else "thicken", [(300 + 31 * k, 420), (320 + 31 * k, 428)], 32, 0.5, 0.6)
        touch = now.touches[stand.pk].array.copy()
        touch += stroke_delta(stroke, touch, 1.0, 0, 0)
        after = replace(now, touches={**now.touches, stand.pk: TouchMap.of(touch, {(0, 0): k + 1})})
        after.__dict__.update({name: now.__dict__[name] for name in ("stands", "pins", "footprints", "anchors", "revisions", "site")
                               if name in now.__dict__})
        before = plantings_of(now)
        old = {p.stand.number: {s: p.key(s) for s in p.sheets_in(p.everywhere)} for p in before}
        began = time.perf_counter()
        after._plantings.update({p.stand.number: p for p in before if p.stand.order < stand.order})
        below = [p for p in before if p.stand.order >= stand.order]
        after.take_over(stand, [p.stand for p in below], below, stroke.box)
        changed = 0
        for planting in plantings_of(after):
            x0, z0, x1, z1 = stroke.box
            for sheet in planting.sheets_in((x0 - 10, z0 - 10, x1 + 10, z1 + 10)):
                if planting.key(sheet) != old[planting.stand.number][sheet]:
                    planting.plants(sheet)
                    changed += 1
        runs.append(time.perf_counter() - began)
        reached.append(changed)
        for planting in plantings_of(after):
            above = planting.stand.order < stand.order
            untouched += sum(planting.key(s) != key for s, key in old[planting.stand.number].items()) if above else 0
        now = after
    spent = statistics.median(runs[2:])
    print(f"edit: all planted in {whole:.2f} s, after a 32 m stroke in {spent * 1e3:.1f} ms (median of {STROKES}; "
          f"{statistics.mean(reached):.1f} sheets of the stand and those below it changed, {untouched} of those above it)")
    print(f"  ratio {whole / spent:.0f} (at least 100)")
    return 0 if whole / spent >= 100 and not untouched else 1


if __name__ == "__main__":
    raise SystemExit(main())
