"""Queries that every stroke asks: put into SQL by Django once, and asked again with other values."""

from __future__ import annotations

from collections.abc import Callable

from django.db import connection
from django.db.models import QuerySet


class Asked:
    """A query of fixed form. `build` makes it from as many values as it is asked with; all of those must differ in its SQL's
    parameters, and it may hold no others."""

    def __init__(self, build: Callable[..., QuerySet], *examples: int | str) -> None:
        self.build, self.examples = build, examples
        self._form: tuple[str, list[int]] | None = None

    def form(self) -> tuple[str, list[int]]:
        """The SQL, and which value stands at each of its parameters.

        Raises: ValueError when the query has parameters that are none of its values.
        """
        if self._form is None:
            sql, params = self.build(*self.examples).query.sql_with_params()
            self._form = sql, [self.examples.index(p) for p in params]
        return self._form

    def rows(self, *values: int | str) -> tuple[tuple, ...]:
        """The rows, of columns whose values need no conversion, such as whole numbers."""
        sql, order = self.form()
        with connection.cursor() as cursor:
            cursor.execute(sql, [values[k] for k in order])
            return cursor.fetchall()

    def first(self, *values: int | str):
        """The first object, or None."""
        sql, order = self.form()
        return next(iter(self.build(*self.examples).model.objects.raw(sql, [values[k] for k in order])), None)
