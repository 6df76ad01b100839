"""Another size of the touch maps' cells: tried, and kept."""

from __future__ import annotations

from uuid import UUID

from django.contrib.auth.models import User
from django.db import transaction

from server.ground.swapping import keep_ground
from server.journal.action import action
from server.journal.models import Entry
from server.levels.access import stands_of
from server.levels.models import Level
from server.levels.planted import forget_planted, planted_of
from server.stands.regridding import check_cell
from thicket.document.touch import TouchMap, fitted
from thicket.planted.comparing import compare


def resolution_tried(level: Level, cell: float) -> dict:
    """What cells of another size, in m, would mean; see `server.ground.schemas.ResolutionOut`. Nothing is
    stored."""
    shape = check_cell(level, cell)
    rows = stands_of(level)
    before = planted_of(level)
    touch = {
        n: TouchMap.of(fitted(painted.array, level.touch_cell, shape, cell))
        for n, painted in before.level.touch.items()
    }
    after = before.changed(touch_cell=cell, touch=touch)
    gained = lost = 0
    for stand in rows:
        more, fewer = compare(before.planting(stand.number), after.planting(stand.number))
        gained, lost = gained + more, lost + fewer
    now = level.touch_shape
    return {
        "rows": shape[0],
        "columns": shape[1],
        "bytes_now": 2 * now[0] * now[1] * len(rows),
        "bytes_then": 2 * shape[0] * shape[1] * len(rows),
        "stands": len(rows),
        "gained": gained,
        "lost": lost,
    }


@action
def change_resolution(user: User, level: Level, key: UUID, cell: float) -> Entry:
    """Give the touch maps another cell; all painting is resampled."""
    told = resolution_tried(level, cell)
    with transaction.atomic():
        row = Level.objects.select_for_update().get(pk=level.pk)
        entry = keep_ground(
            user,
            row,
            key,
            Entry.Kind.RESOLUTION,
            f"Touch cells of {cell:g} m instead of {row.touch_cell:g} m",
            {"touch_cell": cell},
            told["gained"],
            told["lost"],
        )
    forget_planted(level)
    return entry
