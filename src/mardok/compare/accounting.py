"""Which words of a page stand elsewhere too.

In:  the words of pages, which pages are copies of each other, the sections they are in, the links between them.
Out: for each page how many of its words are boilerplate, shared, and its own; the three add up to its words.

A word is boilerplate if it stands in a block, or in a run of eight words, that many pages carry; pages of one group of
copies count once, for many copies of one page make none of its text a stock text, and lists of pages do not count with the
runs of which one page they link to has each. Else it is shared if it stands in a run of eight words that a page outside its
own group of copies carries too. A teaser on a listing counts against the listing: where every other page with the run links
to a page, the run is that page's own.

A run of many pages is told apart from one of few by :mod:`mardok.compare.runs`.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from mardok.compare.runs import RepeatedRuns, pages_of_words
from mardok.compiled import compiled
from mardok.large import counted_between, large_empty, offsets_of, places_from, stretches
from mardok.settings import Boilerplate
from mardok.text.distinct import distinct, first_of_equal, order_of_numbers
from mardok.text.hashes import RUN_WORDS, Corpus, Ints, short_block_hashes

_TEASED = 2
"""Pages of which a page has runs that no other page it links to has, from which it is a list of pages."""
_RUNS_AT_ONCE, _WORDS_AT_ONCE, _PAIRS_AT_ONCE = 1 << 22, 1 << 18, 1 << 20
_SHORT_BITS, _SPREAD = 24, np.uint64(0x9E3779B97F4A7C15)
"""Bits of a short hash, and the odd number that a number is multiplied with for it (D. E. Knuth, TAOCP 3, section 6.4)."""
_MOST_CARRIERS = 64
"""Pages with a run up to which it is asked whether they link to each other."""


@dataclass(frozen=True)
class Accounted:
    """The words of pages; arrays of shape (n_pages,), 0 for pages that were not asked for."""

    own: Ints
    shared: Ints
    boilerplate: Ints
    is_boilerplate: NDArray[np.bool_]
    """For each word of the corpus whether it is boilerplate."""
    is_shared: NDArray[np.bool_]
    """For each word whether it is shared with a page that does not merely tease with it."""
    is_repeated: NDArray[np.bool_]
    """For each word whether it is boilerplate that stands on an earlier page, too."""
    is_teaser: NDArray[np.bool_]
    """For each word whether it is in a run of a page that the page links to: a teaser of that."""
    boilerplate_blocks: NDArray[np.bool_]
    """For each block of the corpus whether all its words are boilerplate."""
    boilerplate_runs: NDArray[np.bool_]
    """For each repeated run whether it is boilerplate."""
    short_blocks: ShortBlocks
    """Boilerplate blocks of fewer words than a run."""

    def pasted_blocks(self, corpus: Corpus) -> NDArray[np.bool_]:
        """For each block of the corpus whether all of it is boilerplate, or a teaser of a page that its page links to."""
        lengths = np.diff(corpus.block_offsets)
        in_teaser = counted_between(self.is_teaser, corpus.block_offsets)
        return np.asarray(self.boilerplate_blocks | ((in_teaser == lengths) & (lengths > 0)))


@dataclass(frozen=True)
class ShortBlocks:
    """Blocks of fewer words than a run, wherever they stand."""

    number: Ints
    """Equal for blocks of the same words, shape (n_blocks,)."""
    place: Ints
    words: Ints
    """Where each begins among the words of the corpus, and how many words it has."""
    page: Ints


def account(
    corpus: Corpus,
    runs: RepeatedRuns,
    is_compared: NDArray[np.bool_],
    group_of: Ints,
    section_of: Ints,
    links: Ints,
    settings: Boilerplate,
) -> Accounted:
    """Account for the words of some pages.

    Parameters
    ----------
    runs : RepeatedRuns
        Of the pages that count.
    is_compared : ndarray of bool, shape (n_pages,)
        Pages that count.
    group_of, section_of : ndarray of int64, shape (n_pages,)
        Equal for pages of one group of copies, which is told by the number of one of them, and of one section.
    links : ndarray of int64
        Links between pages as source * n_pages + target.

    Examples
    --------
    >>> from mardok.compare.runs import repeated_runs
    >>> from mardok.text.hashes import corpus_of
    >>> pasted = "to hire a violin by the month you need no more"
    >>> corpus = corpus_of([f"first {pasted}", pasted, "strings for the cello"])
    >>> everyone, each = np.ones(3, bool), np.arange(3)
    >>> runs = repeated_runs(corpus, everyone)
    >>> counts = account(corpus, runs, everyone, each, each, np.zeros(0, np.int64), Boilerplate())
    >>> counts.own.tolist(), counts.shared.tolist(), counts.boilerplate.tolist()
    ([1, 0, 4], [11, 11, 0], [0, 0, 0])
    """
    n_pages = corpus.n_texts
    places = runs.places
    carried = _Carried(runs.number, runs.pages, group_of, section_of, settings)
    carried.leave_out(_only_teased(carried, group_of, links, n_pages), group_of, section_of, settings)
    in_boilerplate = _covered(len(corpus.words), places[carried.is_boilerplate[runs.number]], RUN_WORDS)
    short = _short_boilerplate(corpus, is_compared, group_of, section_of, settings)
    in_boilerplate[places_from(short.place, short.words)] = True
    is_repeated = _covered(len(corpus.words), places[_used_again(runs.number, carried.is_boilerplate)], RUN_WORDS)
    again = _used_again(short.number, np.ones(int(short.number.max(initial=-1)) + 1, bool))
    is_repeated[places_from(short.place[again], short.words[again])] = True
    is_shared, is_teaser = _is_shared(carried, group_of, links, n_pages)
    in_shared = _covered(len(corpus.words), places[is_shared], RUN_WORDS)
    np.greater(in_shared, in_boilerplate, out=in_shared)  # and not boilerplate

    boilerplate = counted_between(in_boilerplate, corpus.offsets) * is_compared
    shared = counted_between(in_shared, corpus.offsets) * is_compared
    in_block, lengths = counted_between(in_boilerplate, corpus.block_offsets), np.diff(corpus.block_offsets)
    return Accounted(
        own=corpus.n_words * is_compared - boilerplate - shared,
        shared=shared,
        boilerplate=boilerplate,
        is_boilerplate=in_boilerplate,
        is_shared=in_shared,
        is_repeated=is_repeated,
        is_teaser=_covered(len(corpus.words), places[is_teaser], RUN_WORDS),
        boilerplate_blocks=(in_block == lengths) & (lengths > 0),
        boilerplate_runs=carried.is_boilerplate,
        short_blocks=short,
    )


def _used_again(number: Ints, is_boilerplate: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Whether each place, in order, has a boilerplate text that stands at an earlier one, too."""
    first = np.zeros(len(is_boilerplate), np.int64)
    first[number[::-1]] = np.arange(len(number))[::-1]  # of several values for one place the last stays
    result = is_boilerplate[number]
    result[first[number]] = False
    return result


