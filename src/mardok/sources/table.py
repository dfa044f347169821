"""Pages from a table.

In:  a ``.csv``, ``.jsonl``, ``.parquet`` or ``.xlsx`` file with the column ``url`` and any other of
     :data:`mardok.tables.INPUT_COLUMNS`.
Out: a raw page for each row; what the columns cannot tell is noted as missing and not computed.
"""

from __future__ import annotations

import csv
import io
import json
import re
import warnings
import zipfile
from collections.abc import Callable, Iterator, Mapping
from itertools import islice
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa

from mardok.errors import TableError
from mardok.sentences import sentence
from mardok.sources.raw import OpenIntake, RawPage, Unread
from mardok.tables import INPUT_COLUMNS
from mardok.urls import normal_url
from mardok.vocabulary import NotComputed

_MOST_UNFOLDED = 1 << 29
"""Bytes of all parts of a workbook, unpacked."""
MOST_COLUMNS = 1000
"""Columns of a table; nobody's export has so many."""
_LONGEST_CELL = 1 << 28
_STATUS = re.compile(r"[1-9][0-9]{2}(?:\.0+)?")
_NEEDS = {
    NotComputed.TEXTS: ("html", "text"),
    NotComputed.TITLES: ("html", "title"),
    NotComputed.LINKS: ("html",),
    NotComputed.STATUS: ("status",),
}


def read_table(path: Path) -> pd.DataFrame:
    """Any table file as text, cell by cell: missing cells are ``""``, column names stripped and in lower case.

    Raises
    ------
    TableError
        If the file cannot be read as its suffix says, or holds two columns of one name.
    """
    suffix = path.suffix.lower()
    try:
        frame = _READERS[suffix](path)
    except (OSError, ValueError, KeyError, pa.ArrowException, csv.Error, pd.errors.ParserError, RecursionError) as error:
        raise TableError(f"{path}: cannot be read as a {suffix} table: {_line(error)}") from error
    frame.columns = pd.Index([str(name).strip().lower() for name in frame.columns])
    if not frame.columns.is_unique:
        raise TableError(f"{path}: two columns are named {frame.columns[frame.columns.duplicated()][0]!r}")
    return frame


def has_empty_last_column(path: Path, name: str) -> bool:
    """Whether it is seen at a glance that a CSV file has nothing in its last column, which has this name.

    So it is of a table as large as a site in which nobody has written anything: each of its lines ends with a comma.
    """
    try:
        heading, _, rows = path.read_bytes().partition(b"\n")
    except OSError:  # whoever reads the table says what is wrong
        return False
    is_empty = not rows or (rows.endswith(b",\n") and rows.count(b",\n") == rows.count(b"\n"))
    return is_empty and heading.endswith(f",{name}".encode())


def _line(error: Exception) -> str:
    return " ".join(str(error).split())[:200] or type(error).__name__


def _read_csv(path: Path) -> pd.DataFrame:
    text = path.read_text("utf-8-sig").replace("\r\n", "\n").replace("\r", "\n")
    if not text.strip():
        raise ValueError("the file is empty")
    heading = text.lstrip("\n").partition("\n")[0]
    separator = max(",;\t", key=heading.count)
    if heading.count(separator) >= MOST_COLUMNS:
        raise ValueError(f"its heading has more than {MOST_COLUMNS:,} cells")
    before = csv.field_size_limit(_LONGEST_CELL)
    try:
        first = list(islice(csv.reader(io.StringIO(text), delimiter=separator), 2))
    finally:
        csv.field_size_limit(before)
    if len(first[-1]) > len(first[0]):
        raise ValueError(f"row 2 has {len(first[-1])} cells, and the heading has {len(first[0])}")
    with warnings.catch_warnings():
        warnings.simplefilter("error", pd.errors.ParserWarning)
        try:
            return pd.read_csv(io.StringIO(text), sep=separator, dtype=str, keep_default_na=False, index_col=False)
        except pd.errors.ParserWarning as error:
            raise ValueError("a row has more cells than the heading") from error


def _read_json_lines(path: Path) -> pd.DataFrame:
    rows = []
    for number, line in enumerate(path.read_text("utf-8-sig").split("\n"), start=1):
        if line.strip():
            try:
                row = json.loads(line)
            except (ValueError, RecursionError) as error:
                raise ValueError(f"line {number}: {_line(error)}") from error
            if not isinstance(row, dict):
                raise ValueError(f"line {number}: expected an object with a value for each column")
            rows.append(row)
    return _as_text(pd.DataFrame(rows, dtype=object))


def _read_parquet(path: Path) -> pd.DataFrame:
    return _as_text(pd.read_parquet(path))


