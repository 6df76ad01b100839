"""How long work reports how far it is."""

from __future__ import annotations

from collections.abc import Callable

Report = Callable[[float, str], None]
"""Called with the share of the work that is done, 0–1, and what is done now in words; may raise to stop."""


def quietly(share: float, step: str) -> None:
    """Tells nobody."""
