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
from mardok.findings.facts import SiteFacts
from mardok.findings.kinds import PageKinds
from mardok.sentences import Text, sentence
from mardok.settings import Settings, Thin
from mardok.text.site import Site
from mardok.urls import matches
from mardok.vocabulary import KindSign, PageKind, ThinRule

_EXEMPT = (PageKind.UTILITY, PageKind.TOOL, PageKind.MEDIA)
_FEW_ITEMS = 2


@dataclass(frozen=True, slots=True)
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


@dataclass(frozen=True)
class Asked:
    """Which pages are asked whether they are thin, and on what it depends; sequences have one entry a page."""

    is_asked: NDArray[np.bool_]
    """Indexable pages that are no variants and do not go into a copy."""
    own_words: NDArray[np.int64]
    relatives: Relatives
    is_in_front: NDArray[np.bool_]
    """Pages that stand high up for a query that is not for the site's name."""
    chapters: Mapping[int, int]
    """For each page that is a chapter of a one-page manual the manual."""


def thin_pages(site: Site, facts: SiteFacts, asked: Asked, shown: Shown | None) -> list[Verdict | None]:
    """A verdict for each page that is asked; None for the others.

    Parameters
    ----------
    shown : Shown, optional
        Figures of each query and page; None without search data.
    """
    kinds, settings, months = facts.kinds, facts.settings, facts.demand.months if facts.demand is not None else 0.0
    limits = _limits(kinds, asked.own_words, asked.is_asked, settings.thin)
    first = np.searchsorted(shown.row, np.arange(len(site.pages) + 1)) if shown is not None else np.zeros(0, np.int64)
    result: list[Verdict | None] = [None] * len(site.pages)
    manuals = set(asked.chapters.values())
    for row in np.flatnonzero(asked.is_asked).tolist():
        kind = kinds.kind[row]
        if kinds.is_further[row] or not kind:
            continue
        if row in asked.chapters:
            result[row] = Verdict(False, sentence("thin.reason.chapter", manual=site.pages[asked.chapters[row]].url))
            continue
        if row in manuals:
            result[row] = Verdict(False, sentence("thin.reason.manual"))
            continue
        part = slice(int(first[row]), int(first[row + 1])) if shown is not None else slice(0)
        candidate = Candidate(
            kind=kind,
            words=int(site.corpus.n_words[row]),
            own_words=int(asked.own_words[row]),
            least=limits.get(kind, 0),
            demand=PageDemand.of(shown, part, settings.thin) if shown is not None else NO_DEMAND,
            has_clicks=bool(facts.strength.clicks[row]),
            is_in_front=bool(asked.is_in_front[row]),
            relative=int(asked.relatives.row[row]),
            resemblance=float(asked.relatives.share[row]),
            n_listed=int(kinds.n_items[row]) if kinds.sign[row] == KindSign.TAG else 0,
            is_protected=bool(facts.is_protected[row]),
            is_exception=matches(site.pages[row].url, settings.plan.leave),
        )
        result[row] = judge(candidate, months, settings)
    return result


@dataclass(frozen=True)
class PageDemand:
    """How searchers are shown a page."""

    queries: tuple[int, ...]
    """Codes of the queries, the most impressions first."""
    position: float
    """Mean position over them."""
    impressions: float
    """Impressions a month."""

    @staticmethod
    def of(shown: Shown, part: slice, settings: Thin) -> PageDemand:
        """Of the rows of one page, down to the last position that counts.

        Parameters
        ----------
        shown : Shown
            What search shows for which query.
        part : slice
            Rows of the page there.
        """
        kept = np.flatnonzero(shown.position[part] <= settings.last_position) + part.start
        impressions = float(shown.impressions[kept].sum())
        if impressions <= 0:
            return NO_DEMAND
        order = kept[np.lexsort((shown.query[kept], -shown.impressions[kept]))]
        position = float(np.average(shown.position[kept], weights=shown.impressions[kept]))
        return PageDemand(tuple(shown.query[order].tolist()), position, impressions)


NO_DEMAND = PageDemand((), float("nan"), 0.0)


