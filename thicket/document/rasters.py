"""The rasters of a level: heights, ground layers and masks, each under a key that is equal for equal
values."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from thicket.document.mask_sources import MaskSource
from thicket.ground.heights import Ground
from thicket.hashing import digest_of


@dataclass(frozen=True, eq=False)
class Heights:
    """Heights under a key that is equal for equal values."""

    key: str
    ground: Ground

    @staticmethod
    def of(array: np.ndarray, cell: float) -> Heights:
        """Heights float32 (rows, columns) in m at vertices `cell` m apart."""
        return Heights(digest_of(array, cell), Ground(np.ascontiguousarray(array, np.float32), cell))

    @property
    def nbytes(self) -> int:
        return self.ground.heights.nbytes


@dataclass(frozen=True, eq=False)
class LayerMaps:
    """Ground-layer weights, uint8 (rows, columns, layers)."""

    key: str
    names: tuple[str, ...]
    weights: np.ndarray

    @staticmethod
    def of(names: Sequence[str], weights: np.ndarray) -> LayerMaps:
        """Layers of these names, in the order of the array's last axis."""
        return LayerMaps(digest_of(weights, list(names)), tuple(names), weights)

    @property
    def nbytes(self) -> int:
        return self.weights.nbytes


@dataclass(frozen=True, eq=False)
class Mask:
    """A mask image, uint8 or uint16 (rows, columns) of any size, stretched over the level; what it is made
    from, where it is made here."""

    key: str
    values: np.ndarray
    source: MaskSource | None = None

    @staticmethod
    def of(values: np.ndarray, source: MaskSource | None = None) -> Mask:
        """A mask of values, uint8 or uint16 (rows, columns), under their digest."""
        return Mask(digest_of(values), values, source)

    @property
    def nbytes(self) -> int:
        return self.values.nbytes