class _Carried:
    """How many pages carry each of some texts."""

    def __init__(self, texts: Ints, pages: Ints, group_of: Ints, section_of: Ints, settings: Boilerplate) -> None:
        n_texts = int(texts.max()) + 1 if len(texts) else 0
        n_pages = len(section_of)
        order, ordered = order_of_numbers(texts * n_pages + pages)
        is_first = first_of_equal(ordered)
        self.text, self.page = ordered[is_first] // n_pages, ordered[is_first] % n_pages
        """Each text with each page that carries it, once."""
        self.pair = np.empty(len(texts), np.int64)
        """For each of the given ones its place among these."""
        self.pair[order] = np.cumsum(is_first) - 1
        self.n_pages = np.bincount(self.text, minlength=n_texts)
        self.leave_out(np.zeros(len(self.text), bool), group_of, section_of, settings)

    def leave_out(self, is_left_out: NDArray[np.bool_], group_of: Ints, section_of: Ints, settings: Boilerplate) -> None:
        """Count again without some of the pairs of a text and a page."""
        n_texts, n_pages = len(self.n_pages), len(section_of)
        # Each group is told by one of its pages, and stands in the section of that.
        groups = distinct((self.text * n_pages + group_of[self.page])[~is_left_out])
        text, group = groups // n_pages, groups % n_pages
        n_sections = int(section_of.max()) + 1 if n_pages else 1
        placed = np.sort(text * n_sections + section_of[group])
        begins = np.flatnonzero(first_of_equal(placed))
        in_section, n_in_section = placed[begins], np.diff(begins, append=len(placed))
        size = np.bincount(section_of, minlength=n_sections)[in_section % n_sections]
        is_usual = (n_in_section >= settings.section_pages) & (n_in_section > settings.section_share * size)
        self.n_groups = np.bincount(text, minlength=n_texts)
        self.is_boilerplate = self.n_groups >= settings.pages
        self.is_boilerplate[(in_section // n_sections)[is_usual]] = True


def _only_teased(carried: _Carried, group_of: Ints, links: Ints, n_pages: int) -> NDArray[np.bool_]:
    """For each pair of a boilerplate run and a page whether the page only lists one of the pages that have the run.

    What is pasted on many pages that link to one another is not told by a link: of the pages that one of them links to
    several have it.
    """
    text, page = carried.text, carried.page
    asked = np.zeros(n_pages, bool)
    asked[page[carried.is_boilerplate[text]]] = True
    source, target = links // n_pages, links % n_pages
    kept = asked[source] & (group_of[source] != group_of[target])
    source, target = source[kept], target[kept]
    order = np.argsort(page, kind="stable")
    order = order[carried.n_groups[text[order]] > 1]  # others no page of another group has
    first = np.searchsorted(page[order], np.arange(n_pages + 1))
    by_source = np.argsort(source, kind="stable")
    n_with, last = np.zeros(len(text), np.int32), np.zeros(len(text), np.int64)
    n_with[order], last[order] = teasing(
        source[by_source], target[by_source], first, text[order].astype(np.int32), len(carried.n_pages)
    )
    single = n_with == 1
    teased = np.bincount(distinct(page[single] * n_pages + last[single]) // n_pages, minlength=n_pages)
    return np.asarray(single & (teased[page] >= _TEASED) & carried.is_boilerplate[text])


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


def _is_shared(carried: _Carried, group_of: Ints, links: Ints, n_pages: int) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """For each place of a run whether a page of another group carries its run, and does not merely link to the page.

    And whether the page of the place is one that links to a carrier of its run.
    """
    text, page = carried.text, carried.page
    first = np.searchsorted(text, np.arange(len(carried.n_pages) + 1))
    many = carried.n_pages > _MOST_CARRIERS
    result = (many & (carried.n_groups > 1))[text]
    # Every carrier of a run with every other: few, since what is boilerplate is not shared.
    few = np.flatnonzero(~many[text] & ~carried.is_boilerplate[text])
    sizes = carried.n_pages[text[few]]
    is_teasing = np.zeros(len(text), bool)
    is_link = _Among(links)
    for begin, end in stretches(offsets_of(sizes), _PAIRS_AT_ONCE):
        here = np.repeat(few[begin:end], sizes[begin:end])
        there = places_from(first[text[few[begin:end]]], sizes[begin:end])
        is_other = group_of[page[here]] != group_of[page[there]]
        here, there = here[is_other], there[is_other]
        is_teaser = is_link.of(page[there] * n_pages + page[here])
        result[here[~is_teaser]] = True
        is_teasing[there[is_teaser]] = True
    return np.asarray(result[carried.pair]), np.asarray(is_teasing[carried.pair])


class _Among:
    """Whether numbers are among some; most are not, which a table of short hashes tells of nearly all."""

    def __init__(self, known: Ints) -> None:
        self._known = distinct(known)
        self._is_met = np.zeros(1 << _SHORT_BITS, bool)
        self._is_met[_short(known)] = True

    def of(self, numbers: Ints) -> NDArray[np.bool_]:
        """Whether each of many is."""
        result = self._is_met[_short(numbers)]
        likely = np.flatnonzero(result)
        at = np.searchsorted(self._known, numbers[likely])
        result[likely] = self._known[np.minimum(at, len(self._known) - 1)] == numbers[likely]
        return result


def _short(numbers: Ints) -> Ints:
    hashes = numbers.astype(np.uint64)
    hashes *= _SPREAD
    hashes >>= np.uint64(64 - _SHORT_BITS)
    return hashes.astype(np.int64)


def _covered(n_words: int, places: Ints, length: int) -> NDArray[np.bool_]:
    """Words that stand in a run beginning at one of the places, which are in order."""
    covered = large_empty(n_words, bool)
    for first in range(0, n_words, _WORDS_AT_ONCE):
        part = covered[first : first + _WORDS_AT_ONCE]
        begin, end = np.searchsorted(places, [first - length + 1, first + len(part)])
        marked = np.zeros(length - 1 + len(part), bool)  # from the first place on that reaches into the part
        marked[places[begin:end] - (first - length + 1)] = True
        reached = 1
        while reached < length:  # each word marks as many after it as are marked so far
            step = min(reached, length - reached)
            marked[step:] |= marked[:-step].copy()
            reached += step
        part[:] = marked[length - 1 :]
    return covered


def _short_boilerplate(
    corpus: Corpus,
    is_compared: NDArray[np.bool_],
    group_of: Ints,
    section_of: Ints,
    settings: Boilerplate,
) -> ShortBlocks:
    """Blocks that are shorter than a run and stand on many pages."""
    starts, lengths = corpus.block_offsets[:-1], np.diff(corpus.block_offsets)
    short = np.flatnonzero((lengths > 0) & (lengths < RUN_WORDS))
    page_of = pages_of_words(corpus.first_blocks, 0, len(starts))
    short = short[is_compared[page_of[short]]]
    hashes = short_block_hashes(corpus.words, starts[short], lengths[short])
    number = np.searchsorted(distinct(hashes), hashes).astype(np.int64)
    page = page_of[short]
    kept = _Carried(number, page, group_of, section_of, settings).is_boilerplate[number]
    return ShortBlocks(number[kept], starts[short][kept], lengths[short][kept], page[kept])
