"""Pages that compete for one phrase or query.

In:  what pages promise, how much text they have in common, what search shows.
Out: groups of rivals, each with a keeper and with the figures for every other page.

Wording shows who might compete: titles or target phrases that are the same after stemming and reordering. Search data
shows who does: pages with a real part in the same queries. It has the last word: where it shows both pages and never for
one query, they are no rivals. Quiet are pages that are told apart otherwise: a listing and what it lists, members of one
series, hreflang alternates, the pages of a listing, and a trivial second page beside a leader in the first two places.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from mardok.compare.contention import Shown, Turns, contending_pairs, turns
from mardok.compare.demand import Demand
from mardok.compare.movement import Movement, movement
from mardok.compare.series import Series
from mardok.compare.topics import Topic
from mardok.compare.variants import components
from mardok.findings.groups import GroupRow
from mardok.findings.keeper import PageStrength, Shares, choose_keeper, share_of_rows
from mardok.findings.kinds import PageKinds
from mardok.sentences import Sentence, Text, sentence
from mardok.settings import Settings
from mardok.text.site import Site
from mardok.vocabulary import Confidence, Evidence, GroupKind, PageKind, PromiseField, ShareOf

_LEAST_STEMS = 2
"""Stems of a promise that two pages share: one word, such as the firm's trade, stands in many."""
_TOP_PLACES = 2
"""Mean position down to which a leader has no rival in a page that is hardly shown."""
_MOST_ALIKE = 20
"""Pages with one wording beyond which it is a pattern of the site, and no rivalry."""


@dataclass(frozen=True)
class QueryOverlap:
    """What search data shows of two pages; figures are of the queries that show both, those for the site's name apart."""

    queries: tuple[str, ...]
    """The queries, those with the most impressions first."""
    impressions: float
    """Impressions a month of both pages."""
    share: float
    """Share of the other page's clicks, else impressions, that it gets on them, 0 to 1."""
    share_of: ShareOf
    turns: Turns
    movement: Movement
    """Clicks of both pages, now and before."""
    kept: Shares
    """What the keeper has of the queries of late."""
    other: Shares
    """The same of the other page."""
    is_dated: bool
    unread_leader: str = ""
    """An address that was not read and stands before both of them; ``""`` if none does."""


@dataclass(frozen=True)
class Rival:
    """A page that competes with the keeper of its group."""

    row: int
    reason: Text
    """Why the keeper stays and not this page, in words that follow "because"."""
    resemblance: float
    """To the keeper; 0 below the least kept one."""
    wording: tuple[PromiseField, ...]
    """What the two say alike; empty where only search shows it."""
    overlap: QueryOverlap | None

    @property
    def evidence(self) -> Evidence:
        """Strongest kind of evidence."""
        if self.overlap:
            return Evidence.SEARCH
        return Evidence.TEXT if self.resemblance else Evidence.WORDING


@dataclass(frozen=True)
class Rivalry:
    """A group of rivals."""

    keeper: int
    phrase: str
    """What they compete for."""
    rivals: tuple[Rival, ...]
    is_beside: bool = False
    """Whether one of its pages stands in another group, too, which comes first."""

    @property
    def rows(self) -> tuple[int, ...]:
        """Rows of all pages, in URL order."""
        return tuple(sorted((self.keeper, *(rival.row for rival in self.rivals))))

    @property
    def evidence(self) -> Evidence:
        """Strongest kind of evidence."""
        return max((rival.evidence for rival in self.rivals), key=lambda evidence: evidence.rank)

    @property
    def impressions(self) -> float:
        """Impressions a month of its common queries; 0 without search data."""
        return sum(rival.overlap.impressions for rival in self.rivals if rival.overlap)

    @property
    def table_row(self) -> GroupRow:
        """The group as the table tells it."""
        resemblance = {rival.row: rival.resemblance for rival in self.rivals if rival.resemblance}
        return GroupRow(GroupKind.RIVALS, self.rows, self.keeper, self.phrase, self.evidence, self.confidence, resemblance)

    @property
    def confidence(self) -> Confidence:
        """How sure it is that they compete: by wording only low, with common text medium, by search data high."""
        return list(Confidence)[self.evidence.rank]


