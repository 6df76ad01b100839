"""Shapes kept, journalled and taken back, with the plants that come and go by them."""

from __future__ import annotations

from uuid import UUID

from django.contrib.auth.models import User
from django.db import transaction
from ninja.errors import HttpError

from server.journal.action import action
from server.journal.models import Entry
from server.levels.access import stands_of
from server.levels.models import Level
from server.levels.planted import forget_planted, planted_of
from server.shapes.models import FIELDS, Shape, core_shape
from server.sight.worst import change_at_worst
from thicket.ground.shapes import Shape as CoreShape
from thicket.limits import SHAPES, check_count
from thicket.planted.comparing import compare
from thicket.planted.level import PlantedLevel
from thicket.refused import Refused


def plants_moved(level: Level, before: PlantedLevel, after: PlantedLevel) -> dict[int, tuple[int, int]]:
    """Plants gained and lost between two states of a level, by each stand's primary key."""
    return {
        stand.pk: compare(before.planting(stand.number), after.planting(stand.number))
        for stand in stands_of(level)
    }


def _check(level: Level, given: dict, known: Shape | None) -> CoreShape:
    core = core_shape(given)
    slack = 1e-6
    outside = [
        p
        for p in given["points"]
        if not (-slack <= p[0] <= level.width + slack and -slack <= p[1] <= level.length + slack)
    ]
    moved = known is None or known.points != given["points"]
    if moved and outside:
        raise Refused(
            f"{given['kind']} {given['name']!r}: {outside[0][0]:g}, {outside[0][1]:g} lies outside "
            f"the level, which is "
            f"{level.width:g} m × {level.length:g} m"
        )
    if known and known.locked:
        changed = [
            name
            for name in FIELDS
            if getattr(known, name) != given[name] and name not in ("locked", "hidden")
        ]
        if changed:
            raise HttpError(409, f"{known.name} is locked: unlock it first.")
    return core


def would_be(level: Level, put: list[dict], remove: list[int]) -> PlantedLevel:
    """The level as it would be with shapes put (with `id` where they are known) and removed, nothing stored.

    Raises: Refused or HttpError when one cannot be.
    """
    known = {shape.number: shape for shape in level.shapes.all()}
    shapes = dict(planted_of(level).shapes)
    for k, given in enumerate(put):
        number = given.get("id")
        if number is not None and number not in known:
            raise HttpError(404, f"id: {level.name} has no shape {number}; somebody may have removed it.")
        shapes[-1 - k if number is None else number] = _check(level, given, known.get(number))
    for number in remove:
        if number not in known:
            raise HttpError(404, f"id: {level.name} has no shape {number}; somebody may have removed it.")
        if known[number].locked:
            raise HttpError(409, f"{known[number].name} is locked: unlock it first.")
        shapes.pop(number)
    check_count("shapes", shapes, SHAPES)
    return planted_of(level).changed(shapes=shapes)


@action
def change_shapes(
    user: User, level: Level, key: UUID, what: str, put: list[dict], remove: list[int]
) -> Entry:
    """Put and remove shapes as one journal entry; a key that is known counts once."""
    with transaction.atomic():
        Level.objects.select_for_update().get(pk=level.pk)
        level.refresh_from_db(fields=["scene_revision"])
        forget_planted(level)
        before = planted_of(level)
        would_be(level, put, remove)
        change: dict[str, dict] = {"before": {}, "after": {}}
        for number in remove:
            change["before"][str(number)], change["after"][str(number)] = (
                level.shapes.get(number=number).as_dict(),
                None,
            )
        level.shapes.filter(number__in=remove).delete()
        for given in put:
            values = {name: given[name] for name in FIELDS}
            row = level.shapes.filter(number=given.get("id")).first()
            was = row.as_dict() if row else None
            row = row or Shape(level=level)
            for name, value in values.items():
                setattr(row, name, value)
            row.save()
            change["before"][str(row.number)], change["after"][str(row.number)] = was, values
        level.scene_changed()
        forget_planted(level)
        moved = plants_moved(level, before, planted_of(level))
        gained, lost = (sum(counts[k] for counts in moved.values()) for k in (0, 1))
        return Entry.objects.create(
            level=level,
            user=user,
            kind=Entry.Kind.SHAPES,
            key=key,
            what=what[:200],
            change=change,
            gained=gained,
            lost=lost,
            worst=change_at_worst(level, before),
        )


def swap_shapes(entry: Entry, back: bool) -> None:
    """Put shapes back as they were before an entry, or as they were after it; inside a transaction.

    Raises: HttpError 409 when one of them has been changed since.
    """
    have, want = (
        (entry.change["after"], entry.change["before"])
        if back
        else (entry.change["before"], entry.change["after"])
    )
    known = {
        str(shape.number): shape
        for shape in Shape.objects.select_for_update().filter(level_id=entry.level_id)
    }
    for number, given in have.items():
        now = known[number].as_dict() if number in known else None
        if now != (given and {"trail": None, **given}):
            name = (given or now or {}).get("name") or "The shape"
            raise HttpError(409, f"{name} has been changed since; undo that first.")
    for number, given in want.items():
        if given is None:
            known[number].delete()
        else:
            pk = known[number].pk if number in known else None
            Shape(pk=pk, number=int(number), level_id=entry.level_id, **given).save()
    entry.level.scene_changed()
