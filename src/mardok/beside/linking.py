"""Who mentions a phrase and does not link to the page meant for it.

In:  an audit, a phrase, and the pages whose texts hold it.
Out: the pages with a mention in running text and no link, those that would pass on most first.
"""

from __future__ import annotations

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


@dataclass(frozen=True)
class Linking:
    """Links that wait to be made."""

    waiting: tuple[WaitingLink, ...]
    """The page with most link weight first."""
    n_linking: int
    """Pages that link to the page meant for the phrase from their text."""
    n_left: int
    """Pages with the words that were not looked at, since there are so many."""


def unlinked_pages(audit: Audit, phrase: TopicPhrase, meant: int, rows: NDArray[np.int64]) -> Linking:
    """The pages that mention a phrase in running text, and link neither there nor elsewhere in it to the page meant for it.

    Parameters
    ----------
    meant : int
        Row of that page; -1 if there is none, and so no link to be made.
    rows : ndarray of int64
        Rows of the pages whose texts may hold the words.
    """
    if meant < 0:
        return Linking((), 0, 0)
    tables = audit.tables
    language = tables.row("pages", meant, ["language"])["language"]
    leading = np.flatnonzero(tables.column("links", "target_page") == meant)
    links = tables.rows("links", leading, ["page", "chrome"])
    linking = {
        page for page, in_chrome in zip(links["page"], links["chrome"], strict=True) if not in_chrome and page != meant
    }
    names = ("language", "indexable", "variant_of", "link_weight")
    cells = tables.rows("pages", rows, names)
    weight = {
        row: weight or 0.0
        for row, own, is_indexable, variant_of, weight in zip(rows.tolist(), *(cells[name] for name in names), strict=True)
        if own == language and is_indexable and not variant_of and row != meant and row not in linking
    }
    kept = sorted(sorted(weight, key=lambda row: (-weight[row], row))[:_MOST_READ])
    if not kept:
        return Linking((), len(linking), 0)
    pages = tables.rows("pages", np.array(kept, np.int64), ["url", "main_text"])
    corpus = corpus_of(map(folded, pages["main_text"]))
    stop_words = {folded(word) for word in audit.meta.settings.phrases.stop_words}
    stems = stemmed(corpus, [language] * len(kept), stop_words)
    found = find_mentions(stems, np.zeros(len(kept), np.int64), [[phrase.text]], exact=False)
    told = unlinked(mentions_at(corpus, _block_links(audit, kept), found), np.ones(len(kept), bool))
    waiting = [
        WaitingLink(pages["url"][one.page], one.sentence, one.anchor, one.n_mentions, float(weight[kept[one.page]]))
        for one in told
    ]
    waiting.sort(key=lambda one: (-one.link_weight, one.url))
    return Linking(tuple(waiting), len(linking), len(weight) - len(kept))


def _block_links(audit: Audit, rows: list[int]) -> BlockLinks:
    """The blocks of main text of some pages with their links."""
    at = np.array(rows, np.int64)
    blocks = audit.tables.of_pages("blocks", at, ["page", "block", "text", "level", "main"])
    links = audit.tables.of_pages("links", at, ["page", "block", "start", "end", "url"])
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
    return BlockLinks(
        text_of=texts.__getitem__,
        level=np.array(levels, np.int64),
        first=np.array(first, np.int64),
        start=np.array([link[0] for link in told], np.int64),
        end=np.array([link[1] for link in told], np.int64),
        url_of=lambda number: told[number][2],
    )
