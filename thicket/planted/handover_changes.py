"""What two handovers of a level have otherwise: plants added, removed and changed, by stand and by cell."""

from __future__ import annotations

import re
from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from pydantic import BaseModel

from thicket.planted.handover import Manifest, read_manifest
from thicket.refused import Refused

if TYPE_CHECKING:
    import pyarrow as pa

_TABLE = re.compile(r"plants(?:_(\d+_\d+))?\.(parquet|csv)")


class Changes(BaseModel):
    """How many plants were added, removed and changed."""

    added: int = 0
    removed: int = 0
    changed: int = 0


class HandoverChanges(BaseModel):
    """What a handover has otherwise than an earlier one: by stand's slug, and by cell (`COLUMN_ROW`) where it
    has cells; those without any change are left out. A plant that went to another cell is changed there."""

    stands: dict[str, Changes]
    cells: dict[str, Changes]


def compare(earlier: Path, later: Path) -> HandoverChanges:
    """Compare two handovers of a level, whose plants are known by their ids.

    Raises: Refused when they are of two levels, in other axes, unit, origin or cells, or have no table of
    plants in one format.
    """
    before, after = read_manifest(earlier), read_manifest(later)
    if (before.level, before.seed) != (after.level, after.seed):
        raise Refused(f"they are of two levels, {before.name} and {after.name}")
    for name, value in after.recipe.alike.items():
        if (was := before.recipe.alike[name]) != value:
            raise Refused(f"{name}: one was made with {was}, the other with {value}")
    both = {"parquet", "csv"} & set(before.recipe.formats) & set(after.recipe.formats)
    if not both:
        raise Refused("formats: they have no table of plants, CSV or Parquet, in common")
    end = max(both)
    old, new = _tables(before, end), _tables(after, end)
    differ = [
        name for name in sorted(old.keys() | new.keys()) if before.files.get(name) != after.files.get(name)
    ]
    was = _read(earlier, {name: old[name] for name in differ if name in old})
    now = _read(later, {name: new[name] for name in differ if name in new})
    return _changes(was, now)


def _tables(manifest: Manifest, end: str) -> dict[str, str]:
    """The tables of plants in a format by their names, with the cell of each; "" for the only one."""
    found = {name: _TABLE.fullmatch(name) for name in manifest.files}
    return {name: match[1] or "" for name, match in found.items() if match and match[2] == end}


def _read(folder: Path, cells: dict[str, str]) -> tuple[pa.Table, np.ndarray]:
    """Some tables of plants as one, sorted by id, and the cell of each row."""
    import pyarrow as pa
    from pyarrow import csv, parquet

    types = csv.ConvertOptions(column_types={"id": pa.uint64(), "stand": pa.string(), "surface": pa.string()})
    parts = [
        parquet.read_table(folder / name)
        if name.endswith(".parquet")
        else csv.read_csv(folder / name, convert_options=types)
        for name in cells
    ]
    if not parts:
        return pa.table({"id": pa.array([], pa.uint64()), "stand": pa.array([], pa.string())}), np.empty(
            0, str
        )
    whole = pa.concat_tables([part.unify_dictionaries() for part in parts])
    order = np.argsort(whole["id"].to_numpy(), kind="stable")
    return whole.take(order), np.repeat(list(cells.values()), [len(part) for part in parts])[order]


def _changes(was: tuple[pa.Table, np.ndarray], now: tuple[pa.Table, np.ndarray]) -> HandoverChanges:
    (old, old_cells), (new, new_cells) = was, now
    old_id, new_id = old["id"].to_numpy(), new["id"].to_numpy()
    removed, added = ~np.isin(old_id, new_id), ~np.isin(new_id, old_id)
    before, after = old.filter(~removed), new.filter(~added)
    other = old_cells[~removed] != new_cells[~added]
    for name in after.column_names if len(after) else ():
        other |= before[name].to_numpy() != after[name].to_numpy()
    changed = np.flatnonzero(~added)[other]
    kinds = {
        "added": (new["stand"].to_numpy()[added], new_cells[added]),
        "removed": (old["stand"].to_numpy()[removed], old_cells[removed]),
        "changed": (new["stand"].to_numpy()[changed], new_cells[changed]),
    }
    return HandoverChanges(
        stands=_counted({kind: stands for kind, (stands, _) in kinds.items()}),
        cells=_counted({kind: cells[cells != ""] for kind, (_, cells) in kinds.items()}),
    )


def _counted(kinds: dict[str, np.ndarray]) -> dict[str, Changes]:
    """How many of each kind there are by a name that each has, str (n,)."""
    found: dict[str, dict[str, int]] = {}
    for kind, names in kinds.items():
        for name, count in Counter(names.tolist()).items():
            found.setdefault(name, {})[kind] = count
    return {name: Changes(**counts) for name, counts in sorted(found.items())}
