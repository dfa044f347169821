"""One trouble of a page, and how those of a template are known.

In:  troubles of single pages.
Out: the same, each with what makes it one of a template: one edit mends it on all the pages that share it.
"""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import chain, groupby
from operator import attrgetter, itemgetter
from typing import NamedTuple

import numpy as np

from mardok.extract.page import Page
from mardok.kept_rows import StoredRows
from mardok.sentences import sentence
from mardok.settings import Checks
from mardok.vocabulary import CheckId, PageKind


class Check(NamedTuple):
    """One trouble of a page."""

    row: int
    """Row of the page."""
    check: CheckId
    value: str
    """The figure or text that is wrong."""
    detail: str = ""
    """The other page, or what to look at."""
    target: str = ""
    """Where the address or link is to lead, where that is known."""
    n_pages: int = 1
    """Pages that share the trouble."""
    pattern: str = ""
    """What makes it the same trouble on other pages, such as the words of a link."""
    template: str = ""
    """What the pages have in common whose template has the trouble; ``""`` if it is of the page alone."""
    link: str = ""
    """Where the link leads that has the trouble."""


class PageCheck(NamedTuple):
    """One row of the table of checks, and what a repair must know beside it."""

    url: str
    check: CheckId
    value: str
    detail: str
    target: str = ""
    """Where the address or link is to lead, where that is known."""
    n_pages: int = 1
    """Pages that share the trouble."""
    template: str = ""
    """What these have in common, where it is a trouble of their template."""
    link: str = ""
    """Where the link leads that has the trouble."""
    stated: str = ""
    """What other pages say in its place, where it is a figure."""
    is_urgent: bool = False
    """Whether it costs money or visitors today."""


def with_templates(
    troubles: Iterable[Check], kinds: Sequence[PageKind], counts: Sequence[int], settings: Checks
) -> list[Check]:
    """Troubles, each told whether so many pages of a kind share it that it must sit in their template.

    Parameters
    ----------
    kinds : sequence of PageKind
        Kind of each page.
    counts : sequence of int
        Rows of the pages that are asked.
    """
    n_pages = Counter(kinds[row] for row in counts)
    alike: dict[tuple[CheckId, str, PageKind], list[Check]] = defaultdict(list)
    for trouble in troubles:
        alike[trouble.check, trouble.pattern, kinds[trouble.row]].append(trouble)
    result = []
    for (_, pattern, kind), same in alike.items():
        n = len({trouble.row for trouble in same})
        if n >= settings.template_pages and n >= settings.template_share * n_pages[kind]:
            shared = str(
                sentence(
                    "template.kind-with" if pattern else "template.kind",
                    pages=n, all=n_pages[kind], kind=str(kind), pattern=pattern,
                )
            )  # fmt: skip
            result += [one if one.template else one._replace(n_pages=n, template=shared) for one in same]
        else:
            result += same
    return result


def in_order(
    troubles: Sequence[Sequence[PageCheck]], pages: Sequence[Page], row_of: Mapping[str, int]
) -> Sequence[PageCheck]:
    """All of several lists of troubles, in the order of their addresses and of what else is told of them.

    Parameters
    ----------
    pages : sequence of Page
        All pages, in the order of their addresses.
    row_of : mapping of str to int
        Row of each address.
    """
    together = chain.from_iterable(troubles)
    if not any(isinstance(one, StoredRows) for one in troubles):
        return sorted(together)
    stored = StoredRows.of(together, PageCheck)

    def place(url: str) -> int:
        """The same for all addresses between two pages, which are few."""
        row = row_of.get(url, -1)
        return 2 * row + 1 if row >= 0 else 2 * bisect_left(pages, url, key=_URL)

    places = np.fromiter(map(place, stored.columns["url"]), np.int64, len(stored))
    order = np.argsort(places, kind="stable")
    placed = zip(places[order], stored.some(order), strict=True)
    # As many as share a place are in memory at once.
    return StoredRows.of((one for _, its in groupby(placed, _FIRST) for one in sorted(one for _, one in its)), PageCheck)


_URL, _FIRST = attrgetter("url"), itemgetter(0)


def once_a_template(troubles: Iterable[PageCheck]) -> Iterator[tuple[int, PageCheck]]:
    """Of troubles of a template, in order, the first, which stands for the others, and all others; each with its number."""
    seen: set[tuple[CheckId, str]] = set()
    for number, page_check in enumerate(troubles):
        if page_check.template:
            key = page_check.check, page_check.template
            if key in seen:
                continue
            seen.add(key)
        yield number, page_check


def and_more(first: str, more: int) -> str:
    """The first of some addresses, and how many more there are."""
    return str(sentence("check-detail.and-more", first=first, n=more)) if more > 0 else first
