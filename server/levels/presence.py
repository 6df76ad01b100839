"""Who is in a level, and where. It is told anew every second or two."""

from __future__ import annotations

from datetime import timedelta

from django.contrib.auth.models import User
from django.db.models import QuerySet
from django.db.models.functions import Now

from server.levels.models import Level, Presence

AWAY = timedelta(seconds=6)
"""Who says nothing for so long is taken to have left."""


def tell(level: Level, user: User, x: float, z: float, heading: float, bench: str) -> None:
    """Note where somebody is in a level."""
    Presence.objects.bulk_create(
        [Presence(level=level, user=user, x=x, z=z, heading=heading, bench=bench, at=Now())],
        update_conflicts=True,
        update_fields=["x", "z", "heading", "bench", "at"],
    )


def others(level: Level, user: User) -> QuerySet[Presence]:
    """Who else is in a level, by name."""
    here = level.present.filter(at__gt=Now() - AWAY).exclude(user=user)
    return here.select_related("user").order_by("user__username")


def leave(level: Level, user: User) -> None:
    """Note that somebody has left a level."""
    level.present.filter(user=user).delete()
