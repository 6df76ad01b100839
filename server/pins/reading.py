"""A level's pins as the core sees them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping

import numpy as np

from server.cache import CACHE
from server.levels.models import Level
from server.pins.models import FIELDS
from server.stands.models import Stand
from thicket.planting.pins import Pins, Uprooted


def pins_of(level: Level) -> dict[int, Pins]:
    """Pins and uprooted places by the stand's number; only of stands that have some."""
    return CACHE.get(("pins", level.pk, level.pin_revision), lambda: _read(level))


def _read(level: Level) -> dict[int, Pins]:
    rows = defaultdict(list)
    for stand, plant, *given in level.pins.values_list("stand_id", "plant", *FIELDS):
        rows[stand].append((plant, dict(zip(FIELDS, given))))
    places = [place.as_dict() for place in level.uprooted.all()]
    numbers = dict(Stand.every.filter(level=level).values_list("pk", "number"))
    return {numbers[pk]: pins for pk, pins in all_pins(rows, places).items()}


def all_pins(rows: Mapping[int, list[tuple[int, dict]]], places: list[dict]) -> dict[int, Pins]:
    """Rows of pins by stand and id, and uprooted places as `UprootedPlace.as_dict` has them, as the core sees
    them."""
    cleared = defaultdict(list)
    for given in places:
        cleared[given["stand"]].append(Uprooted(tuple((x, z) for x, z in given["path"]), given["radius"]))
    return {
        stand: as_pins(rows.get(stand, []), tuple(cleared[stand])) for stand in rows.keys() | cleared.keys()
    }


def as_pins(rows: list[tuple[int, dict]], uprooted: tuple[Uprooted, ...] = ()) -> Pins:
    """Rows of one stand, by id, as arrays."""
    standing = [(plant, given) for plant, given in rows if not given["gone"]]
    homes = [
        (plant, given["home_x"], given["home_z"]) for plant, given in rows if given["home_x"] is not None
    ]

    def column(name: str) -> np.ndarray:
        return np.array([given[name] for _, given in standing], float)

    rest = np.stack([column(n) for n in ("qx", "qy", "qz", "qw", "width", "height", "tint")], axis=1).astype(
        np.float32
    )
    return Pins(
        np.array([plant for plant, _ in standing], np.uint64),
        column("x"),
        column("z"),
        column("lift").astype(np.float32),
        rest,
        tuple(given["item"] for _, given in standing),
        np.array([h[0] for h in homes], np.uint64),
        np.array([h[1:] for h in homes], float).reshape(-1, 2),
        uprooted,
    )
