"""An audit, a group and a pair of pages as a notebook shows them.

In:  the tables of an audit.
Out: records that show themselves as short HTML, without scripts and styles of their own; what pages say is escaped.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import pandas as pd

from mardok.compare.copies import find_copies
from mardok.compare.difference import Run, difference
from mardok.deliver.side_by_side import side_by_side
from mardok.deliver.templating import rendered
from mardok.errors import SelectionError
from mardok.plan.wording import count, percent

Tables = Mapping[str, pd.DataFrame]
_FIRST = 5
_MOST_MEMBERS = 30
_ANY = 1e-9
"""Resemblance from which a pair is told at all."""


@dataclass(frozen=True)
class PagePair:
    """Two pages beside each other."""

    url_a: str
    url_b: str
    identical_file: bool
    """Whether their files are the same byte for byte."""
    identical_text: bool
    """Whether their main texts are the same in words and punctuation."""
    resemblance: float
    """Shingles in both / shingles in either, 0 to 1."""
    a_in_b: float
    b_in_a: float
    words_a: int
    words_b: int
    runs: tuple[Run, ...]
    """Runs that the main texts share and do not share, in reading order."""

    @property
    def sentence(self) -> str:
        """The figures in words."""
        begin = "Identical files. " if self.identical_file else "Identical text. " if self.identical_text else ""
        return (
            f"{begin}Resemblance {percent(self.resemblance)}; "
            f"{percent(self.a_in_b)} of the left page ({count(self.words_a, 'word')}) is in the right one, "
            f"{percent(self.b_in_a)} of the right page ({count(self.words_b, 'word')}) in the left one."
        )

    def _repr_html_(self) -> str:
        return _rendered("pair", pair=self, rows=side_by_side(self.runs))


@dataclass(frozen=True)
class PageGroup:
    """Pages that belong together."""

    id: str
    kind: str
    """``variants``, ``copies``, ``series`` or ``rivals``."""
    phrase: str
    """Phrase or pattern that the pages share."""
    evidence: str
    confidence: str
    pages: pd.DataFrame
    """Columns ``url``, ``role``, ``title``, ``words``, ``inlinks``, ``clicks``; the keeper first."""

    def _repr_html_(self) -> str:
        return _rendered(
            "group",
            group=self,
            pages=self.pages.head(_MOST_MEMBERS).to_dict("records"),
            n_more=len(self.pages) - _MOST_MEMBERS,
        )


def page_pair(tables: Tables, row_a: int, row_b: int) -> PagePair:
    """Two pages, by their rows."""
    a, b = (tables["pages"].iloc[row] for row in (row_a, row_b))
    pairs = find_copies([a["main_text"], b["main_text"]], minimum=_ANY)
    exact: dict[Any, Any] = pairs.iloc[0].to_dict() if len(pairs) else {"resemblance": 0.0, "a_in_b": 0.0, "b_in_a": 0.0}
    return PagePair(
        url_a=str(a["url"]),
        url_b=str(b["url"]),
        identical_file=bool(a["bytes_hash"]) and a["bytes_hash"] == b["bytes_hash"],
        identical_text=bool(a["text_hash"]) and a["text_hash"] == b["text_hash"],
        resemblance=float(exact["resemblance"]),
        a_in_b=float(exact["a_in_b"]),
        b_in_a=float(exact["b_in_a"]),
        words_a=int(a["words"]),
        words_b=int(b["words"]),
        runs=tuple(difference(a["main_text"], b["main_text"])),
    )


def page_group(tables: Tables, group: str) -> PageGroup:
    """A group of the table of groups, by its id.

    Raises
    ------
    SelectionError
        If there is none of this id.
    """
    rows = tables["groups"][tables["groups"]["group"] == group]
    if rows.empty:
        raise SelectionError(f"{group!r}: is no group of this audit; the column 'group' of its groups lists them")
    facts = tables["pages"][["url", "title", "words", "inlinks", "clicks"]]
    pages = rows[["url", "role"]].merge(facts, on="url").sort_values(["role", "url"], ignore_index=True)
    first = rows.iloc[0]
    return PageGroup(
        group, str(first["kind"]), str(first["phrase"]), str(first["evidence"]), str(first["confidence"]), pages
    )


def audit_html(tables: Tables, meta: Mapping[str, Any]) -> str:
    """An audit in short: the totals and the first proposals."""
    return _rendered(
        "audit", totals=meta["totals"], plan=tables["plan"].head(_FIRST).to_dict("records"), n=len(tables["plan"])
    )


def _rendered(view: str, **values: Any) -> str:
    return rendered(f"notebook/{view}.html.j2", {}, values)
