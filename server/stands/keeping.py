"""Settings kept: checked, compared, journalled; and which stands follow from others."""

from __future__ import annotations

from uuid import UUID

from django.contrib.auth.models import User
from django.db import transaction

from server.journal.models import Entry
from server.levels.models import Level
from server.levels.scene import scene_of
from server.sight.reckoning import items_of, stand_cost
from server.stands.checking import merged
from server.stands.comparing import compare
from server.stands.engine import Planting, planting_of
from server.stands.models import Stand
from server.stands.painting import check_unlocked, cost_change
from server.stands.schemas import StandSettings
from thicket.planting.pins import NO_PINS
from thicket.sight.views import View


def dependants(stand: Stand) -> list[int]:
    """Other stands that may change with this one, straight or through others: those below it, which its plants leave room
    or none, and those whose conditions ask for its plants; all of them when it has pins, which claim room from any stand.
    Their primary keys."""
    stands = list(scene_of(stand.level).stands.values())
    reached = {stand.number: stand}
    if len(scene_of(stand.level).pins.get(stand.pk, NO_PINS).id):
        return [s.pk for s in stands if s.pk != stand.pk]
    while True:
        asked = {n for n, s in reached.items() if not s.sward}
        first = min((s.order for s in reached.values() if not s.sward), default=None)
        more = [s for s in stands if s.number not in reached and first is not None and (
            s.order > first or any(c["kind"] == "stand" and c.get("stand") in asked for c in s.settings.get("conditions", [])))]
        if not more:
            return [s.pk for n, s in reached.items() if n != stand.number]
        reached |= {s.number: s for s in more}


def keep_settings(user: User, stand: Stand, changes: dict, key: UUID, view: View | None = None) -> Entry:
    """Keep changed settings of a stand, as one journal entry; a key that is known counts once."""
    level: Level = stand.level
    known = Entry.objects.filter(key=key, level=level).first()
    if known:
        return known
    with transaction.atomic():
        row = Stand.objects.select_for_update().get(pk=stand.pk)
        row.level = level
        check_unlocked(row)
        before = planting_of(row)
        settings = merged(row, changes)
        after = Planting(row, settings)
        gained, lost = compare(before, after)
        fresh = settings.model_dump(mode="json")
        kept = StandSettings.model_validate(row.settings).model_dump(mode="json")
        changed = [name for name in changes if fresh[name] != kept[name]]
        stock = items_of(level) if view else {}
        cost = cost_change(stand_cost(before, stock, view), stand_cost(after, stock, view, True)) if view else {}
        entry = Entry.objects.create(
            level=level, user=user, stand=row, kind=Entry.Kind.SETTINGS, key=key,
            what=f"{row.name}: {', '.join(name.replace('_', ' ') for name in changed) or 'nothing new'}",
            change={"before": {n: kept[n] for n in changed}, "after": {n: fresh[n] for n in changed}},
            gained=gained, lost=lost, cost=cost)
        row.settings = fresh
        row.revision += 1
        row.save(update_fields=["settings", "revision"])
    return entry
