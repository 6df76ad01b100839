"""A level's shapes, read into a document and written from one."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User

from server.levels.models import Level
from server.shapes.models import FIELDS, Shape
from thicket.document.level import Level as Document
from thicket.document.shape_file import shape_file

SEEN = ("form", "round", "box", "locked", "hidden", "hatch")


def read(level: Level) -> dict[str, Any]:
    """The parts of a document that are the level's shapes."""
    rows = list(level.shapes.all())
    return {
        "shapes": {shape.number: shape.core for shape in rows},
        "details": {"shapes": {s.number: {name: getattr(s, name) for name in SEEN} for s in rows}},
    }


def write(row: Level, before: Document, after: Document, user: User) -> None:
    """Bring the shapes from one document to another; inside a transaction."""
    if before.shapes is after.shapes and before.details.get("shapes") is after.details.get("shapes"):
        return
    was, now = ({number: shape_file(of, number) for number in of.shapes} for of in (before, after))
    row.shapes.filter(number__in=was.keys() - now.keys()).delete()
    for shape in now.values():
        if was.get(shape.number) != shape:
            given = shape.shape_settings().model_dump(mode="json", include=set(FIELDS))
            given["width"] = shape.width
            Shape.objects.update_or_create(level=row, number=shape.number, defaults=given)
    row.shape_numbers = max([row.shape_numbers, *now])
    row.save(update_fields=["shape_numbers"])
