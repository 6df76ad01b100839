"""Who is in a level, and where. It is reported every second or two."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.contrib.auth.models import User
from django.db.models import F, Value
from django.db.models.functions import Coalesce, Now

from server.accounts.models import Profile
from server.levels.models import Level, Presence

AWAY = timedelta(seconds=6)
"""Who says nothing for so long is taken to have left."""


def report(level: Level, user: User, x: float, z: float, heading: float, bench: str) -> None:
    """Note where somebody is in a level."""
    Presence.objects.bulk_create(
        [Presence(level=level, user=user, x=x, z=z, heading=heading, bench=bench, at=Now())],
        update_conflicts=True,
        update_fields=["x", "z", "heading", "bench", "at"],
    )


def others(level: Level, user: User) -> list[dict[str, Any]]:
    """Who else is in a level, by name: name, the `mark` that shows them on the plan, x, z, heading, bench."""
    here = level.present.filter(at__gt=Now() - AWAY).exclude(user=user).order_by("user__username")
    mark = Coalesce(F("user__profile__mark"), Value(str(Profile.Mark.DIAMOND)))
    return list(here.values("x", "z", "heading", "bench", mark=mark, name=F("user__username")))


def leave(level: Level, user: User) -> None:
    """Note that somebody has left a level."""
    level.present.filter(user=user).delete()
