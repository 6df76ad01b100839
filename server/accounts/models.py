"""What is kept for a person beside the account."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models


class OwnKeys(models.Model):
    """The keys that a person has given other actions than they have at first: key by action."""

    user = models.OneToOneField(User, on_delete=models.CASCADE, related_name="own_keys")
    keys = models.JSONField(default=dict)

    def __str__(self) -> str:
        return f"keys of {self.user.get_username()}"


def keys_of(user: User) -> dict[str, str]:
    """A person's own keys by action; none for nobody."""
    kept = OwnKeys.objects.filter(user_id=user.pk).first() if user.pk else None
    return kept.keys if kept else {}
