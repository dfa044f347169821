"""Words that are one slip of the pen apart.

In:  a word.
Out: what it may have been meant to be: one letter too many, one missing, one other, or two neighbours the wrong way round
     (F. J. Damerau, "A technique for computer detection and correction of spelling errors", Communications of the ACM 7(3),
     1964: four of five errors are one of these).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator
from enum import IntEnum

_RUN = 3
_EDGE = "\0"


class Edit(IntEnum):
    """What became of a word; the likelier the smaller."""

    SWAPPED = 0
    DOUBLING = 1
    """A letter doubled that is single, or the other way round."""
    MISSING = 2
    ADDED = 3
    VOWEL = 4
    """A vowel instead of another."""
    OTHER = 5


_VOWELS = frozenset("aeiouyäöüáéíóúàèìòùâêîôû")


def edit_between(wrong: str, right: str) -> tuple[Edit, int] | None:
    """What was done to a word, and at which letter of it; None if the two are not one edit apart.

    Examples
    --------
    >>> edit_between("recieve", "receive"), edit_between("occured", "occurred"), edit_between("bow", "violin")
    ((<Edit.SWAPPED: 0>, 3), (<Edit.DOUBLING: 1>, 5), None)
    """
    if wrong == right or abs(len(wrong) - len(right)) > 1:
        return None
    shortest = min(len(wrong), len(right))
    head = next((k for k in range(shortest) if wrong[k] != right[k]), shortest)
    tail_wrong, tail_right = wrong[head:], right[head:]
    if len(wrong) == len(right):
        if tail_wrong[1:] == tail_right[1:]:
            is_vowel = tail_wrong[0] in _VOWELS and tail_right[0] in _VOWELS
            return (Edit.VOWEL if is_vowel else Edit.OTHER), head
        if tail_wrong[:2] == tail_right[1::-1] and tail_wrong[2:] == tail_right[2:]:
            return Edit.SWAPPED, head
        return None
    if len(wrong) > len(right):
        if tail_wrong[1:] != tail_right:
            return None
        is_doubled = head > 0 and wrong[head] == wrong[head - 1]
        return (Edit.DOUBLING if is_doubled else Edit.ADDED), head
    if tail_right[1:] != tail_wrong:
        return None
    is_doubled = head > 0 and right[head] == right[head - 1]
    return (Edit.DOUBLING if is_doubled else Edit.MISSING), head


class Neighbours:
    """Finds, of many words, those that are one edit from a word.

    Two words are one edit apart only if they are equal, or one of each without one letter is, or two neighbours are swapped
    (the idea of deletion neighbourhoods: F. S. Mor, A. S. Fraenkel, "A hash code method for detecting and correcting
    spelling errors", Communications of the ACM 25(12), 1982).
    """

    def __init__(self, words: Iterable[str]) -> None:
        self._by_key: dict[str, list[str]] = {}
        for word in words:
            for key in _keys(word):
                self._by_key.setdefault(key, []).append(word)

    def of(self, word: str) -> set[str]:
        """Words that are one edit from this one."""
        near = {other for key in _keys(word) for other in self._by_key.get(key, ())}
        return {other for other in near if edit_between(word, other) is not None}


def _keys(word: str) -> set[str]:
    return {word, *(word[:k] + word[k + 1 :] for k in range(len(word)))}


class LetterRuns:
    """Runs of three letters that words of a language have, by which most of what one edit makes is seen to be no word."""

    def __init__(self, words: Iterable[str]) -> None:
        self._runs: set[str] = set()
        for word in words:
            self._runs.update(_runs(word))
        self._before: dict[str, set[str]] = defaultdict(set)
        self._between: dict[str, set[str]] = defaultdict(set)
        self._after: dict[str, set[str]] = defaultdict(set)
        for run in self._runs:
            if len(run) == _RUN:
                self._before[run[1:]].add(run[0])
                if run[1].isalpha():  # a hyphen or an apostrophe makes two words of one
                    self._between[run[0] + run[2]].add(run[1])
                self._after[run[:2]].add(run[2])

    def may_be(self, word: str) -> bool:
        """Whether all runs of letters of a word are such."""
        return self._runs.issuperset(_runs(word))

    def edits(self, word: str) -> Iterator[str]:
        """Everything one edit from a word that may be one; the first letter stays or changes places."""
        seen = {word}
        for made in self._edited(word):
            if made not in seen:
                seen.add(made)
                if self.may_be(made):
                    yield made

    def _edited(self, word: str) -> Iterator[str]:
        """What one edit makes, but for letters that never stand between their neighbours."""
        if len(word) > 1:
            yield word[1] + word[0] + word[2:]
        for k in range(1, len(word)):
            yield word[:k] + word[k + 1 :]
            if k + 1 < len(word):
                yield word[:k] + word[k + 1] + word[k] + word[k + 2 :]
        whole = f"{_EDGE}{word}{_EDGE}"
        for k in range(1, len(word)):
            for letter in self._fitting(whole[k - 1 : k + 1], whole[k + 2 : k + 4]):
                yield word[:k] + letter + word[k + 1 :]
        for k in range(1, len(word) + 1):
            for letter in self._fitting(whole[k - 1 : k + 1], whole[k + 1 : k + 3]):
                yield word[:k] + letter + word[k:]

    def _fitting(self, before: str, after: str) -> set[str]:
        """Letters that stand between two letters and two others somewhere."""
        result = self._after[before] & self._between[before[-1] + after[0]]
        return result & self._before[after] if len(after) == _RUN - 1 else result


def _runs(word: str) -> list[str]:
    whole = f"{_EDGE}{word}{_EDGE}"
    return [whole[k : k + _RUN] for k in range(max(len(whole) - _RUN + 1, 1))]
