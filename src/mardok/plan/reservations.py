"""Which pages a plan has disposed of already, so that no later proposal moves what an earlier one needs.

In:  the drafts of a plan, kind after kind: variants and copies, contained pages, rivals, thin pages.
Out: which pages are moved, which must stay, and which are free.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable

from mardok.plan.moves import Move


class Reservations:
    """What becomes of pages so far.

    Examples
    --------
    >>> from mardok.vocabulary import StepKind
    >>> reserved = Reservations(fixed=[7], pointed_at=[3])
    >>> reserved.reserve([Move(1, StepKind.REDIRECT, 2)], kept=[2])
    >>> sorted(reserved.moved), sorted(reserved.kept), sorted(reserved.fixed_in_place)
    ([1], [2, 7], [2, 3, 7])
    """

    def __init__(self, *, fixed: Collection[int], pointed_at: Collection[int]) -> None:
        self.pointed_at = frozenset(pointed_at)
        """Pages that redirects or canonicals lead to today."""
        self.kept = set(fixed)
        """Pages that stay: those that others are moved onto, and what a home page sends on to."""
        self.moved: set[int] = set()
        """Pages that are moved."""
        self.in_copies: set[int] = set()
        """Pages in a group of copies, whatever is done about it."""
        self.out_of_index: set[int] = set()
        """Pages that leave the index where they stand."""
        self.worked_on: set[int] = set()
        """Pages whose text a proposal is about."""

    def reserve(self, moves: Iterable[Move], kept: Iterable[int] = ()) -> None:
        """Move pages, and keep others where they are."""
        self.moved |= {move.row for move in moves}
        self.kept |= set(kept)

    @property
    def fixed_in_place(self) -> set[int]:
        """Pages that must not be moved: something leads to them, or will."""
        return self.kept | self.pointed_at

    @property
    def busy(self) -> set[int]:
        """Pages about which something is done that a later proposal would disturb."""
        return self.moved | self.in_copies

    @property
    def gone(self) -> set[int]:
        """Pages that are no longer to be found in the index."""
        return self.moved | self.out_of_index

    @property
    def disposed_of(self) -> set[int]:
        """Pages that a proposal moves, keeps or works on."""
        return self.moved | self.kept | self.worked_on
