"""The kinds of site condition, one class each.

A class says what its condition is called and measured in, what of the level it needs, which parameters it
has, its values over a window, how it is checked and how its values are shown. The page makes its card from
the same class (`ops/bounds.py` writes it as TypeScript). A new kind is a class here; a new parameter is also
a field of `parameters.Parameters` and of its settings.

Each kind takes as much ground around a window as its operation needs, so a tile gives the values that the
whole gives, bit for bit.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Literal

import numba as nb
import numpy as np
from scipy.spatial import cKDTree

from thicket.ground.heights import sample
from thicket.ground.hollow import disc, topographic_position_index, unevenness
from thicket.ground.noise import noise_at, noise_field
from thicket.ground.relief import FLAT, facing_of_cells, slope_and_aspect, to_cells
from thicket.ground.shapes import depth_field, distance_field, distances_at
from thicket.refused import Refused
from thicket.site.parameters import ENDLESS, Parameters
from thicket.site.site import PlacesOnMeshes, Site, Window, box_gap, grown

OF_STANDS = "plants", "painting", "density"
"""What follows from other stands, which must be planted before."""
DISTANCE_SHOWN = 150.0
"""How far, in m, distances are shown where the band ends nearer."""

Need = Literal[
    "heights", "flow", "layers", "mask", "shapes", "plants", "painting", "density", "meshes", "nothing"
]
"""What of a level a condition's values follow from; `flow` is the wetness of the whole ground; `plants`,
`painting` and `density` are those of another stand."""


def far_away(reach: float) -> np.float32:
    """The distance that stands for all distances beyond a condition's reach, in m."""
    return np.float32(max(reach, 0.0) + 1.0)


class Kind:
    """What all conditions of a kind have in common.

    name, in the API and saved levels; title, within a sentence; label, of its card; unit; says, what it
    looks at; step and digits of its numbers; begin, the band (lo, hi, soft below, soft above) of a new one,
    None for the level's lowest to highest ground; parameters, those fields of a condition that it has
    beside its band; radius, that of a new one, in m; radius_label, of the field for it, with its step; needs,
    what of the level; distance, whether its values are distances in m, known to the band's end alone; shown,
    the range in which its values lie over any ground, None where that depends on the ground.
    """

    name = ""
    title = ""
    label = ""
    unit = ""
    says = ""
    step = 0.05
    digits = 2
    begin: tuple[float, float, float, float] | None = (0.5, 1.0, 0.2, 0.0)
    parameters: tuple[str, ...] = ()
    radius = 20.0
    radius_label: tuple[str, float] = ("", 1.0)
    needs: Need = "heights"
    distance = False
    shown: tuple[float, float] | None = (0.0, 1.0)

    def check(self, c: Parameters) -> None:
        """Refuse a condition whose parameters are not whole. Raises: Refused."""

    def check_on(self, c: Parameters, cell: float) -> None:
        """Refuse a condition that cannot be worked out on ground with cells of so many m. Raises: Refused."""

    def asks(self, c: Parameters) -> tuple:
        """The parameters that its values follow from: equal for conditions that look at the same values."""
        return tuple(getattr(c, name) for name in self.parameters if name != "curve")

    def measures_far(self, c: Parameters) -> bool:
        """Whether its values are distances, known no further than the band needs them."""
        return self.distance

    def reach(self, c: Parameters) -> float:
        """How far, in m, what it measures to has a say in its values."""
        return c.reach + 1.0

    def margin(self, c: Parameters, cell: float) -> int:
        """Cells around a window whose heights its values in it depend on."""
        return 1

    def values(self, site: Site, c: Parameters, window: Window) -> np.ndarray:
        """What it looks at, at the cell centres of a window: float32 (rows, columns) in its unit."""
        raise NotImplementedError

    def at(self, places: PlacesOnMeshes, c: Parameters) -> np.ndarray | None:
        """What it looks at, at places on meshes: float32 (n,); None where it says nothing there, and is left
        out."""
        return None

    def absent(self, c: Parameters) -> np.float32:
        """The value everywhere on a level that has none of what the condition asks for."""
        return np.float32(0)

    def shown_to(self, c: Parameters) -> float | None:
        """How far, in m, its values are to be known when they are shown; None where they are known
        anyway."""
        return None

    def range(self, c: Parameters, found: np.ndarray) -> tuple[float, float]:
        """The range to show its values in; found, its values over the level, float32 (n,)."""
        return self.shown or (float(found.min()), float(found.max()))

    def known(self, c: Parameters, found: np.ndarray) -> np.ndarray:
        """Those of its values over the level that say something."""
        return found


