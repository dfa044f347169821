"""Which pages belong together, and which of them should stay.

In:  the pages that count, how they are related, what stands for each page.
Out: groups of variants and of copies, each with its keeper.

Variants come first; of a set of variants only its keeper takes part in what follows. Copies are grouped by keeper: in each
connected component the best page is the keeper and takes the pages that resemble it enough, then the rest is looked at
again. So no page is put with a keeper that it resembles only through a third. Copies that promise the same are grouped
first; among what stays, copies that promise different things are.
"""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.relations import PageSets, Relations, Traits
from mardok.compare.variants import components, variant_sets
from mardok.extract.page import Page
from mardok.findings.facts import SiteFacts
from mardok.findings.keeper import PageStrength, choose_keeper, shares_now
from mardok.findings.promise import (
    Promise,
    Promises,
    asked_for_each,
    is_common_title,
    promise_different_things,
    series_patterns,
    shown_slot,
)
from mardok.large import offsets_of
from mardok.sentences import Text
from mardok.settings import Settings
from mardok.tables import GROUPS
from mardok.text.site import Site
from mardok.vocabulary import Confidence, Evidence, GroupKind, GroupRole, PageKind

_HALF = 0.5
"""Resemblance from which a text stands on a page by half."""


@dataclass(frozen=True)
class Group:
    """Pages that belong together."""

    kind: GroupKind
    """Variants or copies."""
    keeper: int
    """Row of the page that should stay."""
    members: tuple[int, ...]
    """Rows of the others, in URL order."""
    reason: Text
    """Why the keeper stays, in words that follow "because"."""
    identical: frozenset[int]
    """Members whose text is identical to the keeper's."""
    resemblance: Mapping[int, float]
    """Resemblance of each member to the keeper; members without any text are not in it."""
    promises_differ: bool = False
    """Whether the titles promise different things."""
    pattern: str = ""
    """Pattern of the titles, where they promise different things."""
    slots: Mapping[int, str] | None = None
    """What each page, the keeper too, fills the slot of the pattern with."""
    are_alternates: bool = False
    """Whether the pages name each other as hreflang alternates of one language."""
    share_queries: bool = False
    """Whether search data shows two or more of the pages for one query."""

    @property
    def rows(self) -> tuple[int, ...]:
        """Rows of all pages, in URL order."""
        return tuple(sorted((self.keeper, *self.members)))

    @property
    def table_row(self) -> GroupRow:
        """The group as the table tells it."""
        return GroupRow(self.kind, self.rows, self.keeper, self.pattern, self.evidence, self.confidence, self.resemblance)

    @property
    def is_identical(self) -> bool:
        """Whether all texts are identical."""
        return self.identical.issuperset(self.members)

    @property
    def evidence(self) -> Evidence:
        """Strongest kind of evidence."""
        return Evidence.SEARCH if self.share_queries else Evidence.TEXT

    @property
    def confidence(self) -> Confidence:
        """How sure it is that the pages belong together: high for identical text or common queries, else medium."""
        return Confidence.HIGH if self.is_identical or self.share_queries else Confidence.MEDIUM


def group_id(kind: str, urls: Iterable[str]) -> str:
    """First 10 hex digits of SHA-256 over the kind and the sorted addresses.

    Examples
    --------
    >>> group_id("rivals", ["https://host.example/b", "https://host.example/a"])
    '3e04a1d73d'
    """
    return hashlib.sha256("\n".join([kind, *sorted(urls)]).encode("utf-8", "surrogatepass")).hexdigest()[:10]


@dataclass(frozen=True)
class Grouping:
    """All groups of a site, and what they leave."""

    groups: tuple[Group, ...]
    keeper_of: Mapping[int, int]
    """Keeper of each page that is a variant of another."""
    untranslated: tuple[tuple[int, int], ...]
    """Pairs of pages for two languages that show one text."""
    n_copies: NDArray[np.int64]
    """For each page the other pages that are copies of it: of one language, of variants their keepers only."""


