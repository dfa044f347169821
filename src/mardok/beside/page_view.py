"""One page as it is laid beside others: what it says, and how it is built.

In:  an audit, and the row of a page.
Out: a :class:`PageView`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from mardok.audits import Audit
from mardok.beside.phrase import TopicPhrase, told_stems
from mardok.compare.contradictions import sentences_of
from mardok.compare.topics import address_words
from mardok.text.words import words
from mardok.vocabulary import PhraseField

_LONGEST_QUESTION = 25
"""Words of a block that is a question and nothing else."""
_QUESTION_MARKS = ("?", "\uff1f", "\u061f", "\u037e")
_CELLS, _HEAD_CELL, _ITEM = ("td", "th"), "th", "li"


@dataclass(frozen=True)
class PageView:
    """What a page says, and how it is built."""

    name: str
    """What it is called by: its host, or of ours and of saved pages the path."""
    url: str
    canonical_url: str
    title: str
    h1: str
    description: str
    language: str
    words: int
    text: str
    """Main text, one line a block."""
    headings: tuple[tuple[int, str], ...]
    """Level and text of each heading but the H1."""
    blocks: tuple[tuple[str, str], ...]
    """Element and text of each block of main text."""
    stated_day: str
    inlinks: int | None
    """Pages of its own site that link to it, of those that were read; None where it alone was."""

    @cached_property
    def sentences(self) -> list[str]:
        """Title, headings and sentences: what is said together."""
        heads = [self.title, self.h1, *(text for _, text in self.headings)]
        return [*filter(None, heads), *sentences_of(self.text)]

    @cached_property
    def sentence_stems(self) -> list[frozenset[str]]:
        """Stems of each sentence, function words left out."""
        return [frozenset(told_stems(words(one), self.language)) for one in self.sentences]

    @cached_property
    def stems(self) -> frozenset[str]:
        """Stems of all of them."""
        return frozenset().union(*self.sentence_stems)

    @cached_property
    def questions(self) -> list[str]:
        """Questions that stand alone: headings, and blocks that are a question and nothing else."""
        alone = [*(text for _, text in self.headings), *(text for _, text in self.blocks)]
        return list(
            dict.fromkeys(text for text in alone if text.endswith(_QUESTION_MARKS) and len(words(text)) <= _LONGEST_QUESTION)
        )

    @cached_property
    def n_cells(self) -> int:
        """Cells of its tables."""
        return sum(tag in _CELLS for tag, _ in self.blocks)

    @property
    def head_cells(self) -> list[str]:
        """Texts of the heads of its tables."""
        return [text for tag, text in self.blocks if tag == _HEAD_CELL]

    @cached_property
    def n_items(self) -> int:
        """Items of its lists."""
        return sum(tag == _ITEM for tag, _ in self.blocks)

    def holds(self, stems: frozenset[str]) -> bool:
        """Whether one of its sentences has all of some stems."""
        return stems <= self.stems and any(stems <= own for own in self.sentence_stems)

    def places(self, phrase: TopicPhrase) -> dict[PhraseField, int]:
        """Where each field holds a phrase, as the number of a word from 1; of headings and of the text how many."""
        first = next(iter(sentences_of(self.text.removeprefix(self.h1).lstrip("\n")[:2000])), "")
        fields = {
            PhraseField.TITLE: self.title, PhraseField.H1: self.h1, PhraseField.ADDRESS: address_words(self.url),
            PhraseField.DESCRIPTION: self.description, PhraseField.FIRST_SENTENCE: first,
        }  # fmt: skip
        places = {name: phrase.place(text, self.language) for name, text in fields.items()}
        wanted = frozenset(phrase.stems(self.language))
        places[PhraseField.HEADINGS] = sum(phrase.is_in(text, self.language) for _, text in self.headings)
        places[PhraseField.TEXT] = sum(wanted <= own for own in self.sentence_stems[self._n_heads :])
        return places

    @property
    def _n_heads(self) -> int:
        return len([text for text in (self.title, self.h1, *(text for _, text in self.headings)) if text])


def page_views(audit: Audit, names: Mapping[int, str]) -> list[PageView]:
    """Views of some pages, in the order given.

    Parameters
    ----------
    names : mapping of int to str
        What each page is to be called by, by its row.
    """
    cells = ("url", "canonical_url", "title", "h1", "description", "language", "words", "main_text", "stated_day", "inlinks")
    result = []
    for row, name in names.items():
        page = audit.tables.row("pages", row, cells)
        blocks = audit.tables.of_page("blocks", row)
        main = [
            (str(tag), str(text), int(level))
            for tag, text, level, is_main in zip(*(blocks[one] for one in ("tag", "text", "level", "main")), strict=True)
            if is_main
        ]
        result.append(
            PageView(
                name, page["url"], page["canonical_url"], page["title"], page["h1"], page["description"], page["language"],
                int(page["words"]), page["main_text"], _headings(main), tuple((tag, text) for tag, text, _ in main),
                page["stated_day"], int(page["inlinks"]),
            )
        )  # fmt: skip
    return result


def _headings(blocks: Sequence[tuple[str, str, int]]) -> tuple[tuple[int, str], ...]:
    return tuple((level, text) for _, text, level in blocks if level > 1)