class Altitude(Kind):
    """How high the ground lies, in m."""

    name = title = "altitude"
    label, unit, says = "Altitude", "m", "how high the ground lies"
    step, digits, begin, shown = 1.0, 1, None, None

    def values(self, site: Site, c: Parameters, window: Window) -> np.ndarray:
        return to_cells(grown(site.heights, window, 0)[0])

    def at(self, places: PlacesOnMeshes, c: Parameters) -> np.ndarray:
        return places.at[:, 1].astype(np.float32)


class Slope(Kind):
    """How steep it is, in degrees."""

    name = title = "slope"
    label, unit, says = "Slope", "°", "how steep it is"
    step, digits, begin, shown = 0.5, 1, (0.0, 25.0, 0.0, 8.0), (0.0, 60.0)

    def values(self, site: Site, c: Parameters, window: Window) -> np.ndarray:
        cut, inner = grown(site.heights, window, 1)
        return to_cells(slope_and_aspect(cut, site.cell, threads=1)[0][inner])

    def range(self, c: Parameters, found: np.ndarray) -> tuple[float, float]:
        return 0.0, max(60.0, min(90.0, math.ceil(float(found.max()) / 5) * 5.0))

    def at(self, places: PlacesOnMeshes, c: Parameters) -> np.ndarray:
        """The angle to upright, 0 to 180°: over 90° a mesh hangs over."""
        return np.degrees(np.arccos(np.clip(places.up[:, 1], -1, 1))).astype(np.float32)


class Facing(Kind):
    """A compass bearing, `relief.FLAT` where the ground faces nowhere; its band is of the angle away from the
    condition's centre."""

    name = title = "facing"
    label, unit, says = "Facing", "°", "which way it falls"
    step, digits, begin, shown = 5.0, 0, (0.0, 60.0, 0.0, 30.0), (0.0, 360.0)
    parameters = ("centre",)

    def asks(self, c: Parameters) -> tuple:
        return ()

    def values(self, site: Site, c: Parameters, window: Window) -> np.ndarray:
        return facing_of_cells(grown(site.heights, window, 0)[0], site.cell)

    def known(self, c: Parameters, found: np.ndarray) -> np.ndarray:
        return found[found >= 0]

    def at(self, places: PlacesOnMeshes, c: Parameters) -> np.ndarray:
        x, z = places.up[:, 0], places.up[:, 2]
        bearing = np.degrees(np.arctan2(x, -z)) % 360
        return np.where(np.hypot(x, z) < 1e-6, FLAT, bearing).astype(np.float32)


class Toward(Kind):
    """The angle between a surface's outward direction and a direction in space: 0° faces it, 180° away."""

    name, title = "toward", "angle to a direction"
    label, unit, says = "Direction", "°", "how far it turns away from a direction in space"
    step, digits, begin, shown = 5.0, 0, (0.0, 60.0, 0.0, 30.0), (0.0, 180.0)
    parameters = ("toward",)

    def values(self, site: Site, c: Parameters, window: Window) -> np.ndarray:
        cut, inner = grown(site.heights, window, 1)
        steep, facing = (np.radians(v[inner]) for v in slope_and_aspect(cut, site.cell, threads=1))
        out = np.stack([np.sin(steep) * np.sin(facing), np.cos(steep), -np.sin(steep) * np.cos(facing)], -1)
        return to_cells(_angle(out, c))

    def at(self, places: PlacesOnMeshes, c: Parameters) -> np.ndarray:
        return _angle(places.up, c)


def _angle(up: np.ndarray, c: Parameters) -> np.ndarray:
    """The angle in degrees between outward directions (…, 3) and the one that a condition names: float32."""
    bearing, rise = np.radians(c.toward)
    way = np.array([np.cos(rise) * np.sin(bearing), np.sin(rise), -np.cos(rise) * np.cos(bearing)])
    return np.degrees(np.arccos(np.clip(up @ way, -1, 1))).astype(np.float32)


