"""A level of the database as the core's value, and its plants: what is worked out is kept between requests,
and shared as far as nothing it follows from has changed."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping

from django.db import transaction

from server.cache import CACHE
from server.levels.baked import baked_of
from server.levels.ground import heights_of, layers_of, mask_of
from server.levels.models import Level
from server.pins.reading import pins_of
from server.stands.models import Stand, document_of_stand
from server.stands.touch import touch_of
from thicket.document.level import Item
from thicket.document.level import Level as Document
from thicket.document.level import Stand as DocumentStand
from thicket.document.settings import StandSettings
from thicket.document.touch import TouchMap
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting

FIELDS = [field.attname for field in Stand._meta.concrete_fields]
Revisions = dict[int, dict[tuple[int, int], int]]


class _State:
    """What was read of a level's stands at one moment: the revision of their rows, those of their painted
    tiles by the stand's primary key and (tx, tz), their rows by number, and the stands as the core has
    them."""

    def __init__(self, level: Level) -> None:
        found: Revisions = defaultdict(dict)
        names = ("stand_id", "tx", "tz", "revision")
        rows = list(
            Level.objects.filter(pk=level.pk).values_list(
                "stand_revision", *(f"stands__touch_tiles__{n}" for n in names)
            )
        )
        for _, pk, tx, tz, revision in rows:
            if pk is not None:
                found[pk][tx, tz] = revision
        self.revision = rows[0][0] if rows else 0
        self.touch = found
        values, self.stands = CACHE.get(("stands", level.pk, self.revision), lambda: _read_stands(level))
        self.rows = {row.number: row for row in (Stand.from_db("default", FIELDS, given) for given in values)}
        for row in self.rows.values():
            row.level = level


def _read_stands(level: Level) -> tuple[list[tuple], dict[int, DocumentStand]]:
    values = list(level.stands.values_list(*FIELDS))
    rows = [Stand.from_db("default", FIELDS, given) for given in values]
    return values, {row.number: document_of_stand(row) for row in rows}


def _read_furniture(level: Level) -> tuple[dict, dict, dict]:
    """Masks by name, shapes by number, and stock by slug, which seldom change; of the stock, all that plants
    follow from."""
    masks = {
        name: mask_of(digest, *size)
        for name, digest, *size in level.masks.values_list("name", "digest", "pk", "rows", "columns", "bits")
    }
    shapes = {shape.number: shape.core for shape in level.shapes.all()}
    stock = {
        row.slug: Item(
            row.slug, row.name, row.height, row.crown, row.trunk, row.anchors, b"", row.traits, row.distances
        )
        for row in level.stock.defer("glb", "silhouette")
    }
    return masks, shapes, stock


def _document(level: Level, state: _State) -> Document:
    masks, shapes, stock = CACHE.get(
        ("furniture", level.pk, level.scene_revision), lambda: _read_furniture(level)
    )
    touch = {number: touch_of(row, state.touch.get(row.pk, {})) for number, row in state.rows.items()}
    return Document(
        level.slug,
        level.name,
        level.seed,
        heights_of(level),
        layers_of(level),
        masks,
        shapes,
        stock,
        state.stands,
        level.touch_cell,
        touch,
        pins_of(level),
    )


def _token(level: Level, state: _State) -> tuple:
    """Equal as long as nothing has changed that the level's plants follow from."""
    return (
        level.slug,
        level.name,
        level.ground_revision,
        level.layers_revision,
        level.scene_revision,
        level.pin_revision,
        level.touch_cell,
        state.revision,
        {pk: dict(tiles) for pk, tiles in state.touch.items()},
    )


def _read(level: Level) -> None:
    """Read the level, once for each `Level` object."""
    if getattr(level, "_planted", None) is not None:
        return
    state = _State(level)
    token, known = _token(level, state), CACHE.peek(("planted", level.pk))
    if known and known[0] == token:
        planted = known[1]
    else:
        document = _document(level, state)
        planted = known[1].edited(document) if known else PlantedLevel(document, CACHE, baked=baked_of(level))
        CACHE.put(("planted", level.pk), (token, planted))
    level._as_read, level._planted = state, planted


def planted_of(level: Level) -> PlantedLevel:
    """The level as stored, with its plants."""
    _read(level)
    return level._planted


def rows_of(level: Level) -> Mapping[int, Stand]:
    """The rows of the level's stands, by number."""
    _read(level)
    return level._as_read.rows


def touch_revisions_of(stand: Stand) -> Mapping[tuple[int, int], int]:
    """The revisions of a stand's painted tiles as they were when the level was read."""
    _read(stand.level)
    return stand.level._as_read.touch.get(stand.pk, {})


def forget_planted(level: Level) -> None:
    """Have the level read anew after a change."""
    level._planted = level._as_read = None


def paint_planted(stand: Stand, touch: TouchMap) -> None:
    """Note that a stand's touch was stored; inside the transaction that stores it."""
    level = stand.level
    level._planted = planted_of(level).edited(planted_of(level).level.with_touch(stand.number, touch))
    level._as_read.touch[stand.pk] = dict(touch.revisions)
    token, planted = _token(level, level._as_read), level._planted
    transaction.on_commit(lambda: CACHE.put(("planted", level.pk), (token, planted)))


def planting_of(stand: Stand) -> Planting:
    """A stand's planting as the level is stored."""
    return planted_of(stand.level).planting(stand.number)


def tried(stand: Stand, settings: StandSettings | None = None, checked: bool = True) -> Planting:
    """A stand's planting under other settings, or that of a stand that is not stored; see
    `PlantedLevel.trying`."""
    return planted_of(stand.level).trying(document_of_stand(stand, settings), checked)
