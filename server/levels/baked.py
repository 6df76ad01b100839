"""Sheets that were planted beforehand, on disk under their content keys."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
from django.conf import settings

from server.levels.models import Level
from thicket.planting.stands import Plants


def folder_of(level: Level) -> Path:
    """Where a level's baked sheets lie."""
    return Path(settings.VAR_DIR) / "bakes" / str(level.pk)


def baked_of(level: Level) -> Callable[[str], Plants | None]:
    """What finds a level's baked sheets by their key; None when a sheet was not baked."""
    folder = folder_of(level)

    def find(key: str) -> Plants | None:
        try:
            with np.load(folder / f"{key}.npz") as file:
                return Plants(file["id"], file["form"], file["item"])
        except (OSError, ValueError, KeyError):
            return None

    return find


def store_sheet(level: Level, key: str, plants: Plants) -> None:
    """Lay a sheet down."""
    folder = folder_of(level)
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.NamedTemporaryFile(dir=folder, delete=False) as out:
        np.savez(out, id=plants.id, form=plants.form, item=plants.item)
    os.replace(out.name, folder / f"{key}.npz")
