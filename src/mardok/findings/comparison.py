"""What came of comparing the texts of a site's pages.

In:  the site, which pages may be listed, where addresses lead, what stands for each page.
Out: groups, kept pairs, words accounted for, and the tables of wording.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.accounting import Accounted, account
from mardok.compare.destinations import Destination
from mardok.compare.kept_pairs import kept_pairs
from mardok.compare.links import text_links
from mardok.compare.mentions import OwnUses, Unlinked, own_uses
from mardok.compare.relations import Traits, page_sets, relations_of
from mardok.compare.runs import repeated_runs
from mardok.compare.titles import Titles
from mardok.compare.topics import Topic
from mardok.extract.indexable import NotIndexable
from mardok.findings.groups import Grouping, find_groups, variant_groups, with_variants
from mardok.findings.keeper import PageStrength
from mardok.findings.mentions import unlinked_mentions, wording_of
from mardok.findings.wording import (
    CarriedText,
    boilerplate_table,
    carried_texts,
    page_phrases_table,
    passages_table,
    phrases_table,
    section_phrases_table,
    stemmed_site,
    teasers_table,
)
from mardok.settings import Copies, Settings
from mardok.text.distinct import first_of_equal
from mardok.text.site import Site
from mardok.vocabulary import Failure, GroupKind


@dataclass(frozen=True)
class WordAttribution:
    """What came of comparing the pages."""

    grouping: Grouping
    accounted: Accounted
    kept: pd.DataFrame
    """The pairs that are kept."""
    texts: list[CarriedText]
    """Boilerplate texts."""
    tables: dict[str, pd.DataFrame]
    """Those of passages and boilerplate."""
    rows: NDArray[np.int64]
    """Pages that were compared: of variants only the keeper."""


@dataclass(frozen=True)
class CopyAnalysis:
    """Which pages are variants and copies."""

    grouping: Grouping
    kept: pd.DataFrame
    """The pairs that are kept."""
    group_of: NDArray[np.int64]
    """A number for each page, equal for pages of one group of copies."""
    rows: NDArray[np.int64]
    """Pages that were compared: of variants only the keeper."""

    @property
    def counts(self) -> NDArray[np.bool_]:
        """Whether each page was compared."""
        return np.isin(np.arange(len(self.group_of)), self.rows)


@dataclass(frozen=True)
class PhraseAnalysis:
    """What the pages say."""

    tables: dict[str, pd.DataFrame]
    """Those of phrases."""
    mentions: dict[int, list[Unlinked]]
    """For keepers of copies the pages that mention what they are about and do not link to them."""
    of_topic: OwnUses
    """How each page uses its target phrase."""


def find_copy_groups(
    site: Site,
    noindex_reasons: Sequence[NotIndexable | None],
    failing: Sequence[Failure],
    titles: Titles,
    strength: PageStrength,
    settings: Settings,
) -> CopyAnalysis:
    """Which pages are variants and copies; the sets of shingles, which fill much memory, are needed no longer than that."""
    rows = [
        row
        for row, reason in enumerate(noindex_reasons)
        if (not reason or (settings.copies.all_pages and site.text_hashes[row])) and not failing[row]
    ]
    traits = _traits(site, settings.copies)
    counting = page_sets(site.corpus, np.array(rows, np.int64))
    variants, keeper_of = variant_groups(site, counting, strength, settings)
    apart = counting.select(np.array([row for row in rows if row not in keeper_of], np.int64))
    relations = relations_of(apart, site.corpus, traits, settings.pairs)
    grouping = find_groups(site, titles, variants, relations, traits, strength, settings)
    kept = kept_pairs(with_variants(relations.pairs, variants, counting), site.corpus, settings.pairs)
    return CopyAnalysis(grouping, kept, _groups_of_copies(site, grouping, relations.pairs), apart.rows)


def attribute_words(
    site: Site, destinations: Sequence[Destination], related: CopyAnalysis, settings: Settings
) -> WordAttribution:
    """Whose the words of each page are, beside how the pages are related."""
    counts, group_of = related.counts, related.group_of
    runs = repeated_runs(site.corpus, counts)
    accounted = account(
        site.corpus, runs, counts, group_of, site.section, text_links(site, destinations), settings.boilerplate
    )
    texts = carried_texts(site, runs, accounted)
    tables = {
        "passages": passages_table(site, runs, accounted),
        "teasers": teasers_table(site, accounted.is_teaser),
        "boilerplate": boilerplate_table(site, texts, counts, group_of),
    }
    return WordAttribution(related.grouping, accounted, related.kept, texts, tables, related.rows)


def analyse_phrases(
    site: Site,
    destinations: Sequence[Destination],
    related: CopyAnalysis,
    accounted: Accounted,
    topics: Sequence[Topic],
    settings: Settings,
) -> PhraseAnalysis:
    """Phrases, mentions, and how each page uses the phrase that it is about."""
    counts, stems = related.counts, stemmed_site(site, settings.phrases)
    groups = related.grouping.groups
    wanted = {group.keeper: wording_of(site, group.keeper) for group in groups if group.kind == GroupKind.COPIES}
    mentions = unlinked_mentions(site, stems, destinations, counts, {row: text for row, text in wanted.items() if text})
    of_topic = own_uses(stems, [page.language for page in site.pages], [topic.phrase for topic in topics])
    tables = {  # last, when what goes on beside needs less memory: they need the most
        "phrases": phrases_table(stems, counts, accounted.is_repeated, settings.phrases),
        "page_phrases": page_phrases_table(stems, settings.phrases),
        "section_phrases": section_phrases_table(site, stems, counts, accounted, settings.phrases),
    }
    return PhraseAnalysis(tables, mentions, of_topic)


def _groups_of_copies(site: Site, grouping: Grouping, pairs: pd.DataFrame) -> NDArray[np.int64]:
    """A number for each page, equal for pages of one group of copies.

    A page in another language than it is meant for goes with the page whose text it shows, at least by half: what is not
    translated yet takes no own words from the original.
    """
    found = np.arange(len(site.pages))
    for group in grouping.groups:
        if group.kind == GroupKind.COPIES:
            found[list(group.members)] = group.keeper
    meant = _numbers(grouping.meant_for)
    languages = zip((page.language for page in site.pages), grouping.meant_for, strict=True)
    is_guest = np.array([bool(own and meant) and own != meant for own, meant in languages], bool)
    a, b, resemblance = (pairs[name].to_numpy() for name in ("a", "b", "resemblance"))
    guest, host, resemblance = np.concatenate([a, b]), np.concatenate([b, a]), np.concatenate([resemblance, resemblance])
    is_asked = is_guest[guest] & (meant[guest] != meant[host])
    guest, host, resemblance = guest[is_asked], host[is_asked], resemblance[is_asked]
    # A page that is itself not translated yet is no original, unless there is no other.
    order = np.lexsort((host, -resemblance, is_guest[host], guest))
    nearest = order[first_of_equal(guest[order])]
    for page, shown in zip(guest[nearest].tolist(), host[nearest].tolist(), strict=True):
        found[page] = found[shown]
    return found


def _traits(site: Site, settings: Copies) -> Traits:
    """What decides whether pages are copies."""
    return Traits(
        language=_numbers([page.language for page in site.pages]),
        text=_numbers(site.text_hashes),
        is_long=site.corpus.n_words >= settings.minimum_words,
        threshold=settings.resemblance,
    )


def _numbers(names: Sequence[str]) -> NDArray[np.int64]:
    """A number for each name, equal for equal ones."""
    number = {name: code for code, name in enumerate(dict.fromkeys(names))}
    return np.array([number[name] for name in names], np.int64)
