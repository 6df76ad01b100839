"""Small pictures that people bring in."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image, UnidentifiedImageError

from thicket.refused import Refused

MOST = 1 << 24
FORMATS = ("PNG", "JPEG", "WEBP")


def read_grey(data: bytes) -> np.ndarray:
    """A picture's brightness, uint8 (rows, columns).

    Raises: Refused when it is no picture, or of more than 2²⁴ points.
    """
    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as picture:
            if picture.width * picture.height > MOST:
                raise Refused(f"the picture is {picture.width:,} × {picture.height:,}; a few hundred a side are enough")
            return np.asarray(picture.convert("L"))
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        if isinstance(error, Refused):
            raise
        raise Refused("it is no PNG, JPEG or WebP picture that can be read") from error
