"""What of a page's text stands on other pages too.

In:  the tables of pages and of passages.
Out: for each page the share of such words, and the stretches with their text and who else carries them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.join import Ints
from mardok.text.distinct import distinct
from mardok.text.spans import WordSpans


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

    def __init__(self, pages: pd.DataFrame, passages: pd.DataFrame) -> None:
        self._texts = pages["main_text"]
        self._n_words = pages["words"].to_numpy(np.int64)
        n_pages = len(pages)
        self._page, self._word, self._words, self._passage = (
            passages[name].to_numpy(np.int64) for name in ("page", "word", "words", "passage")
        )
        self._is_boilerplate = passages["boilerplate"].to_numpy(bool)
        self._bounds = np.searchsorted(self._page, np.arange(n_pages + 1))
        # The carriers of each passage, one passage after the other.
        carried = distinct(self._passage * max(n_pages, 1) + self._page)
        self._carriers = carried % max(n_pages, 1)
        n_passages = int(self._passage.max(initial=-1)) + 1
        self._first_carrier = np.searchsorted(carried // max(n_pages, 1), np.arange(n_passages + 1))

    def shares(self) -> NDArray[np.float64]:
        """Share of each page's words that stand elsewhere too; where stretches overlap a word counts once."""
        offsets = np.concatenate([np.zeros(1, np.int64), np.cumsum(self._n_words)])
        begins = offsets[self._page] + self._word
        change: Ints = np.bincount(begins, minlength=offsets[-1] + 1)
        change = change - np.bincount(begins + self._words, minlength=offsets[-1] + 1)
        n_covered = np.concatenate([np.zeros(1, np.int64), np.cumsum(np.cumsum(change) > 0)])
        shares: NDArray[np.float64] = (n_covered[offsets[1:]] - n_covered[offsets[:-1]]) / np.maximum(self._n_words, 1)
        return shares

    def n_stretches(self, row: int) -> int:
        """How many stretches of a page stand elsewhere too."""
        return int(self._bounds[row + 1] - self._bounds[row])

    def stretches(self, row: int, most: int | None = None) -> list[Stretch]:
        """The stretches of a page in their order; the longest only, if there are more than are asked for."""
        at = np.arange(self._bounds[row], self._bounds[row + 1])
        if most is not None and len(at) > most:
            at = np.sort(at[np.argsort(-self._words[at], kind="stable")[:most]])
        spans = WordSpans(self._texts[row] if len(at) else "")
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
