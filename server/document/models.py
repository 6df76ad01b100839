"""The versions of levels, and the arrays of the edits that made them."""

from __future__ import annotations

from django.db import models

from server.levels.models import Level


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


class EditArray(models.Model):
    """A long array of edits of a level: a compressed NPY file in parts, by the digest that names it."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="edit_arrays")
    digest = models.CharField(max_length=24)
    part = models.PositiveSmallIntegerField(default=0)
    data = models.BinaryField()

    class Meta:
        db_table = "journal_editarray"
        constraints = [
            models.UniqueConstraint(fields=["level", "digest", "part"], name="one_part_of_an_edit_array")
        ]
