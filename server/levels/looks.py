"""How a level's ground layers are drawn: a colour each, a look, and a picture if somebody wishes."""

from __future__ import annotations

import hashlib
import re
from uuid import UUID

from django.contrib.auth.models import User
from ninja.errors import HttpError

from server.journal.models import Entry
from server.levels.actions import set_field
from server.levels.models import Level
from thicket.formats.bounded import bounded
from thicket.formats.pictures import square_png

ROCK = re.compile(r"slate|rock|cliff|stone|bedrock|crag", re.IGNORECASE)
TURF = re.compile(r"turf|grass|moor|meadow|lawn|sward", re.IGNORECASE)
SIDE = 512


def look_of(name: str) -> str:
    """What a layer is drawn as until somebody says otherwise, by its name: bedded rock, turf with blades, or
    soil."""
    return "rock" if ROCK.search(name) else "turf" if TURF.search(name) else "soil"


def layers_chosen(level: Level) -> dict[str, dict]:
    """Colour, look and texture of every layer."""
    return {
        layer["name"]: {
            "colour": layer["colour"],
            "look": look_of(layer["name"]),
            "texture": "",
            **level.looks.get(layer["name"], {}),
        }
        for layer in level.layers
    }


def layers_shown(level: Level) -> list[dict]:
    """The level's ground layers as they are drawn; `texture`, the address of a picture, or empty."""
    return [
        {
            "name": name,
            **given,
            "texture": given["texture"] and f"/api/levels/{level.slug}/layers/texture/{given['texture']}.png",
        }
        for name, given in layers_chosen(level).items()
    ]


def set_look(user: User, level: Level, key: UUID, name: str, look: dict) -> Entry:
    """Say how a ground layer is drawn.

    Raises: HttpError 404 when the level has no such layer.
    """
    chosen = layers_chosen(level)
    if name not in chosen:
        raise HttpError(404, f"name: {level.name} has no ground layer {name[:60]!r}.")
    fresh = chosen | {name: chosen[name] | look}
    return set_field(user, level, key, Entry.Kind.LOOKS, f"{name}: how it is drawn", "looks", fresh)


def store_texture(level: Level, data: bytes) -> str:
    """Keep a picture for ground layers, its middle square at `SIDE` a side; its digest.

    Raises: Refused when it is no picture, or too large.
    """
    picture = bounded("file", square_png, data, SIDE)
    digest = hashlib.blake2b(picture, digest_size=12).hexdigest()
    level.layer_textures.get_or_create(digest=digest, defaults={"data": picture})
    return digest
