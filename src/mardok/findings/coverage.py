"""How much of a site was read, and how far its pages are from the home page.

In:  the pages with their links and destinations, and what was met while reading the sources.
Out: a :class:`Coverage`. Claims that need the whole site are made only where it is whole.

A crawl is whole if every link within the site leads to an address that was read, if only as a written variant, that
robots.txt closes, or that is no page. So it can be told of any source, whoever made the crawl.
"""

from __future__ import annotations

import mimetypes
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy import sparse

from mardok.compare.destinations import Destination
from mardok.sentences import sentence
from mardok.settings import Variants
from mardok.sources.raw import Intake
from mardok.text.distinct import distinct
from mardok.text.site import Site
from mardok.urls import VariantForm, bare_host, split_url, variant_form
from mardok.vocabulary import CrawlEnd

_HTML_TYPES = (None, "text/html", "application/xhtml+xml")
_LISTED = 20


@dataclass(frozen=True)
class Coverage:
    """What of the site was read."""

    depth: NDArray[np.int64]
    """Links from the home page to each page, -1 where no link leads; shape (n_pages,)."""
    is_listed: NDArray[np.bool_]
    """Whether a sitemap lists each page, shape (n_pages,)."""
    is_linked: NDArray[np.bool_]
    """Whether another page links to each page, or a linked address redirects to it, shape (n_pages,)."""
    listed_unread: tuple[str, ...]
    """Addresses that a sitemap lists and that were not read, in order."""
    unread: tuple[str, ...]
    """Addresses of the site that pages link to and that were not read, in order."""
    has_sitemap: bool
    days: tuple[str, str]
    """Days on which the first and the last answer came, ``""`` where the sources do not tell."""
    gaps: tuple[str, ...]
    """Why the site was not read whole; none if it was."""

    @property
    def is_whole(self) -> bool:
        """Whether the whole site was read."""
        return not self.gaps

    @property
    def orphans(self) -> list[int]:
        """Rows of pages that only the sitemap leads to; none where links may be missing."""
        return np.flatnonzero(self.is_listed & ~self.is_linked).tolist() if self.is_whole else []

    def totals(self) -> dict[str, object]:
        """The figures for ``audit.json``."""
        reached = self.depth[self.depth >= 0]
        return {
            "whole": self.is_whole,
            "gaps": list(self.gaps),
            "first_day": self.days[0] or None,
            "last_day": self.days[1] or None,
            "unread_targets": len(self.unread),
            "unread_examples": list(self.unread[:_LISTED]),
            "by_depth": {str(depth): int(n) for depth, n in enumerate(np.bincount(reached)) if n} if len(reached) else {},
            "in_sitemap": int(self.is_listed.sum()) if self.has_sitemap else None,
            "sitemap_unread": len(self.listed_unread) if self.has_sitemap else None,
            "only_in_sitemap": len(self.orphans) if self.has_sitemap and self.is_whole else None,
        }


def coverage_of(
    site: Site,
    destinations: Sequence[Destination],
    intake: Intake,
    origin: str,
    is_blocked: Callable[[str], bool],
    forms: Sequence[VariantForm],
    variants: Variants,
) -> Coverage:
    """What of the site was read.

    Parameters
    ----------
    origin : str
        Preferred scheme and host; its root is the home page.
    is_blocked : callable
        Whether robots.txt closes an address.
    forms : sequence of VariantForm
        The address of each page.
    """
    hosts = {bare_host(page.url) for page in site.pages if page.status == 200}
    known = {*intake.other_files, *intake.failed, *intake.sitemaps, *intake.html_instead}
    unread = {
        url
        for url in site.links.urls.some(site.links.met_urls)
        if url not in site.row_of
        and url not in known
        and bare_host(url) in hosts
        and mimetypes.guess_type(split_url(url).path)[0] in _HTML_TYPES
        and not is_blocked(url)
    }
    if unread:
        read = {form.identity for form in forms}
        unread = {url for url in unread if variant_form(url, variants).identity not in read}
    listed = {url for pages in intake.sitemaps.values() for url in pages}
    gaps = []
    if intake.ended.end not in (CrawlEnd.UNKNOWN, CrawlEnd.COMPLETE):
        gaps.append(str(sentence("gap.ended", how=intake.ended)))
    if unread:
        gaps.append(str(sentence("gap.unread", n=len(unread))))
    if not len(site.links.at):
        gaps.append(str(sentence("gap.no-links")))
    return Coverage(
        depth=_depths(site, destinations, origin),
        is_listed=_is_among(len(site.pages), [site.row_of[url] for url in listed if url in site.row_of]),
        is_linked=_is_linked(site, destinations),
        listed_unread=tuple(sorted(url for url in listed if url not in site.row_of and url not in known)),
        unread=tuple(sorted(unread)),
        has_sitemap=bool(intake.sitemaps),
        days=(intake.first_day, intake.last_day),
        gaps=tuple(gaps),
    )


def _edges(site: Site, destinations: Sequence[Destination]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Pages and the pages their links lead to: the addresses themselves, and where these redirect to."""
    kept = site.link_targets >= 0
    source, target = site.links.page[kept], site.link_targets[kept]
    end = np.array(
        [destination.row if page.redirect_url else -1 for destination, page in zip(destinations, site.pages, strict=True)],
        np.int64,
    )
    beyond = end[target]
    arrives = beyond >= 0
    return np.concatenate([source, source[arrives]]), np.concatenate([target, beyond[arrives]])


def _is_linked(site: Site, destinations: Sequence[Destination]) -> NDArray[np.bool_]:
    source, target = _edges(site, destinations)
    return _is_among(len(site.pages), target[source != target])


def _is_among(n_pages: int, rows: ArrayLike) -> NDArray[np.bool_]:
    result = np.zeros(n_pages, bool)
    result[np.asarray(rows, np.int64)] = True
    return result


def _depths(site: Site, destinations: Sequence[Destination], origin: str) -> NDArray[np.int64]:
    """Links from the home page to each page by breadth-first search; a redirect is no link of its own."""
    n_pages = len(site.pages)
    depth = np.full(n_pages, -1, dtype=np.int64)
    home = site.row_of.get(f"{origin}/", -1)
    if home < 0:
        return depth
    source, target = _edges(site, destinations)
    graph = sparse.csr_array((np.ones(len(source), bool), (source, target)), shape=(n_pages, n_pages))
    frontier = np.unique([home, destinations[home].row if destinations[home].row >= 0 else home])
    links = 0
    while len(frontier):
        depth[frontier] = links
        reached = distinct(graph[frontier].indices)
        frontier, links = reached[depth[reached] < 0], links + 1
    return depth
