"""Pages from a table.

In:  a ``.csv``, ``.jsonl``, ``.parquet`` or ``.xlsx`` file with the column ``url`` and any other of
     :data:`mardok.tables.INPUT_COLUMNS`.
Out: a raw page for each row; what the columns cannot tell is noted as missing and not computed.
"""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator
from pathlib import Path

import pandas as pd
import pyarrow as pa

from mardok.errors import TableError
from mardok.sentences import sentence
from mardok.sources.raw import OpenIntake, RawPage, Unread
from mardok.tables import INPUT_COLUMNS
from mardok.urls import normal_url
from mardok.vocabulary import NotComputed

SUFFIXES = (".csv", ".jsonl", ".parquet", ".xlsx")

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
    try:
        frame = _read_as_text(path)
    except (OSError, ValueError, KeyError, pa.ArrowException, csv.Error, pd.errors.ParserError) as error:
        raise TableError(f"{path}: cannot be read as a {path.suffix} table: {error}") from error
    frame.columns = pd.Index([str(name).strip().lower() for name in frame.columns])
    if not frame.columns.is_unique:
        raise TableError(f"{path}: two columns are named {frame.columns[frame.columns.duplicated()][0]!r}")
    return frame


def _read_as_text(path: Path) -> pd.DataFrame:
    if path.suffix == ".parquet":
        return _as_text(pd.read_parquet(path))
    if path.suffix == ".xlsx":
        return pd.read_excel(path, dtype=str, keep_default_na=False)
    if path.suffix == ".jsonl":
        lines = path.read_text("utf-8-sig").splitlines()
        return _as_text(pd.DataFrame([json.loads(line) for line in lines if line.strip()]))
    text = path.read_text("utf-8-sig")
    if not text.strip():
        raise ValueError("the file is empty")
    heading = text.partition("\n")[0]
    separator = max(",;\t", key=heading.count)
    return pd.read_csv(io.StringIO(text), sep=separator, dtype=str, keep_default_na=False)


def _as_text(frame: pd.DataFrame) -> pd.DataFrame:
    def text(value: object) -> str:
        if isinstance(value, bytes):
            return value.decode("utf-8", "replace")
        if isinstance(value, float) and value.is_integer():
            return str(int(value))
        return "" if value is None or value is pd.NaT or value != value else str(value)

    return pd.DataFrame({name: frame[name].map(text) for name in frame.columns})


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
    status = int(status_text) if status_text.isdecimal() else None
    if status_text and status is None:
        intake.unread.append(Unread(str(path), place, url, f"status {status_text!r} is not a whole number; ignored"))
    html = row.pop("html", None)
    headers = [("location", row["redirect_url"])] if row.get("redirect_url") else []
    if html:
        # The text is characters already: what its meta element declares no longer holds.
        headers.append(("content-type", "text/html; charset=utf-8"))
        return RawPage(url, str(path), status, tuple(headers), html.encode("utf-8", "replace"))
    return RawPage(url, str(path), status, tuple(headers), fields=row)
