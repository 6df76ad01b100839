"""The versions of a level: which edit made each, and the sheets that it changed."""

from __future__ import annotations

from server.document.arrays import EditArrays
from server.document.models import Version
from server.levels.models import Level
from thicket.document.edits import Edit
from thicket.document.edits.files import edit_from

VERSIONS = 200
"""At least so many of a level's last versions are kept."""


def note_version(level: Level, previous: int, edit: dict | None, entry: int) -> Version:
    """Note what made the version that the level's row has: the edit as JSON, None where it cannot be done
    from the rows alone; the journal's entry, by primary key. Inside the transaction."""
    if level.version % 32 == 0:  # now and then the oldest are dropped
        old = Version.objects.filter(level=level).order_by("-number").values_list("number", flat=True)
        if oldest := old[VERSIONS : VERSIONS + 1].first():
            Version.objects.filter(level=level, number__lte=oldest).delete()
    return Version.objects.create(
        level=level, number=level.version, previous=previous, edit=edit, entry=entry
    )


def chain_since(level: Level, version: int) -> list[Version] | None:
    """The versions that led from one of the level's to the one its row has, in their order; None where not
    all of them are known."""
    between = Version.objects.filter(level=level, number__gt=version, number__lte=level.version)
    found = list(between.order_by("number"))
    at = version
    for step in found:
        if step.previous != at:
            return None
        at = step.number
    return found if at == level.version else None


def edits_between(level: Level, version: int) -> list[Edit] | None:
    """The edits that led from a version to the one that the level's row has, None where they are not all
    known."""
    chain = chain_since(level, version)
    if chain is None or len(chain) > VERSIONS or any(step.edit is None for step in chain):
        return None
    arrays = EditArrays(level)
    return [edit_from(step.edit, arrays) for step in chain]
