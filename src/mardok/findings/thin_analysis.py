"""Which pages say too little of their own, and which stand on another page for the most part.

In:  the site, what is known of its pages, what they promise, whose their words are, which of them stay.
Out: :class:`ThinAnalysis`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.compare.contention import pages_in_front
from mardok.compare.topics import PagePromises
from mardok.findings.attribution import WordAttribution
from mardok.findings.contained import Contained, contained_pages
from mardok.findings.facts import SiteFacts
from mardok.findings.keeper import choose_keeper
from mardok.findings.promise import Promises, is_common_title, promise_different_things
from mardok.findings.rival_analysis import RivalAnalysis
from mardok.findings.thin import Asked, Verdict, nearest_relatives, thin_pages
from mardok.text.site import Site


@dataclass(frozen=True)
class ThinAnalysis:
    """Which pages say too little of their own."""

    verdicts: Sequence[Verdict | None]
    """One entry a page; None where it is not asked."""
    contained: Contained
    """Pages most of which stands on another."""
    is_in_front: NDArray[np.bool_]
    """Pages that stand high up for a query that is not for the site's name."""
    with_kin: frozenset[int]
    """Pages near which another page stands, whatever it promises."""


def find_thin_pages(
    site: Site,
    facts: SiteFacts,
    promises: PagePromises,
    attribution: WordAttribution,
    rivals: RivalAnalysis,
) -> ThinAnalysis:
    """Judge each page that stays by its own words.

    Parameters
    ----------
    promises : PagePromises
        The target phrase of each page, for its nearest relative.
    attribution : WordAttribution
        The own words of each page.
    rivals : RivalAnalysis
        What search shows.
    """
    copies = attribution.copies
    settings, stays, meant_for = facts.settings, rivals.stays, facts.meant_for
    pairs = list(copies.kept[["a", "b", "resemblance", "a_in_b", "b_in_a"]].itertuples(index=False, name=None))

    promise_of = Promises(site, facts.titles, facts.kinds, settings.rivals.generic_words)

    def differ(a: int, b: int) -> bool:
        """Whether two pages that are no copies promise different things."""
        one, other = promise_of[a], promise_of[b]
        return promise_different_things(one, other) or is_common_title(one, other, 2)

    def takes_over(page: int, other: int) -> bool:
        """Whether another page promises all that a page does: pasted text makes pages alike that are about other things."""
        languages = {site.pages[row].language for row in (page, other)} - {""}
        is_one_language = (
            meant_for[page] == meant_for[other] and facts.locales[page] == facts.locales[other] and len(languages) < 2
        )
        in_one_series = page in rivals.series_of and rivals.series_of[page] == rivals.series_of.get(other)
        topics = promises.topics
        if not is_one_language or in_one_series or not topics[page].stems <= topics[other].stems:
            return False
        # In the title of a manual's page even "move" and "get" are what it is about.
        own, others = (set(promises.stemmer.words_of(facts.titles.own[row] or site.pages[row].h1)) for row in (page, other))
        if not own or not own <= others or facts.is_protected[page] or facts.is_protected[other]:
            return False
        return not differ(page, other)

    def promise_the_same(a: int, b: int) -> bool:
        """Whether two pages promise the same: texts that are no copies differ in something, so titles must say one thing."""
        one, other = (promises.topics[row].title_stems for row in (a, b))
        return bool(one) and one == other and not differ(a, b)

    def weaker(a: int, b: int) -> int:
        return b if choose_keeper(site, [a, b], facts.strength, are_variants=False)[0] == a else a

    contained = contained_pages(
        site,
        pairs,
        facts,
        stays,
        attribution.words.boilerplate,
        promise_the_same,
        weaker,
    )
    has_text = (site.corpus.n_words > 0) | np.array([not page.bytes_hash for page in site.pages], bool)
    is_in_front = np.zeros(len(site.pages), bool)
    if facts.demand is not None:
        is_in_front = pages_in_front(facts.demand, settings.thin.good_position, settings.thin.minimum_impressions)
    relatives = nearest_relatives(pairs, stays, takes_over)
    asked = Asked(stays & has_text, attribution.words.own, relatives, is_in_front, contained.chapters)
    return ThinAnalysis(
        thin_pages(site, facts, asked, rivals.shown), contained, is_in_front, _pages_with_kin(pairs, stays, facts.locales)
    )


def _pages_with_kin(
    pairs: Sequence[tuple[int, int, float, float, float]], stays: NDArray[np.bool_], locales: Sequence[str]
) -> frozenset[int]:
    """Pages near which another page stands that stays and is for the same language, whatever it promises."""
    near = ((a, b) for a, b, *_ in pairs if stays[a] and stays[b] and locales[a] == locales[b])
    return frozenset(row for pair in near for row in pair)
