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
from dataclasses import dataclass
from functools import partial
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from mardok.large import Growing, counted_between, gathered, laid_down, places_where, worked_out
from mardok.settings import Text
from mardok.sharing import shared_out
from mardok.text.block_signs import BlockSigns
from mardok.text.columns import Codes
from mardok.text.distinct import distinct, order_of_numbers
from mardok.text.elements import Elements, Places, elements_of, first_places, have_any, met_on_pages, named_around, sums
from mardok.text.hashes import Hashes, Ints
from mardok.text.recurrence import Recurrence, recurrence

Bools = NDArray[np.bool_]

MAIN, MENU, NAMED, TEMPLATE, EDGE, NOTICE, DOUBT = range(7)
"""What was decided: main text; or a part of the template that is mostly links, that its name calls furniture, that stands in
one place of nearly all pages, that ends the page; a cookie notice; main text that may be furniture."""
_CORE_SHARE = 0.8
_USUAL_CORE_SHARE = 0.5
_CORE_VOTES = 0.1
"""Share of the pages whose core is in one place, from which that is the core of others, too."""
_LINK_WEIGHT = 0.1
"""What a word in a link counts beside others where a page's own words are summed: a list of links may be what it is for."""
_CONTENT_SHARE = 0.3
"""Share of the pages with a place on which it holds most of their own words, or their H1: it is one of content then,
whatever its name."""
_FEW_WORDS = 8
"""Words of a block that a run at the edge may pass over, if it ends beyond it."""
_TELLING_WORDS = 3
"""Words beside its links from which a sentence is no line of links."""
_PLACE_BASE = np.uint64(0x9E3779B97F4A7C15 | 1)
_PAGES_AT_ONCE, _PAGES_SHARED = 1 << 11, 1 << 15
"""Pages whose elements are found together, and those that one process is given."""


@dataclass(frozen=True)
class Undecided:
    """Blocks of a site, one page after the other; arrays of shape (n_undecided,)."""

    page: Codes
    block: Codes
    """Number of each among the different blocks."""
    path: Codes
    joint: NDArray[np.int8]
    level: NDArray[np.int8]
    in_main: Bools
    is_aside: Bools
    """Whether it stands in an element for what is beside the content."""


@dataclass(frozen=True)
class _Recurring:
    """How elements recur."""

    text: Recurrence
    """With the same text in the same place."""
    skeleton: Recurrence
    place: Recurrence
    """With whatever text."""
    is_only: Bools
    """Whether each is the only one of its place on its page."""
    text_keys: Hashes
    """Equal for elements with the same text in the same place."""


