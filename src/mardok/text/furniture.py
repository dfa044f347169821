"""Which parts of pages are furniture that no landmark marks: told by containers and recurrence together.

In:  blocks that are not decided yet, with the elements they stand in, the pages and their sections.
Out: for each of these blocks why it is furniture, if it is.

The *core* of a page is the smallest element that holds its H1 and nearly all words that no other page has in that place. It
divides what recurs. Outside of it an element is furniture if the same stands there on nearly all pages, or if it recurs and
one more sign says so: most of its words are links, its class or id names furniture, it is dated or a copyright line. Inside
it needs two signs beside its recurrence, or half its words in links and the edge of the core or a name; running text never
is furniture there, and headings only with what they head. Recurrence alone decides nothing there: a pasted description
recurs as well. Words that change with the neighbours do not hide a line of links, because in its skeleton each link is one
sign.

At both ends of the core a run of such elements is taken up. It ends at the first that is none of them, and takes whole
children of the core only.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from mardok.large import Growing, gathered, laid_down, stretches, worked_out
from mardok.settings import Text
from mardok.sharing import shared_out
from mardok.text.block_signs import BlockSigns
from mardok.text.columns import Codes
from mardok.text.distinct import distinct, order_of_numbers
from mardok.text.elements import Elements, Places, elements_of, first_places
from mardok.text.furniture_pages import (
    DOUBT,
    MAIN,
    TEMPLATE,
    Known,
    Recurring,
    Undecided,
    content_votes,
    core_votes,
    decided,
    furniture_elsewhere,
)
from mardok.text.hashes import Hashes, Ints
from mardok.text.recurrence import recurrence

Bools = NDArray[np.bool_]

_CORE_VOTES = 0.1
"""Share of the pages whose core is in one place, from which that is the core of others, too."""
_CONTENT_SHARE = 0.3
"""Share of the pages with a place on which it holds most of their own words, or their H1: it is one of content then,
whatever its name."""
_PLACE_BASE = np.uint64(0x9E3779B97F4A7C15 | 1)
_PAGES_AT_ONCE, _PAGES_SHARED, _ELEMENTS_SHARED = 1 << 11, 1 << 15, 1 << 21
"""Pages whose elements are found together, and those that one process is given; elements that are decided together."""


def furniture(
    blocks: Undecided, signs: BlockSigns, places: Places, sections: Sequence[Ints], own_titles: Bools, settings: Text
) -> NDArray[np.int8]:
    """What each block is, one of the constants of :mod:`mardok.text.furniture_pages`.

    Parameters
    ----------
    signs : BlockSigns
        Of the different blocks of the site.
    sections : sequence of ndarray of int64, shape (n_pages,)
        Divisions of the site, each equal for pages of one section; the last one by template.
    own_titles : ndarray of bool, shape (n_undecided,)
        Whether each block says what the title of its page says.
    """
    if not len(blocks.page):
        return np.zeros(0, np.int8)
    first = first_places(blocks.page, len(sections[0]))
    *of_elements, text, skeleton = _told_by_pages(partial(_part, blocks, signs, places), first, _OF_ELEMENTS)
    elements = Elements(*of_elements)
    page = gathered(blocks.page, elements.first)
    recurring = _recurring(elements, page, text, skeleton, sections, settings)
    known = Known(
        blocks, signs, places, own_titles, _marked(blocks, signs, sections, settings), laid_down(first), elements,
        laid_down(np.searchsorted(elements.first, first)), recurring, settings,
    )  # fmt: skip
    return _decided(known)


_OF_ELEMENTS = (np.int32, np.int32, np.int8, np.int32, np.uint64, np.uint64)


def _told_by_pages(
    tell: Callable[[int, int], tuple[NDArray[Any], ...]], first: Ints, dtypes: Sequence[type[np.generic]]
) -> tuple[NDArray[Any], ...]:
    """Columns of what is told of some pages at a time, from the place where the first of them begins to where the last ends.

    Parameters
    ----------
    first : ndarray of int64, shape (n_pages + 1,)
        Where the places of each page begin.
    dtypes : sequence of dtype
        Those of the columns.
    """
    n_pages = len(first) - 1
    pieces = [(begin, min(begin + _PAGES_SHARED, n_pages)) for begin in range(0, n_pages, _PAGES_SHARED)]
    columns = [Growing(dtype) for dtype in dtypes]
    for piece in shared_out(partial(_told_of_pages, tell, laid_down(first), dtypes), pieces):
        for growing, its in zip(columns, piece, strict=True):
            growing.add(its)
    return tuple(growing.finished() for growing in columns)


def _told_of_pages(
    tell: Callable[[int, int], tuple[NDArray[Any], ...]],
    first: Ints,
    dtypes: Sequence[type[np.generic]],
    pages: tuple[int, int],
) -> tuple[NDArray[Any], ...]:
    columns = [Growing(dtype) for dtype in dtypes]
    for start, stop in _stretches(first[pages[0] : pages[1] + 1]):
        for growing, its in zip(columns, tell(start, stop), strict=True):
            growing.add(its)
    return tuple(growing.finished() for growing in columns)


def _stretches(first: Ints) -> list[tuple[int, int]]:
    """First place and the one after the last of some pages at a time."""
    bounds = [*first[:-1:_PAGES_AT_ONCE].tolist(), int(first[-1])]
    return [(start, stop) for start, stop in pairwise(bounds) if stop > start]


def _part(blocks: Undecided, signs: BlockSigns, places: Places, start: int, stop: int) -> tuple[NDArray[Any], ...]:
    """The elements of some pages, as columns, with a hash of the text of each, and one of its skeleton."""
    elements = elements_of(blocks.path[start:stop], blocks.joint[start:stop], places)
    block, page = blocks.block[start:stop], blocks.page[start:stop]
    text, skeleton = signs.text[block], signs.skeleton[block]
    # Links that follow one another are one sign: a menu of five and one of six are the same.
    follows = np.zeros(len(text), bool)
    follows[1:] = (skeleton[1:] == skeleton[:-1]) & (page[1:] == page[:-1])
    shift = np.int32(start)
    return (
        elements.first + shift,
        elements.end + shift,
        elements.depth,
        elements.place,
        _sequence_hashes(text, np.zeros(len(text), bool), elements),
        _sequence_hashes(skeleton, follows, elements),
    )


def _recurring(
    elements: Elements, page: Codes, text: Hashes, skeleton: Hashes, sections: Sequence[Ints], settings: Text
) -> Recurring:
    """Count on how many pages elements stand in the same place: with the same text, the same skeleton, with any."""

    def key_of(place: Codes) -> Hashes:
        return place.astype(np.uint64) * _PLACE_BASE

    text_keys = worked_out(lambda its, place: its ^ key_of(place), np.uint64, text, elements.place)
    skeleton_keys = worked_out(lambda its, place: its * np.uint64(3) ^ key_of(place), np.uint64, skeleton, elements.place)
    return Recurring(
        recurrence(text_keys, page, sections, settings),
        recurrence(skeleton_keys, page, sections, settings),
        recurrence(worked_out(key_of, np.uint64, elements.place), page, sections, settings),
        _are_only(elements, page, len(sections[0])),
        text_keys,
    )


def _are_only(elements: Elements, page: Codes, n_pages: int) -> Bools:
    """Whether each element is the only one of its place on its page."""
    tell = partial(_only_ones, elements.place, page, n_pages)
    (result,) = _told_by_pages(tell, first_places(page, n_pages), (np.bool_,))
    return result


def _only_ones(place: Codes, page: Codes, n_pages: int, start: int, stop: int) -> tuple[Bools]:
    order, ordered = order_of_numbers(place[start:stop].astype(np.int64) * n_pages + page[start:stop])
    differs = np.concatenate([[True], ordered[1:] != ordered[:-1], [True]])
    is_only = np.empty(stop - start, bool)
    is_only[order] = differs[:-1] & differs[1:]
    return (is_only,)


def _sequence_hashes(values: Hashes, is_left_out: Bools, elements: Elements) -> Hashes:
    """Hash of the values of the blocks of each element in their order; a block that begins one is never left out.

    A polynomial of the values, from running sums: these are taken times powers of an odd number modulo 2^64, which has an
    inverse.
    """
    rank: Ints = np.cumsum(~is_left_out) - ~is_left_out
    base = _powers(int(_PLACE_BASE), int(rank[-1]) + 2)
    inverse = _powers(pow(int(_PLACE_BASE), -1, 1 << 64), int(rank[-1]) + 2)
    kept = np.where(is_left_out, np.uint64(0), values * base[rank])
    before = np.concatenate([np.zeros(1, np.uint64), np.cumsum(kept, dtype=np.uint64)])
    begin: Ints = rank[elements.first] - is_left_out[elements.first]
    result = (before[elements.end] - before[elements.first]) * inverse[np.maximum(begin, 0)]
    return np.asarray(np.where(is_left_out[elements.first], result + values[elements.first], result))


def _powers(base: int, n: int) -> Hashes:
    """The first n powers, modulo 2^64."""
    result = np.ones(n, np.uint64)
    known = 1
    while known < n:
        more = min(known, n - known)
        result[known : known + more] = result[:more] * np.uint64(pow(base, known, 1 << 64))
        known += more
    return result


def _marked(blocks: Undecided, signs: BlockSigns, sections: Sequence[Ints], settings: Text) -> Bools:
    """Whether each block is dated or a copyright line, and recurs: these are the same wherever they stand."""
    is_marked = gathered(signs.is_dated | signs.is_copyright, blocks.block)
    at = np.flatnonzero(is_marked)
    recurs = recurrence(laid_down(signs.text[blocks.block[at]]), laid_down(blocks.page[at]), sections, settings).is_usual
    result = np.zeros(len(is_marked), bool)
    result[at] = recurs
    return laid_down(result)


def _decided(known: Known) -> NDArray[np.int8]:
    """What each block of a site is."""
    pages = list(stretches(known.first_elements, _ELEMENTS_SHARED))
    n_places, n_pages = len(known.places), len(known.first) - 1
    n_around, n_met = np.zeros(n_places, np.int64), np.zeros(n_places, np.int64)
    for around, met in shared_out(partial(content_votes, known), pages):
        n_around += around
        n_met += met
    is_named = known.places.is_named & (n_around < np.maximum(_CONTENT_SHARE * n_met, 1))
    votes = sum(shared_out(partial(core_votes, known, is_named), pages), np.zeros(2 * n_places, np.int64))
    is_usual = votes >= max(2.0, _CORE_VOTES * n_pages)
    columns = Growing(np.int8), Growing(np.bool_), Growing(np.bool_), Growing(np.uint64)
    for told in shared_out(partial(decided, known, is_named, is_usual), pages):
        for growing, its in zip(columns, told, strict=True):
            growing.add(its)
    found, in_doubt, has_core, lone_keys = (growing.finished() for growing in columns)
    result = found.copy()
    if len(lone_keys):
        is_lone = laid_down(~has_core[known.blocks.page])
        result[is_lone] = _as_elsewhere(known, found, has_core, lone_keys, pages)
    result[in_doubt & (result == MAIN)] = DOUBT
    return result


def _as_elsewhere(
    known: Known, found: NDArray[np.int8], has_core: Bools, keys: Hashes, pages: Sequence[tuple[int, int]]
) -> NDArray[np.int8]:
    """On pages without words of their own, take for furniture what is furniture in the same place of other pages."""
    asked = laid_down(distinct(keys))
    n, n_furniture = np.zeros(len(asked), np.int64), np.zeros(len(asked), np.int64)
    for met, furniture_met in shared_out(partial(furniture_elsewhere, known, asked, found, has_core), pages):
        n += met
        n_furniture += furniture_met
    number = np.searchsorted(asked, keys)
    follows = ((n > 0) & (n_furniture >= known.settings.template_share * n))[number]
    result = found[~has_core[known.blocks.page]]
    result[follows & (result == MAIN)] = TEMPLATE
    return result
