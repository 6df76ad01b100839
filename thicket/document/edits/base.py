"""What all edits have in common: they are immutable values with a schema, are applied to a level, and give
the edit that takes them back."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Mapping
from typing import Any, TypeVar

from pydantic import BaseModel, ConfigDict, SerializerFunctionWrapHandler, model_serializer

from thicket.document.level import Level, Stand
from thicket.refused import Conflict, Missing

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


class Edit(BaseModel):
    """One change of a level. `kind` names it in JSON."""

    model_config = ConfigDict(
        extra="forbid", frozen=True, arbitrary_types_allowed=True, validate_default=True
    )

    kind: str

    @model_serializer(mode="wrap")
    def with_kind(self, write: SerializerFunctionWrapHandler) -> dict[str, Any]:
        """The edit's fields, with its kind."""
        return {"kind": self.kind, **write(self)}

    @property
    def stands(self) -> set[int]:
        """The stands that it is about, by number; empty where it is about something else."""
        return set()

    def apply(self, level: Level) -> Level:
        """The level after it; the one given is not changed.

        Raises: Refused when it cannot be done to this level; nothing else is raised for what is in it.
        """
        raise NotImplementedError

    def inverse(self, level: Level) -> Edit:
        """The edit that takes this one back, from the level before it. It undoes only what this one does, so
        that later work on the same ground stays; where that is impossible, it is refused as a `Conflict`.

        Raises: Refused as `apply`.
        """
        raise NotImplementedError


def check_as_before(what: str, now: object, expected: object) -> None:
    """Raises: Conflict when a thing is not what an edit that takes another back expects it to be."""
    if now != expected:
        raise Conflict(f"{what} has been changed since; undo that first")


def changed(have: Mapping[K, V], put: Mapping[K, V | None], order: Iterable[K] = ()) -> dict[K, V]:
    """A mapping with some values put and, where they are None, taken out. Keys in `order` follow one
    another as they do there; each other key stays behind the one that it follows now."""
    out = {**have, **put}
    found = [key for key in order if key in out]
    for before, key in zip((None, *out), out):
        if key not in found:
            found.insert(found.index(before) + 1 if before is not None else 0, key)
    return {key: value for key in found if (value := out[key]) is not None}


def stand_of(level: Level, number: int) -> Stand:
    """A stand of a level by its number. Raises: Missing when there is none."""
    if number not in level.stands:
        raise Missing(f"stand: {level.name} has no stand {number}; somebody may have removed it")
    return level.stands[number]


def unlocked(level: Level, number: int) -> Stand:
    """A stand that may be changed. Raises: Missing when there is none, Conflict when it is locked."""
    stand = stand_of(level, number)
    if stand.locked:
        raise Conflict(f"{stand.name} is locked: unlock it first")
    return stand
