"""Which words two texts do not have in common, in reading order.

In:  two texts.
Out: runs of pieces that both share and runs in which they differ; put together they are the two texts.

Pieces that occur once in both texts hold the alignment (the idea of patience diff); between them the longest matching
blocks are sought (R. W. Ratcliff, J. A. Obershelp, "Pattern Matching: The Gestalt Approach", Dr. Dobb's Journal 1988).
"""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher

from mardok.text.words import folded, shown_pieces

LINE_BREAK = "\n"
_ANCHOR_PIECES = 3
_MOST_MATCHES = 2_000_000
"""Most pairs of equal pieces in a stretch that is searched for matching blocks; the search costs that much each time."""


@dataclass(frozen=True, slots=True)
class Run:
    """A stretch of two texts that is the same in both, or not."""

    is_same: bool
    a: tuple[str, ...]
    """Pieces of the first text, :data:`LINE_BREAK` between blocks."""
    b: tuple[str, ...]
    """Pieces of the second text."""


def difference(text_a: str, text_b: str) -> list[Run]:
    """Runs that two texts share and do not share, in turn.

    Examples
    --------
    >>> [(run.is_same, run.a, run.b) for run in difference("hire a violin", "hire a cello")]
    [(True, ('hire', 'a'), ('hire', 'a')), (False, ('violin',), ('cello',))]
    """
    a, b = _pieces(text_a), _pieces(text_b)
    keys_a, keys_b = [folded(piece) for piece in a], [folded(piece) for piece in b]
    runs: list[Run] = []
    at_a = at_b = 0
    for start_a, start_b, length in [*_matches(keys_a, keys_b), (len(a), len(b), 0)]:
        if start_a > at_a or start_b > at_b:
            runs.append(Run(False, tuple(a[at_a:start_a]), tuple(b[at_b:start_b])))
        if length:
            same = Run(True, tuple(a[start_a : start_a + length]), tuple(b[start_b : start_b + length]))
            if runs and runs[-1].is_same:
                runs[-1] = Run(True, runs[-1].a + same.a, runs[-1].b + same.b)
            else:
                runs.append(same)
        at_a, at_b = start_a + length, start_b + length
    return runs


def _pieces(text: str) -> list[str]:
    pieces: list[str] = []
    for number, line in enumerate(text.split("\n")):
        pieces += [LINE_BREAK] if number else []
        pieces += shown_pieces(line)
    return pieces


def _matches(a: Sequence[str], b: Sequence[str]) -> list[tuple[int, int, int]]:
    """Matching stretches (start in a, start in b, length), in order and without overlap."""
    matches: list[tuple[int, int, int]] = []
    at_a = at_b = 0
    for anchor_a, anchor_b in [*_anchors(a, b), (len(a), len(b))]:
        if anchor_a < at_a or anchor_b < at_b:
            continue  # the stretch before has already grown over this anchor
        matches += _matches_between(a, at_a, anchor_a, b, at_b, anchor_b)
        length = 0
        while anchor_a + length < len(a) and anchor_b + length < len(b) and a[anchor_a + length] == b[anchor_b + length]:
            length += 1
        if length:
            matches.append((anchor_a, anchor_b, length))
        at_a, at_b = anchor_a + length, anchor_b + length
    return matches


def _anchors(a: Sequence[str], b: Sequence[str]) -> list[tuple[int, int]]:
    """Places of runs of pieces that occur once in each text, the most that come in the same order in both."""
    place_in_b = _unique_runs(b)
    pairs = sorted((at_a, place_in_b[run]) for run, at_a in _unique_runs(a).items() if run in place_in_b)
    # Longest increasing subsequence by patience sorting.
    ends: list[int] = []
    end_index: list[int] = []
    before: list[int] = []
    for index, (_, at_b) in enumerate(pairs):
        pile = bisect_left(ends, at_b)
        before.append(end_index[pile - 1] if pile else -1)
        ends[pile : pile + 1], end_index[pile : pile + 1] = [at_b], [index]
    chain: list[tuple[int, int]] = []
    index = end_index[-1] if end_index else -1
    while index >= 0:
        chain.append(pairs[index])
        index = before[index]
    return chain[::-1]


def _unique_runs(pieces: Sequence[str]) -> dict[tuple[str, ...], int]:
    runs = list(zip(*(pieces[k:] for k in range(_ANCHOR_PIECES)), strict=False))
    counts = Counter(runs)
    return {run: place for place, run in enumerate(runs) if counts[run] == 1}


def _matches_between(
    a: Sequence[str], a_from: int, a_to: int, b: Sequence[str], b_from: int, b_to: int
) -> list[tuple[int, int, int]]:
    """Matching stretches between two anchors: what both begin and end with, and the longest blocks in between."""
    shortest = min(a_to - a_from, b_to - b_from)
    head = next((k for k in range(shortest) if a[a_from + k] != b[b_from + k]), shortest)
    tail = next((k for k in range(shortest - head) if a[a_to - 1 - k] != b[b_to - 1 - k]), shortest - head)
    inner_a, inner_b = a[a_from + head : a_to - tail], b[b_from + head : b_to - tail]
    counts_a, counts_b = Counter(inner_a), Counter(inner_b)
    matches = [(a_from, b_from, head)]
    if sum(n * counts_b[piece] for piece, n in counts_a.items()) <= _MOST_MATCHES:
        blocks = SequenceMatcher(None, inner_a, inner_b, autojunk=False).get_matching_blocks()
        matches += [(a_from + head + block.a, b_from + head + block.b, block.size) for block in blocks]
    return [match for match in [*matches, (a_to - tail, b_to - tail, tail)] if match[2]]
