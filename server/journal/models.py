"""The journal: who changed what, when, and what it cost. Every entry can be undone."""

from __future__ import annotations

from contextvars import ContextVar

from django.contrib.auth.models import User
from django.db import models

from server.levels.models import Level

acting: ContextVar[str] = ContextVar("acting", default="")
"""What identifies the arguments of the action that is being done; see `server.journal.action`."""


def fingerprint_of_action() -> str:
    """For entries made by an action: what identifies its arguments."""
    return acting.get()


class Entry(models.Model):
    """One action. `change` holds the `edit` that does it and the `inverse` that takes it back, as JSON whose
    long arrays are `server.document.arrays`."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="entries")
    user = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    stands = models.JSONField(default=list, help_text="numbers of the stands that it is about")
    kind = models.CharField(max_length=20, help_text="of its edit; of the first of several")
    at = models.DateTimeField(auto_now_add=True)
    touched = models.DateTimeField(auto_now=True, help_text="when it was last done or undone")
    key = models.UUIDField(
        unique=True, help_text="given by the client, so that a request sent twice counts once"
    )
    fingerprint = models.CharField(max_length=32, blank=True, default=fingerprint_of_action)
    what = models.CharField(max_length=200)
    change = models.JSONField(default=dict)
    gained = models.IntegerField(default=0)
    lost = models.IntegerField(default=0)
    cost = models.JSONField(default=dict, help_text="difference in the view it was done from")
    worst = models.JSONField(
        null=True,
        help_text="ms more in the dearest view that it reaches, and where that is; null until it is known",
    )
    plot = models.CharField(max_length=80, blank=True, help_text="the plot that it was done in")
    undone = models.BooleanField(default=False)
    group = models.CharField(max_length=120, blank=True, help_text="entries that are undone together")

    class Meta:
        ordering = ["-id"]
        indexes = [
            models.Index(fields=["group"]),
            models.Index(fields=["level", "user", "undone"]),
            models.Index(fields=["level", "touched"]),
        ]
