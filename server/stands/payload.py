"""Plants as bytes for the stage: little-endian, arrays one after another.

magic `KTP1`, count uint32, then form float32 (count, 10) as in `thicket.planting.stands.Plants`, id uint64
(count,) on an eight-byte border, item uint8 (count,).
"""

from __future__ import annotations

import struct

import numpy as np

from thicket.planting.stands import Plants

MARKS = 40_000
OVERLAY = 512


def encode_marks(came: np.ndarray, went: np.ndarray) -> bytes:
    """Two counts uint32, then x and z in m float32 of each plant gained, then of each lost; `MARKS` of each
    at the most, evenly taken."""
    came, went = (places[:: max(1, -(-len(places) // MARKS))].astype("<f4") for places in (came, went))
    return np.array([len(came), len(went)], "<u4").tobytes() + came.tobytes() + went.tobytes()


def encode_raster(values: np.ndarray) -> bytes:
    """Values 0–1 as rows and columns uint16, then uint8 row by row; every so many are left out, so that at
    most `OVERLAY` a side are given."""
    step = max(1, -(-max(values.shape) // OVERLAY))
    small = (values[step // 2 :: step, step // 2 :: step] * 255).round().astype(np.uint8)
    return np.array(small.shape, "<u2").tobytes() + small.tobytes()


def encode(plants: Plants) -> bytes:
    """The plants' bytes."""
    n = len(plants)
    form = np.ascontiguousarray(plants.form, "<f4").tobytes()
    return b"".join(
        (
            struct.pack("<4sI", b"KTP1", n),
            form,
            np.ascontiguousarray(plants.id, "<u8").tobytes(),
            plants.item.tobytes(),
        )
    )
