"""What is kept with a level as a whole, changed by edits."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from uuid import UUID

from django.contrib.auth.models import User

from server.journal.action import Done, action
from server.journal.commit import commit_made
from server.levels.models import Level
from thicket.document.edits import ChangeTiers, ChangeWalks, Edit


@action
def set_tiers(user: User, level: Level, key: UUID, tiers: Mapping[str, Any]) -> Done:
    """Have these tiers in place of those there are, in their order."""
    return commit_made(user, level, key, lambda row: (_all(ChangeTiers, row.tiers, tiers), "Tiers"))


@action
def set_walks(user: User, level: Level, key: UUID, walks: Mapping[str, Any]) -> Done:
    """Have these walks in place of those there are, in their order."""
    return commit_made(user, level, key, lambda row: (_all(ChangeWalks, row.walks, walks), "Walks"))


def _all(kind: type[Edit], have: Mapping[str, Any], want: Mapping[str, Any]) -> Edit:
    """The edit that leaves just what is wanted, in its order."""
    put = {name: given for name, given in want.items() if have.get(name) != given}
    gone = dict.fromkeys(have.keys() - want.keys())
    return kind.model_validate({"put": put | gone, "order": tuple(want)})
