"""All pages of a site together, with their main texts.

In:  the facts of each page, in any order; of several with one address the last counts.
Out: a :class:`Site`: pages in URL order, so that a page's row is the same in every table and array.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.extract.page import Link, Page
from mardok.settings import Text
from mardok.text.hashes import Corpus, corpus_of
from mardok.text.main_text import main_blocks, repeated_furniture
from mardok.text.words import folded, text_hash


@dataclass(frozen=True)
class Site:
    """The pages of a site; position in every tuple is the row of the page."""

    pages: tuple[Page, ...]
    row_of: Mapping[str, int]
    """Row of each address."""
    chrome_reasons: tuple[tuple[str, ...], ...]
    """For each page, why each of its blocks is not main text, ``""`` if it is."""
    main_texts: tuple[str, ...]
    """Main text of each page, one line a block."""
    text_hashes: tuple[str, ...]
    """Equal where words and punctuation are; ``""`` without words."""
    corpus: Corpus
    """Words of the main texts."""

    def is_chrome_link(self, row: int, link: Link) -> bool:
        """Whether a link of a page stands in chrome."""
        return link.in_chrome or (link.block >= 0 and bool(self.chrome_reasons[row][link.block]))


def sections(site: Site) -> NDArray[np.int64]:
    """A number for each page, equal for pages of one host whose addresses begin with the same folder."""
    names = ["/".join(page.url.split("/", 4)[:4]) if page.url.count("/") > 3 else "" for page in site.pages]
    return np.unique(np.array(names, dtype=str), return_inverse=True)[1].astype(np.int64)


def site_of(pages: Iterable[Page], settings: Text) -> Site:
    """Put the pages in order and settle their main texts."""
    by_url = {page.url: page for page in pages}
    ordered = tuple(by_url[url] for url in sorted(by_url))
    furniture = repeated_furniture(ordered, settings)
    reasons = tuple(tuple(main_blocks(page, furniture, settings)) for page in ordered)
    texts = tuple(
        "\n".join(block.text for block, reason in zip(page.blocks, why, strict=True) if not reason)
        for page, why in zip(ordered, reasons, strict=True)
    )
    rows = {page.url: row for row, page in enumerate(ordered)}
    characters: list[bytes] = []
    corpus = corpus_of(_folded_blocks(texts, characters))
    hashes = tuple(text_hash(written, corpus.words_of(row)) for row, written in enumerate(characters))
    return Site(ordered, rows, reasons, texts, hashes, corpus)


def _folded_blocks(texts: Iterable[str], characters: list[bytes]) -> Iterator[list[str]]:
    """The blocks of each text, folded; a digest of its characters but white space is added to `characters`."""
    for text in texts:
        plain = folded(text)
        characters.append(hashlib.sha256("".join(plain.split()).encode("utf-8", "surrogatepass")).digest())
        yield plain.split("\n") if plain else []
