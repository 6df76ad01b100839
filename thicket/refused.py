"""The exceptions for input that cannot be taken."""

from __future__ import annotations

from pydantic import ValidationError


class Refused(ValueError):
    """Input that cannot be taken. Its text is a sentence for the person who gave it, and begins with the
    field's name and a colon where it is about one."""


class Missing(Refused):
    """It names what is not there, or not any more."""


class Conflict(Refused):
    """It cannot be done to what is there now: it is locked, or has been changed by another."""


def first_error(error: ValidationError) -> str:
    """The first thing that is wrong with input that a schema refused, after its field's name."""
    first = error.errors()[0]
    where = ".".join(str(part)[:60] for part in first["loc"])
    what = first["msg"].removeprefix("Value error, ")[:300]
    return f"{where}: {what}" if where else what
