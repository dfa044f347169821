"""Where the words of a text stand in it, as it is written.

In:  a text.
Out: the characters that some of its words cover.
"""

from __future__ import annotations

import re
from functools import cached_property, lru_cache
from itertools import islice

from mardok.text.hashes import Offsets, word_places
from mardok.text.words import ascii_words, folded, folded_words, words

_SHORT = 2000
"""Characters of a text up to which its words are sooner found one after the other than all at once."""
_PIECE = re.compile(r"\S+")


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
        spans = self._slow_spans
        return spans[first][0], spans[first + n_words - 1][1]

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
    def _slow_spans(self) -> list[tuple[int, int]]:
        """Folded character by character, which keeps the places; where that makes other words, piece by piece."""
        places: list[int] = []
        parts = []
        for place, character in enumerate(self.text):
            part = _folded_character(character)
            parts.append(part)
            places += [place] * len(part)
        plain = "".join(parts)
        starts, ends = word_places(plain)
        if len(starts) == len(folded_words(self._plain)):
            return [(places[start], places[end - 1] + 1) for start, end in zip(starts.tolist(), ends.tolist(), strict=True)]
        # Characters that only together are what they are: all words of a piece have the span of the piece.
        return [piece.span() for piece in _PIECE.finditer(self.text) for _ in words(piece[0])]


@lru_cache(maxsize=1 << 14)
def _folded_character(character: str) -> str:
    return folded(character)
