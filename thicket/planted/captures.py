"""Frames of a planted level by which devices are measured: what they are made of, and a simulated device that
runs them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np

from thicket.planted.costs import spent
from thicket.planted.level import PlantedLevel
from thicket.sight.cost import Item, loads_of
from thicket.sight.devices import LOADS, Device
from thicket.sight.drawing import PLAIN, Drawing
from thicket.sight.views import View

SIMULATED = {
    "handheld": Device("Simulated handheld", 9.0, 7.5, 32.0, 0.22, 0.08, 1.9),
    "console": Device("Simulated console", 2.6, 3.1, 9.0, 0.09, 0.02, 1.1),
    "desktop": Device("Simulated desktop", 1.1, 2.2, 4.5, 0.05, 0.008, 0.6),
}
"""Devices that exist only here, with coefficients that a calibration should find."""
NOISE, WARM_UP, COLD = 0.05, 8, 2.5
"""Relative standard deviation of a simulated frame; so many frames take longer at first, the very first so
many times as long."""
VARIED = (
    PLAIN,
    Drawing(plants=False),
    Drawing(sward_share=0, shadow_reach=0, distances=4, cell=128),
    Drawing(sward_share=0, shadows=10, cell=128),
    Drawing(shadow_reach=0, distances=0.5),
    Drawing(shadows=4),
    Drawing(sward_share=0, cell=16),
    Drawing(shadow_reach=0, distances=2, cell=128),
)
"""Ways to draw the level that make frames differ in one thing at a time."""


def frames_by_chance(level: PlantedLevel, count: int, seed: int) -> list[View]:
    """Views all over a level at heights of 1.5 to 12 m, some of the sky, where only shadows are drawn; the
    level is drawn in different ways."""
    rng, out = np.random.default_rng(seed), []
    for k in range(count):
        x, z = rng.uniform(0, level.width), rng.uniform(0, level.length)
        y = float(level.ground.height_at(np.array([x]), np.array([z]))[0]) + rng.uniform(1.5, 12)
        drawing = VARIED[k % len(VARIED)]
        out.append(View(x, y, z, rng.uniform(0, 360), rng.uniform(-20, 60), 55.0, 16 / 9, drawing=drawing))
    return out


def views_at(places: np.ndarray, drawing: Drawing = PLAIN) -> list[View]:
    """The views of captures that say where the camera was, places (n, 6); see
    `thicket.sight.devices.PLACES`."""
    return [
        View(x, y, z, heading, pitch, fov, 16 / 9, drawing=drawing)
        for x, y, z, heading, pitch, fov in places.tolist()
    ]


def loads_in(
    level: PlantedLevel,
    views: Sequence[View],
    stock: Mapping[str, Item] | None = None,
    report: Callable[[float], None] = lambda share: None,
) -> np.ndarray:
    """What frames of a level are made of, float64 (n, 5); see `thicket.sight.devices.LOADS`."""
    out = np.empty((len(views), len(LOADS)))
    for k, view in enumerate(views):
        report(k / len(views))
        out[k] = loads_of(spent(level.cost(view, stock)) + level.ground_cost(view))
    return out


def run(device: Device, loads: np.ndarray, seed: int = 0) -> np.ndarray:
    """The ms (n,) that a simulated device takes for frames, with noise and a warm-up."""
    rng = np.random.default_rng(seed)
    ms = np.array([device.ms(row) for row in loads]) + device.fixed
    ms *= np.exp(rng.normal(0, NOISE, len(ms)))
    first = ms[:WARM_UP]
    first *= np.linspace(COLD, 1.2, WARM_UP)[: len(first)]
    return ms


def captures_csv(loads_of_frames: np.ndarray, ms: np.ndarray, columns: Sequence[str] = LOADS) -> str:
    """Measured frames as CSV: what is given of each (n, columns), and its ms (n,)."""
    rows = [
        ",".join([*(f"{v:.4f}".rstrip("0").rstrip(".") for v in row), f"{took:.4f}"])
        for row, took in zip(loads_of_frames.tolist(), ms.tolist())
    ]
    return "\n".join([",".join([*columns, "ms"]), *rows, ""])
