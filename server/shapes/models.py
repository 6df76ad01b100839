"""Paths, areas and obstacles drawn in a level."""

from __future__ import annotations

from django.db import models

from server.levels.models import Level
from thicket.ground.shapes import Shape as CoreShape
from thicket.ground.shapes import Trail

FIELDS = (
    "kind",
    "form",
    "name",
    "points",
    "round",
    "box",
    "width",
    "clear",
    "locked",
    "hidden",
    "hatch",
    "group",
    "trail",
)


class Shape(models.Model):
    """One shape, in level metres. `number` is what settings of the level name it by. `points` is the line or
    outline that counts; `round` and `box` are what the corners of a round or box-shaped obstacle follow
    from."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="shapes")
    number = models.PositiveBigIntegerField(help_text="its name in the level; none is given twice")
    kind = models.CharField(max_length=10)
    form = models.CharField(max_length=10)
    name = models.CharField(max_length=80)
    points = models.JSONField()
    round = models.JSONField(null=True)
    box = models.JSONField(null=True)
    width = models.FloatField(default=4.0, help_text="m, of a path")
    clear = models.FloatField(
        null=True, help_text="m beyond the edge kept free of plants; null keeps nothing free"
    )
    locked = models.BooleanField(default=False)
    hidden = models.BooleanField(default=False)
    trail = models.JSONField(null=True, help_text="how a path lays plants over; null when it does not")
    hatch = models.CharField(max_length=10, default="slant")
    group = models.CharField(max_length=80, default="", blank=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["level", "number"], name="one_shape_per_number")]

    def __str__(self) -> str:
        return self.name

    def save(self, *args, **kwargs) -> None:
        """Store it; a new one is given the level's next number."""
        if self.number is None:
            Level.objects.filter(pk=self.level_id).update(shape_numbers=models.F("shape_numbers") + 1)
            self.number = Level.objects.values_list("shape_numbers", flat=True).get(pk=self.level_id)
        super().save(*args, **kwargs)

    def as_dict(self) -> dict:
        """All that a person can set."""
        return {name: getattr(self, name) for name in FIELDS}

    @property
    def core(self) -> CoreShape:
        """The shape as the core measures it."""
        return core_shape(self.as_dict())


def core_shape(given: dict) -> CoreShape:
    """A shape's settings as the core measures them.

    Raises: ValueError when they make no shape.
    """
    trail = given.get("trail")
    return CoreShape(
        given["kind"],
        tuple((float(x), float(z)) for x, z in given["points"]),
        given["width"],
        given["clear"],
        given["name"],
        trail and Trail(trail["reach"], trail["lean"], trail["flatten"], tuple(trail["strata"])),
        given.get("group", ""),
    )
