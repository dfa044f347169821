"""What is asked of an audit for every draft, read once.

In:  an audit.
Out: a :class:`KnownSite`.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from mardok.audits import Audit
from mardok.compare.fingerprints import texts_with
from mardok.store import TableStore
from mardok.urls import bare_host


@dataclass(frozen=True)
class KnownSite:
    """The site that drafts are compared with."""

    audit: Audit

    @property
    def tables(self) -> TableStore:
        """Tables of the audit."""
        return self.audit.tables

    @cached_property
    def urls(self) -> list[str]:
        """Address of each page."""
        return [str(url) for url in self.tables.column("pages", "url").tolist()]

    @cached_property
    def home(self) -> str:
        """Address of the home page: the root of the origin that most pages have."""
        return max(self._origins, key=lambda origin: (self._origins[origin], origin))

    @cached_property
    def hosts(self) -> frozenset[str]:
        """Hosts of the pages, without ``www.``."""
        return frozenset(map(bare_host, self._origins))

    @cached_property
    def _origins(self) -> Counter[str]:
        """Roots of schemes and hosts, with their pages."""
        return Counter(url[: url.index("/", url.index("//") + 2) + 1] for url in self.urls)

    @cached_property
    def language(self) -> str:
        """The language that most pages have."""
        languages: dict[str, int] = self.audit.meta.totals["languages"]
        return max(languages, key=lambda name: (languages[name], name), default="")

    @cached_property
    def languages(self) -> list[str]:
        """Languages of the pages, each once."""
        return sorted(set(self.tables.column("pages", "language").tolist()))

    @cached_property
    def _fingerprints(self) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        return self.tables.column("fingerprints", "hash"), self.tables.column("fingerprints", "page")

    def pages_with(self, asked: NDArray[np.int32]) -> list[list[int]]:
        """Rows of the pages that have each of some fingerprints."""
        return [rows.tolist() for rows in texts_with(*self._fingerprints, asked)]

    def pages(self, rows: NDArray[np.int64], names: tuple[str, ...]) -> list[dict[str, Any]]:
        """Some cells of some pages."""
        cells = self.tables.rows("pages", rows, names)
        return [{name: cells[name][at] for name in names} for at in range(len(rows))]
