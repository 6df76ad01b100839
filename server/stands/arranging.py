"""Stands themselves: added, duplicated, renamed, moved, locked, removed; each an action that can be undone.

A removed stand keeps its row, its touch and its number, so that undo brings all of it back.
"""

from __future__ import annotations

from typing import TYPE_CHECKING
from uuid import UUID

from django.contrib.auth.models import User
from django.db import transaction
from ninja.errors import HttpError

from server.journal.action import action
from server.journal.models import Entry
from server.levels.access import stands_of
from server.levels.models import Level
from server.levels.planted import forget_planted, planted_of, tried
from server.pins.rows import put_places, swap_rows
from server.sight.worst import change_at_worst
from server.slugs import free_slug
from server.stands.checking import check_items, check_site
from server.stands.models import Stand, TouchTile
from thicket.document.settings import StandSettings
from thicket.limits import STANDS, check_count
from thicket.planted.planting import Planting
from thicket.planting.hashing import seed_of
from thicket.planting.stands import STRATA
from thicket.refused import Refused

if TYPE_CHECKING:
    from server.stock.models import StockItem

BEGINNING = 20_000
"""A new stand begins with at most about so many plants."""
FIELDS = ("name", "stratum", "place", "seed", "locked", "colour", "gone", "settings")


def state_of(stand: Stand) -> dict:
    """All of a stand that these actions change."""
    return {name: getattr(stand, name) for name in FIELDS}


class Arrangement:
    """One action on a level's stands: change rows inside the block, and they are checked and journalled as it
    ends."""

    def __init__(self, user: User, level: Level, key: UUID, what: str = "") -> None:
        self.user, self.level, self.key, self.what = user, level, key, what
        self.more: dict = {}

    def run(self, work) -> Entry:
        """Let `work(stands)` change, and return, the stands that are to be stored."""
        with transaction.atomic():
            Level.objects.select_for_update().get(pk=self.level.pk)
            forget_planted(self.level)
            before = planted_of(self.level)
            known = {s.pk: state_of(s) for s in Stand.every.filter(level=self.level)}
            changed = work(stands_of(self.level))
            change: dict[str, dict] = {"before": {}, "after": {}}
            for stand in changed:
                if stand.pk is None:
                    stand.save()
                else:
                    stand.revision += 1
                    stand.save(update_fields=[*FIELDS, "revision"])
                was, now = known.get(stand.pk) or state_of(stand) | {"gone": True}, state_of(stand)
                differ = [name for name in FIELDS if was[name] != now[name]]
                change["before"][str(stand.pk)] = {name: was[name] for name in differ}
                change["after"][str(stand.pk)] = {name: now[name] for name in differ}
            forget_planted(self.level)
            self._check()
            gained, lost = before.moved(planted_of(self.level))
            return Entry.objects.create(
                level=self.level,
                user=self.user,
                kind=Entry.Kind.STANDS,
                key=self.key,
                what=self.what[:200],
                change=change | self.more | {"made": [s.pk for s in changed if s.pk not in known]},
                gained=gained,
                lost=lost,
                worst=change_at_worst(self.level, before),
            )

    def _check(self) -> None:
        """Refuse an arrangement in which a stand asks for another that is gone or not above it."""
        rows = stands_of(self.level)
        check_count("stands", rows, STANDS)
        for stand in rows:
            settings = StandSettings.model_validate(stand.settings)
            asks = [*settings.conditions, *(e.drive for e in settings.mix if e.drive)]
            if settings.layout.kind == "anchors" or any(c.kind == "stand" for c in asks):
                try:
                    check_site(stand, settings)
                except Refused as error:
                    raise Refused(f"{stand.name}: {error}") from error


def _fresh(level: Level, name: str, stratum: str, sward: bool, settings: dict, salt: object) -> Stand:
    number = (
        Stand.every.filter(level=level).order_by("-number").values_list("number", flat=True).first() or 0
    ) + 1
    place = max((s.place for s in stands_of(level) if s.stratum == stratum), default=-1) + 1
    slug = free_slug(name, Stand.every.filter(level=level), "stand")
    return Stand(
        level=level,
        number=number,
        slug=slug,
        name=name,
        stratum=stratum,
        place=place,
        sward=sward,
        seed=seed_of(level.seed, number, salt),
        settings=settings,
    )


