"""Edit: planting after a 32 m stroke on a ten-stand level of 1 km² against planting all of it, both on one
thread, and which sheets the stroke reaches."""

from __future__ import annotations

import statistics
import time

from bench._short import short

STROKES = short(12, 2)


def main() -> int:
    import thicket
    from bench._scenes import level
    from thicket.planted.brushing import Brush
    from thicket.planted.whole import plant_whole
    from thicket.planting.strokes import Stroke
    from thicket.warm import warm

    warm()
    for _ in plant_whole(thicket.plant(level(300)), 1):
        pass
    now = thicket.plant(level(short(1000, 400)))
    began = time.perf_counter()
    for _ in plant_whole(now, 1):
        pass
    whole = time.perf_counter() - began
    runs, reached, untouched = [], [], 0
    x, z = short((300, 420), (100, 220))
    for k in range(STROKES + 2):
        stand = list(now.stands.values())[2]
        stroke = Stroke(
            "thin" if k % 2 else "thicken", [(x + 31 * k, z), (x + 20 + 31 * k, z + 8)], 32, 0.5, 0.6
        )
        old = {
            p.stand.number: {s: p.key(s) for s in p.sheets_in(p.everywhere)}
            for p in now.plantings()
            if not p.stand.sward
        }
        brush = Brush(stroke)
        edit = brush.painting(now, [stand.number])
        began = time.perf_counter()
        after = now.after(edit).after
        changed = 0
        for planting in after.plantings():
            x0, z0, x1, z1 = stroke.box
            for sheet in planting.sheets_in((x0 - 10, z0 - 10, x1 + 10, z1 + 10)):
                if not planting.stand.sward and planting.key(sheet) != old[planting.stand.number][sheet]:
                    planting.plants(sheet)
                    changed += 1
        runs.append(time.perf_counter() - began)
        reached.append(changed)
        for planting in after.plantings():
            if planting.stand.order < stand.order:
                untouched += sum(planting.key(s) != key for s, key in old[planting.stand.number].items())
        now = after
    spent = statistics.median(runs[2:])
    print(
        f"edit: all planted in {whole:.2f} s, after a 32 m stroke in {spent * 1e3:.1f} ms (median "
        f"of {STROKES}; "
        f"{statistics.mean(reached):.1f} sheets of the stand and those below it changed, "
        f"{untouched} of those above it)"
    )
    print(f"  ratio {whole / spent:.0f} (at least 100)")
    return 0 if whole / spent >= 100 and not untouched else 1


if __name__ == "__main__":
    raise SystemExit(main())
