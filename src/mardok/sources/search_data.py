"""Search data: which queries showed which pages.

In:  a ``.csv``, ``.parquet``, ``.jsonl`` or ``.xlsx`` file with the columns of :data:`mardok.tables.SEARCH_COLUMNS`.
Out: one typed row for each usable row of the file, and a count of the rest.

A file has millions of rows and far fewer different cells: each different cell is read once.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Callable, Iterable, Sequence
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.csv
from numpy.typing import NDArray

from mardok.errors import TableError
from mardok.settings import Search
from mardok.sources.cells import date_formats, day, decimal_number, whole_number
from mardok.sources.doubled import without_repeats
from mardok.sources.raw import OpenIntake, Unread
from mardok.sources.table import MOST_COLUMNS, read_table
from mardok.tables import SEARCH_COLUMNS
from mardok.urls import normal_url

_REQUIRED = ("query", "clicks", "impressions", "position")
_NAMES = ("query", "country", "device")
_LINE_END = re.compile(r"\r\n|\r|\n")
_LISTED = 20
_TOTALS = frozenset(["", "total", "totals", "grand total", "sum", "all", "gesamt", "summe", "gesamtsumme", "ergebnis"])
_KEY = ("query", "page", "date", "country", "device")


def read_search(paths: Sequence[Path], settings: Search, intake: OpenIntake) -> pd.DataFrame:
    """Rows of the search files together.

    Parameters
    ----------
    paths : sequence of Path
        Files that are read as one.
    intake : OpenIntake
        Takes rows that cannot be used.

    Returns
    -------
    DataFrame
        Columns ``query`` (category, case-folded), ``page`` (category, address in its one form), ``clicks``,
        ``impressions``, ``position`` (float64), ``date`` (datetime64, NaT where the file has none), ``country``,
        ``device`` (category, ``""`` likewise). Rows of a file without the column ``page`` tell of the property as a whole:
        their page is ``""``.

    Raises
    ------
    TableError
        If a required column is missing, days can be read in two ways, or no row can be used.
    """
    parts = [_read_one(path, settings, intake) for path in paths]
    if all(len(part) == 0 or part["page"].cat.categories.tolist() == [""] for part in parts):
        raise TableError(f"{', '.join(map(str, paths))}: tells of the property only; give the export by query and page, too")
    parts = without_repeats(dict(zip(map(str, paths), parts, strict=True)), intake)
    if len(parts) == 1:
        return parts[0]
    for name in ("page", *_NAMES):
        names = pd.Index(sorted(set().union(*(part[name].cat.categories for part in parts))))
        for part in parts:
            part[name] = part[name].cat.set_categories(names)
    return pd.concat(parts, ignore_index=True)


class _Cells:
    """A column of a file: its different cells as written, and the number of the cell in each row."""

    def __init__(self, column: pa.ChunkedArray) -> None:
        coded = column.combine_chunks().dictionary_encode() if not pa.types.is_dictionary(column.type) else None
        coded = coded if coded is not None else column.unify_dictionaries().combine_chunks()
        self.written: list[str] = ["" if cell is None else str(cell) for cell in coded.dictionary.to_pylist()]
        self.codes: NDArray[np.int32] = np.asarray(coded.indices.fill_null(-1), np.int32)
        if (self.codes < 0).any():
            self.codes = np.where(self.codes < 0, len(self.written), self.codes).astype(np.int32)
            self.written.append("")

    def numbers(self, read: Callable[[str], float | None]) -> NDArray[np.float64]:
        """The figure in each row; NaN where a cell is none."""
        result = [read(cell) for cell in self.written]
        return np.array([np.nan if value is None else value for value in result], np.float64)[self.codes]

    def named(self, read: Callable[[str], str]) -> tuple[NDArray[np.int32], list[str]]:
        """For each row the number of what its cell says, and what that is, in order."""
        result = [read(cell) for cell in self.written]
        names = sorted(set(result))
        number = {name: code for code, name in enumerate(names)}
        return np.array([number[name] for name in result], np.int32)[self.codes], names


def _read_one(path: Path, settings: Search, intake: OpenIntake) -> pd.DataFrame:
    if not path.is_file():
        raise TableError(f"{path}: there is no such search file")
    table, number = _as_arrow(path, intake)
    cells = _columns(path, table, settings)
    tell = partial(_tell, path, number, intake)
    n_rows = len(cells["query"].codes)
    columns: dict[str, Any] = {}
    for name in _NAMES:
        if name in cells:
            codes, names = cells[name].named(lambda cell: " ".join(cell.split()).casefold())
        else:
            codes, names = np.zeros(n_rows, np.int32), [""]
        columns[name] = pd.Categorical.from_codes(codes, pd.Index(names, dtype=object))
    is_by_page = "page" in cells
    pages, addresses = (
        cells["page"].named(lambda cell: normal_url(cell) or "") if is_by_page else (np.zeros(n_rows, np.int32), [""])
    )
    columns["page"] = pd.Categorical.from_codes(pages, pd.Index(addresses, dtype=object))
    columns["clicks"] = cells["clicks"].numbers(whole_number)
    columns["impressions"] = cells["impressions"].numbers(whole_number)
    # A row that was never shown has no position, and tells nothing.
    is_shown = columns["impressions"] != 0
    columns["position"] = np.where(is_shown, cells["position"].numbers(decimal_number), 1.0)
    columns["date"] = (
        _dates(path, cells["date"], settings) if "date" in cells else np.full(n_rows, np.datetime64("NaT", "s"))
    )
    rows = pd.DataFrame({name: columns[name] for name in SEARCH_COLUMNS if name in columns})
    faults = {
        "page": rows["page"].to_numpy() == "" if is_by_page else np.zeros(n_rows, bool),
        "clicks": ~(columns["clicks"] >= 0),
        "impressions": ~(columns["impressions"] >= 0) | (columns["clicks"] > columns["impressions"]),
        "position": ~(columns["position"] >= 1),
        "date": np.isnat(columns["date"]) if "date" in cells else np.zeros(n_rows, bool),
    }
    unusable = np.zeros(n_rows, bool)
    is_total = faults["page"] & _is_any(cells["query"], _TOTALS)
    if is_by_page:
        is_total &= _is_any(cells["page"], _TOTALS)
    tell(is_total, lambda _row: "a row of totals, not of one query and page; row ignored")
    unusable |= is_total
    for name, is_faulty in faults.items():
        new = is_faulty & ~unusable
        tell(new, partial(_reason, cells, name))
        unusable |= new
    if unusable.all():
        raise TableError(f"{path}: no row can be used; {_first_reason(intake, path)}")
    again = _repeated(cells, ~unusable)
    tell(again, lambda _row: "query, page, date, country and device stand in an earlier row; row ignored")
    kept: pd.DataFrame = rows[~unusable & ~again & is_shown].reset_index(drop=True)
    return kept


def _columns(path: Path, table: pa.Table, settings: Search) -> dict[str, _Cells]:
    """The columns that are understood, under our names."""
    heading = {str(name): written.strip().lower() for name, written in settings.columns.items()}
    headings = [str(name).strip().lower() for name in table.column_names]
    at = {name: headings.index(heading.get(name, name)) for name in SEARCH_COLUMNS if heading.get(name, name) in headings}
    unmet = next((name for name in [*_REQUIRED, *heading] if name not in at), None)
    if unmet is not None:
        wanted = heading.get(unmet, unmet)
        hint = "" if unmet in heading else f"; where it is named otherwise, say so: --set search.columns.{unmet}=NAME"
        raise TableError(f"{path}: has no column {wanted!r}, only {', '.join(map(repr, table.column_names))}{hint}")
    return {name: _Cells(table.column(place)) for name, place in at.items()}


def _as_arrow(path: Path, intake: OpenIntake) -> tuple[pa.Table, NDArray[np.int64]]:
    """A file as text, cell by cell, with the number of each row in the file."""
    suffix = path.suffix.lower()
    if suffix == ".csv":
        return _csv_as_arrow(path, intake)
    if suffix == ".parquet":
        try:
            table = pa.parquet.read_table(path)
            table = pa.table({str(name): _text_cells(table.column(at)) for at, name in enumerate(table.column_names)})
        except (OSError, ValueError, pa.ArrowException) as error:
            raise TableError(f"{path}: cannot be read as a Parquet table: {' '.join(str(error).split())}") from error
    else:
        frame = read_table(path)
        table = pa.table({name: pa.array(frame[name].tolist(), pa.string()) for name in map(str, frame.columns)})
    return table, np.arange(2, 2 + table.num_rows)


def _text_cells(column: pa.ChunkedArray) -> pa.ChunkedArray:
    if pa.types.is_nested(column.type):
        return pa.chunked_array([pa.nulls(len(column), pa.string())])
    column.validate(full=True)  # of text, that it is
    if pa.types.is_dictionary(column.type) or pa.types.is_string(column.type):
        return column
    if pa.types.is_timestamp(column.type):
        column = column.cast(pa.timestamp("s"), safe=False).cast(pa.date32())
    return column.cast(pa.string())


def _csv_as_arrow(path: Path, intake: OpenIntake) -> tuple[pa.Table, NDArray[np.int64]]:
    """Rows of a CSV file as text, with the number of each in the file."""
    try:
        with path.open("rb") as file:
            begin = file.read(1 << 16)
    except OSError as error:
        raise TableError(f"{path}: cannot be read: {error}") from error
    encoding = "utf-16" if begin[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8"
    heading = _LINE_END.split(begin.decode(encoding, "replace").lstrip("\ufeff"), maxsplit=1)[0]
    if not heading.strip():
        raise TableError(f"{path}: cannot be read as a .csv table: the file is empty")
    separator = max(",;\t", key=heading.count)
    if heading.count(separator) >= MOST_COLUMNS:
        raise TableError(f"{path}: its heading has more than {MOST_COLUMNS:,} cells")
    try:
        names = next(csv.reader([heading.strip()], delimiter=separator))
    except csv.Error as error:
        raise TableError(f"{path}: its heading cannot be read: {error}") from error
    if len(set(names)) < len(names):
        raise TableError(f"{path}: two columns have the same name")
    read = partial(_csv_rows, path, encoding, separator, names)
    ragged: list[tuple[int | None, str]] = []
    try:
        table = read(ragged, use_threads=True)
        if ragged:  # only one thread counts the rows
            ragged.clear()
            table = read(ragged, use_threads=False)
    except (OSError, ValueError, pa.ArrowException) as error:
        raise TableError(f"{path}: cannot be read as a .csv table: {error}") from error
    number = np.arange(2, 2 + table.num_rows + len(ragged))
    out = [(place or 0) for place, _ in ragged]
    for place, text_words in ragged[:_LISTED]:
        intake.unread.append(Unread(str(path), f"row {place}", "", text_words))
    if len(ragged) > _LISTED:
        intake.unread.append(Unread(str(path), "", "", f"{len(ragged) - _LISTED} more rows like this: {ragged[-1][1]}"))
    return table, number[~np.isin(number, out)]


def _csv_rows(
    path: Path,
    encoding: str,
    separator: str,
    names: list[str],
    ragged: list[tuple[int | None, str]],
    *,
    use_threads: bool,
) -> pa.Table:
    """Rows of a CSV file as text; those with too many or too few cells are put on a list."""

    def skip(row: Any) -> str:
        cells = f"{row.actual_columns} cells where {row.expected_columns} were expected"
        ragged.append((row.number, f"{cells}: {row.text[:60]!r}; row ignored"))
        return "skip"

    text = pa.dictionary(pa.int32(), pa.string())
    return pa.csv.read_csv(
        path,
        read_options=pa.csv.ReadOptions(encoding=encoding, use_threads=use_threads),
        parse_options=pa.csv.ParseOptions(delimiter=separator, newlines_in_values=True, invalid_row_handler=skip),
        convert_options=pa.csv.ConvertOptions(column_types=dict.fromkeys(names, text), strings_can_be_null=False),
    )


def _dates(path: Path, cells: _Cells, settings: Search) -> NDArray[np.datetime64]:
    used = [cells.written[code] for code in np.unique(cells.codes)]
    forms = [settings.date_format] if settings.date_format else date_formats(used)
    if len(forms) > 1:
        readings = " or ".join(str(day(used[0], form)) for form in forms)
        raise TableError(
            f"{path}, column 'date': {used[0]!r} may be {readings}; say how days are written: "
            f"--set search.date_format={forms[0]!r} or {forms[1]!r}"
        )
    days = [day(cell, forms[0]) if forms else None for cell in cells.written]
    return np.array([np.datetime64("NaT") if value is None else value for value in days], "datetime64[s]")[cells.codes]


def _is_any(cells: _Cells, texts: Iterable[str]) -> NDArray[np.bool_]:
    known = set(texts)
    return np.array([cell.strip().casefold() in known for cell in cells.written], bool)[cells.codes]


def _repeated(cells: dict[str, _Cells], is_usable: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Usable rows whose key, as written, stands in an earlier usable row."""
    result = np.zeros(len(is_usable), bool)
    key = pd.DataFrame({name: cells[name].codes[is_usable] for name in _KEY if name in cells})
    result[is_usable] = key.duplicated().to_numpy()
    return result


def _tell(
    path: Path, number: NDArray[np.int64], intake: OpenIntake, is_faulty: NDArray[np.bool_], reason: Callable[[int], str]
) -> None:
    rows = np.flatnonzero(is_faulty)
    for row in rows[:_LISTED].tolist():
        intake.unread.append(Unread(str(path), f"row {number[row]}", "", reason(row)))
    if len(rows) > _LISTED:
        intake.unread.append(
            Unread(str(path), "", "", f"{len(rows) - _LISTED} more rows like this: {reason(int(rows[-1]))}")
        )


def _reason(cells: dict[str, _Cells], name: str, row: int) -> str:
    written = cells[name].written[cells[name].codes[row]]
    return f"column {name!r}: {written!r} is not {_EXPECTED[name]}; row ignored"


def _first_reason(intake: OpenIntake, path: Path) -> str:
    return next((f"{row.place}, {row.reason}" for row in intake.unread if row.source == str(path)), "it has none")


_EXPECTED = {
    "page": "an http(s) address",
    "clicks": "a whole number from 0",
    "impressions": "a whole number from the clicks up",
    "position": "a number from 1",
    "date": "a day as most of the column are written",
}
