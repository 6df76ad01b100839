"""Long work as rows: what is to be done, how far it is, and how it ended. The worker does it; every process
can look."""

from __future__ import annotations

import uuid

from django.contrib.auth.models import User
from django.db import models

from server.levels.models import Level


class Job(models.Model):
    """Long work. `key` says on what: of each key only the newest job counts."""

    class State(models.TextChoices):
        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        STOPPED = "stopped"
        FAILED = "failed"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    key = models.CharField(max_length=80)
    kind = models.CharField(max_length=20, help_text="which of `server.jobs.running.WORK` does it")
    arguments = models.JSONField(default=dict)
    level = models.ForeignKey(Level, on_delete=models.CASCADE, null=True, related_name="jobs")
    user = models.ForeignKey(User, on_delete=models.CASCADE, null=True, related_name="+")
    state = models.CharField(max_length=10, default=State.WAITING)
    stopping = models.BooleanField(default=False, help_text="somebody asked to stop it")
    step = models.CharField(max_length=200, blank=True, help_text="what is done now, in words")
    share = models.FloatField(default=0.0, help_text="how much of it is done, 0–1")
    total = models.PositiveIntegerField(
        default=0, help_text="of what the share is counted in, where it is counted"
    )
    trouble = models.CharField(max_length=500, blank=True)
    worker = models.CharField(max_length=40, blank=True, help_text="which worker does it, or did")
    at = models.DateTimeField(auto_now_add=True)
    began = models.DateTimeField(null=True)
    alive = models.DateTimeField(null=True, help_text="when its worker last wrote how far it is")
    ended = models.DateTimeField(null=True)

    class Meta:
        indexes = [models.Index(fields=["key", "-at"]), models.Index(fields=["state"])]

    def __str__(self) -> str:
        return f"{self.kind} {self.key}"

    @property
    def lane(self) -> tuple[int | None, int | None]:
        """Jobs of one lane are done one after another: those of a level, and of a person outside of
        levels."""
        return self.level_id, None if self.level_id else self.user_id

    @property
    def busy(self) -> bool:
        """Whether it is still to end."""
        return self.state in (self.State.WAITING, self.State.RUNNING)


class Beat(models.Model):
    """When a worker last reported that it lives."""

    at = models.DateTimeField()