def _read_workbook(path: Path) -> pd.DataFrame:
    """The first sheet of a workbook, with the columns that have a heading.

    A workbook of a megabyte can unfold to gigabytes, or name a cell that stands below a million empty rows, so it is read
    row by row and within bounds.
    """
    try:
        with zipfile.ZipFile(path) as parts:
            unfolded = sum(part.file_size for part in parts.infolist())
        if unfolded > _MOST_UNFOLDED:
            raise ValueError(f"it unfolds to {unfolded / 1e6:,.0f} MB; save its first sheet as CSV")
        rows = _rows_of_sheet(path)
    except (OSError, ValueError):
        raise
    except Exception as error:
        raise ValueError(f"the workbook is damaged ({type(error).__name__}: {_line(error)})") from error
    if not rows:
        raise ValueError("its first sheet is empty")
    return pd.DataFrame(rows[1:], columns=rows[0], dtype=object)


def _rows_of_sheet(path: Path) -> list[list[str]]:
    from openpyxl import load_workbook  # only who reads workbooks waits for it

    with path.open("rb") as file:
        book = load_workbook(file, read_only=True, data_only=True)
        sheet = book.worksheets[0]
        sheet.reset_dimensions()  # what a sheet says of its size need not be so
        rows: list[list[str]] = []
        n_columns = MOST_COLUMNS
        for cells in sheet.iter_rows(values_only=True):
            row = [_cell_text(cell) for cell in cells[:n_columns]]
            if not rows:
                n_columns = max((at for at, text in enumerate(row, start=1) if text.strip()), default=0)
                if not n_columns:
                    continue
            if rows and not any(row):
                continue
            rows.append((row + [""] * n_columns)[:n_columns])
    return rows


def _cell_text(value: object) -> str:
    """A cell as text; of a figure without fraction the whole number, of what is no single value nothing."""
    if value is None or value is pd.NaT or isinstance(value, (list, tuple, dict, set, np.ndarray)):
        return ""
    if isinstance(value, bytes):
        return value.decode("utf-8", "replace")
    if isinstance(value, float):
        return "" if value != value else str(int(value)) if value.is_integer() else str(value)
    # What stands alone for half of a character in JSON is none, and no file takes it.
    return str(value).encode("utf-8", "replace").decode("utf-8")


def _as_text(frame: pd.DataFrame) -> pd.DataFrame:
    return pd.DataFrame({name: [_cell_text(value) for value in frame[name]] for name in frame.columns}, dtype=object)


_READERS: Mapping[str, Callable[[Path], pd.DataFrame]] = {
    ".csv": _read_csv, ".jsonl": _read_json_lines, ".parquet": _read_parquet, ".xlsx": _read_workbook,
}  # fmt: skip


def read_page_table(path: Path, intake: OpenIntake) -> Iterator[RawPage]:
    """Pages of a table, in its order.

    Raises
    ------
    TableError
        If the table has no column ``url``, or nothing beside it that tells of a page.
    """
    frame = read_table(path)
    known = [name for name in frame.columns if name in INPUT_COLUMNS]
    if "url" not in known:
        raise TableError(f"{path}: has no column 'url'; its columns are {', '.join(map(repr, frame.columns))}")
    if len(known) == 1:
        raise TableError(f"{path}: beside 'url' it needs at least one of {', '.join(list(INPUT_COLUMNS)[1:])}")
    for what, columns in _NEEDS.items():
        if not set(columns) & set(known):
            intake.missing[what] = str(
                sentence("not-computed.no-column", path=path, columns=" or ".join(map(repr, columns)))
            )
    for number, row in enumerate(frame[known].to_dict("records"), start=2):
        page = _row_page(path, number, {str(key): str(value) for key, value in row.items()}, intake)
        if page is not None:
            yield page


def _row_page(path: Path, line: int, row: dict[str, str], intake: OpenIntake) -> RawPage | None:
    place = f"row {line}"
    url = normal_url(row.pop("url"))
    if url is None:
        intake.unread.append(Unread(str(path), place, "", "not an http(s) address"))
        return None
    status_text = row.pop("status", "").strip()
    status = int(status_text[:3]) if _STATUS.fullmatch(status_text) else None
    if status_text and status is None:
        intake.unread.append(Unread(str(path), place, url, f"status {status_text[:40]!r} is none of HTTP; ignored"))
    html = row.pop("html", None)
    headers = [("location", row["redirect_url"])] if row.get("redirect_url") else []
    if html:
        # The text is characters already: what its meta element declares no longer holds.
        headers.append(("content-type", "text/html; charset=utf-8"))
        return RawPage(url, str(path), status, tuple(headers), html.encode("utf-8", "replace"))
    return RawPage(url, str(path), status, tuple(headers), fields=row)
