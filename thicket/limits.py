"""How large a level may be, and how many of each thing it holds: the one list, for what people do on the
screen, what they import, and levels they open from a folder. Lengths in m."""

from __future__ import annotations

from collections.abc import Sized

from thicket.refused import Refused

HEIGHTS_SIDE, LEAST_HEIGHTS_SIDE = 4097, 9
"""Height values on a side."""
SMALLEST_CELL, LARGEST_CELL, LARGEST_SIDE = 0.05, 64.0, 65_536.0
"""Between height vertices; and a level's longest side."""
SMALLEST_TOUCH_CELL, LARGEST_TOUCH_CELL, TOUCH_SIDE = 0.25, 32.0, 8192
"""The touch maps' cells, and how many there are on a side."""
LAYERS, MASKS, MASK_SIDE = 8, 24, 4097
SHAPES, STOCK, STANDS, PINS, UPROOTED, VIEWS, SNAPSHOTS = 2000, 400, 60, 20_000, 5000, 40, 60
SURFACES = 200
MESH_CELLS = 4_000_000
"""Cubes of placed meshes that one stand is painted in."""
LARGEST_MESH = 128 << 20
"""Bytes of an item's file in a saved level."""


def check_count(what: str, things: Sized, most: int) -> None:
    """Raises: Refused, beginning with the field's name, when there are more of a thing than a level holds."""
    if len(things) > most:
        raise Refused(f"{what}: a level holds at most {most:,}; there are {len(things):,}")


def check_ground(rows: int, columns: int, cell: float) -> None:
    """Refuse ground of so many height values whose vertices lie `cell` m apart.

    Raises: Refused.
    """
    if not SMALLEST_CELL <= cell <= LARGEST_CELL:
        raise Refused(f"cell: {cell:g} m cannot be taken; {SMALLEST_CELL:g} to {LARGEST_CELL:g} m can")
    if max(rows, columns) > HEIGHTS_SIDE:
        raise Refused(
            f"it is {columns:,} × {rows:,}; at most {HEIGHTS_SIDE:,} × {HEIGHTS_SIDE:,} values are taken"
        )
    if min(rows, columns) < LEAST_HEIGHTS_SIDE:
        least = LEAST_HEIGHTS_SIDE
        raise Refused(f"it is {columns} × {rows}; a level needs at least {least} × {least} values")
    if max(rows, columns) * cell > LARGEST_SIDE:
        raise Refused(
            f"{max(rows, columns) * cell:,.0f} m on a side are more than the {LARGEST_SIDE:,.0f} m that a "
            f"level may have"
        )


def check_touch_cell(shape: tuple[int, int], cell: float) -> None:
    """Refuse touch cells of a size that give maps of so many rows and columns.

    Raises: Refused.
    """
    if not SMALLEST_TOUCH_CELL <= cell <= LARGEST_TOUCH_CELL:
        raise Refused(f"cell: a touch cell measures {SMALLEST_TOUCH_CELL:g} to {LARGEST_TOUCH_CELL:g} m")
    if max(shape) > TOUCH_SIDE:
        raise Refused(
            f"cell: {cell:g} m would make {shape[1]:,} × {shape[0]:,} cells; at most {TOUCH_SIDE:,} a side "
            f"are kept"
        )
