"""Which pages belong together, and which of them should stay.

In:  the pages that count, the pairs of them whose texts are copies, what stands for each page.
Out: groups of variants and of copies, each with its keeper.

Variants come first; of a set of variants only its keeper takes part in what follows. Copies are grouped by keeper: in each
connected component the best page is the keeper and takes the pages that resemble it enough, then the rest is looked at
again. So no page is put with a keeper that it resembles only through a third. Copies that promise the same are grouped
first; among what stays, copies that promise different things are.
"""

from __future__ import annotations

import hashlib
import re
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from urllib.parse import urlsplit

import numpy as np
import pandas as pd

from mardok.compare.variants import components, variant_sets
from mardok.extract.page import Page
from mardok.findings.keeper import Standing, choose_keeper, shared_clicks
from mardok.findings.promise import Promise, promise_different_things, promises, series_patterns, shown_slot
from mardok.settings import Settings
from mardok.tables import GROUPS
from mardok.text.site import Site


@dataclass(frozen=True)
class Group:
    """Pages that belong together."""

    kind: str
    """``variants`` or ``copies``."""
    keeper: int
    """Row of the page that should stay."""
    members: tuple[int, ...]
    """Rows of the others, in URL order."""
    reason: str
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
    def is_identical(self) -> bool:
        """Whether all texts are identical."""
        return self.identical.issuperset(self.members)

    @property
    def evidence(self) -> str:
        """Strongest kind of evidence."""
        return "search" if self.share_queries else "text"

    @property
    def confidence(self) -> str:
        """How sure it is that the pages belong together: high for identical text or common queries, else medium."""
        return "high" if self.is_identical or self.share_queries else "medium"


def group_id(kind: str, urls: Iterable[str]) -> str:
    """First 10 hex digits of SHA-256 over the kind and the sorted addresses."""
    return hashlib.sha256("\n".join([kind, *sorted(urls)]).encode("utf-8", "surrogatepass")).hexdigest()[:10]


@dataclass(frozen=True)
class Grouping:
    """All groups of a site, and what they leave."""

    groups: tuple[Group, ...]
    keeper_of: Mapping[int, int]
    """Keeper of each page that is a variant of another."""
    untranslated: tuple[tuple[int, int], ...]
    """Pairs of pages for two languages that show one text."""
    meant_for: tuple[str, ...]
    """For which language each page is meant, ``""`` where nothing tells."""
    copies: pd.DataFrame
    """Pairs of copies: of one language, no variants of each other, keepers of their variants only."""


def find_groups(site: Site, rows: Sequence[int], alike: pd.DataFrame, standing: Standing, settings: Settings) -> Grouping:
    """Groups of variants and copies among some pages.

    Parameters
    ----------
    rows : sequence of int
        Pages that count.
    alike : DataFrame
        Pairs of them that are copies, as :func:`mardok.compare.variants.alike_pairs` gives them.
    """
    figures = _Figures(site, alike, standing, settings)
    variants = [figures.group("variants", found) for found in variant_sets(site, rows, alike, settings)]
    keeper_of = {member: group.keeper for group in variants for member in group.members}
    meant_for = _meant_languages(site)
    untranslated, copies = _by_language(site, alike, keeper_of, meant_for)
    is_pair = np.array([not figures.are_alternates(a, b) for a, b in _rows(copies)], dtype=bool)
    alternates = [
        figures.group("copies", found, are_alternates=True) for found in components(len(site.pages), _rows(copies[~is_pair]))
    ]
    pairs = _rows(copies[is_pair])
    said = promises(site, {row for pair in pairs for row in pair})
    series = series_patterns((said[a], said[b]) for a, b in pairs)
    different = [(a, b) for a, b in pairs if promise_different_things(said[a], said[b], series)]
    same = sorted(set(pairs) - set(different))
    merged = figures.groups_of_copies(same)
    gone = {member for group in merged for member in group.members}
    apart = figures.groups_of_copies([(a, b) for a, b in different if a not in gone and b not in gone], said)
    return Grouping((*variants, *merged, *apart, *alternates), keeper_of, untranslated, tuple(meant_for), copies)


def _rows(pairs: pd.DataFrame) -> list[tuple[int, int]]:
    return [(int(a), int(b)) for a, b in zip(pairs["a"], pairs["b"], strict=True)]


def _by_language(
    site: Site, alike: pd.DataFrame, keeper_of: Mapping[int, int], meant_for: Sequence[str]
) -> tuple[tuple[tuple[int, int], ...], pd.DataFrame]:
    """Pairs in two languages, by text or by what the pages are meant for, and the pairs in one; without variants."""
    untranslated, is_copy = [], []
    for a, b in _rows(alike):
        counts = a not in keeper_of and b not in keeper_of
        languages = (meant_for[a], meant_for[b]), (site.pages[a].language, site.pages[b].language)
        foreign = counts and any(one and other and one != other for one, other in languages)
        if foreign:
            untranslated.append((a, b))
        is_copy.append(counts and not foreign)
    return tuple(untranslated), alike[np.array(is_copy, dtype=bool)].reset_index(drop=True)


