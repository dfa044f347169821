"""Where the words of a text stand in it, as it is written.

In:  a text.
Out: the characters that some of its words cover.
"""

from __future__ import annotations

import re
from functools import cached_property, lru_cache
from itertools import islice

import numpy as np

from mardok.text.hashes import Offsets, word_places
from mardok.text.words import ascii_words, folded, words

_SHORT = 500
"""Characters of a text up to which its words are sooner found one after the other than all at once."""
_PIECE = re.compile(r"\S+")
_PLAIN_OR_ONE = re.compile(r"[\x00-\x7f]+|[^\x00-\x7f]")
"""Characters that are folded one by one wherever they stand: a run in ASCII, or a single one."""


class WordSpans:
    """The words of one text."""

    def __init__(self, text: str) -> None:
        self.text = text
        self._plain = folded(text)

    def of(self, first: int, n_words: int) -> tuple[int, int]:
        """First character and the one after the last of some words that follow one another.

        Where one character stands for several words, each of them spans the characters of all.

        Examples
        --------
        >>> WordSpans("To hire, co\\u00adop").of(1, 2)
        (3, 14)
        """
        if len(self.text) <= _SHORT and self.text.isascii():
            there = list(islice(ascii_words(self._plain), first, first + n_words))
            return there[0].start(), there[-1].end()
        if self._keeps_places:
            starts, ends = self._places
            start, end = int(starts[first]), int(ends[first + n_words - 1])
            if folded(self.text[start:end]) == self._plain[start:end]:
                return start, end
        begins, stops = self._slow_spans
        return int(begins[first]), int(stops[first + n_words - 1])

    def written(self, first: int, n_words: int) -> str:
        """Some words as they are written, on one line.

        Examples
        --------
        >>> WordSpans("Hire a violin,\\nor buy one.").written(2, 2)
        'violin, or'
        """
        start, end = self.of(first, n_words)
        return " ".join(self.text[start:end].split())

    @cached_property
    def _keeps_places(self) -> bool:
        """Whether places in the folded text mostly are those in the text, as they nearly always are."""
        if len(self._plain) != len(self.text):
            return False
        return self.text.isascii() or all(len(_folded_character(character)) == 1 for character in set(self.text))

    @cached_property
    def _places(self) -> tuple[Offsets, Offsets]:
        return word_places(self._plain)

    @cached_property
    def _slow_spans(self) -> tuple[Offsets, Offsets]:
        """Folded character by character, which keeps the places; where that makes other words, piece by piece."""
        pieces = _PLAIN_OR_ONE.findall(self.text)
        parts = [piece.lower() if piece.isascii() else _folded_character(piece) for piece in pieces]
        sizes = np.array([len(part) for part in parts], np.int64)
        # A character that becomes several, or none, stands for all of them; a run in ASCII keeps its length.
        first = np.cumsum([0, *map(len, pieces)])[:-1]
        within = np.arange(sizes.sum()) - np.repeat(np.cumsum(sizes) - sizes, sizes)
        of_character = np.repeat(first, sizes) + within * np.repeat([piece.isascii() for piece in pieces], sizes)
        starts, ends = word_places("".join(parts))
        if len(starts) == len(self._places[0]):
            return of_character[starts], of_character[ends - 1] + 1
        # Characters that only together are what they are: all words of a piece have the span of the piece.
        spans = [piece.span() for piece in _PIECE.finditer(self.text) for _ in words(piece[0])]
        table = np.array(spans, np.int64).reshape(-1, 2)
        return table[:, 0], table[:, 1]


@lru_cache(maxsize=1 << 14)
def _folded_character(character: str) -> str:
    return folded(character)
