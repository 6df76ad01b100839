"""Hand: masks made from six conditions against working out their suitability alone, and rivers and basins
against filling the ground's depressions, over 2,048²; a 32 m stroke on the ground with five stands under it
against the same on the density of the first of them, both with all that comes and goes counted; and a fall of
500 blocks."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

from bench._short import short

SIDE, ROUNDS = short((2048, 5), (128, 1))
STROKES, WIDE = short((9, 1000), (1, 300))
BLOCKS = short(500, 10)
CONDITIONS = [
    {"kind": "altitude", "lo": 60, "hi": 160, "soft_lo": 6, "soft_hi": 14},
    {"kind": "slope", "lo": 0, "hi": 28, "soft_hi": 9},
    {"kind": "facing", "lo": 0, "hi": 70, "soft_hi": 30, "centre": 200},
    {"kind": "hollow", "lo": -9, "hi": 0.5, "soft_hi": 1.5, "join": "or"},
    {"kind": "wetness", "lo": 5, "hi": 30, "soft_lo": 1.5},
    {"kind": "noise", "lo": 0.5, "hi": 1, "soft_lo": 0.2, "join": "except"},
]


def seconds(work: Callable[[], object]) -> float:
    """The median time that work takes."""
    spent = []
    for _ in range(ROUNDS):
        began = time.perf_counter()
        work()
        spent.append(time.perf_counter() - began)
    return statistics.median(spent)


def strokes() -> tuple[float, float]:
    """Seconds that a stroke on the ground takes, and one on density, as medians; turn by turn."""
    from dataclasses import replace

    import thicket
    from bench._scenes import level
    from thicket.planted.brushing import Brush
    from thicket.planted.touching_up import GroundBrush
    from thicket.planting.strokes import Stroke

    document = level(WIDE)
    five = {n: stand for n, stand in document.stands.items() if n <= 5}
    now, spent = thicket.plant(replace(document, stands=five)), ([], [])
    now.counts()
    for k in range(STROKES + 1):
        x = 100 + (WIDE - 200) * k / (STROKES + 1)
        for times, verb in zip(spent, ("raise", "thicken")):
            stroke = Stroke(verb, [(x, WIDE / 2), (x + 20, WIDE / 2 + 8)], 32, 0.5, 0.6)
            began = time.perf_counter()
            edit = GroundBrush(stroke, 2.0).edit(now) if verb == "raise" else Brush(stroke).painting(now, [1])
            step = now.after(edit)
            assert step.counts
            times.append(time.perf_counter() - began)
            now = step.after
    ground, density = (statistics.median(times[1:]) for times in spent)
    return ground, density


def fall() -> tuple[float, bool]:
    """Seconds that a fall of blocks takes, and whether it comes out the same twice."""
    import thicket
    from bench._scenes import level
    from thicket.document.settings import MixEntry
    from thicket.planted.scattering import piled

    planted = thicket.plant(level(WIDE))
    outline = [(90, 90), (110, 90), (110, 110), (90, 110)]
    mix = [MixEntry(item="stone", weight=1, size=(0.6, 1.4))]
    piled(planted, 1, outline, 2, mix, "first")
    spent, found = [], []
    for _ in range(2):
        began = time.perf_counter()
        found.append(piled(planted, 1, outline, BLOCKS, mix, "bench"))
        spent.append(time.perf_counter() - began)
    return statistics.median(spent), found[0] == found[1]


def main() -> int:
    import thicket
    from bench._scenes import level
    from thicket.document.mask_sources import MaskSource
    from thicket.ground.wetness import basins, catchments, fill_depressions
    from thicket.planted.masks import made_mask
    from thicket.warm import warm

    warm()
    document = level(SIDE)
    source = MaskSource.model_validate({"made_from": "suitability", "conditions": CONDITIONS})
    conditions = [c.core() for c in source.conditions]
    heights = document.heights.ground.heights
    for work in (fill_depressions, catchments, basins):
        work(heights[:64, :64])
    alone = seconds(lambda: thicket.plant(document).rasters.suitability(conditions).array)
    made = seconds(lambda: made_mask(thicket.plant(document), source))
    filled = seconds(lambda: fill_depressions(heights))
    rivers, parted = seconds(lambda: catchments(heights)), seconds(lambda: basins(heights))
    print(f"hand: a mask of six conditions over {SIDE}² in {made:.2f} s, their suitability in {alone:.2f} s")
    print(f"  ratio {made / alone:.2f} (at most 1.5)")
    print(f"  depressions filled in {filled:.2f} s, rivers in {rivers:.2f} s, basins in {parted:.2f} s")
    print(f"  ratios {rivers / filled:.2f} and {parted / filled:.2f} (at most 1.5 each)")
    ground, density = strokes()
    print(f"  a stroke on the ground in {ground * 1e3:.0f} ms, on density in {density * 1e3:.0f} ms")
    print(f"  ratio {ground / density:.2f} (at most 3)")
    fell, same = fall()
    print(
        f"  {BLOCKS} blocks fallen in {fell:.2f} s (at most 2), {'the same' if same else 'another way'} twice"
    )
    met = (
        same
        and fell <= 2
        and max(made / alone, rivers / filled, parted / filled) <= 1.5
        and ground / density <= 3
    )
    return 0 if met else 1


if __name__ == "__main__":
    raise SystemExit(main())