def furniture(
    blocks: Undecided, signs: BlockSigns, places: Places, sections: Sequence[Ints], own_titles: Bools, settings: Text
) -> NDArray[np.int8]:
    """What each block is, one of the constants above.

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
    site = _Site(blocks, signs, places, elements, page, recurring, own_titles, sections, settings)
    return site.decided()


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
) -> _Recurring:
    """Count on how many pages elements stand in the same place: with the same text, the same skeleton, with any."""

    def key_of(place: Codes) -> Hashes:
        return place.astype(np.uint64) * _PLACE_BASE

    text_keys = worked_out(lambda its, place: its ^ key_of(place), np.uint64, text, elements.place)
    skeleton_keys = worked_out(lambda its, place: its * np.uint64(3) ^ key_of(place), np.uint64, skeleton, elements.place)
    return _Recurring(
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


class _Site:
    """What is known of the elements of a site, and what follows."""

    def __init__(
        self,
        blocks: Undecided,
        signs: BlockSigns,
        places: Places,
        elements: Elements,
        page: Codes,
        recurring: _Recurring,
        own_titles: Bools,
        sections: Sequence[Ints],
        settings: Text,
    ) -> None:
        self.blocks, self.places, self.elements, self.page, self.recurring = blocks, places, elements, page, recurring
        self.first, self.settings = first_places(blocks.page, len(sections[0])), settings
        self.n_pages = len(sections[0])
        at = blocks.block
        self.words = worked_out(lambda its: signs.words[its].astype(np.float64), np.float64, at)
        self.plain_words = worked_out(lambda its: signs.words[its] - signs.linked_words[its], np.float64, at)
        self.is_bare, self.is_dated, self.is_copyright, self.ends_sentence = (
            gathered(marks, at) for marks in (signs.is_bare, signs.is_dated, signs.is_copyright, signs.ends_sentence)
        )
        # Each block alone is an element, the last of those that begin with it.
        unit = places_where(worked_out(lambda first, end: end - first == 1, np.bool_, elements.first, elements.end))
        self.unit = unit
        self.text_recurs = gathered(recurring.text.is_usual, unit)
        self.skeleton_recurs = gathered(recurring.skeleton.is_usual, unit)
        self.is_running = laid_down(self.plain_words >= settings.running_words)
        self.total = sums(self.words, elements)
        self.is_linked = worked_out(
            lambda total, plain: total - plain >= settings.link_share * np.maximum(total, 1e-9),
            np.bool_, self.total, sums(self.plain_words, elements),
        )  # fmt: skip
        heads = (blocks.level == 1) & ~self.text_recurs
        self.has_h1 = have_any(heads, elements)
        self.page_has_h1 = counted_between(heads, self.first) > 0
        self.title_blocks = laid_down(own_titles & ~self.text_recurs)
        # Dates and copyright lines are the same wherever they stand.
        is_marked = np.flatnonzero(self.is_dated | self.is_copyright)
        self.marked_recurs = np.zeros(len(at), bool)
        self.marked_recurs[is_marked] = recurrence(
            laid_down(signs.text[at[is_marked]]), laid_down(blocks.page[is_marked]), sections, settings
        ).is_usual
        self._settle_core()

    def _settle_core(self) -> None:
        """Find the core of each page, and which places are named as furniture."""
        blocks, places, elements = self.blocks, self.places, self.elements
        weights = worked_out(
            lambda is_other, words, plain: np.where(is_other, 0, plain + _LINK_WEIGHT * (words - plain)),
            np.float64, self.text_recurs | blocks.is_aside, self.words, self.plain_words,
        )  # fmt: skip
        core, own = self._cores(weights)
        half = 0.5 * np.maximum(self._page_sums(weights), 1e-9)
        holds = self.has_h1 | worked_out(lambda its, page: its >= half[page], np.bool_, own, self.page)
        is_named = places.is_named & ~self._places_of_content(self._deepest(holds))
        del own, holds

        def around(named: Bools) -> Bools:
            """Whether each element, or one around it, is at a place so named."""
            at = named_around(places, named)

            def told(first: Codes, depth: NDArray[np.int8]) -> Bools:
                path = blocks.path[first]
                return np.asarray(at[path, np.minimum(depth, places.depth[path])])

            return worked_out(told, np.bool_, elements.first, elements.depth)

        self.is_named, self.is_notice = around(is_named), around(places.is_notice)
        # What its place calls furniture does not move the core, unless there is nothing else.
        named_block = gathered(self.is_named, self.unit) & gathered(self.recurring.place.is_usual, self.unit)

        def left(is_out: Bools, weight: NDArray[np.float64]) -> NDArray[np.float64]:
            return np.where(is_out, 0.0, weight)

        without = worked_out(left, np.float64, named_block, weights)
        has_other = self._page_sums(without) > 0
        is_nothing_left = worked_out(lambda its: ~has_other[its], np.bool_, blocks.page)
        weights = worked_out(left, np.float64, named_block & ~is_nothing_left, weights)
        core, _ = self._cores(weights)
        self.core_first, self.core_end = self.first[:-1].copy(), self.first[1:].copy()
        self.core_depth = np.zeros(self.n_pages, np.int64)
        its_page = self.page[core]
        self.has_core = np.zeros(self.n_pages, bool)
        self.has_core[its_page] = True
        self.core_first[its_page], self.core_end[its_page] = elements.first[core], elements.end[core]
        self.core_depth[its_page] = elements.depth[core]

    def _places_of_content(self, holding: Ints) -> Bools:
        """Places that lie around what holds most of the words, or the H1, on some of the pages that have them."""
        blocks, places, elements = self.blocks, self.places, self.elements
        n_paths, n_places = len(places.number), len(places)
        met = met_on_pages(blocks.page, blocks.path, n_paths)
        paths = blocks.path[elements.first[holding]]
        depths = np.minimum(elements.depth[holding], places.depth[paths])
        n_around = np.zeros(n_places, np.int64)
        on_pages = [np.zeros(0, np.int64)]
        for depth in range(1, places.number.shape[1]):
            there = places.number[met % n_paths, depth]
            on_pages.append(distinct((met // n_paths * n_places + there)[there >= 0]))
            here = places.number[paths, depth]
            n_around += np.bincount(here[(depth <= depths) & (here >= 0)], minlength=n_places)
        n_pages = np.bincount(distinct(np.concatenate(on_pages)) % n_places, minlength=n_places)
        return np.asarray(n_around >= np.maximum(_CONTENT_SHARE * n_pages, 1))

    def _page_sums(self, weights: NDArray[np.float64]) -> NDArray[np.float64]:
        result = np.zeros(self.n_pages)
        for start, stop in _stretches(self.first):
            page = self.blocks.page[start:stop]
            result[page[0] : page[-1] + 1] = np.bincount(page - page[0], weights[start:stop])
        return result

    def _cores(self, weights: NDArray[np.float64]) -> tuple[Ints, NDArray[np.float64]]:
        """The element that is the core of each page that has one, and the weight of each element.

        Where it stands in a place that is the core of few pages, and a place that is that of many holds at least half of
        the page's own words, that is taken: short pages have little to tell their core by.
        """
        elements, page = self.elements, self.page
        own, total = sums(weights, elements), self._page_sums(weights)
        may_be = worked_out(
            lambda has_h1, its: (has_h1 | ~self.page_has_h1[its]) & (total[its] > 0), np.bool_, self.has_h1, page
        )

        def hold(share: float) -> Bools:
            return worked_out(lambda weight, its: weight >= share * total[its], np.bool_, own, page)

        core = self._deepest(may_be & hold(_CORE_SHARE))
        votes = np.bincount(elements.place[core], minlength=2 * len(self.places))
        is_usual = votes >= max(2.0, _CORE_VOTES * self.n_pages)
        is_settled = np.zeros(self.n_pages, bool)
        is_settled[page[core]] = is_usual[elements.place[core]]
        better = self._deepest(
            may_be & gathered(is_usual, elements.place) & hold(_USUAL_CORE_SHARE) & ~gathered(is_settled, page)
        )
        is_replaced = np.zeros(self.n_pages, bool)
        is_replaced[page[better]] = True
        return np.concatenate([core[~is_replaced[page[core]]], better]), own

    def _deepest(self, may_be: Bools) -> Ints:
        """The innermost of some elements of each page; those of one page lie within each other."""
        result = np.flatnonzero(may_be)
        last = np.ones(len(result), bool)
        # Elements are in the order of their first blocks, outer before inner ones.
        last[:-1] = self.page[result[1:]] != self.page[result[:-1]]
        return result[last]

    def decided(self) -> NDArray[np.int8]:
        """What each block is."""
        elements, recurring, settings = self.elements, self.recurring, self.settings
        text, skeleton, place = recurring.text, recurring.skeleton, recurring.place
        # Each of these is as long as the site has elements: they lie where large arrays do.
        is_core, is_outside, is_inside, in_main = map(laid_down, self._about_the_core())
        is_short = laid_down(self.total < settings.running_words)
        is_dated, is_copyright = (have_any(marks, elements) for marks in (self.is_dated, self.is_copyright))
        has_running = have_any(self.is_running, elements)
        has_own_running = have_any(self.is_running & ~self.text_recurs, elements)
        has_new_heading = have_any((self.blocks.level > 0) & ~self.text_recurs, elements)
        is_heading = laid_down(~have_any(self.blocks.level == 0, elements))
        is_all_bare = laid_down(~have_any(~self.is_bare, elements))
        recurring_words = worked_out(
            lambda recurs, words: np.where(recurs, words, 0), np.float64,
            self.text_recurs | (self.skeleton_recurs & ~self.is_bare), self.words,
        )  # fmt: skip
        mostly_recurs = worked_out(
            lambda its, total: its >= 0.5 * np.maximum(total, 1e-9), np.bool_, sums(recurring_words, elements), self.total
        )
        del recurring_words
        only_everywhere = laid_down(recurring.is_only & place.is_everywhere)
        only_usual = laid_down(recurring.is_only & place.is_usual)
        recurs = laid_down(text.is_usual | skeleton.is_usual)
        named, linked = self.is_named, self.is_linked

        outside = is_outside & ~self._is_title(is_outside) & (
            text.is_everywhere
            | (text.is_in_template & is_short)
            | (skeleton.is_everywhere & (is_short | linked))
            | (text.is_usual & (linked | named | is_dated | is_copyright))
            | (skeleton.is_usual & (linked | is_short) & (named | only_everywhere))
            | ((linked | is_dated | is_copyright) & (named | only_everywhere) & only_usual)
            | (named & place.is_usual & (is_short | ~has_own_running))
            | (named & only_everywhere)
        )  # fmt: skip
        outside = laid_down(outside)
        may_be = laid_down(is_inside & ~has_running & ~has_new_heading & ~is_heading)
        n_signs = laid_down(named.astype(np.int8) + is_dated + 2 * is_copyright)
        inside = may_be & (
            (text.is_usual & named & (linked | is_dated | is_copyright))
            | (skeleton.is_usual & named & linked & ~is_all_bare & ~in_main)
            | (named & only_everywhere & recurs)
            | (named & recurring.is_only & place.is_in_template & text.is_in_template)
            | (text.is_everywhere & linked)
        )  # fmt: skip
        inside = laid_down(inside)
        is_sentence = np.zeros(len(elements), bool)
        is_sentence[self.unit] = self.ends_sentence & (self.plain_words >= _TELLING_WORDS)
        at_edge = may_be & (
            (text.is_usual & linked & (~is_sentence | skeleton.is_everywhere))
            | ((skeleton.is_usual | only_everywhere) & linked & (named | (skeleton.is_everywhere & ~is_all_bare)))
            | (named & place.is_usual & linked)
            | (recurs & is_short & (n_signs >= 2))
            | (skeleton.is_everywhere & is_short & (is_dated | is_copyright))
            | (named & only_everywhere & (is_copyright | recurs | mostly_recurs))
        )  # fmt: skip
        at_edge = laid_down(at_edge)
        del is_sentence, n_signs
        notice = self.is_notice & recurs

        result = np.zeros(len(self.words), np.int8)
        for chosen, reason in ((named, NAMED), (~named, TEMPLATE), (linked, MENU)):
            self._mark(result, (outside | inside) & chosen, reason)
        self._mark(result, notice & ~is_core & (elements.depth > 1), NOTICE)
        result[self._asides(is_inside, has_own_running)] = NAMED
        if settings.edges:
            self._take_up_edges(result, at_edge)
        self._follow_others(result)
        in_doubt = gathered(text.is_everywhere | (named & place.is_usual) | (is_outside & text.is_usual), self.unit)
        result[in_doubt & (result == MAIN)] = DOUBT
        return result

    def _about_the_core(self) -> tuple[Bools, Bools, Bools, Bools]:
        """Whether each element is the core of its page, is outside of it, inside of it, and in a main landmark."""
        first, end, page = self.elements.first, self.elements.end, self.page
        core_first, core_end = gathered(self.core_first, page), gathered(self.core_end, page)
        is_core = (first == core_first) & (end == core_end)
        is_outside = (end <= core_first) | (first >= core_end)
        is_inside = (first >= core_first) & (end <= core_end) & ~is_core
        # A main landmark is believed: what stands in it is never outside.
        in_main = gathered(self.blocks.in_main, first)
        is_inside |= is_outside & in_main
        is_outside &= ~in_main
        return is_core, is_outside, is_inside, in_main

    def _mark(self, result: NDArray[np.int8], chosen: Bools, reason: int) -> None:
        """Give a reason to the blocks of some elements."""
        steps = np.zeros(len(result) + 1, np.int32)
        np.add.at(steps, self.elements.first[chosen], 1)
        np.add.at(steps, self.elements.end[chosen], -1)
        np.cumsum(steps, out=steps)
        result[steps[:-1] > 0] = reason

    def _is_title(self, is_outside: Bools) -> Bools:
        """Whether elements outside the core hold the title of their page, which nothing in the core repeats.

        It is what the title of the document says, or what stands alone right before a core without H1.
        """
        steps = np.zeros(len(self.words) + 1, np.int8)
        np.add.at(steps, self.core_first, 1)
        np.add.at(steps, self.core_end, -1)
        in_core = np.cumsum(steps, dtype=np.int8)[:-1] > 0  # cores follow one another
        is_repeated = np.zeros(self.n_pages, bool)
        is_repeated[self.blocks.page[in_core & self.title_blocks]] = True
        has_title = have_any(self.title_blocks, self.elements)
        is_before = is_outside & (self.elements.end == self.core_first[self.page])
        earliest = np.full(self.n_pages, len(self.words), np.int64)
        np.minimum.at(earliest, self.page[is_before], self.elements.first[is_before])
        is_before &= (earliest == self.core_first - 1)[self.page] & ~self.page_has_h1[self.page]
        is_before &= ~self.text_recurs[self.elements.first]
        return np.asarray(is_outside & ((has_title & ~is_repeated[self.page]) | is_before) & ~self.is_linked)

    def _asides(self, is_inside: Bools, has_own_running: Bools) -> Bools:
        """Blocks in elements for what is beside the content: they are content where they are running text within it."""
        is_content = np.zeros(len(self.words), np.int8)
        are_aside = ~have_any(~self.blocks.is_aside, self.elements)
        self._mark(is_content, is_inside & has_own_running & are_aside, 1)
        has_other = counted_between(~self.blocks.is_aside, self.first) > 0
        return np.asarray(self.blocks.is_aside & (is_content == 0) & gathered(has_other, self.blocks.page))

    def _follow_others(self, result: NDArray[np.int8]) -> None:
        """On pages without words of their own, take for furniture what is furniture in the same place of other pages."""
        has_core = gathered(self.has_core, self.blocks.page)
        if has_core.all():
            return
        key = self.recurring.text_keys[self.unit]
        known = distinct(key[~has_core])
        number = np.searchsorted(known, key)
        number = np.where(number < len(known), number, 0)
        is_known = known[number] == key
        elsewhere = is_known & has_core
        n = np.bincount(number[elsewhere], minlength=len(known))
        n_furniture = np.bincount(number[elsewhere & (result != MAIN)], minlength=len(known))
        follows = ~has_core & (n > 0)[number] & (n_furniture >= self.settings.template_share * n)[number]
        result[follows & (result == MAIN)] = TEMPLATE

    def _take_up_edges(self, result: NDArray[np.int8], at_edge: Bools) -> None:
        """Mark runs of furniture at both ends of the core of each page."""
        elements, blocks = self.elements, self.blocks
        n = len(result)
        ends, begins = np.zeros(n, np.int32), np.full(n, n, np.int32)
        np.maximum.at(ends, elements.first[at_edge], elements.end[at_edge])
        np.minimum.at(begins, elements.end[at_edge] - 1, elements.first[at_edge])
        everywhere = self.recurring.skeleton.is_everywhere[self.unit]
        is_line = (self.words - self.plain_words >= self.settings.link_share * np.maximum(self.words, 1e-9)) & (
            ~self.is_bare | self.text_recurs
        )
        may_be = ~blocks.in_main & (blocks.level == 0) & (self.skeleton_recurs | self.text_recurs | self.marked_recurs)
        is_marked = self.is_dated | self.is_copyright
        is_told = self.ends_sentence & (self.plain_words >= _TELLING_WORDS) & ~everywhere & ~is_marked
        selected = may_be & ((self.skeleton_recurs & is_line) | is_marked) & ~self.is_running & ~is_told
        passed = may_be & (self.words <= _FEW_WORDS)
        active = np.zeros(self.n_pages, bool)
        active[blocks.page[selected]] = True
        active[self.page[at_edge]] = True
        for page in np.flatnonzero(active).tolist():
            run = _Edge(int(self.core_first[page]), int(self.core_end[page]), result, ends, begins, selected, passed)
            depth = int(self.core_depth[page])
            for places in (
                run.whole_children(run.from_start(), blocks.joint, depth),
                _with_text_of_heading(
                    run.whole_children(run.from_end(), blocks.joint, depth), result, blocks.level, run.first
                ),
            ):
                result[[place for place in places if result[place] == MAIN]] = EDGE


@dataclass(frozen=True)
class _Edge:
    """The blocks of one core."""

    first: int
    end: int
    found: NDArray[np.int8]
    ends: Codes
    """For each block the end of the largest element of furniture that begins with it, 0 without."""
    begins: Codes
    """For each block the first of the largest element of furniture that ends with it."""
    selected: Bools
    passed: Bools

    def from_start(self) -> range:
        """The run at the start."""
        at = reach = self.first
        while at < self.end:
            if self.found[at] != MAIN:
                at += 1
            elif self.ends[at] > at:
                at = reach = min(int(self.ends[at]), self.end)
            elif self.selected[at]:
                at = reach = at + 1
            elif self.passed[at]:
                at += 1
            else:
                break
        return range(self.first, reach)

    def from_end(self) -> range:
        """The run at the end."""
        at = reach = self.end
        while at > self.first:
            last = at - 1
            if self.found[last] != MAIN:
                at = last
            elif self.begins[last] <= last:
                at = reach = max(int(self.begins[last]), self.first)
            elif self.selected[last]:
                at = reach = last
            elif self.passed[last]:
                at = last
            else:
                break
        return range(reach, self.end)

    def whole_children(self, run: range, joint: NDArray[np.int8], depth: int) -> range:
        """The part of a run that holds each child of the core whole or not at all."""
        start, stop = run.start, run.stop
        if start == self.first:
            while start < stop < self.end and joint[stop] > depth:
                stop -= 1
        if run.stop == self.end:
            while self.first < start < self.end and joint[start] > depth:
                start += 1
        return range(start, max(start, stop))


def _with_text_of_heading(run: range, result: NDArray[np.int8], level: NDArray[np.int8], first: int) -> range:
    """A run at the end without what follows a heading that stays: no heading is left without its text."""
    before = run.start - 1
    if not run or before < first or level[before] == 0 or result[before] != MAIN:
        return run
    return range(run.start + 1, run.stop)
