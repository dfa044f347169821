"""All pages of a site together, with their main texts.

In:  the facts of each page, in any order; of several with one address the last counts.
Out: a :class:`Site`: pages in URL order, so that a page's row is the same in every table and array.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from mardok.extract.page import Page
from mardok.settings import Text
from mardok.text.columns import Blocks, Images, Links, Strings, columns_of
from mardok.text.hashes import Corpus, corpus_of
from mardok.text.main_text import reasons_not_main
from mardok.text.words import folded, text_hash


@dataclass(frozen=True)
class Site:
    """The pages of a site; position in every sequence is the row of the page."""

    pages: tuple[Page, ...]
    """Pages without blocks, links and images, which stand in the columns."""
    row_of: Mapping[str, int]
    """Row of each address."""
    blocks: Blocks
    links: Links
    images: Images
    reasons: Strings
    """Why each block is not main text, ``""`` if it is."""
    link_targets: NDArray[np.int64]
    """Row of the page that each link leads to, -1 if it was not read."""
    chrome_links: NDArray[np.bool_]
    """Whether each link stands in chrome."""
    main_texts: tuple[str, ...]
    """Main text of each page, one line a block."""
    text_hashes: tuple[str, ...]
    """Equal where words and punctuation are; ``""`` without words."""
    corpus: Corpus
    """Words of the main texts."""

    def running_text(self, row: int) -> list[str]:
        """Main-text blocks of a page that are no headings."""
        part = slice(self.blocks.first[row], self.blocks.first[row + 1])
        is_text = (self.reasons[part] == "") & (self.blocks.level[part] == 0)
        return list(self.blocks.text[part][is_text])


def sections(site: Site) -> NDArray[np.int64]:
    """A number for each page, equal for pages of one host whose addresses begin with the same folder."""
    names = ["/".join(page.url.split("/", 4)[:4]) if page.url.count("/") > 3 else "" for page in site.pages]
    return np.unique(np.array(names, dtype=str), return_inverse=True)[1].astype(np.int64)


def site_of(pages: Iterable[Page], settings: Text) -> Site:
    """Put the pages in order and settle their main texts."""
    columns = columns_of(pages)
    blocks, links = columns.blocks, columns.links
    reasons = reasons_not_main(blocks, links, settings)
    texts = _main_texts(blocks, reasons)
    row_of = {page.url: row for row, page in enumerate(columns.pages)}
    characters: list[bytes] = []
    corpus = corpus_of(_folded_blocks(texts, characters))
    hashes = tuple(text_hash(written, corpus.words_of(row)) for row, written in enumerate(characters))
    target_of_url = np.fromiter((row_of.get(url, -1) for url in links.urls), np.int64, len(links.urls))
    in_chrome = links.in_chrome.copy()
    in_block = links.block >= 0
    at = blocks.first[links.page[in_block]] + links.block[in_block]
    in_chrome[in_block] |= (reasons[at] != "").astype(bool)
    return Site(
        columns.pages,
        row_of,
        blocks,
        links,
        columns.images,
        reasons,
        target_of_url[links.url],
        in_chrome,
        texts,
        hashes,
        corpus,
    )


def _main_texts(blocks: Blocks, reasons: Strings) -> tuple[str, ...]:
    is_main = (reasons == "").astype(bool)
    texts = blocks.text[is_main]
    ends = np.concatenate([np.zeros(1, np.int64), np.cumsum(is_main)])[blocks.first].tolist()
    return tuple("\n".join(texts[start:stop]) for start, stop in pairwise(ends))


def _folded_blocks(texts: Iterable[str], characters: list[bytes]) -> Iterator[Sequence[str]]:
    """The blocks of each text, folded; a digest of its characters but white space is added to `characters`."""
    for text in texts:
        plain = folded(text)
        characters.append(hashlib.sha256("".join(plain.split()).encode("utf-8", "surrogatepass")).digest())
        yield plain.split("\n") if plain else []
