"""Another size of the touch maps' cells."""

from __future__ import annotations

from uuid import UUID

from django.contrib.auth.models import User

from server.journal.action import Done, action
from server.journal.commit import commit_made
from server.levels.models import Level
from thicket.document.edits import Edit, SetTouchCell


@action
def change_resolution(user: User, level: Level, key: UUID, cell: float) -> Done:
    """Give the touch maps another cell; all painting is resampled."""

    def make(row: Level) -> tuple[Edit, str]:
        return SetTouchCell(cell=cell), f"Touch cells of {cell:g} m instead of {row.touch_cell:g} m"

    return commit_made(user, level, key, make)