def variant_groups(
    site: Site, pages: PageSets, strength: PageStrength, settings: Settings
) -> tuple[list[Group], dict[int, int]]:
    """Groups of variants among some pages, and the keeper of each page that is a variant of another.

    Parameters
    ----------
    pages : PageSets
        Shingles of the pages that are compared.
    strength : PageStrength
        What speaks for each page, for the choice of keepers.
    """
    figures = _Figures(site, pages, {}, strength, settings)
    groups = [
        figures.group(GroupKind.VARIANTS, result) for result in variant_sets(site, pages, strength.forms, settings.variants)
    ]
    return groups, {member: group.keeper for group in groups for member in group.members}


def with_variants(pairs: pd.DataFrame, variants: Iterable[Group], pages: PageSets) -> pd.DataFrame:
    """Pairs with those of each variant and its keeper, which are not compared with others.

    Parameters
    ----------
    pairs : DataFrame
        Columns ``a``, ``b``, ``resemblance``, ``a_in_b``, ``b_in_a``.
    variants : iterable of Group
        Groups of variants.
    pages : PageSets
        Shingles of all pages of both.
    """
    sizes = pages.sets.sizes
    rows = []
    for group in variants:
        for row, share in group.resemblance.items():
            a, b = min(row, group.keeper), max(row, group.keeper)
            n_a, n_b = (int(sizes[place]) for place in pages.places(np.array([a, b])))
            common = round(share * (n_a + n_b) / (1 + share))
            rows.append((a, b, share, common / n_a, common / n_b))
    if not rows:
        return pairs
    parts = [pairs, pd.DataFrame(rows, columns=list(pairs.columns))]
    return pd.concat(parts, ignore_index=True).sort_values(["a", "b"], ignore_index=True)


def find_groups(
    site: Site,
    variants: Sequence[Group],
    relations: Relations,
    traits: Traits,
    facts: SiteFacts,
) -> Grouping:
    """All groups of a site.

    Parameters
    ----------
    variants : sequence of Group
        Groups of variants.
    relations : Relations
        Of the pages that count and are no variants of others.
    facts : SiteFacts
        What is known of each page.
    """
    strength, settings = facts.strength, facts.settings
    a, b = relations.pairs["a"].to_numpy(), relations.pairs["b"].to_numpy()
    alike = relations.pairs[traits.say_the_same(relations.pairs["resemblance"].to_numpy(), a, b)]
    resemblance = dict(zip(_rows(alike), alike["resemblance"].tolist(), strict=True))
    figures = _Figures(site, relations.pages, resemblance, strength, settings, relations, traits)
    keeper_of = {member: group.keeper for group in variants for member in group.members}
    untranslated, copies = _by_language(site, alike, facts.meant_for, facts.locales)
    copies = _without_protected(site, copies, facts)
    is_pair = np.array([not figures.are_alternates(a, b) for a, b in _rows(copies)], dtype=bool)
    alternates = [
        figures.group(GroupKind.COPIES, result, are_alternates=True)
        for result in components(len(site.pages), _rows(copies[~is_pair]))
    ]
    pairs = _rows(copies[is_pair])
    apartness = _Apartness(site, pairs, relations.pairs, facts)
    differ, promise_of = apartness.differ, apartness.promise_of
    # What only pasted text makes alike is no group at all: pages about nothing that the others are about.
    different = [(a, b) for a, b in pairs if differ(a, b) and not apartness.is_pasted(a, b)]
    same = [(a, b) for a, b in pairs if not differ(a, b)]
    merged = figures.groups_of_copies(same, lambda a, b: not differ(a, b))
    gone = {member for group in merged for member in group.members}
    left = [(a, b) for a, b in different if a not in gone and b not in gone]
    apart = figures.groups_of_copies(
        left, lambda a, b: b not in gone and differ(a, b) and not apartness.is_pasted(a, b), promise_of
    )
    is_cluster = (relations.cluster_of[copies["a"]] >= 0) & (
        relations.cluster_of[copies["a"]] == relations.cluster_of[copies["b"]]
    )
    n_alike = relations.cluster_copies + np.bincount(
        copies.loc[~is_cluster, ["a", "b"]].to_numpy().ravel(), minlength=len(site.pages)
    )
    return Grouping((*variants, *merged, *apart, *alternates), keeper_of, untranslated, n_alike)


