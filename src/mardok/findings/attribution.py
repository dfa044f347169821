"""Whose the words of each page are: its own, shared with other pages, or boilerplate.

In:  the site, what is known of its pages, which of them are copies.
Out: :class:`WordAttribution`, and the tables of pasted text.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.accounting import Accounted, account
from mardok.compare.links import text_links
from mardok.compare.runs import RepeatedRuns, repeated_runs
from mardok.findings.copy_analysis import CopyAnalysis
from mardok.findings.facts import SiteFacts
from mardok.findings.wording import CarriedText, boilerplate_table, carried_texts, passages_table, teasers_table
from mardok.kept import KeptParts, Tables, digest_of
from mardok.text.hashes import Corpus
from mardok.text.site import Site


@dataclass(frozen=True)
class WordAttribution:
    """Whose the words of each page are."""

    copies: CopyAnalysis
    """Which pages are copies: what they share is their own."""
    words: Accounted
    """Own, shared and boilerplate words of each page."""
    texts: list[CarriedText]
    """Boilerplate texts."""
    is_pasted: NDArray[np.bool_]
    """For each block of the corpus whether all of it is boilerplate, or a teaser of another page: not worth moving."""
    tables: dict[str, pd.DataFrame]
    """Those of passages, teasers and boilerplate."""


def attribute_words(site: Site, facts: SiteFacts, copies: CopyAnalysis, kept: KeptParts) -> WordAttribution:
    """Attribute each word to own, shared or boilerplate text.

    Parameters
    ----------
    copies : CopyAnalysis
        Which pages are compared, and the groups of copies: within one words are not shared.
    kept : KeptParts
        What an earlier audit kept of the same words.
    """
    is_compared, group_of = copies.is_compared, copies.group_of
    runs = kept.part(
        "runs",
        {"words": kept.key_of("words"), "pages": digest_of(is_compared)},
        lambda: repeated_runs(site.corpus, is_compared),
        lambda made: {"runs": {"place": made.places, "number": made.number}},
        lambda tables: _runs_of_tables(tables, site.corpus),
    )
    links = text_links(site, facts.destinations)
    with kept.tasks_of("accounting", are_kept_on=True):
        words = account(site.corpus, runs, is_compared, group_of, site.section, links, facts.settings.boilerplate)
    texts = carried_texts(site, runs, words)
    tables = {
        "passages": passages_table(site, runs, words),
        "teasers": teasers_table(site, words.is_teaser),
        "boilerplate": boilerplate_table(site, texts, is_compared, group_of),
    }
    return WordAttribution(copies, words, texts, words.pasted_blocks(site.corpus), tables)


def _runs_of_tables(tables: Tables, corpus: Corpus) -> RepeatedRuns:
    places, number = (np.asarray(tables["runs"][name]) for name in ("place", "number"))
    n_of_page = np.diff(np.searchsorted(places, corpus.offsets))
    return RepeatedRuns(places, number, np.repeat(np.arange(corpus.n_texts), n_of_page))
