"""Whether a stand's settings can be planted in its level."""

from __future__ import annotations

from ninja.errors import HttpError

from server.document.planted import planted_of
from server.levels.models import Level
from server.stands.access import document_of
from server.stands.models import Stand
from thicket.document.settings import StandSettings
from thicket.planted import asking


def merged(stand: Stand, changes: dict) -> StandSettings:
    """The stand's settings with some replaced, checked.

    Raises: ValidationError or ValueError with the field's name; HttpError when an item is unknown.
    """
    settings = StandSettings.model_validate({**stand.settings, **changes})
    check_items(stand.level, [entry.item for entry in settings.mix])
    if {"conditions", "mix", "layout"} & set(changes):
        check_site(stand, settings)
    return settings


def check_items(level: Level, slugs: list[str]) -> None:
    """Refuse items that the level does not have, or that have no mesh.

    Raises: HttpError 422 naming the item.
    """
    known = dict(level.stock.values_list("slug", "mesh"))
    for slug in slugs:
        if slug not in known:
            raise HttpError(422, f"mix.item: there is no stock item {slug!r} in this level.")
        if not known[slug]:
            raise HttpError(422, f"mix.item: the stock item {slug!r} has no mesh: it cannot be planted.")


def check_site(stand: Stand, settings: StandSettings) -> None:
    """Refuse settings that ask for what the level does not have; see
    `thicket.planted.asking.check_site`."""
    asking.check_site(planted_of(stand.level), document_of(stand, settings))
