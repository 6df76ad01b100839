"""What a view of a planted level costs, by stand."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from thicket.cache import Cache
from thicket.document.level import Level
from thicket.document.rasters import Heights
from thicket.formats.stock import measure
from thicket.planted.planting import Planting
from thicket.planted.plots import Region
from thicket.planted.sheets import Box, Sheet
from thicket.planting.stands import Plants, join
from thicket.sight.cost import Cost, Item, Layout, Patch, Tally, frame_cost, full_distances, lay_out, loads_of
from thicket.sight.devices import PLAIN_DEVICE, Device
from thicket.sight.distances import Distances
from thicket.sight.drawing import CELL, GROUND_ERROR, PLAIN, TREES, Drawing
from thicket.sight.fogged import WEIGHT, fogged_pixels
from thicket.sight.terrain import ground_cost, terrain_of
from thicket.sight.views import View

LINES = ("triangles", "draw_calls", "shadow_triangles", "memory", "ms")


def game_item(slug: str, glb: bytes, traits: Mapping) -> Item:
    """An item as a game draws it, from its file and traits."""
    item = measure(slug, glb)
    billboard = item.billboard if traits.get("becomes_billboard", True) else None
    return replace(item, billboard=billboard, casts_shadow=traits.get("casts_shadow", True))


def items_in(level: Level) -> dict[str, Item]:
    """The items of a level, whose meshes are at hand, by slug."""
    return {slug: game_item(slug, item.glb, item.traits) for slug, item in level.stock.items() if item.glb}


def stand_cost(
    planting: Planting,
    stock: Mapping[str, Item],
    view: View,
    tried: bool = False,
    own: Distances | None = None,
    region: Region | None = None,
    near: Box | None = None,
) -> Cost:
    """What a planting costs in a view, which must be `settled`; with other distances of its own, or only what
    stands in a region, without meshes and textures, or only the drawing cells that touch a box of level
    metres, if given. `tried` has nothing kept of it."""
    if not view.drawing.plants:
        return Cost()
    items, distances = drawn(planting, stock, view, own)
    if region is not None:
        items = [item.without_bytes() for item in items]
    return frame_cost(_patches(planting, items, distances, view, tried, region, near), items, distances, view)


def region_cost(plantings: Iterable[Planting], stock: Mapping[str, Item], view: View, region: Region) -> Cost:
    """What the plants of a region cost in a view: its draw calls are those that they would need by
    themselves, its memory that of the plants alone."""
    return sum((stand_cost(p, stock, view, region=region) for p in plantings), Cost())


def costs_by(
    planting: Planting, stock: Mapping[str, Item], views: Sequence[View], own: Sequence[Distances | None]
) -> list[list[Cost]]:
    """What a planting costs in views of one drawing, each with several distances of its own, None for those
    that it has: by view, then by distances. Its plants are made once, however many views see them."""
    tallies: list[list[Tally]] = []
    seen: dict[tuple[Sheet, ...], list[Tally]] = defaultdict(list)
    for view in views:
        tallies.append([Tally(*drawn(planting, stock, view, each), view) for each in own])
        for tally in tallies[-1]:
            for sheets in _sheets_seen(planting, tally.distances, view):
                seen[tuple(sheets)].append(tally)
    for sheets, some in sorted(seen.items()):
        patch = patch_of(planting, sheets, some[0].items, some[0].view.drawing, spare=planting.stand.sward)
        for tally in some:
            tally.add(patch)
    return [[tally.cost() for tally in of_view] for of_view in tallies]


def cells_seen(
    plantings: Iterable[Planting], stock: Mapping[str, Item], view: View
) -> dict[tuple[int, int], float]:
    """Milliseconds that plants cost in a view by squares of `CELL` m, (column, row), where they cost any;
    meshes and textures left out. A square's draw calls are those that it would need by itself."""
    found: dict[tuple[int, int], float] = defaultdict(float)
    for planting in plantings if view.drawing.plants else ():
        items, distances = drawn(planting, stock, view)
        bare, bounds = [item.without_bytes() for item in items], [item.bound for item in items]
        for patch in _patches(planting, items, distances, view):
            layout = lay_out(patch.plants, bounds)
            for start, end, box in zip(layout.first, layout.first[1:], layout.box):
                cell = Layout(layout.order[start:end], np.array([0, end - start]), box[None])
                cost = frame_cost([Patch(patch.plants, cell)], bare, distances, view)
                if cost.triangles or cost.shadow_triangles:
                    x, z = patch.plants.form[cell.order[0], [0, 2]]
                    found[int(x // CELL), int(z // CELL)] += cost.ms
    return dict(found)


def settled(view: View, plantings: Iterable[Planting], stock: Mapping[str, Item]) -> View:
    """The view with how far away trees are drawn as their finest mesh, so that of the nearest as many are as
    its drawing has for a ceiling, over all plantings of a level."""
    ceiling = view.drawing.full_meshes
    if ceiling is None:
        return view
    found = [np.empty(0)]
    for planting in plantings:
        if planting.stand.stratum in TREES and not planting.stand.sward:
            items, distances = drawn(planting, stock, view)
            found.append(full_distances(_patches(planting, items, distances, view), items, distances, view))
    far = np.concatenate(found)
    return view if len(far) <= ceiling else replace(view, full=float(np.partition(far, ceiling)[ceiling]))


def drawn(
    planting: Planting, stock: Mapping[str, Item], view: View, own: Distances | None = None
) -> tuple[list[Item], Distances]:
    """Items and distances of a planting as the view draws them; with other distances of its own, if given."""
    stand, drawing = planting.stand, view.drawing
    items = [stock[slug].drawn_by(drawing) for slug in planting.items]
    own = own or planting.settings.distances.core()
    distances = drawing.distances_of(own, stand.stratum, stand.sward)
    if stand.stratum in TREES and not stand.sward:
        distances = replace(distances, full=view.full)
    return items, distances


def reach_of(planting: Planting, drawing: Drawing) -> float:
    """How far away in m a planting may be drawn or cast shadows."""
    distances = drawing.distances_of(
        planting.settings.distances.core(), planting.stand.stratum, planting.stand.sward
    )
    return max(distances.gone * (largest_of(planting) if distances.by_size else 1.0), distances.shadow)


def largest_of(planting: Planting) -> float:
    """The height that a plant of it may have at the most, as a multiple of the mesh."""
    return float(max(planting.core.item_sizes.max(), planting.pins.rest[:, 5].max(initial=0.0)))


def _patches(
    planting: Planting,
    items: list[Item],
    distances: Distances,
    view: View,
    tried: bool = False,
    region: Region | None = None,
    near: Box | None = None,
) -> Iterator[Patch]:
    """A planting's plants as far as the view may draw them, of a region alone, or of the drawing cells that
    touch a box of level metres, if one is given; `tried` has nothing kept of it."""
    for sheets in _sheets_seen(planting, distances, view, near):
        yield patch_of(planting, sheets, items, view.drawing, tried, region)


def _sheets_seen(
    planting: Planting, distances: Distances, view: View, near: Box | None = None
) -> list[Sequence[Sheet]]:
    """The sheets that the view may draw plants of, or those of them that hold the drawing cells that touch a
    box of level metres; together those that share a drawing cell."""
    largest = largest_of(planting) if distances.by_size else 1.0
    cell = view.drawing.cell
    reach = min(max(distances.gone * largest, distances.shadow), view.clear) + max(cell, CELL)
    box = (view.x - reach, view.z - reach, view.x + reach, view.z + reach)
    if near is not None:
        side = max(cell, planting.sheet_size)
        low = [max(a, b // side * side) for a, b in zip(box[:2], near[:2])]
        high = [min(a, (b // side + 1) * side - 1e-6) for a, b in zip(box[2:], near[2:])]
        box = low[0], low[1], high[0], high[1]
    side, together = max(int(cell // planting.sheet_size), 1), defaultdict(list)
    for column, row in planting.sheets_in(box):
        together[column // side, row // side].append((column, row))
    return list(together.values())


def patch_of(
    planting: Planting,
    sheets: Sequence[Sheet],
    items: Sequence[Item],
    drawing: Drawing,
    tried: bool = False,
    region: Region | None = None,
    spare: bool = False,
) -> Patch:
    """A planting's plants on some sheets together, of a region alone if one is given, in drawing cells.
    `tried` has nothing kept of it, and spare nothing that something else has to go for."""
    cache = planting.around.cache
    made = [planting.plants(sheet, spare) for sheet in sheets]
    plants = made[0] if len(made) == 1 else join(made)
    share, bounds = 1.0, [item.bound for item in items]
    if planting.stand.sward:
        plants, share = drawing.tufts(plants), drawing.sward_share

    def part() -> tuple[Plants, Layout]:
        some = plants if region is None else region.part_of(plants)
        return some, lay_out(some, bounds, drawing.cell)

    if tried:
        return Patch(*part())
    keys = tuple(planting.key(sheet) for sheet in sheets)
    key = "layout", keys, share, drawing.cell, tuple(item.slug for item in items)
    if region is None:
        return Patch(plants, cache.get(key, lambda: part()[1], spare))
    return Patch(*cache.get((*key, region.key), part, spare))


def crowd(planting: Planting, view: View, reach: float, steps: int = 40) -> np.ndarray:
    """How many plants of a planting stand in a view at which distance, int64 (steps,), in even steps out to a
    reach in m; tufts of a sward, and plants that are many and not made yet, only as far as they are drawn."""
    wide = planting.at_hand and not planting.stand.sward
    far = reach if wide else min(reach, planting.settings.distances.gone * view.drawing.distances)
    eye, planes, counts = view.eye, view.planes, np.zeros(steps, np.int64)
    for sheet in planting.sheets_in((view.x - far, view.z - far, view.x + far, view.z + far)):
        at = planting.plants(sheet).form[:, :3].astype(float)
        distance = np.linalg.norm(at - eye, axis=1)
        seen = (at @ planes[:, :3].T + planes[:, 3] >= 0).all(axis=1) & (distance < far)
        counts += np.histogram(distance[seen], steps, (0.0, reach))[0]
    return counts


def ground_cost_of(heights: Heights, view: View, cache: Cache) -> Cost:
    """What the ground costs in a view, with its fog and with the fixed part of its device's frame."""
    terrain = cache.get(("terrain", heights.key), lambda: terrain_of(heights.ground))
    pixels = view.drawing.ground_error
    cost = ground_cost(terrain, view, GROUND_ERROR if pixels is None else pixels)
    cost = replace(cost, alpha_mpx=WEIGHT * fogged_in(heights, view))
    return replace(cost, ms=view.device.ms(loads_of(cost)) + view.device.fixed)


def fogged_in(heights: Heights, view: View) -> float:
    """Megapixels of a view whose colour the level's fog changes; 0 where the fog is not known."""
    air = view.drawing.air
    return float(fogged_pixels(heights.ground, view.eye[None], view, air)[0]) if air else 0.0


def spent(costs: Mapping[Any, Cost]) -> Cost:
    """The sum over stands."""
    return sum(costs.values(), Cost())


def line(cost: Cost, name: str) -> float:
    """What a cost puts on a budget line; the draw calls of the shadow pass count as draw calls."""
    return cost.draw_calls + cost.shadow_calls if name == "draw_calls" else getattr(cost, name)


def over(marks: Mapping[str, float], cost: Cost) -> list[str]:
    """The budget lines that a cost overruns."""
    return [name for name in LINES if marks.get(name) and line(cost, name) > marks[name]]


def bookmark_view(bookmark: Mapping, drawing: Drawing = PLAIN, device: Device = PLAIN_DEVICE) -> View:
    """A bookmark as a view of 16:9, not settled for a level yet."""
    x, y, z, heading, pitch, fov = (bookmark[k] for k in ("x", "y", "z", "heading", "pitch", "fov"))
    return View(x, y, z, heading, pitch, fov, 16 / 9, drawing=drawing, device=device)
