"""Which pages mention what another page is about, and do not link to it.

In:  the pages with their words, links and destinations.
Out: for a wording and a page, the pages that could link to it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from mardok.compare.destinations import Destination
from mardok.compare.mentions import BlockLinks, Unlinked, find_mentions, mentions_at, unlinked
from mardok.compare.phrases import LONGEST
from mardok.text.site import Site
from mardok.text.stems import Stemmed
from mardok.text.words import words

_FEWEST_WORDS = 2


def unlinked_mentions(
    site: Site,
    stemmed: Stemmed,
    destinations: Sequence[Destination],
    is_compared: NDArray[np.bool_],
    wording_of: Mapping[int, str],
) -> dict[int, list[Unlinked]]:
    """For each page the pages of its language that mention its wording and do not link to it from their main text.

    Parameters
    ----------
    is_compared : ndarray of bool, shape (n_pages,)
        Pages that may be told to link.
    wording_of : mapping of int to str
        What is looked for, for the row of each page that links are wanted to.
    """
    targets = list(wording_of)
    number = {name: code for code, name in enumerate(stemmed.languages)}
    language_of = np.array([number[page.language] for page in site.pages], np.int64)
    ends = np.array([destination.row for destination in destinations], np.int64)
    leads = np.where(site.link_targets >= 0, ends[site.link_targets], -1)
    thing_of = np.full(len(site.pages) + 1, -1, np.int64)  # the last one is what a link leads to that leads nowhere
    thing_of[targets] = np.arange(len(targets))
    links = np.flatnonzero((thing_of[leads] >= 0) & ~site.chrome_links)
    linking = _by_thing(thing_of[leads[links]], len(targets))
    blocks = _block_links(site)
    places = find_mentions(stemmed, language_of, [[wording_of[target]] for target in targets], exact=False)
    mentioning = _by_thing(places.thing, len(targets))
    result = {}
    for target, of_links, of_places in zip(targets, linking, mentioning, strict=True):
        fits = is_compared & (language_of == language_of[target])
        fits[site.links.page[links[of_links]]] = False
        fits[target] = False
        result[target] = unlinked(mentions_at(stemmed, blocks, places.select(of_places)), fits)
    return result


def _by_thing(thing: NDArray[np.int64], n_things: int) -> list[NDArray[np.int64]]:
    """Where each thing stands in an array, in order."""
    order = np.argsort(thing, kind="stable")
    return np.split(order, np.searchsorted(thing[order], np.arange(1, n_things)))[:n_things]


def wording_of(site: Site, row: int) -> str:
    """The phrase a page is about, as its H1 says it; ``""`` if that is too short or too long to be mentioned."""
    text_words = words(site.pages[row].h1)
    return " ".join(text_words) if _FEWEST_WORDS <= len(text_words) <= LONGEST else ""


def _block_links(site: Site) -> BlockLinks:
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
