"""What the actions of a journal add to the dearest view that they reach; worked out by a worker, after they
were stored."""

from __future__ import annotations

import logging

from django.db import Error

from server.document.arrays import EditArrays
from server.document.files import items_of as items_with_files
from server.document.models import Version
from server.document.planted import document_now, planted_of
from server.journal.models import Entry
from server.levels.models import Level
from server.sight.worst import change_at_worst, drawing_at_worst
from thicket.document.edits.files import edit_from
from thicket.refused import Refused

log = logging.getLogger(__name__)
PLANTED = ("heights", "layers", "masks", "shapes", "surfaces", "stock", "stands", "touch", "pins")
"""The parts of a level that what is drawn of plants follows from."""
AT_ONCE = 20


def judge_new() -> int:
    """Judge the latest actions, in levels that have been surveyed, that have not been judged yet.

    Returns: how many were judged.
    """
    recent = Version.objects.values_list("entry")
    wanted = Entry.objects.filter(
        worst__isnull=True, undone=False, pk__in=recent, level__surveys__isnull=False
    )
    found = list(wanted.order_by("pk").distinct()[:AT_ONCE])
    for entry in found:
        try:
            worst = judged(entry)
        except Error:
            raise
        except Exception:  # it is left, so that it does not keep others from being judged
            log.exception("journal entry %d could not be judged", entry.pk)
            worst = {}
        Entry.objects.filter(pk=entry.pk).update(worst=worst)
    return len(found)


def judged(entry: Entry) -> dict[str, float]:
    """What an action adds to a frame: the difference between the level as it is now and without it. Empty
    where that cannot be known, or nothing changes."""
    level = Level.objects.get(pk=entry.level_id)
    inverse = edit_from(entry.change["inverse"], EditArrays(level))
    if items_with_files(inverse):
        return {}
    planted, document = planted_of(level), document_now(level)
    if document.details["view"] != planted.level.details["view"]:
        planted = planted.edited(document)
    try:
        without = planted.after(inverse)
    except Refused:
        return {}
    now, was = planted.level, without.after.level
    if any(getattr(now, name) is not getattr(was, name) for name in PLANTED):
        return change_at_worst(level, without.after, without.box)
    drawn = {name: was.details["view"][name] for name in ("drawing", "tiers")}
    if drawn != {name: now.details["view"][name] for name in drawn}:
        return drawing_at_worst(level, drawn)
    return {}
