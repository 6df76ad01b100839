"""Plants as bytes for the stage: little-endian, arrays one after another.

magic `KTP1`, count uint32, then form float32 (count, 10) as in `thicket.planting.stands.Plants`, id uint64
(count,) on an eight-byte border, item uint8 (count,).
"""

from __future__ import annotations

import struct

import numpy as np

from thicket.planting.stands import Plants


def encode(plants: Plants) -> bytes:
    """The plants' bytes."""
    n = len(plants)
    form = np.ascontiguousarray(plants.form, "<f4").tobytes()
    return b"".join((struct.pack("<4sI", b"KTP1", n), form, np.ascontiguousarray(plants.id, "<u8").tobytes(),
                     plants.item.tobytes()))
