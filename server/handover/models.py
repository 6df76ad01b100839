"""Handovers that are kept, and tokens for machines that fetch them."""

from __future__ import annotations

import uuid

from django.contrib.auth.models import User
from django.db import models

from server.levels.models import Level


class Handover(models.Model):
    """A level handed over as files, which lie in a folder of its own: see `server.handover.files`. Who made
    it is kept by name, so that it outlives their account."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="handovers")
    who = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)
    name = models.CharField(max_length=80, help_text="what the recipe was called")
    recipe = models.JSONField(help_text="see thicket.formats.recipe.Recipe")
    since = models.UUIDField(null=True, help_text="the earlier one, where it holds only what has changed")
    plants = models.PositiveIntegerField()
    files = models.PositiveIntegerField()
    size = models.PositiveBigIntegerField(help_text="bytes of what is downloaded")
    digest = models.CharField(max_length=64, help_text="SHA-256 of its manifest")

    class Meta:
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        return f"{self.name} of {self.level_id} at {self.at:%F %T}"


class BuildToken(models.Model):
    """What a machine signs in with that hands levels over for a person, and does nothing else."""

    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="build_tokens")
    name = models.CharField(max_length=80)
    digest = models.CharField(max_length=64, unique=True, help_text="SHA-256 of the token itself")
    at = models.DateTimeField(auto_now_add=True)
    used = models.DateTimeField(null=True, help_text="to the hour")

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["user", "name"], name="token_name")]

    def __str__(self) -> str:
        return f"{self.name} of {self.user_id}"