@dataclass(frozen=True)
class RivalInputs:
    """What rivals are found on; sequences have one entry a page."""

    site: Site
    topics: Sequence[Topic]
    kinds: PageKinds
    locales: Sequence[str]
    """Language and region that the folder of each page is for; ``""`` where none tells."""
    series: Sequence[Series]
    resemblance: Mapping[tuple[int, int], float]
    """Of kept pairs of rows (a < b)."""
    links: Collection[int]
    """Links from main text, as source * n_pages + target."""
    settled: Mapping[int, int]
    """For pages in a group of copies, a number of the group."""
    is_compared: NDArray[np.bool_]
    """Pages that can be rivals: indexable, no variants, no copies that go, no utility pages, no pages of a listing."""
    chapters: Collection[tuple[int, int]]
    """Pairs of rows (a < b) of a page and another that holds it whole, beside others: they are no rivals."""
    target_of: Mapping[frozenset[str], int]
    """Page that a person named for a phrase, by its stems."""


def may_compete(kinds: PageKinds, stays: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Pages that can be rivals: that stay, are no utility pages, and no further pages of a listing."""
    return stays & ~kinds.is_further & ~np.isin(np.array(kinds.kind, object), [PageKind.NONE, PageKind.UTILITY])


def series_rows(series: Iterable[Series], in_copies: Collection[int]) -> list[GroupRow]:
    """Series as the table of groups tells them; a page that is a copy of another stands in that group."""
    result = []
    for one in series:
        rows = tuple(sorted(set(one.slots) - set(in_copies)))
        if len(rows) > 1:
            result.append(GroupRow(GroupKind.SERIES, rows, -1, one.pattern, Evidence.WORDING, Confidence.HIGH, {}))
    return result


def find_rivals(
    inputs: RivalInputs, strength: PageStrength, shown: Shown | None, is_brand: NDArray[np.bool_], settings: Settings
) -> list[Rivalry]:
    """Groups of rivals, in the order of their first pages.

    Parameters
    ----------
    shown : Shown, optional
        Figures of each query and page; None without search data.
    is_brand : ndarray of bool
        For each query whether it asks for the site by its name.
    """
    finder = _Finder(inputs, strength, shown, is_brand, settings)
    alike = finder.alike_in_wording()
    near: dict[int, set[int]] = defaultdict(set)
    for a, b in [*alike, *finder.alike_in_search()]:
        if finder.may_compete(a, b):
            near[a].add(b)
            near[b].add(a)
    edges = sorted((a, b) for a in near for b in near[a] if a < b)
    result = []
    for component in components(len(inputs.site.pages), edges):
        result += finder.stars(component, near, alike)
    return sorted(result, key=lambda rivalry: (rivalry.is_beside, rivalry.rows))


class _Finder:
    def __init__(
        self,
        inputs: RivalInputs,
        strength: PageStrength,
        shown: Shown | None,
        is_brand: NDArray[np.bool_],
        settings: Settings,
    ) -> None:
        self.inputs, self.strength, self.shown, self.is_brand, self.settings = inputs, strength, shown, is_brand, settings
        self.series_of = {row: number for number, series in enumerate(inputs.series) for row in series.slots}
        self.first = (
            np.searchsorted(shown.row, np.arange(len(inputs.site.pages) + 1)) if shown is not None else np.zeros(0, np.int64)
        )

    def alike_in_wording(self) -> dict[tuple[int, int], tuple[PromiseField, ...]]:
        """Pairs of pages with one title or target phrase, and which of the two it is."""
        result: dict[tuple[int, int], list[PromiseField]] = defaultdict(list)
        of_title: Callable[[Topic], frozenset[str]] = lambda topic: topic.title_stems  # noqa: E731
        of_phrase: Callable[[Topic], frozenset[str]] = lambda topic: topic.stems  # noqa: E731
        for name, stems_of in ((PromiseField.TITLE, of_title), (PromiseField.TARGET_PHRASE, of_phrase)):
            by_stems: dict[tuple[str, frozenset[str]], list[int]] = defaultdict(list)
            for row in np.flatnonzero(self.inputs.is_compared).tolist():
                text_words = stems_of(self.inputs.topics[row])
                if len(text_words) >= _LEAST_STEMS:
                    by_stems[self.inputs.site.pages[row].language, text_words].append(row)
            for rows in by_stems.values():
                if 1 < len(rows) <= _MOST_ALIKE:
                    for pair in combinations(rows, 2):
                        result[pair].append(name)
        return {pair: tuple(names) for pair, names in result.items()}

    def alike_in_search(self) -> Iterable[tuple[int, int]]:
        """Pairs of pages that search shows for one query."""
        if self.shown is None:
            return []
        pairs = contending_pairs(self.shown, self.is_brand)
        counts = self.inputs.is_compared
        kept = pairs[
            (pairs["impressions"] >= self.settings.rivals.minimum_impressions)
            & counts[pairs["a"].to_numpy(np.int64)]
            & counts[pairs["b"].to_numpy(np.int64)]
        ]
        return zip(kept["a"].tolist(), kept["b"].tolist(), strict=True)

    def may_compete(self, a: int, b: int) -> bool:
        """Whether nothing else tells two pages apart."""
        inputs = self.inputs
        one, other = inputs.site.pages[a], inputs.site.pages[b]
        if (
            one.language != other.language
            or inputs.locales[a] != inputs.locales[b]
            or (a in self.series_of and self.series_of[a] == self.series_of.get(b))
        ):
            return False
        if a in inputs.settled and inputs.settled[a] == inputs.settled.get(b):
            return False
        if (min(a, b), max(a, b)) in inputs.chapters:
            return False
        if other.url in {url for _, url in one.alternates} or one.url in {url for _, url in other.alternates}:
            return False
        return not any(self._lists(parent, item) for parent, item in ((a, b), (b, a)))

    def _lists(self, parent: int, item: int) -> bool:
        """Whether a page is the listing that another page stands on."""
        inputs = self.inputs
        if inputs.kinds.kind[parent] not in (PageKind.LISTING, PageKind.HOME):
            return False
        key = parent * len(inputs.site.pages) + item
        folder = inputs.site.pages[parent].url.partition("?")[0]
        is_below = folder.endswith("/") and inputs.site.pages[item].url.startswith(folder)
        return key in inputs.links and (is_below or inputs.kinds.kind[parent] == PageKind.LISTING)

    def stars(
        self,
        component: Sequence[int],
        near: Mapping[int, set[int]],
        alike: Mapping[tuple[int, int], tuple[PromiseField, ...]],
    ) -> list[Rivalry]:
        """Groups around keepers: no page is put with one that it does not compete with."""
        result = []
        rest = set(component)
        while len(rest) > 1:
            keeper = self._keeper(sorted(rest))[0]
            members = sorted(near[keeper] & rest)
            rest -= {keeper, *members}
            rivals = []
            for row in members:
                # The page that leads for most of the group's queries may be behind on those that it shares with one page.
                stays, reason = self._keeper([keeper, row])
                goes = row if stays == keeper else keeper
                rival = self._rival(stays, goes, reason, alike)
                if rival is None:
                    continue
                if stays == keeper:
                    rivals.append(rival)
                else:
                    result.append(Rivalry(stays, self._phrase(stays, [rival]), (rival,)))
            if rivals:
                result.append(Rivalry(keeper, self._phrase(keeper, rivals), tuple(rivals)))
        return [*result, *self._left_alone(component, near, alike, result)]

    def _left_alone(
        self,
        component: Sequence[int],
        near: Mapping[int, set[int]],
        alike: Mapping[tuple[int, int], tuple[PromiseField, ...]],
        groups: Sequence[Rivalry],
    ) -> list[Rivalry]:
        """For each page that no group took, since it competes with none of their keepers, a group with one of the others."""
        grouped = {row for group in groups for row in group.rows}
        result = []
        for row in component:
            others = near[row] & grouped if row not in grouped else ()
            pairs = []
            for other in sorted(others):
                stays, reason = self._keeper([other, row])
                rival = self._rival(stays, row if stays == other else other, reason, alike)
                if rival is not None:
                    pairs.append(Rivalry(stays, self._phrase(stays, [rival]), (rival,), is_beside=True))
            if pairs:
                result.append(max(pairs, key=lambda pair: pair.impressions))
        return result

    def _keeper(self, rows: Sequence[int]) -> tuple[int, Sentence]:
        named = [row for phrase, row in self.inputs.target_of.items() if row in rows]
        if named:
            return min(named), sentence("keeper-because.meant")
        return choose_keeper(self.inputs.site, rows, self.strength, are_variants=False)

    def _rival(
        self, keeper: int, row: int, reason: Text, alike: Mapping[tuple[int, int], tuple[PromiseField, ...]]
    ) -> Rival | None:
        pair = (min(keeper, row), max(keeper, row))
        overlap = self.overlap(keeper, row)
        wording = alike.get(pair, ())
        if overlap is None and (not wording or (self._is_shown(keeper) and self._is_shown(row))):
            return None
        return Rival(row, reason, self.inputs.resemblance.get(pair, 0.0), wording, overlap)

    def _is_shown(self, row: int) -> bool:
        return bool(self.strength.impressions[row] >= self.settings.rivals.minimum_impressions)

    def overlap(self, keeper: int, row: int) -> QueryOverlap | None:
        """What search shows of two pages; None if it does not show them for one query, or one of them only in passing."""
        shown, demand = self.shown, self.strength.demand
        if shown is None or demand is None:
            return None
        here, there = (slice(self.first[page], self.first[page + 1]) for page in (keeper, row))
        a = np.flatnonzero(shown.is_real[here] & ~self.is_brand[shown.query[here]]) + here.start
        b = np.flatnonzero(shown.is_real[there] & ~self.is_brand[shown.query[there]]) + there.start
        common, in_a, in_b = np.intersect1d(shown.query[a], shown.query[b], assume_unique=True, return_indices=True)
        a, b = a[in_a], b[in_b]
        by_query = shown.impressions[a] + shown.impressions[b]  # both in order of the query
        impressions = float(by_query.sum())
        if impressions < self.settings.rivals.minimum_impressions:
            return None
        position, other = (float(np.average(shown.position[at], weights=shown.impressions[at])) for at in (a, b))
        shares = [float(shown.impressions[at].sum()) / impressions for at in (a, b)]
        leader_position = position if shares[0] >= shares[1] else other
        rules = self.settings.rivals
        if min(shares) < rules.trivial_share and leader_position <= _TOP_PLACES:
            return None
        if any(place > rules.last_position and not shown.clicks[at].any() for place, at in ((position, a), (other, b))):
            return None
        share, unit = self._shared_part(shown, there, b)
        at = demand.places([keeper, row])
        at = at[np.isin(demand.rows.query[at], common)]
        rows = demand.rows.select(at)
        recent = rows.select(demand.is_recent[at])
        kept, beside = (share_of_rows(recent, page, demand.recent_months) for page in (keeper, row))
        return QueryOverlap(
            queries=tuple(demand.queries[code] for code in common[np.lexsort((common, -by_query))].tolist()),
            impressions=impressions,
            share=share,
            share_of=unit,
            turns=turns(rows, common.tolist(), rules, self.settings.search.minimum_share),
            movement=movement(demand, at),
            kept=kept,
            other=beside,
            is_dated=demand.is_dated,
            unread_leader=self._unread_leader(demand, common, (kept, beside)),
        )

    def _unread_leader(self, demand: Demand, queries: NDArray[np.int64], pages: tuple[Shares, Shares]) -> str:
        """An address that was not read and is ahead of two pages for some queries; ``""`` if there is none."""
        rows = demand.rows
        at = np.arange(int(demand.first[-1]), len(rows))
        at = at[np.isin(rows.query[at], queries) & demand.is_recent[at]]
        unread = rows.select(at)
        most = sum(page.impressions for page in pages)
        ahead = []
        for number in np.unique(unread.row).tolist():
            one = share_of_rows(unread, number, demand.recent_months)
            is_real = one.impressions >= self.settings.search.minimum_share * (most + one.impressions)
            is_first = one.position + self.settings.rivals.clear_places <= min(page.position for page in pages)
            if is_real and (is_first or one.clicks > sum(page.clicks for page in pages)):
                ahead.append((-one.clicks, one.position, demand.unread[number - demand.n_pages]))
        return min(ahead)[2] if ahead else ""

    def _shared_part(self, shown: Shown, page: slice, at: NDArray[np.int64]) -> tuple[float, ShareOf]:
        own = ~self.is_brand[shown.query[page]]
        clicks = float(shown.clicks[page][own].sum())
        if clicks > 0:
            return float(shown.clicks[at].sum()) / clicks, ShareOf.CLICKS
        impressions = float(shown.impressions[page][own].sum())
        return (float(shown.impressions[at].sum()) / impressions if impressions else 0.0), ShareOf.IMPRESSIONS

    def _phrase(self, keeper: int, rivals: Sequence[Rival]) -> str:
        asked = [rival.overlap for rival in rivals if rival.overlap]
        if asked:
            return max(asked, key=lambda overlap: overlap.impressions).queries[0]
        return self.inputs.topics[keeper].phrase
