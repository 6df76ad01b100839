"""The short form of every benchmark (KT_SHORT=1), by which the tests see that each still runs to its end: few
rounds of small work, whose figures say nothing."""

from __future__ import annotations

import os
from typing import TypeVar

T = TypeVar("T")
SHORT = os.environ.get("KT_SHORT") == "1"


def short(full: T, small: T) -> T:
    """One of two sizes of work: that of the benchmark, or of its short form."""
    return small if SHORT else full


def window(width: int, height: int, least: tuple[int, int] = (700, 420)) -> dict[str, int]:
    """The browser's window, a small one in the short form: the stage is drawn by software."""
    return {"width": short(width, least[0]), "height": short(height, least[1])}


PICTURE = 240, 150
"""The least window of a page that shows a picture of the stage alone."""
