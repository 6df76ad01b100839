"""Settings kept: checked, compared, journalled; and which stands follow from others."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

from django.contrib.auth.models import User
from django.db import transaction

from server.errors import Clash
from server.journal.action import action
from server.journal.models import Entry
from server.levels.models import Level
from server.levels.planted import forget_planted, planted_of, planting_of, rows_of, tried
from server.sight.reckoning import items_of, stand_cost
from server.sight.worst import change_at_worst
from server.stands.checking import merged
from server.stands.models import Stand
from server.stands.painting import check_unlocked, cost_change
from thicket.document.settings import StandSettings
from thicket.planted.comparing import compare
from thicket.sight.views import View


def dependants(stand: Stand) -> list[int]:
    """Other stands that may change with this one, straight or through others: those below it, which its
    plants leave room or none, and those whose conditions ask for its plants; all of them when it has pins,
    which claim room from any stand. Their primary keys."""
    stands = list(rows_of(stand.level).values())
    reached = {stand.number: stand}
    if len(planted_of(stand.level).level.pins_of(stand.number).id):
        return [s.pk for s in stands if s.pk != stand.pk]
    while True:
        asked = {n for n, s in reached.items() if not s.sward}
        first = min((s.order for s in reached.values() if not s.sward), default=None)
        more = [
            s
            for s in stands
            if s.number not in reached
            and first is not None
            and (
                s.order > first
                or any(
                    c["kind"] == "stand" and c.get("stand") in asked for c in s.settings.get("conditions", [])
                )
            )
        ]
        if not more:
            return [s.pk for n, s in reached.items() if n != stand.number]
        reached |= {s.number: s for s in more}


def _leaves(values: dict) -> dict[str, object]:
    """Settings by name, those that are made of parts by the names of both."""
    out: dict[str, object] = {}
    for name, value in values.items():
        out |= (
            {f"{name}.{part}": v for part, v in value.items()} if isinstance(value, dict) else {name: value}
        )
    return out


def _after(entry: Entry, stand: Stand) -> dict:
    """The settings of a stand that an entry set."""
    if "stands" in entry.change:
        return entry.change["stands"].get(str(stand.pk), {}).get("after", {})
    return entry.change["after"] if entry.stand_id == stand.pk else {}


def _clashes(stand: Stand, was: dict, kept: dict, fresh: dict) -> list[dict]:
    """The settings that are no longer as they were when a change of them was begun, and would be overwritten
    by it."""
    kept, fresh = _leaves(kept), _leaves(fresh)
    out = []
    for name, value in _leaves(was).items():
        if name in kept and kept[name] != value and fresh[name] != kept[name] and fresh[name] != value:
            entries = Entry.objects.filter(
                level=stand.level, kind=Entry.Kind.SETTINGS, undone=False
            ).select_related("user")[:40]
            top = name.split(".")[0]
            who = next((e.user.get_username() for e in entries if top in _after(e, stand)), "somebody")
            out.append({"name": name, "was": value, "theirs": kept[name], "yours": fresh[name], "who": who})
    return out


@action
def keep_settings(
    user: User, stand: Stand, changes: dict, key: UUID, view: View | None = None, was: dict | None = None
) -> Entry:
    """Keep changed settings of a stand, as one journal entry; a key that is known counts once.

    `was` are the values that the change was begun from. Raises: Clash when another has changed one of them
    meanwhile.
    """
    level, before = stand.level, planted_of(stand.level)
    with transaction.atomic():
        kept = _keep(stand.pk, level, changes, view, was)
        forget_planted(level)
        return Entry.objects.create(
            level=level,
            user=user,
            stand=kept.row,
            kind=Entry.Kind.SETTINGS,
            key=key,
            what=kept.what,
            change=kept.change,
            gained=kept.gained,
            lost=kept.lost,
            cost=kept.cost,
            worst=change_at_worst(level, before),
        )


@action
def keep_several(
    user: User,
    level: Level,
    key: UUID,
    changes: dict[int, dict],
    view: View | None = None,
    was: dict[int, dict] | None = None,
) -> Entry:
    """Keep changed settings of several stands, by their primary keys, as one journal entry: all of them, or
    none.

    Raises: as `keep_settings`, naming the stand.
    """
    before = planted_of(level)
    with transaction.atomic():
        kept = []
        for pk, given in changes.items():
            kept.append(_keep(pk, level, given, view, (was or {}).get(pk)))
            forget_planted(level)
        names = ", ".join(k.row.name for k in kept)
        cost = {name: sum(k.cost.get(name, 0) for k in kept) for name in (kept[0].cost if kept else {})}
        parts = sorted({name.replace("_", " ") for k in kept for name in k.change["after"]})
        return Entry.objects.create(
            level=level,
            user=user,
            kind=Entry.Kind.SETTINGS,
            key=key,
            what=f"{names}: {', '.join(parts) or 'nothing new'}"[:200],
            change={"stands": {str(k.row.pk): k.change for k in kept}},
            gained=sum(k.gained for k in kept),
            lost=sum(k.lost for k in kept),
            cost=cost,
            worst=change_at_worst(level, before),
        )


@dataclass(frozen=True)
class Kept:
    """A stand whose settings were stored: what changed, the plants that came and went, and the difference in
    cost."""

    row: Stand
    what: str
    change: dict
    gained: int
    lost: int
    cost: dict


def _keep(pk: int, level: Level, changes: dict, view: View | None, was: dict | None) -> Kept:
    """Store changed settings of a stand; inside a transaction."""
    row = Stand.objects.select_for_update().get(pk=pk, level=level)
    row.level = level
    check_unlocked(row)
    before = planting_of(row)
    settings = merged(row, changes)
    after = tried(row, settings)
    gained, lost = compare(before, after)
    fresh = settings.model_dump(mode="json")
    kept = StandSettings.model_validate(row.settings).model_dump(mode="json")
    clashes = _clashes(row, was or {}, kept, fresh)
    if clashes:
        names = ", ".join(c["name"].replace(".", ": ").replace("_", " ") for c in clashes)
        raise Clash(f"{clashes[0]['who']} has changed {row.name} meanwhile: {names}.", clashes)
    changed = [name for name in changes if fresh[name] != kept[name]]
    stock = items_of(level) if view else {}
    cost = cost_change(stand_cost(before, stock, view), stand_cost(after, stock, view, True)) if view else {}
    row.settings = fresh
    row.revision += 1
    row.save(update_fields=["settings", "revision"])
    what = f"{row.name}: {', '.join(name.replace('_', ' ') for name in changed) or 'nothing new'}"
    return Kept(
        row,
        what,
        {"before": {n: kept[n] for n in changed}, "after": {n: fresh[n] for n in changed}},
        gained,
        lost,
        cost,
    )
