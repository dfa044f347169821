"""The elements of pages that hold several blocks, or one, with what is needed to tell which of them recur.

In:  the blocks of a site, each with the path of elements it stands in and how many of these the block before stands in.
Out: :class:`Elements`: stretches of blocks that one element holds, each with a key for its place in the template.

Of elements that hold exactly the same blocks only the innermost is kept. Each block is an element of its own, too.

The place of an element is known by its own tag, classes, id and role where these are more than a tag, else by the place of
the element around it and its tag. So a box that a template puts into different containers is in one place. Classes and ids
that only a few pages have, such as those that name one article, are no part of a place.
"""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from mardok.extract.part_names import names_furniture, names_notice
from mardok.text.columns import Blocks, Codes
from mardok.text.distinct import distinct
from mardok.text.hashes import Ints, mixed

_TOKEN = re.compile(r"(?=[.#@])")
_BODY_CHILD = 2
"""Depth of the children of the body."""
_FURNITURE_TAGS = frozenset(["aside", "footer", "nav"])
_TEXT_TAGS = frozenset(["caption", "dd", "dt", "figcaption", "legend", "li", "p", "summary", "th"])
_PLACES_AT_ONCE = 1 << 20
_USUAL_SHARE, _USUAL_PAGES = 0.02, 5
"""Share and number of pages that have a class or id, from which it belongs to the template."""


@dataclass(frozen=True)
class Places:
    """The places of a template that the paths of blocks lead through."""

    number: NDArray[np.int32]
    """Place of each depth of each path; shape (n_paths, deepest + 1), -1 beyond its end. Place 0 is around everything."""
    depth: NDArray[np.int8]
    """Elements of each path."""
    is_named: NDArray[np.bool_]
    """Whether what the element is called names furniture; shape (n_places,)."""
    is_notice: NDArray[np.bool_]
    """Whether it names a cookie or consent notice."""
    shown: tuple[str, ...]
    """What the element is called, for a reader."""

    def __len__(self) -> int:
        return len(self.shown)


@dataclass(frozen=True)
class Elements:
    """Elements of some pages, those that begin first before others, and outer before inner ones."""

    first: Codes
    """Number of the first block of each, shape (n_elements,)."""
    end: Codes
    """The number after that of the last."""
    depth: NDArray[np.int8]
    place: Codes
    """Number of the place; of what stands in an element beside others, the place after all those of elements."""

    def __len__(self) -> int:
        return len(self.first)


def path_codes(blocks: Blocks) -> tuple[list[str], Codes]:
    """The different paths, and the number of that of each context."""
    number: dict[str, int] = {}
    of_context = [number.setdefault(context.path, len(number)) for context in blocks.contexts]
    return list(number), np.array(of_context, np.int32)


def places_of(paths: list[str], path: Codes, page: Codes, n_pages: int) -> Places:
    """The places that paths lead through.

    Parameters
    ----------
    path, page : ndarray of int32, shape (n_blocks,)
        Path and page of each block.
    """
    split = [text.split("/") if text else [] for text in paths]
    usual = _usual_tokens(split, path, page, n_pages)
    number: dict[tuple[str, ...], int] = {(): 0}
    named, notice, shown = [False], [False], [""]
    labels: dict[str, str] = {}
    result = np.full((len(paths), max(map(len, split), default=0) + 1), -1, np.int32)
    result[:, 0] = 0
    for row, parts in enumerate(split):
        key: tuple[str, ...] = ()
        for depth, label in enumerate(parts, start=1):
            if label not in labels:
                tag, *tokens = _TOKEN.split(label)
                labels[label] = tag + "".join(token for token in tokens if token in usual)
            plain = labels[label]
            key = (plain,) if len(_TOKEN.split(plain)) > 1 else (*key, plain)
            if key not in number:
                number[key] = len(number)
                tag, *tokens = _TOKEN.split(plain)
                named.append(
                    tag in _FURNITURE_TAGS
                    or any(names_furniture(token[1:], is_container=tag not in _TEXT_TAGS) for token in tokens)
                )
                notice.append(any(names_notice(token[1:]) for token in tokens))
                shown.append(plain)
            result[row, depth] = number[key]
    depths = np.array([len(parts) for parts in split], np.int8)
    return Places(result, depths, np.array(named), np.array(notice), tuple(shown))


