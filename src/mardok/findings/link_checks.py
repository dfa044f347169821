"""Troubles of what pages point at: links, canonicals, alternates, parts.

In:  links and directives of pages, and where addresses lead.
Out: troubles of the pages.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from mardok.compare.destinations import Destination
from mardok.extract.indexable import NotIndexable
from mardok.findings.page_check import Check, and_more
from mardok.findings.right_target import right_targets
from mardok.large import BEYOND_ASCII, Texts, gathered
from mardok.sentences import sentence
from mardok.settings import Checks
from mardok.text.site import Site
from mardok.text.words import words
from mardok.urls import bare_host
from mardok.vocabulary import CheckId, NoindexReason

_LEADS_TO = " > "
_ERROR = 400
"""Least HTTP status of an error."""
_SMALL = np.array([ord(chr(code).lower()) * chr(code).isalnum() for code in range(BEYOND_ASCII)] + [0] * 128, np.uint8)
"""The small letter or the figure that a byte is, 0 where it is neither."""


def check_links(
    site: Site,
    destinations: Sequence[Destination],
    failed: Mapping[str, str],
    is_indexable: NDArray[np.bool_],
    settings: Checks,
) -> Iterator[Check]:
    """Links within the site that lead to errors, through redirects, or that say nothing.

    Parameters
    ----------
    failed : mapping of str to str
        Addresses that gave no answer, with the reason.
    is_indexable : ndarray of bool, shape (n_pages,)
        Pages that may be suggested in the place of those that answer with an error.
    """
    hosts = {bare_host(page.url) for page in site.pages if page.status == 200}
    wrong: dict[int, tuple[CheckId, str, str]] = {}
    met = site.links.met_urls
    for number, url in zip(met.tolist(), site.links.urls.some(met), strict=True):
        result = _trouble_of(site, destinations, url, failed, hosts)
        if result:
            wrong[number] = result
    yield from _bad_targets(site, wrong, is_indexable, settings)
    yield from _empty_words(site, settings)


def _trouble_of(
    site: Site, destinations: Sequence[Destination], url: str, failed: Mapping[str, str], hosts: set[str]
) -> tuple[CheckId, str, str] | None:
    """Check, value and where it leads, of an address that pages link to."""
    row = site.row_of.get(url)
    if row is None:
        return (CheckId.LINK_BROKEN, failed[url], url) if url in failed and bare_host(url) in hosts else None
    page, destination = site.pages[row], destinations[row]
    if (page.status or 200) >= 400:
        return CheckId.LINK_BROKEN, str(page.status), url
    if not destination.redirects:
        return None
    if destination.is_loop:
        return CheckId.LINK_BROKEN, "loop", url
    end = site.row_of.get(destination.redirects[-1])
    if end is not None and (site.pages[end].status or 200) >= 400:
        return CheckId.LINK_BROKEN, str(site.pages[end].status), f"{url}{_LEADS_TO}{destination.redirects[-1]}"
    return CheckId.LINK_REDIRECTED, str(page.status or "refresh"), f"{url}{_LEADS_TO}{destination.redirects[-1]}"


def _bad_targets(
    site: Site, wrong: Mapping[int, tuple[CheckId, str, str]], is_indexable: NDArray[np.bool_], settings: Checks
) -> Iterator[Check]:
    """One trouble for each page and target."""
    placed = site.links.placed_url
    is_wrong_url = np.zeros(len(site.links.urls), bool)
    is_wrong_url[list(wrong)] = True
    is_wrong = gathered(is_wrong_url, placed)
    pages: dict[tuple[int, bool], set[int]] = defaultdict(set)
    for number, page, in_chrome in zip(
        placed[is_wrong].tolist(), site.links.page[is_wrong].tolist(), site.chrome_links[is_wrong].tolist(), strict=True
    ):
        pages[number, in_chrome].add(page)
    anchors: dict[int, set[str]] = defaultdict(set)
    for number, at in zip(placed[is_wrong].tolist(), site.links.at[is_wrong].tolist(), strict=True):
        anchors[number].add(str(site.links.anchors[site.links.anchor[at]]))
    broken = [number for number in sorted(anchors) if wrong[number][0] == CheckId.LINK_BROKEN]
    asked = {str(site.links.urls[number]): sorted(anchors[number]) for number in broken}
    suggested = right_targets(site, is_indexable, settings.empty_link_texts, asked)
    for (number, in_chrome), sources in sorted(pages.items()):
        check, value, route = wrong[number]
        url = str(site.links.urls[number])
        end = suggested.get(url, "") if check == CheckId.LINK_BROKEN else route.rpartition(_LEADS_TO)[2]
        is_template = in_chrome and len(sources) >= settings.template_pages
        shared = str(sentence("template.furniture", pages=len(sources), what=route)) if is_template else ""
        for source in sorted(sources):
            n_pages = len(sources) if is_template else 1
            yield Check(source, check, value, route, end, n_pages, pattern=route, template=shared, link=url)


def _empty_words(site: Site, settings: Checks) -> Iterator[Check]:
    """Links within the site whose words say nothing of their targets, one trouble a page and wording."""
    empty = {" ".join(words(text)) for text in settings.empty_link_texts}
    links = site.links
    says_nothing = np.zeros(len(links.anchors), bool)
    asked = np.flatnonzero(_may_begin(links.anchors, empty))
    says_nothing[asked] = [" ".join(words(anchor)) in empty for anchor in links.anchors.some(asked)]
    at = np.flatnonzero(gathered(says_nothing[links.anchor], links.at) & (site.link_targets >= 0))
    result: dict[tuple[int, str], list[int]] = defaultdict(list)
    for place in at.tolist():
        result[int(links.page[place]), str(links.anchors[links.anchor[links.at[place]]])].append(
            int(site.link_targets[place])
        )
    for (row, anchor), targets in result.items():
        shown = and_more(site.pages[min(targets)].url, len(set(targets)) - 1)
        yield Check(row, CheckId.LINK_TEXT_EMPTY, anchor, shown, pattern=anchor.casefold())


def _may_begin(texts: Texts, folded_ones: Iterable[str]) -> NDArray[np.bool_]:
    """Whether texts may begin with what some folded texts begin with: a look that spares most of them to be folded."""
    first, second, third = (texts.bytes_at(place) for place in range(3))
    # Two letters or figures in ASCII, and what comes next changes none of them.
    begins = _SMALL[first].astype(np.int32) << 8 | _SMALL[second]
    is_plain = (_SMALL[first] > 0) & (_SMALL[second] > 0) & (third < BEYOND_ASCII)
    sought = [int.from_bytes(text[:2].encode(), "big") for text in folded_ones if text[:2].isascii()]
    return ~is_plain | np.isin(begins, sought)


def check_pointers(
    site: Site,
    rows: Sequence[int],
    noindex_reasons: Sequence[NotIndexable | None],
    variants: Collection[int],
    broken_parts: Mapping[str, int],
) -> Iterator[Check]:
    """Troubles of canonicals, alternates and insecure parts.

    Parameters
    ----------
    rows : sequence of int
        Pages with HTML that answered and do not redirect.
    noindex_reasons : sequence of NotIndexable or None
        Why each page is not indexable.
    variants : collection of int
        Pages that are variants of others; their alternates are those of the others.
    broken_parts : mapping of str to int
        HTTP status of scripts and style sheets that answered with an error.
    """
    for row in rows:
        page = site.pages[row]
        if page.signs.canonicals:
            yield Check(
                row, CheckId.CANONICAL_SEVERAL, str(len(page.signs.canonicals)), ", ".join(page.signs.canonicals[:3])
            )
        if page.canonical_url and page.canonical_url != page.url:
            yield from _canonical_troubles(site, row, noindex_reasons)
        if row not in variants:
            yield from _hreflang_troubles(site, row, noindex_reasons)
        broken = [url for url in page.signs.loaded if _status_of(site, url, broken_parts) >= _ERROR]
        if broken:
            status = str(_status_of(site, broken[0], broken_parts))
            yield Check(row, CheckId.PAGE_PART_BROKEN, status, broken[0], pattern=broken[0])
        if page.signs.insecure:
            yield Check(row, CheckId.PAGE_INSECURE_PARTS, str(len(page.signs.insecure)), page.signs.insecure[0])


def _status_of(site: Site, url: str, broken_parts: Mapping[str, int]) -> int:
    """HTTP status of a script or style sheet, where it is known to be an error; else 0."""
    row = site.row_of.get(url, -1)
    return (site.pages[row].status or 0) if row >= 0 else broken_parts.get(url, 0)


def _canonical_troubles(site: Site, row: int, noindex_reasons: Sequence[NotIndexable | None]) -> Iterator[Check]:
    page, reason = site.pages[row], noindex_reasons[row]
    if any(url == page.url for _, url in page.alternates):
        yield Check(row, CheckId.CANONICAL_HREFLANG, page.canonical_url, str(sentence("check-detail.own-alternate")))
    end = site.row_of.get(page.canonical_url)
    if end is None:
        if reason is not None and reason.reason == NoindexReason.CANONICAL_ON_OTHER_HOST:
            yield Check(row, CheckId.CANONICAL_OTHER_HOST, bare_host(page.canonical_url), page.canonical_url)
        return
    there = site.pages[end]
    if (there.status or 200) >= 400:
        yield Check(row, CheckId.CANONICAL_BROKEN, str(there.status), there.url)
    elif there.redirect_url:
        yield Check(
            row, CheckId.CANONICAL_REDIRECTED, str(there.status or "refresh"), f"{there.url}{_LEADS_TO}{there.redirect_url}"
        )
    elif there.canonical_url and there.canonical_url != there.url:
        yield Check(row, CheckId.CANONICAL_CHAIN, there.canonical_url, there.url)
    elif (away := noindex_reasons[end]) is not None and away.reason == NoindexReason.NOINDEX:
        yield Check(row, CheckId.CANONICAL_NOINDEX, str(away.text), there.url)


def _hreflang_troubles(site: Site, row: int, noindex_reasons: Sequence[NotIndexable | None]) -> Iterator[Check]:
    page = site.pages[row]
    for code, url in page.alternates:
        end = site.row_of.get(url)
        if end is None or end == row:
            continue
        reason = noindex_reasons[end]
        if reason is not None:
            yield Check(row, CheckId.HREFLANG_BROKEN, str(reason.text), f"{code}: {url}")
        elif not any(back == page.url for _, back in site.pages[end].alternates):
            yield Check(row, CheckId.HREFLANG_ONE_WAY, code, url)
