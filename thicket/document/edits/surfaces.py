"""Changes of the meshes placed in a level."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from thicket.document.edits.base import Edit, changed, check_as_before
from thicket.document.level import Level
from thicket.document.surface_settings import PlacedMesh
from thicket.document.surfaces import mesh_of
from thicket.limits import SURFACES, check_count
from thicket.refused import Conflict, Missing, Refused

FREE = {"locked", "hidden"}


class ChangeSurfaces(Edit):
    """Placed meshes put, and removed where None is given, by number. `expected`, where it is given, is what
    must be there until then; `order` says where what is put back stands."""

    kind: Literal["surfaces"] = "surfaces"
    put: dict[int, PlacedMesh | None]
    expected: dict[int, PlacedMesh | None] | None = None
    order: tuple[int, ...] = ()

    def apply(self, level: Level) -> Level:
        for number, given in self.put.items():
            now = level.surfaces.get(number)
            if self.expected is not None:
                named = given or now
                check_as_before(named.name if named else "The mesh", now, self.expected[number])
            _check(level, number, given, now)
        after = replace(level, surfaces=changed(level.surfaces, self.put, self.order))
        check_count("surfaces", after.surfaces, SURFACES)
        _check_names(level, after)
        return after

    def inverse(self, level: Level) -> ChangeSurfaces:
        after = self.apply(level)
        return ChangeSurfaces(
            put={n: level.surfaces.get(n) for n in self.put},
            expected={n: after.surfaces.get(n) for n in self.put},
            order=tuple(level.surfaces),
        )


def _check(level: Level, number: int, given: PlacedMesh | None, now: PlacedMesh | None) -> None:
    """Raises: Refused when a mesh cannot be placed, or removed."""
    if not 1 <= number < 2**22:
        raise Refused(f"number: a mesh has a number from 1 to {2**22 - 1:,}, not {number}")
    if given is None and now is None:
        raise Missing(f"id: {level.name} has no placed mesh {number}; somebody may have removed it")
    frees = given and now and given.model_dump(exclude=FREE) == now.model_dump(exclude=FREE)
    if now and now.locked and not frees:
        raise Conflict(f"{now.name} is locked: unlock it first")
    if given is None or (now and (now.at, now.made, now.item) == (given.at, given.made, given.item)):
        return
    ground = level.heights.ground
    x, _, z = given.at
    if not (0 <= x <= ground.width and 0 <= z <= ground.length):
        raise Refused(
            f"{given.name}: {x:g}, {z:g} lies outside the level, which is {ground.width:g} m × "
            f"{ground.length:g} m"
        )
    mesh_of(level, given)


def _check_names(before: Level, after: Level) -> None:
    """Refuse two meshes of one name, and a change after which a stand grows on what is no longer there."""
    names = [placed.name for placed in after.surfaces.values()]
    for name in names:
        if names.count(name) > 1:
            raise Refused(f"name: there are two placed meshes called {name!r}")
    was, now = (
        {placed.name for placed in of.surfaces.values()} | {placed.group for placed in of.surfaces.values()}
        for of in (before, after)
    )
    for stand in after.in_order:
        for name in stand.settings.on:
            if name in was - now:
                raise Conflict(
                    f"{stand.name} grows on {name}: let it grow elsewhere, or remove it, before {name} goes"
                )