def _usual_tokens(split: list[list[str]], path: Codes, page: Codes, n_pages: int) -> Collection[str]:
    """Classes, ids and roles that many pages have."""
    number: dict[str, int] = {}
    of_path = [
        sorted({number.setdefault(token, len(number)) for label in parts for token in _TOKEN.split(label)[1:]})
        for parts in split
    ]
    if not number:
        return ()
    seen = met_on_pages(page, path, len(split))
    rows = np.repeat(np.arange(len(split)), [len(tokens) for tokens in of_path])
    columns = [token for tokens in of_path for token in tokens]
    have = sparse.csr_array((np.ones(len(rows), np.int32), (rows, columns)), shape=(len(split), len(number)))
    on = sparse.csr_array(
        (np.ones(len(seen), np.int32), (seen // len(split), seen % len(split))), shape=(n_pages, len(split))
    )
    n_with = np.bincount((on @ have).indices, minlength=len(number))
    least = max(_USUAL_SHARE * n_pages, min(_USUAL_PAGES, max(n_pages // 2, 1)))
    return {token for token, code in number.items() if n_with[code] >= least}


def templates_of(places: Places, path: Codes, page: Codes, n_pages: int) -> Ints:
    """A number for each page, equal for pages whose body has the same classed elements as children and grandchildren.

    Parameters
    ----------
    path, page : ndarray of int32, shape (n_blocks,)
        Path and page of each block.
    """
    is_told = np.array([len(_TOKEN.split(name)) > 1 for name in places.shown])
    on_paths = met_on_pages(page, path, len(places.number))
    its_page, its_path = on_paths // len(places.number), on_paths % len(places.number)
    found_below = []
    for depth in range(_BODY_CHILD, min(_BODY_CHILD + 2, places.number.shape[1])):
        below = places.number[its_path, depth]
        kept = (below >= 0) & is_told[np.maximum(below, 0)]
        found_below.append(its_page[kept] * len(places) + below[kept])
    met = distinct(np.concatenate([np.zeros(0, np.int64), *found_below]))
    sign = mixed((met % len(places)).astype(np.uint64) + np.uint64(1))
    result = np.zeros(n_pages, np.uint64)
    np.add.at(result, met // len(places), sign)
    return np.searchsorted(distinct(result), result)


def elements_of(path: Codes, joint: NDArray[np.int8], places: Places) -> Elements:
    """The elements of blocks that follow one another.

    Parameters
    ----------
    path : ndarray of int32, shape (n_blocks,)
    joint : ndarray of int8, shape (n_blocks,)
        Elements that each shares with the block before; 0 where a page begins.
    """
    n = len(path)
    depth = places.depth[path]
    deepest = int(depth.max()) if n else 0
    end_of_inner = np.full(n, -1, np.int32)
    """End of the innermost element so far that begins with each block."""
    firsts, ends, depths, numbers = [], [], [], []
    for level in range(deepest, 0, -1):
        is_in = depth >= level
        breaks = joint < level
        begins = breaks & is_in
        begins[1:] |= is_in[1:] & ~is_in[:-1]
        first = np.flatnonzero(begins)
        stops = np.flatnonzero(breaks | ~is_in)
        after = np.searchsorted(stops, first, side="right")
        end = np.append(stops, n)[after].astype(np.int32)
        kept = end_of_inner[first] != end
        end_of_inner[first] = end
        first, end = first[kept].astype(np.int32), end[kept]
        firsts.append(first)
        ends.append(end)
        depths.append(np.full(len(first), level, np.int8))
        numbers.append(places.number[path[first], level])
    # What stands in an element beside others is told apart from the element itself.
    alone = np.zeros(n, bool)
    for first, end in zip(firsts, ends, strict=True):
        alone[first[end - first == 1]] = True
    single = np.flatnonzero(~alone).astype(np.int32)
    firsts.append(single)
    ends.append(single + 1)
    depths.append((depth[single] + 1).astype(np.int8))
    numbers.append(places.number[path[single], depth[single]] + np.int32(len(places)))
    begin, stop = np.concatenate(firsts), np.concatenate(ends)
    levels, places_met = np.concatenate(depths), np.concatenate(numbers)
    order = np.lexsort((levels, -stop, begin))
    return Elements(begin[order], stop[order], levels[order], places_met[order])


def sums(values: NDArray[np.generic], elements: Elements) -> NDArray[np.float64]:
    """Sum of the values of the blocks of each element."""
    before = np.concatenate([[0.0], np.cumsum(values, dtype=np.float64)])
    return np.asarray(before[elements.end] - before[elements.first])


def have_any(marks: NDArray[np.bool_], elements: Elements) -> NDArray[np.bool_]:
    """Whether each element has a block that is marked."""
    before = np.concatenate([[0], np.cumsum(marks, dtype=np.int32)])
    return np.asarray(before[elements.end] > before[elements.first])


def named_around(places: Places, is_named: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Whether an element at each depth of each path, or one around it, is at a named place; shape as ``places.number``."""
    here = (places.number >= 0) & is_named[np.maximum(places.number, 0)]
    return np.asarray(np.logical_or.accumulate(here, axis=1))


def met_on_pages(page: Codes, code: Codes, n_codes: int) -> Ints:
    """Each page with each number that stands there, once: ``page * n_codes + number``, in order.

    Parameters
    ----------
    page, code : ndarray of int32, shape (n_places,)
        Pages in order.
    """
    result = [np.zeros(0, np.int64)]
    start = 0
    while start < len(page):
        last = page[min(start + _PLACES_AT_ONCE, len(page)) - 1]
        stop = int(np.searchsorted(page, last, side="right"))
        result.append(distinct(page[start:stop].astype(np.int64) * n_codes + code[start:stop]))
        start = stop
    return np.concatenate(result)


def first_places(page: Codes, n_pages: int) -> Ints:
    """Number of the first block of each page, and the one after all."""
    return np.searchsorted(page, np.arange(n_pages + 1))
