"""Pins kept, journalled and taken back: single plants added, moved, turned, sized, exchanged, removed and
released."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from uuid import UUID

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction
from ninja.errors import HttpError
from scipy.spatial import cKDTree

from server.journal.action import action
from server.journal.models import Entry
from server.levels.models import Level
from server.levels.own_ground import check_own, plot_at
from server.levels.planted import forget_planted, planted_of, planting_of
from server.levels.planted import rows_of as stand_rows_of
from server.pins.rows import Rows, put_rows, rows_of, swap_places, swap_rows
from server.sight.worst import change_at_worst
from server.stands.checking import check_items
from server.stands.models import Stand
from server.stands.painting import check_unlocked
from thicket.ground.heights import Ground
from thicket.ground.shapes import distances_at
from thicket.limits import PINS
from thicket.planted.facts import clearing_near
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting
from thicket.planted.sheets import Box, box_around
from thicket.planting.pins import bearing_of, leaning, turned_by
from thicket.planting.points import PointSet
from thicket.planting.stands import Plants, grow
from thicket.refused import Refused

MOST = PINS


class InTheWay(Refused):
    """A place that is taken; `disc` is the x, z and radius in m of the footprint in the way, when it is
    one."""

    def __init__(self, sentence: str, disc: tuple[float, float, float] | None = None) -> None:
        super().__init__(sentence)
        self.disc = disc


@dataclass
class PinChanges:
    """What is to be done to single plants of one stand: each change names the plant and only what is to be
    different."""

    add: list[dict] = field(default_factory=list)
    change: list[dict] = field(default_factory=list)
    remove: list[int] = field(default_factory=list)
    release: list[int] = field(default_factory=list)
    push: bool = False
    copy: list[dict] = field(default_factory=list)


def as_rows(planting: Planting, plants: Plants) -> dict[str, dict]:
    """Plants that a rule made, as pins' rows by id."""
    form = plants.form.astype(float)
    form[:, 1] -= planting.ground.height_at(form[:, 0].copy(), form[:, 2].copy())
    names = ("x", "lift", "z", "qx", "qy", "qz", "qw", "width", "height", "tint")
    return {
        str(plant): {
            "item": planting.items[item],
            **dict(zip(names, given)),
            "gone": False,
            "home_x": given[0],
            "home_z": given[2],
        }
        for plant, item, given in zip(plants.id.tolist(), plants.item.tolist(), form.tolist())
    }


def standing(planting: Planting, ids: list[int], near: dict[int, tuple[float, float]] | None = None) -> Rows:
    """Rows of rule-made plants that stand now, by id; those that do not stand are left out.

    `near` tells where to look first for some of them.
    """
    found: Rows = {}
    want = np.array(ids, np.uint64)
    hints = [p for x, z in (near or {}).values() for p in planting.sheets_in((x, z, x, z))]
    for sheet in dict.fromkeys([*hints, *planting.sheets_in(planting.everywhere)]):
        if len(found) == len(want):
            break
        plants = planting.plants(sheet)
        found.update(as_rows(planting, plants.take(np.flatnonzero(np.isin(plants.id, want)))))
    return found


def _changed(row: dict, given: dict, ground: Ground) -> dict:
    """A row with what a hand wants to be different: values, or what they are to be changed by."""
    out = row | {
        n: given[n] for n in ("item", "x", "z", "lift", "width", "height", "tint") if given.get(n) is not None
    }
    out["x"], out["z"] = out["x"] + given.get("east", 0.0), out["z"] + given.get("south", 0.0)
    if given.get("free"):
        was, now = ground.height_at(np.array([row["x"], out["x"]]), np.array([row["z"], out["z"]])).tolist()
        out["lift"] += was - now
    for name in ("width", "height"):
        out[name] = float(np.clip(out[name] * given.get("size_by", 1.0), 0.05, 10))
    q = np.array([row[n] for n in ("qx", "qy", "qz", "qw")])
    if given.get("turn") is not None:
        q = turned_by(q, given["turn"] - bearing_of(q))
    if given.get("turn_by"):
        q = turned_by(q, given["turn_by"])
    if given.get("lean") is not None:
        q = leaning(q, given["lean"])
    return out | dict(zip(("qx", "qy", "qz", "qw"), q.tolist()))


def _added(planting: Planting, key: UUID, k: int, given: dict) -> tuple[str, dict]:
    """A new plant at a place, drawn from the stand's mix and variation like any other."""
    draw = int.from_bytes(hashlib.blake2b(f"{key}/{k}".encode(), digest_size=6).digest(), "little")
    at = PointSet(
        np.array([given["x"]]),
        np.array([given["z"]]),
        np.zeros(1, np.float32),
        np.array([[draw & 0xFFFFFF, draw >> 24]]) - (1 << 23),
    )
    drives = [
        None if drive is None else drive.around(at.x, at.z, planting.cell) for drive in planting.site.drives
    ]
    plants = grow(planting.core, at, np.array([0]), planting.ground, None, drives)
    ((plant, row),) = as_rows(planting, plants).items()
    given = {n: v for n, v in given.items() if n not in ("x", "z")}
    return plant, _changed(row | {"home_x": None, "home_z": None}, given, planting.ground)


