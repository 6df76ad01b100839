"""How long work tells how far it is."""

from __future__ import annotations

from collections.abc import Callable

Report = Callable[[float, str], None]
"""Is told which share of the work is done, 0–1, and in words what is done now; may raise to stop it."""


def quietly(share: float, step: str) -> None:
    """Tells nobody."""
