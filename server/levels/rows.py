"""What is kept with a level as a whole: its row read into a document, and written from one."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from django.contrib.auth.models import User

from server.levels.looks import layers_chosen
from server.levels.models import LayerTexture, Level
from thicket.document.level import Level as Document

VIEW = ("atmosphere", "drawing", "tiers", "walks", "recipes", "plots", "wind", "bookmarks")


class Textures(Mapping[str, bytes]):
    """The pictures that a level's ground layers have been drawn with, by digest, read as they are asked
    for."""

    def __init__(self, level: Level) -> None:
        self.rows = level.layer_textures

    def __getitem__(self, digest: str) -> bytes:
        data = self.rows.filter(digest=digest).values_list("data", flat=True).first()
        if data is None:
            raise KeyError(digest)
        return bytes(data)

    def __iter__(self) -> Iterator[str]:
        return iter(self.rows.order_by("pk").values_list("digest", flat=True))

    def __len__(self) -> int:
        return self.rows.count()


def view_of(level: Level) -> dict[str, Any]:
    """What the level's row holds of `details["view"]` of a document."""
    layers = [{"name": name, **look} for name, look in layers_chosen(level).items()]
    return {name: getattr(level, name) for name in VIEW} | {"layers": layers}


def read(level: Level) -> dict[str, Any]:
    """The parts of a document that the level's row holds."""
    return {
        "slug": level.slug,
        "name": level.name,
        "seed": level.seed,
        "touch_cell": level.touch_cell,
        "details": {"view": view_of(level), "textures": Textures(level)},
    }


def write(row: Level, before: Document, after: Document, user: User) -> None:
    """Bring the level's row from one document to another; inside a transaction."""
    was, now = before.details["view"], after.details["view"]
    fields: dict[str, Any] = {name: now[name] for name in VIEW if now[name] != was[name]}
    for name in ("name", "touch_cell"):
        if getattr(before, name) != getattr(after, name):
            fields[name] = getattr(after, name)
    if now["layers"] != was["layers"]:
        fields["looks"] = {
            given["name"]: {name: value for name, value in given.items() if name != "name"}
            for given in now["layers"]
        }
    if before.details["textures"] is not after.details["textures"]:
        for digest, picture in after.details["textures"].items():
            LayerTexture.objects.get_or_create(level=row, digest=digest, defaults={"data": picture})
    if fields:
        for name, value in fields.items():
            setattr(row, name, value)
        row.save(update_fields=list(fields))
