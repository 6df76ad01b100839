"""Plants as tables: CSV and Parquet with the same columns."""

from __future__ import annotations

import io
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from thicket.formats.handover import Planted
from thicket.formats.recipe import Recipe

NUMBERS = ("x", "y", "z", "qx", "qy", "qz", "qw", "sx", "sy", "sz", "tint")
HEADER = f"id,stand,item,{','.join(NUMBERS)},pinned,surface\n"
FORMULA = ("=", "+", "-", "@", "\t", "\r")
"""A spreadsheet takes what begins so for a formula."""


@dataclass(frozen=True, eq=False)
class PlantTable:
    """Plants sorted by id, of one length n.

    id uint64; stand, item and surface, str (n,); form float64 (n, 11) as `Recipe.form` gives it; pinned bool,
    whether set by hand; at float64 (n, 2), their x and z in the level, m.
    """

    id: np.ndarray
    stand: np.ndarray
    item: np.ndarray
    form: np.ndarray
    pinned: np.ndarray
    surface: np.ndarray
    at: np.ndarray

    def __len__(self) -> int:
        return len(self.id)

    def take(self, which: np.ndarray) -> PlantTable:
        """The plants of a boolean mask or an index array."""
        return PlantTable(*(getattr(self, name)[which] for name in self.__dataclass_fields__))

    def cells(self, cell: float, width: float, length: float) -> dict[tuple[int, int], PlantTable]:
        """The plants by the square of so many m that they stand in: its column from the west and its row from
        the north. Squares without plants are left out."""
        most = np.maximum(np.ceil(np.array([width, length]) / cell), 1) - 1
        squares = np.clip(np.floor(self.at / cell), 0, most).astype(int)
        found, square = np.unique(squares, axis=0, return_inverse=True)
        order, ends = np.argsort(square, kind="stable"), np.cumsum(np.bincount(square))
        parts = np.split(order, ends[:-1])
        return {(column, row): self.take(part) for (column, row), part in zip(found.tolist(), parts)}


def table_of(stands: Iterable[Planted], recipe: Recipe, width: float, length: float) -> PlantTable:
    """The plants of some stands as a recipe has them, in a level of so many m."""
    parts = []
    for stand in stands:
        plants = stand.plants
        surface = [stand.surfaces.get(plant, "") for plant in plants.id.tolist()]
        parts.append(
            PlantTable(
                plants.id,
                np.full(len(plants), stand.stand, object),
                np.array(stand.items, object)[plants.item],
                recipe.form(plants, width, length),
                np.isin(plants.id, stand.pins),
                np.array(surface, object),
                plants.form[:, [0, 2]].astype(float),
            )
        )
    if not parts:
        none = np.empty(0, object)
        return PlantTable(
            np.empty(0, np.uint64), none, none, np.empty((0, 11)), np.empty(0, bool), none, np.empty((0, 2))
        )
    whole = PlantTable(
        *(np.concatenate([getattr(part, name) for part in parts]) for name in PlantTable.__dataclass_fields__)
    )
    return whole.take(np.argsort(whole.id, kind="stable"))


def quoted(name: str) -> str:
    """A name as a field of a CSV file, which no spreadsheet takes for a formula."""
    name = f"'{name}" if name.startswith(FORMULA) else name
    return '"' + name.replace('"', '""') + '"' if any(c in name for c in ',"\n\r') else name


def plants_csv(table: PlantTable) -> str:
    """Plants as CSV, sorted by id: place in the recipe's unit, unit quaternion in glTF's convention,
    multiples of the mesh; and the name of the placed mesh that each stands on, empty for the terrain."""
    rows = [HEADER]
    columns = zip(
        *(getattr(table, name).tolist() for name in ("id", "stand", "item", "form", "pinned", "surface"))
    )
    for plant, stand, item, f, pinned, surface in columns:
        rows.append(
            f"{plant},{stand},{item},{f[0]:.4f},{f[1]:.4f},{f[2]:.4f},"
            f"{f[3]:.6f},{f[4]:.6f},{f[5]:.6f},{f[6]:.6f},{f[7]:.5f},{f[8]:.5f},{f[9]:.5f},"
            f"{f[10]:.4f},{int(pinned)},{quoted(surface)}\n"
        )
    return "".join(rows)


def plants_parquet(table: PlantTable) -> bytes:
    """Plants as Parquet, sorted by id: the columns of the CSV, numbers as float32 but for places, which are
    float64; names as dictionaries."""
    # Not at the top: it takes a third of a second, and few processes write Parquet.
    import pyarrow as pa
    from pyarrow import parquet

    names = {
        name: pa.array(getattr(table, name).tolist(), pa.string()) for name in ("stand", "item", "surface")
    }
    numbers = {
        name: pa.array(table.form[:, k], pa.float64() if name in "xyz" else pa.float32())
        for k, name in enumerate(NUMBERS)
    }
    columns = {
        "id": pa.array(table.id),
        "stand": names["stand"].dictionary_encode(),
        "item": names["item"].dictionary_encode(),
        **numbers,
        "pinned": pa.array(table.pinned),
        "surface": names["surface"].dictionary_encode(),
    }
    out = io.BytesIO()
    parquet.write_table(pa.table(columns), out, compression="zstd")
    return out.getvalue()
