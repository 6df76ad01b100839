"""What every action on a level is sent with."""

from __future__ import annotations

from pydantic import UUID4

from server.sight.schemas import ViewIn
from thicket.document.settings import Strict


class KeyIn(Strict):
    """An action on a level: the key that it is known by, and a view whose cost is to be computed."""

    key: UUID4
    view: ViewIn | None = None
