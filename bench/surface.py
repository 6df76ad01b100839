"""Places on a mesh of 300,000 triangles: how closely they pack, whether any two are too near, and the time
for each, against trimesh's even sampling at the same distance. A stroke on a sphere with 100,000 plants,
against the same on as many of the terrain; and a boulder of 5,000 plants moved, against planting them."""

from __future__ import annotations

import contextlib
import io
import statistics
import time
from dataclasses import replace

import numpy as np
import trimesh
from scipy.spatial import cKDTree

from bench._scenes import level
from bench._short import short
from thicket.cache import Cache
from thicket.document.edits import ChangeSurfaces
from thicket.document.edits.base import Edit
from thicket.document.surface_settings import MadeMesh, PlacedMesh
from thicket.planted.brushing import Brush
from thicket.planted.level import PlantedLevel
from thicket.planting.strokes import Stroke
from thicket.surfaces.mesh import made_mesh
from thicket.surfaces.placing import points_on

DIVISIONS, PLACES, ROUNDS = short(194, 12), short(100_000, 500), short(3, 1)
PACKING, RATIO, STROKE = 0.66, 1.0, 1.5


def main() -> int:
    return max(places(), strokes(), moved())


def _sphere(across: float, plants: int) -> tuple[PlantedLevel, PlacedMesh]:
    """A level with a sphere of so many m that carries about so many plants, and a terrain of the same area
    that carries as many."""
    base = level(max(round(np.sqrt(np.pi) * across), 32))
    ball = PlacedMesh(
        name="Ball",
        made=MadeMesh(form="sphere", size=(across, across, across), divisions=24),
        at=(base.heights.ground.width / 2, 300, base.heights.ground.length / 2),
        blocks=False,
    )
    of, area = base.stands[7], base.heights.ground.width * base.heights.ground.length
    stands = {}
    for number, on, ground in ((1, [], area), (2, ["Ball"], np.pi * across**2)):
        spacing = float(np.sqrt(0.85 * ground / plants))
        given = {**of.settings.model_dump(), "on": on, "spacing": spacing, "fullness": 1, "conditions": []}
        settings = of.settings.model_validate(given)
        stands[number] = replace(of, number=number, slug=f"of-{number}", settings=settings)
    return PlantedLevel(replace(base, stands=stands, surfaces={1: ball}), Cache(2 << 30)), ball


def _done(planted: PlantedLevel, edit: Edit, number: int) -> tuple[float, PlantedLevel]:
    """How long an edit takes with all plants that it changes, in s; and the level after it."""
    began = time.perf_counter()
    step = planted.after(edit)
    planting = step.after.planting(number)
    for sheet in step.sheets_of(number):
        planting.plants(sheet)
    return time.perf_counter() - began, step.after


def strokes() -> int:
    """A stroke on a sphere against the same stroke on the terrain."""
    planted, ball = _sphere(short(100.0, 20.0), PLACES)
    for planting in planted.plantings():
        planting.count()
    middle, radius = np.array(ball.at), short(8.0, 2.0)
    spent: dict[int, list[float]] = {1: [], 2: []}
    for k in range(short(24, 2)):
        ways = [(np.sin(a), 1.0, np.cos(a)) for a in np.linspace(k, k + 0.4, 12)]
        ways = np.array(ways) / np.linalg.norm(ways[0])
        at = middle + ball.made.size[0] / 2 * ways
        path = [(float(x), float(z)) for x, _, z in at]
        on = [(1, float(p[1]), *map(float, w)) for p, w in zip(at, ways)]
        verb = ("thin", "thicken")[k % 2]
        for number, given in ((1, []), (2, on)):
            stroke = Stroke(verb, path, radius, 0.5, 0.7, on=given)
            began = time.perf_counter()
            edit = Brush(stroke).painting(planted, [number])
            made = time.perf_counter() - began
            took, planted = _done(planted, edit, number)
            spent[number].append(made + took)
    terrain, sphere = (statistics.median(spent[number]) for number in (1, 2))
    ratio = sphere / terrain
    print(
        f"surface: a stroke on a sphere {1e3 * sphere:.1f} ms, on the terrain {1e3 * terrain:.1f} ms: "
        f"ratio {ratio:.2f} (at most {STROKE})"
    )
    return int(ratio > STROKE)


def moved() -> int:
    """A boulder moved with its plants, against planting it for the first time."""
    planted, ball = _sphere(short(10.0, 6.0), short(5_000, 200))
    began = time.perf_counter()
    count = planted.planting(2).count()
    first = time.perf_counter() - began
    took = []
    for k in range(short(8, 2)):
        ball = ball.model_copy(update={"at": (ball.at[0] + 1.5, ball.at[1], ball.at[2]), "turn": 10.0 * k})
        spent, planted = _done(planted, ChangeSurfaces(put={1: ball}), 2)
        took.append(spent)
    print(
        f"surface: a boulder of {count:,} plants is moved in {1e3 * statistics.median(took):.1f} ms, planted "
        f"first in {1e3 * first:.1f} ms"
    )
    return 0


def places() -> int:
    """Places on a mesh against trimesh's."""
    mesh = made_mesh("sphere", (10, 10, 10), DIVISIONS)
    spacing = float(np.sqrt(0.85 * mesh.area / PLACES))
    points_on(made_mesh("sphere", (1, 1, 1), 8), 0.3, 1)
    theirs_mesh = trimesh.Trimesh(mesh.vertices, mesh.faces)
    ours, theirs = [], []
    for seed in range(ROUNDS):
        began = time.perf_counter()
        points = points_on(mesh, spacing, seed)
        ours.append((time.perf_counter() - began) / len(points.at))
        began = time.perf_counter()
        with contextlib.redirect_stderr(io.StringIO()):
            sampled, _ = trimesh.sample.sample_surface_even(theirs_mesh, PLACES, spacing, seed)
        theirs.append((time.perf_counter() - began) / len(sampled))
    packed, reference = (len(at) * np.pi / 4 * spacing**2 / mesh.area for at in (points.at, sampled))
    pairs = cKDTree(points.at).query_pairs(spacing * (1 - 1e-9), output_type="ndarray")
    facing = np.einsum("ij,ij->i", points.normal[pairs[:, 0]], points.normal[pairs[:, 1]])
    near = int((facing >= 0).sum())
    ratio = statistics.median(ours) / statistics.median(theirs)
    print(
        f"surface: {len(points.at):,} places on {len(mesh.faces):,} triangles: packing {packed:.3f} "
        f"(at least {PACKING}), trimesh {reference:.3f}; {near} pairs too near (at most 0)"
    )
    print(
        f"surface: {1e6 * statistics.median(ours):.1f} µs a place, trimesh "
        f"{1e6 * statistics.median(theirs):.1f} µs: ratio {ratio:.2f} (at most {RATIO})"
    )
    return 0 if packed >= PACKING and not near and ratio <= RATIO else 1


if __name__ == "__main__":
    raise SystemExit(main())
