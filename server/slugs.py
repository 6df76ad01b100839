"""Addresses made of names."""

from __future__ import annotations

from collections.abc import Collection

from django.db.models import QuerySet
from django.utils.text import slugify


def free_slug(name: str, rows: QuerySet, otherwise: str, reserved: Collection[str] = ()) -> str:
    """A slug for a name that none of the rows has; made of another word when nothing of the name is left."""
    base = slugify(name)[:50] or otherwise
    taken = {*reserved, *rows.filter(slug__startswith=base).values_list("slug", flat=True)}
    return next(s for s in (base, *(f"{base}-{k}" for k in range(2, 100_000))) if s not in taken)
