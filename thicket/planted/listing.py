"""Single plants as a list: what each is, how far from an eye it stands and what it costs there, sorted and
grouped."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely

from thicket.ground.shapes import distances_at
from thicket.planted.costs import drawn
from thicket.planted.level import PlantedLevel
from thicket.planting.stands import Plants, join
from thicket.refused import Refused
from thicket.sight.cost import Item, lay_out, mesh_table, state_table
from thicket.sight.distances import Distances
from thicket.sight.views import View, box_visible

Column = Literal["stand", "item", "height", "size", "far", "triangles", "by hand"]
GroupedBy = Literal["", "stand", "item", "cell", "area"]


@dataclass(frozen=True)
class Wanted:
    """Which plants are listed: of stands, by number; inside an outline of x, z in m; of one item; set by hand
    alone; drawn in the view alone; from one height in m to another; of one group. How they are sorted and
    grouped: by stand, item, drawing cell ("x z", the corner in m), or area ("number", empty for outside of
    any)."""

    stands: tuple[int, ...]
    outline: tuple[tuple[float, float], ...] = ()
    item: str = ""
    by_hand: bool = False
    in_sight: bool = False
    height: tuple[float, float] | None = None
    sort: Column = "far"
    descending: bool = False
    grouped: GroupedBy = ""
    group: str | None = None


@dataclass(frozen=True)
class Listed:
    """Plants in their order: stand, int64, and item, a slug, of each; its id, uint64; form as of
    `thicket.planting.stands.Plants`; by_hand, bool; height in m, distance from the eye in m, and triangles
    that it is drawn by, float64. groups: of each key, how many there are and their triangles."""

    groups: Mapping[str, tuple[int, int]]
    stand: np.ndarray
    item: np.ndarray
    id: np.ndarray
    form: np.ndarray
    by_hand: np.ndarray
    height: np.ndarray
    far: np.ndarray
    triangles: np.ndarray

    def __len__(self) -> int:
        return len(self.id)

    @property
    def nbytes(self) -> int:
        columns = (
            self.stand,
            self.item,
            self.id,
            self.form,
            self.by_hand,
            self.height,
            self.far,
            self.triangles,
        )
        return sum(column.nbytes for column in columns)


def listed(level: PlantedLevel, wanted: Wanted, view: View, stock: Mapping[str, Item]) -> Listed:
    """The single plants that are wanted. `view` must be settled; an item that is not in stock costs nothing.

    Raises: Refused when the outline is none.
    """
    parts = list(_parts(level, wanted, view, stock))
    columns = [np.concatenate(column) for column in zip(*parts)] if parts else _nothing()
    stand, item, ids, form, by_hand, height, far, triangles = columns
    keys = _group_keys(level, wanted.grouped, view.drawing.cell, stand, item, form)
    groups: dict[str, tuple[int, int]] = {}
    if keys is not None:
        names, which, counts = np.unique(keys, return_inverse=True, return_counts=True)
        sums = np.bincount(which, triangles, len(names))
        groups = {str(name): (int(n), int(t)) for name, n, t in zip(names, counts, sums)}
        if wanted.group is not None:
            columns = [column[keys == wanted.group] for column in columns]
    found = Listed(groups, *columns)
    by = {
        "stand": found.stand,
        "item": np.unique(found.item, return_inverse=True)[1] if len(found) else found.stand,
        "height": found.height,
        "size": found.form[:, 8],
        "far": found.far,
        "triangles": found.triangles,
        "by hand": found.by_hand,
    }[wanted.sort]
    order = np.lexsort((found.id, found.far, -by.astype(float) if wanted.descending else by))
    return Listed(groups, *(column[order] for column in columns))


def triangles_each(plants: Plants, items: Sequence[Item], distances: Distances, view: View) -> np.ndarray:
    """The triangles that each plant is drawn by in a view, int64 (n,), both states inside a cross-fade; by
    the rule of `thicket.sight.cost`, so that together they are a stand's."""
    layout = lay_out(plants, [item.bound for item in items], view.drawing.cell)
    seen = np.zeros(len(plants), bool)
    for start, end, box in zip(layout.first, layout.first[1:], layout.box):
        seen[layout.order[start:end]] = box_visible(view.planes, box)
    far = np.linalg.norm(plants.form[:, :3].astype(float) - view.eye, axis=1)
    seen &= far < view.clear
    scaled = far / plants.form[:, 8] if distances.by_size else far
    show, hide, *_ = state_table(items, distances)
    triangles, _, _ = mesh_table(items)
    drawn_as = (show[plants.item] <= scaled[:, None]) & (scaled[:, None] < hide[plants.item])
    return (drawn_as * triangles[plants.item]).sum(axis=1) * seen


