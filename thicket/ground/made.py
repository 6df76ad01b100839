"""Ground that is made here: flat, or rolling."""

from __future__ import annotations

import numpy as np

from thicket.ground.heights import Ground
from thicket.ground.noise import Noise, noise_field
from thicket.limits import HEIGHTS_SIDE as MOST
from thicket.limits import LEAST_HEIGHTS_SIDE as FEWEST
from thicket.refused import Refused

"""Heights a side, at the most and at least."""


def flat_ground(width: float, length: float, cell: float, altitude: float = 0.0) -> Ground:
    """Level ground of about a size.

    Parameters: width (along x), length (along z) and cell in m; altitude in m. The size is rounded to whole
    cells. Raises: Refused when that has too many or too few heights.
    """
    rows, columns = check_size(width, length, cell)
    return Ground(np.full((rows, columns), altitude, np.float32), cell)


def rolling_ground(
    width: float, length: float, cell: float, height: float, wavelength: float, seed: int
) -> Ground:
    """Ground with hills.

    Parameters: as `flat_ground`; height, m between the lowest and the highest place; wavelength, m from one
    hill to the next; seed, another of which gives other hills. The same numbers always give the same ground.
    Raises: Refused as `flat_ground`.
    """
    rows, columns = check_size(width, length, cell)
    hills = noise_field(Noise("gradient", wavelength, 6, 0.5, 0.0, seed), cell, (0, 0, columns, rows))
    low, high = float(hills.min()), float(hills.max())
    return Ground(((hills - low) * (height / max(high - low, 1e-6))).astype(np.float32), cell)


def check_size(width: float, length: float, cell: float) -> tuple[int, int]:
    """Heights along z and x that ground of a size in m has.

    Raises: Refused when there are too many or too few.
    """
    if not cell > 0:
        raise Refused("cell: it must be above 0 m")
    rows, columns = round(length / cell) + 1, round(width / cell) + 1
    if max(rows, columns) > MOST:
        raise Refused(
            f"cell: {max(width, length):,.0f} m at {cell:g} m are {max(rows, columns):,} heights "
            f"on a side; at most "
            f"{MOST:,} are kept, so take cells of at least "
            f"{np.ceil(max(width, length) / (MOST - 1) * 100) / 100:g} m"
        )
    if min(rows, columns) < FEWEST:
        raise Refused(f"cell: a level needs at least {FEWEST} × {FEWEST} heights; take smaller cells")
    return rows, columns
