"""Search files that tell of the same clicks twice.

In:  the rows of each search file.
Out: the rows that count, each click once; what was left out is listed.

Exports by week and by month of the same days, or one by country and one without, hold the same clicks. Of two such files one
is used: the one that covers more days, of equal ones the one in shorter steps. Two files in the same steps are parts of one
export, unless they repeat rows: a row that stands in an earlier file word for word is left out.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import pandas as pd

from mardok.sources.raw import OpenIntake, Unread

_SAME_PAIRS = 0.5
"""Share of the queries and pages of the smaller file that the other has, too, from which both tell of the same clicks."""
_KEY = ("query", "page", "date", "country", "device")
_FIGURES = ("clicks", "impressions", "position")


@dataclass(frozen=True)
class _File:
    path: str
    rows: pd.DataFrame
    first: np.datetime64
    last: np.datetime64
    step: int
    """Days from one day to the next; 0 for a file without days."""
    pairs: frozenset[tuple[str, str]]
    """Its queries with their pages."""
    splits: frozenset[str]
    """Which of country and device it tells."""

    @property
    def days(self) -> int:
        """Days that it covers; 0 where it tells of none."""
        return int((self.last - self.first).astype("timedelta64[D]").astype(int)) + self.step if self.step else 0


def without_repeats(parts: Mapping[str, pd.DataFrame], intake: OpenIntake) -> list[pd.DataFrame]:
    """The files that count, without rows that an earlier one has.

    Parameters
    ----------
    parts : mapping of str to DataFrame
        The rows of each file, by its path.
    intake : OpenIntake
        Takes what is left out.
    """
    files = [_described(path, rows) for path, rows in parts.items()]
    kept: list[_File] = []
    for file in sorted(files, key=lambda one: (-one.days, one.step, len(one.splits))):
        other = next((one for one in kept if _tell_the_same(one, file)), None)
        if other is None:
            kept.append(file)
        else:
            intake.unread.append(
                Unread(file.path, "", "", f"tells of the same clicks as {other.path}, so it is not added to it")
            )
    result: list[pd.DataFrame] = []
    for file in files:
        if file in kept:
            result.append(_without_rows_of(result, file, intake))
    return [rows for rows in result if len(rows)]


def _described(path: str, rows: pd.DataFrame) -> _File:
    days = np.unique(rows["date"].dropna().to_numpy().astype("datetime64[D]"))
    gaps = np.diff(days).astype(int)
    step = (int(np.median(gaps)) if len(gaps) else 1) if len(days) else 0
    pairs = rows[["query", "page"]].drop_duplicates()
    splits = frozenset(name for name in ("country", "device") if rows[name].cat.categories.tolist() != [""])
    first, last = (days[0], days[-1]) if len(days) else (np.datetime64("NaT"),) * 2
    return _File(path, rows, first, last, step, frozenset(zip(pairs["query"], pairs["page"], strict=True)), splits)


def _tell_the_same(one: _File, other: _File) -> bool:
    """Whether two files hold the same clicks in another form."""
    if not one.pairs or not other.pairs or (one.step == other.step and one.splits == other.splits):
        return False
    if one.step and other.step and (one.first > other.last or other.first > one.last):
        return False
    common = len(one.pairs & other.pairs)
    return common >= _SAME_PAIRS * min(len(one.pairs), len(other.pairs))


def _without_rows_of(earlier: list[pd.DataFrame], file: _File, intake: OpenIntake) -> pd.DataFrame:
    columns = [*_KEY, *_FIGURES]
    before = [part[columns].astype({"query": str, "page": str, "country": str, "device": str}) for part in earlier]
    if not before or not len(file.rows):
        return file.rows
    own = file.rows[columns].astype({"query": str, "page": str, "country": str, "device": str})
    n_before = sum(map(len, before))
    is_again = pd.concat([*before, own], ignore_index=True).duplicated().to_numpy()[n_before:]
    if is_again.any():
        reason = f"{int(is_again.sum())} rows stand in an earlier file; ignored"
        intake.unread.append(Unread(file.path, "", "", reason))
    return file.rows[~is_again].reset_index(drop=True)