def requested_pins(planting: Planting, wish: PinChanges, key: UUID, known: Rows) -> Rows:
    """What each plant named in a wish is to be; `known` are the stand's pins.

    Raises: HttpError 409 when a plant is not there, or cannot be released.
    """
    rows: Rows = {}
    named = [*(c["plant"] for c in [*wish.change, *wish.copy]), *wish.remove]
    strange = [p for p in named if str(p) not in known]
    near = {c["plant"]: (c["at"][0], c["at"][1]) for c in wish.change if c.get("at")}
    rule = standing(planting, strange, near) if strange else {}
    for plant in strange:
        if str(plant) not in rule:
            raise HttpError(
                409, f"plant: {planting.stand.name} has no plant {plant} standing now; read its plants again."
            )
    base = {p: row for p, row in {**rule, **known}.items() if row}
    for given in wish.change:
        plant = str(given["plant"])
        if base[plant]["gone"]:
            raise HttpError(409, f"plant: {plant} was removed; release it first.")
        rows[plant] = _changed(rows.get(plant) or base[plant], given, planting.ground)
    for plant in map(str, wish.remove):
        rows[plant] = base[plant] | {"gone": True} if base[plant]["home_x"] is not None else None
    for plant in map(str, wish.release):
        if plant not in known:
            raise HttpError(409, f"plant: {plant} is not pinned; there is nothing to release.")
        rows[plant] = None
    for k, given in enumerate(wish.copy):
        of = base[str(given["plant"])]
        plant, _ = _added(planting, key, k, {"x": of["x"], "z": of["z"]})
        rows[plant] = _changed(of, given, planting.ground) | {"home_x": None, "home_z": None}
    for k, given in enumerate(wish.add):
        plant, row = _added(planting, key, k, given)
        rows[plant] = row
    return rows


def change_pins(user: User, stand: Stand, key: UUID, wish: PinChanges) -> Entry:
    """Do what is wished for to single plants of one stand, as one journal entry; see `change_many`."""
    return change_many(user, stand.level, key, {stand.number: wish})


@action
def change_many(user: User, level: Level, key: UUID, wishes: dict[int, PinChanges]) -> Entry:
    """Do what is wished for to single plants of some stands, by number, as one journal entry; a key that is
    known counts once.

    Raises: Refused or HttpError with a sentence; nothing is changed then.
    """
    with transaction.atomic():
        Level.objects.select_for_update().get(pk=level.pk)
        level.refresh_from_db(fields=["pin_revision"])
        forget_planted(level)
        before, stands, change, done = planted_of(level), stand_rows_of(level), {}, []
        where: list[tuple[float, float]] = []
        for number, wish in wishes.items():
            stand = stands[number]
            change[str(stand.pk)] = _wish_for(before, stand, key, wish)
            where += places_of(change[str(stand.pk)])
            done.append(_what(stand, wish))
        check_own(level, user, where)
        for pk, rows in change.items():
            put_rows(level, int(pk), rows["after"])
        forget_planted(level)
        gained, lost = before.moved(planted_of(level), swards=False)
        alone = stands[next(iter(wishes))] if len(wishes) == 1 else None
        return Entry.objects.create(
            level=level,
            user=user,
            stand=alone,
            kind=Entry.Kind.PINS,
            key=key,
            plot=plot_at(level, where),
            worst=change_at_worst(level, before, box_of(where)),
            what=f"{'; '.join(done)} by hand"[:200],
            change=next(iter(change.values())) if alone else {"stands": change},
            gained=gained,
            lost=lost,
        )


def box_of(places: Sequence[tuple[float, float]]) -> Box:
    """The box of level metres around places."""
    x, z = np.array(places, float).reshape(-1, 2).T
    return box_around(x, z)


def places_of(change: Mapping[str, Rows]) -> list[tuple[float, float]]:
    """Where the plants of a change stand, as they were and as they are to be."""
    rows = [row for side in ("before", "after") for row in change[side].values() if row]
    return [(row["x"], row["z"]) for row in rows]


def _wish_for(planted: PlantedLevel, stand: Stand, key: UUID, wish: PinChanges) -> dict[str, Rows]:
    """Rows of one stand before and after a wish, checked."""
    check_unlocked(stand)
    if stand.sward:
        raise Refused(f"stand: {stand.name} is a sward; it has no single plants to set or remove")
    planting, level = planted.planting(stand.number), stand.level
    known = rows_of(level.pins.filter(stand=stand))
    rows = requested_pins(planting, wish, key, known)
    if not rows:
        raise Refused("pins: nothing was asked for")
    if level.pins.count() + len(rows) > MOST:
        raise Refused(f"pins: a level holds at most {MOST:,} pins")
    _check(stand, planting, rows, wish.push)
    return {"before": {plant: known.get(plant) for plant in rows}, "after": rows}


