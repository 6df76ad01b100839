"""A level's ground: heights, ground layers and mask images, read into a document and written from one."""

from __future__ import annotations

import zlib
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np
from django.contrib.auth.models import User

from server.cache import CACHE
from server.ground.models import Mask as MaskRow
from server.levels.ground import heights_of, layers_of, next_revision, store_changed, store_raised
from server.levels.models import Level
from thicket.document.level import Level as Document
from thicket.document.mask_sources import MaskSource
from thicket.document.rasters import Mask
from thicket.formats.ground_pictures import COLOURS


def read(level: Level) -> dict[str, Any]:
    """The parts of a document that are the level's ground."""
    rows = level.masks.order_by("pk").values_list("name", "source", "digest", "pk", "rows", "columns", "bits")
    return {
        "heights": heights_of(level),
        "layers": layers_of(level),
        "masks": {name: _mask(source, *stored) for name, source, *stored in rows},
    }


def write(row: Level, before: Document, after: Document, user: User) -> None:
    """Bring the ground from one document to another; inside a transaction."""
    fields: dict[str, Any] = {}
    if before.heights is not after.heights:
        heights, revision = after.heights.ground.heights, next_revision(row)
        fields = {
            "cell": after.heights.ground.cell,
            "rows": heights.shape[0] - 1,
            "columns": heights.shape[1] - 1,
            "low": float(heights.min()),
            "high": float(heights.max()),
            "ground_revision": revision,
        }
        store_changed(row, "heights", before.heights.ground.heights, heights, revision)
        store_raised(row, before.heights, after.heights, revision)
    if before.layers is not after.layers:
        weights = after.layers.weights
        fields["layers_revision"] = next_revision(row)
        store_changed(row, "layers", before.layers.weights, weights, fields["layers_revision"])
        alike = before.layers.weights is weights
        renamed = dict(zip(after.layers.names, before.layers.names)) if alike else {}
        fields["layers"] = layers_named(row, after.layers.names, renamed)
    for name, value in fields.items():
        setattr(row, name, value)
    if fields:
        row.save(update_fields=list(fields))
    if before.masks is not after.masks:
        _write_masks(row, before.masks, after.masks)


def layers_named(
    level: Level, names: tuple[str, ...], renamed: Mapping[str, str] = {}
) -> list[dict[str, str]]:
    """Ground layers of these names with a colour each, that of the level's own where it has such a layer, or
    has it under the name that it was renamed from."""
    old = {given["name"]: given["colour"] for given in level.layers}
    old |= {now: old[was] for now, was in renamed.items() if was in old}
    spare = [colour for colour in COLOURS if colour not in old.values()] or list(COLOURS)
    return [{"name": n, "colour": old.get(n) or spare[k % len(spare)]} for k, n in enumerate(names)]


def _mask(source: dict[str, Any] | None, *stored: Any) -> Mask:
    mask = mask_of(*stored)
    return replace(mask, source=MaskSource.model_validate(source)) if source else mask


def mask_of(digest: str, pk: int, rows: int, columns: int, bits: int) -> Mask:
    """A stored mask image."""

    def read() -> Mask:
        data, painted = MaskRow.objects.values_list("data", "painted").get(pk=pk)
        base = _unpacked(data, np.uint16 if bits == 16 else np.uint8).reshape(rows, columns)
        return Mask.of(base, None, painted and _unpacked(painted, np.int32).reshape(rows, columns))

    return CACHE.get(("mask", digest, pk), read)


def _unpacked(data: bytes, kind: type) -> np.ndarray:
    return np.frombuffer(zlib.decompress(data), kind)


def _write_masks(row: Level, before: Mapping[str, Mask], after: Mapping[str, Mask]) -> None:
    """Those that differ; all of them again where the order of those that stay would be another."""
    stay = [name for name in after if name in before and before[name] is after[name]]
    put = {name: mask for name, mask in after.items() if name not in stay}
    if [name for name in before if name in stay] != stay or list(after)[: len(stay)] != stay:
        row.masks.all().delete()
        put = dict(after)
    else:
        row.masks.filter(name__in=[*(before.keys() - after.keys()), *put]).delete()
    store_masks(row, put)


def store_masks(row: Level, masks: Mapping[str, Mask]) -> None:
    """Write new mask images by their names."""
    for name, mask in masks.items():
        rows, columns = mask.values.shape
        painted = None if mask.painted is None else zlib.compress(mask.painted.tobytes(), 6)
        bits = mask.values.dtype.itemsize * 8
        MaskRow.objects.create(
            level=row,
            name=name,
            rows=rows,
            columns=columns,
            bits=bits,
            digest=mask.key,
            data=zlib.compress(np.ascontiguousarray(mask.base).tobytes(), 6),
            painted=painted,
            source=mask.source and mask.source.model_dump(mode="json"),
        )