class _Around(Kind):
    """A condition that compares the ground with that within a radius."""

    parameters = ("radius",)
    unit, shown = "m", None

    def check(self, c: Parameters) -> None:
        if not c.radius > 0:
            raise Refused(f"the radius of {self.title} must be above 0 m")

    def check_on(self, c: Parameters, cell: float) -> None:
        disc(c.radius, cell)

    def margin(self, c: Parameters, cell: float) -> int:
        return int(disc(c.radius, cell)[0]) + 1

    def range(self, c: Parameters, found: np.ndarray) -> tuple[float, float]:
        lo, hi = np.percentile(found, [0.2, 99.8])
        return float(lo), float(hi)


class Hollow(_Around):
    """How far it lies above or below the mean of the ground within a radius, in m."""

    name, title = "hollow", "hollow–ridge"
    label, says = "Hollow–ridge", "above or below the ground around"
    step, begin = 0.1, (-50.0, 0.0, 0.0, 0.5)
    radius_label = "Against the ground within", 5.0

    def values(self, site: Site, c: Parameters, window: Window) -> np.ndarray:
        cut, inner = grown(site.heights, window, self.margin(c, site.cell))
        return to_cells(topographic_position_index(cut, site.cell, c.radius, threads=1)[inner])

    def at(self, places: PlacesOnMeshes, c: Parameters) -> np.ndarray:
        """How far the place stands out of the mesh within the radius, along its own direction."""
        return places.within(
            c.radius, lambda near, k, same: (places.at[k] - near.at[same].mean(axis=0)) @ places.up[k]
        )


class Wetness(Kind):
    """Where water gathers: ln(a / tan β) on the depression-filled ground."""

    name = title = "wetness"
    label, says = "Wetness", "where water gathers"
    step, begin, needs, shown = 0.1, (7.0, 30.0, 2.0, 0.0), "flow", None

    def values(self, site: Site, c: Parameters, window: Window) -> np.ndarray:
        if site.wetness is None:
            raise Refused("wetness has not been computed for this ground")
        return to_cells(grown(site.wetness(), window, 0)[0])

    def range(self, c: Parameters, found: np.ndarray) -> tuple[float, float]:
        lo, hi = np.percentile(found, [0.2, 99.8])
        return float(lo), float(hi)


class Layer(Kind):
    """The weight of one or several ground layers together, 0–1."""

    name, title = "layer", "ground layer"
    label, says = "Ground layer", "weight of one or several layers"
    begin, needs = (0.5, 1.0, 0.3, 0.0), "layers"
    parameters = ("layers",)

    def check(self, c: Parameters) -> None:
        if not c.layers:
            raise Refused("a ground layer condition needs at least one layer")

    def asks(self, c: Parameters) -> tuple:
        return (tuple(sorted(c.layers)),)

    def values(self, site: Site, c: Parameters, window: Window) -> np.ndarray:
        col0, row0, col1, row1 = window
        total = np.zeros((row1 - row0, col1 - col0), np.int32)
        for name in c.layers:
            if name not in site.layers:
                raise Refused(f"this level has no ground layer {name!r}")
            total += site.layers[name][row0:row1, col0:col1]
        return np.minimum(total, 255).astype(np.float32) / np.float32(255)


class NoiseKind(Kind):
    """Patches that follow nothing, 0–1."""

    name = title = "noise"
    label, says = "Noise", "patches that follow nothing"
    step, begin, needs = 0.02, (0.5, 1.0, 0.15, 0.0), "nothing"
    parameters = ("noise",)

    def values(self, site: Site, c: Parameters, window: Window) -> np.ndarray:
        return noise_field(c.noise, site.cell, window)

    def at(self, places: PlacesOnMeshes, c: Parameters) -> np.ndarray:
        """The terrain's noise, led up the mesh at a slant, so that sheer sides are not striped."""
        rise = places.at[:, 1] - places.base
        return noise_at(c.noise, places.at[:, 0] + 0.62 * rise, places.at[:, 2] + 0.79 * rise)


