"""What pages of others have and ours has not, and the other way round.

In:  our page and those of others, each read.
Out: suggestions, each with the pages that show it, the surest first; phrases that only ours has; passages that are alike.

A suggestion needs two pages of others at least: what one writes is taste. What ours says in other forms of the words, in any
order within a sentence or a heading, is no gap. Nothing is counted per hundred words, and nothing is graded.
"""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from mardok.beside.page_view import PageView
from mardok.beside.phrase import TopicPhrase, told_stems
from mardok.text.hashes import RUN_WORDS
from mardok.text.spans import WordSpans
from mardok.text.stems import is_bare, plain_words, stems
from mardok.text.words import words
from mardok.vocabulary import Gap

_LEAST_PAGES = 2
_PHRASE_WORDS = (2, 4)
_LEAST_WORD_PAGES, _WORD_SHARE = 3, 0.6
"""Pages, and share of them, that use a single word from which it is told: alone it says little."""
_ALIKE = 0.5
"""Share of common stems from which two headings, or questions, ask for the same."""
_LEAST_CELLS, _LEAST_ITEMS = 4, 3
_MOST_OF_KIND = 12
_MOST_ONLY_OURS = 10
_MOST_PASSAGES = 10
_MOST_EXAMPLES = 3


@dataclass(frozen=True)
class Suggestion:
    """Something that pages of others have and ours has not."""

    kind: Gap
    text: str
    """As most of them write it."""
    pages: tuple[str, ...]
    """Names of the pages that show it."""
    examples: tuple[str, ...]
    """How they write it, each once."""


@dataclass(frozen=True)
class CommonPassage:
    """A stretch that our page and one of others have word for word."""

    page: str
    text: str
    words: int


def suggestions(ours: PageView, others: Sequence[PageView], phrase: TopicPhrase) -> list[Suggestion]:
    """What two or more pages of others have and ours has not, the surest first.

    Parameters
    ----------
    ours : PageView
        Our page.
    others : sequence of PageView
        Pages of others; those in another language than ours count for tables and lists only.
    phrase : TopicPhrase
        What they are all about.
    """
    alike = [page for page in others if page.language == ours.language]
    topic = frozenset(phrase.stems(ours.language))
    questions = list(_shared_lines(ours, alike, topic, Gap.QUESTION))
    headings = list(_shared_lines(ours, alike, topic, Gap.HEADING))
    named = [frozenset(told_stems(words(one.text), ours.language)) for one in (*questions, *headings)]
    phrases = [one for one in _phrases(ours, alike, topic) if not any(_stems(one, ours) - topic <= told for told in named)]
    found = [*questions, *headings, *_built(ours, others), *phrases]
    order = list(Gap)
    kept: list[Suggestion] = []
    for kind in Gap:
        own = [one for one in found if one.kind == kind]
        kept += sorted(own, key=lambda one: (-len(one.pages), one.text.casefold()))[:_MOST_OF_KIND]
    return sorted(kept, key=lambda one: (-len(one.pages), order.index(one.kind), one.text.casefold()))


def _stems(one: Suggestion, page: PageView) -> frozenset[str]:
    return frozenset(told_stems(words(one.text), page.language))


def _shared_lines(ours: PageView, others: Sequence[PageView], topic: frozenset[str], kind: Gap) -> Iterator[Suggestion]:
    """Headings or questions that several pages have, put together by their words, and ours answers nowhere."""
    groups: list[list[tuple[PageView, str, frozenset[str]]]] = []
    for page in others:
        questions = set(page.questions)
        lines = page.questions if kind == Gap.QUESTION else [text for _, text in page.headings if text not in questions]
        for line in lines:
            own = frozenset(told_stems(words(line), page.language)) - topic
            if not own:
                continue
            group = max(groups, key=lambda group: _alike(own, group[0][2]), default=None)
            if group is not None and _alike(own, group[0][2]) >= _ALIKE:
                group.append((page, line, own))
            else:
                groups.append([(page, line, own)])
    for group in groups:
        names = tuple(dict.fromkeys(page.name for page, _, _ in group))
        core = frozenset.intersection(*(own for _, _, own in group)) or group[0][2]
        if len(names) >= _LEAST_PAGES and not _answers(ours, core, group[0][2]):
            written = tuple(dict.fromkeys(line for _, line, _ in group))
            shortest = min(written, key=lambda line: (len(line), line))
            yield Suggestion(kind, shortest, names, written[:_MOST_EXAMPLES])


def _alike(one: frozenset[str], other: frozenset[str]) -> float:
    return len(one & other) / len(one | other)


def _answers(ours: PageView, core: frozenset[str], asked: frozenset[str]) -> bool:
    """Whether our page says in a sentence what a heading asks for, or has a heading like it."""
    headings = [frozenset(told_stems(words(text), ours.language)) for _, text in ours.headings]
    return ours.holds(core) or any(_alike(own, asked) >= _ALIKE for own in headings if own)


def _built(ours: PageView, others: Sequence[PageView]) -> Iterator[Suggestion]:
    """Tables and lists that several pages have and ours has not."""
    with_table = [page for page in others if page.n_cells >= _LEAST_CELLS]
    if len(with_table) >= _LEAST_PAGES and ours.n_cells < _LEAST_CELLS:
        heads = (", ".join(page.head_cells[:6]) for page in with_table)
        yield Suggestion(Gap.TABLE, "", _names(with_table), tuple(filter(None, dict.fromkeys(heads)))[:_MOST_EXAMPLES])
    with_list = [page for page in others if page.n_items >= _LEAST_ITEMS]
    if len(with_list) >= _LEAST_PAGES and ours.n_items < _LEAST_ITEMS:
        firsts = (next(text for tag, text in page.blocks if tag == "li") for page in with_list)
        yield Suggestion(Gap.LIST, "", _names(with_list), tuple(dict.fromkeys(firsts))[:_MOST_EXAMPLES])


