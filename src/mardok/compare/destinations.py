"""Where an address ends up when redirects and canonicals are followed.

In:  the pages of a site.
Out: for each page its final address, the row of the page there, and how the way goes.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import starmap

from mardok.extract.page import Page
from mardok.large import OnDemand
from mardok.text.site import Site
from mardok.text.stored_pages import StoredPages

_MOST_HOPS = 20
"""Addresses of a way that are kept: browsers follow no more redirects than these (Fetch standard, section 4.4)."""


def pointer_of(page: Page) -> str:
    """The other address that a page sends on to by redirect, or names as canonical if it answers; ``""`` if none."""
    target = page.redirect_url or (page.canonical_url if page.status in (None, 200) else "")
    return "" if target == page.url else target


@dataclass(frozen=True, slots=True)
class Destination:
    """Where one address ends up."""

    url: str
    """Final address; ``""`` in a loop."""
    row: int
    """Row of the page there; -1 if it was not read or there is a loop."""
    hops: tuple[str, ...]
    """Addresses it leads through, the first target first, the last the final one; of a long way the first and the last."""
    redirects: tuple[str, ...]
    """Those of them that redirects alone lead to, before any canonical."""
    is_loop: bool
    """Whether the redirects lead in a circle."""


def find_destinations(site: Site) -> Sequence[Destination]:
    """The destination of each page; of a page that is its own, the page itself.

    Examples
    --------
    >>> from mardok.extract.batch import batch_of
    >>> from mardok.extract.extraction import extract_page
    >>> from mardok.settings import Settings
    >>> from mardok.sources.raw import RawPage
    >>> from mardok.text.columns import columns_of
    >>> from mardok.text.site import site_of
    >>> moved = RawPage("https://host.example/old", "list", 301, (("location", "/hire"),))
    >>> page = RawPage("https://host.example/hire", "list", 200, (("content-type", "text/html"),), b"<p>Hire a violin.")
    >>> pages = [extract_page(raw, Settings()) for raw in (page, moved)]
    >>> site = site_of(columns_of([batch_of(pages)]), Settings())
    >>> [destination.url for destination in find_destinations(site)]
    ['https://host.example/hire', 'https://host.example/hire']
    """
    far_ends: dict[int, tuple[str, int]] = {}
    if not isinstance(site.pages, StoredPages):
        return tuple(_destination(site, row, far_ends) for row in range(len(site.pages)))
    leading = (row for row, page in enumerate(site.pages) if pointer_of(page))
    others = {row: _destination(site, row, far_ends) for row in leading}

    def end(row: int, page: Page) -> Destination:
        return others.get(row) or Destination(page.url, row, (), (), is_loop=False)

    return OnDemand(len(site.pages), lambda row: end(row, site.pages[row]), lambda: starmap(end, enumerate(site.pages)))


def _destination(site: Site, start: int, far_ends: dict[int, tuple[str, int]]) -> Destination:
    row, url = start, site.pages[start].url
    hops: list[str] = []
    seen = {url}
    n_redirects = 0
    while row >= 0 and (target := pointer_of(site.pages[row])):
        if n_redirects == len(hops) and site.pages[row].redirect_url:
            n_redirects += 1
        hops.append(target)
        if target in seen:
            # Canonicals that name each other settle nothing; the page stays where it is. Redirects never arrive.
            is_loop = n_redirects == len(hops)
            end = ("", -1) if is_loop else (site.pages[start].url, start)
            return Destination(*end, tuple(hops), tuple(hops[:n_redirects]), is_loop)
        seen.add(target)
        url, row = target, site.row_of.get(target, -1)
        if len(hops) == _MOST_HOPS and row >= 0:
            url, row = _far_end(site, row, far_ends)
            hops[-1] = url or hops[-1]
            return Destination(url, row, tuple(hops), tuple(hops[:n_redirects]), is_loop=not url)
    return Destination(url, row, tuple(hops), tuple(hops[:n_redirects]), is_loop=False)


def _far_end(site: Site, start: int, known: dict[int, tuple[str, int]]) -> tuple[str, int]:
    """Address and row at the end of a long way, ``""`` and -1 if it has none; each row of all ways is passed once."""
    row, end = start, ("", -1)
    passed: dict[int, None] = {}
    while row not in passed:
        if row in known:
            end = known[row]
            break
        passed[row] = None
        target = pointer_of(site.pages[row])
        if not target or target not in site.row_of:
            end = (target, -1) if target else (site.pages[row].url, row)
            break
        row = site.row_of[target]
    known.update(dict.fromkeys(passed, end))
    return end
