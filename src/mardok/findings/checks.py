"""Troubles of single pages.

In:  the pages with their destinations and groups, and what was met while reading the sources.
Out: one row for each trouble, with a fixed id.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import chain, groupby
from operator import attrgetter

import numpy as np
import pandas as pd

from mardok.compare.topics import PagePromises
from mardok.extract.indexable import NotIndexable
from mardok.findings.body_checks import check_bodies
from mardok.findings.copy_analysis import CopyAnalysis
from mardok.findings.coverage import Coverage
from mardok.findings.facts import SiteFacts
from mardok.findings.groups import Grouping, untranslated_guests
from mardok.findings.head_checks import check_heads
from mardok.findings.kinds import is_utility_address
from mardok.findings.link_checks import check_links, check_pointers
from mardok.findings.page_check import PageCheck, and_more, with_templates
from mardok.findings.right_target import right_targets
from mardok.kept import KeptParts, digest_of
from mardok.kept_rows import columns_of_rows, held, held_columns
from mardok.sentences import counted, sentence
from mardok.settings import Kinds
from mardok.sources.raw import Intake
from mardok.tables import CHECK_ROWS
from mardok.text.site import Site
from mardok.urls import AddressMark, VariantForm
from mardok.vocabulary import CheckId, Failure, NoindexReason


def checks_frames(troubles: Iterable[PageCheck]) -> Iterator[pd.DataFrame]:
    """The table of checks, those of some pages at a time; the troubles in the order of their addresses."""
    waiting: list[PageCheck] = []
    for _, its in groupby(troubles, _URL):
        waiting += its
        if len(waiting) >= _ROWS_AT_ONCE:
            yield checks_table(waiting)
            waiting = []
    yield checks_table(waiting)


def checks_table(troubles: Iterable[PageCheck]) -> pd.DataFrame:
    """The table of checks."""
    mend = {check: str(sentence(f"check.{check}.mend")) for check in CheckId}
    return CHECK_ROWS.frame(
        (
            page_check.url,
            page_check.check,
            bool(page_check.template),
            page_check.value,
            page_check.detail,
            page_check.n_pages,
            mend[page_check.check],
        )
        for page_check in troubles
    )


_URL = attrgetter("url")
_ROWS_AT_ONCE = 1 << 14
_ASIDE = (
    "sources", "work", "crawl", "copies", "pairs", "boilerplate", "phrases", "links", "thin", "proof", "plan", "recheck",
)  # fmt: skip
"""Settings that no trouble of a page depends on, but for which pages are compared and what they are variants of."""


def checks_or_kept(
    site: Site, facts: SiteFacts, promises: PagePromises, copies: CopyAnalysis, intake: Intake, kept: KeptParts
) -> Sequence[PageCheck]:
    """What :func:`run_checks` gives, as an earlier audit kept it or found anew."""
    depends = {
        "words": kept.key_of("words"),
        "settings": facts.settings.model_dump(mode="json", exclude=set(_ASIDE)),
        "pages": digest_of(copies.is_compared, facts.strength.is_indexable),
        "keepers": sorted(copies.grouping.keeper_of.items()),
        "untranslated": copies.grouping.untranslated,
    }
    return kept.part(
        "checks",
        depends,
        lambda: held(run_checks(site, facts, promises, copies, intake), PageCheck),
        lambda checks: {"checks": columns_of_rows(checks, PageCheck)},
        lambda tables: held_columns(tables["checks"], PageCheck),
    )


def run_checks(
    site: Site, facts: SiteFacts, promises: PagePromises, copies: CopyAnalysis, intake: Intake
) -> Iterator[PageCheck]:
    """Everything that is wrong with pages and addresses, each page with what sits in its template, too.

    Parameters
    ----------
    promises : PagePromises
        What each page promises to be about.
    copies : CopyAnalysis
        Which pages are compared, and their groups.
    intake : Intake
        What was met in the sources beside the pages.
    """
    settings, grouping, reasons = facts.settings, copies.grouping, facts.noindex_reasons
    compared = np.flatnonzero(copies.is_compared & facts.strength.is_indexable).tolist()
    rows = [row for row in compared if site.pages[row].is_html and not facts.kinds.is_further[row]]
    answered = [
        row for row, page in enumerate(site.pages) if page.is_html and page.status in (None, 200) and not page.redirect_url
    ]
    of_pages = [
        *check_heads(site, rows, facts, promises.stemmer, facts.meant_for),
        *check_bodies(site, rows, facts.meant_for, settings.checks),
        *check_links(site, facts.destinations, intake.failed, facts.strength.is_indexable, settings.checks),
        *check_pointers(site, answered, reasons, grouping.keeper_of, intake.broken_parts),
    ]
    return chain(
        (
            PageCheck(
                site.pages[one.row].url, one.check, one.value, one.detail, one.target, one.n_pages, one.template, one.link
            )
            for one in with_templates(of_pages, facts.kinds.kind, rows, settings.checks)
        ),
        _redirect_checks(site, facts),
        _untranslated(site, grouping.untranslated, facts.meant_for),
        _answering_variants(site, grouping, facts.strength.forms),
        _crawl_checks(site, intake, facts.coverage, reasons),
        _failing_pages(site, reasons, facts.failures),
        _closed_site(site, facts),
        _blocked_links(site, facts.is_blocked, settings.kinds),
        _broken_images(site, intake),
    )


_MOST_CLOSED = 0.5
"""Share of a site's pages that noindex or robots.txt keep from the index, from which that is a fault of the site."""


