"""Site conditions wherever a level has them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from thicket.document.level import Level, Stand
from thicket.document.rasters import Mask
from thicket.document.settings import ConditionSettings


def with_conditions(level: Level, change: Callable[[ConditionSettings], ConditionSettings]) -> Level:
    """A level in which each condition of stands, of items in their mixes and of masks that are made here is
    changed; a change gives the same object where nothing differs."""

    def of_mask(mask: Mask) -> Mask:
        if mask.source is None:
            return mask
        fresh = list(map(change, mask.source.conditions))
        if all(a is b for a, b in zip(fresh, mask.source.conditions)):
            return mask
        return replace(mask, source=mask.source.model_copy(update={"conditions": fresh}))

    def of_stand(stand: Stand) -> Stand:
        settings = stand.settings
        given = [*settings.conditions, *(entry.drive for entry in settings.mix if entry.drive)]
        if all(change(c) is c for c in given):
            return stand
        mix = [
            entry.model_copy(update={"drive": entry.drive and change(entry.drive)}) for entry in settings.mix
        ]
        conditions = list(map(change, settings.conditions))
        return replace(stand, settings=settings.model_copy(update={"mix": mix, "conditions": conditions}))

    masks = {name: of_mask(mask) for name, mask in level.masks.items()}
    stands = {number: of_stand(stand) for number, stand in level.stands.items()}
    return replace(level, masks=masks, stands=stands)