@action
def add(
    user: User,
    level: Level,
    key: UUID,
    name: str,
    stratum: str,
    sward: bool,
    item: str,
    spacing: float | None = None,
    fullness: float | None = None,
) -> Entry:
    """A new stand of one stock item, at the end of its stratum; see `beginning` for what is not given.

    Raises: HttpError 422 when the level has no such item; Refused when too many plants would stand.
    """
    stand = begun(level, name, stratum, sward, item, spacing, fullness, key)
    return Arrangement(user, level, key, f"{name} added").run(lambda _: [stand])


def begun(
    level: Level,
    name: str,
    stratum: str,
    sward: bool,
    item: str,
    spacing: float | None = None,
    fullness: float | None = None,
    salt: object = "",
) -> Stand:
    """A stand of one stock item, not stored.

    Raises: HttpError 422 when the level has no such item.
    """
    stock = level.stock.filter(slug=item).defer("glb", "silhouette").first()
    if stock is None:
        raise HttpError(422, f"item: there is no stock item {item!r} in this level.")
    settings = beginning(stock, sward) | ({"spacing": spacing} if spacing else {})
    stand = _fresh(
        level, name, stratum, sward, settings | {"fullness": 1.0 if fullness is None else fullness}, salt
    )
    if fullness is None:
        most = unplanted(stand).expected()
        settings["fullness"] = round(max(min(0.4 if sward else 0.1, BEGINNING / max(most, 1)), 0.001), 3)
        stand.settings = settings
    stand.settings = StandSettings.model_validate(stand.settings).model_dump(mode="json")
    return stand


def unplanted(stand: Stand) -> Planting:
    """The planting of a stand that is not stored."""
    return tried(stand, checked=False)


def beginning(stock: StockItem, sward: bool) -> dict:
    """What a stand of an item begins with: so wide apart that crowns hardly meet, on ground that is not
    steep, and drawn as far as its states are seen to differ by at most two pixels."""
    reach = max(stock.height, stock.crown, 0.3)
    spacing = 0.7 if sward else round(min(max(2.2 * stock.crown, 3 * stock.trunk, 0.5), 60), 2)
    gone, found = round(min(max(reach * 90, 40), 1200)), stock.distances
    steps = found.get("lods") or [round(gone * 0.08)]
    billboard = found.get("billboard") or steps[-1]
    gone = max(gone, round(1.5 * billboard))
    return {
        "mix": [{"item": stock.slug, "weight": 1}],
        "spacing": spacing,
        "conditions": [{"kind": "slope", "lo": 0, "hi": 32, "soft_hi": 8}],
        "distances": {
            "steps": steps[:6],
            "billboard": billboard,
            "gone": gone,
            "fade": round(max(gone * 0.03, 4)),
            "shadow": 0
            if sward or not stock.traits.get("casts_shadow", True)
            else round(min(reach * 9, gone)),
        },
    }


@action
def duplicate(user: User, stand: Stand, key: UUID) -> Entry:
    """A copy of a stand below it, with its settings and painting and a new seed."""
    level = stand.level

    def work(rows: list[Stand]) -> list[Stand]:
        copy = _fresh(level, f"{stand.name} again"[:80], stand.stratum, stand.sward, stand.settings, key)
        after = [s for s in rows if s.stratum == stand.stratum and s.order > stand.order]
        copy.place = stand.place + 1
        for k, row in enumerate(after, start=copy.place + 1):
            row.place = k
        copy.save()
        TouchTile.objects.bulk_create(
            TouchTile(stand=copy, tx=t.tx, tz=t.tz, data=t.data) for t in stand.touch_tiles.all()
        )
        put_places(level, [place.as_dict() | {"stand": copy.pk} for place in stand.uprooted.all()])
        return [copy, *after]

    return Arrangement(user, level, key, f"{stand.name} duplicated").run(work)


@action
def move(user: User, stand: Stand, key: UUID, stratum: str, before: int | None) -> Entry:
    """Put a stand into a stratum, before another of its stands or at the end."""

    def work(rows: list[Stand]) -> list[Stand]:
        mine = next(s for s in rows if s.pk == stand.pk)
        others = [s for s in rows if s.stratum == stratum and s.pk != stand.pk]
        at = next((k for k, s in enumerate(others) if s.pk == before), len(others))
        mine.stratum = stratum
        others.insert(at, mine)
        for k, row in enumerate(others):
            row.place = k
        return others

    return Arrangement(user, stand.level, key, f"{stand.name} moved in {stratum}").run(work)


