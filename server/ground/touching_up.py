"""The ground, and mask images, touched up with a brush."""

from __future__ import annotations

from uuid import UUID

from django.contrib.auth.models import User

from server.document.own_ground import own_ground
from server.document.planted import planted_of
from server.journal.action import Done, action
from server.journal.commit import commit_made
from server.levels.models import Level
from thicket.document.edits import Edit
from thicket.planted.painting_masks import MaskBrush
from thicket.planted.touching_up import GroundBrush


@action
def touch_up(user: User, level: Level, brush: GroundBrush | MaskBrush, key: UUID) -> Done:
    """Work with a brush on the ground, or on a mask image, as one journal entry; what lies outside one's own
    plots stays as it is where planting is refused there. A key that is known counts once.

    Raises: Refused when the brush has nothing to work on.
    """

    def make(row: Level) -> tuple[Edit, str]:
        return brush.edit(planted_of(row), own_ground(row, user)), brush.what

    return commit_made(user, level, key, make, at=brush.stroke.path)
