"""Who mentions a phrase and does not link to the page meant for it.

In:  an audit, a phrase, and the pages whose texts hold it.
Out: the pages with a mention in running text and no link, those that would pass on most first.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from mardok.audits import Audit
from mardok.beside.phrase import TopicPhrase
from mardok.compare.mentions import BlockLinks, find_mentions, mentions_at, unlinked
from mardok.store import matching_texts
from mardok.text.hashes import Corpus, corpus_of
from mardok.text.stems import Stemmed, stemmed
from mardok.text.words import folded

_MOST_READ = 100
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
    """Pages that mention it, linked or not, and were not looked at, since there are so many."""


def unlinked_pages(audit: Audit, phrase: TopicPhrase, language: str, targets: Collection[int]) -> Linking:
    """The pages that mention a phrase in running text, and link neither there nor elsewhere in it to the page meant for it.

    Parameters
    ----------
    language : str
        Language of that page.
    targets : collection of int
        Rows of that page and of other addresses of it; none if it is not published yet.
    """
    tables = audit.tables
    leading = np.flatnonzero(np.isin(tables.column("links", "target_page"), sorted(targets)))
    links = tables.rows("links", leading, ["page", "chrome"])
    linking = {
        page for page, in_chrome in zip(links["page"], links["chrome"], strict=True) if not in_chrome and page not in targets
    }
    patterns = phrase.mention_patterns(language)
    texts = tables.matching_cells("pages", "main_text", patterns, phrase.mention_patterns(language, is_ascii=True))
    weight = _weights(audit, language, [row for row in texts if row not in targets and row not in linking])
    mentioning = _mentioning(audit, phrase, language, {row: texts[row] for row in weight}, patterns)
    kept = sorted(sorted(mentioning, key=lambda row: (-weight[row], row))[:_MOST_READ])
    if not kept:
        return Linking((), len(linking), 0)
    blocks, stated, n_targets = _blocks_of(audit, kept)
    corpus = corpus_of(folded(block.text) for block in blocks)
    found = find_mentions(_stems(audit, corpus, language), np.zeros(len(blocks), np.int64), [[phrase.text]], exact=False)
    told = [replace(mention, page=blocks[mention.page].page) for mention in mentions_at(corpus, stated, found)]
    urls = dict(zip(kept, tables.rows("pages", np.array(kept, np.int64), ["url"])["url"], strict=True))
    damping = audit.meta.settings.links.damping
    waiting = [
        WaitingLink(
            urls[one.page], one.sentence, one.anchor, one.n_mentions,
            weight[one.page] * damping / (n_targets.get(one.page, 0) + 1),
        )
        for one in unlinked(told)
    ]  # fmt: skip
    waiting.sort(key=lambda one: (-one.link_weight, one.url))
    return Linking(tuple(waiting), len(linking), len(mentioning) - len(kept))


def _stems(audit: Audit, corpus: Corpus, language: str) -> Stemmed:
    stop_words = {folded(word) for word in audit.meta.settings.phrases.stop_words}
    return stemmed(corpus, [language] * corpus.n_texts, stop_words)


def _mentioning(
    audit: Audit, phrase: TopicPhrase, language: str, texts: Mapping[int, str], patterns: Sequence[str]
) -> list[int]:
    """Rows of the pages that mention a phrase, linked or not, as far as their texts tell."""
    lines = [(row, line) for row, text in texts.items() for line in text.split("\n")]
    lines = [lines[at] for at in matching_texts([line for _, line in lines], patterns)]
    corpus = corpus_of(folded(line) for _, line in lines)
    stems = _stems(audit, corpus, language)
    found = find_mentions(stems, np.zeros(len(lines), np.int64), [[phrase.text]], exact=False)
    at = np.searchsorted(corpus.offsets, found.place, side="right") - 1
    return sorted({lines[line][0] for line in at.tolist()})


@dataclass(frozen=True, slots=True)
class _Block:
    """A block of running text."""

    page: int
    block: int
    text: str


def _weights(audit: Audit, language: str, rows: Sequence[int]) -> dict[int, float]:
    """Link weight of those of some pages that may be told to link."""
    names = ("language", "indexable", "variant_of", "link_weight")
    cells = audit.tables.rows("pages", np.array(rows, np.int64), names)
    return {
        row: float(weight or 0.0)
        for row, own, is_indexable, variant_of, weight in zip(rows, *(cells[name] for name in names), strict=True)
        if own == language and is_indexable and not variant_of
    }


def _blocks_of(audit: Audit, rows: Sequence[int]) -> tuple[list[_Block], BlockLinks, Mapping[int, int]]:
    """The running text of some pages with its links; and how many pages each of the pages links to."""
    pages = np.array(rows, np.int64)
    cells = audit.tables.of_pages("blocks", pages, ["page", "block", "text", "level", "main"])
    blocks = [
        _Block(page, block, str(text))
        for page, block, text, level, is_main in zip(*cells.values(), strict=True)
        if is_main and not level
    ]
    links = audit.tables.of_pages("links", pages, ["page", "block", "start", "end", "url", "target_page"])
    n_targets = Counter(page for page, target in set(zip(links["page"], links["target_page"], strict=True)) if target >= 0)
    of_block: dict[tuple[int, int], list[tuple[int, int, str]]] = defaultdict(list)
    for page, block, start, end, url, _ in zip(*links.values(), strict=True):
        of_block[page, block].append((start, end, url))
    each = [of_block.get((block.page, block.block), []) for block in blocks]
    told = [link for own in each for link in own]
    stated = BlockLinks(
        text_of=lambda number: blocks[number].text,
        level=np.zeros(len(blocks), np.int64),
        first=np.concatenate([np.zeros(1, np.int64), np.cumsum([len(own) for own in each])]).astype(np.int64),
        start=np.array([link[0] for link in told], np.int64),
        end=np.array([link[1] for link in told], np.int64),
        url_of=lambda number: told[number][2],
    )
    return blocks, stated, n_targets
