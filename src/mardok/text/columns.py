"""The blocks, links and images of a whole site, column by column.

In:  the facts of pages in batches.
Out: arrays over all blocks, links and images, in the order of the pages, with the offsets at which each page begins.

A site has hundreds of blocks on each page, most of them those of its template. As objects they would fill the memory many
times over. Here each different block of a batch is kept once, and each place on a page is the number of its block.
"""

from __future__ import annotations

from array import array
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from mardok.extract.batch import Batch, Coded, Numbers, PackedBlocks
from mardok.extract.page import Context, Page
from mardok.large import BEYOND_ASCII, Growing, Texts, gathered, laid_down, large_empty, n_of_each
from mardok.text.hashes import Ints
from mardok.text.words import is_invisible

Codes = NDArray[np.int32]
_PLACES_AT_ONCE, _PAGES_AT_ONCE = 1 << 18, 1 << 12


@dataclass(frozen=True)
class Blocks:
    """All blocks of a site: the different ones, and where they stand."""

    texts: Texts
    """Each different text."""
    text: Codes
    """Number in ``texts`` of each block's text, shape (n_blocks,); that of ``""`` where there are only links."""
    contexts: tuple[Context, ...]
    context: Codes
    """Number of each block's context in ``contexts``."""
    joint: NDArray[np.int8]
    """How many elements of its path each block shares with the one before."""
    n_letters: Codes
    """Letters and digits of each block with links, 0 for others."""
    n_linked_letters: Codes
    """Those of them that links cover."""
    first: Ints
    """First place of each page; shape (n_pages + 1,)."""
    at: Codes
    """Number of the block at each place, shape (n_places,)."""

    @property
    def page(self) -> Codes:
        """Page of each place."""
        return pages_of(self.first)

    @cached_property
    def has_text(self) -> NDArray[np.bool_]:
        """Whether each block has a text that can be seen."""
        is_seen = ~self.texts.are_empty
        others = np.flatnonzero(self.texts.bytes_at(0) >= BEYOND_ASCII)  # nothing in ASCII is invisible
        is_seen[others] = np.fromiter((not is_invisible(text) for text in self.texts.some(others)), bool, len(others))
        return np.asarray(is_seen[self.text])

    @property
    def lengths(self) -> Ints:
        """Characters of each different text."""
        return self.texts.lengths

    def where(self, holds: Callable[[Context], bool]) -> NDArray[np.bool_]:
        """Whether something holds for the context of each block."""
        return np.array([holds(context) for context in self.contexts], bool)[self.context]


@dataclass(frozen=True)
class Links:
    """All links of a site: those of its blocks, and where these stand."""

    first: Ints
    """First link of each block; shape (n_blocks + 1,)."""
    url: Codes
    """Number of the address in ``urls``, shape (n_links,)."""
    anchor: Codes
    """Number of the anchor text in ``anchors``."""
    rel: Codes
    """Number of the rel attribute in ``rels``."""
    start: Codes
    end: Codes
    urls: Texts
    anchors: Texts
    rels: Texts
    page: Codes
    """Page of each link of each place, shape (n_placed,)."""
    place: Codes
    """Place among the blocks of the site."""
    at: Codes
    """Number of the link at each place."""

    @property
    def placed_url(self) -> Codes:
        """Number of the address of each placed link."""
        return gathered(self.url, self.at)

    @property
    def met_urls(self) -> Ints:
        """Numbers of the addresses that placed links lead to, each once, in order."""
        return np.flatnonzero(n_of_each(self.placed_url))


@dataclass(frozen=True)
class Images:
    """All images of a site."""

    page: Codes
    url: Codes
    """Number of the address in ``urls``."""
    alt: Codes
    """Number of the alt text in ``alts``."""
    has_alt: NDArray[np.bool_]
    urls: Texts
    alts: Texts


@dataclass(frozen=True)
class Columns:
    """Pages without their blocks and images, and these as columns."""

    pages: Sequence[Page]
    """In URL order."""
    blocks: Blocks
    links: Links
    images: Images


def columns_of(batches: Iterable[Batch]) -> Columns:
    """Put pages in URL order and what is on them into columns; of several pages with one address the last counts."""
    pages: list[Page] = []
    n_blocks, n_images = array("i"), array("i")
    blocks, images = _BlockColumns(), _ImageColumns()
    for batch in batches:
        pages += batch.pages
        n_blocks.extend(batch.n_blocks)
        n_images.extend(batch.n_images)
        blocks.add(batch.blocks)
        images.add(batch)
    last = {page.url: number for number, page in enumerate(pages)}
    order = np.array([last[url] for url in sorted(last)], np.int64)
    block_first, block_order = reordered(n_blocks, order)
    image_first, image_order = reordered(n_images, order)
    result = blocks.finished(block_first, block_order)
    return Columns(
        tuple(pages[number] for number in order.tolist()),
        result,
        blocks.links(result),
        images.finished(image_first, image_order),
    )


class _Column:
    """Numbers, as they come."""

    def __init__(self) -> None:
        self._grown = Growing(np.int32)

    def add(self, numbers: array[int] | Codes) -> None:
        self._grown.add(numbers)

    def array(self) -> Codes:
        return self._grown.finished()


class _CodedColumn(_Column):
    """Values that recur, as they come."""

    def __init__(self) -> None:
        super().__init__()
        self._numbers: Numbers[str] = Numbers()

    def add_coded(self, column: Coded) -> None:
        self.add(np.array([self._numbers[name] for name in column.names], np.int32)[np.asarray(column.codes, np.int32)])

    def names(self) -> Texts:
        return Texts.of(self._numbers)


