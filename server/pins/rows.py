"""Rows of pins, stored and put back."""

from __future__ import annotations

from ninja.errors import HttpError

from server.levels.models import Level
from server.levels.scene import forget_scene
from server.pins.models import Pin

Rows = dict[str, dict | None]
"""What a hand can change of each plant, by id as text; None where there is no pin."""


def put_rows(level: Level, stand: int, rows: Rows) -> None:
    """Store rows of pins of one stand; inside a transaction."""
    level.pins.filter(plant__in=[int(plant) for plant in rows]).delete()
    Pin.objects.bulk_create([Pin(level=level, stand_id=stand, plant=int(plant), **said) for plant, said in rows.items() if said])
    level.pins_changed()


def swap_rows(level: Level, stand: int, have: Rows, want: Rows) -> None:
    """Put rows in others' stead; inside a transaction.

    Raises: HttpError 409 when one of those that are there has been changed since.
    """
    now = {str(p.plant): p.as_dict() for p in Pin.objects.select_for_update().filter(
        level=level, plant__in=[int(plant) for plant in have])}
    if any(now.get(plant) != said for plant, said in have.items()):
        raise HttpError(409, "A plant that this set by hand has been changed since; undo that first.")
    put_rows(level, stand, want)
    forget_scene(level)
