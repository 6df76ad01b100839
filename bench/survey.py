"""Survey: the demo at 16 m and 8 headings, all stands, swards and ground, through each of its tiers, against
the cost model called for each view (of some, which also must give the same), and one cold planting."""

from __future__ import annotations

import time

import numpy as np

import thicket
from bench._server import served_demo
from bench._short import SHORT, short
from bench.pops import fewer
from thicket.document.drawing import seen_through
from thicket.planted.brushing import Brush
from thicket.planted.costs import items_in
from thicket.planted.survey import repaired, survey
from thicket.planted.whole import plant_whole
from thicket.planting.strokes import Stroke
from thicket.sight.cost import loads_of
from thicket.sight.views import View
from thicket.warm import warm

FASTER, TIMES, SHARE = 100, 3, 0.05
VIEWS = short(60, 3)
"""So many views are reckoned one by one."""
STEP = short(16.0, 64.0)


def main() -> int:
    warm()
    with served_demo() as (_, level):
        from server.catalogue.whole import document_of

        document = document_of(level)
    if SHORT:
        document = fewer(document)
    began = time.perf_counter()
    planted = thicket.plant(document)
    for _ in plant_whole(planted):
        pass
    planted.counts()
    cold = time.perf_counter() - began
    stock, shown, rng, met = items_in(document), document.details["view"], np.random.default_rng(1), True
    for tier in list(shown["tiers"])[: short(None, 1)]:
        drawing = seen_through(shown, tier)[0]
        survey(planted, stock, drawing, step=64)  # has the kernels ready
        began = time.perf_counter()
        found = survey(planted, stock, drawing, step=STEP)
        spent = time.perf_counter() - began
        same, began = True, time.perf_counter()
        for place in rng.permutation(len(found.eyes))[:VIEWS]:
            heading = int(rng.integers(len(found.headings)))
            eye, way = found.eyes[place], float(found.headings[heading])
            view = View(*eye, way, 0.0, 55.0, 16 / 9, drawing=drawing)
            costs = {0: planted.ground_cost(view)}
            each = planted.cost(view, stock)
            costs |= {n: each[stand.slug] for n, stand in document.stands.items()}
            same &= all(
                np.allclose(found.loads[n][place, heading], loads_of(cost), rtol=1e-6)
                for n, cost in costs.items()
            )
        views = found.whole().shape[0] * len(found.headings)
        faster = (time.perf_counter() - began) / VIEWS * views / spent
        print(
            f"survey, {tier}: {views:,} views in {spent:.1f} s, {faster:.0f} times as fast as view by view "
            f"(at least {FASTER}), {spent / cold:.2f} cold plantings of {cold:.1f} s (at most {TIMES}); "
            f"{VIEWS} of them {'the same' if same else 'NOT the same'}"
        )
        stand = next(s for s in document.in_order if s.stratum == "Field")
        stroke = Stroke("thin", [(480.0, 700.0)], 16.0, 0.3, 1.0)
        after = planted.after(Brush(stroke).painting(planted, [stand.number])).after
        after.counts()
        began = time.perf_counter()
        mended = repaired(found, planted, after, stock, drawing)
        share = (time.perf_counter() - began) / spent
        again = survey(after, stock, drawing, step=STEP)
        same &= all(np.allclose(mended.loads[n], again.loads[n], rtol=1e-5, atol=1e-2) for n in again.loads)
        print(f"    after a stroke of 32 m on {stand.name}: {share:.1%} of that time (at most {SHARE:.0%})")
        met &= share <= SHARE
        met &= same and faster >= FASTER and spent <= TIMES * cold
    return 0 if met else 1


if __name__ == "__main__":
    raise SystemExit(main())
