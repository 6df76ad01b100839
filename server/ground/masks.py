"""Mask images of a level: kept, replaced and removed."""

from __future__ import annotations

from uuid import UUID

import numpy as np
from django.contrib.auth.models import User

from server.document.planted import planted_of
from server.journal.action import Done, action
from server.journal.commit import commit_made
from server.levels.models import Level
from thicket.document.edits import ChangeMasks, Edit, RenameMask
from thicket.document.mask_sources import MaskSource
from thicket.planted.masks import made_mask
from thicket.refused import Refused


@action
def keep_mask(user: User, level: Level, key: UUID, name: str, picture: np.ndarray | None) -> Done:
    """Store a mask image (uint8 or uint16) under a name, in place of one that has it, or remove it (None);
    one journal entry.

    Raises: Refused for a bad name or too many; Missing when there is nothing to remove.
    """
    name = name.strip()
    if not name or len(name) > 40 or not name.isprintable() or name.startswith("~"):
        raise Refused("name: a mask image needs a name of at most 40 characters")

    def make(row: Level) -> tuple[Edit, str]:
        there = row.masks.filter(name=name).exists()
        verb = "removed" if picture is None else "brought in again" if there else "brought in"
        return ChangeMasks(put={name: picture}), f"Mask image {name} {verb}"

    return commit_made(user, level, key, make)


@action
def make_mask(user: User, level: Level, key: UUID, name: str, source: MaskSource) -> Done:
    """Make a mask image from the level under a name, in place of one that has it; one journal entry.

    Raises: Refused where the level does not have what it is made from, or there are too many.
    """
    mask = made_mask(planted_of(level), source)
    assert mask.source is not None
    edit = ChangeMasks(put={name: mask.values}, sources={name: mask.source})

    def make(row: Level) -> tuple[Edit, str]:
        verb = "made again" if row.masks.filter(name=name).exists() else "made"
        return edit, f"Mask image {name} {verb}"

    return commit_made(user, level, key, make)


@action
def rename_mask(user: User, level: Level, key: UUID, name: str, to: str) -> Done:
    """Give a mask image another name; one journal entry.

    Raises: Missing when there is none of this name; Refused when there is one of the other.
    """
    edit = RenameMask(name=name, to=to)
    return commit_made(user, level, key, lambda row: (edit, f"Mask image {name} is called {to}"))
