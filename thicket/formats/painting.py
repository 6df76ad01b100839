"""A stand's painting as a picture, and pictures as painting.

A picture that is written here is a greyscale PNG of 16 bits, one pixel for each touch cell or resampled:
`MIDDLE` where nothing is painted, lighter where plants are added, darker where they are taken away; a full
unit of touch is `STEP` · `TOUCH_UNIT` away from it.
"""

from __future__ import annotations

import io
from pathlib import Path
from typing import Literal

import numpy as np
from PIL import Image

from thicket.formats.layers_in import read_channels
from thicket.ground.rasters import resample
from thicket.planting.density import TOUCH_UNIT
from thicket.refused import Refused

MIDDLE, STEP = 32768, 127
MIDDLES = (MIDDLE, 127 * 257, 128 * 257)
"""The middle grey of 16 bits, and the two of 8."""
Reading = Literal["both", "adds", "takes"]
"""How a picture is read: middle grey is nothing, lighter adds and darker takes away; black is nothing and
white adds; white is nothing and black takes away."""


def touch_png(touch: np.ndarray, columns: int | None = None) -> bytes:
    """Touch, int16 (rows, columns), as a picture; so many columns wide, if that is given."""
    if columns and columns != touch.shape[1]:
        rows = max(1, round(touch.shape[0] * columns / touch.shape[1]))
        touch = resample(touch, (rows, columns))
    out = io.BytesIO()
    Image.fromarray((touch.astype(np.int32) * STEP + MIDDLE).astype(np.uint16)).save(out, "PNG")
    return out.getvalue()


def read_touch(path: Path, name: str, shape: tuple[int, int], reading: Reading) -> np.ndarray:
    """A picture as touch int16 of a shape (rows, columns).

    Raises: Refused naming the file and the cause, also when it is of another form than the level.
    """
    channels = read_channels(path, name)
    if len(channels) > 2:
        raise Refused(f"{name}: it holds colours; painting is a greyscale picture")
    grey = np.clip(channels[0], 0, 1)
    rows, columns = grey.shape
    if abs(np.log((columns / rows) / (shape[1] / shape[0]))) > 0.02:
        raise Refused(
            f"{name}: it is {columns:,} × {rows:,}, the level's painting has {shape[1]:,} × {shape[0]:,} "
            f"cells: they are not of one form, so it would be stretched"
        )
    if reading == "both":
        steps = np.rint(grey.astype(float) * 65535).astype(int)
        touch = np.where(np.isin(steps, MIDDLES), 0.0, (steps - MIDDLE) / (STEP * TOUCH_UNIT))
    else:
        touch = grey if reading == "adds" else grey - 1.0
    return np.rint(resample(np.clip(touch, -1, 1), shape) * TOUCH_UNIT).astype(np.int16)
