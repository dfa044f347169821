"""The blocks, links and images of a whole site, column by column.

In:  the facts of pages, one page after the other.
Out: arrays over all blocks, links and images, in the order of the pages, with the offsets at which each page begins.

A site has hundreds of them on each page. As objects they would fill the memory many times over; as columns of numbers and
of strings that are kept once, they take little more than their text.
"""

from __future__ import annotations

from array import array
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from mardok.extract.page import Page

Ints = NDArray[np.int64]
Codes = NDArray[np.int32]
Strings = NDArray[np.object_]

_REPEATED_LENGTH = 80
"""Longest text of a block that is likely to be on other pages too, and is kept once."""


class _Names:
    """Strings that are kept once, each with a number."""

    def __init__(self, *known: str) -> None:
        self._number: dict[str, int] = {}
        self.numbers(known)

    def numbers(self, names: Sequence[str]) -> Iterable[int]:
        known = self._number
        for name in set(names).difference(known):
            known[name] = len(known)
        return map(known.__getitem__, names)

    def strings(self) -> Strings:
        found = np.empty(len(self._number), object)
        found[:] = list(self._number)
        return found


@dataclass(frozen=True)
class Blocks:
    """All blocks of a site."""

    first: Ints
    """First block of each page; shape (n_pages + 1,)."""
    text: Strings
    tag: Strings
    place: Strings
    level: Codes
    chrome: Strings
    """Why the elements a block stands in are chrome or not shown."""
    in_main: NDArray[np.bool_]
    chosen: Strings

    @property
    def page(self) -> Ints:
        """Page of each block."""
        return np.repeat(np.arange(len(self.first) - 1), np.diff(self.first))


@dataclass(frozen=True)
class Links:
    """All links of a site."""

    first: Ints
    """First link of each page; shape (n_pages + 1,)."""
    block: Ints
    """Block in its page, -1 for none."""
    start: Codes
    end: Codes
    url: Codes
    """Number of the address in ``urls``."""
    anchor: Strings
    rel: Strings
    in_chrome: NDArray[np.bool_]
    urls: Strings

    @property
    def page(self) -> Ints:
        """Page of each link."""
        return np.repeat(np.arange(len(self.first) - 1), np.diff(self.first))


@dataclass(frozen=True)
class Images:
    """All images of a site."""

    page: Ints
    url: Strings
    alt: Strings
    has_alt: NDArray[np.bool_]


@dataclass(frozen=True)
class Columns:
    """Pages without their blocks, links and images, and these as columns."""

    pages: tuple[Page, ...]
    """In URL order."""
    blocks: Blocks
    links: Links
    images: Images


def columns_of(pages: Iterable[Page]) -> Columns:
    """Take pages apart, one at a time, and put them in URL order; of several with one address the last counts."""
    kept: dict[str, tuple[Page, int]] = {}
    small = _Names("")
    urls, anchors, texts = _Names(), _Names(""), _Names()
    block_text: list[str] = []
    block = {name: array("i") for name in ("tag", "place", "level", "chrome", "in_main", "chosen")}
    link = {name: array("i") for name in ("block", "start", "end", "url", "anchor", "rel", "in_chrome")}
    image = {name: array("i") for name in ("url", "alt", "has_alt")}
    n_blocks, n_links, n_images = array("q"), array("q"), array("q")
    seen_texts: dict[str, str] = {}
    for number, page in enumerate(pages):
        if page.blocks:
            shown, tags, places, levels, chrome, in_main, chosen = zip(*page.blocks, strict=True)
            block_text += [seen_texts.setdefault(text, text) if len(text) <= _REPEATED_LENGTH else text for text in shown]
            block["tag"].extend(small.numbers(tags))
            block["place"].extend(small.numbers(places))
            block["level"].extend(levels)
            block["chrome"].extend(small.numbers(chrome))
            block["in_main"].extend(in_main)
            block["chosen"].extend(small.numbers(chosen))
        if page.links:
            addresses, anchor, rels, in_blocks, starts, ends, in_chrome = zip(*page.links, strict=True)
            link["block"].extend(in_blocks)
            link["start"].extend(starts)
            link["end"].extend(ends)
            link["url"].extend(urls.numbers(addresses))
            link["anchor"].extend(anchors.numbers(anchor))
            link["rel"].extend(small.numbers(rels))
            link["in_chrome"].extend(in_chrome)
        if page.images:
            pictures, alts = zip(*page.images, strict=True)
            image["url"].extend(texts.numbers(pictures))
            image["alt"].extend(texts.numbers([alt or "" for alt in alts]))
            image["has_alt"].extend([alt is not None for alt in alts])
        n_blocks.append(len(page.blocks))
        n_links.append(len(page.links))
        n_images.append(len(page.images))
        kept[page.url] = (replace(page, h1_given=page.h1, blocks=(), links=(), images=()), number)
    ordered = [kept[url] for url in sorted(kept)]
    order = np.array([number for _, number in ordered], np.int64)
    names, known = small.strings(), anchors.strings()
    block_first, at_block = _reordered(n_blocks, order)
    link_first, at_link = _reordered(n_links, order)
    image_first, at_image = _reordered(n_images, order)
    text_column = np.empty(len(block_text), object)
    text_column[:] = block_text

    def codes(column: array[int], at: Ints) -> Codes:
        return np.frombuffer(column, np.int32)[at] if len(column) else np.zeros(0, np.int32)

    blocks = Blocks(
        block_first,
        text_column[at_block],
        names[codes(block["tag"], at_block)],
        names[codes(block["place"], at_block)],
        codes(block["level"], at_block),
        names[codes(block["chrome"], at_block)],
        codes(block["in_main"], at_block).astype(bool),
        names[codes(block["chosen"], at_block)],
    )
    links = Links(
        link_first,
        codes(link["block"], at_link).astype(np.int64),
        codes(link["start"], at_link),
        codes(link["end"], at_link),
        codes(link["url"], at_link),
        known[codes(link["anchor"], at_link)],
        names[codes(link["rel"], at_link)],
        codes(link["in_chrome"], at_link).astype(bool),
        urls.strings(),
    )
    written = texts.strings()
    images = Images(
        np.repeat(np.arange(len(ordered)), np.diff(image_first)),
        written[codes(image["url"], at_image)],
        written[codes(image["alt"], at_image)],
        codes(image["has_alt"], at_image).astype(bool),
    )
    return Columns(tuple(page for page, _ in ordered), blocks, links, images)


def _reordered(counts: Sequence[int], order: Ints) -> tuple[Ints, Ints]:
    """Where each page begins in a column once pages are in order, and from which place of the old column each item comes."""
    sizes = np.array(counts, np.int64)
    begins = np.concatenate([np.zeros(1, np.int64), np.cumsum(sizes)])
    sizes = sizes[order]
    first = np.concatenate([np.zeros(1, np.int64), np.cumsum(sizes)])
    return first, np.repeat(begins[order] - first[:-1], sizes) + np.arange(first[-1])
