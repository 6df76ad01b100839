"""Mask images from colour pictures: white where a picture has one of some colours."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from PIL import Image

from thicket.limits import MASK_SIDE
from thicket.refused import Refused

_TO_LMS = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ],
    np.float32,
)
_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ],
    np.float32,
)
_ROWS = 256
SAME = 1e-4
"""Colours that are no further from each other are the same."""


def read_colours(path: Path, name: str) -> np.ndarray:
    """A colour picture (PNG or JPEG), uint8 (rows, columns, 3).

    Raises: Refused naming the file and the cause.
    """
    try:
        with Image.open(path, formats=["PNG", "JPEG"]) as picture:
            if max(picture.size) > MASK_SIDE:
                raise Refused(
                    f"{name}: it has {picture.width:,} × {picture.height:,} points; "
                    f"at most {MASK_SIDE:,} a side are taken"
                )
            return np.array(picture.convert("RGB"))
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise Refused(f"{name}: it is damaged, or no colour picture (PNG or JPEG)") from None


def perceived(colours: np.ndarray) -> np.ndarray:
    """sRGB colours, uint8 (…, 3), in a space where equal distances look equal, float32 (…, 3): 1 from black
    to white (OKLab: Ottosson, "A perceptual color space for image processing", 2020)."""
    values = np.arange(256) / 255
    linear = np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4).astype(np.float32)
    return np.cbrt(linear[colours] @ _TO_LMS.T) @ _TO_LAB.T


def colour_mask(
    picture: np.ndarray, colours: Sequence[tuple[int, int, int]], tolerance: float, soft: float
) -> np.ndarray:
    """A mask image of 16 bits: white where a picture is no further from one of some colours than `tolerance`,
    black from `soft` beyond that on.

    Parameters: picture, uint8 (rows, columns, 3); colours, sRGB 0–255; tolerance and soft, as `perceived`
    measures, 0–1. Raises: Refused when no colour is given, or the picture has none of them.
    """
    if not colours:
        raise Refused("colours: pick one or more on the picture")
    wanted = perceived(np.array(colours, np.uint8))
    out = np.empty(picture.shape[:2], np.uint16)
    for row in range(0, len(picture), _ROWS):  # some rows at a time, so that memory stays small
        seen = perceived(picture[row : row + _ROWS])
        far = np.full(seen.shape[:2], np.inf, np.float32)
        for colour in wanted:
            np.minimum(far, np.sqrt(np.square(seen - colour).sum(-1)), out=far)
        share = np.clip(1 - (far - max(tolerance, SAME)) / max(soft, SAME), 0, 1)
        out[row : row + _ROWS] = np.rint(share * 65535)
    if not out.any():
        raise Refused("colours: the picture has no such colour; pick another, or raise the tolerance")
    return out


def read_colour_mask(
    path: Path, name: str, colours: Sequence[str], tolerance: float, soft: float
) -> np.ndarray:
    """The mask that a picture in a file gives; colours as "#rrggbb". See `colour_mask`.

    Raises: Refused as `read_colours` and `colour_mask`.
    """
    wanted = [(int(c[1:3], 16), int(c[3:5], 16), int(c[5:7], 16)) for c in colours]
    return colour_mask(read_colours(path, name), wanted, tolerance, soft)
