"""What of a page's text stands on other pages too.

In:  the tables of pages and of passages.
Out: for each page the share of such words, and the stretches with their text and who else carries them.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from mardok.store import TableStore
from mardok.text.distinct import distinct
from mardok.text.spans import WordSpans


class PassageColumns(NamedTuple):
    """Columns of the table of passages, ordered by page."""

    page: NDArray[np.int64]
    word: NDArray[np.int64]
    words: NDArray[np.int64]
    passage: NDArray[np.int64]
    is_boilerplate: NDArray[np.bool_]


@dataclass(frozen=True, slots=True)
class Stretch:
    """Words of a page that other pages carry as they are, or but for a few edits."""

    words: int
    is_boilerplate: bool
    other_pages: int
    example: int
    """Row of another page with them, -1 if there is none."""
    text: str
    """How it is written on the page."""


class Elsewhere:
    """Who carries what of whose text."""

    def __init__(self, passages: PassageColumns, n_pages: int) -> None:
        self._page, self._word, self._words, self._passage, self._is_boilerplate = passages
        self._bounds = np.searchsorted(self._page, np.arange(n_pages + 1))
        # The carriers of each passage, one passage after the other.
        carried = distinct(self._passage * max(n_pages, 1) + self._page)
        self._carriers = carried % max(n_pages, 1)
        n_passages = int(self._passage.max(initial=-1)) + 1
        self._first_carrier = np.searchsorted(carried // max(n_pages, 1), np.arange(n_passages + 1))

    @classmethod
    def of(cls, store: TableStore) -> Elsewhere:
        """Of the tables of an audit."""
        columns = [store.column("passages", name) for name in ("page", "word", "words", "passage")]
        page, word, words, passage = (column.astype(np.int64) for column in columns)
        is_boilerplate = store.column("passages", "boilerplate").astype(bool)
        return cls(PassageColumns(page, word, words, passage, is_boilerplate), len(store.column("pages", "words")))

    @cached_property
    def n_words(self) -> NDArray[np.int64]:
        """Words of each page that stand elsewhere too; where stretches overlap a word counts once."""
        # Stretches of a page are in the order of their first words: each adds what lies beyond all before it.
        longest = int((self._word + self._words).max(initial=0)) + 1
        begin = self._page * longest + self._word
        end = begin + self._words
        reached = np.concatenate([np.zeros(1, np.int64), np.maximum.accumulate(end)[:-1]]) if len(end) else end
        added = np.maximum(end - np.maximum(begin, reached), 0)
        return np.bincount(self._page, added, minlength=len(self._bounds) - 1).astype(np.int64)

    def share(self, row: int, n_words: int) -> float:
        """Share of a page's words that stand elsewhere too."""
        return int(self.n_words[row]) / n_words if n_words else 0.0

    def n_stretches(self, row: int) -> int:
        """How many stretches of a page stand elsewhere too."""
        return int(self._bounds[row + 1] - self._bounds[row])

    def stretches(self, row: int, text: str, most: int | None = None) -> list[Stretch]:
        """The stretches of a page with this main text in their order; the longest only, if there are more than asked for.

        Parameters
        ----------
        row : int
            The page.
        text : str
            Its main text.
        most : int, optional
            How many stretches to tell; all if None.
        """
        at = np.arange(self._bounds[row], self._bounds[row + 1])
        if most is not None and len(at) > most:
            at = np.sort(at[np.argsort(-self._words[at], kind="stable")[:most]])
        spans = WordSpans(text if len(at) else "")
        return [self._stretch(row, place, spans) for place in at.tolist()]

    def _stretch(self, row: int, place: int, spans: WordSpans) -> Stretch:
        passage, n_words = self._passage[place], int(self._words[place])
        carriers = self._carriers[self._first_carrier[passage] : self._first_carrier[passage + 1]]
        others = carriers[:2][carriers[:2] != row]
        return Stretch(
            n_words,
            bool(self._is_boilerplate[place]),
            len(carriers) - 1,
            int(others[0]) if len(others) else -1,
            spans.written(int(self._word[place]), n_words),
        )