class _Distance(Kind):
    """A distance in m, which stops at `far_away` of the band's reach."""

    unit, step, digits, distance, shown = "m", 0.5, 1, True, None

    def shown_to(self, c: Parameters) -> float | None:
        return max(DISTANCE_SHOWN, min(c.reach * 1.25, 2000.0)) if self.measures_far(c) else None

    def known(self, c: Parameters, found: np.ndarray) -> np.ndarray:
        return found[found < far_away(c.reach)] if self.measures_far(c) else found

    def range(self, c: Parameters, found: np.ndarray) -> tuple[float, float]:
        return (min(float(found.min()), 0.0), c.hi) if self.measures_far(c) else (0.0, 1.0)


class _ToShapes(_Distance):
    needs = "shapes"
    parameters: tuple[str, ...] = ("shapes", "groups", "border", "rough", "curve")
    inward = 1.0
    """−1 where a border goes into the shapes."""

    def check(self, c: Parameters) -> None:
        if c.border and c.depth:
            raise Refused("a border is measured in m, or the depth in shares: choose one")
        if c.curve and not (c.border or c.depth):
            raise Refused("a curve goes over a border or the relative depth of areas, 0 to 1")
        if c.rough and c.depth:
            raise Refused("the relative depth of areas is not roughened; give it a border in m")

    def asks(self, c: Parameters) -> tuple:
        return (*super().asks(c), c.noise if c.rough else None)

    def measures_far(self, c: Parameters) -> bool:
        return not (c.depth or c.border)

    def reach(self, c: Parameters) -> float:
        far = c.reach if self.measures_far(c) else c.border
        return far + c.rough + 1.0

    def values(self, site: Site, c: Parameters, window: Window) -> np.ndarray:
        chosen = site.chosen(c)
        if c.depth:
            return depth_field(chosen, site.cell, window)
        near = [s for s in chosen if box_gap(s.box, window, site.cell) <= self.reach(c)]
        far = distance_field(near, site.cell, window)
        return self._measured(c, far, lambda: noise_field(c.noise, site.cell, window))

    def at(self, places: PlacesOnMeshes, c: Parameters) -> np.ndarray:
        """Measured on the plan."""
        if c.depth:
            return places.terrain(c)
        x, z = places.at[:, 0].copy(), places.at[:, 2].copy()
        far = distances_at(places.site.chosen(c), x, z)[0]
        return self._measured(c, far, lambda: noise_at(c.noise, x, z))

    def _measured(self, c: Parameters, far: np.ndarray, noise: Callable[[], np.ndarray]) -> np.ndarray:
        """Distances in m as the condition looks at them: roughened, and over its border 0 to 1."""
        if c.rough:
            far = far + np.float32(c.rough) * (2 * noise() - 1)
        if c.border:
            return np.clip(np.float32(self.inward / c.border) * far, 0, 1)
        return np.minimum(far, far_away(c.reach))


class ToPath(_ToShapes):
    """The distance to the nearest path, in m; below 0 on it."""

    name, title = "path", "distance to paths"
    label, says = "Distance to paths", "below 0 on the path"
    begin = 3.0, ENDLESS, 2.0, 0.0


class ToArea(_ToShapes):
    """The distance to areas, or with `depth` the relative depth in them, 0 at the edge to 1 at the
    deepest."""

    name, title = "area", "distance to areas"
    label, says = "Distance to areas", "below 0 inside"
    begin = -ENDLESS, 0.0, 0.0, 4.0
    parameters = "shapes", "groups", "depth", "border", "rough", "curve"
    inward = -1.0


class ToObstacle(_ToShapes):
    """The distance to the nearest obstacle, in m; below 0 inside."""

    name, title = "obstacle", "distance to obstacles"
    label, says = "Distance to obstacles", "below 0 inside"
    begin = 2.0, ENDLESS, 2.0, 0.0


class _OfStand(Kind):
    """What is known of another stand everywhere on the plan."""

    parameters: tuple[str, ...] = ("stand",)

    def check(self, c: Parameters) -> None:
        if not c.stand:
            raise Refused(f"a condition on a stand's {self.name} needs the stand")

    def at(self, places: PlacesOnMeshes, c: Parameters) -> np.ndarray:
        """Read on the plan."""
        return places.terrain(c)


