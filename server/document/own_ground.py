"""The ground of a level's plots, and keeping people to their own where planting elsewhere is refused."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np
from django.contrib.auth.models import User

from server.document.planted import planted_of
from server.errors import NotAllowed
from server.levels.models import Level, Membership
from thicket.document.edits import PaintedMesh
from thicket.document.plots import Plots
from thicket.planted.comparing import changed_places
from thicket.planted.level import PlantedLevel
from thicket.planted.plots import Region, regions
from thicket.planted.step import Step


def plots_of(level: Level) -> Plots:
    """The level's plots as they are kept."""
    return Plots.model_validate(level.plots)


def regions_of(level: Level) -> dict[str, Region]:
    """The ground of the level's plots by name."""
    if not level.plots.get("plots"):
        return {}
    areas = [(name, plot.area) for name, plot in plots_of(level).plots.items()]
    return regions(planted_of(level).shapes, areas)


def plot_at(level: Level, points: Sequence[Sequence[float]]) -> str:
    """The name of the plot that holds most of some places x, z; empty where most belong to none."""
    if not len(points):
        return ""
    x, z = np.array([p[:2] for p in points], float).T.copy()
    held = {name: int(region.holds(x, z).sum()) for name, region in regions_of(level).items()}
    name = max(held, key=lambda n: held[n], default="")
    return name if name and 2 * held[name] >= len(x) else ""


EDGE = 12.0
"""So far beyond the edge of one's plots, in m, plants may come and go: those that make room for one's own."""


def check_step(row: Level, user: User, step: Step[PlantedLevel]) -> None:
    """Where planting outside one's own plots is refused, refuse a step that changes plants there, or the
    ground of plots.

    Raises: NotAllowed.
    """
    if not is_held(row, user):
        return
    areas = [(name, plot.area) for name, plot in plots_of(row).plots.items()]
    was, now = (regions(planted.shapes, areas) for planted in (step.before, step.after))
    if {name: region.key for name, region in was.items()} != {name: r.key for name, r in now.items()}:
        raise NotAllowed(f"The plots of {row.name} are its leads' to change.")
    own = _own_regions(row, user, now)
    for number in step.sheets:
        pair = [p.planting(number) if number in p.stands else None for p in (step.before, step.after)]
        x, z = changed_places(*pair).T.copy()
        if len(x) and not np.any([r.near(x, z, EDGE) for r in own] or [np.zeros(len(x), bool)], axis=0).all():
            name = (step.after.stands.get(number) or step.before.stands[number]).name
            raise NotAllowed(
                f"In {row.name} artists plant only in their own plots: this would change plants of "
                f"{name} outside of yours. A lead may do it."
            )


def is_held(level: Level, user: User) -> bool:
    """Whether somebody may change plants in their own plots alone: where that is refused elsewhere, who
    does not lead."""
    plots = plots_of(level)
    if plots.outside != "refused" or not plots.plots:
        return False
    return not level.memberships.filter(user=user, role=Membership.Role.LEAD).exists()


def _own_regions(level: Level, user: User, all_: Mapping[str, Region]) -> list[Region]:
    plots = plots_of(level).plots
    return [region for name, region in all_.items() if plots[name].owner == user.get_username()]


def own_ground(level: Level, user: User) -> Callable[[np.ndarray, np.ndarray], np.ndarray] | None:
    """Returns which places x, z (n,) a person may plant at; None where they may everywhere: who leads, and
    everybody where planting outside one's plots is not refused."""
    if not is_held(level, user):
        return None
    own = _own_regions(level, user, regions_of(level))
    return lambda x, z: np.any([region.holds(x, z) for region in own] or [np.zeros(len(x), bool)], axis=0)


def check_own(level: Level, user: User, points: Sequence[Sequence[float]]) -> None:
    """Refuse to plant at places x, z that are not a person's own ground.

    Raises: NotAllowed.
    """
    holds = own_ground(level, user)
    if holds is None or not len(points):
        return
    x, z = np.array([p[:2] for p in points], float).T.copy()
    if not holds(x, z).all():
        raise _outside(level)


def _outside(level: Level) -> NotAllowed:
    return NotAllowed(f"In {level.name} artists plant only in their own plots: this is not one of yours.")


def limited_to_own(level: Level, user: User, delta: np.ndarray, box: tuple[int, int, int, int]) -> np.ndarray:
    """A change of touch in a box of cells (col0, row0, col1, row1), without what lies outside a person's own
    ground.

    Raises: NotAllowed when nothing is left of it.
    """
    holds = own_ground(level, user)
    if holds is None:
        return delta
    z, x = np.mgrid[box[1] : box[3], box[0] : box[2]] * level.touch_cell + 0.5 * level.touch_cell
    kept = np.where(holds(x.ravel(), z.ravel()).reshape(delta.shape), delta, delta.dtype.type(0))
    if delta.any() and not kept.any():
        raise _outside(level)
    return kept


def mesh_limited_to_own(level: Level, user: User, part: PaintedMesh) -> PaintedMesh:
    """The same of a change of touch on a placed mesh.

    Raises: NotAllowed when nothing is left of it.
    """
    holds, placed = own_ground(level, user), planted_of(level).level.surfaces.get(part.surface)
    if holds is None or placed is None:
        return part
    at = placed.in_level((np.asarray(part.cubes, float)[:, 1:] + 0.5) * part.cell)
    kept = holds(at[:, 0].copy(), at[:, 2].copy())
    if not kept.any():
        raise _outside(level)
    return part.model_copy(update={"cubes": part.cubes[kept], "delta": part.delta[kept]})
