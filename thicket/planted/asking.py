"""Whether a stand can be planted in its level: what its conditions, its mix and its layout ask for is
there, and a stand that it asks about is planted before it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from thicket.document.level import Level, Stand
from thicket.ground.shapes import Shape
from thicket.planted.places import anchors_among, anchors_named
from thicket.planted.suitability import SiteRasters
from thicket.planting.layouts import FOLLOWS
from thicket.refused import Refused
from thicket.site.conditions import Condition
from thicket.site.kinds import OF_STANDS


class Checked(Protocol):
    """What checking needs of a planted level."""

    level: Level
    rasters: SiteRasters

    @property
    def cell(self) -> float: ...

    @property
    def stands(self) -> Mapping[int, Stand]: ...

    @property
    def shapes(self) -> Mapping[int, Shape]: ...


def check_site(planted: Checked, stand: Stand) -> None:
    """Refuse conditions, drives of the mix and a layout that ask for what the level does not have, or for a
    stand that must not be asked.

    Raises: Refused naming the condition, the item or the layout.
    """
    for where, condition in conditions_of(stand):
        lack = planted.rasters.lacks(condition)
        if lack:
            raise Refused(f"{where}: {lack[0].lower()}{lack[1:]}")
        condition.rule.check_on(condition, planted.cell)
        if condition.rule.needs in OF_STANDS:
            plants = condition.rule.needs == "plants"
            check_above(stand, planted.stands[condition.stand], where, plants)
    check_layout(planted, stand)


def check_layout(planted: Checked, stand: Stand) -> None:
    """Refuse a layout that cannot be planted.

    Raises: Refused.
    """
    layout = stand.settings.layout
    if stand.settings.on:
        _check_meshes(planted, stand)
    if layout.kind == "free":
        return
    if stand.sward:
        raise Refused(f"layout: {stand.name} is a sward, it has no single plants to lay out")
    if layout.kind == "anchors":
        host = planted.stands.get(layout.host)
        if host is None:
            raise Refused("layout: the stand to stand on is no longer there")
        check_above(stand, host, "layout")
        if not anchors_among([entry.item for entry in host.settings.mix], planted.level.stock, layout.group):
            raise Refused(
                f"layout: none of the items of {host.name} has {anchors_named(layout.group)} to stand on"
            )
        return
    kind = FOLLOWS[layout.kind]
    for n in layout.shapes:
        if n not in planted.shapes or planted.shapes[n].kind != kind:
            raise Refused(f"layout: one of the {kind}s to plant is no longer there")


def _check_meshes(planted: Checked, stand: Stand) -> None:
    """Refuse a stand to grow on placed meshes that the level does not have."""
    names = {name for placed in planted.level.surfaces.values() for name in (placed.name, placed.group)}
    for name in stand.settings.on:
        if name not in names:
            raise Refused(f"on: the level has no placed mesh or group {name!r}")


def check_order(before: Checked, after: Checked) -> None:
    """Refuse a level in which a stand asks for another that is gone or not above it, and did not before.

    Raises: Refused naming the stand.
    """
    for stand in after.level.in_order:
        measures = any(c.rule.needs in OF_STANDS for _, c in conditions_of(stand))
        if not (stand.settings.on or measures or stand.settings.layout.kind == "anchors"):
            continue
        try:
            check_site(after, stand)
        except Refused as error:
            was = before.stands.get(stand.number)
            if was is None or _can_be_planted(before, was):
                raise Refused(f"{stand.name}: {error}") from error


def _can_be_planted(planted: Checked, stand: Stand) -> bool:
    try:
        check_site(planted, stand)
    except Refused:
        return False
    return True


def conditions_of(stand: Stand) -> list[tuple[str, Condition]]:
    """All conditions of a stand, each with the words for where it is set."""
    found = [
        (f"conditions: number {number}, {c.rule.title}", c)
        for number, c in enumerate(stand.settings.rules(), start=1)
    ]
    mix = [(f"mix: what drives {e.item}", e.drive.core()) for e in stand.settings.mix if e.drive]
    return found + mix


def check_above(stand: Stand, other: Stand, where: str, plants: bool = True) -> None:
    """Refuse a stand to be asked about that is not planted before the one that asks, or, where its plants are
    asked for, is a sward; where it does so, in words.

    Raises: Refused.
    """
    if other.sward and plants:
        raise Refused(
            f"{where}: {other.name} is a sward, it has no single plants to be near, away from or on"
        )
    if other.order >= stand.order:
        raise Refused(
            f"{where}: {other.name} does not stand above {stand.name}; only stands above it, which are "
            "planted first, can be asked for"
        )
