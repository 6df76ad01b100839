"""What all edits have in common: they are immutable values with a schema, are applied to a level, and give
the edit that takes them back."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Mapping
from typing import Any, TypeVar

from pydantic import BaseModel, ConfigDict, SerializerFunctionWrapHandler, model_serializer

from thicket.document.level import Level, Stand
from thicket.refused import Refused

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


class Overtaken(Refused):
    """An edit that can no longer be done, since what it would change has been changed by another."""


class Edit(BaseModel):
    """One change of a level. `kind` names it in JSON."""

    model_config = ConfigDict(
        extra="forbid", frozen=True, arbitrary_types_allowed=True, validate_default=True
    )

    @model_serializer(mode="wrap")
    def with_kind(self, write: SerializerFunctionWrapHandler) -> dict[str, Any]:
        return {"kind": self.kind, **write(self)}

    def apply(self, level: Level) -> Level:
        """The level after it; the one given is not changed.

        Raises: Refused when it cannot be done to this level; nothing else is raised for what is in it.
        """
        raise NotImplementedError

    def inverse(self, level: Level) -> Edit:
        """The edit that takes this one back, from the level before it. It undoes only what this one does, so
        that later work on the same ground stays; where that is impossible, it is refused as `Overtaken`.

        Raises: Refused as `apply`.
        """
        raise NotImplementedError


def check_as_before(what: str, now: object, expected: object) -> None:
    """Raises: Overtaken when a thing is not what an edit that takes another back expects it to be."""
    if now != expected:
        raise Overtaken(f"{what} has been changed since; undo that first")


def changed(have: Mapping[K, V], put: Mapping[K, V | None], order: Iterable[K] = ()) -> dict[K, V]:
    """A mapping with some values put and, where they are None, taken out. A key that is new stands before the
    first of those that follow it in `order`, or at the end."""
    out = {key: value for key, value in have.items() if key not in put or put[key] is not None}
    order = list(order)
    for key, value in put.items():
        if value is None:
            continue
        new = key not in out
        out[key] = value
        if new and key in order:
            later = set(order[order.index(key) + 1 :])
            behind = [k for k in out if k in later]
            if behind:
                cut = list(out).index(behind[0])
                keys = [k for k in out if k != key]
                out = {k: out[k] for k in (*keys[:cut], key, *keys[cut:])}
    return out


def stand_of(level: Level, number: int) -> Stand:
    """A stand of a level by its number. Raises: Refused when there is none."""
    if number not in level.stands:
        raise Refused(f"stand: {level.name} has no stand {number}; somebody may have removed it")
    return level.stands[number]


def unlocked(level: Level, number: int) -> Stand:
    """A stand that may be changed. Raises: Refused when there is none, or it is locked."""
    stand = stand_of(level, number)
    if stand.locked:
        raise Refused(f"{stand.name} is locked: unlock it first")
    return stand
