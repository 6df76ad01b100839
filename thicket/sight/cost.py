"""What a view costs: triangles, draw calls, shadows, overdraw, memory and milliseconds, by stand.

The rule is the stage's own. Plants lie in square drawing cells; a cell is drawn when its box is inside the
view; in it, every state of every item that has a plant within its distances is one draw call for each
material, with all those plants. Shadows are drawn all round the eye.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, fields, replace

import numba as nb
import numpy as np

from thicket.planting.stands import Plants
from thicket.sight.distances import Distances, states_by
from thicket.sight.drawing import CELL, Drawing
from thicket.sight.views import View, box_visible

SCREEN_HEIGHT = 1080.0
NEAREST_OVERDRAW = 2.0


@dataclass(frozen=True)
class Mesh:
    """One LOD or billboard: triangles, materials (draw calls), and its see-through cards' mean area in m²."""

    triangles: int
    materials: int
    alpha_area: float
    bytes: int


@dataclass(frozen=True)
class Item:
    """A stock item as the cost model sees it; `bound` is the farthest vertex from the foot, in m; of its
    states, the LODs cast shadows unless it `casts_shadow` not at all."""

    slug: str
    lods: tuple[Mesh, ...]
    billboard: Mesh | None
    bound: float
    texture_bytes: int
    casts_shadow: bool = True

    @property
    def meshes(self) -> tuple[Mesh, ...]:
        """All states in order."""
        return self.lods + ((self.billboard,) if self.billboard else ())

    def drawn_by(self, drawing: Drawing) -> Item:
        """The item with the states that a level's drawing leaves of it; the last mesh is always left."""
        lods = self.lods[min(drawing.lod_offset, len(self.lods) - 1) :]
        return replace(self, lods=lods, billboard=self.billboard if drawing.billboards else None)

    def without_bytes(self) -> Item:
        """The item without the memory of its meshes and textures, for plants that share them with others."""
        lods = tuple(replace(mesh, bytes=0) for mesh in self.lods)
        billboard = self.billboard and replace(self.billboard, bytes=0)
        return replace(self, lods=lods, billboard=billboard, texture_bytes=0)


RECORD_BYTES = 40


@dataclass(frozen=True)
class Cost:
    """What is spent; counts, megapixels, bytes and milliseconds."""

    plants: int = 0
    triangles: int = 0
    draw_calls: int = 0
    shadow_triangles: int = 0
    shadow_calls: int = 0
    alpha_mpx: float = 0.0
    memory: int = 0
    ms: float = 0.0
    culled: int = 0
    """Triangles that are near enough to be drawn but lie in cells outside the view."""

    def __add__(self, other: Cost) -> Cost:
        return Cost(*(getattr(self, f.name) + getattr(other, f.name) for f in fields(self)))


@dataclass(frozen=True, eq=False)
class Layout:
    """Plants sorted by drawing cell: order (n,); first (cells + 1,); box (cells, 6) in m."""

    order: np.ndarray
    first: np.ndarray
    box: np.ndarray

    @property
    def nbytes(self) -> int:
        return self.order.nbytes + self.first.nbytes + self.box.nbytes


@dataclass(frozen=True, eq=False)
class Patch:
    """Plants of a stand over part of the level, with their layout; its borders are cells' borders."""

    plants: Plants
    layout: Layout


def lay_out(plants: Plants, bounds: Sequence[float], cell: float = CELL) -> Layout:
    """Sort plants into drawing cells, each with the box that holds them whole.

    Parameters: bounds, the items' `bound` in m; cell, the cells' side in m.
    """
    form = plants.form
    column = np.floor(form[:, 0] / np.float32(cell)).astype(np.int64)
    row = np.floor(form[:, 2] / np.float32(cell)).astype(np.int64)
    key = row * (1 << 20) + column
    order = np.argsort(key, kind="stable")
    first = np.flatnonzero(np.r_[True, np.diff(key[order]) != 0]) if len(key) else np.empty(0, np.int64)
    reach = np.asarray(bounds, np.float32)[plants.item] * np.maximum(form[:, 7], form[:, 8])
    box = np.empty((len(first), 6))
    if len(first):
        low, high = form[:, :3] - reach[:, None], form[:, :3] + reach[:, None]
        box[:, :3] = np.minimum.reduceat(low[order], first)
        box[:, 3:] = np.maximum.reduceat(high[order], first)
    return Layout(order, np.r_[first, len(key)], box)