class _Apartness:
    """Which copies promise different things."""

    def __init__(self, site: Site, pairs: Sequence[tuple[int, int]], relations: pd.DataFrame, facts: SiteFacts) -> None:
        is_asked = np.zeros(len(site.pages), bool)
        is_asked[[row for pair in pairs for row in pair]] = True
        # The pages of half a page's text, one page after the other: of a family there are hundreds of thousands of pairs.
        a, b = (relations[name].to_numpy()[relations["resemblance"] >= _HALF] for name in ("a", "b"))
        one, other = np.concatenate([a, b]), np.concatenate([b, a])
        one, other = one[is_asked[one]], other[is_asked[one]]
        self._near: NDArray[np.int64] = other[np.argsort(one, kind="stable")]
        self._first_near = offsets_of(np.bincount(one, minlength=len(site.pages)))
        self.promise_of = Promises(site, facts.titles, facts.kinds, facts.settings.rivals.generic_words)
        self._n_copies = {row: len(part) for part in components(len(site.pages), pairs) for row in part}
        self._series = series_patterns((self.promise_of[a], self.promise_of[b]) for a, b in pairs)
        self._facts = facts
        self._told: dict[tuple[int, int], bool] = {}

    def differ(self, a: int, b: int) -> bool:
        """Whether two copies promise different things; the same text word for word does only if search asks for each."""
        result = self._told.get((a, b))
        if result is None:
            result = self._told[a, b] = self._differ(a, b)
        return result

    def _differ(self, a: int, b: int) -> bool:
        one, other = self.promise_of[a], self.promise_of[b]
        if one.text_hash != other.text_hash and (
            promise_different_things(one, other, self._series)
            or is_common_title(one, other, self._n_copies[a])
            or self.is_pasted(a, b)
        ):
            return True
        demand, least = self._facts.demand, self._facts.settings.search.minimum_slot_impressions
        return demand is not None and asked_for_each({a: one, b: other}, demand, least)

    def is_pasted(self, a: int, b: int) -> bool:
        """Whether the text of two pages whose titles have nothing in common stands by half on a third such page, too."""
        if self._have_words_in_common(a, b):
            return False
        return any(
            not self._have_words_in_common(a, c) and not self._have_words_in_common(b, c)
            for c in np.intersect1d(self._near_of(a), self._near_of(b), assume_unique=True).tolist()
        )

    def _near_of(self, row: int) -> NDArray[np.int64]:
        """Pages with half of the text of a page, or of whose text it has half."""
        return self._near[self._first_near[row] : self._first_near[row + 1]]

    def _have_words_in_common(self, a: int, b: int) -> bool:
        one, other = (set(self.promise_of[row].stem_of.values()) for row in (a, b))
        return bool(one & other) or not one or not other


def _rows(pairs: pd.DataFrame) -> list[tuple[int, int]]:
    return list(zip(pairs["a"].tolist(), pairs["b"].tolist(), strict=True))


def _by_language(
    site: Site, alike: pd.DataFrame, meant_for: Sequence[str], locales: Sequence[str]
) -> tuple[tuple[tuple[int, int], ...], pd.DataFrame]:
    """Pairs in two languages, by text or by what the pages are meant for, and the pairs in one."""
    untranslated, is_copy = [], []
    for a, b in _rows(alike):
        languages = (meant_for[a], meant_for[b]), (site.pages[a].language, site.pages[b].language)
        is_foreign = any(one and other and one != other for one, other in languages)
        regions = locales[a], locales[b]
        is_foreign |= all(regions) and regions[0] != regions[1]
        if is_foreign:
            untranslated.append((a, b))
        is_copy.append(not is_foreign)
    return tuple(untranslated), alike[np.array(is_copy, dtype=bool)].reset_index(drop=True)


def _without_protected(site: Site, copies: pd.DataFrame, facts: SiteFacts) -> pd.DataFrame:
    """Pairs of copies without those of pages that their text says nothing about, but for one text on pages of one kind.

    Two listings are alike by what they list, which may be told in two ways.
    """
    kinds, hashes = facts.kinds.kind, site.text_hashes
    is_protected = facts.is_protected | np.array([kind == PageKind.LISTING for kind in kinds], bool)
    kept = [
        not (is_protected[a] or is_protected[b]) or (hashes[a] == hashes[b] and kinds[a] == kinds[b])
        for a, b in _rows(copies)
    ]
    return copies[np.array(kept, bool)].reset_index(drop=True)


