"""What is kept for a person beside the account."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models


class Profile(models.Model):
    """The keys that a person has given other actions than they have at first, key by action; and the mark
    that shows them on the plan."""

    class Mark(models.TextChoices):
        DIAMOND = "diamond"
        DISC = "disc"
        SQUARE = "square"
        TRIANGLE = "triangle"
        RING = "ring"
        CROSS = "cross"
        BAR = "bar"
        STAR = "star"

    user = models.OneToOneField(User, on_delete=models.CASCADE, related_name="profile")
    keys = models.JSONField(default=dict)
    mark = models.CharField(max_length=10, default=Mark.DIAMOND)

    def __str__(self) -> str:
        return f"profile of {self.user.get_username()}"


def profile_of(user: User) -> Profile:
    """What is kept for a person; what holds at first for who has kept nothing, and for nobody."""
    kept = Profile.objects.filter(user_id=user.pk).first() if user.pk else None
    return kept or Profile()
