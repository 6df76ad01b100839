"""Mask images as the API speaks of them."""

from __future__ import annotations

from typing import Any

from ninja import Schema
from pydantic import Field

from server.document.planted import planted_of
from server.levels.models import Level
from thicket.document.mask_sources import MaskSource
from thicket.planted.masks import is_current


class MaskOut(Schema):
    """A mask image; bits of each of its values; what it is made from, where it is made here."""

    name: str
    rows: int
    columns: int
    bits: int
    digest: str
    source: MaskSource | None
    painted: bool = Field(description="whether something is painted over it")
    current: bool = Field(description="whether it would come out the same if it were made again")


def masks_out(level: Level) -> list[dict[str, Any]]:
    """The level's mask images for the API."""
    planted = planted_of(level)
    out = []
    for name, mask in planted.level.masks.items():
        rows, columns = mask.values.shape
        out.append(
            {
                "name": name,
                "rows": rows,
                "columns": columns,
                "bits": 8 * mask.values.itemsize,
                "digest": mask.key,
                "source": mask.source,
                "painted": mask.painted is not None,
                "current": is_current(planted, mask),
            }
        )
    return out
