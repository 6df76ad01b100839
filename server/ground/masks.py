"""Mask images of a level: kept, replaced and removed, each undoable."""

from __future__ import annotations

import hashlib
import zlib
from uuid import UUID

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction
from ninja.errors import HttpError

from server.ground.models import Mask
from server.journal.action import action
from server.journal.models import Entry
from server.levels.models import Level
from server.levels.planted import forget_planted, planted_of
from server.sight.worst import change_at_worst
from thicket.limits import MASKS
from thicket.refused import Refused

HIDDEN = "~kept~"
"""Begins the name of a picture that is only kept for undo."""


def masks_of(level: Level):
    """The mask images that a person can use."""
    return level.masks.exclude(name__startswith=HIDDEN)


@action
def keep_mask(user: User, level: Level, key: UUID, name: str, picture: np.ndarray | None) -> Entry:
    """Store a mask image (uint8 or uint16) under a name, in place of one that has it, or remove it (None);
    one journal entry.

    Raises: Refused for a bad name or too many; HttpError 404 when there is nothing to remove.
    """
    name = name.strip()
    if not name or len(name) > 40 or not name.isprintable() or name.startswith("~"):
        raise Refused("name: a mask image needs a name of at most 40 characters")
    with transaction.atomic():
        Level.objects.select_for_update().get(pk=level.pk)
        before = planted_of(level)
        now = level.masks.filter(name=name).first()
        if picture is None and now is None:
            raise HttpError(404, f"name: {level.name} has no mask image {name!r}.")
        if now is None and masks_of(level).count() >= MASKS:
            raise Refused(f"name: a level holds at most {MASKS} mask images")
        kept = f"{HIDDEN}{key.hex}"
        was = now.digest if now else None
        if now:
            Mask.objects.filter(pk=now.pk).update(name=kept)
        after = None
        if picture is not None:
            said = str(picture.shape) + ("" if picture.dtype == np.uint8 else " 16")
            after = hashlib.blake2b(picture, digest_size=12, key=said.encode()).hexdigest()
            Mask.objects.create(
                level=level,
                name=name,
                rows=picture.shape[0],
                columns=picture.shape[1],
                bits=picture.dtype.itemsize * 8,
                digest=after,
                data=zlib.compress(np.ascontiguousarray(picture).tobytes(), 6),
            )
        level.scene_changed()
        forget_planted(level)
        verb = "removed" if picture is None else "brought in anew" if was else "brought in"
        return Entry.objects.create(
            level=level,
            user=user,
            kind=Entry.Kind.MASKS,
            key=key,
            what=f"Mask image {name} {verb}",
            change={"name": name, "kept": kept, "before": was, "after": after},
            worst=change_at_worst(level, before),
        )
