"""Whether a stand's settings can be planted in its level."""

from __future__ import annotations

from django.db.models.functions import Length
from ninja.errors import HttpError

from server.levels.models import Level
from server.levels.planted import planted_of, tried
from server.stands.models import Stand
from thicket.document.level import Stand as DocumentStand
from thicket.document.settings import StandSettings
from thicket.ground.hollow import disc
from thicket.planted.places import anchors_among, anchors_named
from thicket.refused import Refused
from thicket.site.conditions import NAMES, Condition


def merged(stand: Stand, changes: dict) -> StandSettings:
    """The stand's settings with some replaced, checked.

    Raises: ValidationError or ValueError with the field's name; HttpError when an item is unknown.
    """
    settings = StandSettings.model_validate({**stand.settings, **changes})
    check_items(stand.level, [entry.item for entry in settings.mix])
    if {"conditions", "mix", "layout"} & set(changes):
        check_site(stand, settings)
    tried(stand, settings)
    return settings


def check_items(level: Level, slugs: list[str]) -> None:
    """Refuse items that the level does not have, or that have no mesh.

    Raises: HttpError 422 naming the item.
    """
    known = dict(level.stock.annotate(size=Length("glb")).values_list("slug", "size"))
    for slug in slugs:
        if slug not in known:
            raise HttpError(422, f"mix.item: there is no stock item {slug!r} in this level.")
        if not known[slug]:
            raise HttpError(422, f"mix.item: the stock item {slug!r} has no mesh: it cannot be planted.")


def check_site(stand: Stand, settings: StandSettings) -> None:
    """Refuse conditions, drives of the mix and a layout that ask for what the level does not have, or for a
    stand that must not be asked.

    Raises: Refused naming the condition, the item or the layout.
    """
    for number, c in enumerate(settings.rules(), start=1):
        _check_condition(stand, c, f"conditions: number {number}, {NAMES.get(c.kind, c.kind)}")
    for entry in settings.mix:
        if entry.drive:
            _check_condition(stand, entry.drive.core(), f"mix: what drives {entry.item}")
    check_layout_of(stand, settings)


def check_layout_of(stand: Stand, settings: StandSettings) -> None:
    """Refuse a layout that cannot be planted.

    Raises: Refused.
    """
    planted, layout = planted_of(stand.level), settings.layout
    if layout.kind == "free":
        return
    if stand.sward:
        raise Refused(f"layout: {stand.name} is a sward, it has no single plants to lay out")
    if layout.kind == "anchors":
        host = planted.stands.get(layout.host)
        if host is None:
            raise Refused("layout: the stand to stand on is no longer there")
        _check_above(stand, host, "layout")
        if not anchors_among([entry.item for entry in host.settings.mix], planted.level.stock, layout.group):
            raise Refused(
                f"layout: none of the items of {host.name} has {anchors_named(layout.group)} to stand on"
            )
        return
    kind = "path" if layout.kind == "path" else "area"
    for n in layout.shapes:
        if n not in planted.shapes or planted.shapes[n].kind != kind:
            raise Refused(f"layout: one of the {kind}s to plant is no longer there")


def _check_above(stand: Stand, other: DocumentStand, where: str) -> None:
    if other.sward:
        raise Refused(
            f"{where}: {other.name} is a sward, it has no single plants to be near, away from or on"
        )
    if other.order >= stand.order:
        raise Refused(
            f"{where}: {other.name} does not stand above {stand.name}; only stands above it, which are "
            "planted first, can be asked for"
        )


def _check_condition(stand: Stand, c: Condition, where: str) -> None:
    planted = planted_of(stand.level)
    lack = planted.rasters.lacks(c)
    if lack:
        raise Refused(f"{where}: {lack[0].lower()}{lack[1:]}")
    if c.kind in ("hollow", "flat"):
        disc(c.radius, planted.cell)
    if c.kind == "stand":
        _check_above(stand, planted.stands[c.stand], where)
