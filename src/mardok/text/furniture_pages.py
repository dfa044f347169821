"""What is furniture on some pages of a site, by what is known of all of it.

In:  blocks and elements of the site with what recurs; which places are named, and which are often the core of a page.
Out: the core of each page, and what each block is.

What is told of a page depends on the page and on counts over the site: so pages are decided some at a time
(:mod:`mardok.sharing`), and all sums are exact, so that they are the same however many are decided together.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from mardok.large import counted_between
from mardok.settings import Text
from mardok.text.block_signs import BlockSigns
from mardok.text.columns import Codes
from mardok.text.distinct import distinct
from mardok.text.elements import Elements, Places, have_any, met_on_pages, named_around, sums
from mardok.text.hashes import Hashes, Ints
from mardok.text.recurrence import Recurrence

Bools = NDArray[np.bool_]
Numbers = NDArray[np.float64]

MAIN, MENU, NAMED, TEMPLATE, EDGE, NOTICE, DOUBT = range(7)
"""What was decided: main text; or a part of the template that is mostly links, that its name calls furniture, that stands in
one place of nearly all pages, that ends the page; a cookie notice; main text that may be furniture."""
_CORE_SHARE = 0.8
_USUAL_CORE_SHARE = 0.5
_LINKED_WORD = 10
"""Words in links that count as one beside others where a page's own words are summed: a list of links may be what it is
for."""
_PARTS_OF_A_WORD = 1 << 10
"""Parts of a word that are told of words in links: sums of them are exact."""
_FEW_WORDS = 8
"""Words of a block that a run at the edge may pass over, if it ends beyond it."""
_TELLING_WORDS = 3
"""Words beside its links from which a sentence is no line of links."""


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
class Recurring:
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


class Decided(NamedTuple):
    """What was decided of some pages."""

    blocks: NDArray[np.int8]
    in_doubt: Bools
    """Whether each block may be furniture where it is main text."""
    has_core: Bools
    """For each page."""
    lone_keys: Hashes
    """Those of the texts in their places of blocks on pages without a core."""


@dataclass(frozen=True)
class Known:
    """What is known of a site before any page of it is decided."""

    blocks: Undecided
    signs: BlockSigns
    places: Places
    own_titles: Bools
    """Whether each block says what the title of its page says."""
    marked_recurs: Bools
    """Whether each block is dated or a copyright line, and recurs wherever it stands."""
    first: Ints
    """First block of each page, and the one after all."""
    elements: Elements
    first_elements: Ints
    recurring: Recurring
    settings: Text
    _at_hand: list[tuple[tuple[int, int], _Pages]] = field(default_factory=list, compare=False)
    """What was asked for last, which may be asked for next."""

    def __getstate__(self) -> dict[str, Any]:
        return {**vars(self), "_at_hand": []}

    def of(self, pages: tuple[int, int]) -> _Pages:
        """Some pages, by the first and the one after the last."""
        if not self._at_hand or self._at_hand[0][0] != pages:
            self._at_hand[:] = [(pages, _Pages(self, *pages))]
        return self._at_hand[0][1]


def content_votes(known: Known, pages: tuple[int, int]) -> tuple[Ints, Ints]:
    """On how many of some pages each place lies around what holds most of their own words, or their H1; and on how many it
    is met."""
    return known.of(pages).places_of_content()


def core_votes(known: Known, is_named: Bools, pages: tuple[int, int]) -> Ints:
    """Of how many of some pages each place holds nearly all own words; see :meth:`_Pages.weights`."""
    some = known.of(pages)
    core, *_ = some.likely_cores(some.weights(is_named))
    return np.bincount(some.elements.place[core], minlength=2 * len(known.places))


def decided(known: Known, is_named: Bools, is_usual: Bools, pages: tuple[int, int]) -> Decided:
    """What each block of some pages is."""
    return known.of(pages).decided(is_named, is_usual)


def furniture_elsewhere(
    known: Known, keys: Hashes, of_blocks: NDArray[np.int8], has_core: Bools, pages: tuple[int, int]
) -> tuple[Ints, Ints]:
    """How many blocks of some pages with a core have a text in a place with each key, and how many of these are furniture.

    Parameters
    ----------
    keys : ndarray of uint64
        In order.
    of_blocks : ndarray of int8
        What was decided of all blocks of the site.
    has_core : ndarray of bool, shape (n_pages,)
    """
    some = known.of(pages)
    key = some.text_keys[some.unit]
    number = np.minimum(np.searchsorted(keys, key), len(keys) - 1)
    is_asked = (keys[number] == key) & has_core[slice(*pages)][some.page_of_block]
    is_furniture = of_blocks[some.part] != MAIN
    return (
        np.bincount(number[is_asked], minlength=len(keys)),
        np.bincount(number[is_asked & is_furniture], minlength=len(keys)),
    )


class _Pages:
    """Some pages; blocks, elements and pages are told by their numbers among those of these."""

    def __init__(self, known: Known, begin: int, end: int) -> None:
        self.places, self.settings, self.n_pages = known.places, known.settings, end - begin
        start, stop = int(known.first[begin]), int(known.first[end])
        self.part, whole, signs = slice(start, stop), known.blocks, known.signs
        its = slice(int(known.first_elements[begin]), int(known.first_elements[end]))
        self.first = known.first[begin : end + 1] - start
        self.path, self.joint, self.level = whole.path[self.part], whole.joint[self.part], whole.level[self.part]
        self.in_main, self.is_aside = whole.in_main[self.part], whole.is_aside[self.part]
        self.page_of_block = whole.page[self.part] - begin
        self.elements = elements = Elements(
            known.elements.first[its] - start, known.elements.end[its] - start, known.elements.depth[its],
            known.elements.place[its],
        )  # fmt: skip
        self.page = self.page_of_block[elements.first]
        recurring = known.recurring
        self.text, self.skeleton, self.place = (
            Recurrence(*(getattr(one, name)[its] for name in ("n_pages", "is_usual", "is_everywhere", "is_in_template")))
            for one in (recurring.text, recurring.skeleton, recurring.place)
        )
        self.is_only, self.text_keys = recurring.is_only[its], recurring.text_keys[its]
        at = whole.block[self.part]
        self.words = signs.words[at].astype(np.float64)
        self.plain_words = self.words - np.rint(signs.linked_words[at] * _PARTS_OF_A_WORD) / _PARTS_OF_A_WORD
        self.is_bare, self.is_dated, self.is_copyright, self.ends_sentence = (
            marks[at] for marks in (signs.is_bare, signs.is_dated, signs.is_copyright, signs.ends_sentence)
        )
        # Each block alone is an element, the last of those that begin with it.
        self.unit = np.flatnonzero(elements.end - elements.first == 1)
        self.text_recurs, self.skeleton_recurs = self.text.is_usual[self.unit], self.skeleton.is_usual[self.unit]
        self.marked_recurs = known.marked_recurs[self.part]
        self.is_running = self.plain_words >= self.settings.running_words
        self.total = sums(self.words, elements)
        linked = self.total - sums(self.plain_words, elements)
        self.is_linked = linked >= self.settings.link_share * np.maximum(self.total, 1e-9)
        heads = (self.level == 1) & ~self.text_recurs
        self.has_h1 = have_any(heads, elements)
        self.page_has_h1 = counted_between(heads, self.first) > 0
        self.title_blocks = known.own_titles[self.part] & ~self.text_recurs

    def weights(self, is_named: Bools | None) -> Numbers:
        """What each block counts for the core of its page.

        Parameters
        ----------
        is_named : ndarray of bool or None
            Places that are named as furniture: what stands there does not move the core, unless there is nothing else.
        """
        linked = self.words - self.plain_words
        result = np.where(self.text_recurs | self.is_aside, 0, self.plain_words * _LINKED_WORD + linked)
        if is_named is None:
            return np.asarray(result)
        named_block = self.around(is_named)[self.unit] & self.place.is_usual[self.unit]
        has_other = self._page_sums(np.where(named_block, 0, result)) > 0
        return np.asarray(np.where(named_block & has_other[self.page_of_block], 0, result))

    def around(self, is_named: Bools) -> Bools:
        """Whether each element, or one around it, is at a place so named."""
        path = self.path[self.elements.first]
        depth = np.minimum(self.elements.depth, self.places.depth[path])
        return np.asarray(named_around(self.places, is_named)[path, depth])

    def _page_sums(self, weights: Numbers) -> Numbers:
        result: Numbers = np.bincount(self.page_of_block, weights, minlength=self.n_pages).astype(np.float64)
        return result

    def likely_cores(self, weights: Numbers) -> tuple[Ints, Bools, Bools]:
        """The element that holds nearly all own words of each page that has one; whether each element may be one, and
        whether it holds half of them."""
        own, total = sums(weights, self.elements), self._page_sums(weights)
        may_be = (self.has_h1 | ~self.page_has_h1[self.page]) & (total[self.page] > 0)
        core = self._deepest(may_be & (own >= _CORE_SHARE * total[self.page]))
        return core, may_be, np.asarray(own >= _USUAL_CORE_SHARE * total[self.page])

    def _cores(self, weights: Numbers, is_usual: Bools) -> Ints:
        """The element that is the core of each page that has one.

        Where it stands in a place that is the core of few pages, and a place that is that of many holds at least half of
        the page's own words, that is taken: short pages have little to tell their core by.
        """
        core, may_be, holds_half = self.likely_cores(weights)
        place = self.elements.place
        is_settled = np.zeros(self.n_pages, bool)
        is_settled[self.page[core]] = is_usual[place[core]]
        better = self._deepest(may_be & is_usual[place] & holds_half & ~is_settled[self.page])
        is_replaced = np.zeros(self.n_pages, bool)
        is_replaced[self.page[better]] = True
        return np.concatenate([core[~is_replaced[self.page[core]]], better])

    def _deepest(self, may_be: Bools) -> Ints:
        """The innermost of some elements of each page; those of one page lie within each other."""
        result = np.flatnonzero(may_be)
        last = np.ones(len(result), bool)
        # Elements are in the order of their first blocks, outer before inner ones.
        last[:-1] = self.page[result[1:]] != self.page[result[:-1]]
        return result[last]

    def places_of_content(self) -> tuple[Ints, Ints]:
        """See :func:`content_votes`."""
        places, elements, weights = self.places, self.elements, self.weights(None)
        own = sums(weights, elements)
        half = 0.5 * np.maximum(self._page_sums(weights), 1e-9)
        holding = self._deepest(self.has_h1 | (own >= half[self.page]))
        n_paths, n_places = len(places.number), len(places)
        met = met_on_pages(self.page_of_block, self.path, n_paths)
        paths = self.path[elements.first[holding]]
        depths = np.minimum(elements.depth[holding], places.depth[paths])
        n_around = np.zeros(n_places, np.int64)
        on_pages = [np.zeros(0, np.int64)]
        for depth in range(1, places.number.shape[1]):
            there = places.number[met % n_paths, depth]
            on_pages.append(distinct((met // n_paths * n_places + there)[there >= 0]))
            here = places.number[paths, depth]
            n_around += np.bincount(here[(depth <= depths) & (here >= 0)], minlength=n_places)
        return n_around, np.bincount(distinct(np.concatenate(on_pages)) % n_places, minlength=n_places)

    def decided(self, is_named: Bools, is_usual: Bools) -> Decided:
        """See :func:`decided`."""
        self._settle_core(is_named, is_usual)
        elements, settings = self.elements, self.settings
        text, skeleton, place = self.text, self.skeleton, self.place
        named, linked = self.around(is_named), self.is_linked
        is_core, is_outside, is_inside, in_main = self._about_the_core()
        is_short = self.total < settings.running_words
        is_dated, is_copyright = (have_any(marks, elements) for marks in (self.is_dated, self.is_copyright))
        has_running = have_any(self.is_running, elements)
        has_own_running = have_any(self.is_running & ~self.text_recurs, elements)
        has_new_heading = have_any((self.level > 0) & ~self.text_recurs, elements)
        is_heading = ~have_any(self.level == 0, elements)
        is_all_bare = ~have_any(~self.is_bare, elements)
        recurring_words = np.where(self.text_recurs | (self.skeleton_recurs & ~self.is_bare), self.words, 0)
        mostly_recurs = sums(recurring_words, elements) >= 0.5 * np.maximum(self.total, 1e-9)
        only_everywhere = self.is_only & place.is_everywhere
        only_usual = self.is_only & place.is_usual
        recurs = text.is_usual | skeleton.is_usual

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
        may_be = is_inside & ~has_running & ~has_new_heading & ~is_heading
        n_signs = named.astype(np.int8) + is_dated + 2 * is_copyright
        inside = may_be & (
            (text.is_usual & named & (linked | is_dated | is_copyright))
            | (skeleton.is_usual & named & linked & ~is_all_bare & ~in_main)
            | (named & only_everywhere & recurs)
            | (named & self.is_only & place.is_in_template & text.is_in_template)
            | (text.is_everywhere & linked)
        )  # fmt: skip
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

        result = np.zeros(len(self.words), np.int8)
        for chosen, reason in ((named, NAMED), (~named, TEMPLATE), (linked, MENU)):
            self._mark(result, (outside | inside) & chosen, reason)
        notice = self.around(self.places.is_notice) & recurs
        self._mark(result, notice & ~is_core & (elements.depth > 1), NOTICE)
        result[self._asides(is_inside, has_own_running)] = NAMED
        if settings.edges:
            self._take_up_edges(result, at_edge)
        in_doubt = (text.is_everywhere | (named & place.is_usual) | (is_outside & text.is_usual))[self.unit]
        is_lone = ~self.has_core[self.page_of_block]
        return Decided(result, in_doubt, self.has_core, self.text_keys[self.unit[is_lone]])

    def _settle_core(self, is_named: Bools, is_usual: Bools) -> None:
        core = self._cores(self.weights(is_named), is_usual)
        self.core_first, self.core_end = self.first[:-1].copy(), self.first[1:].copy()
        self.core_depth = np.zeros(self.n_pages, np.int64)
        its_page = self.page[core]
        self.has_core = np.zeros(self.n_pages, bool)
        self.has_core[its_page] = True
        self.core_first[its_page], self.core_end[its_page] = self.elements.first[core], self.elements.end[core]
        self.core_depth[its_page] = self.elements.depth[core]

    def _about_the_core(self) -> tuple[Bools, Bools, Bools, Bools]:
        """Whether each element is the core of its page, is outside of it, inside of it, and in a main landmark."""
        first, end, page = self.elements.first, self.elements.end, self.page
        core_first, core_end = self.core_first[page], self.core_end[page]
        is_core = (first == core_first) & (end == core_end)
        is_outside = (end <= core_first) | (first >= core_end)
        is_inside = (first >= core_first) & (end <= core_end) & ~is_core
        # A main landmark is believed: what stands in it is never outside.
        in_main = self.in_main[first]
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
        is_repeated[self.page_of_block[in_core & self.title_blocks]] = True
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
        are_aside = ~have_any(~self.is_aside, self.elements)
        self._mark(is_content, is_inside & has_own_running & are_aside, 1)
        has_other = counted_between(~self.is_aside, self.first) > 0
        return np.asarray(self.is_aside & (is_content == 0) & has_other[self.page_of_block])

    def _take_up_edges(self, result: NDArray[np.int8], at_edge: Bools) -> None:
        """Mark runs of furniture at both ends of the core of each page."""
        elements = self.elements
        n = len(result)
        ends, begins = np.zeros(n, np.int32), np.full(n, n, np.int32)
        np.maximum.at(ends, elements.first[at_edge], elements.end[at_edge])
        np.minimum.at(begins, elements.end[at_edge] - 1, elements.first[at_edge])
        everywhere = self.skeleton.is_everywhere[self.unit]
        is_line = (self.words - self.plain_words >= self.settings.link_share * np.maximum(self.words, 1e-9)) & (
            ~self.is_bare | self.text_recurs
        )
        may_be = ~self.in_main & (self.level == 0) & (self.skeleton_recurs | self.text_recurs | self.marked_recurs)
        is_marked = self.is_dated | self.is_copyright
        is_told = self.ends_sentence & (self.plain_words >= _TELLING_WORDS) & ~everywhere & ~is_marked
        selected = may_be & ((self.skeleton_recurs & is_line) | is_marked) & ~self.is_running & ~is_told
        passed = may_be & (self.words <= _FEW_WORDS)
        active = np.zeros(self.n_pages, bool)
        active[self.page_of_block[selected]] = True
        active[self.page[at_edge]] = True
        for page in np.flatnonzero(active).tolist():
            run = _Edge(int(self.core_first[page]), int(self.core_end[page]), result, ends, begins, selected, passed)
            depth = int(self.core_depth[page])
            for places in (
                run.whole_children(run.from_start(), self.joint, depth),
                _with_text_of_heading(run.whole_children(run.from_end(), self.joint, depth), result, self.level, run.first),
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
