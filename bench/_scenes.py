"""Levels for the benchmarks, in memory only: rolling ground, ten stands over six strata, two of them
swards."""

from __future__ import annotations

import numpy as np

from thicket.document.level import Item, Level, Stand
from thicket.document.rasters import Heights, LayerMaps
from thicket.document.settings import StandSettings

ITEMS = {
    "stone": (1.0, 0.8),
    "oak": (2.6, 0.3),
    "thorn": (1.4, 0.2),
    "bush": (0.8, 0.25),
    "fern": (0.5, 0.06),
    "blade": (0.3, 0.04),
}
SEEN = {"steps": [30], "billboard": 30, "gone": 300, "fade": 10, "shadow": 40}


def _stand(
    item: str, stratum: str, spacing: float, fullness: float, *conditions: dict, sward: bool = False, **more
) -> tuple:
    settings = {
        "mix": [{"item": item, "weight": 1}],
        "spacing": spacing,
        "fullness": fullness,
        "conditions": list(conditions),
        "distances": SEEN,
        "clear_of": [],
    } | more
    return item, stratum, sward, StandSettings.model_validate(settings)


def _band(kind: str, lo: float, hi: float, soft: float, **more) -> dict:
    return {"kind": kind, "lo": lo, "hi": hi, "soft_lo": soft, "soft_hi": soft} | more


def _noise(lo: float, seed: int, wave: float = 60) -> dict:
    return _band("noise", lo, 2, 0.15, noise={"wavelength": wave, "octaves": 3, "seed": seed})


STANDS = [
    _stand("stone", "Stone", 5.5, 0.3, _band("slope", 8, 60, 4)),
    _stand("stone", "Stone", 3.6, 0.2, _noise(0.55, 3, 40)),
    _stand("oak", "Canopy", 5.0, 0.6, _band("altitude", 180, 260, 10), _band("slope", 0, 26, 6)),
    _stand("oak", "Canopy", 7.0, 0.4, _noise(0.5, 5, 120)),
    _stand("thorn", "Understorey", 4.2, 0.3, _band("hollow", -20, 0.5, 1, radius=20)),
    _stand("bush", "Shrub", 3.0, 0.3, _noise(0.5, 8), under=["Canopy"]),
    _stand("fern", "Field", 2.4, 0.3, _band("facing", 0, 80, 30, centre=0), under=["Canopy", "Understorey"]),
    _stand("fern", "Moss", 2.8, 0.25, _noise(0.55, 9), under=["Canopy", "Understorey", "Shrub"]),
    _stand("blade", "Field", 0.5, 0.8, _band("slope", 0, 30, 6), sward=True),
    _stand("blade", "Moss", 0.4, 0.5, _noise(0.4, 12), sward=True),
]


def level(side: float, cell: float = 1.0) -> Level:
    """A square level of `side` m with ten stands and no touch painted."""
    n = round(side / cell)
    z, x = (np.arange(n + 1) * cell)[:, None], (np.arange(n + 1) * cell)[None]
    heights = (220 + 26 * np.sin(x / 61) * np.cos(z / 83) + 11 * np.sin((x + 2 * z) / 23)).astype(np.float32)
    stands = {
        number: Stand(
            number, f"{item}-{number}", f"{item} {number}", stratum, number, sward, 1000 + number, settings
        )
        for number, (item, stratum, sward, settings) in enumerate(STANDS, start=1)
    }
    stock = {slug: Item(slug, crown=crown, trunk=trunk) for slug, (crown, trunk) in ITEMS.items()}
    return Level(
        f"bench-{n}",
        "Bench",
        4,
        Heights.of(heights, cell),
        LayerMaps.of([], np.empty((n, n, 0), np.uint8)),
        stock=stock,
        stands=stands,
    )
