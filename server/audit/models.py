"""The audit trail: who came in, who was refused, who took files out, whose role changed, what was
restored."""

from __future__ import annotations

from django.db import models

from server.levels.models import Level


class Record(models.Model):
    """One event. People are kept by name, so that it outlives their account."""

    class Kind(models.TextChoices):
        SIGN_IN = "sign-in"
        REFUSED = "refused"
        SIGN_OUT = "sign-out"
        ROLE = "role"
        EXPORT = "export"
        DOWNLOAD = "download"
        TOKEN = "token"
        RESTORE = "restore"
        LEVEL = "level"

    at = models.DateTimeField(auto_now_add=True)
    kind = models.CharField(max_length=10)
    person = models.CharField(max_length=150, blank=True)
    address = models.CharField(max_length=45, blank=True)
    level = models.ForeignKey(Level, on_delete=models.SET_NULL, null=True, related_name="+")
    what = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["-id"]
