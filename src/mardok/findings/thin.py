"""Pages that say too little of their own, and those of which only it looks so.

In:  own words, kinds, what search shows of each page, the nearest other pages.
Out: for each page whether it is thin and why, and what follows.

Thin is asked of pages that count and that stay: of variants and copies their keepers. It goes by own words, so a page that
is long through boilerplate only is thin. Utility pages, tools and media do their task in few words. A listing is what it
lists, unless searchers are shown it and it holds nothing else.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.compare.contention import Shown
from mardok.findings.keeper import PageStrength
from mardok.findings.kinds import PageKinds
from mardok.sentences import Text, sentence
from mardok.settings import Settings, Thin
from mardok.text.site import Site
from mardok.urls import matches
from mardok.vocabulary import KindSign, PageKind, ThinRule

_EXEMPT = (PageKind.UTILITY, PageKind.TOOL, PageKind.MEDIA)
_FEW_ITEMS = 2


@dataclass(frozen=True)
class Verdict:
    """What is to be said of one page."""

    is_thin: bool
    reason: Text
    """Why it is thin, or why it is not although its words are few."""
    rule: ThinRule = ThinRule.NONE
    """The rule of the table of actions that holds; none for a page that is not thin."""
    queries: tuple[int, ...] = ()
    """Codes of the queries it is shown for, the most impressions first."""
    position: float = float("nan")
    """Mean position over them."""
    relative: int = -1
    """Row of the page it could be merged into."""
    own_words: int = 0
    resemblance: float = 0.0
    """To that page; its containment in it if that is greater."""


@dataclass(frozen=True)
class Relatives:
    """For each page the other page it stands nearest to; arrays of shape (n_pages,)."""

    row: NDArray[np.int64]
    """-1 where there is none."""
    share: NDArray[np.float64]
    """Resemblance, or the containment in it if that is greater."""


def thin_pages(
    site: Site,
    kinds: PageKinds,
    chapters: Mapping[int, int],
    own_words: NDArray[np.int64],
    is_asked: NDArray[np.bool_],
    relatives: Relatives,
    strength: PageStrength,
    shown: Shown | None,
    months: float,
    settings: Settings,
) -> list[Verdict | None]:
    """A verdict for each page that is asked; None for the others.

    Parameters
    ----------
    chapters : mapping of int to int
        For each page that is a chapter of a one-page manual the manual.
    is_asked : ndarray of bool, shape (n_pages,)
        Indexable pages that are no variants and do not go into a copy.
    months : float
        Months of search data; 0 without.
    """
    limits = _limits(kinds, own_words, is_asked, settings.thin)
    first = np.searchsorted(shown.row, np.arange(len(site.pages) + 1)) if shown is not None else np.zeros(0, np.int64)

    def asked_for(row: int) -> _Asked:
        return _Asked.of(shown, slice(first[row], first[row + 1]), settings.thin) if shown is not None else _NOT_ASKED

    found: list[Verdict | None] = [None] * len(site.pages)
    for row in np.flatnonzero(is_asked).tolist():
        if kinds.is_further[row] or not kinds.kind[row]:
            continue
        if row in chapters:
            found[row] = Verdict(False, sentence("thin.reason.chapter", manual=site.pages[chapters[row]].url))
            continue
        found[row] = _verdict(
            site, row, kinds, limits, int(own_words[row]), asked_for, relatives, strength, months, settings
        )
    return found


@dataclass(frozen=True)
class _Asked:
    """How searchers are shown a page."""

    queries: tuple[int, ...]
    position: float
    impressions: float

    @staticmethod
    def of(shown: Shown, part: slice, settings: Thin) -> _Asked:
        kept = np.flatnonzero(shown.position[part] <= settings.last_position) + part.start
        impressions = float(shown.impressions[kept].sum())
        if impressions <= 0:
            return _NOT_ASKED
        order = kept[np.lexsort((shown.query[kept], -shown.impressions[kept]))]
        position = float(np.average(shown.position[kept], weights=shown.impressions[kept]))
        return _Asked(tuple(shown.query[order].tolist()), position, impressions)


_NOT_ASKED = _Asked((), float("nan"), 0.0)


def _verdict(
    site: Site,
    row: int,
    kinds: PageKinds,
    limits: Mapping[PageKind, int],
    own: int,
    asked_for: Callable[[int], _Asked],
    relatives: Relatives,
    strength: PageStrength,
    months: float,
    settings: Settings,
) -> Verdict:
    rules, kind, page = settings.thin, kinds.kind[row], site.pages[row]
    n_words = int(site.corpus.n_words[row])
    if kind in _EXEMPT:
        return Verdict(False, sentence(f"thin.reason.{kind}"))
    least = limits[kind]
    if own >= least:
        return Verdict(False, "")
    if matches(page.url, settings.plan.leave):
        return Verdict(False, sentence("thin.reason.exception"))
    asked = asked_for(row)
    few = sentence("thin.reason.few", own=own, words=n_words, least=least, kind=sentence(f"kind-with-article.{kind}"))
    is_wanted = asked.impressions >= rules.minimum_impressions
    is_listing = kind == PageKind.LISTING
    if is_listing:
        if not is_wanted:
            if _is_small_tag(row, kinds) and months and not strength.clicks[row]:
                return Verdict(True, sentence("thin.reason.small-tag", n=int(kinds.n_items[row])), ThinRule.SMALL_TAG)
            return Verdict(False, sentence("thin.reason.listing"))
        few = sentence("thin.reason.shown-listing", own=own, words=n_words)
    position = round(asked.position, 1) if is_wanted else np.nan
    if position < (rules.good_position if is_listing else rules.expand_position):
        placed = sentence("thin.reason.well-placed", few=few, position=asked.position)
        return Verdict(True, placed, ThinRule.WELL_PLACED, asked.queries, asked.position)
    if is_wanted:
        return Verdict(True, few, ThinRule.ASKED_FOR, asked.queries, asked.position)
    relative = int(relatives.row[row])
    if relative >= 0 and kind != PageKind.HOME and n_words >= settings.copies.minimum_words:
        share = float(relatives.share[row])
        return Verdict(True, few, ThinRule.RELATIVE, relative=relative, own_words=own, resemblance=share)
    is_offer = kind in (PageKind.HOME, PageKind.PRODUCT, PageKind.SERVICE)
    if months >= rules.months and not strength.clicks[row] and not is_offer:
        return Verdict(True, sentence("thin.reason.no-clicks", few=few, months=months), ThinRule.NO_CLICKS)
    return Verdict(True, few, ThinRule.WAIT)


def _limits(kinds: PageKinds, own_words: NDArray[np.int64], is_asked: NDArray[np.bool_], rules: Thin) -> dict[PageKind, int]:
    """Own words below which a page of each kind is thin."""
    bounds = {
        PageKind.HOME: rules.home, PageKind.ARTICLE: rules.article, PageKind.PRODUCT: rules.product,
        PageKind.SERVICE: rules.service, PageKind.LISTING: rules.listing,
    }  # fmt: skip
    found = {}
    for kind, (least, most) in bounds.items():
        rows = np.array([row for row in np.flatnonzero(is_asked).tolist() if kinds.kind[row] == kind], np.int64)
        usual = float(np.median(own_words[rows])) / 2 if len(rows) >= rules.pages else least
        found[kind] = int(min(max(usual, least), most))
    return found


def _is_small_tag(row: int, kinds: PageKinds) -> bool:
    return kinds.sign[row] == KindSign.TAG and 0 < kinds.n_items[row] <= _FEW_ITEMS


def nearest_relatives(
    pairs: Sequence[tuple[int, int, float, float, float]],
    stays: NDArray[np.bool_],
    takes_over: Callable[[int, int], bool],
) -> Relatives:
    """For each page the page that stays, can take it over, and that it resembles or is contained in most.

    Parameters
    ----------
    pairs : sequence of (a, b, resemblance, a_in_b, b_in_a)
        Kept pairs of rows.
    stays : ndarray of bool, shape (n_pages,)
        Pages that others may be merged into.
    takes_over : callable
        Whether all that the first page promises is promised by the second: pasted text makes pages alike that are about
        different things.
    """
    row = np.full(len(stays), -1, np.int64)
    share = np.zeros(len(stays))
    for a, b, resemblance, a_in_b, b_in_a in pairs:
        for one, other, contained in ((a, b, a_in_b), (b, a, b_in_a)):
            value = max(resemblance, contained)
            if (
                stays[other]
                and takes_over(one, other)
                and (value > share[one] or (value == share[one] and 0 <= other < row[one]))
            ):
                row[one], share[one] = other, value
    return Relatives(row, share)
