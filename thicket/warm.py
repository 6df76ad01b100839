"""Compile every kernel of the core, or load it from Numba's cache: `python -m thicket.warm`."""

from __future__ import annotations

import numpy as np

from thicket.formats.mesh_in import project
from thicket.ground.heights import Ground, at_cells
from thicket.ground.noise import Noise, noise_at
from thicket.ground.rasters import block_sums, compressed, decompressed
from thicket.ground.shapes import Shape, Trail, depth_field, distance_field, in_clearing
from thicket.ground.wetness import topographic_wetness_index
from thicket.planting.density import density, density_at
from thicket.planting.layouts import Along, along
from thicket.planting.piles import settle
from thicket.planting.points import point_set
from thicket.planting.room import Discs, covered, crowded, differing, near, standing, taken
from thicket.planting.stands import Driven, Stand, grow, plants_in
from thicket.planting.strokes import Stroke, stroke_delta
from thicket.planting.tips import made_tip
from thicket.planting.trails import laid_over
from thicket.sight.cost import Item, Mesh, Patch, frame_cost, full_distances, lay_out
from thicket.sight.distances import Distances
from thicket.sight.views import View
from thicket.site.conditions import Condition
from thicket.site.fields import suitable
from thicket.site.site import Site
from thicket.stock.billboards import billboard_of
from thicket.stock.making import made
from thicket.stock.stand_ins import stand_in
from thicket.surfaces.mesh import made_mesh
from thicket.surfaces.placing import points_on
from thicket.surfaces.sizing import sized


def warm() -> None:
    """Plant and cost a small piece of ground."""
    one = np.ones(1)
    settle(np.zeros((4, 4)), np.ones((4, 4), bool), 1.0, one, one, one, one)
    ground = Ground(np.zeros((33, 33), np.float32), 1.0)
    site = Site(ground.heights, 1.0)
    suited = suitable(
        site,
        [
            Condition(kind, -1e3, 1e3, radius=3.0)
            for kind in ("altitude", "slope", "facing", "hollow", "flat", "noise")
        ],
        site.whole,
    )
    topographic_wetness_index(ground.heights, 1.0)
    touch = np.zeros(suited.shape, np.int16)
    touch += stroke_delta(Stroke("thicken", [(4.0, 4.0)], 3.0, 0.5, 1.0), touch, 1.0, 0, 0)
    stroke_delta(
        Stroke("level", [(4.0, 4.0), (6.0, 4.0)], 3.0, 0.5, 1.0, tip=made_tip("ring")), touch, 1.0, 0, 0
    )
    stand = Stand(1, 1, 4.0, 1.0)
    window = (0.0, 0.0, 32.0, 32.0)
    points = point_set(1, 4.0, window)
    plants = plants_in(stand, window, density(suited, touch), ground, points)
    density_at(suited, 1.0, touch, 1.0, points.x, points.z)
    seats = along(1, Shape("path", ((4.0, 4.0), (28.0, 20.0)), 1.0), Along(every=3.0), 1)
    held = at_cells(suited, 1.0, seats.x, seats.z)
    grow(
        Stand(2, 1, 4.0, 1.0, (1.0, 1.0), manner="path"),
        seats,
        np.arange(len(seats.x)),
        ground,
        Driven(held, held, held, [None, held]),
    )
    ball = made_mesh("sphere", (4, 4, 4), 4)
    sized(ball, points_on(ball, 1.0, 1), 1.0, 1.5, 1)
    noise_at(Noise(), points.x, points.z)
    laid_over(
        plants, [Shape("path", ((4.0, 4.0), (28.0, 20.0)), 1.0, trail=Trail(2.0, 50.0, 0.4, ("Field",)))]
    )
    discs = Discs(points.x, points.z, np.full(len(points.x), 0.5))
    (
        differing(discs, discs),
        near(discs, window, 1.0),
        taken(discs, *discs, 0.1),
        crowded(*discs, points.threshold, 0.1),
    )
    covered(discs, 1.0, suited.shape)
    kept = plants.form.copy(), plants.item.copy()
    for array in kept:
        array.flags.writeable = False
    radii = np.array([0.5])
    standing(*kept, radii), standing(plants.form, plants.item, radii)
    decompressed(compressed(touch), (len(touch), len(touch[0])))
    block_sums(touch, (0, 0, 2, 2), np.ones((16, 16), np.int64))
    shapes = [Shape("area", ((4.0, 4.0), (20.0, 4.0), (12.0, 18.0)))]
    (
        distance_field(shapes, 1.0, site.whole),
        depth_field(shapes, 1.0, site.whole),
        in_clearing(shapes, 0.5, points.x, points.z),
    )
    items = [Item("plain", (Mesh(1, 1, 0.0, 0),), None, 1.0, 0)]
    scene = (
        [Patch(plants, lay_out(plants, [1.0]))],
        items,
        Distances((), 50.0, 60.0, 5.0, 10.0),
        View(16, 2, 40, 0, 0, 55, 1.5),
    )
    frame_cost(*scene), full_distances(*scene)
    project(np.zeros((3, 3)), np.array([[0, 1, 2]]), 1.0)
    block = stand_in("block", 1.0, 1.0, (128, 128, 128))
    made(block), billboard_of(block.lods[0], "facing", 32)


if __name__ == "__main__":
    warm()