def _closed_site(site: Site, facts: SiteFacts) -> Iterable[PageCheck]:
    """A site whose home page, or most of whose pages, search engines are told not to list."""
    closing = (NoindexReason.NOINDEX, NoindexReason.ROBOTS)
    answered = [row for row, page in enumerate(site.pages) if page.is_html and page.status in (None, 200)]
    closed = [row for row in answered if (reason := facts.noindex_reasons[row]) is not None and reason.reason in closing]
    if closed and (facts.home in closed or len(closed) > _MOST_CLOSED * len(answered)):
        row = facts.home if facts.home in closed else closed[0]
        reason = facts.noindex_reasons[row]
        detail = sentence("check-detail.site-closed", closed=len(closed), pages=counted("page", len(answered)))
        yield PageCheck(
            site.pages[row].url, CheckId.SITE_CLOSED, str(reason.text) if reason is not None else "", str(detail)
        )


def _answering_variants(site: Site, grouping: Grouping, forms: Sequence[VariantForm]) -> Iterable[PageCheck]:
    """Addresses that differ from a page's own in scheme, host, slash, case or index file only, one row for each of these."""
    by_mark: dict[AddressMark, list[tuple[str, str]]] = defaultdict(list)
    for row, keeper in sorted(grouping.keeper_of.items()):
        url, kept = site.pages[row].url, site.pages[keeper].url
        form, other = forms[row], forms[keeper]
        if form.reachable == other.reachable and form.parameters == other.parameters:
            for mark in sorted(set(form.marks) ^ set(other.marks))[:1]:
                by_mark[mark].append((url, kept))
    for mark, pairs in by_mark.items():
        detail = sentence("check-detail.variant", mark=sentence(f"address-mark.{mark.name.lower()}"), page=pairs[0][1])
        yield PageCheck(pairs[0][0], CheckId.VARIANT_ANSWERS, str(len(pairs)), str(detail))


def _crawl_checks(
    site: Site, intake: Intake, coverage: Coverage, noindex_reasons: Sequence[NotIndexable | None]
) -> Iterable[PageCheck]:
    """What robots.txt and sitemaps say that does not fit the pages."""
    for url, what in intake.html_instead.items():
        yield PageCheck(url, what, "", str(sentence("check-detail.html-instead")))
    sitemap_of = {url: sitemap for sitemap, urls in sorted(intake.sitemaps.items(), reverse=True) for url in urls}
    for row in np.flatnonzero(coverage.is_listed).tolist():
        url = site.pages[row].url
        reason = noindex_reasons[row]
        if reason is not None:
            yield PageCheck(url, CheckId.SITEMAP_NOT_INDEXABLE, str(reason.text), sitemap_of[url])
    for row in (row for row in coverage.orphans if not noindex_reasons[row]):
        yield PageCheck(site.pages[row].url, CheckId.PAGE_ORPHAN, "", sitemap_of[site.pages[row].url])


