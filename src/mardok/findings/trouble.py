"""One trouble of a page, and how those of a template become one.

In:  troubles of single pages.
Out: the same, with one row for what most pages of a kind share.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from mardok.settings import Checks

TEMPLATE = ": their template"
"""Words in the detail of a check by which one that sits in a template is known."""


class Trouble(NamedTuple):
    """One trouble of a page."""

    row: int
    """Row of the page."""
    check: str
    """One of :data:`mardok.tables.CHECKS`."""
    value: str
    """The figure or text that is wrong."""
    detail: str = ""
    """The other page, or what to look at."""
    target: str = ""
    """Where the address or link is to lead, where that is known."""
    n_pages: int = 1
    """Pages that share the trouble; more than 1 for one of a template."""
    pattern: str = ""
    """What makes it the same trouble on other pages, such as the words of a link."""


class Told(NamedTuple):
    """One row of the table of checks, and what a repair must know beside it."""

    url: str
    check: str
    value: str
    detail: str
    target: str = ""
    """Where the address or link is to lead, where that is known."""
    n_pages: int = 1
    """Pages that share the trouble; more than 1 for one of a template."""


def without_templates(
    troubles: Iterable[Trouble], kinds: Sequence[str], counts: Sequence[int], settings: Checks
) -> list[Trouble]:
    """Troubles, with one for what so many pages of a kind share that it must sit in their template.

    Parameters
    ----------
    kinds : sequence of str
        Kind of each page.
    counts : sequence of int
        Rows of the pages that are asked.
    """
    n_pages = Counter(kinds[row] for row in counts)
    alike: dict[tuple[str, str, str], list[Trouble]] = defaultdict(list)
    for trouble in troubles:
        alike[trouble.check, trouble.pattern, kinds[trouble.row]].append(trouble)
    found = []
    for (_, _, kind), same in alike.items():
        rows = {trouble.row for trouble in same}
        if len(rows) >= settings.template_pages and len(rows) >= settings.template_share * n_pages[kind]:
            first = min(same)
            named = f"on {len(rows)} of {n_pages[kind]} pages of the kind {kind!r}{TEMPLATE}"
            example = f"; here: {' '.join(filter(None, [first.value, first.detail]))}" if first.value or first.detail else ""
            found.append(first._replace(value=str(len(rows)), detail=named + example, n_pages=len(rows)))
        else:
            found += same
    return found
