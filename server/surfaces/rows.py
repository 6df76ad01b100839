"""A level's placed meshes, read into a document and written from one."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User

from server.levels.models import Level
from server.surfaces.models import Surface
from thicket.document.level import Level as Document
from thicket.document.surface_settings import PlacedMesh


def read(level: Level) -> dict[str, Any]:
    """The part of a document that is the level's placed meshes."""
    rows = level.surfaces.filter(gone=False)
    return {"surfaces": {row.number: PlacedMesh.model_validate(row.settings) for row in rows}}


def write(row: Level, before: Document, after: Document, user: User) -> None:
    """Bring the placed meshes from one document to another; inside a transaction. The row of one that goes
    stays, marked as gone, so that its number is not given again."""
    if before.surfaces is after.surfaces:
        return
    gone = before.surfaces.keys() - after.surfaces.keys()
    row.surfaces.filter(number__in=gone).update(gone=True)
    for number, placed in after.surfaces.items():
        if before.surfaces.get(number) != placed:
            values = {"settings": placed.model_dump(mode="json"), "gone": False}
            Surface.objects.update_or_create(level=row, number=number, defaults=values)
