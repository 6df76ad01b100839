"""Ground layers added, renamed and removed, each as one journal entry."""

from __future__ import annotations

from uuid import UUID

from django.contrib.auth.models import User

from server.document.planted import planted_of
from server.journal.action import Done, action
from server.journal.commit import commit_made
from server.levels.models import Level
from thicket.document.edits import RenameLayer
from thicket.document.edits.layers import layer_added, layer_removed


@action
def add(user: User, level: Level, name: str, key: UUID) -> Done:
    """Add a ground layer, which lies nowhere until it is painted.

    Raises: Refused when there is one of that name, or too many.
    """
    what = f"Ground layer {name} added"
    return commit_made(user, level, key, lambda row: (layer_added(planted_of(row).level, name), what))


@action
def rename(user: User, level: Level, name: str, to: str, key: UUID) -> Done:
    """Give a ground layer another name.

    Raises: Refused when there is one of that name, Missing when there is none to rename.
    """
    what = f"Ground layer {name} renamed {to}"
    return commit_made(user, level, key, lambda row: (RenameLayer(name=name, to=to), what))


@action
def remove(user: User, level: Level, name: str, key: UUID) -> Done:
    """Remove a ground layer; the others take its place.

    Raises: Missing when there is none of that name.
    """
    what = f"Ground layer {name} removed"
    return commit_made(user, level, key, lambda row: (layer_removed(planted_of(row).level, name), what))
