"""Which pages compete, by what they promise and by what search shows of them.

In:  the site, what is known of its pages, what they promise, which are copies.
Out: :class:`RivalAnalysis`: rivals, series, wanted phrases in the site's name, what became of phrases that a person named.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.contention import Shown, shown_pages
from mardok.compare.links import text_links
from mardok.compare.movement import losses
from mardok.compare.series import Series, find_series
from mardok.compare.topics import PagePromises
from mardok.findings.contained import chapter_pairs
from mardok.findings.copy_analysis import CopyAnalysis
from mardok.findings.facts import SiteFacts
from mardok.findings.groups import GroupRow, untranslated_guests
from mardok.findings.rivals import Rival, RivalInputs, Rivalry, find_rivals, may_compete, series_rows
from mardok.findings.site_name import NamePhrase, name_phrases
from mardok.findings.targets import target_pages, target_rows
from mardok.findings.unanswered import unanswered_table
from mardok.settings import Rivals
from mardok.text.site import Site
from mardok.vocabulary import GroupKind


@dataclass(frozen=True)
class RivalAnalysis:
    """Which pages compete."""

    rivalries: list[Rivalry]
    series: list[Series]
    rows: list[GroupRow]
    """Series and rivals, for the table of groups."""
    names: list[NamePhrase]
    """Wanted phrases in the site's name."""
    shown: Shown | None
    """Figures of each query and page; None without search data."""
    targets: list[dict[str, Any]]
    """What became of the phrases that pages are meant for."""
    unanswered: pd.DataFrame
    """Queries that are asked and not said."""
    stays: NDArray[np.bool_]
    """Pages that are indexable, no variants, do not go into a copy and are in the language they are meant for."""

    @cached_property
    def series_of(self) -> Mapping[int, int]:
        """Number of the series that a page is in."""
        return {row: number for number, one in enumerate(self.series) for row in one.slots}


def find_rival_groups(site: Site, facts: SiteFacts, promises: PagePromises, copies: CopyAnalysis) -> RivalAnalysis:
    """Compare what pages promise and what search shows of them.

    Parameters
    ----------
    promises : PagePromises
        The target phrase of each page.
    copies : CopyAnalysis
        Pages of one group of copies are no rivals.
    """
    settings, demand, grouping = facts.settings, facts.demand, copies.grouping
    shown = shown_pages(demand, settings.search.minimum_share) if demand is not None else None
    # What stands untranslated under another language's address is to be translated, and says nothing of its own till then.
    leaving = copies.in_copies | set(untranslated_guests(site, grouping.untranslated, facts.meant_for))
    stays = copies.is_compared & facts.strength.is_indexable
    stays[sorted(leaving)] = False
    rows = np.flatnonzero(stays).tolist()
    series = find_series(site, facts.titles.own, rows)
    meant = target_pages(site, facts.destinations, facts.targets, promises.stemmer)
    pairs = list(copies.kept[["a", "b", "resemblance", "a_in_b", "b_in_a"]].itertuples(index=False, name=None))
    inputs = RivalInputs(
        site=site,
        topics=promises.topics,
        kinds=facts.kinds,
        locales=facts.locales,
        series=series,
        resemblance={(a, b): resemblance for a, b, resemblance, *_ in pairs},
        links=frozenset(text_links(site, facts.destinations).tolist()),
        settled={
            row: number
            for number, group in enumerate(grouping.groups)
            if group.kind == GroupKind.COPIES
            for row in group.rows
        },
        chapters=chapter_pairs(pairs, settings),
        is_compared=may_compete(facts.kinds, stays),
        target_of={target.stems: target.row for target in meant if target.row >= 0},
    )
    is_brand = demand.is_brand if demand is not None else np.zeros(0, bool)
    rivalries, names = _with_losses(
        find_rivals(inputs, facts.strength, shown, is_brand, settings),
        name_phrases(site, facts, promises, rows, shown),
        settings.rivals,
    )
    return RivalAnalysis(
        rivalries,
        series,
        [*series_rows(series, copies.in_copies), *(rivalry.table_row for rivalry in rivalries)],
        names,
        shown,
        target_rows(site, meant, shown, demand, promises.stemmer),
        unanswered_table(site, facts, promises, rows, shown),
        stays,
    )


def _with_losses(
    rivalries: Sequence[Rivalry], names: Sequence[NamePhrase], rules: Rivals
) -> tuple[list[Rivalry], list[NamePhrase]]:
    """The same, with what is a loss beyond chance among all of them marked as one."""
    overlaps = [rival.overlap for rivalry in rivalries for rival in rivalry.rivals if rival.overlap is not None]
    movements = [*(overlap.movement for overlap in overlaps), *(name.movement for name in names)]
    marked = iter(losses(movements, rules))

    def told(rival: Rival) -> Rival:
        overlap = rival.overlap
        return rival if overlap is None else replace(rival, overlap=replace(overlap, movement=next(marked)))

    return (
        [replace(rivalry, rivals=tuple(told(rival) for rival in rivalry.rivals)) for rivalry in rivalries],
        [replace(name, movement=next(marked)) for name in names],
    )
