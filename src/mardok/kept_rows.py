"""Rows with named fields as columns, so that they can be kept.

In:  named tuples or dataclasses of numbers, texts, members of enumerations, and tuples or frozen sets of numbers and texts.
Out: columns as :class:`mardok.kept.KeptParts` keeps them; and the rows again.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import cache, lru_cache
from itertools import chain, islice
from typing import Any, TypeVar, cast, get_origin, get_type_hints

import numpy as np
from numpy.typing import NDArray

from mardok.kept import Columns
from mardok.large import Growing, GrowingTexts, OnDemand

_Row = TypeVar("_Row")
_NUMBERS = {int: np.int64, float: np.float64, bool: np.bool_}
_MANY_ROWS, _ROWS_AT_ONCE, _MOST_READ = 1 << 18, 1 << 12, 1 << 12
"""Rows from which on they are held as columns, how many are made of these at once, and what is read of different cells."""


def columns_of_rows(rows: Sequence[_Row], kind: type[_Row]) -> Columns:
    """The columns of some rows.

    Parameters
    ----------
    rows : sequence
        Rows of one kind.
    kind : type
        Their class, whose fields have types.

    Examples
    --------
    >>> from typing import NamedTuple
    >>> class Bow(NamedTuple):
    ...     maker: str
    ...     pages: tuple[int, ...]
    >>> columns_of_rows([Bow("Vuil", (1, 2))], Bow)
    {'maker': ['Vuil'], 'pages': ['[1, 2]']}
    >>> rows_of_columns(columns_of_rows([Bow("Vuil", (1, 2))], Bow), Bow)
    [Bow(maker='Vuil', pages=(1, 2))]
    """
    if isinstance(rows, StoredRows):
        return rows.columns
    result: dict[str, Any] = {}
    for name, hint in _fields(cast(Any, kind)).items():
        values = [getattr(row, name) for row in rows]
        if hint in _NUMBERS:
            result[name] = np.array(values, _NUMBERS[hint])
        elif isinstance(hint, type) and issubclass(hint, str):
            result[name] = list(map(str, values))
        else:
            result[name] = [json.dumps(list(value) if get_origin(hint) is tuple else sorted(value)) for value in values]
    return result


def rows_of_columns(columns: Columns, kind: type[_Row]) -> list[_Row]:
    """The rows again.

    Raises
    ------
    KeyError, TypeError, ValueError
        If the columns are of something else.
    """
    values: list[Iterable[Any]] = []
    for name, hint in _fields(cast(Any, kind)).items():
        column = columns[name]
        if hint in _NUMBERS:
            values.append(np.asarray(column).tolist())
        elif isinstance(hint, type) and issubclass(hint, str):
            values.append(column if hint is str else map(_member(hint), column))
        else:
            values.append(map(_collection(get_origin(hint)), column))
    return [kind(*row) for row in zip(*values, strict=True)]


class StoredRows(OnDemand[_Row]):
    """Rows as columns: each is made when it is asked for, and goes when nobody needs it.

    Parameters
    ----------
    columns : mapping of str to array or Texts
        The columns, as :func:`columns_of_rows` gives them.
    kind : type
        Class of the rows.
    """

    def __init__(self, columns: Columns, kind: type[_Row]) -> None:
        n_rows = len(next(iter(columns.values())))
        cells = [(columns[name], _reading(hint)) for name, hint in _fields(cast(Any, kind)).items()]

        def row(number: int) -> _Row:
            return kind(*(read(column[number]) for column, read in cells))

        def rows() -> Iterator[_Row]:
            for first in range(0, n_rows, _ROWS_AT_ONCE):
                yield from _rows_at(columns, kind, slice(first, first + _ROWS_AT_ONCE))

        super().__init__(n_rows, row, rows)
        self.columns, self._kind = columns, kind

    @classmethod
    def of(cls, rows: Iterable[_Row], kind: type[_Row]) -> StoredRows[_Row]:
        """These rows, of which only some are in memory at a time."""
        growing: dict[str, Growing | GrowingTexts] = {
            name: Growing(_NUMBERS[hint]) if hint in _NUMBERS else GrowingTexts()
            for name, hint in _fields(cast(Any, kind)).items()
        }
        left = iter(rows)
        while some := list(islice(left, _ROWS_AT_ONCE)):
            for name, values in columns_of_rows(some, kind).items():
                growing[name].add(values)
        return cls({name: its.finished() for name, its in growing.items()}, kind)

    def some(self, numbers: NDArray[np.int64]) -> Iterator[_Row]:
        """Those with these numbers."""
        for first in range(0, len(numbers), _ROWS_AT_ONCE):
            yield from _rows_at(self.columns, self._kind, numbers[first : first + _ROWS_AT_ONCE])


def _rows_at(columns: Mapping[str, Any], kind: type[_Row], at: slice | NDArray[np.int64]) -> list[_Row]:
    """Some rows of columns."""
    return rows_of_columns({name: column[at] for name, column in columns.items()}, kind)


def _reading(hint: Any) -> Callable[[Any], Any]:
    """What makes a value of a cell."""
    if hint in _NUMBERS or hint is str:
        return cast(Callable[[Any], Any], hint)
    return _member(hint) if isinstance(hint, type) else _collection(get_origin(hint))


def held(rows: Iterable[_Row], kind: type[_Row]) -> Sequence[_Row]:
    """Rows that are needed for long: as they are, or as columns, where there are many."""
    left = iter(rows)
    first = list(islice(left, _MANY_ROWS))
    return StoredRows.of(chain(first, left), kind) if len(first) == _MANY_ROWS else first


def held_columns(columns: Columns, kind: type[_Row]) -> Sequence[_Row]:
    """The same rows of their columns; see :func:`rows_of_columns`."""
    stored = StoredRows(columns, kind)
    return stored if len(stored) >= _MANY_ROWS else rows_of_columns(columns, kind)


def chosen(rows: Sequence[_Row], numbers: NDArray[np.int64]) -> Iterator[_Row]:
    """Some of these rows."""
    return rows.some(numbers) if isinstance(rows, StoredRows) else map(rows.__getitem__, numbers.tolist())


@cache
def _fields(kind: Any) -> dict[str, Any]:
    """The types of the fields of a class by their names."""
    return get_type_hints(kind)


def _collection(kind: Any) -> Callable[[str], Any]:
    """Tuples or sets of what is written; many are equal."""

    def read(text: str) -> Any:
        # Plain texts need no parser: a quotation mark of their own has a backslash before it.
        is_plain = text.startswith('["') and "\\" not in text
        return kind(text[2:-2].split('", "') if is_plain else json.loads(text))

    return lru_cache(_MOST_READ)(read)


def _member(kind: type[str]) -> Callable[[str], str]:
    """Members of an enumeration by their values: they recur, and asking for one costs more than looking it up."""
    return cache(kind)
