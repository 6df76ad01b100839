"""What can be planted in a level."""

from __future__ import annotations

from django.db import models

from server.levels.models import Level


class StockItem(models.Model):
    """A stock item: its binary glTF with all LODs, and the footprints of crown and trunk in m."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="stock")
    slug = models.SlugField(max_length=60)
    name = models.CharField(max_length=80)
    height = models.FloatField()
    crown = models.FloatField()
    trunk = models.FloatField()
    anchors = models.JSONField(default=list, help_text="name, place and up-direction of each anchor point in the mesh")
    revision = models.PositiveIntegerField(default=1)
    glb = models.BinaryField()
    silhouette = models.BinaryField(help_text="PNG: the item from the side, for lists")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["level", "slug"], name="one_item_per_slug")]
        ordering = ["id"]

    def __str__(self) -> str:
        return self.name
