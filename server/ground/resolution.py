"""Another size of the touch maps' cells: tried, and kept."""

from __future__ import annotations

from uuid import UUID

from django.contrib.auth.models import User

from server.document.planted import planted_of
from server.journal.action import Done, action
from server.journal.commit import commit_made
from server.levels.models import Level
from thicket.document.edits import Edit, SetTouchCell


def resolution_tried(level: Level, cell: float) -> dict:
    """What cells of another size, in m, would mean; see `server.ground.schemas.ResolutionOut`. Nothing is
    stored.

    Raises: Refused when the cell is out of bounds or would make too many.
    """
    step = planted_of(level).after(SetTouchCell(cell=cell))
    now, then, stands = step.before.level.touch_shape, step.after.level.touch_shape, len(step.after.stands)
    return {
        "rows": then[0],
        "columns": then[1],
        "bytes_now": 2 * now[0] * now[1] * stands,
        "bytes_then": 2 * then[0] * then[1] * stands,
        "stands": stands,
        "gained": step.gained,
        "lost": step.lost,
    }


@action
def change_resolution(user: User, level: Level, key: UUID, cell: float) -> Done:
    """Give the touch maps another cell; all painting is resampled."""

    def make(row: Level) -> tuple[Edit, str]:
        return SetTouchCell(cell=cell), f"Touch cells of {cell:g} m instead of {row.touch_cell:g} m"

    return commit_made(user, level, key, make)