class _BlockColumns:
    """Blocks and their links, as they come."""

    def __init__(self) -> None:
        self.n_blocks = 0
        self.texts: Numbers[str] = Numbers()
        self.contexts: Numbers[Context] = Numbers()
        self.places, self.context, self.n_links, self.start, self.end = (_Column() for _ in range(5))
        self.text, self.joint, self.n_letters, self.n_linked_letters = (_Column() for _ in range(4))
        self.url, self.anchor, self.rel = (_CodedColumn() for _ in range(3))

    def add(self, blocks: PackedBlocks) -> None:
        """Add the blocks of a batch."""
        self.places.add(np.asarray(blocks.places, np.int32) + np.int32(self.n_blocks))
        self.n_blocks += len(blocks.texts)
        self.text.add(np.array([self.texts[text] for text in blocks.texts], np.int32))
        known = np.array([self.contexts[context] for context in blocks.contexts], np.int32)
        self.context.add(known[np.asarray(blocks.context, np.int32)])
        self.n_links.add(blocks.n_links)
        self.start.add(blocks.start)
        self.end.add(blocks.end)
        self.joint.add(blocks.joint)
        self.n_letters.add(blocks.n_letters)
        self.n_linked_letters.add(blocks.n_linked_letters)
        self.url.add_coded(blocks.url)
        self.anchor.add_coded(blocks.anchor)
        self.rel.add_coded(blocks.rel)

    def finished(self, first: Ints, order: Ints) -> Blocks:
        """The blocks, with the places in the order given."""
        return Blocks(
            Texts.of(self.texts),
            self.text.array(),
            tuple(self.contexts),
            self.context.array(),
            self.joint.array().astype(np.int8),
            self.n_letters.array(),
            self.n_linked_letters.array(),
            first,
            gathered(self.places.array(), order),
        )

    def links(self, blocks: Blocks) -> Links:
        """The links of the blocks, and of all places where the blocks stand."""
        return links_of(
            blocks,
            self.n_links.array(),
            url=self.url.array(),
            anchor=self.anchor.array(),
            rel=self.rel.array(),
            start=self.start.array(),
            end=self.end.array(),
            urls=self.url.names(),
            anchors=self.anchor.names(),
            rels=self.rel.names(),
        )


class _ImageColumns:
    """Images, as they come."""

    def __init__(self) -> None:
        self.url, self.alt, self.has_alt = _CodedColumn(), _CodedColumn(), _Column()

    def add(self, batch: Batch) -> None:
        """Add the images of a batch."""
        self.url.add_coded(batch.image_url)
        self.alt.add_coded(batch.image_alt)
        self.has_alt.add(batch.image_has_alt)

    def finished(self, first: Ints, order: Ints) -> Images:
        """The images in the order given."""
        return Images(
            page=np.repeat(np.arange(len(first) - 1, dtype=np.int32), np.diff(first)),
            url=self.url.array()[order],
            alt=self.alt.array()[order],
            has_alt=self.has_alt.array()[order].astype(bool),
            urls=self.url.names(),
            alts=self.alt.names(),
        )


def links_of(blocks: Blocks, n_links: Codes, **known: Any) -> Links:
    """The links of all places where blocks stand.

    Parameters
    ----------
    n_links : ndarray of int32, shape (n_blocks,)
        Links of each block.
    **known
        The other fields of :class:`Links` but ``first``, ``page``, ``place`` and ``at``.
    """
    first = np.concatenate([np.zeros(1, np.int64), np.cumsum(n_links, dtype=np.int64)])
    ats, places = Growing(np.int32), Growing(np.int32)
    for begin in range(0, len(blocks.at), _PLACES_AT_ONCE):
        placed = blocks.at[begin : begin + _PLACES_AT_ONCE]
        n_placed = n_links[placed].astype(np.int64)
        ends = np.cumsum(n_placed)
        ats.add(np.repeat(first[placed] - ends + n_placed, n_placed) + np.arange(n_placed.sum()))
        places.add(np.repeat(np.arange(begin, begin + len(placed)), n_placed))
    place = places.finished()
    return Links(first=laid_down(first), page=gathered(blocks.page, place), place=place, at=ats.finished(), **known)


def pages_of(first: Ints) -> Codes:
    """The page of each item, from where the items of each page begin."""
    result = large_empty(int(first[-1]), np.int32)
    for begin in range(0, len(first) - 1, _PAGES_AT_ONCE):
        ends = first[begin : begin + _PAGES_AT_ONCE + 1]
        result[ends[0] : ends[-1]] = np.repeat(np.arange(begin, begin + len(ends) - 1, dtype=np.int32), np.diff(ends))
    result.flags.writeable = False
    return result


def reordered(counts: ArrayLike, order: Ints) -> tuple[Ints, Ints]:
    """Where each page begins in a column once pages are in order, and from which place of the old column each item comes."""
    sizes = np.asarray(counts, np.int64)
    moved = np.cumsum(sizes) - sizes
    sizes = sizes[order]
    first = np.concatenate([np.zeros(1, np.int64), np.cumsum(sizes)])
    moved = moved[order] - first[:-1]
    places = large_empty(int(first[-1]), np.int64)
    for page in range(0, len(order), _PAGES_AT_ONCE):
        part = slice(page, page + _PAGES_AT_ONCE)
        begin, end = first[part][0], first[part.start : part.stop + 1][-1]
        places[begin:end] = np.repeat(moved[part], sizes[part]) + np.arange(begin, end)
    return first, places
