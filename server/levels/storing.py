"""A level's rows brought from one document to another: of each noun, what differs."""

from __future__ import annotations

import zlib
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from server.ground.models import Mask as MaskRow
from server.levels.looks import layers_chosen
from server.levels.models import LayerTexture, Level
from server.levels.planted import planted_of
from server.shapes.models import FIELDS, Shape
from thicket.document.level import Level as Document
from thicket.document.rasters import Mask
from thicket.document.shape_file import shape_file

VIEW = ("atmosphere", "drawing", "tiers", "walks", "plots", "wind", "bookmarks")
STAND = ("name", "stratum", "place", "seed", "locked", "colour")
SHAPE = ("form", "round", "box", "locked", "hidden", "hatch")


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


def details_of(level: Level) -> dict[str, Any]:
    """What no plant follows from, as `thicket.document.level.Level.details` has it."""
    view = {name: getattr(level, name) for name in VIEW} | {
        "layers": [{"name": name, **look} for name, look in layers_chosen(level).items()]
    }
    shapes = {shape.number: {name: getattr(shape, name) for name in SHAPE} for shape in level.shapes.all()}
    return {"view": view, "shapes": shapes, "textures": Textures(level)}


def document_now(level: Level) -> Document:
    """The level as it is stored, but for its items' meshes."""
    return replace(planted_of(level).level, details=details_of(level))


def store_difference(row: Level, before: Document, after: Document) -> None:
    """Write what differs from one document of a level to another into its rows; inside the transaction that
    has locked the level's."""
    _store_view(row, before, after)
    _store_masks(row, before, after)
    _store_shapes(row, before, after)
    _store_stands(row, before, after)


def _store_view(row: Level, before: Document, after: Document) -> None:
    was, now = before.details["view"], after.details["view"]
    fields: dict[str, Any] = {name: now[name] for name in VIEW if now[name] != was[name]}
    if before.name != after.name:
        fields["name"] = after.name
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


def _store_masks(row: Level, before: Document, after: Document) -> None:
    gone = before.masks.keys() - after.masks.keys()
    put = {n: mask for n, mask in after.masks.items() if n not in before.masks or before.masks[n] is not mask}
    if gone or put:
        row.masks.filter(name__in=[*gone, *put]).delete()
        store_masks(row, put)
        row.scene_changed()


def store_masks(row: Level, masks: Mapping[str, Mask]) -> None:
    """Write new mask images by their names."""
    for name, mask in masks.items():
        rows, columns = mask.values.shape
        data = zlib.compress(np.ascontiguousarray(mask.values).tobytes(), 6)
        bits = mask.values.dtype.itemsize * 8
        MaskRow.objects.create(
            level=row, name=name, rows=rows, columns=columns, bits=bits, digest=mask.key, data=data
        )


def _store_stands(row: Level, before: Document, after: Document) -> None:
    """Stands that both have, whose fields or settings differ."""
    for number, stand in after.stands.items():
        was = before.stands.get(number)
        if was is None or was is stand:
            continue
        given = {name: getattr(stand, name) for name in STAND}
        given["settings"] = stand.settings.model_dump(mode="json")
        stored = row.stands.get(number=number)
        for name, value in given.items():
            setattr(stored, name, value)
        stored.revision += 1
        stored.save(update_fields=[*given, "revision"])


def _store_shapes(row: Level, before: Document, after: Document) -> None:
    was, now = (
        {number: shape_file(of, number) for number in of.shapes} if before.shapes is not after.shapes else {}
        for of in (before, after)
    )
    gone = was.keys() - now.keys()
    put = [shape for number, shape in now.items() if was.get(number) != shape]
    if not gone and not put:
        return
    row.shapes.filter(number__in=gone).delete()
    for shape in put:
        given = shape.shape_settings().model_dump(mode="json", include=set(FIELDS))
        Shape.objects.update_or_create(level=row, number=shape.number, defaults=given)
    row.shape_numbers = max([row.shape_numbers, *now])
    row.save(update_fields=["shape_numbers"])
    row.scene_changed()
