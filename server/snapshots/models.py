"""The planting of a level as it was at a moment, under a name."""

from __future__ import annotations

from django.db import models

from server.levels.models import Level, RasterTile
from server.stands.models import Stand


class Snapshot(models.Model):
    """A saved state: `stands` holds each stand's row by primary key, `pins` its pins by stand and plant,
    `uprooted` the places. One without a name is kept for undo only."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="snapshots")
    name = models.CharField(max_length=80, blank=True)
    by = models.ForeignKey("auth.User", on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    touch_cell = models.FloatField()
    stands = models.JSONField()
    pins = models.JSONField()
    uprooted = models.JSONField(default=list)
    count = models.PositiveIntegerField(default=0, help_text="plants and tufts when it was taken")

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return self.name


class SnapshotTouch(RasterTile):
    """A touch tile of a snapshot."""

    snapshot = models.ForeignKey(Snapshot, on_delete=models.CASCADE, related_name="touch_tiles")
    stand = models.ForeignKey(Stand, on_delete=models.CASCADE, related_name="+")
