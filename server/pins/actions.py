"""Single plants changed by hand, and taken out under a brush."""

from __future__ import annotations

from uuid import UUID

from django.contrib.auth.models import User

from server.document.own_ground import check_own
from server.document.planted import planted_of
from server.journal.action import Done, action
from server.journal.commit import commit_made
from server.levels.models import Level
from server.stands.checking import check_items
from server.stands.models import Stand
from thicket.document.edits import Edit
from thicket.document.pin_rows import PinRow
from thicket.document.settings import MixEntry
from thicket.planted.hand import InTheWay, PinChanges, added, check_room, hand_edit, places_of
from thicket.planted.scattering import piled, scattered
from thicket.planted.uprooting import regrow_edit, uproot_edit
from thicket.planting.strokes import Stroke
from thicket.refused import Missing


def _check_there(row: Level, numbers: list[int]) -> None:
    """Raises: Missing when a stand, by number, is no longer there."""
    for number in numbers:
        if number not in planted_of(row).stands:
            raise Missing(f"stand: {row.name} has no stand {number}; somebody may have removed it")


def change_pins(user: User, stand: Stand, key: UUID, wish: PinChanges) -> Done:
    """Do what is wished for to single plants of one stand, as one journal entry; see `change_many`."""
    return change_many(user, stand.level, key, {stand.number: wish})


@action
def change_many(user: User, level: Level, key: UUID, wishes: dict[int, PinChanges]) -> Done:
    """Do what is wished for to single plants of some stands, by number, as one journal entry; a key that is
    known counts once.

    Raises: Refused or HttpError with a sentence; nothing is changed then.
    """
    where: list[tuple[float, float]] = []

    def make(row: Level) -> tuple[Edit, str]:
        _check_there(row, list(wishes))
        planted = planted_of(row)
        edit = hand_edit(planted, wishes, key)
        items = {r.item for put in edit.put.values() for r in put.values() if isinstance(r, PinRow)}
        check_items(row, sorted(items))
        where[:] = [(x, z) for x, z in places_of(planted, edit).tolist()]
        check_own(row, user, where)
        done = [f"{planted.stands[number].name}: {wish.in_words()}" for number, wish in wishes.items()]
        return edit, f"{'; '.join(done)} by hand"

    return commit_made(user, level, key, make, at=where)


@action
def scatter(
    user: User,
    stand: Stand,
    key: UUID,
    outline: list[tuple[float, float]],
    count: int,
    mix: list[MixEntry],
    pile: bool,
) -> Done:
    """Set so many plants of a stand inside an outline, or drop them onto one another there; see
    `thicket.planted.scattering`."""
    where: list[tuple[float, float]] = []

    def make(row: Level) -> tuple[Edit, str]:
        _check_there(row, [stand.number])
        planted = planted_of(row)
        wish = (piled if pile else scattered)(planted, stand.number, outline, count, mix, key)
        check_items(row, sorted({entry.item for entry in mix}))
        where[:] = [(plant["x"], plant["z"]) for plant in wish.add]
        check_own(row, user, where)
        how = "piled up" if pile else "scattered by hand"
        return hand_edit(planted, {stand.number: wish}, key), f"{stand.name}: {count:,} {how}"

    return commit_made(user, stand.level, key, make, at=where)


@action
def uproot(user: User, stands: list[Stand], stroke: Stroke, key: UUID) -> Done:
    """Take the plants of some stands out along a stroke; see `thicket.planted.uprooting`."""
    level: Level = stands[0].level

    def make(row: Level) -> tuple[Edit, str]:
        check_own(row, user, stroke.path)
        numbers = [stand.number for stand in stands]
        _check_there(row, numbers)
        edit, total, names = uproot_edit(planted_of(row), numbers, stroke)
        return edit, f"{total:,} uprooted: {', '.join(names)}"

    return commit_made(user, level, key, make, at=stroke.path)


@action
def regrow(user: User, stand: Stand, key: UUID) -> Done:
    """Let a stand grow again wherever it was uprooted."""

    def make(row: Level) -> tuple[Edit, str]:
        _check_there(row, [stand.number])
        edit = regrow_edit(planted_of(row), stand.number)
        return edit, f"{stand.name} grows again where it was uprooted"

    return commit_made(user, stand.level, key, make)


def ghost(stand: Stand, key: UUID, given: dict, push: bool) -> tuple[int, PinRow, InTheWay | None]:
    """The plant that a wish to set one under this key would give: its id, its row, and what is in the way, if
    anything is.

    Raises: Refused when it cannot stand there however much it is pushed.
    """
    planted = planted_of(stand.level)
    planting = planted.planting(stand.number)
    plant, row = added(planting, key, 0, given)
    try:
        check_room(planted, planting, {plant: row}, push)
    except InTheWay as error:
        return plant, row, error
    return plant, row, None
