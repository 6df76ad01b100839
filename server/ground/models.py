"""What is brought in for a level's ground: files that wait to be kept, and mask images."""

from __future__ import annotations

import uuid

from django.contrib.auth.models import User
from django.db import models

from server.levels.models import Level


class Draft(models.Model):
    """Files that were brought in and are looked at before they are kept. The files lie in the folder
    `server.ground.drafts` names; `options` are what the person says of them, `found` what was read."""

    class Kind(models.TextChoices):
        HEIGHTS = "heights"
        LAYERS = "layers"

    class State(models.TextChoices):
        READING = "reading"
        READY = "ready"
        FAILED = "failed"
        KEEPING = "keeping"
        STORED = "kept"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    level = models.ForeignKey(Level, on_delete=models.CASCADE, null=True, related_name="+")
    kind = models.CharField(max_length=10)
    state = models.CharField(max_length=10, default=State.READING)
    names = models.JSONField(default=list, help_text="the files' own names, in order")
    options = models.JSONField(default=dict)
    made = models.JSONField(
        default=dict, help_text="of ground that is made here: see server.ground.schemas.MadeIn"
    )
    found = models.JSONField(default=dict)
    forecast = models.JSONField(null=True)
    trouble = models.CharField(max_length=500, blank=True)
    at = models.DateTimeField(auto_now_add=True)

    @property
    def busy(self) -> bool:
        """Whether the worker is at it, or is to be."""
        return self.state in (self.State.READING, self.State.KEEPING)


class Mask(models.Model):
    """A greyscale picture, stretched over the level: zlib of uint8 or uint16, row by row, without what
    is painted over it, int32 of its shape; what it is made from, where it is made here. `digest` is that of
    both together."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="masks")
    name = models.CharField(max_length=60)
    rows = models.PositiveIntegerField()
    columns = models.PositiveIntegerField()
    bits = models.PositiveSmallIntegerField(default=8)
    digest = models.CharField(max_length=32)
    data = models.BinaryField()
    painted = models.BinaryField(null=True)
    source = models.JSONField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["level", "name"], name="one_mask_per_name")]
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name
