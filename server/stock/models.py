"""What can be planted: the shelf of an installation, and what of it each level uses."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models

from server.document.models import StoredFile
from server.levels.models import Level


class Measured(models.Model):
    """A thing that can be planted: its binary glTF with all LODs, its height and the footprints of crown and
    trunk in m."""

    name = models.CharField(max_length=80)
    height = models.FloatField()
    crown = models.FloatField()
    trunk = models.FloatField()
    anchors = models.JSONField(
        default=list, help_text="name, place and up-direction of each anchor point in the mesh"
    )
    mesh = models.ForeignKey(StoredFile, on_delete=models.PROTECT, null=True, related_name="+")
    silhouette = models.BinaryField(help_text="PNG: the item from the side, for lists")
    distances = models.JSONField(
        default=dict,
        help_text="m: nearest at which each coarser state is seen to differ by 2 pixels; "
        "`lods`, a list, and `billboard`",
    )
    traits = models.JSONField(default=dict, help_text="see thicket.stock.traits.Traits")

    class Meta:
        abstract = True

    def __str__(self) -> str:
        return self.name

    @property
    def glb(self) -> bytes:
        """The bytes of its mesh; none when it could not be read."""
        return bytes(self.mesh.data) if self.mesh else b""

    @glb.setter
    def glb(self, data: bytes) -> None:
        self.mesh = StoredFile.of(data) if data else None


class Described(Measured):
    """The same with what a person is shown of it."""

    picture = models.BinaryField(
        default=bytes, help_text="PNG: the item lit, from a little above, at `scale` pixels a metre"
    )
    scale = models.FloatField(default=1, help_text="pixels of the picture to a metre")
    states = models.JSONField(
        default=list, help_text="of each LOD, then the billboard: see thicket.stock.making.states_of"
    )
    texture_bytes = models.PositiveIntegerField(default=0)
    findings = models.JSONField(default=list, help_text="what is wrong or dear: text, and what mends it")

    class Meta:
        abstract = True


MEASURED = [field.attname for field in Measured._meta.local_fields]
MADE = ["glb", *(f.name for f in Described._meta.local_fields if f.name not in ("name", "mesh"))]
"""The fields that `thicket.stock.making.Made` gives."""


class ShelfItem(Described):
    """A stock item on the shelf, which all levels of the installation share."""

    slug = models.SlugField(max_length=60, unique=True)
    group = models.CharField(max_length=40)
    tags = models.JSONField(default=list)
    note = models.CharField(max_length=300, blank=True, help_text="where it came from, and its licence")
    revision = models.PositiveIntegerField(default=1, help_text="the version of its file that is in use")
    gone = models.BooleanField(default=False, help_text="taken off the shelf; it can be put back")
    owner = models.ForeignKey(
        User, on_delete=models.SET_NULL, null=True, related_name="+", help_text="who put it on the shelf"
    )
    by = models.ForeignKey(
        User, on_delete=models.SET_NULL, null=True, related_name="+", help_text="who made the version in use"
    )
    at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name"]


class ShelfVersion(Described):
    """A version that an item has had: what undo brings back."""

    item = models.ForeignKey(ShelfItem, on_delete=models.CASCADE, related_name="versions")
    revision = models.PositiveIntegerField()
    what = models.CharField(max_length=200, help_text="what made it")
    by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["item", "revision"], name="one_version_per_revision")]
        ordering = ["-revision"]


class BroughtItem(Described):
    """A thing that somebody has brought in and looks at before it is put on the shelf. Things brought in
    together share a batch, whose files lie in the folder that `server.stock.bringing` names."""

    batch = models.UUIDField(db_index=True)
    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    paths = models.JSONField(help_text="of its mesh files, its LODs in order")
    unit = models.CharField(max_length=4, blank=True)
    notes = models.JSONField(default=list)
    refused = models.CharField(max_length=500, blank=True, help_text="why it could not be read")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]


class StockItem(Measured):
    """A stock item that a level uses, as it was when it was taken from the shelf."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="stock")
    slug = models.SlugField(max_length=60)
    revision = models.PositiveIntegerField(default=1)
    place = models.PositiveSmallIntegerField(default=0, help_text="its place in the level's stock")
    held = models.BooleanField(
        default=False, help_text="whether it stays as it is when the shelf's item is replaced"
    )

    class Meta:
        constraints = [models.UniqueConstraint(fields=["level", "slug"], name="one_item_per_slug")]
        ordering = ["place", "id"]