@dataclass(frozen=True)
class Candidate:
    """What decides whether one page is thin."""

    kind: PageKind
    words: int
    own_words: int
    least: int
    """Own words below which a page of its kind is thin."""
    demand: PageDemand = NO_DEMAND
    has_clicks: bool = False
    is_in_front: bool = False
    """Whether it stands high up for a query of its own, whatever else it is shown for."""
    relative: int = -1
    """Row of the page it could be merged into; -1 if there is none."""
    resemblance: float = 0.0
    """To that page; its containment in it if that is greater."""
    n_listed: int = 0
    """Pages that it lists, if it is the page of a tag."""
    is_protected: bool = False
    """Whether its text is owed to customers."""
    is_exception: bool = False
    """Whether the settings say that it is left."""


_LONG_ENOUGH = Verdict(is_thin=False, reason="")


def judge(page: Candidate, months: float, settings: Settings) -> Verdict:
    """Whether a page is thin, and what follows; the first rule that holds decides.

    Parameters
    ----------
    months : float
        Months of search data; 0 without.

    Examples
    --------
    >>> short = Candidate(PageKind.ARTICLE, words=40, own_words=30, least=60)
    >>> judge(short, 0, Settings()).rule.value, judge(short, 14, Settings()).rule.value
    ('thin-wait', 'thin-no-clicks')
    """
    rules, demand = settings.thin, page.demand
    if page.kind in _EXEMPT:
        return Verdict(False, sentence(f"thin.reason.{page.kind}"))
    if page.is_protected:
        return Verdict(False, sentence("thin.reason.owed"))
    if page.own_words >= page.least:
        return _LONG_ENOUGH
    if page.is_exception:
        return Verdict(False, sentence("thin.reason.exception"))
    own = {"own": page.own_words, "words": page.words}
    is_all_own = page.own_words == page.words
    kind = sentence(f"kind-with-article.{page.kind}")
    few = sentence("thin.reason.few-all" if is_all_own else "thin.reason.few", least=page.least, kind=kind, **own)
    is_wanted = demand.impressions >= rules.minimum_impressions
    is_listing = page.kind == PageKind.LISTING
    if is_listing and not is_wanted:
        if 0 < page.n_listed <= _FEW_ITEMS and months and not page.has_clicks:
            return Verdict(True, sentence("thin.reason.small-tag", n=page.n_listed), ThinRule.SMALL_TAG)
        return Verdict(False, sentence("thin.reason.listing"))
    if is_listing:
        few = sentence("thin.reason.shown-listing", **own)
    if page.is_in_front:
        in_front = sentence("thin.reason.in-front", few=few, position=rules.good_position)
        return Verdict(True, in_front, ThinRule.WELL_PLACED, demand.queries, demand.position, own_words=page.own_words)
    good = rules.good_position if is_listing else rules.expand_position
    if is_wanted and round(demand.position, 1) < good:
        placed = sentence("thin.reason.well-placed", few=few, position=demand.position)
        return Verdict(True, placed, ThinRule.WELL_PLACED, demand.queries, demand.position, own_words=page.own_words)
    if is_wanted:
        return Verdict(True, few, ThinRule.ASKED_FOR, demand.queries, demand.position, own_words=page.own_words)
    if page.relative >= 0 and page.kind != PageKind.HOME and page.words >= settings.copies.minimum_words:
        return Verdict(
            True,
            few,
            ThinRule.RELATIVE,
            relative=page.relative,
            own_words=page.own_words,
            resemblance=page.resemblance,
        )
    is_offer = page.kind in (PageKind.HOME, PageKind.PRODUCT, PageKind.SERVICE)
    if months >= rules.months and not page.has_clicks and not is_offer:
        return Verdict(True, sentence("thin.reason.no-clicks", few=few, months=months), ThinRule.NO_CLICKS)
    return Verdict(True, few, ThinRule.WAIT)


def _limits(kinds: PageKinds, own_words: NDArray[np.int64], is_asked: NDArray[np.bool_], rules: Thin) -> dict[PageKind, int]:
    """Own words below which a page of each kind is thin."""
    bounds = {
        PageKind.HOME: rules.home, PageKind.ARTICLE: rules.article, PageKind.PRODUCT: rules.product,
        PageKind.SERVICE: rules.service, PageKind.LISTING: rules.listing,
    }  # fmt: skip
    result = {}
    for kind, (least, most) in bounds.items():
        rows = np.array([row for row in np.flatnonzero(is_asked).tolist() if kinds.kind[row] == kind], np.int64)
        usual = float(np.median(own_words[rows])) / 2 if len(rows) >= rules.pages else least
        result[kind] = int(min(max(usual, least), most))
    return result


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