class Painting(_OfStand):
    """What is painted of a stand above: −1 where all is taken away to +1 where a full measure is added."""

    name, title = "painting", "painting of a stand"
    label, says = "Painting of a stand", "−1 taken away, 0 unpainted, +1 added"
    begin, needs, shown = (0.1, 1.0, 0.1, 0.0), "painting", (-1.0, 1.0)

    def values(self, site: Site, c: Parameters, window: Window) -> np.ndarray:
        if site.painting is None:
            raise Refused("what is painted of the other stand is not known here")
        return site.painting(c.stand, window)


class Density(_OfStand):
    """How densely a stand above is planted by its conditions and its painting, with its fullness, 0–1."""

    name, title = "density", "density of a stand"
    label, says = "Density of a stand", "of one above: 0 nowhere to 1 as dense as can be"
    begin, needs = (0.3, 1.0, 0.2, 0.0), "density"
    parameters = "stand", "curve"

    def values(self, site: Site, c: Parameters, window: Window) -> np.ndarray:
        if site.density is None:
            raise Refused("the density of the other stand is not known here")
        return site.density(c.stand, window)


@nb.njit(nogil=True, cache=True)
def _nearest(places, cell, col0, row0, reach, out):
    rows, cols = out.shape
    for k in range(places.shape[0]):
        x, z = places[k]
        j0 = max(int(np.floor((z - reach) / cell - 0.5)) - row0, 0)
        j1 = min(int(np.ceil((z + reach) / cell - 0.5)) - row0 + 1, rows)
        i0 = max(int(np.floor((x - reach) / cell - 0.5)) - col0, 0)
        i1 = min(int(np.ceil((x + reach) / cell - 0.5)) - col0 + 1, cols)
        for j in range(j0, j1):
            dz = (row0 + j + 0.5) * cell - z
            for i in range(i0, i1):
                dx = (col0 + i + 0.5) * cell - x
                d = dx * dx + dz * dz
                if d < out[j, i]:
                    out[j, i] = d


class ToStand(_Distance):
    """The distance to the nearest plant of a stand above, in m."""

    name, title = "stand", "distance to a stand"
    label, says = "Distance to a stand", "from the nearest plant of a stand above"
    begin, needs = (0.0, 8.0, 0.0, 4.0), "plants"
    parameters = ("stand",)

    def check(self, c: Parameters) -> None:
        if not c.stand:
            raise Refused("a distance to a stand needs the stand")

    def absent(self, c: Parameters) -> np.float32:
        return far_away(c.reach)

    def values(self, site: Site, c: Parameters, window: Window) -> np.ndarray:
        if site.plants is None:
            raise Refused("the plants of the other stand are not known here")
        reach = float(far_away(c.reach))
        col0, row0, col1, row1 = window
        low, high = (col0 * site.cell, row0 * site.cell), (col1 * site.cell, row1 * site.cell)
        box = low[0] - reach, low[1] - reach, high[0] + reach, high[1] + reach
        out = np.full((row1 - row0, col1 - col0), reach * reach, np.float64)
        places = np.ascontiguousarray(site.plants(c.stand, box), dtype=float)
        _nearest(places, site.cell, col0, row0, reach, out)
        return np.sqrt(out).astype(np.float32)

    def at(self, places: PlacesOnMeshes, c: Parameters) -> np.ndarray:
        plants, far = places.plants(c.stand), far_away(c.reach)
        if not len(plants):
            return np.full(len(places.at), far)
        return np.minimum(cKDTree(plants).query(places.at)[0], far).astype(np.float32)


