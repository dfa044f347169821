"""Texts cut into the pieces between white space, each different piece kept once.

In:  texts.
Out: :class:`Pieces`: a number for each piece of all texts, so that what is asked of a piece is asked once, and which texts
     hold such pieces is told by arrays.
"""

from __future__ import annotations

from array import array
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import chain, islice

import numpy as np
from numpy.typing import NDArray

from mardok.compiled import compiled
from mardok.extract.batch import Numbers
from mardok.large import Growing, gathered, n_of_each, places_where
from mardok.text.distinct import distinct

Flags = NDArray[np.bool_]
_TEXTS_AT_ONCE = 1 << 10


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


@compiled("pieces")
class PieceTable:
    """The different pieces of some texts, each with a number, in the order in which they were met."""

    def __init__(self) -> None:
        self._numbers: Numbers[str] = Numbers()

    def cut(self, texts: Sequence[str]) -> tuple[array[int], array[int]]:
        """The number of each piece of some texts, one text after the other, and how many pieces each text has."""
        pieces = [text.split() for text in texts]
        return (
            array("i", map(self._numbers.__getitem__, chain.from_iterable(pieces))),
            array("i", map(len, pieces)),
        )

    def numbers(self) -> Mapping[str, int]:
        """Each different piece with its number, in the order of the numbers."""
        return self._numbers


def pieces_of(texts: Sequence[str]) -> Pieces:
    """Cut texts into their pieces.

    Examples
    --------
    >>> pieces = pieces_of(["a bow", "", "a case"])
    >>> list(pieces.number_of), pieces.codes.tolist(), pieces.first.tolist()
    (['a', 'bow', 'case'], [0, 1, 0, 2], [0, 2, 2, 4])
    """
    table = PieceTable()
    codes, lengths = Growing(np.int32), array("i", [0])
    rest = iter(texts)
    while some := list(islice(rest, _TEXTS_AT_ONCE)):
        of_some, n_pieces = table.cut(some)
        codes.add(np.frombuffer(of_some, np.int32))
        lengths += n_pieces
    return Pieces(table.numbers(), codes.finished(), np.cumsum(lengths, dtype=np.int64))
