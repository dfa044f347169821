"""Who mentions a phrase and does not link to the page meant for it.

In:  an audit, a phrase, and the pages whose texts hold it.
Out: the pages with a mention in running text and no link, those that would pass on most first.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.audits import Audit
from mardok.beside.phrase import TopicPhrase
from mardok.compare.mentions import BlockLinks, find_mentions, mentions_at, unlinked
from mardok.text.hashes import corpus_of
from mardok.text.stems import stemmed
from mardok.text.words import folded

_MOST_READ = 1000
"""Pages whose blocks and links are read, those with most link weight first."""


@dataclass(frozen=True)
class WaitingLink:
    """A page that could link where it mentions the phrase."""

    url: str
    sentence: str
    anchor: str
    """The words to make a link of."""
    n_mentions: int
    link_weight: float
    """What the link would pass."""


@dataclass(frozen=True)
class Linking:
    """Links that wait to be made."""

    waiting: tuple[WaitingLink, ...]
    """The page with most link weight first."""
    n_linking: int
    """Pages that link to the page meant for the phrase from their text."""
    n_left: int
    """Pages with the words that were not looked at, since there are so many."""


def unlinked_pages(
    audit: Audit, phrase: TopicPhrase, language: str, rows: NDArray[np.int64], targets: Collection[int]
) -> Linking:
    """The pages that mention a phrase in running text, and link neither there nor elsewhere in it to the page meant for it.

    Parameters
    ----------
    language : str
        Language of that page.
    rows : ndarray of int64
        Rows of the pages whose texts may hold the words.
    targets : collection of int
        Rows of that page and of other addresses of it; none if it is not published yet.
    """
    tables = audit.tables
    leading = np.flatnonzero(np.isin(tables.column("links", "target_page"), sorted(targets)))
    links = tables.rows("links", leading, ["page", "chrome"])
    linking = {
        page for page, in_chrome in zip(links["page"], links["chrome"], strict=True) if not in_chrome and page not in targets
    }
    names = ("language", "indexable", "variant_of", "link_weight")
    cells = tables.rows("pages", rows, names)
    weight = {
        row: weight or 0.0
        for row, own, is_indexable, variant_of, weight in zip(rows.tolist(), *(cells[name] for name in names), strict=True)
        if own == language and is_indexable and not variant_of and row not in targets and row not in linking
    }
    kept = sorted(sorted(weight, key=lambda row: (-weight[row], row))[:_MOST_READ])
    if not kept:
        return Linking((), len(linking), 0)
    pages = tables.rows("pages", np.array(kept, np.int64), ["url", "main_text"])
    corpus = corpus_of(map(folded, pages["main_text"]))
    stop_words = {folded(word) for word in audit.meta.settings.phrases.stop_words}
    stems = stemmed(corpus, [language] * len(kept), stop_words)
    found = find_mentions(stems, np.zeros(len(kept), np.int64), [[phrase.text]], exact=False)
    blocks, n_targets = _blocks_with_links(audit, kept)
    damping = audit.meta.settings.links.damping
    waiting = []
    for one in unlinked(mentions_at(corpus, blocks, found), np.ones(len(kept), bool)):
        row = kept[one.page]
        passes = float(weight[row]) * damping / (n_targets.get(row, 0) + 1)
        waiting.append(WaitingLink(pages["url"][one.page], one.sentence, one.anchor, one.n_mentions, passes))
    waiting.sort(key=lambda one: (-one.link_weight, one.url))
    return Linking(tuple(waiting), len(linking), len(weight) - len(kept))


def _blocks_with_links(audit: Audit, rows: list[int]) -> tuple[BlockLinks, Mapping[int, int]]:
    """The blocks of main text of some pages with their links; and how many pages each of them links to."""
    at = np.array(rows, np.int64)
    blocks = audit.tables.of_pages("blocks", at, ["page", "block", "text", "level", "main"])
    links = audit.tables.of_pages("links", at, ["page", "block", "start", "end", "url", "target_page"])
    n_targets = Counter(page for page, target in set(zip(links["page"], links["target_page"], strict=True)) if target >= 0)
    of_block: dict[tuple[int, int], list[tuple[int, int, str]]] = {}
    for page, block, *link in zip(*(links[name] for name in ("page", "block", "start", "end", "url")), strict=True):
        of_block.setdefault((page, block), []).append((link[0], link[1], link[2]))
    texts, levels, told, first = [], [], [], [0]
    for page, block, text, level, is_main in zip(
        *(blocks[name] for name in ("page", "block", "text", "level", "main")), strict=True
    ):
        if is_main:
            texts.append(text)
            levels.append(level)
            told += of_block.get((page, block), [])
            first.append(len(told))
    stated = BlockLinks(
        text_of=texts.__getitem__,
        level=np.array(levels, np.int64),
        first=np.array(first, np.int64),
        start=np.array([link[0] for link in told], np.int64),
        end=np.array([link[1] for link in told], np.int64),
        url_of=lambda number: told[number][2],
    )
    return stated, n_targets
