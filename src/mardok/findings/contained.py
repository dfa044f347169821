"""Pages most of which stands on another page, though the two are no copies: chapters, appendices, older editions.

In:  kept pairs of pages with how far each is contained in the other, what pages are for and what they promise.
Out: chapters of one-page manuals, which are fine; and pages that another one repeats, with whether both promise the same.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.findings.facts import SiteFacts
from mardok.settings import Settings
from mardok.text.site import Site
from mardok.vocabulary import PageKind

_CHAPTERS = 3
"""Pages that one contains, from which it is a manual on one page."""
_ASKED_KINDS = (PageKind.ARTICLE, PageKind.PRODUCT, PageKind.SERVICE)


def chapter_pairs(pairs: Iterable[tuple[int, int, float, float, float]], settings: Settings) -> frozenset[tuple[int, int]]:
    """Pairs of rows (a < b) of which one is a page that holds several others whole, and the other one of these.

    Parameters
    ----------
    pairs : iterable of (a, b, resemblance, a_in_b, b_in_a)
        Kept pairs of rows.
    """
    holds: dict[int, set[int]] = defaultdict(set)
    for a, b, resemblance, a_in_b, b_in_a in pairs:
        if resemblance < settings.copies.resemblance:
            for inner, outer, share in ((a, b, a_in_b), (b, a, b_in_a)):
                if share >= settings.pairs.containment:
                    holds[outer].add(inner)
    return frozenset(
        (min(outer, inner), max(outer, inner))
        for outer, chapters in holds.items()
        if len(chapters) >= _CHAPTERS
        for inner in chapters
    )


@dataclass(frozen=True)
class Repeated:
    """A page most of which stands on another."""

    row: int
    other: int
    """The page that has it."""
    share: float
    """Containment of the page in the other."""
    resemblance: float
    shared_words: int
    is_same_promise: bool
    """Whether the titles promise the same."""


@dataclass(frozen=True)
class Contained:
    """Pages that others contain."""

    chapters: Mapping[int, int]
    """For each chapter the one-page manual that contains it."""
    repeated: Sequence[Repeated]


def contained_pages(
    site: Site,
    pairs: Iterable[tuple[int, int, float, float, float]],
    facts: SiteFacts,
    stays: NDArray[np.bool_],
    boilerplate: NDArray[np.int64],
    promise_the_same: Callable[[int, int], bool],
    weaker: Callable[[int, int], int],
) -> Contained:
    """Pages that others contain.

    Parameters
    ----------
    pairs : iterable of (a, b, resemblance, a_in_b, b_in_a)
        Kept pairs of rows.
    facts : SiteFacts
        What is known of each page.
    stays : ndarray of bool, shape (n_pages,)
        Indexable pages that are no variants and do not go into a copy.
    boilerplate : ndarray of int64, shape (n_pages,)
        Words of each page that are boilerplate: what is pasted everywhere makes no chapter.
    promise_the_same : callable
        Whether two pages promise the same.
    weaker : callable
        Of two pages the one that should rather go.
    """
    settings, kinds = facts.settings, facts.kinds

    def apart(a: int, b: int) -> bool:
        return facts.meant_for[a] != facts.meant_for[b] or facts.locales[a] != facts.locales[b]

    is_pasted = 2 * boilerplate > site.corpus.n_words
    inside: dict[int, list[tuple[float, int, float]]] = defaultdict(list)
    for a, b, resemblance, a_in_b, b_in_a in pairs:
        if not (stays[a] and stays[b]) or resemblance >= settings.copies.resemblance or apart(a, b):
            continue
        both = min(a_in_b, b_in_a) >= settings.pairs.containment
        for inner, outer, share in ((a, b, a_in_b), (b, a, b_in_a)):
            is_asked = share >= settings.pairs.containment and not is_pasted[inner]
            is_asked = is_asked and kinds.kind[outer] != PageKind.LISTING
            is_asked = is_asked and not facts.is_protected[inner] and not facts.is_protected[outer]
            if is_asked and (not both or weaker(a, b) == inner):
                inside[inner].append((share, outer, resemblance))
    holds: dict[int, set[int]] = defaultdict(set)
    for inner, result in inside.items():
        for _, outer, _ in result:
            holds[outer].add(inner)
    manuals = {outer for outer, chapters in holds.items() if len(chapters) >= _CHAPTERS}
    chapters = {
        inner: min(outer for _, outer, _ in result if outer in manuals)
        for inner, result in inside.items()
        if any(outer in manuals for _, outer, _ in result)
    }
    asked = [row for row in sorted(inside) if row not in chapters and kinds.kind[row] in _ASKED_KINDS]
    repeated = [_repeated(row, max(inside[row], key=lambda one: (one[0], -one[1])), site, promise_the_same) for row in asked]
    return Contained(chapters, _without_chains(repeated, manuals))


def _repeated(
    row: int, best: tuple[float, int, float], site: Site, promise_the_same: Callable[[int, int], bool]
) -> Repeated:
    share, other, resemblance = best
    return Repeated(
        row,
        other,
        share,
        resemblance,
        round(share * int(site.corpus.n_words[row])),
        promise_the_same(row, other),
    )


def _without_chains(repeated: Sequence[Repeated], manuals: Collection[int]) -> list[Repeated]:
    """Those whose other page stays where it is."""
    rows = {one.row for one in repeated}
    return [one for one in repeated if one.other not in rows and one.row not in manuals]
