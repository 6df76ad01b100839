"""Edits of a planted level: each gives another that shares all that it cannot reach."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from pydantic import ValidationError

from thicket.document.settings import StandSettings
from thicket.ground.shapes import Shape
from thicket.planted.brushing import Brush
from thicket.planted.level import PlantedLevel
from thicket.refused import Refused


@dataclass(frozen=True)
class Paint:
    """A brush worked on a stand, by slug."""

    stand: str
    brush: Brush

    def apply(self, level: PlantedLevel) -> PlantedLevel:
        planting = level[self.stand]
        if planting.stand.locked:
            raise Refused(f"{planting.stand.name} is locked: unlock it first")
        box = self.brush.cells(level)
        touch = planting.touch_map.painted(
            box, lambda window: window + self.brush.delta(planting, window, box)
        )
        return level.painted(planting.stand.number, touch, planting.metres(box))


@dataclass(frozen=True)
class ChangeSettings:
    """Some settings of a stand, by slug, replaced."""

    stand: str
    settings: Mapping[str, Any]

    def apply(self, level: PlantedLevel) -> PlantedLevel:
        stand = level[self.stand].stand
        try:
            settings = StandSettings.model_validate({**stand.settings.model_dump(), **self.settings})
        except ValidationError as error:
            first = error.errors()[0]
            raise Refused(f"{'.'.join(str(part) for part in first['loc'])}: {first['msg']}") from None
        after = level.edited(level.level.with_stand(replace(stand, settings=settings)))
        after.planting(stand.number)
        return after


@dataclass(frozen=True)
class ChangeShapes:
    """Shapes put, by number, and removed."""

    put: Mapping[int, Shape] = field(default_factory=dict)
    remove: Collection[int] = ()

    def apply(self, level: PlantedLevel) -> PlantedLevel:
        shapes = {number: shape for number, shape in level.shapes.items() if number not in self.remove}
        return level.changed(shapes={**shapes, **self.put})
