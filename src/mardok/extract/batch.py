"""The facts of several pages, packed.

In:  the facts of pages.
Out: a :class:`Batch`: each different block once, column by column, and which of them stand on which page.

Of the hundreds of blocks on a page most belong to the template, and a site has too many to keep them as objects. Packed,
they are sent between processes, and put into the columns of the whole site, once a batch instead of once a page.
"""

from __future__ import annotations

from array import array
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Generic, NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from mardok.compiled import compiled
from mardok.extract.page import Block, Context, Image, Page, Signs, is_shown_h1

_Value = TypeVar("_Value", str, Context)
_BASIC = 0x10000
"""Code points of the basic plane."""


class Numbers(dict[_Value, int], Generic[_Value]):
    """Values that are kept once, each with a number: asked for a new one, it gives the next number."""

    def __missing__(self, value: _Value) -> int:
        self[value] = number = len(self)
        return number


@dataclass(frozen=True, slots=True)
class Coded:
    """A column of values that recur."""

    names: tuple[str, ...]
    """Each different value."""
    codes: array[int]
    """Number in ``names`` of each value."""


def _coded(values: Iterable[str]) -> Coded:
    numbers: Numbers[str] = Numbers()
    codes = array("i", [numbers[value] for value in values])
    return Coded(tuple(numbers), codes)


class PackedBlocks(NamedTuple):
    """The blocks of several pages: each different one, and where they stand."""

    places: array[int]
    """Number of each block of the pages, one page after the other."""
    texts: tuple[str, ...]
    """Text of each different block."""
    contexts: tuple[Context, ...]
    context: array[int]
    """Number in ``contexts`` of each block's context."""
    n_links: array[int]
    """Links of each block."""
    url: Coded
    anchor: Coded
    rel: Coded
    start: array[int]
    end: array[int]
    """What is known of the links, one block after the other."""
    joint: array[int]
    """How many elements of its path each block shares with the one before."""
    n_letters: array[int]
    n_linked_letters: array[int]
    """Letters and digits of each block with links, 0 for others; and how many of them links cover."""


@dataclass(frozen=True, slots=True)
class Batch:
    """Several pages."""

    pages: tuple[Page, ...]
    """Without blocks and images."""
    n_blocks: array[int]
    """Blocks of each page."""
    blocks: PackedBlocks
    n_images: array[int]
    """Images of each page."""
    image_url: Coded
    image_alt: Coded
    image_has_alt: array[int]
    """What is known of the images, one page after the other."""


def batch_of(pages: Iterable[Page]) -> Batch:
    """Pack pages."""
    kept = list(pages)
    images: list[Image] = [image for page in kept for image in page.images]
    blocks, n_blocks = packed_blocks([page.blocks for page in kept]), array("i", [len(page.blocks) for page in kept])
    signs: dict[Signs, Signs] = {}  # most pages say the same there: it is sent and kept once
    return Batch(
        pages=tuple(
            replace(page, h1_given=h1 or page.h1_given, blocks=(), images=(), signs=signs.setdefault(page.signs, page.signs))
            for page, h1 in zip(kept, _h1_of(blocks, n_blocks), strict=True)
        ),
        n_blocks=n_blocks,
        blocks=blocks,
        n_images=array("i", [len(page.images) for page in kept]),
        image_url=_coded([image.url for image in images]),
        image_alt=_coded([image.alt or "" for image in images]),
        image_has_alt=array("b", [image.alt is not None for image in images]),
    )


def _h1_of(blocks: PackedBlocks, n_blocks: array[int]) -> Sequence[str]:
    """The first H1 of each page that is shown; empty where there is none."""
    tells = np.array([is_shown_h1(context) for context in blocks.contexts], bool)
    is_one = tells[np.frombuffer(blocks.context, np.intc)] & np.array([text != "" for text in blocks.texts], bool)
    places = np.frombuffer(blocks.places, np.intc)
    hits = np.flatnonzero(is_one[places])
    ends = np.cumsum(np.frombuffer(n_blocks, np.intc))
    first = np.searchsorted(hits, ends - np.frombuffer(n_blocks, np.intc))
    met = [(int(hits[k]) if k < len(hits) and hits[k] < end else -1) for k, end in zip(first, ends, strict=True)]
    return [blocks.texts[places[at]] if at >= 0 else "" for at in met]


@compiled("packing")
def packed_blocks(pages: Sequence[tuple[Block, ...]]) -> PackedBlocks:
    """Pack the blocks of each page."""
    blocks, places = _different_blocks(pages)
    links = [link for block in blocks for link in block.links]
    n_letters, n_linked_letters = _letters(blocks)
    contexts: Numbers[Context] = Numbers()
    context = array("i", [contexts[block.context] for block in blocks])
    return PackedBlocks(
        places=places,
        texts=tuple([block.text for block in blocks]),
        contexts=tuple(contexts),
        context=context,
        n_links=array("i", [len(block.links) for block in blocks]),
        url=_coded([link.url for link in links]),
        anchor=_coded([link.anchor for link in links]),
        rel=_coded([link.rel for link in links]),
        start=array("i", [link.start for link in links]),
        end=array("i", [link.end for link in links]),
        joint=array("b", [block.joint for block in blocks]),
        n_letters=n_letters,
        n_linked_letters=n_linked_letters,
    )


def _letters(blocks: Sequence[Block]) -> tuple[array[int], array[int]]:
    """Letters and digits of each block with links, 0 for others; and how many of them links cover."""
    texts = [block.text if block.links else "" for block in blocks]
    begins = np.concatenate([np.zeros(1, np.int64), np.cumsum(np.array([len(text) for text in texts], np.int64))])
    codes = np.frombuffer("".join(texts).encode("utf-32-le", "surrogatepass"), np.uint32)
    before = np.concatenate([np.zeros(1, np.int64), np.cumsum(_are_letters(codes))])
    of_link = np.repeat(np.arange(len(blocks)), [len(block.links) for block in blocks])
    links = [(link.start, link.end) for block in blocks for link in block.links]
    start, end = np.array(links, np.int64).reshape(-1, 2).T + begins[of_link]
    linked = np.bincount(of_link, before[end] - before[start], len(blocks)).astype(np.int64)
    return array("i", np.diff(before[begins]).tolist()), array("i", linked.tolist())


def _are_letters(codes: NDArray[np.uint32]) -> NDArray[np.bool_]:
    """Whether each code point is a letter or a digit."""
    if not codes.size or codes.max() < _BASIC:
        return _basic_letters()[codes]
    different, number = np.unique(codes, return_inverse=True)
    return np.array([chr(code).isalnum() for code in different.tolist()], bool)[number]


@cache
def _basic_letters() -> NDArray[np.bool_]:
    """The same for the basic plane."""
    return np.fromiter((chr(code).isalnum() for code in range(_BASIC)), bool, _BASIC)


def _different_blocks(pages: Iterable[tuple[Block, ...]]) -> tuple[list[Block], array[int]]:
    """Each different block of the pages, and the number of each at its place."""
    number: dict[Block, int] = {}
    # The blocks of a template are the same objects on most pages, and an object is looked up faster than what it holds.
    of_object: dict[int, int] = {}
    places = array("i")
    for page in pages:
        for block in page:
            if id(block) not in of_object:
                of_object[id(block)] = number.setdefault(block, len(number))
        places.extend(map(of_object.__getitem__, map(id, page)))
    return list(number), places
