"""Meshes placed, moved and removed, with the plants on them."""

from __future__ import annotations

from itertools import count
from uuid import UUID

from django.contrib.auth.models import User

from server.document.planted import planted_of
from server.journal.action import Done, action
from server.journal.commit import commit_made
from server.levels.models import Level
from thicket.document.edits import ChangeSurfaces
from thicket.document.surface_settings import PlacedMesh
from thicket.refused import Missing, Refused


def edit_of(level: Level, put: list[tuple[int | None, PlacedMesh]], remove: list[int]) -> ChangeSurfaces:
    """The edit that puts placed meshes, with a number where they are known, and removes some; new ones are
    given the next numbers.

    Raises: Refused when there are none; Missing when one of a number is not there.
    """
    if not put and not remove:
        raise Refused("put: say which meshes are to be placed or removed")
    for number, placed in put:
        if number and number not in planted_of(level).level.surfaces:
            raise Missing(
                f"id: {level.name} has no placed mesh {number}; somebody may have removed {placed.name}"
            )
    highest = level.surfaces.order_by("-number").values_list("number", flat=True).first() or 0
    numbers = count(highest + 1)
    changes: dict[int, PlacedMesh | None] = dict.fromkeys(remove)
    changes |= {number or next(numbers): placed for number, placed in put}
    return ChangeSurfaces(put=changes)


@action
def change_surfaces(
    user: User,
    level: Level,
    key: UUID,
    what: str,
    put: list[tuple[int | None, PlacedMesh]],
    remove: list[int],
) -> Done:
    """Put and remove placed meshes as one journal entry; a key that is known counts once."""
    return commit_made(user, level, key, lambda row: (edit_of(row, put, remove), what))
