"""What of a drawing cell is drawn from a view, as what, and why the rest is not."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np

from thicket.planted.costs import drawn
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting
from thicket.planted.sheets import Box, inside
from thicket.planting.stands import join
from thicket.sight.cost import Item, lay_out
from thicket.sight.distances import states
from thicket.sight.drawing import rank
from thicket.sight.pops import unhidden
from thicket.sight.views import View, box_visible

REASONS = ("", "off", "hidden", "share", "far", "outside", "fog")
"""Why plants are not drawn: nothing; no plants are; their stand is hidden; a sward's share leaves them out;
they are too far; their cell lies outside the view; the fog hides them."""


@dataclass(frozen=True)
class Instances:
    """Plants of one item of a stand, by number, that are in the same state: `state`, 0 for its finest drawn
    mesh, −1 for none; `reason`, one of `REASONS`; how many there are; of them, how many fade into another
    state, and how many the ground hides wholly; their triangles; how far from the eye the nearest is in m."""

    stand: int
    item: str
    state: int
    reason: str
    plants: int
    fading: int
    behind: int
    triangles: int
    nearest: float


@dataclass(frozen=True)
class CellInstances:
    """A drawing cell: its box x0, z0, x1, z1 in m, and what stands in it, by stand, item and state."""

    box: Box
    groups: tuple[Instances, ...]


def instances_at(
    level: PlantedLevel,
    stock: Mapping[str, Item],
    view: View,
    x: float,
    z: float,
    hidden: Collection[int] = (),
) -> CellInstances:
    """What the drawing cell around a place holds.

    Parameters: level; items by slug; view, settled; x, z in m; numbers of stands that are hidden.
    """
    side = view.drawing.cell
    x0, z0 = float(x // side * side), float(z // side * side)
    box = x0, z0, x0 + side, z0 + side
    groups = [_of(p, stock, view, box, p.stand.number in hidden) for p in level.plantings()]
    return CellInstances(box, tuple(group for each in groups for group in each))


def _of(planting: Planting, stock: Mapping[str, Item], view: View, box: Box, hidden: bool) -> list[Instances]:
    sheets = list(planting.sheets_in((box[0], box[1], box[2] - 1e-6, box[3] - 1e-6)))
    plants = join([planting.plants(sheet) for sheet in sheets])
    plants = plants.take(inside(box, plants.form[:, 0], plants.form[:, 2]))
    if not len(plants):
        return []
    items, distances = drawn(planting, stock, view)
    form, item, bounds = plants.form, plants.item.astype(int), [mesh.bound for mesh in items]
    seen = box_visible(view.planes, lay_out(plants, bounds, view.drawing.cell).box[0])
    share = view.drawing.sward_share if planting.stand.sward else 1.0
    away = np.linalg.norm(form[:, :3] - view.eye, axis=1)
    far = away / form[:, 8] if distances.by_size else away
    shown, triangles = np.zeros(len(plants), int), np.zeros(len(plants), int)
    state = np.full(len(plants), -1)
    for m, mesh in enumerate(items):
        st, mine = states(distances, len(mesh.lods), mesh.billboard is not None), item == m
        within = (far[mine, None] >= st.show) & (far[mine, None] < st.hide)
        shown[mine] = within.sum(axis=1)
        triangles[mine] = within @ [each.triangles for each in mesh.meshes]
        state[mine] = np.searchsorted(st.end, far[mine], side="right")
    never = np.full(len(plants), not view.drawing.plants), np.full(len(plants), hidden)
    reasons = [*never, rank(plants.id) >= share, shown == 0, away >= view.clear]
    why = np.select(reasons, [1, 2, 3, 4, 6], 0 if seen else 5)
    state[(why > 0) & (why != 5)] = -1
    tall = np.array(bounds)[item] * form[:, 8]
    behind = unhidden(planting.ground, np.tile(view.eye, (len(plants), 1)), form, tall) <= 0
    groups, of = np.unique(np.column_stack([item, state, why]), axis=0, return_inverse=True)
    return [
        Instances(
            planting.stand.number,
            planting.items[m],
            int(k),
            REASONS[w],
            int(mine.sum()),
            int((shown[mine] > 1).sum()),
            int(behind[mine].sum()),
            0 if w else int(triangles[mine].sum()),
            float(away[mine].min()),
        )
        for n, (m, k, w) in enumerate(groups)
        for mine in [of == n]
    ]