def ghost(stand: Stand, key: UUID, given: dict, push: bool) -> tuple[str, dict, InTheWay | None]:
    """The plant that a wish to set one under this key would give: its id, its row, and what is in the way, if
    anything is.

    Raises: Refused when it cannot stand there however much it is pushed.
    """
    planting = planting_of(stand)
    plant, row = _added(planting, key, 0, given)
    try:
        _check(stand, planting, {plant: row}, push)
    except InTheWay as error:
        return plant, row, error
    return plant, row, None


def _what(stand: Stand, wish: PinChanges) -> str:
    words = (
        (wish.add, "set"),
        (wish.copy, "doubled"),
        (wish.change, "changed"),
        (wish.remove, "removed"),
        (wish.release, "released"),
    )
    return f"{stand.name}: {', '.join(f'{len(these):,} {word}' for these, word in words if these)}"


def swap_pins(entry: Entry, back: bool) -> None:
    """Put pins back as they were before an entry, or as after it; inside a transaction."""
    for stand, change in entry.change.get("stands", {entry.stand_id: entry.change}).items():
        was, now = change["before"], change["after"]
        swap_rows(entry.level, int(stand), *((now, was) if back else (was, now)))
    if places := entry.change.get("places"):
        swap_places(
            entry.level,
            *((places["after"], places["before"]) if back else (places["before"], places["after"])),
        )


def _check(stand: Stand, planting: Planting, rows: Rows, push: bool) -> None:
    """Refuse pins outside the level, of unknown items, or in the way of others.

    Raises: Refused with a sentence.
    """
    put = {plant: row for plant, row in rows.items() if row and not row["gone"]}
    planted = planted_of(stand.level)
    check_items(stand.level, sorted({row["item"] for row in put.values()}))
    for row in put.values():
        if not (0 <= row["x"] < planted.width and 0 <= row["z"] < planted.length):
            raise Refused(
                f"place: {row['x']:g}, {row['z']:g} lies outside the level, which is {planted.width:g} m × "
                f"{planted.length:g} m"
            )
    if push or not put:
        return
    stock = planted.level.stock
    radii = {slug: (stock[slug].crown, stock[slug].trunk) for slug in {row["item"] for row in put.values()}}
    x, z = (np.array([row[n] for row in put.values()]) for n in ("x", "z"))
    crown, trunk = (
        np.array([(max(radii[row["item"]]), radii[row["item"]][1])[k] * row["width"] for row in put.values()])
        for k in (0, 1)
    )
    shapes = list(clearing_near(planting.facts, (x.min() - 1, z.min() - 1, x.max() + 1, z.max() + 1)))
    for s in shapes:
        bad = np.flatnonzero(distances_at([s], x, z)[0] < s.clear + trunk)
        if len(bad):
            raise InTheWay(
                f"place: at {x[bad[0]]:.1f}, {z[bad[0]]:.1f} it would stand in what {s.name} keeps clear; "
                "move it, or push it through"
            )
    for other in planted.pinned_from(planted.level.in_order[0]):
        _check_against(planting, other, put, x, z, crown, trunk)
    at = np.c_[x, z]
    for i, k in cKDTree(at).query_pairs(2 * float(trunk.max()) + planting.settings.gap):
        if np.hypot(*(at[i] - at[k])) < trunk[i] + trunk[k] + planting.settings.gap:
            raise InTheWay(
                f"place: two of the plants would stand in each other at {x[k]:.1f}, {z[k]:.1f}; move them "
                "apart, or push them through"
            )


def _check_against(planting: Planting, other: Planting, put: dict[str, dict], x, z, crown, trunk) -> None:
    """Refuse plants that would stand in a pin of another stand, or the same."""
    if planting.host == other.stand.number or other.host == planting.stand.number:
        return
    own = other.stand.number == planting.stand.number
    above = other.stand.order < planting.stand.order
    lower, upper = (planting, other) if above else (other, planting)
    open_ = own or lower.stand.sward or upper.stand.stratum in lower.settings.under
    radii, form = other.radii, other.pinned.form.astype(float)
    theirs = (radii.max(axis=1) if above and not open_ else radii[:, 1])[other.pinned.item] * form[:, 7]
    mine = trunk if above or open_ else crown
    rest = np.flatnonzero(~np.isin(other.pinned.id, np.array([int(p) for p in put], np.uint64)))
    if not len(rest):
        return
    at, gap = form[rest][:, [0, 2]], lower.settings.gap
    reach = float(theirs[rest].max() + mine.max()) + gap
    for k, hits in enumerate(cKDTree(at).query_ball_point(np.c_[x, z], reach)):
        for hit in hits:
            far, wide = float(np.hypot(*(at[hit] - (x[k], z[k])))), float(theirs[rest][hit])
            if far < wide + mine[k] + gap:
                slug = other.items[int(other.pinned.item[rest][hit])]
                raise InTheWay(
                    f"place: at {x[k]:.1f}, {z[k]:.1f} it would stand in a pinned {slug} of "
                    f"{other.stand.name} "
                    f"{far:.1f} m away, whose footprint reaches {wide:.1f} m; move it, or push it through",
                    (*at[hit].tolist(), wide),
                )
