"""Where an address ends up when redirects and canonicals are followed.

In:  the pages of a site.
Out: for each page its final address, the row of the page there, and how the way goes.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mardok.text.site import Site

_OK = (None, 200)


@dataclass(frozen=True)
class Destination:
    """Where one address ends up."""

    url: str
    """Final address; ``""`` in a loop."""
    row: int
    """Row of the page there; -1 if it was not read or there is a loop."""
    redirects: tuple[str, ...]
    """Addresses that the redirects alone lead through, the first target first."""
    is_loop: bool
    """Whether the redirects lead in a circle."""


def destinations(site: Site) -> tuple[Destination, ...]:
    """The destination of each page; of a page that is its own, the page itself."""
    return tuple(_destination(site, row) for row in range(len(site.pages)))


def _destination(site: Site, start: int) -> Destination:
    row, url = start, site.pages[start].url
    seen = {url}
    redirects: list[str] = []
    only_redirects = True
    while row >= 0:
        page = site.pages[row]
        only_redirects = only_redirects and bool(page.redirect_url)
        target = page.redirect_url or (page.canonical_url if page.status in _OK else "")
        if not target or target == url:
            break
        if target in seen:
            # Canonicals that name each other settle nothing; the page stays where it is. Redirects never arrive.
            if only_redirects:
                return Destination("", -1, (*redirects, target), is_loop=True)
            return Destination(site.pages[start].url, start, tuple(redirects), is_loop=False)
        if only_redirects:
            redirects.append(target)
        seen.add(target)
        url, row = target, site.row_of.get(target, -1)
    return Destination(url, row, tuple(redirects), is_loop=False)


def folded_rows(ways: Sequence[Destination]) -> list[int]:
    """For each page the row it is folded into, -1 where its destination was not read."""
    return [way.row for way in ways]
