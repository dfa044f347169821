"""Links that wait to be made: pages that mention what another page is about, and do not link to it.

In:  the site with the stems of its words, what is known of its pages, what they promise, whose their words are.
Out: :class:`LinkPlan`: for each page that has a phrase of its own the best places for links to it.

A phrase that two pages promise is offered to neither, unless a person named one of them for it; where phrases overlap the
longest is meant. A link belongs into running text of the page's own: headings, listings' teasers and what is pasted on many
pages get none.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.links import distinct_edges, text_links
from mardok.compare.mentions import BlockLinks, Found, Mention, longest_of, mentions_at, together
from mardok.findings.attribution import WordAttribution
from mardok.findings.facts import SiteFacts
from mardok.findings.groups import untranslated_guests
from mardok.findings.names import PageNames
from mardok.large import offsets_of, running_counts, stretches
from mardok.tables import LINK_PLAN, WORDINGS
from mardok.text.distinct import distinct, first_of_equal
from mardok.text.hashes import Hashes, Ints
from mardok.text.site import Site
from mardok.text.site_tables import numbers_in_page
from mardok.vocabulary import GroupKind, PageKind

_LINKS_AT_ONCE = 1 << 18
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
class Wordings:
    """Phrases that mean one page; all arrays have one entry a phrase."""

    hash: Hashes
    """Of the stems of its words."""
    row: Ints
    """The page."""
    n_words: Ints


@dataclass(frozen=True)
class LinkPlan:
    """Links that wait to be made."""

    links: Mapping[int, Sequence[WaitingLink]]
    """For rows of targets the best links, those that pass most weight first, one a page."""
    n_linking: NDArray[np.int64]
    """Pages that link to each page from their main text, shape (n_pages,)."""
    passes: NDArray[np.float64]
    """Link weight that one more link on each page would pass, shape (n_pages,)."""
    wordings: Wordings
    """The phrases that mean one page."""

    def wordings_table(self) -> pd.DataFrame:
        """The table of the phrases."""
        told = self.wordings
        rows = set(zip(told.hash.view(np.int64).tolist(), told.row.tolist(), told.n_words.tolist(), strict=True))
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
    row: Ints
    """Page of each phrase."""
    sense: Ints
    """Number of each phrase among the senses of the names of pages."""
    keeper_of: NDArray[np.int64]
    """Page that each is a variant or copy of; itself if of none."""


def linkable(site: Site, facts: SiteFacts, names: PageNames, attribution: WordAttribution) -> Linkable:
    """The pages that links may lead to, with the phrases that mean each of them and no other.

    Parameters
    ----------
    names : PageNames
        What pages may be called by.
    attribution : WordAttribution
        Which pages are copies.
    """
    copies = attribution.copies
    is_told = copies.is_compared & facts.strength.is_indexable
    # What stands untranslated in another language's folder says nothing of its own till it is translated.
    guests = untranslated_guests(site, copies.grouping.untranslated, facts.meant_for)
    is_told[sorted({*copies.in_copies, *guests})] = False
    stays = is_told & np.array([kind != PageKind.UTILITY for kind in facts.kinds.kind], bool)
    told, titled = is_told[names.row], np.flatnonzero(is_told)
    promised = np.concatenate([names.key[told], names.title_key[titled]])
    promising = np.concatenate([names.row[told], titled])
    n_keys = int(max(keys.max(initial=-1) for keys in (names.key, names.title_key, names.person_key))) + 1
    least, most = np.full(n_keys, len(site.pages)), np.full(n_keys, -1)
    np.minimum.at(least, promised, promising)
    np.maximum.at(most, promised, promising)
    of_person = {int(names.person_key[at]): at for at in np.flatnonzero(stays[names.person_row]).tolist()}
    is_free = least == most
    is_free[list(of_person)] = False
    own = np.flatnonzero(stays[names.row] & (names.sense >= 0) & is_free[names.key] & ~names.is_pattern)
    given = np.array([at for at in of_person.values() if names.person_sense[at] >= 0], np.int64)
    return Linkable(
        stays,
        np.concatenate([names.row[own], names.person_row[given]]),
        np.concatenate([names.sense[own], names.person_sense[given]]),
        _keepers(attribution),
    )


def plan_links(site: Site, facts: SiteFacts, attribution: WordAttribution, names: PageNames, asked: Linkable) -> LinkPlan:
    """The best links that wait to be made to each page.

    Parameters
    ----------
    attribution : WordAttribution
        Whose the words are: what is pasted gets no link.
    names : PageNames
        Where pages are mentioned.
    asked : Linkable
        What links may lead to.
    """
    row_of_sense = np.full(len(names.hash), len(site.pages), np.int64)
    np.minimum.at(row_of_sense, asked.sense, asked.row)
    row_of_sense[row_of_sense == len(site.pages)] = -1
    linking = _linking(site, facts, asked.keeper_of)
    passes = _passed_weight(site, facts)
    places = _Places(site, attribution)
    found = together(
        one.select(np.flatnonzero(_may_link(site, one, places, asked.stays, linking)))
        for one in longest_of(names.mentions(row_of_sense))
    )
    n_pages = len(site.pages)
    n_linking = np.bincount(linking % max(n_pages, 1), minlength=n_pages)
    wordings = Wordings(names.hash[asked.sense], asked.row, names.n_words[asked.sense])
    return LinkPlan(_best(found, places, passes, facts.settings.links.most), n_linking, passes, wordings)


def named_rows(site: Site, facts: SiteFacts) -> Iterator[tuple[str, int]]:
    """Phrases with the rows of the pages that a person named for them, as far as they were read."""
    for phrase, url in facts.targets.items():
        row = site.row_of.get(url, -1)
        if row >= 0 and facts.destinations[row].row >= 0:
            yield phrase, facts.destinations[row].row


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
    n_targets, first = np.zeros(n_pages, np.int64), np.searchsorted(site.links.page, np.arange(n_pages + 1))
    for begin, end in stretches(first, _LINKS_AT_ONCE):
        part = slice(first[begin], first[end])
        targets = site.link_targets[part]
        leads = np.where(targets >= 0, ends[targets], -1)
        known = leads >= 0
        edges = distinct_edges(site.links.page[part][known] - begin, leads[known], n_pages)
        n_targets[begin:end] = np.bincount(edges // max(n_pages, 1), minlength=end - begin)
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
    first = offsets_of(n_links)
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
