"""From which page visitors would come to a page that hardly any link leads to.

In:  the site, where addresses lead, links that wait to be made.
Out: the most natural parent of a page, and why it is that.

What the page's own breadcrumbs name comes first, then the folders of its address, then a page that mentions what it is
about; the home page is the parent where nothing nearer is.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from urllib.parse import urlunsplit

import numpy as np

from mardok.compare.destinations import Destination
from mardok.findings.link_plan import LinkPlan, WaitingLink
from mardok.text.site import Site
from mardok.urls import split_url
from mardok.vocabulary import ParentSign

_BREADCRUMB = "breadcrumb"
_INDEX_FILES = ("", "index.html", "index.htm", "index.php")


@dataclass(frozen=True)
class Parent:
    """A page that should link to another."""

    row: int
    sign: ParentSign
    link: WaitingLink | None = None
    """Words that it could link with, where it mentions the other."""


def natural_parent(
    site: Site, destinations: Sequence[Destination], plan: LinkPlan, row: int, fits: Callable[[int], bool]
) -> Parent | None:
    """The page that most naturally links to a page; None if none fits.

    Parameters
    ----------
    destinations : sequence of Destination
        Where the address of each page leads.
    plan : LinkPlan
        Pages that mention others.
    row : int
        The page.
    fits : callable
        Whether a page may be told to link to it.
    """
    waiting = {link.source: link for link in plan.links.get(row, ())}
    home = _home(site, row)
    for sign, rows in (
        (ParentSign.BREADCRUMBS, _named_above(site, row)),
        (ParentSign.ADDRESS, _folders_above(site, row)),
        (ParentSign.MENTION, iter(waiting)),
    ):
        for above in rows:
            end = destinations[above].row
            if end not in (-1, row, home) and fits(end):
                return Parent(end, sign, waiting.get(end))
    return Parent(home, ParentSign.HOME, waiting.get(home)) if home not in (-1, row) and fits(home) else None


def _home(site: Site, row: int) -> int:
    parts = split_url(site.pages[row].url)
    return site.row_of.get(f"{parts.scheme}://{parts.netloc}/", -1)


def _named_above(site: Site, row: int) -> Iterator[int]:
    """Pages that the breadcrumbs of a page lead to, the nearest first."""
    links, blocks = site.links, site.blocks
    first, end = np.searchsorted(links.page, [row, row + 1]).tolist()
    for at in range(end - 1, first - 1, -1):
        context = blocks.contexts[blocks.context[blocks.at[links.place[at]]]]
        if context.place == _BREADCRUMB and site.link_targets[at] >= 0:
            yield int(site.link_targets[at])


def _folders_above(site: Site, row: int) -> Iterator[int]:
    """Pages that the address of a page lies under, the nearest first: without its parameters, and those of its folders."""
    scheme, netloc, path, query, _ = split_url(site.pages[row].url)
    if query:  # a further page of a list, or a view of it
        yield from _row(site, scheme, netloc, path)
    parts = path.strip("/").split("/")
    for n in range(len(parts) - 1, 0, -1):
        folder = "/" + "/".join(parts[:n])
        for written in (f"{folder}/{name}" for name in _INDEX_FILES):
            yield from _row(site, scheme, netloc, written)
        for written in (folder, f"{folder}.html", f"{folder}.php"):
            yield from _row(site, scheme, netloc, written)


def _row(site: Site, scheme: str, netloc: str, path: str) -> Iterator[int]:
    row = site.row_of.get(urlunsplit((scheme, netloc, path, "", "")))
    if row is not None:
        yield row
