"""What came of comparing what pages promise, and of search data.

In:  the site, its titles, what came of comparing texts, what stands for each page.
Out: topics, kinds, series, rivals, thin pages, wanted phrases in the site's name.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from mardok.compare.contention import Shown, shown_pages
from mardok.compare.destinations import Destination
from mardok.compare.links import text_links
from mardok.compare.series import find_series
from mardok.compare.titles import Titles
from mardok.compare.topics import Stemmer, Topic
from mardok.findings.comparison import WordAttribution
from mardok.findings.contained import Contained, contained_pages
from mardok.findings.groups import GroupRow, untranslated_guests
from mardok.findings.keeper import PageStrength, choose_keeper
from mardok.findings.kinds import PageKinds, page_kinds
from mardok.findings.rivals import RivalInputs, Rivalry, find_rivals, may_compete, series_rows
from mardok.findings.site_name import NamePhrase, name_phrases
from mardok.findings.targets import target_pages, target_rows
from mardok.findings.thin import Verdict, nearest_relatives, thin_pages
from mardok.settings import Settings
from mardok.text.site import Site
from mardok.vocabulary import GroupKind


@dataclass(frozen=True)
class Contested:
    """What came of comparing what pages promise, and of search data."""

    kinds: PageKinds
    related: list[GroupRow]
    """Series and rivals, for the table of groups."""
    rivalries: list[Rivalry]
    verdicts: list[Verdict | None]
    contained: Contained
    names: list[NamePhrase]
    shown: Shown | None
    targets: list[dict[str, Any]]
    """What became of the phrases that pages are meant for."""


def contested(
    site: Site,
    destinations: Sequence[Destination],
    titles: Titles,
    said: Sequence[Topic],
    wording: Stemmer,
    compared: WordAttribution,
    strength: PageStrength,
    targets: Mapping[str, str],
    settings: Settings,
) -> Contested:
    """Compare what pages promise and what search shows of them."""
    n_pages, demand, grouping = len(site.pages), strength.demand, compared.grouping
    kinds = page_kinds(site, settings)
    shown = shown_pages(demand, settings.search.minimum_share) if demand is not None else None
    in_copies = {row for group in grouping.groups if group.kind == GroupKind.COPIES for row in group.members}
    # What stands untranslated under another language's address is to be translated, and says nothing of its own till then.
    goes = in_copies | set(untranslated_guests(site, grouping.untranslated, grouping.meant_for))
    stays = np.isin(np.arange(n_pages), compared.rows) & strength.is_indexable & ~np.isin(np.arange(n_pages), sorted(goes))
    series = find_series(site, titles.own, np.flatnonzero(stays).tolist())
    pairs = list(compared.kept[["a", "b", "resemblance", "a_in_b", "b_in_a"]].itertuples(index=False, name=None))
    meant = target_pages(site, destinations, targets, wording)
    rivalries = find_rivals(
        RivalInputs(
            site=site,
            topics=said,
            kinds=kinds,
            series=series,
            resemblance={(a, b): resemblance for a, b, resemblance, *_ in pairs},
            links=frozenset(text_links(site, destinations).tolist()),
            settled={
                row: number
                for number, group in enumerate(grouping.groups)
                if group.kind == GroupKind.COPIES
                for row in group.rows
            },
            is_compared=may_compete(kinds, stays),
            target_of={target.stems: target.row for target in meant if target.row >= 0},
        ),
        strength,
        shown,
        demand.is_brand if demand is not None else np.zeros(0, bool),
        settings,
    )
    series_of = {row: number for number, one in enumerate(series) for row in one.slots}

    def takes_over(page: int, other: int) -> bool:
        spoken = {site.pages[row].language for row in (page, other)} - {""}
        is_one_language = grouping.meant_for[page] == grouping.meant_for[other] and len(spoken) < 2
        in_one_series = page in series_of and series_of[page] == series_of.get(other)
        if not is_one_language or in_one_series or not said[page].stems <= said[other].stems:
            return False
        # In the title of a manual's page even "move" and "get" are what it is about.
        told, by_other = (set(wording.words_of(titles.own[row] or site.pages[row].h1)) for row in (page, other))
        return bool(told) and told <= by_other

    def weaker(a: int, b: int) -> int:
        return b if choose_keeper(site, [a, b], strength, settings.variants, are_variants=False)[0] == a else a

    contained = contained_pages(
        site, said, pairs, kinds, grouping.meant_for, stays, compared.accounted.boilerplate, weaker, settings
    )
    verdicts = thin_pages(
        site,
        kinds,
        contained.chapters,
        compared.accounted.own,
        stays & ((site.corpus.n_words > 0) | np.array([not page.bytes_hash for page in site.pages], bool)),
        nearest_relatives(pairs, stays, takes_over),
        strength,
        shown,
        demand.months if demand is not None else 0.0,
        settings,
    )
    home = site.row_of.get(f"{strength.origin}/", -1)
    names = name_phrases(site, titles, said, wording, np.flatnonzero(stays).tolist(), demand, shown, home, settings)
    return Contested(
        kinds,
        [*series_rows(series, in_copies), *(rivalry.table_row for rivalry in rivalries)],
        rivalries,
        verdicts,
        contained,
        names,
        shown,
        target_rows(site, meant, shown, demand, wording),
    )
