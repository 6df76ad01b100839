"""Links that let somebody in once, and what holds for the whole installation."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models

from server.levels.models import Level


class OneTimeLink(models.Model):
    """A link that works once and ends: an invitation to a level in a role, or a new password for a person.
    Only the digest of its token is kept."""

    digest = models.CharField(max_length=64, unique=True)
    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="links")
    role = models.CharField(max_length=10, blank=True)
    person = models.ForeignKey(
        User,
        on_delete=models.CASCADE,
        null=True,
        related_name="+",
        help_text="whose password it is for; null for an invitation",
    )
    by = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    until = models.DateTimeField()
    used = models.BooleanField(default=False)


class Installation(models.Model):
    """What holds for the whole installation: one row."""

    class SignUp(models.TextChoices):
        INVITED = "invited"
        CLOSED = "closed"

    class Makers(models.TextChoices):
        LEADS = "leads"
        ARTISTS = "artists"
        ANYONE = "anyone"

    name = models.CharField(max_length=60, blank=True)
    address = models.CharField(max_length=200, blank=True, help_text="under which people reach it, for links")
    sign_up = models.CharField(max_length=10, default=SignUp.INVITED)
    makers = models.CharField(max_length=10, default=Makers.ARTISTS)

    @classmethod
    def now(cls) -> Installation:
        """The installation's settings as they are; the first ones where nobody has set any."""
        return cls.objects.filter(pk=1).first() or cls(pk=1)
