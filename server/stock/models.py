"""What can be planted: the shelf of an installation, and what of it each level uses."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models

from server.levels.models import Level


class Measured(models.Model):
    """A thing that can be planted: its binary glTF with all LODs, its height and the footprints of crown and trunk in m."""

    name = models.CharField(max_length=80)
    height = models.FloatField()
    crown = models.FloatField()
    trunk = models.FloatField()
    anchors = models.JSONField(default=list, help_text="name, place and up-direction of each anchor point in the mesh")
    glb = models.BinaryField()
    silhouette = models.BinaryField(help_text="PNG: the item from the side, for lists")
    distances = models.JSONField(default=dict, help_text="m: nearest at which each coarser state is seen to differ by 2 pixels; "
                                                         "`lods`, a list, and `billboard`")

    class Meta:
        abstract = True

    def __str__(self) -> str:
        return self.name


MEASURED = [field.name for field in Measured._meta.local_fields]


class ShelfItem(Measured):
    """A stock item on the shelf, which all levels of the installation share."""

    class Group(models.TextChoices):
        TREE = "tree"
        SHRUB = "shrub"
        HERB = "grass and herbs"
        ROCK = "rock"
        MADE = "made thing"

    slug = models.SlugField(max_length=60, unique=True)
    group = models.CharField(max_length=20, choices=Group.choices)
    tags = models.JSONField(default=list)
    picture = models.BinaryField(help_text="PNG: the item lit, from a little above, at `scale` pixels a metre")
    scale = models.FloatField(help_text="pixels of the picture to a metre")
    states = models.JSONField(default=list, help_text="of each LOD, then the billboard: name, triangles, materials, bytes")
    texture_bytes = models.PositiveIntegerField(default=0)
    findings = models.JSONField(default=list, help_text="sentences on what is wrong or dear")
    note = models.CharField(max_length=300, blank=True, help_text="where it came from, and its licence")
    revision = models.PositiveIntegerField(default=1)
    by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True, related_name="+")
    at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name"]


class BroughtItem(Measured):
    """A thing that somebody has brought in and looks at before it is put on the shelf. Things brought in together share a batch,
    whose files lie in the folder that `server.stock.bringing` names."""

    batch = models.UUIDField(db_index=True)
    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    paths = models.JSONField(help_text="of its mesh files, its LODs in order")
    unit = models.CharField(max_length=4, blank=True)
    notes = models.JSONField(default=list)
    refused = models.CharField(max_length=500, blank=True, help_text="why it could not be read")
    picture = models.BinaryField(default=bytes)
    scale = models.FloatField(default=1)
    states = models.JSONField(default=list)
    texture_bytes = models.PositiveIntegerField(default=0)
    findings = models.JSONField(default=list)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]


class StockItem(Measured):
    """A stock item that a level uses, as it was when it was taken from the shelf."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="stock")
    slug = models.SlugField(max_length=60)
    revision = models.PositiveIntegerField(default=1)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["level", "slug"], name="one_item_per_slug")]
        ordering = ["id"]
