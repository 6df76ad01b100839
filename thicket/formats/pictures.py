"""Small pictures that people bring in."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image, UnidentifiedImageError

from thicket.refused import Refused

MOST_SIDE = 8192
FORMATS = ("PNG", "JPEG", "WEBP")


def opened(data: bytes, mode: str, formats: tuple[str, ...] = FORMATS, most: int = MOST_SIDE) -> Image.Image:
    """A picture in a Pillow mode (L, RGB, RGBA), at most so many points a side.

    Raises: Refused when it is no picture of these formats, or larger.
    """
    try:
        with Image.open(io.BytesIO(data), formats=formats) as picture:
            if max(picture.size) > most:
                raise Refused(
                    f"it is {picture.width:,} × {picture.height:,}; at most {most:,} a side are taken"
                )
            return picture.convert(mode)
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        if isinstance(error, Refused):
            raise
        *first, last = (name if name != "WEBP" else "WebP" for name in formats)
        raise Refused(f"it is no {', '.join(first)} or {last} picture that can be read") from error


def read_grey(data: bytes) -> np.ndarray:
    """A picture's brightness, uint8 (rows, columns).

    Raises: Refused when it is no picture, or of more than 4,096 a side.
    """
    return np.asarray(opened(data, "L", most=4096))


def square_png(data: bytes, side: int) -> bytes:
    """The middle square of a picture, made so many points a side, as PNG.

    Raises: Refused; see `opened`.
    """
    picture = opened(data, "RGB")
    least = min(picture.size)
    left, top = (picture.width - least) // 2, (picture.height - least) // 2
    out = io.BytesIO()
    square = picture.crop((left, top, left + least, top + least)).resize(
        (side, side), Image.Resampling.LANCZOS
    )
    square.save(out, "PNG")
    return out.getvalue()
