"""Meshes placed in a level."""

from __future__ import annotations

from django.db import models

from server.levels.models import Level


class Surface(models.Model):
    """One placed mesh. `number` is a part of the ids of plants on it."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="surfaces")
    number = models.PositiveIntegerField(help_text="its name in the level; none is given twice")
    settings = models.JSONField(help_text="see thicket.document.surface_settings.PlacedMesh")
    gone = models.BooleanField(default=False, help_text="it was removed, and may be brought back")

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["level", "number"], name="one_surface_per_number")]

    def __str__(self) -> str:
        return self.settings["name"]