def _parts(
    level: PlantedLevel, wanted: Wanted, view: View, stock: Mapping[str, Item]
) -> Iterable[tuple[np.ndarray, ...]]:
    """The columns of the plants of each stand."""
    shape = None
    if wanted.outline:
        shape = shapely.Polygon(wanted.outline).buffer(0)
        if shape.is_empty:
            raise Refused("outline: it encloses nothing; draw round what is to be listed")
        shapely.prepare(shape)
    for planting in map(level.planting, wanted.stands):
        if planting.stand.sward or planting.stand.off:
            continue
        box = planting.everywhere if shape is None else shape.bounds
        plants = join([planting.plants(sheet) for sheet in planting.sheets_in(box)])
        slugs = np.array(planting.items)[plants.item] if len(plants) else np.empty(0, str)
        tall = np.array([level.level.stock[slug].height for slug in planting.items])
        height = tall[plants.item] * plants.form[:, 8]
        far = np.linalg.norm(plants.form[:, :3].astype(float) - view.eye, axis=1)
        triangles = np.zeros(len(plants))
        if view.drawing.plants and all(slug in stock for slug in planting.items):
            triangles += triangles_each(plants, *drawn(planting, stock, view), view)
        by_hand = np.isin(plants.id, planting.pins.id)
        keep = np.ones(len(plants), bool)
        if wanted.item:
            keep &= slugs == wanted.item
        if wanted.by_hand:
            keep &= by_hand
        if wanted.in_sight:
            keep &= triangles > 0
        if wanted.height:
            keep &= (height >= wanted.height[0]) & (height <= wanted.height[1])
        if shape is not None:
            keep[keep] = shapely.contains_xy(shape, plants.form[keep, 0], plants.form[keep, 2])
        stand = np.full(len(plants), planting.stand.number, np.int64)
        columns = stand, slugs, plants.id, plants.form, by_hand, height, far, triangles
        yield tuple(column[keep] for column in columns)


def _nothing() -> list[np.ndarray]:
    none = np.empty(0)
    return [
        np.empty(0, np.int64),
        np.empty(0, str),
        np.empty(0, np.uint64),
        np.empty((0, 10), np.float32),
        np.empty(0, bool),
        none,
        none,
        none,
    ]


def _group_keys(
    level: PlantedLevel,
    grouped: GroupedBy,
    cell: float,
    stand: np.ndarray,
    item: np.ndarray,
    form: np.ndarray,
) -> np.ndarray | None:
    """The key of each plant's group; None where they are not grouped."""
    match grouped:
        case "stand":
            return stand.astype(str)
        case "item":
            return item
        case "cell":
            x, z = (np.char.mod("%g", np.floor(form[:, k] / cell) * cell) for k in (0, 2))
            return np.char.add(np.char.add(x, " "), z)
        case "area":
            out = np.full(len(stand), "", "<U20")
            for number, shape in sorted(level.shapes.items(), reverse=True):
                if shape.kind == "area" and len(out):
                    x, z = form[:, 0].astype(float), form[:, 2].astype(float)
                    out[distances_at([shape], x, z)[0] <= 0] = str(number)
            return out
        case _:
            return None
