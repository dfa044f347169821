"""Facts that pages of a site disagree about.

In:  the texts of a site; groups of pages that are to become one.
Out: :class:`Disagreement`: a sentence that pages say with one figure, and others with another.

Over the whole site a figure contradicts another only where many pages say the sentence with one, and few with others: what
each page says in its own way, as the slots of a series, is no contradiction. Within pages that become one every difference
is, since only one can stay.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from mardok.compare.contradictions import (
    UNITS,
    Statement,
    calendar_names,
    contradictions,
    sentences_of,
    slot_kind,
    statements,
)
from mardok.proofing.texts import ProofTexts
from mardok.settings import Proof
from mardok.text.number_words import NUMBER_WORDS
from mardok.text.words import folded_line
from mardok.vocabulary import SlotKind

_REFERENCES = frozenset(
    (
        "section", "sections", "chapter", "chapters", "figure", "figures", "fig", "table", "tables", "page", "pages", "step",
        "note", "part", "appendix", "item", "no", "version", "abschnitt", "kapitel", "abbildung", "abb", "tabelle", "seite",
        "schritt", "teil", "anhang", "nr",
    )
)  # fmt: skip
"""Words before figures that lead to another place, and state nothing."""
_DIGIT, _WORD = re.compile("[0-9]"), re.compile(r"[^\W\d_]+")
_SHORTEST_CUE = 3
"""Characters of a figure that a title names by chance."""


@dataclass(frozen=True)
class Disagreement:
    """A sentence that pages end differently."""

    text: str
    """The sentence, with the sign … in the place of what differs."""
    slot: SlotKind
    value: str
    """What most pages say, or the page that stays."""
    rows: tuple[int, ...]
    """Pages that say so."""
    other_value: str
    other_rows: tuple[int, ...]
    """Pages that say that."""
    sentence: str
    """The sentence as the first of the other pages has it."""


def disagreements_over_site(
    texts: ProofTexts, with_figures: Mapping[str, Sequence[int]], page_names: Sequence[str], settings: Proof
) -> list[Disagreement]:
    """Sentences that many pages say with one figure, and few with another.

    Parameters
    ----------
    with_figures : mapping of str to sequence of int
        Numbers of the texts of each language that may state a figure.
    page_names : sequence of str
        For each page what it is called by: title, H1 and address; a figure of its name is its own.
    settings : Proof
        How many are many, and few.
    """
    result = []
    for language, numbers in with_figures.items():
        for said in _said_alike(texts, numbers, language, settings).values():
            result += _contradicted(said, language, page_names, settings)
    return sorted(result, key=lambda one: (one.text, one.value, one.other_value))


_Said = Mapping[tuple[str, ...], Mapping[int, Statement]]
"""By what stands in the slots of a sentence the pages that say so."""


def _said_alike(texts: ProofTexts, numbers: Sequence[int], language: str, settings: Proof) -> dict[tuple[str, ...], _Said]:
    """Sentences by their words without figures: what pages say in their place."""
    names = calendar_names(language)
    by_key: dict[tuple[str, ...], list[tuple[int, Statement]]] = defaultdict(list)
    for number, sentence in _said_twice(texts, numbers, names):
        for statement in statements(sentence, names):
            if len(statement.key) - len(statement.values) >= settings.contradiction_words:
                by_key[statement.key].append((number, statement))
    result: dict[tuple[str, ...], _Said] = {}
    for key, found in by_key.items():
        if len({statement.values for _, statement in found}) < 2:
            continue
        pages: dict[int, set[tuple[str, ...]]] = defaultdict(set)
        kept: dict[tuple[str, ...], dict[int, Statement]] = defaultdict(dict)
        for number, statement in found:
            for row in texts.pages_of(number, language):
                pages[row].add(statement.values)
                kept[statement.values].setdefault(row, statement)
        # Rows of a table say the same of several things.
        if all(len(values) == 1 for values in pages.values()):
            result[key] = kept
    return result


def _said_twice(texts: ProofTexts, numbers: Sequence[int], names: frozenset[str]) -> Iterator[tuple[int, str]]:
    """Sentences with figures that stand in two texts with the same words, figures and units apart; with their texts.

    Most sentences stand in one text only, and need not be taken apart.
    """
    cues = names | NUMBER_WORDS
    left_out = cues | UNITS
    alike: dict[tuple[str, ...], list[tuple[int, str]]] = defaultdict(list)
    for number in numbers:
        for sentence in sentences_of(texts.texts[number]):
            words = _WORD.findall(sentence.lower())
            if _DIGIT.search(sentence) is not None or not cues.isdisjoint(words):
                alike[tuple(word for word in words if word not in left_out)].append((number, sentence))
    for same in alike.values():
        if len(same) > 1:
            yield from same


def _contradicted(said: _Said, language: str, page_names: Sequence[str], settings: Proof) -> list[Disagreement]:
    n_pages = sum(map(len, said.values()))
    most = max(said, key=lambda values: (len(said[values]), values))
    others = {values: rows for values, rows in said.items() if values != most}
    n_others = sum(map(len, others.values()))
    if len(said[most]) < settings.contradiction_pages or n_others > settings.contradiction_share * n_pages:
        return []
    result = []
    first = said[most][min(said[most])]
    for _, by_row in sorted(others.items()):
        kept = {row: one for row, one in by_row.items() if not _is_named(first, one, page_names[row])}
        if not kept:
            continue
        other = kept[min(kept)]
        differs = [k for k, (a, b) in enumerate(zip(first.values, other.values, strict=True)) if a != b]
        if any(first.word_before(k) in _REFERENCES for k in differs):
            continue
        value, other_value = (", ".join(one.written[k] for k in differs) for one in (first, other))
        result.append(
            Disagreement(
                first.with_slots(differs), slot_kind([value, other_value], language), value, tuple(sorted(said[most])),
                other_value, tuple(sorted(kept)), other.sentence,
            )
        )  # fmt: skip
    return result


def _is_named(first: Statement, other: Statement, name: str) -> bool:
    """Whether a page is called by what it says in a sentence of its own way."""
    own = [b for a, b in zip(first.values, other.values, strict=True) if a != b]
    return any(value in name for value in own if len(value) >= _SHORTEST_CUE or f" {value} " in f" {name} ")


def disagreements_in_groups(
    groups: Iterable[Sequence[int]], main_text: Callable[[int], str], languages: Sequence[str]
) -> list[Disagreement]:
    """Sentences that pages which are to become one end differently.

    Parameters
    ----------
    groups : iterable of sequence of int
        Rows of the pages of each group, the one that stays first.
    main_text : callable
        Main text of a page.
    """
    result = []
    for rows in groups:
        language = languages[rows[0]]
        for found in contradictions([main_text(row) for row in rows], language):
            values = [value for value in found.values if value]
            kept = found.values[0] or Counter(values).most_common(1)[0][0]
            said = [row for row, value in zip(rows, found.values, strict=True) if folded_line(value) == folded_line(kept)]
            for other in sorted({value for value in values if folded_line(value) != folded_line(kept)}):
                others = [row for row, value in zip(rows, found.values, strict=True) if value == other]
                sentence = found.sentences[rows.index(others[0])]
                slot = slot_kind([kept, other], language)
                result.append(
                    Disagreement(found.text, slot, kept, tuple(sorted(said)), other, tuple(sorted(others)), sentence)
                )
    return result