def untranslated_guests(site: Site, pairs: Iterable[tuple[int, int]], meant_for: Sequence[str]) -> dict[int, list[int]]:
    """For each page with the text of others that is not in the language it is meant for, the others.

    Parameters
    ----------
    pairs : iterable of (row, row)
        Pages for two languages that show one text.
    meant_for : sequence of str, one a page
        ISO 639-1; ``""`` where nothing tells.
    """
    hosts: dict[int, list[int]] = {}
    for a, b in pairs:
        for guest, host in ((a, b), (b, a)):
            language = site.pages[guest].language
            if meant_for[guest] and language and meant_for[guest] != language:
                hosts.setdefault(guest, []).append(host)
    return hosts


def _names_alternate(page: Page, other: Page) -> bool:
    own = {code for code, url in page.alternates if url == page.url}
    return any(url == other.url and code not in own for code, url in page.alternates)


class _Figures:
    """Makes groups; keeps what every group needs at hand."""

    def __init__(
        self,
        site: Site,
        pages: PageSets,
        resemblance: Mapping[tuple[int, int], float],
        strength: PageStrength,
        settings: Settings,
        relations: Relations | None = None,
        traits: Traits | None = None,
    ) -> None:
        self.site, self.pages, self.strength, self.settings = site, pages, strength, settings
        self.relations, self.traits = relations, traits
        self.resemblance = resemblance
        """Of the pairs that are known to be copies."""

    def are_alternates(self, a: int, b: int) -> bool:
        """Whether a page names the other as its alternate, for another language or region than its own."""
        one, other = self.site.pages[a], self.site.pages[b]
        return _names_alternate(one, other) or _names_alternate(other, one)

    def _cluster_near(self, keeper: int, among: Collection[int]) -> set[int]:
        """Of a large family, whose pairs are not all kept, the pages that are copies of a keeper."""
        if self.relations is None or self.traits is None or self.relations.cluster_of[keeper] < 0:
            return set()
        others = np.array(sorted(set(self.relations.cluster(keeper).tolist()) & set(among) - {keeper}), np.int64)
        if not len(others):
            return set()
        is_copy = self.traits.are_copies(self.pages.resemblance(keeper, others), np.full(len(others), keeper), others)
        return {int(other) for other in others[is_copy] if not self.are_alternates(keeper, int(other))}

    def _with_duplicates(self, near: Mapping[int, set[int]], keeper: int) -> set[int]:
        """Pages that the pairs show near a keeper, where one page represents all its duplicates."""
        if self.relations is None:
            return near[keeper]
        result = near[keeper] | near.get(int(self.relations.representative_of[keeper]), set())
        representatives = {
            row for row in result if self.relations.cluster_of[row] >= 0 and self.relations.representative_of[row] == row
        }
        mates = np.flatnonzero(np.isin(self.relations.representative_of, sorted(representatives))) if representatives else ()
        return result | {int(row) for row in mates}

    def groups_of_copies(
        self,
        pairs: Sequence[tuple[int, int]],
        fits: Callable[[int, int], bool],
        promise_of: Mapping[int, Promise] | None = None,
    ) -> list[Group]:
        """Groups by keeper.

        Parameters
        ----------
        pairs : sequence of (row, row)
            Pairs of copies; of large families those that are kept.
        fits : callable
            Whether two copies of a large family belong together here.
        promise_of : mapping of int to Promise, optional
            Given where the pages promise different things.
        """
        near: dict[int, set[int]] = {}
        for a, b in pairs:
            near.setdefault(a, set()).add(b)
            near.setdefault(b, set()).add(a)
        groups = []
        settled: set[int] = set()
        n_pages = len(self.site.pages)
        rests = [(rest, frozenset(rest)) for rest in components(n_pages, pairs)]
        while rests:
            rest, component = rests.pop()
            rest = [row for row in rest if row not in settled]
            if len(rest) < 2:
                continue
            keeper, reason = choose_keeper(self.site, rest, self.strength, are_variants=False)
            cluster = {row for row in self._cluster_near(keeper, component) if fits(keeper, row)}
            members = (self._with_duplicates(near, keeper) & component) | cluster
            members -= settled | {keeper}
            if members:
                groups.append(self.group(GroupKind.COPIES, [keeper, *sorted(members)], keeper, reason, promise_of))
            settled |= members | {keeper}
            left = set(rest) - settled
            again = components(n_pages, [(a, b) for a in left for b in near[a] & left if a < b])
            rests += [(part, component) for part in again]
        return sorted(groups, key=lambda group: group.rows)

    def group(
        self,
        kind: GroupKind,
        rows: Sequence[int],
        keeper: int | None = None,
        reason: Text = "",
        promise_of: Mapping[int, Promise] | None = None,
        *,
        are_alternates: bool = False,
    ) -> Group:
        """A group of pages; the keeper is chosen unless it is given."""
        if keeper is None:
            is_variants = kind == GroupKind.VARIANTS
            keeper, reason = choose_keeper(self.site, rows, self.strength, are_variants=is_variants)
        members = tuple(sorted(set(rows) - {keeper}))
        hashes = self.site.text_hashes
        pattern, slots = _pattern_and_slots(keeper, members, promise_of) if promise_of else ("", None)
        return Group(
            kind=kind,
            keeper=keeper,
            members=members,
            reason=reason,
            identical=frozenset(row for row in members if hashes[row] == hashes[keeper]),
            resemblance=self._resemblance_to(keeper, members),
            promises_differ=promise_of is not None,
            pattern=pattern,
            slots=slots,
            are_alternates=are_alternates,
            share_queries=len(shares_now(rows, self.strength.demand)) > 1,
        )

    def _resemblance_to(self, keeper: int, members: Sequence[int]) -> dict[int, float]:
        """Resemblance of each member with any text to the keeper."""
        result = {row: self.resemblance.get((min(row, keeper), max(row, keeper)), -1.0) for row in members}
        unknown = np.array([row for row in members if result[row] < 0 and self.site.text_hashes[row]], np.int64)
        if len(unknown):
            result |= dict(zip(unknown.tolist(), self.pages.resemblance(keeper, unknown).tolist(), strict=True))
        return {row: value for row, value in result.items() if value >= 0}