def _failing_pages(
    site: Site, noindex_reasons: Sequence[NotIndexable | None], failing: Sequence[Failure]
) -> Iterable[PageCheck]:
    for row, why in enumerate(failing):
        if why and not noindex_reasons[row]:
            check = CheckId.PAGE_SOFT_404 if why == Failure.ERROR_TEXT else CheckId.PAGE_EMPTY
            yield PageCheck(site.pages[row].url, check, why, str(sentence(f"failure.{why}")))


def _blocked_links(site: Site, is_blocked: Callable[[str], bool], kinds: Kinds) -> Iterable[PageCheck]:
    """Closed addresses that the texts of pages link to, one row each."""
    placed_url = site.links.placed_url
    for number in site.links.met_urls.tolist():
        url = site.links.urls[number]
        if is_blocked(url):
            # A basket or a log-in that the menu leads to is closed on purpose.
            pages = np.unique(site.links.page[(placed_url == number) & ~site.chrome_links])
            if not len(pages) or is_utility_address(url, kinds):
                continue
            yield PageCheck(
                url,
                CheckId.LINK_BLOCKED,
                str(len(pages)),
                str(sentence("check-detail.linked-from", page=site.pages[pages[0]].url)),
            )


def _broken_images(site: Site, intake: Intake) -> Iterable[PageCheck]:
    broken = {url: str(status) for url, status in intake.images.items() if status >= 400}
    broken |= intake.failed
    is_broken = np.array([url in broken for url in site.images.urls], bool)[site.images.url]
    places = zip(site.images.page[is_broken].tolist(), site.images.url[is_broken].tolist(), strict=True)
    for row, url in sorted({(row, site.images.urls[number]) for row, number in places}):
        yield PageCheck(site.pages[row].url, CheckId.IMAGE_BROKEN, broken[url], url)


def _untranslated(site: Site, pairs: Iterable[tuple[int, int]], meant_for: Sequence[str]) -> Iterable[PageCheck]:
    """Pages with the text of others that are not in the language they are meant for, one row each."""
    for guest, hosts in untranslated_guests(site, pairs, meant_for).items():
        urls = [site.pages[host].url for host in hosts]
        detail = str(
            sentence("check-detail.untranslated", language=meant_for[guest], pages=and_more(min(urls), len(urls) - 1))
        )
        yield PageCheck(site.pages[guest].url, CheckId.TEXT_UNTRANSLATED, site.pages[guest].language, detail)


def _redirect_checks(site: Site, facts: SiteFacts) -> Iterable[PageCheck]:
    inlinks, destinations = facts.strength.inlinks, facts.destinations
    broken = {}
    for page, destination in zip(site.pages, destinations, strict=True):
        route = " > ".join((page.url, *destination.redirects))
        if destination.is_loop:
            # Of the addresses of a loop the one that most pages link to should answer.
            known = sorted({site.row_of[url] for url in (page.url, *destination.redirects) if url in site.row_of})
            answers = site.pages[max(known, key=lambda row: (int(inlinks[row]), -row))].url
            target = "" if answers == page.url else answers
            yield PageCheck(page.url, CheckId.REDIRECT_LOOP, str(len(destination.redirects)), route, target)
        elif len(destination.redirects) > 1:
            yield PageCheck(
                page.url, CheckId.REDIRECT_CHAIN, str(len(destination.redirects)), route, destination.redirects[-1]
            )
        end = site.row_of.get(destination.redirects[-1]) if destination.redirects and not destination.is_loop else None
        if end is not None and (site.pages[end].status or 200) >= 400:
            broken[page.url] = (str(site.pages[end].status), destination.redirects[-1])
    generic = facts.settings.checks.empty_link_texts
    suggested = right_targets(site, facts.strength.is_indexable, generic, dict.fromkeys(broken, ()))
    for url, (status, end_url) in broken.items():
        yield PageCheck(url, CheckId.REDIRECT_BROKEN, status, end_url, suggested.get(url, ""), link=end_url)
