"""Two texts side by side: what differs, with some of what is common around it.

In:  the runs of :func:`mardok.compare.difference.difference`.
Out: rows of two cells; each cell is a sequence of stretches that are common or not.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from mardok.compare.difference import LINE_BREAK, Run

_CONTEXT = 14
"""Pieces of common text shown on either side of a difference."""


@dataclass(frozen=True)
class Stretch:
    """A stretch of one text."""

    text: str
    is_same: bool


@dataclass
class Row:
    """One place of difference with what stands around it, or a number of words that are left out."""

    a: list[Stretch] = field(default_factory=list)
    b: list[Stretch] = field(default_factory=list)
    n_left_out: int = 0
    """Common words left out here; then there is no text."""


def side_by_side(runs: Sequence[Run]) -> list[Row]:
    """Rows in reading order.

    Examples
    --------
    >>> from mardok.compare.difference import difference
    >>> [[stretch.text for stretch in row.b] for row in side_by_side(difference("hire a violin", "hire a cello"))]
    [['hire a', 'cello']]
    """
    rows = [Row()]
    for number, run in enumerate(runs):
        if not run.is_same:
            rows[-1].a += _stretch(run.a, is_same=False)
            rows[-1].b += _stretch(run.b, is_same=False)
            continue
        before = _CONTEXT if number else 0
        after = _CONTEXT if number < len(runs) - 1 else 0
        if len(run.a) <= before + after + _CONTEXT:
            rows[-1].a += _stretch(run.a, is_same=True)
            rows[-1].b += _stretch(run.b, is_same=True)
            continue
        rows[-1].a += _stretch(run.a[:before], is_same=True)
        rows[-1].b += _stretch(run.b[:before], is_same=True)
        left_out = run.a[before : len(run.a) - after]
        rows.append(Row(n_left_out=sum(piece != LINE_BREAK for piece in left_out)))
        rows.append(Row())
        rows[-1].a += _stretch(run.a[len(run.a) - after :] if after else (), is_same=True)
        rows[-1].b += _stretch(run.b[len(run.b) - after :] if after else (), is_same=True)
    return [row for row in rows if row.a or row.b or row.n_left_out]


def _stretch(pieces: Iterable[str], *, is_same: bool) -> list[Stretch]:
    text = " ".join("\u00b6" if piece == LINE_BREAK else piece for piece in pieces)
    return [Stretch(text, is_same)] if text else []
