"""Which pages carry which texts, and what that says of the texts.

In:  numbers of texts (runs of words, or short blocks) with the pages on which they stand, the groups of copies and the
     sections these are in, the links between them.
Out: on how many pages and in how many groups each text stands, whether it is boilerplate; for each place of a text whether
     other pages share it, and whether its page only teases with it.

All of it is worked out for a range of texts, or of pages, at a time (:mod:`mardok.sharing`): what is told of a text depends
on its own places and on what is told of each page, what is told of a page on its own texts and on what is told of each text.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import partial
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from mardok.compiled import compiled
from mardok.large import Growing, laid_down, large_empty, offsets_of, places_from, stretches
from mardok.settings import Boilerplate
from mardok.sharing import shared_out
from mardok.text.distinct import distinct, first_of_equal, order_of_numbers
from mardok.text.hashes import Ints

Bools = NDArray[np.bool_]
_TEASED = 2
"""Pages of which a page has runs that no other page it links to has, from which it is a list of pages."""
_PLACES_SHARED, _LOOKED_AT_ONCE = 1 << 22, 1 << 20
"""About how many places of texts, or texts of pages, are gone through together, and looked at for those of some texts."""
_RUNS_AT_ONCE, _PAIRS_AT_ONCE = 1 << 22, 1 << 20
_SHORT_BITS, _SPREAD = 24, np.uint64(0x9E3779B97F4A7C15)
"""Bits of a short hash, and the odd number that a number is multiplied with for it (D. E. Knuth, TAOCP 3, section 6.4)."""
_MOST_CARRIERS = 64
"""Pages with a run up to which it is asked whether they link to each other."""


@dataclass(frozen=True)
class Divisions:
    """What is known of each page; arrays of shape (n_pages,)."""

    group_of: Ints
    """Equal for pages of one group of copies, which is told by the number of one of them."""
    section_of: Ints
    settings: Boilerplate

    @property
    def n_pages(self) -> int:
        """All pages."""
        return len(self.group_of)


@dataclass(frozen=True)
class Carriers:
    """Which pages carry each of some texts.

    Arrays of shape (n_pairs,), each text with each page that carries it, once, in order; of shape (n_texts,); and of shape
    (n_places,), for all places of texts.
    """

    text: Ints
    page: Ints
    pair: Ints
    """For each place which of the pairs it is of."""
    n_pages: Ints
    """For each text the pages that carry it."""
    n_groups: Ints
    is_boilerplate: Bools
    first: Ints
    """For each text the first of its places."""

    @property
    def are_boilerplate(self) -> Bools:
        """For each place whether its text is boilerplate."""
        return np.asarray(self.is_boilerplate[self.text[self.pair]])

    def of_texts(self, begin: int, end: int) -> tuple[int, int]:
        """The first pair of a range of texts, and the one after the last."""
        first, last = np.searchsorted(self.text, [begin, end])
        return int(first), int(last)


def carriers(texts: Ints, pages: Ints, divisions: Divisions) -> Carriers:
    """Which pages carry each of some texts.

    Parameters
    ----------
    texts, pages : ndarray of int64, shape (n_places,)
        Number of the text and of the page of each place.

    Examples
    --------
    >>> each = Divisions(np.arange(3), np.zeros(3, np.int64), Boilerplate(pages=2))
    >>> found = carriers(np.array([1, 0, 1, 1]), np.array([0, 1, 2, 2]), each)
    >>> found.text.tolist(), found.page.tolist(), found.pair.tolist(), found.is_boilerplate.tolist(), found.first.tolist()
    ([0, 1, 1], [1, 0, 2], [1, 0, 2, 2], [False, True], [1, 0])
    """
    n_texts = int(texts.max(initial=-1)) + 1
    pair = large_empty(len(texts), np.int64)
    columns = [Growing(dtype) for dtype in (np.int64, np.int64, np.int64, np.int64, np.bool_, np.int64)]
    n_pairs = 0
    for its, own, *told in shared_out(partial(_carried, texts, pages, divisions), _ranges(n_texts, len(texts))):
        pair[its] = own + n_pairs
        n_pairs += len(told[0])
        for growing, values in zip(columns, told, strict=True):
            growing.add(values)
    text, page, n_pages, n_groups, is_boilerplate, first = (growing.finished() for growing in columns)
    pair.flags.writeable = False
    return Carriers(text, page, pair, n_pages, n_groups, is_boilerplate, first)


def _ranges(n_texts: int, n_places: int) -> list[tuple[int, int]]:
    """Texts in ranges, by the first and the one after the last: of some places each, which are spread over all of them."""
    n_ranges = max(min(-(-n_places // _PLACES_SHARED), n_texts), 1)
    return list(pairwise(n_texts * number // n_ranges for number in range(n_ranges + 1)))


def _carried(texts: Ints, pages: Ints, divisions: Divisions, its: tuple[int, int]) -> tuple[NDArray[Any], ...]:
    """For a range of texts their places, the pair of each, the pairs, what is told of each text, and its first place."""
    begin, end = its
    places, n_pages = _places_of(texts, begin, end), divisions.n_pages
    order, ordered = order_of_numbers((texts[places] - begin) * n_pages + pages[places])
    is_first = first_of_equal(ordered)
    text, page = ordered[is_first] // n_pages, ordered[is_first] % n_pages
    pair = np.empty(len(places), np.int64)
    pair[order] = np.cumsum(is_first) - 1
    first = np.empty(end - begin, np.int64)
    backwards = places[::-1]
    first[texts[backwards] - begin] = backwards  # of several values for one text the last stays
    n_carriers = np.bincount(text, minlength=end - begin)
    told = (pair, text + begin, page, n_carriers, *_counted(text, page, end - begin, divisions), first)
    return laid_down(places), *map(laid_down, told)


def _places_of(texts: Ints, begin: int, end: int) -> Ints:
    """Places of a range of texts, in order."""
    result = [np.zeros(0, np.int64)]
    for first in range(0, len(texts), _LOOKED_AT_ONCE):
        some = texts[first : first + _LOOKED_AT_ONCE]
        result.append(np.flatnonzero((some >= begin) & (some < end)) + first)
    return np.concatenate(result)


def _counted(text: Ints, page: Ints, n_texts: int, divisions: Divisions) -> tuple[Ints, Bools]:
    """In how many groups each text stands, and whether it is boilerplate."""
    settings, section_of, n_pages = divisions.settings, divisions.section_of, divisions.n_pages
    # Each group is told by one of its pages, and stands in the section of that.
    groups = distinct(text * n_pages + divisions.group_of[page])
    its, group = groups // n_pages, groups % n_pages
    n_sections = int(section_of.max()) + 1 if n_pages else 1
    placed = np.sort(its * n_sections + section_of[group])
    begins = np.flatnonzero(first_of_equal(placed))
    in_section, n_in_section = placed[begins], np.diff(begins, append=len(placed))
    size = np.bincount(section_of, minlength=n_sections)[in_section % n_sections]
    is_usual = (n_in_section >= settings.section_pages) & (n_in_section > settings.section_share * size)
    n_groups = np.bincount(its, minlength=n_texts)
    is_boilerplate = n_groups >= settings.pages
    is_boilerplate[(in_section // n_sections)[is_usual]] = True
    return n_groups, is_boilerplate


def without_lists(carried: Carriers, divisions: Divisions, links: Ints) -> Carriers:
    """The same, but that pages which only list those that have a text do not count with it.

    Parameters
    ----------
    links : ndarray of int64
        Links between pages as source * n_pages + target, in order.
    """
    counted = partial(_counted_without, carried, divisions, laid_down(_only_teased(carried, divisions, links)))
    n_groups, is_boilerplate = Growing(np.int64), Growing(np.bool_)
    for groups, boilerplate in shared_out(counted, _ranges(len(carried.n_pages), len(carried.text))):
        n_groups.add(groups)
        is_boilerplate.add(boilerplate)
    return replace(carried, n_groups=n_groups.finished(), is_boilerplate=is_boilerplate.finished())


def _counted_without(
    carried: Carriers, divisions: Divisions, is_left_out: Bools, its: tuple[int, int]
) -> tuple[Ints, Bools]:
    pairs = slice(*carried.of_texts(*its))
    left = ~is_left_out[pairs]
    return _counted(carried.text[pairs][left] - its[0], carried.page[pairs][left], its[1] - its[0], divisions)


def _only_teased(carried: Carriers, divisions: Divisions, links: Ints) -> Bools:
    """For each pair of a boilerplate run and a page whether the page only lists one of the pages that have the run.

    What is pasted on many pages that link to one another is not told by a link: of the pages that one of them links to
    several have it.
    """
    text, page, n_pages = carried.text, carried.page, divisions.n_pages
    is_asked = np.zeros(n_pages, bool)
    is_asked[page[carried.is_boilerplate[text]]] = True
    # Others no page of another group has.
    pair = laid_down(np.flatnonzero(carried.n_groups[text] > 1))
    by_page, _ = order_of_numbers(page[pair])
    pair = laid_down(pair[by_page])
    first = offsets_of(np.bincount(page[pair], minlength=n_pages))
    of_pages = _OfPages(
        laid_down(text[pair].astype(np.int32)), first, laid_down(links), is_asked, divisions.group_of, carried.is_boilerplate
    )
    result = np.zeros(len(text), bool)
    for its, told in shared_out(of_pages.teased, list(stretches(first, _PLACES_SHARED))):
        result[pair[first[its[0]] : first[its[1]]]] = told
    return result


@dataclass(frozen=True)
class _OfPages:
    """The texts of pages, and the links between these."""

    texts: NDArray[np.int32]
    """One page after the other, each text once, in order."""
    first: Ints
    """Where the texts of each page begin."""
    links: Ints
    is_asked: Bools
    """Whether a page has a text that may be boilerplate."""
    group_of: Ints
    is_boilerplate: Bools

    def teased(self, its: tuple[int, int]) -> tuple[tuple[int, int], Bools]:
        """For each text of some pages whether its page only lists one of the pages that have it."""
        n_pages, (begin, end) = len(self.is_asked), its
        links = self.links[slice(*np.searchsorted(self.links, [begin * n_pages, end * n_pages]))]
        source, target = links // n_pages, links % n_pages
        is_kept = self.is_asked[source] & (self.group_of[source] != self.group_of[target])
        n_with, last = teasing(source[is_kept], target[is_kept], self.first, self.texts, len(self.is_boilerplate))
        own = slice(self.first[begin], self.first[end])
        single = n_with[own] == 1
        page = np.repeat(np.arange(end - begin), np.diff(self.first[begin : end + 1]))
        listed = distinct(page[single] * n_pages + last[own][single]) // n_pages
        teased = np.bincount(listed, minlength=end - begin)
        return its, np.asarray(single & (teased[page] >= _TEASED) & self.is_boilerplate[self.texts[own]])


@compiled("overlaps")
def teasing(
    source: Ints, target: Ints, first: Ints, texts: NDArray[np.int32], n_texts: int
) -> tuple[NDArray[np.int32], Ints]:
    """For each run of each page how many of the pages that it links to have the run, and the last of these.

    Parameters
    ----------
    source, target : ndarray of int64, shape (n_links,)
        Pages of each link, in the order of `source`.
    first : ndarray of int64, shape (n_pages + 1,)
        Where the runs of each page begin in `texts`.
    texts : ndarray of int32, shape (n_places,)
        Runs of pages, one page after the other, each once.
    n_texts : int
        Different runs.
    """
    n_with, last = np.zeros(len(texts), np.int32), np.zeros(len(texts), np.int64)
    place_of = np.full(n_texts, -1, np.int64)
    for begin, end in pairwise([*np.flatnonzero(first_of_equal(source)).tolist(), len(source)]):
        own = np.arange(first[source[begin]], first[source[begin] + 1])
        # A table with the places of the page's own runs is looked up many times faster than all pairs are searched.
        place_of[texts[own]] = own
        for targets in _in_parts(target[begin:end], first):
            sizes = first[targets + 1] - first[targets]
            ends = np.cumsum(sizes)
            places = place_of[texts[np.repeat(first[targets] - ends + sizes, sizes) + np.arange(ends[-1])]]
            hits = np.flatnonzero(places >= 0)
            np.add.at(n_with, places[hits], 1)
            last[places[hits]] = targets[np.searchsorted(ends, hits, side="right")]
        place_of[texts[own]] = -1
    return n_with, last


def _in_parts(targets: Ints, first: Ints) -> Iterator[Ints]:
    """The targets of one page, so many together as have a limited number of runs."""
    ends = np.cumsum(first[targets + 1] - first[targets])
    begin = 0
    while begin < len(targets):
        done = int(ends[begin - 1]) if begin else 0
        end = max(int(np.searchsorted(ends, done + _RUNS_AT_ONCE, side="right")), begin + 1)
        yield targets[begin:end]
        begin = end


def shared_places(carried: Carriers, divisions: Divisions, links: Ints) -> tuple[Bools, Bools]:
    """For each place of a run whether a page of another group carries its run, and does not merely link to the page.

    And whether the page of the place is one that links to a carrier of its run.

    Parameters
    ----------
    links : ndarray of int64
        Links between pages as source * n_pages + target.
    """
    told = partial(_shared_pairs, carried, divisions, _Among.of_numbers(links))
    is_shared, is_teasing = Growing(np.bool_), Growing(np.bool_)
    for shared, teasing_ones in shared_out(told, _ranges(len(carried.n_pages), len(carried.text))):
        is_shared.add(shared)
        is_teasing.add(teasing_ones)
    return is_shared.finished()[carried.pair], is_teasing.finished()[carried.pair]


def _shared_pairs(carried: Carriers, divisions: Divisions, is_link: _Among, its: tuple[int, int]) -> tuple[Bools, Bools]:
    pairs = slice(*carried.of_texts(*its))
    text, page = carried.text[pairs] - its[0], carried.page[pairs]
    n_carriers, n_groups, is_boilerplate = (
        carried.n_pages[slice(*its)],
        carried.n_groups[slice(*its)],
        carried.is_boilerplate[slice(*its)],
    )
    first = np.searchsorted(text, np.arange(its[1] - its[0] + 1))
    many = n_carriers > _MOST_CARRIERS
    is_shared = (many & (n_groups > 1))[text]
    # Every carrier of a run with every other: few, since what is boilerplate is not shared.
    few = np.flatnonzero(~many[text] & ~is_boilerplate[text])
    sizes = n_carriers[text[few]]
    is_teasing = np.zeros(len(text), bool)
    for begin, end in stretches(offsets_of(sizes), _PAIRS_AT_ONCE):
        here = np.repeat(few[begin:end], sizes[begin:end])
        there = places_from(first[text[few[begin:end]]], sizes[begin:end])
        is_other = divisions.group_of[page[here]] != divisions.group_of[page[there]]
        here, there = here[is_other], there[is_other]
        is_teaser = is_link.of(page[there] * divisions.n_pages + page[here])
        is_shared[here[~is_teaser]] = True
        is_teasing[there[is_teaser]] = True
    return is_shared, is_teasing


@dataclass(frozen=True)
class _Among:
    """Whether numbers are among some; most are not, which a table of short hashes tells of nearly all."""

    known: Ints
    is_met: Bools

    @classmethod
    def of_numbers(cls, known: Ints) -> _Among:
        is_met = np.zeros(1 << _SHORT_BITS, bool)
        is_met[_short(known)] = True
        return cls(laid_down(distinct(known)), laid_down(is_met))

    def of(self, numbers: Ints) -> Bools:
        """Whether each of many is."""
        result = self.is_met[_short(numbers)]
        likely = np.flatnonzero(result)
        at = np.searchsorted(self.known, numbers[likely])
        result[likely] = self.known[np.minimum(at, len(self.known) - 1)] == numbers[likely]
        return result


def _short(numbers: Ints) -> Ints:
    hashes = numbers.astype(np.uint64)
    hashes *= _SPREAD
    hashes >>= np.uint64(64 - _SHORT_BITS)
    return hashes.astype(np.int64)
