"""Levels, who may do what in them, and their ground."""

from __future__ import annotations

import secrets
from math import ceil

from django.contrib.auth.models import User
from django.db import models


class Level(models.Model):
    """One terrain with its stock list, stands and budget. Lengths in m."""

    slug = models.SlugField(max_length=60, unique=True)
    name = models.CharField(max_length=80)
    seed = models.PositiveIntegerField()
    cell = models.FloatField(help_text="m between height vertices, and the size of a raster cell")
    rows = models.PositiveIntegerField(help_text="cells along z")
    columns = models.PositiveIntegerField(help_text="cells along x")
    low = models.FloatField()
    high = models.FloatField()
    version = models.PositiveBigIntegerField(default=1, help_text="higher with every change of the level")
    ground_revision = models.PositiveIntegerField(default=1, help_text="the newest of the heights' tiles")
    layers_revision = models.PositiveIntegerField(default=1, help_text="the newest of the layers' tiles")
    shape_numbers = models.PositiveBigIntegerField(
        default=0, help_text="the highest number that a shape of it was given"
    )
    touch_cell = models.FloatField(default=1.0, help_text="m, size of a cell of the touch maps")
    layers = models.JSONField(default=list, help_text="name and colour of each ground layer")
    bookmarks = models.JSONField(default=list, help_text="named views")
    atmosphere = models.JSONField(default=dict, help_text="see thicket.document.atmosphere.Atmosphere")
    removed_at = models.DateTimeField(
        null=True, default=None, help_text="when it was removed; it is kept for a month"
    )
    looks = models.JSONField(
        default=dict, help_text="by ground layer, what a person chose: colour, look, and digest of a texture"
    )
    wind = models.JSONField(default=dict, help_text="see thicket.document.views.WindSettings")
    drawing = models.JSONField(default=dict, help_text="see thicket.document.drawing.DrawingSettings")
    tiers = models.JSONField(default=dict, help_text="by name, in order, see thicket.document.drawing.Tier")
    recipes = models.JSONField(
        default=dict, help_text="for handovers by name, in order, see thicket.formats.recipe.Recipe"
    )
    walks = models.JSONField(default=dict, help_text="by name, in order, see thicket.document.walks.Walk")
    plots = models.JSONField(default=dict, help_text="see thicket.document.plots.Plots")

    def __str__(self) -> str:
        return self.name

    def new_version(self) -> None:
        """Note that the level has changed, inside the transaction that changes it and has locked this row.
        The step is drawn by chance, so that a version that was rolled back is never met again."""
        self.version += 1 + secrets.randbelow(2**20)
        self.save(update_fields=["version"])

    @property
    def width(self) -> float:
        return self.columns * self.cell

    @property
    def length(self) -> float:
        return self.rows * self.cell

    @property
    def touch_shape(self) -> tuple[int, int]:
        """Rows and columns of the touch maps; the last ones may reach over the level's edge."""
        return max(ceil(self.length / self.touch_cell - 1e-6), 1), max(
            ceil(self.width / self.touch_cell - 1e-6), 1
        )


class LevelSummary(models.Model):
    """What the list of levels says of a level, as it was at a stamp: see `server.catalogue.summaries`."""

    level = models.OneToOneField(Level, on_delete=models.CASCADE, related_name="summary")
    stamp = models.CharField(max_length=120)
    plants = models.BigIntegerField()
    over = models.JSONField(default=list, help_text="names of kept views whose cost overruns a mark")
    plan = models.BinaryField(help_text="PNG: the level drawn as a small plan")
    made = models.PositiveIntegerField(default=1, help_text="how often it has been made")


class LayerTexture(models.Model):
    """A picture that a ground layer is drawn with, a square PNG; it stays as long as the level, so that undo
    finds it."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="layer_textures")
    digest = models.CharField(max_length=32)
    data = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["level", "digest"], name="one_layer_texture")]


class Membership(models.Model):
    """A user's role in a level."""

    class Role(models.TextChoices):
        LEAD = "lead"
        ARTIST = "artist"
        VIEWER = "viewer"

    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="memberships")
    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=10)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["user", "level"], name="one_role_per_level")]


class Presence(models.Model):
    """Where a person's eye is in a level, as they reported last: x, z in m, heading a bearing in degrees."""

    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="present")
    x = models.FloatField()
    z = models.FloatField()
    heading = models.FloatField()
    bench = models.CharField(max_length=20)
    at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["level", "user"], name="one_place_per_person")]


class RasterTile(models.Model):
    """A tile of 256 × 256 raster values (fewer at the far edges), zlib-compressed, row by row,
    little-endian."""

    tx = models.PositiveSmallIntegerField()
    tz = models.PositiveSmallIntegerField()
    revision = models.PositiveIntegerField(default=1)
    data = models.BinaryField()

    class Meta:
        abstract = True


class GroundTile(RasterTile):
    """Heights (float32, at vertices) or ground layers (uint8 channels, at cell centres) of a level. Where
    heights were raised by hand, also what they were before (float32) and by how much they were raised (int32,
    `thicket.document.rasters.RAISED_UNIT`). A tile has the revision in which it came to be as it is.
    """

    class Kind(models.TextChoices):
        HEIGHTS = "heights"
        LAYERS = "layers"
        BASE = "base"
        RAISED = "raised"

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="ground_tiles")
    kind = models.CharField(max_length=10)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["level", "kind", "revision", "tx", "tz"], name="one_ground_tile")
        ]
