"""Sheets re-planted only where something changed: what stands elsewhere is taken over from the sheet as it
was.

Of every sheet that was planted, marks are kept of all that its plants follow from: what rarely changes as one
digest, touch as a number for each block of cells, and the footprints that reach it. When only touch or
footprints differ, the box they differ in is planted again.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from thicket.document.mesh_touch import MeshTouch
from thicket.document.touch import BLOCK
from thicket.planted.occupancy import Occupied, Parts
from thicket.planted.sheets import Box, around_both, inside, widened
from thicket.planting.room import NO_DISCS, NOWHERE, differing
from thicket.planting.stands import Plants, join

MOST = 0.6
"""A sheet of which more than this share would be planted again is planted whole."""
SLACK = 0.05
"""Metres by which the box is planted wider, since a plant's stored place is rounded."""
NOTHING = Occupied("", NO_DISCS, b"")


class Mark(NamedTuple):
    """What a sheet's plants follow from, and the key they are kept under. `origin` is the first block's
    column and row; `painting` what is painted on placed meshes, where the stand grows on those."""

    still: str
    blocks: np.ndarray
    origin: tuple[int, int]
    taken: Parts
    key: str
    painting: MeshTouch | None = None

    @property
    def nbytes(self) -> int:
        return self.blocks.nbytes + 100 * len(self.taken)

    def alike(self, other: Mark) -> bool:
        """Whether two marks of a sheet can differ only in touch and footprints."""
        return (
            self.still == other.still
            and self.blocks.shape == other.blocks.shape
            and self.origin == other.origin
        )


class Reach(NamedTuple):
    """How far a change carries: the size of a touch cell, how far apart own plants can crowd, and trunk and
    gap, in m."""

    cell: float
    crowding: float
    footprint: float


def _differing(old: Parts, new: Parts, within: Box | None) -> Box:
    """The box around the discs that only one of two states has; they are looked for only near a box when it
    is given."""
    found: Box = NOWHERE
    for part in old.keys() | new.keys():
        was, now = old.get(part, NOTHING), new.get(part, NOTHING)
        if was.digest != now.digest:
            found = around_both(found, differing(was.discs, now.discs, within))
    return found


def changed_box(old: Mark, new: Mark, reach: Reach, within: Box | None) -> Box | None:
    """The box in which plants may differ between two marks that are alike, with all that its edge can reach;
    None when nothing differs. `within` is a box outside of which nothing differs, when that is known."""
    found = NOWHERE
    where = np.argwhere(old.blocks != new.blocks)
    if len(where):
        ends = np.stack([where.min(0), where.max(0) + 1])[:, ::-1] + new.origin
        x0, z0, x1, z1 = (ends * BLOCK * reach.cell).ravel().tolist()
        found = widened((x0, z0, x1, z1), reach.cell + reach.crowding)
    found = around_both(found, widened(_differing(old.taken, new.taken, within), reach.footprint))
    return found if found[0] <= found[2] else None


def cut_of(box: Box, window: Box) -> Box | None:
    """The part of a sheet's window that is to be planted again; None when nothing is. Raises: TooMuch when
    nearly all of it is."""
    x0, z0, x1, z1 = window
    box = widened(box, SLACK)
    cut = max(box[0], x0), max(box[1], z0), min(box[2], x1), min(box[3], z1)
    if cut[2] <= cut[0] or cut[3] <= cut[1]:
        return None
    if (cut[2] - cut[0]) * (cut[3] - cut[1]) > MOST * (x1 - x0) * (z1 - z0):
        raise TooMuch
    return cut


class TooMuch(Exception):
    """So much of a sheet has changed that it is better planted whole."""


def around_cut(cut: Box, window: Box) -> Box:
    """The cut with a little more on every side, inside the window."""
    wide = widened(cut, SLACK)
    return max(wide[0], window[0]), max(wide[1], window[1]), min(wide[2], window[2]), min(wide[3], window[3])


def patched(was: Plants, fresh: Plants, cut: Box) -> Plants:
    """A sheet's plants: those it had, with those inside the cut in place of what stood there."""
    return in_order(join([was.take(~_within(was, cut)), fresh.take(_within(fresh, cut))]))


def exchanged(was: Plants, gone: np.ndarray, fresh: Plants) -> Plants:
    """A sheet's plants in the order of their ids, without those of some ids, uint64 (n,), and with others."""
    at = np.searchsorted(was.id, gone)
    at = at[was.id[np.minimum(at, len(was) - 1)] == gone] if len(was) else at[:0]
    stay = np.ones(len(was), bool)
    stay[at] = False
    fresh = in_order(fresh)
    if not stay.any():
        return fresh
    kept = np.flatnonzero(stay)
    new = np.searchsorted(was.id[kept], fresh.id) + np.arange(len(fresh))
    old = np.ones(len(kept) + len(fresh), bool)
    old[new] = False
    rows = np.zeros(len(old), np.int64)
    rows[old] = kept
    out = was.take(rows)
    out.id[new], out.form[new], out.item[new] = fresh.id, fresh.form, fresh.item
    return out


def _within(plants: Plants, box: Box) -> np.ndarray:
    return inside(box, plants.form[:, 0], plants.form[:, 2])


def in_order(plants: Plants) -> Plants:
    """The plants by their ids, so that however a sheet was planted its bytes are the same."""
    return plants.take(np.argsort(plants.id, kind="stable"))
