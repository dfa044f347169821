"""Cells of CSV: what a spreadsheet shows and does not run.

In:  columns of values.
Out: rows as UTF-8 with LF. Text that a spreadsheet would run as a formula gets a leading apostrophe, and every sign of it is
     visible; numbers have the decimals asked for, and what is missing is empty.
"""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Sequence
from itertools import repeat, starmap
from typing import Any

from mardok.compiled import compiled
from mardok.visible import visible

_FORMULA = re.compile(r"'*[=+\-@\t\r]")
_MARKS = ("'", "=", "+", "-", "@")
"""With what text begins that a spreadsheet may run, but for signs that are not printed."""


def neutral_cell(text: str) -> str:
    """Text that no spreadsheet runs as a formula, with every sign visible.

    Examples
    --------
    >>> neutral_cell("=HYPERLINK(1)"), neutral_cell("plain")
    ("'=HYPERLINK(1)", 'plain')
    """
    if text.isprintable() and not text.startswith(_MARKS):  # as nearly all are
        return text
    text = visible(text)
    return "'" + text if _FORMULA.match(text) else text


def original_cell(text: str) -> str:
    """The text before :func:`neutral_cell`."""
    return text[1:] if text.startswith("'") and _FORMULA.match(text) else text


@compiled("cells")
def csv_rows(columns: Sequence[Sequence[Any]], decimals: Sequence[int | Sequence[int] | None]) -> bytes:
    """Rows as they stand in a CSV file.

    Parameters
    ----------
    columns : sequence of sequences of str, bool, int, float or None
        The values of each column; all are of one length. NaN is missing, as None is.
    decimals : sequence of int, sequence of int, or None
        Decimals of the floats of each column, or of each of them; None for as many as tell them apart.

    Raises
    ------
    ValueError
        If the columns are not of one length.

    Examples
    --------
    >>> csv_rows([["a bow", "a, b", "=1"], [0.25, float("nan"), -0.01], [True, None, 7]], [None, 1, None])
    b'a bow,0.2,true\\n"a, b",,\\n\\'=1,0.0,7\\n'
    """
    written = io.StringIO(newline="")
    cells = (
        map(_cell, values, repeat(digits))
        if digits is None or isinstance(digits, int)
        else starmap(_cell, zip(values, digits, strict=True))
        for values, digits in zip(columns, decimals, strict=True)
    )
    csv.writer(_Lines(written), lineterminator="\r\n").writerows(zip(*cells, strict=True))
    return written.getvalue().encode("utf-8", "replace")


class _Lines:
    """Lines that end with LF, of a writer that quotes either sign of a line's end since it writes both."""

    def __init__(self, file: io.StringIO) -> None:
        self._file = file

    def write(self, line: str) -> int:
        return self._file.write(f"{line[:-2]}\n")


def _cell(value: Any, digits: int | None) -> str:
    if isinstance(value, str):
        return neutral_cell(value)
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        return _number(value, digits)
    return "" if value is None else str(value)


def _number(value: float, digits: int | None) -> str:
    if math.isnan(value):
        return ""
    text = f"{value:.{digits}f}" if digits is not None else repr(value)
    return text[1:] if text.startswith("-") and not text.strip("-0.") else text  # no "-0.0"
