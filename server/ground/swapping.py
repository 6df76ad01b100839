"""Ground kept in place of another: the level's fields swapped, its touch fitted, and all of it taken back."""

from __future__ import annotations

from uuid import UUID

import numpy as np
from django.contrib.auth.models import User
from ninja.errors import HttpError

from server.journal.models import Entry
from server.levels.ground import heights_of
from server.levels.models import Level
from server.levels.planted import forget_planted, planted_of
from server.sight.worst import change_at_worst
from server.stands.regridding import painted_since, regrid, restore

FIELDS = (
    "cell",
    "rows",
    "columns",
    "low",
    "high",
    "ground_revision",
    "layers_revision",
    "layers",
    "bookmarks",
    "touch_cell",
)


def state_of(level: Level) -> dict:
    """All of a level that a change of its ground may change."""
    return {name: getattr(level, name) for name in FIELDS}


def reseated(level: Level, heights: np.ndarray, cell: float) -> list[dict]:
    """The bookmarks, each as high above the new ground as it was above the old."""
    from thicket.ground.heights import Ground

    if not level.bookmarks:
        return []
    old, new = heights_of(level).ground, Ground(heights, cell)
    x, z = (np.array([b[k] for b in level.bookmarks], float) for k in "xz")
    rise = new.height_at(x, z) - old.height_at(x, z)
    return [{**b, "y": round(b["y"] + float(up), 2)} for b, up in zip(level.bookmarks, rise)]


def keep_ground(
    user: User,
    level: Level,
    key: UUID,
    kind: str,
    what: str,
    fields: dict,
    gained: int = 0,
    lost: int = 0,
    cost: dict | None = None,
) -> Entry:
    """Give a level new ground fields as one journal entry, its touch brought to the new extent and cells.

    Inside a transaction, with the level's row locked. `fields` are those of `FIELDS` that change.
    """
    planted, before = planted_of(level), state_of(level)
    shape, cell = level.touch_shape, level.touch_cell
    for name, value in fields.items():
        setattr(level, name, value)
    entry = Entry.objects.create(
        level=level,
        user=user,
        kind=kind,
        key=key,
        what=what[:200],
        gained=gained,
        lost=lost,
        cost=cost or {},
        change={"before": before, "after": state_of(level)},
    )
    if (level.touch_shape, level.touch_cell) != (shape, cell):
        entry.change["touch"] = True
        entry.save(update_fields=["change"])
        regrid(entry, level, cell, shape)
    level.save()
    forget_planted(level)
    entry.worst = change_at_worst(level, planted)
    entry.save(update_fields=["worst"])
    return entry


def swap_ground(entry: Entry, back: bool) -> None:
    """Take a change of the ground or of the touch's cells back, or do it again; inside a transaction.

    Raises: HttpError 409 when the ground has been changed since.
    """
    level = Level.objects.select_for_update().get(pk=entry.level_id)
    have, want = (
        (entry.change["after"], entry.change["before"])
        if back
        else (entry.change["before"], entry.change["after"])
    )
    for name in FIELDS:
        if have[name] != want[name] and getattr(level, name) != have[name]:
            raise HttpError(
                409, f"The {name.replace('_', ' ')} of the ground has been changed since; undo that first."
            )
    shape, cell = level.touch_shape, level.touch_cell
    for name in FIELDS:
        if have[name] != want[name]:
            setattr(level, name, want[name])
    level.save()
    if entry.change.get("touch"):
        if back and not painted_since(entry):
            restore(entry)
        else:
            entry.kept_touch.all().delete()
            regrid(entry, level, cell, shape)
