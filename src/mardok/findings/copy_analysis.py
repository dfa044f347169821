"""Which pages are written variants of one another, and which are copies.

In:  the site, and what is known of its pages.
Out: :class:`CopyAnalysis`: groups with their keepers, and the pairs that are kept.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.kept_pairs import kept_pairs
from mardok.compare.relations import PageSets, Relations, Traits, page_sets, relations_of
from mardok.findings.facts import SiteFacts
from mardok.findings.groups import Grouping, find_groups, variant_groups, with_variants
from mardok.kept import KeptParts, Tables, digest_of
from mardok.settings import Copies, Settings
from mardok.text.distinct import first_of_equal
from mardok.text.site import Site
from mardok.vocabulary import GroupKind

_OF_PAGES = ("cluster_of", "cluster_copies", "representative_of")


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
    def is_compared(self) -> NDArray[np.bool_]:
        """Whether each page was compared."""
        return np.isin(np.arange(len(self.group_of)), self.rows)

    @property
    def in_copies(self) -> set[int]:
        """Pages that go into a copy of theirs."""
        copies = (group for group in self.grouping.groups if group.kind == GroupKind.COPIES)
        return {row for group in copies for row in group.members}


def find_copy_groups(site: Site, facts: SiteFacts, kept: KeptParts) -> CopyAnalysis:
    """Which pages are variants and copies; the sets of shingles, which fill much memory, are needed no longer than that.

    Parameters
    ----------
    kept : KeptParts
        What an earlier audit kept of the same words: pairs are found from a resemblance on that no threshold is below.
    """
    settings, strength = facts.settings, facts.strength
    rows = [
        row
        for row, reason in enumerate(facts.noindex_reasons)
        if (not reason or (settings.copies.all_pages and site.text_hashes[row])) and not facts.failures[row]
    ]
    traits = _traits(site, settings.copies)
    with kept.tasks_of("copies", are_kept_on=True):
        counting = page_sets(site.corpus, np.array(rows, np.int64))
        variants, keeper_of = variant_groups(site, counting, strength, settings)
        apart = counting.select(np.array([row for row in rows if row not in keeper_of], np.int64))
        relations = _relations(site, apart, traits, settings, kept)
    grouping = find_groups(site, variants, relations, traits, facts)
    pairs = kept_pairs(with_variants(relations.pairs, variants, counting), site.corpus, settings.pairs)
    return CopyAnalysis(grouping, pairs, _groups_of_copies(site, grouping, facts.meant_for, relations.pairs), apart.rows)


def _relations(site: Site, apart: PageSets, traits: Traits, settings: Settings, kept: KeptParts) -> Relations:
    """The relations of pages, as they were kept or found anew."""

    def find() -> tuple[Relations, float]:
        return relations_of(apart, site.corpus, traits, settings.pairs), traits.threshold

    def tables_of(found: tuple[Relations, float]) -> Tables:
        relations, threshold = found
        pages = {name: getattr(relations, name) for name in _OF_PAGES}
        pairs = {name: relations.pairs[name].to_numpy() for name in relations.pairs.columns}
        return {"pairs": pairs, "pages": pages, "threshold": {"value": np.array([threshold])}}

    def of_tables(tables: Tables) -> tuple[Relations, float]:
        pages = (np.asarray(tables["pages"][name]) for name in _OF_PAGES)
        threshold = float(np.asarray(tables["threshold"]["value"])[0])
        return Relations(pd.DataFrame(dict(tables["pairs"])), apart, *pages), threshold

    depends = {
        "words": kept.key_of("words"),
        "pages": digest_of(apart.rows),
        "pairs": settings.pairs.model_dump(mode="json"),
        "minimum_words": settings.copies.minimum_words,
    }
    relations, threshold = kept.part("relations", depends, find, tables_of, of_tables)
    # Of large families copies were counted as the pairs went by, from the threshold of that time on.
    is_other = threshold != traits.threshold and bool((relations.cluster_of >= 0).any())
    return find()[0] if is_other else relations


def _groups_of_copies(site: Site, grouping: Grouping, meant_for: Sequence[str], pairs: pd.DataFrame) -> NDArray[np.int64]:
    """A number for each page, equal for pages of one group of copies.

    A page in another language than it is meant for goes with the page whose text it shows, at least by half: what is not
    translated yet takes no own words from the original.
    """
    result = np.arange(len(site.pages))
    for group in grouping.groups:
        if group.kind == GroupKind.COPIES:
            result[list(group.members)] = group.keeper
    meant = _numbers(meant_for)
    languages = zip((page.language for page in site.pages), meant_for, strict=True)
    is_guest = np.array([bool(own and meant) and own != meant for own, meant in languages], bool)
    a, b, resemblance = (pairs[name].to_numpy() for name in ("a", "b", "resemblance"))
    guest, host, resemblance = np.concatenate([a, b]), np.concatenate([b, a]), np.concatenate([resemblance, resemblance])
    is_asked = is_guest[guest] & (meant[guest] != meant[host])
    guest, host, resemblance = guest[is_asked], host[is_asked], resemblance[is_asked]
    # A page that is itself not translated yet is no original, unless there is no other.
    order = np.lexsort((host, -resemblance, is_guest[host], guest))
    nearest = order[first_of_equal(guest[order])]
    for page, shown in zip(guest[nearest].tolist(), host[nearest].tolist(), strict=True):
        result[page] = result[shown]
    return result


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