@nb.njit(nogil=True, cache=True)
def _count(
    form,
    item,
    order,
    first,
    box,
    eye,
    planes,
    show,
    hide,
    start,
    end,
    solid,
    reach,
    by_size,
    clear,
    drawn,
    culled,
    cast,
    calls,
    shadow_calls,
    alpha,
):
    """Fill the drawn, culled and casting instances, the calls, and the alpha weight by item and state. Plants
    from `clear` m on are left out."""
    items, most = show.shape
    for c in range(first.shape[0] - 1):
        seen = box_visible(planes, box[c])
        here = np.zeros((items, most), np.bool_)
        shaded = np.zeros((items, most), np.bool_)
        for k in order[first[c] : first[c + 1]]:
            dx, dy, dz = form[k, 0] - eye[0], form[k, 1] - eye[1], form[k, 2] - eye[2]
            d = np.sqrt(dx * dx + dy * dy + dz * dz)
            if d >= clear:
                continue
            far = d / form[k, 8] if by_size else d
            m = item[k]
            for s in range(most):
                if show[m, s] <= far < hide[m, s]:
                    if seen:
                        drawn[m, s] += 1
                        here[m, s] = True
                        alpha[m, s] += form[k, 7] * form[k, 8] / max(d, NEAREST_OVERDRAW) ** 2
                    else:
                        culled[m, s] += 1
                if d < reach and solid[m, s] and start[m, s] <= far < end[m, s]:
                    cast[m, s] += 1
                    shaded[m, s] = True
        for m in range(items):
            for s in range(most):
                calls[m, s] += here[m, s]
                shadow_calls[m, s] += shaded[m, s]


