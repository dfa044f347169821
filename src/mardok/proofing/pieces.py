"""Texts cut into the pieces between white space, each different piece kept once.

In:  texts.
Out: :class:`Pieces`: a number for each piece of all texts, so that what is asked of a piece is asked once, and which texts
     hold such pieces is told by arrays.
"""

from __future__ import annotations

from array import array
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.extract.batch import Numbers
from mardok.large import Growing, gathered, n_of_each, places_where
from mardok.text.distinct import distinct

Flags = NDArray[np.bool_]
_PIECES_AT_ONCE = 1 << 16


@dataclass(frozen=True)
class Pieces:
    """The pieces of some texts."""

    number_of: Mapping[str, int]
    """Each different piece with its number, in the order of the numbers."""
    codes: NDArray[np.int32]
    """Number of each piece, those of one text after those of another; shape (n_pieces,)."""
    first: NDArray[np.int64]
    """Where each text begins in ``codes``; shape (n_texts + 1,)."""

    @property
    def uses(self) -> NDArray[np.int64]:
        """How often each different piece stands in the texts."""
        return n_of_each(self.codes, len(self.number_of))

    @property
    def lengths(self) -> NDArray[np.int64]:
        """Pieces of each text."""
        return np.diff(self.first)

    def where(self, holds: Callable[[str], bool]) -> Flags:
        """For each different piece whether something holds for it."""
        return np.fromiter(map(holds, self.number_of), bool, len(self.number_of))

    def among(self, pieces: Iterable[str]) -> Flags:
        """For each different piece whether it is one of some."""
        result = np.zeros(len(self.number_of), bool)
        result[[self.number_of[piece] for piece in pieces if piece in self.number_of]] = True
        return result

    def places(self, flags: Flags) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Where pieces with a flag stand: places in ``codes``, in order, and the text of each."""
        places = places_where(gathered(flags, self.codes))
        return places, self._texts_at(places)

    def holding(self, flags: Flags) -> NDArray[np.int64]:
        """Numbers of the texts that hold a piece with a flag, in order."""
        return distinct(self.places(flags)[1])

    def holding_pair(self, before: Flags, after: Flags, *, equal: bool = False) -> NDArray[np.int64]:
        """Numbers of the texts in which a piece with one flag stands before one with another, in order.

        Parameters
        ----------
        equal : bool
            Whether the two must be the same.
        """
        is_pair = before[self.codes[:-1]] & after[self.codes[1:]]
        if equal:
            is_pair &= self.codes[:-1] == self.codes[1:]
        places = np.flatnonzero(is_pair)
        texts = self._texts_at(places)
        return distinct(texts[texts == self._texts_at(places + 1)])

    def _texts_at(self, places: NDArray[np.int64]) -> NDArray[np.int64]:
        return np.searchsorted(self.first, places, "right") - 1


def pieces_of(texts: Sequence[str]) -> Pieces:
    """Cut texts into their pieces.

    Examples
    --------
    >>> pieces = pieces_of(["a bow", "", "a case"])
    >>> list(pieces.number_of), pieces.codes.tolist(), pieces.first.tolist()
    (['a', 'bow', 'case'], [0, 1, 0, 2], [0, 2, 2, 4])
    """
    numbers: Numbers[str] = Numbers()
    codes, lengths = Growing(np.int32), array("q", [0])
    waiting: list[str] = []

    def number() -> None:
        codes.add(np.fromiter(map(numbers.__getitem__, waiting), np.int32, len(waiting)))
        waiting.clear()

    for text in texts:
        pieces = text.split()
        lengths.append(len(pieces))
        waiting += pieces
        if len(waiting) >= _PIECES_AT_ONCE:
            number()
    number()
    return Pieces(numbers, codes.finished(), np.cumsum(lengths, dtype=np.int64))
