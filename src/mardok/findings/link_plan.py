"""Links that wait to be made: pages that mention what another page is about, and do not link to it.

In:  the site with the stems of its words, what is known of its pages, what they promise, whose their words are.
Out: :class:`LinkPlan`: for each page that has a phrase of its own the best places for links to it.

All phrases are looked for at once, so that the cost grows with the words of the site and hardly with the number of targets.
A phrase that two pages promise is offered to neither, unless a person named one of them for it; where phrases overlap the
longest is meant. A link belongs into running text of the page's own: headings, listings' teasers and what is pasted on many
pages get none.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from sys import intern

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.links import distinct_edges, text_links
from mardok.compare.mentions import (
    BlockLinks,
    Found,
    Mention,
    Wording,
    every_mention,
    hashes_by_length,
    longest_mentions,
    mentions_at,
)
from mardok.compare.phrases import LONGEST
from mardok.compare.topics import PagePromises
from mardok.findings.attribution import WordAttribution
from mardok.findings.facts import SiteFacts
from mardok.findings.groups import untranslated_guests
from mardok.large import running_counts
from mardok.tables import LINK_PLAN, WORDINGS
from mardok.text.distinct import distinct, first_of_equal
from mardok.text.hashes import corpus_of
from mardok.text.site import Site
from mardok.text.site_tables import numbers_in_page
from mardok.text.stems import Stemmed, stemmed
from mardok.text.words import folded, words
from mardok.vocabulary import GroupKind, PageKind

_FEWEST_WORDS = 2
"""Words that tell, of a phrase that is looked for: one alone is said everywhere."""
_PATTERN_PAGES = 3
"""Pages with a phrase in title or H1 from which it is a pattern."""
_SEVERAL = -1
"""Stands for the row of a page where several pages promise the same."""
_NO_PROSE = ("pre", "button", "legend", "caption", "figcaption")
"""Elements in which nobody sets a link to explain a word."""


@dataclass(frozen=True, slots=True)
class WaitingLink:
    """A link that could be made."""

    source: int
    """Row of the page that mentions the target."""
    block: int
    """Place of the block in its page."""
    anchor: str
    """The words to make a link of, as they are written."""
    sentence: str
    weight: float
    """Link weight that it would pass."""


@dataclass(frozen=True)
class LinkPlan:
    """Links that wait to be made."""

    links: Mapping[int, Sequence[WaitingLink]]
    """For rows of targets the best links, those that pass most weight first, one a page."""
    n_linking: NDArray[np.int64]
    """Pages that link to each page from their main text, shape (n_pages,)."""
    passes: NDArray[np.float64]
    """Link weight that one more link on each page would pass, shape (n_pages,)."""
    wordings: Sequence[Wording]
    """The phrases that were looked for."""

    def wordings_table(self) -> pd.DataFrame:
        """The table of the phrases."""
        languages = sorted({language for language, *_ in self.wordings})
        rows = [
            row
            for n, own in hashes_by_length(languages, self.wordings, exact=False).items()
            for row in set(zip(own.hashes.view(np.int64).tolist(), own.things.tolist(), [n] * len(own.things), strict=True))
        ]
        return WORDINGS.frame(sorted(rows))

    def plan_table(self, site: Site) -> pd.DataFrame:
        """The table of the plan."""
        return LINK_PLAN.frame(
            (
                site.pages[target].url, site.pages[link.source].url, link.block, link.anchor, link.sentence, link.weight,
                int(self.n_linking[target]),
            )
            for target, links in self.links.items()
            for link in links
        )  # fmt: skip


@dataclass(frozen=True)
class Linkable:
    """What links may lead to, and by which phrases it is known."""

    stays: NDArray[np.bool_]
    """Pages that links may lead to and come from, shape (n_pages,)."""
    wordings: Sequence[Wording]
    """What each page is called by."""
    named: Sequence[tuple[str, int]]
    """Phrases with the rows of the pages that a person named for them."""
    keeper_of: NDArray[np.int64]
    """Page that each is a variant or copy of; itself if of none."""


def linkable(site: Site, facts: SiteFacts, promises: PagePromises, attribution: WordAttribution) -> Linkable:
    """The pages that links may lead to, with their phrases.

    Parameters
    ----------
    promises : PagePromises
        The target phrase of each page.
    attribution : WordAttribution
        Which pages are copies.
    """
    copies = attribution.copies
    stays = copies.is_compared & facts.strength.is_indexable
    # What stands untranslated in another language's folder says nothing of its own till it is translated.
    guests = untranslated_guests(site, copies.grouping.untranslated, facts.meant_for)
    stays[sorted({*copies.in_copies, *guests})] = False
    is_told = stays.copy()
    stays &= np.array([kind != PageKind.UTILITY for kind in facts.kinds.kind], bool)
    named = list(_named_rows(site, facts))
    return Linkable(stays, list(target_wordings(site, named, promises, stays, is_told)), named, _keepers(attribution))


def plan_links(site: Site, stems: Stemmed, facts: SiteFacts, attribution: WordAttribution, asked: Linkable) -> LinkPlan:
    """The best links that wait to be made to each page.

    Parameters
    ----------
    stems : Stemmed
        The words of the site with their stems.
    attribution : WordAttribution
        Whose the words are: what is pasted gets no link.
    asked : Linkable
        What is looked for.
    """
    number = {name: code for code, name in enumerate(stems.languages)}
    language_of = np.array([number[page.language] for page in site.pages], np.int64)
    wordings = _without_patterns(site, facts, asked)
    found = longest_mentions(stems, language_of, wordings)
    linking = _linking(site, facts, asked.keeper_of)
    passes = _passed_weight(site, facts)
    places = _Places(site, attribution)
    found = found.select(np.flatnonzero(_may_link(site, found, places, asked.stays, linking)))
    n_pages = len(site.pages)
    n_linking = np.bincount(linking % max(n_pages, 1), minlength=n_pages)
    return LinkPlan(_best(found, places, passes, facts.settings.links.most), n_linking, passes, wordings)


def target_wordings(
    site: Site,
    phrases: Iterable[tuple[str, int]],
    promises: PagePromises,
    stays: NDArray[np.bool_],
    is_told: NDArray[np.bool_],
) -> Iterator[Wording]:
    """What each page is called by, and no other: its target phrase, its H1, and phrases that a person named it for.

    Parameters
    ----------
    phrases : iterable of tuple
        Phrases with the rows of the pages that a person named for them.
    stays : ndarray of bool, shape (n_pages,)
        Pages that links may lead to.
    is_told : ndarray of bool, shape (n_pages,)
        Pages whose promises are not another's alone.
    """
    stemmer = promises.stemmer
    named: dict[tuple[str, frozenset[str]], tuple[int, str]] = {}
    for phrase, end in phrases:
        if end >= 0 and stays[end]:
            language = site.pages[end].language
            stemmer.learn({language: [phrase]})
            named[language, stemmer.telling(phrase, language)] = end, phrase
    # Of each page one text stands for the set of its stems, and one number for its rows: sets would be kilobytes.
    promising: dict[str, int] = {}
    own: list[tuple[int, str, str]] = []
    for row in np.flatnonzero(is_told).tolist():
        page, topic = site.pages[row], promises.topics[row]
        h1 = page.h1 if page.h1.casefold() != topic.phrase else topic.phrase  # as most: then it says nothing more
        for text in dict.fromkeys((topic.phrase, h1)):
            telling = stemmer.telling(text, page.language)
            key = _key(page.language, telling)
            promising[key] = row if promising.get(key, row) == row else _SEVERAL
            if stays[row] and len(telling) >= _FEWEST_WORDS:
                own.append((row, key, text))
        key = _key(page.language, topic.ordered_title_stems)
        promising[key] = row if promising.get(key, row) == row else _SEVERAL
    of_person = {_key(*key) for key in named}
    for row, key, text in own:
        if key not in of_person and promising[key] != _SEVERAL:
            text_words = [*map(intern, words(text))]
            if len(text_words) <= LONGEST:
                yield site.pages[row].language, row, text_words
    for (language, _), (row, phrase) in named.items():
        if 1 <= len(words(phrase)) <= LONGEST:
            yield language, row, words(phrase)


def _key(language: str, stems: Iterable[str]) -> str:
    """A text that is equal for equal sets of stems of one language."""
    return " ".join((language, *sorted(stems)))


def _without_patterns(site: Site, facts: SiteFacts, known: Linkable) -> list[Wording]:
    """Phrases without those that several titles or H1 hold: a page of a series is not what its pattern says.

    "Workshop diary" means none of "Workshop diary: May", "Workshop diary: June" ...; but it means a page that is called so
    and no more, and one that a person named for it.
    """
    n_pages, wordings = len(site.pages), known.wordings
    titles = facts.titles.own
    heads = [page.h1 if page.h1 != title else "" for page, title in zip(site.pages, titles, strict=True)]
    languages = [page.language for page in site.pages] * 2
    stems = stemmed(corpus_of(map(folded, (*titles, *heads))), languages, ())
    number = {name: code for code, name in enumerate(stems.languages)}
    language_of = np.array([number[name] for name in languages], np.int64)
    asked = [(language, at, wording) for at, (language, _, wording) in enumerate(wordings)]
    found = every_mention(stems, language_of, asked)
    pages = (np.searchsorted(stems.corpus.offsets, found.place, side="right") - 1) % max(n_pages, 1)
    saying = distinct_edges(found.thing, pages, max(n_pages, 1))
    n_saying = np.bincount(saying // max(n_pages, 1), minlength=len(wordings))
    named = {(row, " ".join(words(phrase))) for phrase, row in known.named}
    return [
        (language, row, wording)
        for (language, row, wording), n in zip(wordings, n_saying.tolist(), strict=True)
        if n < _PATTERN_PAGES
        or list(wording) in (words(titles[row]), words(heads[row]))
        or (row, " ".join(wording)) in named
    ]


def _named_rows(site: Site, facts: SiteFacts) -> Iterator[tuple[str, int]]:
    """Phrases with the rows of the pages that a person named for them."""
    for phrase, url in facts.targets.items():
        row = site.row_of.get(url, -1)
        yield phrase, facts.destinations[row].row if row >= 0 else -1


def _keepers(attribution: WordAttribution) -> NDArray[np.int64]:
    """Page that each is a variant or copy of; itself if of none."""
    result = np.arange(len(attribution.copies.group_of))
    for group in attribution.copies.grouping.groups:
        if group.kind in (GroupKind.VARIANTS, GroupKind.COPIES):
            result[list(group.members)] = group.keeper
    return np.asarray(result[result])  # a keeper of variants may go into a copy


def _linking(site: Site, facts: SiteFacts, keeper_of: NDArray[np.int64]) -> NDArray[np.int64]:
    """Links from main text as source * n_pages + target, sorted; those to variants and copies lead to what stays too."""
    n_pages = len(site.pages)
    links = text_links(site, facts.destinations)
    source, target = links // n_pages, links % n_pages
    every = np.concatenate([links, source * n_pages + keeper_of[target]])
    return distinct(every[every // n_pages != every % n_pages])


def _passed_weight(site: Site, facts: SiteFacts) -> NDArray[np.float64]:
    """Link weight that one more link on each page would pass on."""
    n_pages = len(site.pages)
    ends = np.array([destination.row for destination in facts.destinations], np.int64)
    leads = np.where(site.link_targets >= 0, ends[site.link_targets], -1)
    known = leads >= 0
    edges = distinct_edges(site.links.page[known], leads[known], n_pages)
    n_targets = np.bincount(edges // max(n_pages, 1), minlength=n_pages)
    return np.asarray(facts.strength.link_weight * facts.settings.links.damping / (n_targets + 1))


class _Places:
    """Where on its page each word of the site stands."""

    def __init__(self, site: Site, attribution: WordAttribution) -> None:
        self.corpus = site.corpus
        self.blocks = block_links(site)
        self.number = numbers_in_page(site.blocks)[site.main_places]
        contexts = site.blocks.contexts
        is_prose = np.array([not one.level and one.tag not in _NO_PROSE for one in contexts], bool)
        at = site.blocks.at[site.main_places]
        self.may_hold = is_prose[site.blocks.context[at]] & ~attribution.is_pasted
        """Whether a link may be set in each block of the corpus."""
        self.n_pasted = running_counts(attribution.words.is_boilerplate, attribution.words.is_teaser)
        """Words up to each that are pasted, or tease another page."""

    def block_of(self, place: NDArray[np.int64]) -> NDArray[np.int64]:
        """The block of the corpus that some words stand in."""
        return np.searchsorted(self.corpus.block_offsets, place, side="right") - 1

    def page_of(self, place: NDArray[np.int64]) -> NDArray[np.int64]:
        """The page that some words stand on."""
        return np.searchsorted(self.corpus.offsets, place, side="right") - 1


def _may_link(
    site: Site, found: Found, places: _Places, stays: NDArray[np.bool_], linking: NDArray[np.int64]
) -> NDArray[np.bool_]:
    """Whether a link would be right at each mention, if it stands in none."""
    page = places.page_of(found.place)
    key = page * len(site.pages) + found.thing
    at = np.minimum(np.searchsorted(linking, key), max(len(linking) - 1, 0))
    is_linked = linking[at] == key if len(linking) else np.zeros(len(key), bool)
    is_pasted = places.n_pasted[found.place + found.n_words] > places.n_pasted[found.place]
    return np.asarray(
        stays[page] & (page != found.thing) & ~is_linked & ~is_pasted & places.may_hold[places.block_of(found.place)]
    )


def _best(found: Found, places: _Places, passes: NDArray[np.float64], most: int) -> dict[int, list[WaitingLink]]:
    """For each target the links that pass most, one a page, at the first of its mentions that is no link yet.

    Whether a mention is in a link, or a part of a longer name, is asked of those only that would be chosen; those that are
    make room for others.
    """
    page = places.page_of(found.place)
    order = np.lexsort((found.place, page, -passes[page], found.thing))
    found, page = found.select(order), page[order]
    left = np.arange(len(order))
    told: dict[int, Mention] = {}
    while True:
        once = left[first_of_equal(page[left]) | first_of_equal(found.thing[left])]
        begins = np.maximum.accumulate(np.where(first_of_equal(found.thing[once]), np.arange(len(once)), 0))
        chosen = once[np.arange(len(once)) - begins < most]
        asked = np.array([at for at in chosen.tolist() if at not in told], np.int64)
        if not len(asked):
            break
        asked = asked[np.argsort(found.place[asked], kind="stable")]
        told.update(zip(asked.tolist(), mentions_at(places.corpus, places.blocks, found.select(asked)), strict=True))
        refused = [at for at in asked.tolist() if told[at].link >= 0 or told[at].is_part]
        left = left[~np.isin(left, refused)]
    result: dict[int, list[WaitingLink]] = defaultdict(list)
    for at, target, source in zip(chosen.tolist(), found.thing[chosen].tolist(), page[chosen].tolist(), strict=True):
        mention = told[at]
        block = int(places.number[mention.block])
        result[target].append(WaitingLink(source, block, mention.text, mention.sentence, float(passes[source])))
    return dict(result)


def block_links(site: Site) -> BlockLinks:
    """The blocks of main text with their links."""
    blocks, links = site.blocks, site.links
    at = blocks.at[site.main_places]
    n_links = np.diff(links.first)[at]
    first = np.concatenate([np.zeros(1, np.int64), np.cumsum(n_links)])
    item = np.repeat(links.first[:-1][at] - first[:-1], n_links) + np.arange(first[-1])
    level = np.array([context.level for context in blocks.contexts], np.int64)
    return BlockLinks(
        text_of=lambda block: str(blocks.texts[blocks.text[at[block]]]),
        level=level[blocks.context[at]],
        first=first,
        start=links.start[item].astype(np.int64),
        end=links.end[item].astype(np.int64),
        url_of=lambda link: str(links.urls[links.url[item[link]]]),
    )