class ToMesh(_Distance):
    """The distance through space to the surface of placed meshes; of a place on a mesh to the others."""

    name, title = "mesh", "distance to placed meshes"
    label, says = "Distance to placed meshes", "from the nearest surface of one"
    begin, needs = (0.0, 4.0, 0.0, 4.0), "meshes"
    parameters = "shapes", "groups"

    def absent(self, c: Parameters) -> np.float32:
        return far_away(c.reach)

    def values(self, site: Site, c: Parameters, window: Window) -> np.ndarray:
        heights = to_cells(grown(site.heights, window, 0)[0])
        z, x = np.mgrid[window[1] : window[3], window[0] : window[2]] * site.cell + 0.5 * site.cell
        places = np.stack([x, heights, z], axis=-1).reshape(-1, 3)
        return self._from(site, c, places, ()).reshape(heights.shape)

    def at(self, places: PlacesOnMeshes, c: Parameters) -> np.ndarray:
        out = np.empty(len(places.at), np.float32)
        for own in np.unique(places.mesh).tolist():
            of = places.mesh == own
            out[of] = self._from(places.site, c, places.at[of], (own,))
        return out

    def _from(self, site: Site, c: Parameters, places: np.ndarray, but: tuple[int, ...]) -> np.ndarray:
        far = far_away(c.reach)
        out = np.full(len(places), far, np.float32)
        for near in site.meshes(c, but) if site.meshes else ():
            found = near.tree.query(places, distance_upper_bound=float(far))[0]
            out = np.minimum(out, found).astype(np.float32)
        return out


class MaskImage(Kind):
    """The value of a mask image, 0–1."""

    name, title = "mask", "mask image"
    label, says = "Mask image", "0 black to 1 white"
    needs = "mask"
    parameters = "mask", "curve", "wrapped"

    def check(self, c: Parameters) -> None:
        if not c.mask:
            raise Refused("a mask condition needs a mask image")

    def values(self, site: Site, c: Parameters, window: Window) -> np.ndarray:
        mask = _mask_of(site, c)
        rows, columns = site.cells
        v, u = np.meshgrid(
            (np.arange(window[1], window[3]) + 0.5) * (mask.shape[0] / rows) - 0.5,
            (np.arange(window[0], window[2]) + 0.5) * (mask.shape[1] / columns) - 0.5,
            indexing="ij",
        )
        full = np.float32(np.iinfo(mask.dtype).max)
        return sample(mask, u.ravel(), v.ravel()).reshape(u.shape) / full

    def at(self, places: PlacesOnMeshes, c: Parameters) -> np.ndarray:
        """Read on the plan, or by the meshes' texture coordinates."""
        if not c.wrapped:
            return places.terrain(c)
        mask = _mask_of(places.site, c)
        u, v = np.ascontiguousarray((places.texture() * mask.shape[::-1] - 0.5).T)
        return sample(mask, u, v) / np.float32(np.iinfo(mask.dtype).max)


def _mask_of(site: Site, c: Parameters) -> np.ndarray:
    """A condition's mask image. Raises: Refused when the level has none of that name."""
    if c.mask not in site.masks:
        raise Refused(f"this level has no mask image {c.mask!r}")
    return site.masks[c.mask]


class Flat(_Around):
    """The most that the ground rises or falls within a radius, in m."""

    name, title = "flat", "flat ground"
    label, says = "Flat ground", "most rise or fall within a radius"
    begin, radius = (0.0, 0.4, 0.0, 0.3), 2.0
    radius_label = "Within a radius of", 0.5

    def values(self, site: Site, c: Parameters, window: Window) -> np.ndarray:
        cut, (rows, columns) = grown(site.heights, window, self.margin(c, site.cell))
        cells = slice(rows.start, rows.stop - 1), slice(columns.start, columns.stop - 1)
        return unevenness(to_cells(cut), site.cell, c.radius, threads=1)[cells]

    def range(self, c: Parameters, found: np.ndarray) -> tuple[float, float]:
        return 0.0, super().range(c, found)[1]

    def at(self, places: PlacesOnMeshes, c: Parameters) -> np.ndarray:
        return places.within(
            c.radius, lambda near, k, same: np.abs((near.at[same] - places.at[k]) @ places.up[k]).max()
        )


KINDS: dict[str, Kind] = {
    kind.name: kind
    for kind in (
        Altitude(),
        Slope(),
        Facing(),
        Toward(),
        Hollow(),
        Wetness(),
        Layer(),
        NoiseKind(),
        ToPath(),
        ToArea(),
        ToObstacle(),
        ToStand(),
        Painting(),
        Density(),
        ToMesh(),
        MaskImage(),
        Flat(),
    )
}
"""The kinds by name, in the order in which they are offered."""
