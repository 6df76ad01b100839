"""The journal: who changed what, when, and what it cost. Every entry can be undone."""

from __future__ import annotations

from contextvars import ContextVar

from django.contrib.auth.models import User
from django.db import models

from server.levels.models import Level
from server.stands.models import Stand

acting: ContextVar[str] = ContextVar("acting", default="")
"""What identifies the arguments of the action that is being done; see `server.journal.action`."""


def fingerprint_of_action() -> str:
    """For entries made by an action: what identifies its arguments."""
    return acting.get()


class Entry(models.Model):
    """One action. `change` holds what is needed to take it back and to do it again."""

    class Kind(models.TextChoices):
        STROKE = "stroke"
        SETTINGS = "settings"
        MARKS = "marks"
        GROUND = "ground"
        RESOLUTION = "resolution"
        SHAPES = "shapes"
        MASKS = "masks"
        STANDS = "stands"
        PINS = "pins"
        SNAPSHOT = "snapshot"
        STROKES = "strokes"
        VIEWS = "views"
        WIND = "wind"
        ATMOSPHERE = "atmosphere"
        DRAWING = "drawing"
        TIERS = "tiers"
        WALKS = "walks"
        PLOTS = "plots"
        STOCK = "stock"
        LOOKS = "looks"
        RENAME = "rename"

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="entries")
    user = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    stand = models.ForeignKey(Stand, on_delete=models.CASCADE, null=True, related_name="+")
    kind = models.CharField(max_length=12, choices=Kind.choices)
    at = models.DateTimeField(auto_now_add=True)
    touched = models.DateTimeField(auto_now=True, help_text="when it was last done or undone")
    key = models.UUIDField(
        unique=True, help_text="given by the client, so that a request sent twice counts once"
    )
    fingerprint = models.CharField(max_length=32, blank=True, default=fingerprint_of_action)
    what = models.CharField(max_length=200)
    change = models.JSONField(default=dict)
    delta = models.BinaryField(default=bytes, help_text="strokes: zlib int16 over the box in `change`")
    gained = models.IntegerField(default=0)
    lost = models.IntegerField(default=0)
    cost = models.JSONField(default=dict, help_text="difference in the view it was done from")
    worst = models.JSONField(
        default=dict, help_text="ms more in the dearest view that it reaches, and where that is"
    )
    plot = models.CharField(max_length=80, blank=True, help_text="the plot that it was done in")
    undone = models.BooleanField(default=False)

    class Meta:
        ordering = ["-id"]
        indexes = [
            models.Index(fields=["level", "user", "undone"]),
            models.Index(fields=["level", "touched"]),
        ]


class EditArray(models.Model):
    """A long array of edits in a level's journal: a compressed NPY file, by the digest that names it."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="edit_arrays")
    digest = models.CharField(max_length=24)
    data = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["level", "digest"], name="one_edit_array")]