def _names(pages: Sequence[PageView]) -> tuple[str, ...]:
    return tuple(page.name for page in pages)


def _phrases(ours: PageView, others: Sequence[PageView], topic: frozenset[str]) -> list[Suggestion]:
    """Phrases and words that several pages use and ours does not, the longer for the shorter where as many use it."""
    used: dict[frozenset[str], dict[str, Counter[str]]] = defaultdict(lambda: defaultdict(Counter))
    for page in others:
        names = frozenset(told_stems(words(page.name.replace(".", " ").replace("-", " ")), page.language)) - topic
        for written, own in _grams(page):
            if not own & names and not own <= topic:
                used[own][page.name][written] += 1
    most_needed = max(_LEAST_WORD_PAGES, math.ceil(_WORD_SHARE * len(others)))
    kept: dict[frozenset[str], Suggestion] = {}
    order = sorted(
        used, key=lambda own: (-len(used[own]), -len(own), -sum(map(Counter.total, used[own].values())), sorted(own))
    )
    for own in order:
        # What adds one word to the topic is a single word.
        pages, is_phrase = used[own], len(own - topic) > 1
        least = _LEAST_PAGES if is_phrase else most_needed
        if len(pages) < least or ours.holds(own):
            continue
        if any(own <= longer and len(kept[longer].pages) >= len(pages) for longer in kept):
            continue
        uses: Counter[str] = sum(pages.values(), Counter())
        forms = sorted(uses, key=lambda form: (-uses[form], form))
        kind = Gap.PHRASE if is_phrase else Gap.WORD
        kept[own] = Suggestion(kind, forms[0], tuple(pages), tuple(forms[:_MOST_EXAMPLES]))
    return list(kept.values())


def _grams(page: PageView) -> Iterator[tuple[str, frozenset[str]]]:
    """Words and phrases of a page with their stems; a phrase begins and ends with a word that is no function word."""
    plain = plain_words(page.language)
    for sentence in page.sentences:
        own = words(sentence)
        own_stems = stems(own, page.language)
        tells = [word not in plain and not is_bare(word) for word in own]
        for first in range(len(own)):
            if not tells[first]:
                continue
            yield own[first], frozenset([own_stems[first]])
            for n in range(_PHRASE_WORDS[0], _PHRASE_WORDS[1] + 1):
                last = first + n - 1
                if last < len(own) and tells[last]:
                    told = frozenset(own_stems[at] for at in range(first, last + 1) if own[at] not in plain)
                    if len(told) > 1:
                        yield " ".join(own[first : last + 1]), told


def only_ours(ours: PageView, others: Sequence[PageView], phrase: TopicPhrase) -> list[str]:
    """Phrases that our page uses twice, or in a heading, and no other page does in any form.

    Parameters
    ----------
    ours : PageView
        Our page.
    others : sequence of PageView
        Pages of others.
    phrase : TopicPhrase
        What they are all about.
    """
    topic = frozenset(phrase.stems(ours.language))
    written: dict[frozenset[str], Counter[str]] = defaultdict(Counter)
    for text, own in _grams(ours):
        if len(own) > 1 and not own <= topic:
            written[own][text] += 1
    in_headings = {frozenset(told_stems(words(text), ours.language)) for _, text in ours.headings}
    kept: list[tuple[int, str, frozenset[str]]] = []
    for own, forms in sorted(written.items(), key=lambda one: (-one[1].total(), -len(one[0]), sorted(one[0]))):
        if forms.total() < _LEAST_PAGES and own not in in_headings:
            continue
        if any(page.holds(own) for page in others) or any(own <= longer for _, _, longer in kept):
            continue
        kept.append((forms.total(), min(forms, key=lambda form: (-forms[form], form)), own))
    return [text for _, text, _ in kept[:_MOST_ONLY_OURS]]


def common_passages(ours: PageView, others: Sequence[PageView]) -> list[CommonPassage]:
    """Stretches of eight words and more that our page and another have word for word: somebody copied.

    Parameters
    ----------
    ours : PageView
        Our page.
    others : sequence of PageView
        Pages of others.
    """
    own = words(ours.text)
    spans = WordSpans(ours.text)
    places: dict[tuple[str, ...], list[int]] = defaultdict(list)
    for at in range(len(own) - RUN_WORDS + 1):
        places[tuple(own[at : at + RUN_WORDS])].append(at)
    result = []
    for page in others:
        theirs = words(page.text)
        is_common = [False] * len(own)
        for at in range(len(theirs) - RUN_WORDS + 1):
            for place in places.get(tuple(theirs[at : at + RUN_WORDS]), ()):
                is_common[place : place + RUN_WORDS] = [True] * RUN_WORDS
        for first, n in _stretches(is_common):
            result.append(CommonPassage(page.name, spans.written(first, n), n))
    return sorted(result, key=lambda one: (-one.words, one.page, one.text))[:_MOST_PASSAGES]


def _stretches(is_common: Sequence[bool]) -> Iterator[tuple[int, int]]:
    """Where stretches begin, and how long they are."""
    first = -1
    for at, is_in in enumerate([*is_common, False]):
        if is_in and first < 0:
            first = at
        elif not is_in and first >= 0:
            yield first, at - first
            first = -1
