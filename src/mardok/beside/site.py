"""One audited site, as it is compared with others.

In:  an audit.
Out: an :class:`AuditedSite`: columns of its pages, its checks by page, its sections.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from mardok.audits import Audit
from mardok.meta import AuditMeta
from mardok.urls import is_under, split_url
from mardok.vocabulary import NoindexReason

Mask = NDArray[np.bool_]
_NO_PAGES = (NoindexReason.UNREADABLE, NoindexReason.REDIRECT, NoindexReason.STATUS, NoindexReason.NOT_HTML)
"""Reasons for which an address is no page at all."""
_FEW = 0.02
"""Linked addresses that were not read, for each page that was, up to which a site counts as whole."""
_COLUMNS = (
    "indexable", "noindex_reason", "variant_of", "language", "kind", "depth", "words", "own_words", "shared_words",
    "boilerplate_words", "copies", "thin",
)  # fmt: skip


@dataclass(frozen=True)
class CheckedPages:
    """Troubles that checks found; arrays have one entry each."""

    row: NDArray[np.int64]
    """Row of the page; only of pages that were read."""
    check: NDArray[np.object_]
    is_template: Mask

    def of(self, begins: tuple[str, ...]) -> Mask:
        """Whether each is of a check whose name begins in one of some ways."""
        return np.array([check.startswith(begins) for check in self.check.tolist()], bool)

    def without(self, checks: Sequence[str]) -> CheckedPages:
        """Those of other checks."""
        kept = ~np.isin(self.check, list(checks))
        return CheckedPages(self.row[kept], self.check[kept], self.is_template[kept])


@dataclass(frozen=True)
class AuditedSite:
    """One audited site; arrays have one entry a page."""

    name: str
    """Its host."""
    meta: AuditMeta
    urls: Sequence[str]
    columns: dict[str, NDArray[Any]]
    checked: CheckedPages
    is_kept: Mask
    """Pages that were not asked to be left out."""

    @property
    def is_whole(self) -> bool:
        """Whether all of the site was read, but for a few linked addresses."""
        return is_nearly_whole(self.meta)

    @cached_property
    def is_page(self) -> Mask:
        """Addresses that answered with a page."""
        return self.is_kept & ~np.isin(self.columns["noindex_reason"], list(_NO_PAGES))

    @cached_property
    def is_counted(self) -> Mask:
        """Indexable pages, one of each set of variants."""
        return np.asarray(self.is_kept & self.columns["indexable"] & (self.columns["variant_of"] == ""))

    @cached_property
    def sections(self) -> tuple[list[str], NDArray[np.int64]]:
        """First folders of the addresses, and the number of each page's."""
        folders = [section_path(url) for url in self.urls]
        names = sorted(set(folders))
        number = {name: at for at, name in enumerate(names)}
        return names, np.array([number[name] for name in folders], np.int64)

    def numbers(self, column: str) -> NDArray[np.float64]:
        """A column of figures, NaN where one is missing."""
        values = self.columns[column]
        if values.dtype != object:
            return values.astype(np.float64)
        return np.array([np.nan if value is None or value != value else value for value in values.tolist()], np.float64)

    def without(self, checks: Sequence[str], sections: Sequence[str]) -> AuditedSite:
        """The same site without some checks, and without the pages under some paths."""
        is_left_out = [any(is_under(url, pattern) for pattern in sections) for url in self.urls]
        return replace(self, checked=self.checked.without(checks), is_kept=~np.array(is_left_out, bool))


def audited_site(audit: Audit) -> AuditedSite:
    """What of an audit is compared."""
    urls = audit.tables.column("pages", "url").tolist()
    row_of = {url: row for row, url in enumerate(urls)}
    rows = np.array([row_of.get(url, -1) for url in audit.tables.column("checks", "url").tolist()], np.int64)
    known = rows >= 0
    checks, is_template = (audit.tables.column("checks", name) for name in ("check", "is_template"))
    columns = {name: audit.tables.column("pages", name) for name in _COLUMNS}
    columns["indexable"] = columns["indexable"].astype(bool)
    return AuditedSite(
        host_of(urls),
        audit.meta,
        urls,
        columns,
        CheckedPages(rows[known], checks[known].astype(object), is_template[known].astype(bool)),
        np.ones(len(urls), bool),
    )


def is_nearly_whole(meta: AuditMeta) -> bool:
    """Whether all of a site was read, but for so few linked addresses that no share changes by them.

    Parameters
    ----------
    meta : AuditMeta
        What the audit of the site knows of itself.
    """
    crawl = meta.totals["crawl"]
    n_unread = crawl.get("unread_targets", 0)
    is_short_of_few = len(crawl["gaps"]) == 1 and 0 < n_unread <= _FEW * meta.totals["pages"]
    return bool(crawl["whole"]) or is_short_of_few


def host_of(urls: Sequence[str]) -> str:
    """Host of most addresses, without ``www.``."""
    hosts = Counter(split_url(url).netloc.removeprefix("www.") for url in urls)
    return min(hosts, key=lambda host: (-hosts[host], host)) if hosts else "no pages"


def section_path(url: str) -> str:
    """The first folder of an address.

    Examples
    --------
    >>> section_path("https://host.example/blog/a"), section_path("https://host.example/about")
    ('/blog/', '/')
    """
    first = split_url(url).path.split("/", 2)
    return f"/{first[1]}/" if len(first) > 2 else "/"
