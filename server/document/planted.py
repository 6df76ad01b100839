"""A level of the database as the core's value, and its plants: what is worked out is kept between requests,
and shared as far as nothing it follows from has changed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from importlib import import_module
from types import ModuleType

from django.conf import settings
from django.db import transaction

from server.cache import CACHE
from server.document.versions import edits_between
from server.levels.baked import baked_of
from server.levels.models import Level
from server.levels.rows import view_of
from thicket.document.edits import Edit
from thicket.document.level import Level as Document
from thicket.lazy import lazy
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting
from thicket.refused import Refused

PLANTINGS = 3
"""So many versions of a level are kept, for requests that began before the last of them."""


@dataclass(frozen=True)
class Held:
    """A level at one of its versions."""

    version: int
    planted: PlantedLevel


class LevelRows:
    """The modules that read each noun of a level into a document, and write it: each has `read(level)` and
    `write(row, before, after, user)`."""

    @lazy
    def modules(self) -> list[ModuleType]:
        return [import_module(name) for name in settings.LEVEL_ROWS]


ROWS = LevelRows()


def read_document(level: Level) -> Document:
    """The level as it is stored, without its items' files."""
    parts: dict = {}
    details: dict = {}
    for module in ROWS.modules:
        given = module.read(level)
        details |= given.pop("details", {})
        parts |= given
    return Document(**parts, details=details)


def _versions(level: Level) -> tuple[Held, ...]:
    return CACHE.peek(("level", level.pk)) or ()


def hold(level: Level, planted: PlantedLevel) -> None:
    """Keep a level's plants under the version that its row has."""
    fresh = Held(level.version, planted)
    others = [held for held in _versions(level) if held.version != fresh.version]
    CACHE.put(("level", level.pk), (fresh, *others)[:PLANTINGS])
    level._held = fresh


def planted_of(level: Level) -> PlantedLevel:
    """The level as stored, with its plants."""
    held = getattr(level, "_held", None)
    if held is None or held.version != level.version:
        held = next((h for h in _versions(level) if h.version == level.version), None)
        if held is None:
            _read(level)
            held = level._held
        level._held = held
    return held.planted


def _read(level: Level) -> None:
    """Read the level as it is now: by the edits since a version that is known, or whole."""
    known, now = next(iter(_versions(level)), None), Level.objects.get(pk=level.pk)
    edits = None if known is None else edits_between(now, known.version)
    planted = None if known is None or edits is None else _followed(known.planted, edits)
    if planted is None:
        with transaction.atomic():
            # Locked, so that all of it is read as it is at one moment.
            now = Level.objects.select_for_update().get(pk=level.pk)
            document = read_document(now)
        planted = known.planted.edited(document) if known else None
        planted = planted or PlantedLevel(document, CACHE, baked=baked_of(now))
    level.version = now.version
    hold(level, planted)


def _followed(planted: PlantedLevel, edits: list[Edit]) -> PlantedLevel | None:
    try:
        for edit in edits:
            planted = planted.followed(edit)
    except Refused:  # it needs what is not at hand: an item's file, a snapshot that is gone
        return None
    return planted


def document_now(level: Level) -> Document:
    """The level as it is stored, but for its items' files."""
    document = planted_of(level).level
    return replace(document, details={**document.details, "view": view_of(level)})


def store_difference(row: Level, before: Document, after: Document, user: object) -> None:
    """Bring a level's rows from one document to another; inside the transaction that has locked the
    level's."""
    for module in ROWS.modules:
        module.write(row, before, after, user)


def numbers_of(level: Level) -> Mapping[int, int]:
    """The numbers of the level's stands by their primary keys."""
    wanted = planted_of(level).stands.keys()
    known: dict[int, int] = CACHE.get(
        ("stand ids", level.pk, level.version), lambda: dict(level.stands.values_list("pk", "number"))
    )
    return {pk: number for pk, number in known.items() if number in wanted}


def keep_numbers(level: Level, previous: int) -> None:
    """Let the numbers of a level's stands count for its new version, which has the same stands as the
    previous one."""
    if known := CACHE.peek(("stand ids", level.pk, previous)):
        CACHE.put(("stand ids", level.pk, level.version), known)


def plantings_of(level: Level) -> dict[int, Planting]:
    """The plantings of the level's stands, by their primary keys."""
    planted = planted_of(level)
    return {pk: planted.planting(number) for pk, number in numbers_of(level).items()}
