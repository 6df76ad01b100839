"""The versions of levels, the arrays of the edits that made them, and the files of meshes."""

from __future__ import annotations

import numpy as np
from django.db import models
from django.utils import timezone

from server.levels.models import Level
from thicket.hashing import digest_of


class Version(models.Model):
    """One version of a level: the edit that made it from the `previous` one, and the sheets that it changed.
    The last few of a level are kept."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveBigIntegerField()
    previous = models.PositiveBigIntegerField()
    edit = models.JSONField(null=True, help_text="null where it needs more than the rows hold")
    entry = models.PositiveBigIntegerField(help_text="of the journal, that was done or undone by it")
    answer = models.JSONField(
        null=True, help_text="what the page is to read again, once that is known: see server.steps"
    )

    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["level", "number"], name="one_version_per_number")]


class StoredFile(models.Model):
    """A file of bytes, such as a mesh, stored once for all that have it: the shelf, levels and their
    journals."""

    digest = models.CharField(
        max_length=24, primary_key=True, help_text="of its bytes, as `thicket.hashing.digest_of` makes it"
    )
    data = models.BinaryField()
    at = models.DateTimeField(help_text="when something was last given it")

    @classmethod
    def of(cls, data: bytes) -> StoredFile:
        """The file that has these bytes, stored if none has."""
        digest, now = digest_of(np.frombuffer(data, np.uint8)), timezone.now()
        return cls.objects.update_or_create(
            digest=digest, defaults={"at": now}, create_defaults={"data": data, "at": now}
        )[0]


class EditArray(models.Model):
    """A long array of edits of a level, by the digest that names it: a compressed NPY file in parts, or a
    stored file that has the same bytes."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="edit_arrays")
    digest = models.CharField(max_length=24)
    part = models.PositiveSmallIntegerField(default=0)
    data = models.BinaryField()
    file = models.ForeignKey(StoredFile, on_delete=models.PROTECT, null=True, related_name="+")

    class Meta:
        db_table = "journal_editarray"
        constraints = [
            models.UniqueConstraint(fields=["level", "digest", "part"], name="one_part_of_an_edit_array")
        ]
