"""Sentences that say the same with another number, price, date or hour.

In:  texts, one line a block.
Out: for each such sentence what each text says in its place.

A sentence is taken apart into words; figures, numbers in words, names of months and of days are its slots, and slots that
stand together are one. Two texts contradict each other where all other words are the same, in their order, and a slot is
not. A sentence that one text says twice with two figures, as rows of a table do, is no statement of one fact and is left
out.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cache

from mardok.text.number_words import is_number
from mardok.text.words import folded_line

_PIECE = re.compile(r"[£$€¥]?\d+(?:[.,:/]\d+)*[^\W\d_]*%?|[^\W\d_]+(?:['’\-][^\W\d_]+)*", re.UNICODE)
_END = re.compile(r"(?<=[.!?;])\s+|\n")
_LEAST_WORDS = 3
"""Words beside the slots from which a sentence says what its figure is about."""
_SLOT = "…"


@dataclass(frozen=True)
class Contradiction:
    """One sentence that texts end differently."""

    text: str
    """The sentence as the first text has it, with the sign … in the place of each slot that differs."""
    values: tuple[str, ...]
    """What each text says in those places, with commas; ``""`` where it does not say the sentence."""
    sentences: tuple[str, ...]
    """The sentence as each text has it; ``""`` likewise."""


def contradictions(texts: Sequence[str], language: str = "") -> list[Contradiction]:
    """Sentences that two or more of some texts say with different figures, in the order of the first text.

    Parameters
    ----------
    texts : sequence of str
        Texts, one line a block.
    language : str
        Their language, ISO 639-1, whose names of months and days count as figures.

    Examples
    --------
    >>> found = contradictions(["Hire costs £36 a month.", "Hire costs £38 a month."], "en")
    >>> found[0].text, found[0].values
    ('Hire costs … a month.', ('£36', '£38'))
    """
    names = calendar_names(language)
    said: dict[tuple[str, ...], dict[int, list[_Statement]]] = defaultdict(lambda: defaultdict(list))
    for number, text in enumerate(texts):
        for statement in _statements(text, names):
            said[statement.key][number].append(statement)
    result = []
    for by_text in said.values():
        once = {number: own[0] for number, own in by_text.items() if len({one.values for one in own}) == 1}
        if len(once) < len(by_text) or len({one.values for one in once.values()}) < 2:
            continue
        first = once[min(once)]
        differs = [k for k in range(len(first.values)) if len({one.values[k] for one in once.values()}) > 1]
        shown = tuple(
            ", ".join(once[number].written[k] for k in differs) if number in once else "" for number in range(len(texts))
        )
        written = tuple(once[number].sentence if number in once else "" for number in range(len(texts)))
        result.append(Contradiction(first.with_slots(differs), shown, written))
    return result


def sentences_of(text: str) -> list[str]:
    """The sentences of a text, one line a block."""
    return [one for one in map(str.strip, _END.split(text)) if one]


@dataclass(frozen=True)
class _Statement:
    """A sentence with slots."""

    key: tuple[str, ...]
    """Its words, folded, with the same sign for every slot."""
    values: tuple[str, ...]
    """What stands in the slots, folded."""
    written: tuple[str, ...]
    """The same as written."""
    spans: tuple[tuple[int, int], ...]
    """Where the slots stand in the sentence."""
    sentence: str

    def with_slots(self, differs: Sequence[int]) -> str:
        """The sentence with a sign in the place of some slots."""
        text = self.sentence
        for at in sorted(differs, reverse=True):
            begin, end = self.spans[at]
            text = text[:begin] + _SLOT + text[end:]
        return text


def _statements(text: str, names: frozenset[str]) -> Iterator[_Statement]:
    """The sentences of a text that have a slot, and enough words beside it to say what it is about."""
    for sentence in sentences_of(text):
        key: list[str] = []
        spans: list[tuple[int, int]] = []
        n_words = 0
        for match in _PIECE.finditer(sentence):
            piece = match[0]
            if _is_figure(piece, names):
                if key and key[-1] == _SLOT and not re.search(r"\w", sentence[spans[-1][1] : match.start()]):
                    spans[-1] = (spans[-1][0], match.end())
                else:
                    key.append(_SLOT)
                    spans.append(match.span())
            else:
                key.append(folded_line(piece))
                n_words += 1
        if spans and n_words >= _LEAST_WORDS:
            written = tuple(sentence[begin:end] for begin, end in spans)
            yield _Statement(tuple(key), tuple(map(folded_line, written)), written, tuple(spans), sentence)


def _is_figure(piece: str, names: frozenset[str]) -> bool:
    folded = folded_line(piece)
    return any(map(str.isdigit, piece)) or folded in names or is_number(folded)


@cache
def calendar_names(language: str) -> frozenset[str]:
    """Names of months and days in a language, folded; none where it is not known."""
    from babel import Locale, UnknownLocaleError  # only here: it takes longer to import than some commands to run

    try:
        locale = Locale.parse(language, sep="-")
    except (UnknownLocaleError, ValueError, TypeError):
        return frozenset()
    tables = (locale.months["format"]["wide"], locale.days["format"]["wide"])
    # "may" and "march" are verbs as well: as words of a sentence they are the same in both texts anyway.
    return frozenset(folded_line(str(name)) for table in tables for name in table.values())
