"""How a level's ground layers are drawn: a colour each, a look, and a picture if somebody wishes."""

from __future__ import annotations

import hashlib
import re

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


def texture_of(data: bytes) -> tuple[str, bytes]:
    """A picture for ground layers: its middle square at `SIDE` a side as PNG, after its digest.

    Raises: Refused when it is no picture, or too large.
    """
    picture = bounded("file", square_png, data, SIDE)
    return hashlib.blake2b(picture, digest_size=12).hexdigest(), picture
