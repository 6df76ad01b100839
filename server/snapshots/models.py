"""The planting of a level as it was at a moment, under a name."""

from __future__ import annotations

from django.db import models

from server.levels.models import Level, RasterTile
from server.stands.models import Stand


class Snapshot(models.Model):
    """The planting of a level under a name: stands, pins and uprooted places as
    `thicket.document.edits.snapshots.Saved` has them; touch lies in tiles."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="snapshots")
    name = models.CharField(max_length=80)
    place = models.PositiveSmallIntegerField(default=0, help_text="its place among the level's snapshots")
    by = models.ForeignKey("auth.User", on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    touch_cell = models.FloatField()
    touch_rows = models.PositiveIntegerField()
    touch_columns = models.PositiveIntegerField()
    stands = models.JSONField()
    pins = models.JSONField()
    uprooted = models.JSONField(default=dict)
    mesh_touch = models.JSONField(
        default=dict, help_text="by stands' numbers, compressed files of MeshTouch in base64"
    )
    count = models.PositiveIntegerField(default=0, help_text="plants and tufts when it was taken")

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return self.name


class SnapshotTouch(RasterTile):
    """A touch tile of a snapshot."""

    revision = models.PositiveBigIntegerField()
    snapshot = models.ForeignKey(Snapshot, on_delete=models.CASCADE, related_name="touch_tiles")
    stand = models.ForeignKey(Stand, on_delete=models.CASCADE, related_name="+")
