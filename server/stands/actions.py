"""Settings kept: checked, compared, journalled."""

from __future__ import annotations

from uuid import UUID

from django.contrib.auth.models import User

from server.errors import Clash
from server.journal.action import Done, action
from server.journal.commit import commit_made
from server.journal.models import Entry
from server.levels.models import Level
from server.stands.access import rows_of, stand_for
from server.stands.checking import merged
from server.stands.models import Stand
from server.stands.painting import check_unlocked
from thicket.document.edits import ChangeSettings, Edit
from thicket.document.settings import StandSettings
from thicket.refused import Missing


def _leaves(values: dict) -> dict[str, object]:
    """Settings by name, those that are made of parts by the names of both."""
    out: dict[str, object] = {}
    for name, value in values.items():
        out |= (
            {f"{name}.{part}": v for part, v in value.items()} if isinstance(value, dict) else {name: value}
        )
    return out


def _set_by(entry: Entry, stand: Stand) -> dict:
    """The settings of a stand that an entry set."""
    return entry.change["edit"]["put"].get(str(stand.number), {})


def _clashes(stand: Stand, was: dict, kept: dict, fresh: dict) -> list[dict]:
    """The settings that are no longer as they were when a change of them was begun, and would be overwritten
    by it."""
    kept, fresh = _leaves(kept), _leaves(fresh)
    out = []
    for name, value in _leaves(was).items():
        if name in kept and kept[name] != value and fresh[name] != kept[name] and fresh[name] != value:
            entries = Entry.objects.filter(
                level=stand.level, kind=ChangeSettings.model_fields["kind"].default, undone=False
            ).select_related("user")[:40]
            top = name.split(".")[0]
            who = next((e.user.get_username() for e in entries if top in _set_by(e, stand)), "somebody")
            out.append(
                {
                    "stand": stand.pk,
                    "name": name,
                    "was": value,
                    "theirs": kept[name],
                    "yours": fresh[name],
                    "who": who,
                }
            )
    return out


@action
def keep_several(
    user: User,
    level: Level,
    key: UUID,
    changes: dict[int, dict],
    was: dict[int, dict] | None = None,
) -> Done:
    """Keep changed settings of several stands, by their primary keys, as one journal entry: all of them, or
    none. `was` are the values that the change was begun from.

    Raises: Clash when another has changed one of them meanwhile; otherwise as `merged`, naming the stand.
    """
    stands = [stand_for(level, pk) for pk in changes]

    def make(row: Level) -> tuple[Edit, str]:
        put = {s.number: _changed(row, s.number, changes[s.pk], (was or {}).get(s.pk)) for s in stands}
        parts = sorted({name.replace("_", " ") for fields in put.values() for name in fields})
        names = ", ".join(stand.name for stand in stands)
        return ChangeSettings(put=put), f"{names}: {', '.join(parts) or 'nothing new'}"

    return commit_made(user, level, key, make)


def _changed(level: Level, number: int, changes: dict, was: dict | None) -> dict:
    """The settings of a stand, by number, that changes of them set to something else."""
    row = rows_of(level).get(number)
    if row is None:
        raise Missing(f"stand: {level.name} has no stand {number}; somebody may have removed it")
    check_unlocked(row)
    fresh = merged(row, changes).model_dump(mode="json")
    kept = StandSettings.model_validate(row.settings).model_dump(mode="json")
    clashes = _clashes(row, was or {}, kept, fresh)
    if clashes:
        names = ", ".join(c["name"].replace(".", ": ").replace("_", " ") for c in clashes)
        raise Clash(f"{clashes[0]['who']} has changed {row.name} meanwhile: {names}.", clashes)
    return {name: fresh[name] for name in changes if fresh[name] != kept[name]}
