"""Attributes worked out when they are first asked for."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, TypeVar, overload

T = TypeVar("T")


class lazy(Generic[T]):  # noqa: N801  used as a decorator, as `property` is
    """An attribute that is worked out once for each object. Like `functools.cached_property`, without the
    lock that this has on Python 3.11 for all objects together: two threads may work it out twice, and get
    equal values."""

    def __init__(self, work: Callable[[Any], T]) -> None:
        self.work = work
        self.__doc__ = work.__doc__

    def __set_name__(self, owner: type, name: str) -> None:
        self.name = name

    @overload
    def __get__(self, instance: None, owner: type) -> lazy[T]: ...
    @overload
    def __get__(self, instance: object, owner: type) -> T: ...
    def __get__(self, instance: object | None, owner: type) -> lazy[T] | T:
        if instance is None:
            return self
        value = instance.__dict__[self.name] = self.work(instance)
        return value