def state_table(
    items: Sequence[Item], distances: Distances, full: np.ndarray | None = None
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """show, hide, start, end float64 (…, items, most states), and solid bool (items, most states). full (…,)
    in m stands in for the distances' own, which gives (items, most states)."""
    full = np.array(distances.full) if full is None else full
    most = max(len(item.meshes) for item in items)
    table = np.zeros((4, *full.shape, len(items), most))
    solid = np.zeros((len(items), most), bool)
    for m, item in enumerate(items):
        st = states_by(distances, full, len(item.lods), item.billboard is not None)
        for k, part in enumerate((st.show, st.hide, st.start, st.end)):
            table[k, ..., m, : len(item.meshes)] = part
        solid[m, : len(item.lods)] = item.casts_shadow
    show, hide, start, end = table
    return show, hide, start, end, solid


class Tally:
    """Counts what one stand costs in a view, patch by patch.

    Parameters: the items of the stand's mix; its distances; the view.
    """

    def __init__(self, items: Sequence[Item], distances: Distances, view: View) -> None:
        self.items, self.distances, self.view, self.plants = items, distances, view, 0
        self._table = state_table(items, distances)
        shape = self._table[0].shape
        self._drawn, self._culled, self._cast, self._calls, self._shadow_calls = (
            np.zeros(shape, np.int64) for _ in range(5)
        )
        self._alpha = np.zeros(shape)

    def add(self, patch: Patch) -> None:
        """Count the plants of a patch."""
        view, layout = self.view, patch.layout
        self.plants += len(patch.plants)
        _count(
            patch.plants.form,
            patch.plants.item,
            layout.order,
            layout.first,
            layout.box,
            view.eye,
            view.planes,
            *self._table,
            float(self.distances.shadow) if view.shadows else 0.0,
            self.distances.by_size,
            view.clear,
            self._drawn,
            self._culled,
            self._cast,
            self._calls,
            self._shadow_calls,
            self._alpha,
        )

    def cost(self) -> Cost:
        """What all of them cost."""
        triangles, materials, area = mesh_table(self.items)
        total = Cost(
            int(self._drawn.sum()),
            int((self._drawn * triangles).sum()),
            int((self._calls * materials).sum()),
            int((self._cast * triangles).sum()),
            int((self._shadow_calls * materials).sum()),
            float((self._alpha * area).sum()) * self.view.pixels_per_radian(SCREEN_HEIGHT) ** 2 / 1e6,
            self.plants * RECORD_BYTES + own_bytes(self.items),
            culled=int((self._culled * triangles).sum()),
        )
        return replace(total, ms=self.view.device.ms(loads_of(total)))


def frame_cost(
    patches: Iterable[Patch],
    items: Sequence[Item],
    distances: Distances,
    view: View,
) -> Cost:
    """What one stand costs in a view.

    Parameters: patches that hold at least all plants within `distances.gone` (by size, that of the largest)
    and `distances.shadow` of the eye; the items of the stand's mix; its distances.
    """
    tally = Tally(items, distances, view)
    for patch in patches:
        tally.add(patch)
    return tally.cost()


def mesh_table(items: Sequence[Item]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Triangles and materials, int64, and area of cut-out cards in m², float64, by item and state
    (items, most states)."""
    most = max(len(item.meshes) for item in items)
    triangles, materials = (np.zeros((len(items), most), np.int64) for _ in range(2))
    area = np.zeros((len(items), most))
    for m, item in enumerate(items):
        for s, mesh in enumerate(item.meshes):
            triangles[m, s], materials[m, s], area[m, s] = mesh.triangles, mesh.materials, mesh.alpha_area
    return triangles, materials, area


def own_bytes(items: Sequence[Item]) -> int:
    """What the meshes and textures of items take, however many plants there are."""
    return sum(item.texture_bytes + sum(mesh.bytes for mesh in item.meshes) for item in items)


@nb.njit(nogil=True, cache=True)
def _full_distances(form, item, order, first, box, eye, planes, hide, by_size, clear, out):
    """Fill the distances of plants that a view would draw as their finest mesh; gives how many there are."""
    count = 0
    for c in range(first.shape[0] - 1):
        if not box_visible(planes, box[c]):
            continue
        for k in order[first[c] : first[c + 1]]:
            dx, dy, dz = form[k, 0] - eye[0], form[k, 1] - eye[1], form[k, 2] - eye[2]
            d = np.sqrt(dx * dx + dy * dy + dz * dz)
            far = d / form[k, 8] if by_size else d
            if d < clear and far < hide[item[k]]:
                out[count] = far
                count += 1
    return count


def full_distances(
    patches: Iterable[Patch], items: Sequence[Item], distances: Distances, view: View
) -> np.ndarray:
    """How far away the plants of a stand are that a view draws as their finest mesh though their item has
    another state, in m (by size, divided by it); float64 (n,)."""
    hide = state_table(items, distances)[1][:, 0]
    hide = np.where([len(item.meshes) > 1 for item in items], hide, 0.0)
    eye, planes, found = view.eye, view.planes, []
    for patch in patches:
        layout, out = patch.layout, np.empty(len(patch.plants))
        count = _full_distances(
            patch.plants.form,
            patch.plants.item,
            layout.order,
            layout.first,
            layout.box,
            eye,
            planes,
            hide,
            distances.by_size,
            view.clear,
            out,
        )
        found.append(out[:count])
    return np.concatenate([np.empty(0), *found])


def loads_of(cost: Cost) -> tuple[float, ...]:
    """What a device is loaded with: see `thicket.sight.devices.LOADS`."""
    calls = cost.draw_calls + cost.shadow_calls
    return cost.triangles, calls, cost.shadow_triangles, cost.alpha_mpx, cost.memory
