"""Which pages say too little of their own, and which stand on another page for the most part.

In:  the site, what is known of its pages, what they promise, whose their words are, which of them stay.
Out: :class:`ThinAnalysis`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from mardok.compare.topics import PagePromises
from mardok.findings.attribution import WordAttribution
from mardok.findings.contained import Contained, contained_pages
from mardok.findings.facts import SiteFacts
from mardok.findings.keeper import choose_keeper
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
    settings, stays, meant_for = facts.settings, rivals.stays, copies.grouping.meant_for
    pairs = list(copies.kept[["a", "b", "resemblance", "a_in_b", "b_in_a"]].itertuples(index=False, name=None))

    def takes_over(page: int, other: int) -> bool:
        """Whether another page promises all that a page does: pasted text makes pages alike that are about other things."""
        languages = {site.pages[row].language for row in (page, other)} - {""}
        is_one_language = meant_for[page] == meant_for[other] and len(languages) < 2
        in_one_series = page in rivals.series_of and rivals.series_of[page] == rivals.series_of.get(other)
        topics = promises.topics
        if not is_one_language or in_one_series or not topics[page].stems <= topics[other].stems:
            return False
        # In the title of a manual's page even "move" and "get" are what it is about.
        own, others = (set(promises.stemmer.words_of(facts.titles.own[row] or site.pages[row].h1)) for row in (page, other))
        return bool(own) and own <= others

    def weaker(a: int, b: int) -> int:
        return b if choose_keeper(site, [a, b], facts.strength, are_variants=False)[0] == a else a

    contained = contained_pages(
        site, promises.topics, pairs, facts.kinds, meant_for, stays, attribution.words.boilerplate, weaker, settings
    )
    has_text = (site.corpus.n_words > 0) | np.array([not page.bytes_hash for page in site.pages], bool)
    asked = Asked(stays & has_text, attribution.words.own, nearest_relatives(pairs, stays, takes_over), contained.chapters)
    return ThinAnalysis(thin_pages(site, facts, asked, rivals.shown), contained)
