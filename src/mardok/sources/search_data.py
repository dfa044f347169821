"""Search data: which queries showed which pages.

In:  a ``.csv``, ``.parquet`` or ``.xlsx`` file with the columns of :data:`mardok.tables.SEARCH_COLUMNS`.
Out: one typed row for each usable row of the file, and a count of the rest.
"""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import pandas as pd

from mardok.errors import TableError
from mardok.sources.raw import Intake, Unread
from mardok.sources.table import read_table
from mardok.tables import SEARCH_COLUMNS
from mardok.urls import normal_url

_REQUIRED = ("query", "page", "clicks", "impressions", "position")
_LISTED = 20


def read_search(paths: Iterable[Path], intake: Intake) -> pd.DataFrame:
    """Rows of the search files together.

    Returns
    -------
    DataFrame
        Columns ``query`` (case-folded), ``page`` (address in its one form), ``clicks``, ``impressions``, ``position``
        (float64), ``date`` (datetime64, NaT where the file has none), ``country``, ``device`` (``""`` likewise).

    Raises
    ------
    TableError
        If a required column is missing or no row can be used.
    """
    return pd.concat([_read_one(path, intake) for path in paths], ignore_index=True)


def _read_one(path: Path, intake: Intake) -> pd.DataFrame:
    if not path.is_file():
        raise TableError(f"{path}: there is no such search file")
    frame = read_table(path)
    missing = [name for name in _REQUIRED if name not in frame.columns]
    if missing:
        raise TableError(
            f"{path}: has no column {missing[0]!r}; a search file needs {', '.join(_REQUIRED)}, "
            f"this one has {', '.join(map(repr, frame.columns))}"
        )
    rows = pd.DataFrame({"query": frame["query"].str.strip().str.casefold()})
    addresses = {text: normal_url(text) for text in frame["page"].unique()}
    rows["page"] = frame["page"].map(addresses)
    for name in ("clicks", "impressions", "position"):
        rows[name] = pd.to_numeric(frame[name], errors="coerce")
    rows["date"] = pd.to_datetime(frame["date"], format="%Y-%m-%d", errors="coerce") if "date" in frame else pd.NaT
    for name in ("country", "device"):
        rows[name] = frame[name].str.strip().str.casefold() if name in frame else ""
    faults = pd.DataFrame(
        {
            "page": rows["page"].isna(),
            "clicks": ~(rows["clicks"] >= 0),
            "impressions": ~(rows["impressions"] >= 0) | (rows["clicks"] > rows["impressions"]),
            "position": ~(rows["position"] >= 1),
            "date": rows["date"].isna() if "date" in frame else False,
        }
    )
    unusable = faults.any(axis=1)
    for row in faults.index[unusable][:_LISTED]:
        name = faults.columns[faults.loc[row].argmax()]
        reason = f"column {name!r}: {frame.loc[row, name]!r} is not {_EXPECTED[name]}; row ignored"
        intake.unread.append(Unread(str(path), f"row {row + 2}", "", reason))
    if unusable.sum() > _LISTED:
        intake.unread.append(Unread(str(path), "", "", f"{unusable.sum() - _LISTED} more rows like these ignored"))
    if unusable.all():
        raise TableError(f"{path}: no row can be used; {SEARCH_COLUMNS.keys() & set(frame.columns)} were found")
    rows = rows[~unusable].reset_index(drop=True)
    return rows.astype({"clicks": "float64", "impressions": "float64", "position": "float64"})


_EXPECTED = {
    "page": "an http(s) address",
    "clicks": "a number from 0",
    "impressions": "a number from the clicks up",
    "position": "a number from 1",
    "date": "a date such as 2026-03-31",
}
