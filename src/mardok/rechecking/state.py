"""What an audit says of single addresses, whatever host it was made on.

In:  an audit.
Out: a :class:`State`: columns of its pages by row, and where an address leads when one asks for it.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import pandas as pd

from mardok.audits import Audit
from mardok.rechecking.hosts import Hosts
from mardok.tables import cells_of
from mardok.urls import is_home
from mardok.vocabulary import CheckId

_MOST_HOPS = 20
"""Redirects that are followed; browsers follow no more (Fetch standard, section 4.4)."""
_ADDRESSES = ("url", "final_url", "redirect_url", "canonical_url")
_FAILING = (CheckId.PAGE_SOFT_404, CheckId.PAGE_EMPTY)


@dataclass(frozen=True)
class Way:
    """Where an address leads by redirects."""

    hops: tuple[str, ...]
    """Addresses it leads through, the first target first."""
    end: str
    """The last of them, or the address itself; ``""`` in a circle."""
    row: int
    """Row of the page there; -1 if it was not read."""


class State:
    """The pages of one audit."""

    def __init__(self, audit: Audit, hosts: Hosts | None = None) -> None:
        self.audit = audit
        self._hosts = hosts or Hosts()
        self._columns: dict[str, list[Any]] = {}
        self.row_of = {url: row for row, url in enumerate(self.column("url"))}

    def column(self, name: str) -> list[Any]:
        """A column of the pages, None where a cell is missing."""
        if name not in self._columns:
            values = self.audit.tables.column("pages", name).tolist()
            if name in _ADDRESSES and self._hosts.old_of:
                values = [self._hosts.old(url) for url in values]
            self._columns[name] = [None if value is pd.NA or value != value else value for value in values]
        return self._columns[name]

    def old(self, url: str) -> str:
        """An address of the audit as it is called on the host that is compared with."""
        return self._hosts.old(url) if self._hosts.old_of else url

    def cell(self, name: str, row: int) -> Any:
        """One cell of the pages."""
        return self.column(name)[row]

    def text(self, row: int) -> str:
        """Main text of a page."""
        return str(self.cell("main_text", row))

    def way(self, url: str) -> Way:
        """Where an address leads by redirects."""
        hops: list[str] = []
        seen = {url}
        row = self.row_of.get(url, -1)
        while row >= 0 and (target := self.cell("redirect_url", row)) and len(hops) < _MOST_HOPS:
            hops.append(target)
            if target in seen:
                return Way(tuple(hops), "", -1)
            seen.add(target)
            url, row = target, self.row_of.get(target, -1)
        return Way(tuple(hops), "" if len(hops) == _MOST_HOPS else url, row)

    def is_home(self, url: str) -> bool:
        """Whether an address is the home page."""
        return is_home(url, self.audit.meta.settings.variants)

    @cached_property
    def failing(self) -> frozenset[str]:
        """Pages that answer 200 and show an error or nothing."""
        checks = self.audit.checks
        return frozenset(self.old(url) for url in checks.loc[checks["check"].isin(_FAILING), "url"])

    @cached_property
    def troubles(self) -> Mapping[tuple[str, str], list[Trouble]]:
        """What is wrong, by address and check."""
        result: dict[tuple[str, str], list[Trouble]] = defaultdict(list)
        names = ["url", "check", "is_template", "value", "detail"]
        for url, check, is_template, value, detail in cells_of(self.audit.checks, names):
            result[self.old(url), check].append(Trouble(bool(is_template), value, detail))
        return result

    @cached_property
    def of_templates(self) -> Mapping[str, frozenset[str]]:
        """Pages on which a template makes a trouble, by check."""
        result: dict[str, set[str]] = defaultdict(set)
        for (url, check), rows in self.troubles.items():
            if any(row.is_template for row in rows):
                result[check].add(url)
        return {check: frozenset(urls) for check, urls in result.items()}

    def links_to(
        self, targets: frozenset[str], pages: Collection[int], everywhere: frozenset[str]
    ) -> Mapping[str, Mapping[int, list[bool]]]:
        """Links to some addresses: for each, by rows of the pages with such links, whether each of these is in chrome.

        Parameters
        ----------
        targets : frozenset of str
            Addresses whose links on some pages are asked for.
        pages : collection of int
            Rows of these pages.
        everywhere : frozenset of str
            Addresses whose links on all pages are asked for.
        """
        frame = self.audit.tables.frame("links", ["page", "url", "chrome"])
        names = [self.old(str(url)) for url in frame["url"].cat.categories]
        codes, rows = frame["url"].cat.codes.to_numpy(), frame["page"].to_numpy()
        wanted, is_anywhere = (np.array([name in of for name in names], bool) for of in (targets, everywhere))
        is_asked = np.zeros(len(self.row_of), bool)
        is_asked[list(pages)] = True
        at = np.flatnonzero(is_anywhere[codes] | (wanted[codes] & is_asked[rows])) if len(codes) else np.zeros(0, np.int64)
        result: dict[str, dict[int, list[bool]]] = defaultdict(lambda: defaultdict(list))
        for page, code, in_chrome in zip(
            rows[at].tolist(), codes[at].tolist(), frame["chrome"].to_numpy()[at].tolist(), strict=True
        ):
            result[names[code]][page].append(in_chrome)
        return result

    @cached_property
    def alike(self) -> Mapping[str, list[tuple[str, float]]]:
        """For each page those that it is kept as a pair with, and how much they resemble each other."""
        result: dict[str, list[tuple[str, float]]] = defaultdict(list)
        names = ["url_a", "url_b", "resemblance"]
        for a, b, resemblance in cells_of(self.audit.pairs, names):
            one, other = self.old(a), self.old(b)
            result[one].append((other, resemblance))
            result[other].append((one, resemblance))
        return result

    @cached_property
    def has_texts(self) -> bool:
        """Whether any page has a text."""
        return bool(np.any(self.audit.tables.column("pages", "words") > 0))


@dataclass(frozen=True, slots=True)
class Trouble:
    """A row of the checks."""

    is_template: bool
    value: str
    detail: str
