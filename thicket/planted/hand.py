"""What a hand asks of single plants, as an edit: set, moved, turned, sized, exchanged, removed, released."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from scipy.spatial import cKDTree

from thicket.document.edits import ChangePins
from thicket.document.level import Stand
from thicket.document.pin_rows import VALUES, GoneRow, PinRow, Row, pins_from, rows_of
from thicket.document.surfaces import lying, stored
from thicket.ground.shapes import distances_at
from thicket.planted.facts import clearing_near
from thicket.planted.level import PlantedLevel
from thicket.planted.mesh_hand import TURN, foot_of, moved_on, spot_on
from thicket.planted.placed_meshes import seats_at
from thicket.planted.planting import Planting
from thicket.planted.varying import aligned, drawn_from, drawn_values
from thicket.planting.pins import bearing_of, leaning, turned_by
from thicket.planting.points import PointSet, Seats
from thicket.planting.stands import Driven, Plants, grow, times, upright_to
from thicket.refused import Conflict, Refused


class InTheWay(Refused):
    """A place that is taken; `disc` is the x, z and radius in m of the footprint in the way, when it is
    one."""

    def __init__(self, sentence: str, disc: tuple[float, float, float] | None = None) -> None:
        super().__init__(sentence)
        self.disc = disc


@dataclass
class PinChanges:
    """What is to be done to single plants of one stand: each change names the plant and only what is to be
    different. `push` sets plants where others are in the way; `copy` doubles plants."""

    add: list[dict] = field(default_factory=list)
    change: list[dict] = field(default_factory=list)
    remove: list[int] = field(default_factory=list)
    release: list[int] = field(default_factory=list)
    push: bool = False
    copy: list[dict] = field(default_factory=list)

    def in_words(self) -> str:
        """How many plants it sets, doubles, changes, removes and releases."""
        words = (
            (self.add, "set"),
            (self.copy, "doubled"),
            (self.change, "changed"),
            (self.remove, "removed"),
            (self.release, "released"),
        )
        return ", ".join(f"{len(these):,} {word}" for these, word in words if these)


def as_rows(planting: Planting, plants: Plants) -> dict[int, PinRow]:
    """Plants that a rule made, as rows of pins by their ids."""
    form, on = plants.form.astype(float), planting.surfaces
    form[:, 1] -= planting.ground.height_at(form[:, 0].copy(), form[:, 2].copy())
    names = ("x", "lift", "z", *VALUES)
    return {
        plant: PinRow.model_construct(
            item=planting.items[item],
            home=(given[0], given[2]),
            surface=on.get(plant, 0),
            **dict(zip(names, given)),
        )
        for plant, item, given in zip(plants.id.tolist(), plants.item.tolist(), form.tolist())
    }


def standing(
    planting: Planting, ids: Sequence[int], near: Mapping[int, tuple[float, float]] | None = None
) -> dict[int, PinRow]:
    """Rows of rule-made plants that stand now, by id; those that do not stand are left out. `near` has
    the places where some of them are looked for first."""
    found: dict[int, PinRow] = {}
    want = np.array(ids, np.uint64)
    hints = [sheet for x, z in (near or {}).values() for sheet in planting.sheets_in((x, z, x, z))]
    for sheet in dict.fromkeys([*hints, *planting.sheets_in(planting.everywhere)]):
        if len(found) == len(want):
            break
        plants = planting.plants(sheet)
        found.update(as_rows(planting, plants.take(np.flatnonzero(np.isin(plants.id, want)))))
    return found


def _changed(planting: Planting, row: PinRow, given: Mapping[str, Any], **more: Any) -> PinRow:
    """A row with what a hand wants to be different: values, or what they are to be changed by."""
    names = ("item", "lift", "width", "height", "tint")
    out = row.model_dump() | {n: given[n] for n in names if given.get(n) is not None}
    x, z = (getattr(row, n) if given.get(n) is None else given[n] for n in ("x", "z"))
    if given.get("about"):
        x, z = _turned_about(given["about"], x, z, given.get("turn_by", 0.0))
    x, z = x + given.get("east", 0.0), z + given.get("south", 0.0)
    out["lift"] += given.get("rise", 0.0)
    if (x, z) != (row.x, row.z) or given.get("on"):
        out |= _moved(planting, row, given, x, z, out["lift"])
    for name in ("width", "height"):
        out[name] = float(np.clip(out[name] * given.get("size_by", 1.0), 0.05, 10))
    q = np.array([out[n] for n in TURN])
    if given.get("turn") is not None:
        q = turned_by(q, given["turn"] - bearing_of(q))
    if given.get("turn_by"):
        q = turned_by(q, given["turn_by"])
    if given.get("lean") is not None:
        q = leaning(q, given["lean"])
    if given.get("up"):
        turn = np.radians(-bearing_of(q)) / 2
        q = np.array(times(upright_to(*given["up"], 1.0), (0.0, np.sin(turn), 0.0, np.cos(turn))))
    for name, axis in (("roll_east", (1, 0, 0)), ("roll_south", (0, 0, 1))):
        if given.get(name):
            half = np.radians(given[name]) / 2
            q = np.array(times((*(np.sin(half) * np.array(axis)), np.cos(half)), tuple(q)))
    if given.get("align"):
        turned = PinRow(**(out | dict(zip(TURN, q.tolist()))))
        q = aligned(planting, turned, given["align"], given.get("eye") or (x, z))
    return PinRow(**(out | dict(zip(TURN, q.tolist())) | more))


def _turned_about(about: Sequence[float], x: float, z: float, degrees: float) -> tuple[float, float]:
    """A place turned about another, clockwise seen from above."""
    cos, sin = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    dx, dz = x - about[0], z - about[1]
    return float(about[0] + dx * cos - dz * sin), float(about[1] + dx * sin + dz * cos)


def _moved(
    planting: Planting, row: PinRow, given: Mapping[str, Any], x: float, z: float, lift: float
) -> dict[str, float]:
    """Where a plant comes to stand, on the terrain or on its mesh."""
    was, now = planting.ground.height_at(np.array([row.x, x]), np.array([row.z, z])).tolist()
    if planting.settings.on:
        y = given["on"][1] if given.get("on") else was + row.lift
        return moved_on(planting, row, given, (x, y, z))
    return {"x": x, "z": z, "lift": lift + was - now if given.get("free") else lift}


def added(planting: Planting, key: object, k: int, given: Mapping[str, Any]) -> tuple[int, PinRow]:
    """A new plant at a place, drawn from the stand's mix and variation like any other; the k-th under a key,
    from which its id follows. On placed meshes the place says on which it lies.

    Raises: Refused where the stand does not grow there.
    """
    draw = int.from_bytes(hashlib.blake2b(f"{key}/{k}".encode(), digest_size=6).digest(), "little")
    cell, none, on = np.array([[draw & 0xFFFFFF, draw >> 24]]) - (1 << 23), np.array([0]), given.get("on")
    if planting.settings.on and not on:
        raise Refused(f"place: {planting.stand.name} grows on placed meshes: say where on one (`on`)")
    if on:
        surface = int(on[0])
        at, normal = spot_on(planting, surface, (given["x"], on[1], given["z"]))
        drawn: Seats | PointSet = seats_at(at[None], normal[None], cell)
        seats = seats_at(at[None], normal[None], np.array([[surface, 0]]))
        driven = planting.site.variation_at(seats, none)
    else:
        surface, one = 0, np.zeros(1, np.float32)
        drawn = PointSet(np.array([given["x"]]), np.array([given["z"]]), one, cell)
        driven = planting.site.variation_at(drawn, none)
    mixed = Driven(weights=driven.weights)
    plants = grow(planting.core, drawn, none, planting.ground, mixed)
    ((plant, row),) = as_rows(planting, plants).items()
    more = {name: value for name, value in given.items() if name not in ("x", "z", "on", "mix")}
    if given.get("mix"):
        more = drawn_from(given["mix"], f"{key}/{k}") | {n: v for n, v in more.items() if v is not None}
    return plant, _changed(planting, row, more, home=None, surface=surface)


def requested_pins(planting: Planting, wish: PinChanges, key: object) -> dict[int, Row | None]:
    """What each plant named in a wish is to be.

    Raises: Conflict when a plant is not there, or cannot be released.
    """
    known = rows_of(planting.pins)
    rows: dict[int, Row | None] = {}
    named = [*(c["plant"] for c in [*wish.change, *wish.copy]), *wish.remove]
    strange = [plant for plant in named if plant not in known]
    near = {c["plant"]: (c["at"][0], c["at"][1]) for c in wish.change if c.get("at")}
    rule = standing(planting, strange, near) if strange else {}
    for plant in strange:
        if plant not in rule:
            raise Conflict(
                f"plant: {planting.stand.name} has no plant {plant} standing now; read its plants again"
            )
    base: dict[int, Row] = {**rule, **known}
    for given in wish.change:
        plant = given["plant"]
        now = rows.get(plant) or base[plant]
        if not isinstance(now, PinRow):
            raise Conflict(f"plant: {plant} was removed; release it first")
        if given.get("random"):
            given = given | drawn_values(planting, key, plant, given["random"], given.get("ranges") or {})
        rows[plant] = _changed(planting, now, given)
    for plant in wish.remove:
        home = base[plant].home
        rows[plant] = None if home is None else GoneRow(home=home)
    for plant in wish.release:
        if plant not in known:
            raise Conflict(f"plant: {plant} is not pinned; there is nothing to release")
        rows[plant] = None
    for k, given in enumerate(wish.copy):
        of = base[given["plant"]]
        if not isinstance(of, PinRow):
            raise Conflict(f"plant: {given['plant']} was removed; release it first")
        on = (of.surface, foot_of(planting, of)[1]) if of.surface else None
        plant, _ = added(planting, key, k, {"x": of.x, "z": of.z, "on": on})
        rows[plant] = _changed(planting, of, given, home=None)
    for k, given in enumerate(wish.add):
        plant, row = added(planting, key, k, given)
        rows[plant] = row
    return rows


def check_open(stand: Stand) -> None:
    """Refuse to work on a stand that is locked, or of which nothing is to be seen since it is off.

    Raises: Conflict.
    """
    if stand.locked:
        raise Conflict(f"{stand.name} is locked: unlock it first")
    if stand.off:
        raise Conflict(f"{stand.name} is off: switch it on first")


def hand_edit(planted: PlantedLevel, wishes: Mapping[int, PinChanges], key: object) -> ChangePins:
    """What is wished of single plants of some stands, by number, as an edit.

    Raises: Refused when it cannot be done; `InTheWay` when something stands where a plant is to be set.
    """
    put = {}
    for number, wish in wishes.items():
        planting = planted.planting(number)
        stand = planting.stand
        check_open(stand)
        if stand.sward:
            raise Refused(f"stand: {stand.name} is a sward; it has no single plants to set or remove")
        rows = requested_pins(planting, wish, key)
        if not rows:
            raise Refused("pins: nothing was asked for")
        check_room(planted, planting, rows, wish.push)
        put[number] = {plant: stored(planted.level, row) for plant, row in rows.items()}
    return ChangePins(put=put)


def places_of(planted: PlantedLevel, edit: ChangePins) -> np.ndarray:
    """Where the plants of an edit stand, as they were and as they are to be: float64 (n, 2) x, z in m."""
    level, rows = planted.level, []
    for number, put in edit.put.items():
        for pins in (level.pins_of(number), pins_from({p: row for p, row in put.items() if row is not None})):
            known = rows_of(lying(level, pins))
            rows += [known.get(plant) for plant in put]
    at = [(row.x, row.z) if isinstance(row, PinRow) else row.home for row in rows if row is not None]
    return np.array(at, float).reshape(-1, 2)


def check_room(planted: PlantedLevel, planting: Planting, rows: Mapping[int, Row | None], push: bool) -> None:
    """Refuse pins outside the level, or in the way of others.

    Raises: Refused with a sentence.
    """
    put = {plant: row for plant, row in rows.items() if isinstance(row, PinRow)}
    for row in put.values():
        if row.item not in planted.level.stock:
            raise Refused(f"item: {planted.level.name} has no stock item {row.item!r}")
        if not (0 <= row.x < planted.width and 0 <= row.z < planted.length):
            raise Refused(
                f"place: {row.x:g}, {row.z:g} lies outside the level, which is {planted.width:g} m × "
                f"{planted.length:g} m"
            )
    if push or not put:
        return
    stock, on = planted.level.stock, bool(planting.settings.on)
    x, z, lift = (np.array([getattr(row, n) for row in put.values()]) for n in ("x", "z", "lift"))
    both = [(stock[row.item], row.width) for row in put.values()]
    crown = np.array([max(item.crown, item.trunk) * width for item, width in both])
    trunk = np.array([item.trunk * width for item, width in both])
    shapes = [] if on else clearing_near(planting.facts, (x.min() - 1, z.min() - 1, x.max() + 1, z.max() + 1))
    for shape in shapes:
        bad = np.flatnonzero(distances_at([shape], x, z)[0] < shape.clear + trunk)
        if len(bad):
            raise InTheWay(
                f"place: at {x[bad[0]]:.1f}, {z[bad[0]]:.1f} it would stand in what {shape.name} keeps "
                "clear; move it, or push it through"
            )
    at = np.c_[x, planted.ground.height_at(x, z) + lift, z] if on else np.c_[x, z]
    alike = [stand for stand in planted.level.in_order if bool(stand.settings.on) == on]
    for other in planted.pinned_from(alike[0]):
        _check_against(planting, other, np.array(list(put), np.uint64), at, crown, trunk)
    for i, k in cKDTree(at).query_pairs(2 * float(trunk.max()) + planting.settings.gap):
        if np.linalg.norm(at[i] - at[k]) < trunk[i] + trunk[k] + planting.settings.gap:
            raise InTheWay(
                f"place: two of the plants would stand in each other at {x[k]:.1f}, {z[k]:.1f}; move them "
                "apart, or push them through"
            )


def _check_against(
    planting: Planting, other: Planting, put: np.ndarray, at: np.ndarray, crown: np.ndarray, trunk: np.ndarray
) -> None:
    """Refuse plants, by id and place, that would stand in a pin of another stand, or the same."""
    if planting.host == other.stand.number or other.host == planting.stand.number:
        return
    own = other.stand.number == planting.stand.number
    above = other.stand.order < planting.stand.order
    lower, upper = (planting, other) if above else (other, planting)
    open_ = own or lower.stand.sward or upper.stand.stratum in lower.settings.under
    radii, form = other.radii, other.pinned.form.astype(float)
    theirs = (radii.max(axis=1) if above and not open_ else radii[:, 1])[other.pinned.item] * form[:, 7]
    mine = trunk if above or open_ else crown
    rest = np.flatnonzero(~np.isin(other.pinned.id, put))
    if not len(rest):
        return
    there, gap = form[rest][:, :3] if at.shape[1] == 3 else form[rest][:, [0, 2]], lower.settings.gap
    reach = float(theirs[rest].max() + mine.max()) + gap
    for k, hits in enumerate(cKDTree(there).query_ball_point(at, reach)):
        for hit in hits:
            far, wide = float(np.linalg.norm(there[hit] - at[k])), float(theirs[rest][hit])
            if far < wide + mine[k] + gap:
                slug = other.items[int(other.pinned.item[rest][hit])]
                raise InTheWay(
                    f"place: at {at[k, 0]:.1f}, {at[k, -1]:.1f} it would stand in a pinned {slug} of "
                    f"{other.stand.name} "
                    f"{far:.1f} m away, whose footprint reaches {wide:.1f} m; move it, or push it through",
                    (float(there[hit][0]), float(there[hit][-1]), wide),
                )
