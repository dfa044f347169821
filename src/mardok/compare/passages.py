"""Passages: text that stands word for word on two pages or more.

In:  the runs of eight words that stand on two pages or more.
Out: passages, with the stretches of pages they cover.

Two repeated runs of which one begins a word after the other belong to one passage if at least half of the pages that carry
either of them carry both like this. So a passage ends where it loses most of its pages: an unedited paste is one passage,
and a text that stands in many pages with small edits, each of which hardly any page shares, is one too, where every maximal
repeat for itself would make thousands. Everything is a sum over the places of runs: the work grows with the words that are
repeated, not with the pairs of pages that repeat them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from mardok.compare.runs import RepeatedRuns
from mardok.text.distinct import distinct, first_of_equal, order_of_numbers
from mardok.text.hashes import RUN_WORDS, Ints

_KEPT_SHARE = 0.5
"""Share of the pages of either run that carry both, from which two runs are one passage."""
_CARRIED_SHARE = 0.5
"""Share of a passage's words from which a page carries it."""


@dataclass(frozen=True)
class Passages:
    """Passages, in the order of the places where their texts begin."""

    place: Ints
    """Where the longest stretch of each begins among the words of the corpus: its text; shape (n_passages,)."""
    words: Ints
    """Words of that text."""
    n_pages: Ints
    """Pages on which at least half as many words belong to it."""
    stretch_passage: Ints
    """Passage of each stretch, shape (n_stretches,); stretches in the order of their places."""
    stretch_place: Ints
    stretch_words: Ints
    """Where each stretch begins among the words of the corpus, and how many words without a gap belong to the passage."""
    stretch_page: Ints

    def pages_of(self, passage: int) -> Ints:
        """Pages with a stretch of a passage, in order."""
        return distinct(self.stretch_page[self.stretch_passage == passage])


def passages_of(runs: RepeatedRuns, n_texts: int) -> Passages:
    """The passages that repeated runs make up.

    Examples
    --------
    >>> import numpy as np
    >>> from mardok.compare.runs import repeated_runs
    >>> from mardok.text.hashes import corpus_of
    >>> pasted = "to hire a violin by the month you need no more"
    >>> passages = passages_of(repeated_runs(corpus_of([f"first {pasted}", pasted]), np.ones(2, bool)), 2)
    >>> passages.words.tolist(), passages.n_pages.tolist(), passages.pages_of(0).tolist()
    ([11], [2], [0, 1])
    """
    if not len(runs.places):
        nothing = np.zeros(0, np.int64)
        return Passages(*[nothing] * 7)
    passage = _passage_of_runs(runs, n_texts)[runs.number]
    is_there = np.zeros(int(passage.max()) + 1, bool)
    is_there[passage] = True
    passage = (np.cumsum(is_there) - 1)[passage]
    order, key = order_of_numbers(passage * n_texts + runs.pages)  # places stay in order within a page
    place = runs.places[order]
    is_first = first_of_equal(key)
    is_last = np.append(is_first[1:], True)
    step = np.append(np.diff(place), 0)
    added = np.where(is_last, RUN_WORDS, np.minimum(step, RUN_WORDS))
    begins = np.flatnonzero(is_first)
    covered = np.add.reduceat(added, begins)
    # A stretch ends where the next run begins beyond its words.
    opens = np.flatnonzero(is_first | np.insert(step[:-1] > RUN_WORDS, 0, True))
    stretch_words = np.add.reduceat(added, opens)
    # A gap after a run has been added as if the next followed at once: eight words each, which is what a last run covers.
    stretch_key, stretch_place = key[opens], place[opens]
    stretch_passage = stretch_key // n_texts
    longest = np.lexsort((stretch_place, -stretch_words, stretch_passage))
    longest = longest[first_of_equal(stretch_passage[longest])]
    text_words = stretch_words[longest]
    group_passage = key[begins] // n_texts
    is_carried = covered >= _CARRIED_SHARE * text_words[group_passage]
    n_pages = np.bincount(group_passage[is_carried], minlength=len(longest))
    by_text = np.argsort(stretch_place[longest], kind="stable")
    rank = np.empty(len(longest), np.int64)
    rank[by_text] = np.arange(len(longest))
    at = np.lexsort((rank[stretch_passage], stretch_place))
    return Passages(
        place=stretch_place[longest][by_text],
        words=text_words[by_text],
        n_pages=n_pages[by_text],
        stretch_passage=rank[stretch_passage][at],
        stretch_place=stretch_place[at],
        stretch_words=stretch_words[at],
        stretch_page=(stretch_key % n_texts)[at],
    )


def _passage_of_runs(runs: RepeatedRuns, n_texts: int) -> Ints:
    """The passage of each run."""
    n_runs = int(runs.number.max()) + 1
    n_pages = np.bincount(distinct(runs.number * n_texts + runs.pages) // n_texts, minlength=n_runs)
    follows = np.flatnonzero((np.diff(runs.places) == 1) & (runs.pages[1:] == runs.pages[:-1]))
    order, ordered = order_of_numbers(runs.number[follows] * n_runs + runs.number[follows + 1])
    is_first = first_of_equal(ordered)
    pairs, number = ordered[is_first], np.cumsum(is_first) - 1
    on_pages = np.bincount(distinct(number * n_texts + runs.pages[follows][order]) // n_texts, minlength=len(pairs))
    before, after = pairs // n_runs, pairs % n_runs
    kept = on_pages >= _KEPT_SHARE * np.maximum(n_pages[before], n_pages[after])
    graph = sparse.coo_array((np.ones(np.count_nonzero(kept), bool), (before[kept], after[kept])), shape=(n_runs, n_runs))
    return np.asarray(connected_components(graph, directed=False)[1], np.int64)
