"""What a person knows of pages beside the crawl: pages meant for phrases, and signals from other tools.

In:  tables with the columns of :data:`mardok.tables.TARGET_COLUMNS` or :data:`mardok.tables.SIGNAL_COLUMNS`.
Out: addresses in their one form with what is said of them; rows that cannot be used are listed.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from mardok.errors import TableError
from mardok.sources.cells import decimal_number, whole_number
from mardok.sources.raw import OpenIntake, Unread
from mardok.sources.table import read_table
from mardok.tables import SIGNAL_COLUMNS
from mardok.urls import is_path, normal_url


@dataclass(frozen=True)
class Signal:
    """What other tools say of one page; None where they say nothing."""

    external_links: float | None = None
    conversions: float | None = None
    sessions: float | None = None
    index_state: str = ""
    """As the tool words it, such as ``indexed``."""


def read_targets(path: Path, intake: OpenIntake) -> dict[str, str]:
    """For each phrase the address, or the path, of the page that is meant for it, in the order of the file.

    Raises
    ------
    TableError
        If the file or a column is missing.
    """
    result: dict[str, str] = {}
    for number, row in _rows(path, ("phrase", "url")):
        phrase, given = " ".join(row["phrase"].split()), row["url"].strip()
        url = given if is_path(given) else normal_url(given)
        trouble = (
            "column 'phrase' is empty" if not phrase
            else f"column 'url': {row['url']!r} is neither an http(s) address nor a path" if url is None
            else f"phrase {phrase!r} stands in an earlier row" if phrase in result
            else ""
        )  # fmt: skip
        if trouble or url is None:
            intake.unread.append(Unread(str(path), f"row {number}", url or "", f"{trouble}; row ignored"))
        else:
            result[phrase] = url
    return result


def read_signals(path: Path, intake: OpenIntake) -> dict[str, Signal]:
    """Signals by address; of several rows with one address the last counts.

    Raises
    ------
    TableError
        If the file or a column is missing.
    """
    result: dict[str, Signal] = {}
    for number, row in _rows(path, ("url",), any_of=tuple(SIGNAL_COLUMNS)[1:]):
        url = normal_url(row["url"])
        if url is None:
            reason = f"column 'url': {row['url']!r} is not an http(s) address; row ignored"
            intake.unread.append(Unread(str(path), f"row {number}", "", reason))
            continue
        figures: dict[str, float | None] = {}
        for name in ("external_links", "conversions", "sessions"):
            cell = row.get(name, "").strip()
            figures[name] = (decimal_number if name == "conversions" else whole_number)(cell) if cell else None
            if cell and figures[name] is None:
                reason = f"column {name!r}: {cell!r} is not a number from 0; cell ignored"
                intake.unread.append(Unread(str(path), f"row {number}", url, reason))
        result[url] = Signal(**figures, index_state=" ".join(row.get("index_state", "").split()).casefold())
    return result


def _rows(path: Path, needed: tuple[str, ...], any_of: tuple[str, ...] = ()) -> list[tuple[int, dict[str, str]]]:
    """Rows of a table with their numbers in the file."""
    if not path.is_file():
        raise TableError(f"{path}: there is no such file")
    frame = read_table(path)
    missing = next((name for name in needed if name not in frame.columns), None)
    there = ", ".join(map(repr, frame.columns))
    if missing:
        raise TableError(f"{path}: has no column {missing!r}; its columns are {there}")
    if any_of and not set(any_of) & set(frame.columns):
        raise TableError(f"{path}: beside 'url' it needs at least one of {', '.join(any_of)}; its columns are {there}")
    records = frame.to_dict("records")
    return [(number, {str(key): str(value) for key, value in row.items()}) for number, row in enumerate(records, start=2)]
