"""Changes of paths, areas and obstacles."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

from thicket.document.edits.base import Edit, changed, check_as_before
from thicket.document.level import Level
from thicket.document.level_file import ShapeFile
from thicket.document.shape_file import core_shape, shape_file
from thicket.limits import SHAPES, check_count
from thicket.refused import Conflict, Missing, Refused


class ChangeShapes(Edit):
    """Shapes put, and removed where None is given, by number. `expected`, where it is given, is what must be
    there until then; `order` says where what is put back stands."""

    kind: Literal["shapes"] = "shapes"
    put: dict[int, ShapeFile | None]
    expected: dict[int, ShapeFile | None] | None = None
    order: tuple[int, ...] = ()

    def apply(self, level: Level) -> Level:
        shapes: dict[int, Any] = {}
        details: dict[int, Any] = {}
        for number, given in self.put.items():
            now = shape_file(level, number) if number in level.shapes else None
            if self.expected is not None:
                name = (given or now).name if given or now else "The shape"  # type: ignore[union-attr]
                check_as_before(name, now, self.expected[number])
            _check(level, number, given, now)
            shapes[number] = given and core_shape(given)
            details[number] = (given and given.details.model_dump(mode="json")) or None
        have = level.details.get("shapes", {})
        after = changed(level.shapes, shapes, self.order)
        check_count("shapes", after, SHAPES)
        return replace(
            level, shapes=after, details={**level.details, "shapes": changed(have, details, self.order)}
        )

    def inverse(self, level: Level) -> ChangeShapes:
        after = self.apply(level)
        return ChangeShapes(
            put={n: shape_file(level, n) if n in level.shapes else None for n in self.put},
            expected={n: given and shape_file(after, n) for n, given in self.put.items()},
            order=tuple(level.shapes),
        )


def _check(level: Level, number: int, given: ShapeFile | None, now: ShapeFile | None) -> None:
    """Raises: Refused when a shape cannot be put, or removed."""
    if given is None and now is None:
        raise Missing(f"id: {level.name} has no shape {number}; somebody may have removed it")
    if given and given.number != number:
        raise Refused(f"number: the shape {number} says that it is {given.number}")
    if now and now.details.locked:
        free = {"details": {"locked", "hidden"}}
        if given is None or given.model_dump(exclude=free) != now.model_dump(exclude=free):
            raise Conflict(f"{now.name} is locked: unlock it first")
    if given and (now is None or now.points != given.points):
        ground = level.heights.ground
        for x, z in given.points:
            if not (-1e-6 <= x <= ground.width + 1e-6 and -1e-6 <= z <= ground.length + 1e-6):
                raise Refused(
                    f"{given.kind} {given.name!r}: {x:g}, {z:g} lies outside the level, which is "
                    f"{ground.width:g} m × {ground.length:g} m"
                )