def _meant_languages(site: Site) -> list[str]:
    """For which language each page is meant: by its own hreflang, its declaration, or its address; ``""`` if unknown."""
    spoken = {page.language for page in site.pages if page.language}
    return [_meant_language(page, spoken if len(spoken) > 1 else set()) for page in site.pages]


def _meant_language(page: Page, spoken: Collection[str]) -> str:
    own = [code[:2] for code, url in page.alternates if url == page.url and code != "x-default"]
    parts = urlsplit(page.url)
    folders = [parts.netloc.partition(".")[0], *parts.path.casefold().split("/")[:-1]]
    in_address = [code for folder in folders for code in re.split(r"[-_]", folder) if code in spoken]
    return next(iter([*own, *filter(None, [page.declared_language[:2]]), *in_address]), "")


class _Figures:
    """Makes groups; keeps what every group needs at hand."""

    def __init__(self, site: Site, alike: pd.DataFrame, standing: Standing, settings: Settings) -> None:
        self.site, self.standing, self.settings = site, standing, settings
        self.resemblance = dict(zip(_rows(alike), alike["resemblance"], strict=True))

    def are_alternates(self, a: int, b: int) -> bool:
        """Whether a page names the other as its alternate for another language or region."""
        one, other = self.site.pages[a], self.site.pages[b]
        named = {url for _, url in one.alternates}, {url for _, url in other.alternates}
        return other.url in named[0] or one.url in named[1]

    def groups_of_copies(self, pairs: Sequence[tuple[int, int]], said: Mapping[int, Promise] | None = None) -> list[Group]:
        """Groups by keeper; with `said` they are pages that promise different things."""
        near: dict[int, set[int]] = {}
        for a, b in pairs:
            near.setdefault(a, set()).add(b)
            near.setdefault(b, set()).add(a)
        groups = []
        rests = components(len(self.site.pages), pairs)
        while rests:
            rest = rests.pop()
            keeper, reason = choose_keeper(self.site, rest, self.standing, self.settings.variants, are_variants=False)
            members = near[keeper] & set(rest)
            if members:
                groups.append(self.group("copies", [keeper, *sorted(members)], keeper, reason, said))
            left = set(rest) - members - {keeper}
            rests += components(len(self.site.pages), [(a, b) for a in left for b in near[a] & left if a < b])
        return sorted(groups, key=lambda group: group.rows)

    def group(
        self,
        kind: str,
        rows: Sequence[int],
        keeper: int | None = None,
        reason: str = "",
        said: Mapping[int, Promise] | None = None,
        *,
        are_alternates: bool = False,
    ) -> Group:
        """A group of pages; the keeper is chosen unless it is given."""
        if keeper is None:
            is_variants = kind == "variants"
            keeper, reason = choose_keeper(self.site, rows, self.standing, self.settings.variants, are_variants=is_variants)
        members = tuple(sorted(set(rows) - {keeper}))
        hashes = self.site.text_hashes
        pattern, slots = _pattern_and_slots(keeper, members, said) if said else ("", None)
        return Group(
            kind=kind,
            keeper=keeper,
            members=members,
            reason=reason,
            identical=frozenset(row for row in members if hashes[row] == hashes[keeper]),
            resemblance={
                row: self.resemblance[pair]
                for row in members
                if (pair := (min(row, keeper), max(row, keeper))) in self.resemblance
            },
            promises_differ=said is not None,
            pattern=pattern,
            slots=slots,
            are_alternates=are_alternates,
            share_queries=len(shared_clicks(rows, self.standing.demand)) > 1,
        )


def _pattern_and_slots(keeper: int, members: Sequence[int], said: Mapping[int, Promise]) -> tuple[str, dict[int, str]]:
    """The commonest pattern of the titles, and what each has in its slot."""
    shown = {row: shown_slot(said[row], said[keeper]) for row in members}
    shown[keeper] = shown_slot(said[keeper], said[members[0]])
    patterns = Counter(pattern for pattern, _ in shown.values() if pattern)
    commonest = min(patterns, key=lambda pattern: (-patterns[pattern], pattern), default="")
    return commonest, {row: slot for row, (_, slot) in shown.items()}


def groups_table(site: Site, groups: Iterable[Group]) -> pd.DataFrame:
    """The table of groups, one row a page."""
    url: Callable[[int], str] = lambda row: site.pages[row].url  # noqa: E731
    return GROUPS.frame(
        (
            group_id(group.kind, map(url, group.rows)), group.kind, url(row),
            "keeper" if row == group.keeper else "member", group.pattern, group.evidence, group.confidence,
        )
        for group in groups
        for row in group.rows
    )  # fmt: skip
