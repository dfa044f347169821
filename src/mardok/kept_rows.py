"""Rows with named fields as columns, so that they can be kept.

In:  named tuples or dataclasses of numbers, texts, members of enumerations, and tuples or frozen sets of numbers and texts.
Out: columns as :class:`mardok.kept.KeptParts` keeps them; and the rows again.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Sequence
from functools import cache
from typing import Any, TypeVar, get_origin, get_type_hints

import numpy as np

from mardok.kept import Columns

_Row = TypeVar("_Row")
_NUMBERS = {int: np.int64, float: np.float64, bool: np.bool_}


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
    result: dict[str, Any] = {}
    for name, hint in get_type_hints(kind).items():
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
    for name, hint in get_type_hints(kind).items():
        column = columns[name]
        if hint in _NUMBERS:
            values.append(np.asarray(column).tolist())
        elif isinstance(hint, type) and issubclass(hint, str):
            values.append(column if hint is str else map(_member(hint), column))
        else:
            values.append(map(_collection(get_origin(hint)), column))
    return [kind(*row) for row in zip(*values, strict=True)]


def _collection(kind: Any) -> Callable[[str], Any]:
    """Tuples or sets of what is written; many are equal."""
    return cache(lambda text: kind(json.loads(text)))


def _member(kind: type[str]) -> Callable[[str], str]:
    """Members of an enumeration by their values: they recur, and asking for one costs more than looking it up."""
    return cache(kind)
