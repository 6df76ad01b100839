"""Single plants set, moved, changed or removed by hand."""

from __future__ import annotations

from django.db import models

from server.levels.models import Level
from server.stands.models import Stand
from thicket.planting.pins import COLUMNS as FIELDS


class Pin(models.Model):
    """A plant of a stand as a hand left it; `gone` when it was removed. `plant` is its 64-bit id.

    `home_x`, `home_z` is where the rule had it; empty for one that was added by hand.
    """

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="pins")
    stand = models.ForeignKey(Stand, on_delete=models.CASCADE, related_name="pins")
    plant = models.PositiveBigIntegerField()
    item = models.CharField(max_length=60)
    x = models.FloatField()
    z = models.FloatField()
    lift = models.FloatField(default=0, help_text="m of its foot above the ground")
    qx = models.FloatField(default=0)
    qy = models.FloatField(default=0)
    qz = models.FloatField(default=0)
    qw = models.FloatField(default=1)
    width = models.FloatField(default=1, help_text="multiple of the mesh")
    height = models.FloatField(default=1, help_text="multiple of the mesh")
    tint = models.FloatField(default=0.5)
    gone = models.BooleanField(default=False)
    home_x = models.FloatField(null=True)
    home_z = models.FloatField(null=True)
    surface = models.PositiveIntegerField(
        default=0, help_text="the placed mesh it stands on; 0 for the terrain"
    )

    class Meta:
        constraints = [models.UniqueConstraint(fields=["level", "stand", "plant"], name="one_pin_of_a_plant")]
        ordering = ["plant"]

    def as_dict(self) -> dict:
        """All that a hand can change."""
        return {name: getattr(self, name) for name in FIELDS}


class UprootedPlace(models.Model):
    """Where a stand was uprooted: no rule plants it within `radius` m of the path, whatever its settings and
    seed."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="uprooted")
    stand = models.ForeignKey(Stand, on_delete=models.CASCADE, related_name="uprooted")
    path = models.JSONField()
    radius = models.FloatField()

    class Meta:
        indexes = [models.Index(fields=["stand"], name="uprooted_of_a_stand")]
        ordering = ["pk"]
