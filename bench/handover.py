"""Handover: tables of a million plants against pyarrow writing the same columns, and only what a stroke of
32 m changed against the whole of a level of 1 km²."""

from __future__ import annotations

import io
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pyarrow as pa
from pyarrow import csv, parquet

from bench._scenes import level
from bench._short import short
from thicket.cache import Cache
from thicket.formats.plant_tables import NUMBERS, PlantTable, plants_csv, plants_parquet
from thicket.formats.recipe import Recipe
from thicket.planted.brushing import Brush
from thicket.planted.level import PlantedLevel
from thicket.planting.strokes import Stroke

PLANTS, SIDE, ROUNDS = short(1_000_000, 3000), short(1000.0, 200.0), short(3, 1)
CSV, PARQUET, TIME, BYTES = 1.5, 1.5, 0.02, 0.05


def main() -> int:
    return max(tables(), changes())


def best(work: Callable[[], object]) -> float:
    """The shortest time of some rounds, in s."""
    took = []
    for _ in range(ROUNDS):
        began = time.perf_counter()
        work()
        took.append(time.perf_counter() - began)
    return min(took)


def drawn(n: int) -> PlantTable:
    """Plants by chance."""
    rng = np.random.default_rng(1)
    name = np.array(["birch", "rowan", "slate-block"], object)[rng.integers(0, 3, n)]
    form, none = rng.normal(scale=300, size=(n, 11)), np.full(n, "", object)
    ids = np.sort(rng.integers(0, 2**63, n, np.uint64))
    return PlantTable(ids, name, name, form, rng.random(n) < 0.01, none, form[:, :2])


def theirs(table: PlantTable) -> pa.Table:
    """The same columns for pyarrow."""
    columns = {"id": table.id, "stand": table.stand.tolist(), "item": table.item.tolist()}
    columns |= {name: table.form[:, k] for k, name in enumerate(NUMBERS)}
    return pa.table(columns | {"pinned": table.pinned, "surface": table.surface.tolist()})


def tables() -> int:
    table = drawn(PLANTS)
    arrow = theirs(table)
    ratios = []
    for name, ours, reference, most in (
        ("CSV", lambda: plants_csv(table).encode(), lambda: csv.write_csv(arrow, io.BytesIO()), CSV),
        (
            "Parquet",
            lambda: plants_parquet(table),
            lambda: parquet.write_table(arrow, io.BytesIO(), compression="zstd"),
            PARQUET,
        ),
    ):
        mine, other = best(ours), best(reference)
        ratios.append(mine / other <= most)
        print(
            f"handover: {name} of {PLANTS:,} plants {mine:.2f} s, pyarrow {other:.2f} s, "
            f"ratio {mine / other:.1f} (at most {most})"
        )
    return 0 if all(ratios) else 1


def changes() -> int:
    recipe = Recipe(formats=("parquet", "maps"), cell=64)
    planted = PlantedLevel(level(SIDE), Cache())
    stand = planted.level.singles[0]
    with tempfile.TemporaryDirectory() as folder:
        first, later = Path(folder) / "first", Path(folder) / "later"
        planted.export(first, recipe)
        began = time.perf_counter()
        planted.export(first, recipe)
        whole = time.perf_counter() - began
        stroke = Stroke("thin", [(SIDE / 2, SIDE / 2)], 16.0, 0.5, 0.6)
        after = planted.after(Brush(stroke).painting(planted, [stand.number])).after
        began = time.perf_counter()
        manifest = after.export(later, recipe, first)
        took = time.perf_counter() - began
        total = sum(entry.bytes for entry in manifest.files.values())
        written = sum(manifest.files[name].bytes for name in manifest.written)
    print(
        f"  handover since one of 32 m before: {took / whole:.1%} of the whole's {whole:.1f} s "
        f"(at most {TIME:.0%}), {written / total:.1%} of its bytes (at most {BYTES:.0%})"
    )
    return 0 if took / whole <= TIME and written / total <= BYTES else 1


if __name__ == "__main__":
    raise SystemExit(main())