@action
def change(user: User, stand: Stand, key: UUID, fields: dict) -> Entry:
    """Rename, lock, colour, re-seed or remove a stand.

    Raises: HttpError 409 when it is locked and more than its lock is to change.
    """
    if stand.locked and set(fields) - {"locked"}:
        raise HttpError(409, f"{stand.name} is locked: unlock it first.")
    if fields.get("stratum", stand.stratum) not in STRATA:
        raise Refused("stratum: there is no such stratum")
    words = {
        "name": f"{stand.name} renamed {fields.get('name')}",
        "gone": f"{stand.name} removed",
        "seed": f"{stand.name}: new seed",
        "colour": f"{stand.name}: colour",
        "locked": f"{stand.name} {'locked' if fields.get('locked') else 'unlocked'}",
    }
    what = ", ".join(words[name] for name in fields)

    def work(rows: list[Stand]) -> list[Stand]:
        mine = next(s for s in rows if s.pk == stand.pk)
        for name, value in fields.items():
            setattr(mine, name, value)
        return [mine]

    return Arrangement(user, stand.level, key, what).run(work)


@action
def exchange(user: User, level: Level, key: UUID, item: str, by: str) -> Entry:
    """Plant one item in another's stead in every mix and pin of the level; the same plants, in the same
    places.

    Raises: HttpError 422 for an unknown item; 409 when a stand that has it is locked; Refused when nothing
    plants it, or a mix has both.
    """
    check_items(level, [by])
    names = dict(level.stock.values_list("slug", "name"))
    pins = {
        stand: {str(p.plant): p.as_dict() for p in level.pins.filter(stand=stand, item=item)}
        for stand in level.pins.filter(item=item).values_list("stand", flat=True).distinct()
    }

    def work(rows: list[Stand]) -> list[Stand]:
        changed = [s for s in rows if any(entry["item"] == item for entry in s.settings["mix"])]
        if not changed and not pins:
            raise Refused(f"item: nothing in {level.name} plants {names.get(item, item)}")
        for stand in rows:
            if stand.locked and (stand in changed or stand.pk in pins):
                raise HttpError(409, f"{stand.name} is locked: unlock it first.")
        for stand in changed:
            mix = [dict(entry) for entry in stand.settings["mix"]]
            if any(entry["item"] == by for entry in mix):
                raise Refused(
                    f"item: the mix of {stand.name} has {names[by]} already; take one of the two out first"
                )
            for entry in mix:
                if entry["item"] == item:
                    entry.update(item=by, mark=entry.get("mark") or item)
            stand.settings = {**stand.settings, "mix": mix}
        level.pins.filter(item=item).update(item=by)
        if pins:
            level.pins_changed()
        return changed

    done = Arrangement(user, level, key, f"{names.get(item, item)} exchanged for {names[by]} everywhere")
    done.more = {
        "pins": {
            str(stand): [rows, {p: row | {"item": by} for p, row in rows.items()}]
            for stand, rows in pins.items()
        }
    }
    return done.run(work)


def swap_stands(entry: Entry, back: bool) -> None:
    """Put stands back as they were before an entry, or as after it; inside a transaction.

    Raises: HttpError 409 when one of them has been changed since.
    """
    have, want = (
        (entry.change["after"], entry.change["before"])
        if back
        else (entry.change["before"], entry.change["after"])
    )
    rows = {str(s.pk): s for s in Stand.every.select_for_update().filter(level_id=entry.level_id)}
    for pk, given in have.items():
        changed = [name for name in given if getattr(rows[pk], name) != given[name]]
        if changed:
            raise HttpError(
                409, f"{rows[pk].name}: its {changed[0]} has been changed since; undo that first."
            )
    for pk, given in want.items():
        for name, value in given.items():
            setattr(rows[pk], name, value)
        rows[pk].revision += 1
        rows[pk].save()
    for stand, (was, now) in entry.change.get("pins", {}).items():
        swap_rows(entry.level, int(stand), *((now, was) if back else (was, now)))
