"""Whether a stand's settings can be planted in its level."""

from __future__ import annotations

from ninja.errors import HttpError

from server.levels.scene import scene_of
from server.stands.engine import Planting
from server.stands.models import Stand
from server.stands.schemas import StandSettings
from thicket.ground.hollow import disc
from thicket.site.conditions import NAMES


def merged(stand: Stand, changes: dict) -> StandSettings:
    """The stand's settings with some replaced, checked.

    Raises: ValidationError or ValueError with the field's name; HttpError when an item is unknown.
    """
    settings = StandSettings.model_validate({**stand.settings, **changes})
    known = set(stand.level.stock.values_list("slug", flat=True))
    for entry in settings.mix:
        if entry.item not in known:
            raise HttpError(422, f"mix.item: there is no stock item {entry.item!r} in this level.")
    if "conditions" in changes:
        check_conditions(stand, settings)
    Planting(stand, settings)
    return settings


def check_conditions(stand: Stand, settings: StandSettings) -> None:
    """Refuse conditions that ask for what the level does not have, or for a stand that must not be asked.

    Raises: ValueError naming the condition.
    """
    scene = scene_of(stand.level)
    for number, c in enumerate(settings.rules(), start=1):
        where = f"conditions: number {number}, {NAMES.get(c.kind, c.kind)}"
        lack = scene.lacks(c)
        if lack:
            raise ValueError(f"{where}: {lack[0].lower()}{lack[1:]}")
        if c.kind in ("hollow", "flat"):
            disc(c.radius, scene.cell)
        if c.kind == "stand":
            other = scene.stands[c.stand]
            if other.sward:
                raise ValueError(f"{where}: {other.name} is a sward, it has no single plants to be near or away from")
            if other.order >= stand.order:
                raise ValueError(f"{where}: {other.name} does not stand above {stand.name}; only stands above it, which are "
                                 "planted first, can be asked for")
