"""What pages say: their phrases, who mentions what, and how each page uses the phrase it is about.

In:  the site, what is known of its pages, what they promise, whose their words are.
Out: :class:`PhraseAnalysis`.
"""

from __future__ import annotations

from dataclasses import dataclass

import pandas as pd

from mardok.compare.mentions import OwnUses, own_uses
from mardok.compare.topics import PagePromises
from mardok.findings.attribution import WordAttribution
from mardok.findings.facts import SiteFacts
from mardok.findings.link_plan import LinkPlan, plan_links
from mardok.findings.wording import page_phrases_table, phrases_table, section_phrases_table, stemmed_site
from mardok.kept import KeptParts
from mardok.tables import PAGE_PHRASES
from mardok.text.site import Site


@dataclass(frozen=True)
class PhraseAnalysis:
    """What the pages say."""

    tables: dict[str, pd.DataFrame]
    """Those of phrases."""
    link_plan: LinkPlan
    """Pages that mention what others are about and do not link to them."""
    of_topic: OwnUses
    """How each page uses its target phrase."""


def analyse_phrases(
    site: Site, facts: SiteFacts, promises: PagePromises, attribution: WordAttribution, kept: KeptParts
) -> PhraseAnalysis:
    """Count phrases, find mentions without a link, and how each page uses the phrase that it is about.

    Parameters
    ----------
    promises : PagePromises
        The target phrase of each page.
    attribution : WordAttribution
        Whose the words are: what is pasted counts once.
    kept : KeptParts
        What an earlier audit kept of the same words.
    """
    settings, copies = facts.settings.phrases, attribution.copies
    is_compared, stems = copies.is_compared, stemmed_site(site, settings)
    link_plan = plan_links(site, stems, facts, promises, attribution)
    of_topic = own_uses(stems, [page.language for page in site.pages], [topic.phrase for topic in promises.topics])
    tables = {
        **link_plan.tables(site),
        # last, when what is done beside needs less memory: they need the most
        "phrases": phrases_table(stems, is_compared, attribution.words.is_repeated, settings),
        "page_phrases": kept.frame(
            "page_phrases", {"words": kept.key_of("words"), "phrases": settings.model_dump(mode="json")}, PAGE_PHRASES,
            lambda: page_phrases_table(stems, settings),
        ),
        "section_phrases": section_phrases_table(site, stems, is_compared, attribution.words, settings),
    }  # fmt: skip
    return PhraseAnalysis(tables, link_plan, of_topic)