def _pattern_and_slots(keeper: int, members: Sequence[int], promise_of: Mapping[int, Promise]) -> tuple[str, dict[int, str]]:
    """The commonest pattern of the titles, and what each has in its slot."""
    shown = {row: shown_slot(promise_of[row], promise_of[keeper]) for row in members}
    shown[keeper] = shown_slot(promise_of[keeper], promise_of[members[0]])
    patterns = Counter(pattern for pattern, _ in shown.values() if pattern)
    commonest = min(patterns, key=lambda pattern: (-patterns[pattern], pattern), default="")
    return commonest, {row: slot for row, (_, slot) in shown.items()}


@dataclass(frozen=True)
class GroupRow:
    """A group of any kind, as the table tells it."""

    kind: GroupKind
    rows: tuple[int, ...]
    keeper: int
    """-1 where none stays before the others."""
    phrase: str
    evidence: Evidence
    confidence: Confidence
    resemblance: Mapping[int, float]
    """To the keeper, of the other pages, as far as it was measured."""


def groups_table(site: Site, groups: Iterable[GroupRow], strength: PageStrength) -> pd.DataFrame:
    """The table of groups, one row a page.

    Parameters
    ----------
    strength : PageStrength
        Clicks of each page, where there is search data.
    """
    before = strength.demand.before("clicks") if strength.demand is not None else None
    rows: list[tuple[object, ...]] = []
    for group in groups:
        urls = [site.pages[row].url for row in group.rows]
        name = group_id(group.kind, urls)
        for row, url in zip(group.rows, urls, strict=True):
            role = GroupRole.KEEPER if row == group.keeper else GroupRole.MEMBER
            clicks = float(strength.clicks[row]) if before is not None else float("nan")
            clicks_before = float(before[row]) if before is not None else float("nan")
            figures = (group.resemblance.get(row, float("nan")), clicks, clicks_before)
            rows.append((name, group.kind, url, role, group.phrase, *figures, group.evidence, group.confidence))
    return GROUPS.frame(rows)
