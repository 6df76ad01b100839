"""Stands and their painted touch."""

from __future__ import annotations

from django.db import models

from server.levels.models import Level, RasterTile
from thicket.document.level import Stand as DocumentStand
from thicket.document.settings import StandSettings
from thicket.planting.stands import STRATA


class Present(models.Manager):
    """The stands that have not been removed."""

    def get_queryset(self) -> models.QuerySet:
        return super().get_queryset().filter(gone=False)


class Stand(models.Model):
    """One layer of planting. `number` is its part of every plant's id; `place` orders it in its stratum."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="stands")
    number = models.PositiveIntegerField()
    slug = models.SlugField(max_length=60)
    name = models.CharField(max_length=80)
    stratum = models.CharField(max_length=12)
    place = models.PositiveSmallIntegerField(default=0)
    sward = models.BooleanField(default=False)
    seed = models.PositiveIntegerField()
    settings = models.JSONField(help_text="validated by thicket.document.settings.StandSettings")
    locked = models.BooleanField(default=False)
    colour = models.CharField(
        max_length=7, blank=True, help_text="its ink on the screen; its stratum's when empty"
    )
    off = models.BooleanField(default=False, help_text="nothing of it stands for now")
    group = models.CharField(max_length=80, blank=True, help_text="what it is listed under")
    gone = models.BooleanField(default=False, help_text="removed, and kept for undo")

    objects = Present()
    every = models.Manager()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["level", "slug"], name="one_stand_per_slug"),
            models.UniqueConstraint(fields=["level", "number"], name="one_stand_per_number"),
        ]

    def __str__(self) -> str:
        return self.name

    def save(self, *args, **kwargs) -> None:
        """Store it under a new version of the level."""
        super().save(*args, **kwargs)
        self.level.new_version()

    @property
    def order(self) -> tuple[int, int, int]:
        """Sorts stands by who claims room first."""
        return STRATA.index(self.stratum), self.place, self.number


def document_of_stand(stand: Stand, settings: StandSettings | None = None) -> DocumentStand:
    """A stand as the core has it; with other settings than its own when they are given, which are checked
    already."""
    return DocumentStand(
        stand.number,
        stand.slug,
        stand.name,
        stand.stratum,
        stand.place,
        stand.sward,
        stand.seed,
        settings or StandSettings.model_validate(stand.settings),
        stand.locked,
        stand.colour,
        stand.off,
        stand.group,
    )


class TouchTile(RasterTile):
    """Touch of a stand: int16 at cell centres, `thicket.planting.density.TOUCH_UNIT` for +1. A tile that was
    never painted has no row; equal revisions mean equal touch."""

    revision = models.PositiveBigIntegerField()
    stand = models.ForeignKey(Stand, on_delete=models.CASCADE, related_name="touch_tiles")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["stand", "tx", "tz"], name="one_touch_tile")]


class MeshTouch(models.Model):
    """What is painted of a stand on placed meshes; none where nothing is."""

    stand = models.OneToOneField(Stand, on_delete=models.CASCADE, related_name="mesh_touch")
    data = models.BinaryField(help_text="a compressed file of thicket.document.mesh_touch.MeshTouch")

    def __str__(self) -> str:
        return f"{self.stand} on meshes"


class BrushTip(models.Model):
    """A brush tip that somebody added: uint8 values of `thicket.planting.tips.SIDE` squared."""

    name = models.CharField(max_length=60)
    by = models.ForeignKey("auth.User", on_delete=models.PROTECT, related_name="+")
    data = models.BinaryField()

    class Meta:
        ordering = ["name", "id"]

    def __str__(self) -> str:
        return self.name


class Saved(models.Model):
    """Something kept under a name, for use in any level of the team."""

    name = models.CharField(max_length=80, unique=True)
    by = models.ForeignKey("auth.User", on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now=True)
    called = ""

    class Meta:
        abstract = True
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


class StandSet(Saved):
    """Stands that grew on a placed mesh, to be begun on others."""

    stands = models.JSONField(help_text="a list of thicket.planted.arranging.SavedStand")
    called = "set of stands"


class ConditionSet(Saved):
    """Site conditions."""

    conditions = models.JSONField()
    called = "set of conditions"


class SavedMix(Saved):
    """A mix of stock items."""

    mix = models.JSONField(help_text="a list of thicket.document.settings.MixEntry")
    called = "mix"
