"""What pages say: their phrases, who mentions what, and how each page uses the phrase it is about.

In:  the site, what is known of its pages, what they promise, whose their words are.
Out: :class:`PhraseAnalysis`; the tables of phrases and links are filed.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from typing import Any, NamedTuple

import numpy as np

from mardok.compare.mentions import OwnUses, own_uses
from mardok.compare.topics import PagePromises
from mardok.findings.attribution import WordAttribution
from mardok.findings.facts import SiteFacts
from mardok.findings.link_plan import Linkable, LinkPlan, WaitingLink, Wordings, linkable, named_rows, plan_links
from mardok.findings.names import names_of_tables, page_names, tables_of_names
from mardok.findings.wording import page_phrases_table, phrases_table, section_phrases_table, stemmed_site
from mardok.kept import KeptParts, Tables, digest_of
from mardok.kept_rows import columns_of_rows, rows_of_columns
from mardok.tables import LINK_PLAN, PAGE_PHRASES, PHRASES, SECTION_PHRASES, WORDINGS
from mardok.text.site import Site


@dataclass(frozen=True)
class PhraseAnalysis:
    """What the pages say."""

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
        What an earlier audit kept of the same words; takes the tables.
    """
    settings, is_compared, accounted = facts.settings.phrases, attribution.copies.is_compared, attribution.words
    of_words = {"words": kept.key_of("words"), "phrases": settings.model_dump(mode="json")}
    stems = cache(lambda: stemmed_site(site, settings))

    of_person = list(named_rows(site, facts))
    names = kept.part(
        "names",
        {**of_words, "promises": kept.key_of("promises"), "persons": [list(one) for one in of_person]},
        lambda: page_names(site, facts.titles.own, promises, of_person, stems()),
        tables_of_names,
        names_of_tables,
    )
    asked = linkable(site, facts, names, attribution)
    depends = {"names": kept.key_of("names"), **_depends_of_links(asked, facts, attribution)}
    link_plan = kept.part(
        "link_plan",
        depends,
        lambda: plan_links(site, facts, attribution, names, asked),
        _tables_of_links,
        _links_of_tables,
    )
    kept.file(LINK_PLAN, depends, lambda: [link_plan.plan_table(site)])
    kept.file(WORDINGS, depends, lambda: [link_plan.wordings_table()])
    phrases = [topic.phrase for topic in promises.topics]
    of_topic = kept.part(
        "own_uses",
        {**of_words, "topics": digest_of(phrases)},
        lambda: own_uses(stems(), [page.language for page in site.pages], phrases),
        lambda uses: {"pages": {"uses": uses.uses, "first": uses.first}},
        lambda tables: OwnUses(*(np.asarray(tables["pages"][name]) for name in ("uses", "first"))),
    )
    # last, when what is done beside needs less memory: they need the most
    of_pages = {**of_words, "pages": digest_of(is_compared), "repeated": digest_of(accounted.is_repeated)}
    kept.file(PHRASES, of_pages, lambda: [phrases_table(stems(), is_compared, accounted.is_repeated, settings)])
    kept.file(PAGE_PHRASES, of_words, lambda: [page_phrases_table(stems(), settings)])
    kept.file(
        SECTION_PHRASES,
        {**of_pages, "teasers": digest_of(accounted.is_teaser)},
        lambda: [section_phrases_table(site, stems(), is_compared, accounted, settings)],
    )
    return PhraseAnalysis(link_plan, of_topic)


def _depends_of_links(asked: Linkable, facts: SiteFacts, attribution: WordAttribution) -> dict[str, Any]:
    """What a link plan depends on beside the names of pages and the words of the site."""
    words = attribution.words
    return {
        "asked": digest_of(asked.stays, asked.row, asked.sense, asked.keeper_of),
        "links": facts.settings.links.model_dump(mode="json"),
        "leads": digest_of(np.array([end.row for end in facts.destinations], np.int64), facts.strength.link_weight),
        "pasted": digest_of(words.is_boilerplate, words.is_teaser, attribution.is_pasted),
    }


class _Link(NamedTuple):
    """A waiting link as it is kept."""

    target: int
    source: int
    block: int
    anchor: str
    sentence: str
    weight: float


def _tables_of_links(plan: LinkPlan) -> Tables:
    links = [
        _Link(target, one.source, one.block, one.anchor, one.sentence, one.weight)
        for target, own in plan.links.items()
        for one in own
    ]
    wordings = plan.wordings
    return {
        "links": columns_of_rows(links, _Link),
        "pages": {"n_linking": plan.n_linking, "passes": plan.passes},
        "wordings": {"hash": wordings.hash, "row": wordings.row, "n_words": wordings.n_words},
    }


def _links_of_tables(tables: Tables) -> LinkPlan:
    links: dict[int, list[WaitingLink]] = defaultdict(list)
    for one in rows_of_columns(tables["links"], _Link):
        links[one.target].append(WaitingLink(one.source, one.block, one.anchor, one.sentence, one.weight))
    pages: Mapping[str, Any] = tables["pages"]
    wordings = Wordings(*(np.asarray(tables["wordings"][name]) for name in ("hash", "row", "n_words")))
    return LinkPlan(dict(links), np.asarray(pages["n_linking"]), np.asarray(pages["passes"]), wordings)
