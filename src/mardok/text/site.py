"""All pages of a site together, with their main texts.

In:  the facts of pages, as columns.
Out: a :class:`Site`: pages in URL order, so that a page's row is the same in every table and array.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from functools import partial
from sys import intern
from typing import NamedTuple, cast

import numpy as np
from numpy.typing import NDArray

from mardok.extract.batch import Numbers
from mardok.extract.language import CHECKED_CHARACTERS, language_of
from mardok.extract.page import Page
from mardok.kept import KeptParts, Tables
from mardok.large import GrowingTexts, Texts, gathered, laid_down, offsets_of
from mardok.settings import Language, Settings
from mardok.sharing import done_elsewhere, shared_out
from mardok.text.columns import Blocks, Codes, Columns, Images, Links
from mardok.text.hashes import Corpus, HashedTexts, corpus_of_parts, hashed_texts
from mardok.text.main_text import Reasons, reasons_not_main
from mardok.text.stored_pages import StoredPages
from mardok.text.words import folded, text_hash

_BYTES_AT_ONCE, _PAGES_AT_ONCE = 1 << 21, 1 << 9
_TEXTS_AT_ONCE, _BEGINNING = 1 << 12, 16
"""Texts that are pressed at once, and blocks of a page of which the beginning mostly consists."""


@dataclass(frozen=True)
class SiteBlocks:
    """The pages of a site and what stands on them; position in every sequence is the row of the page."""

    pages: Sequence[Page]
    """Pages without blocks and images, which stand in the columns."""
    row_of: Mapping[str, int]
    """Row of each address."""
    section: NDArray[np.int64]
    """A number for each page, equal for pages of one host whose addresses begin with the same folder."""
    blocks: Blocks
    links: Links
    images: Images
    reasons: Reasons
    """Why the block at each place is not main text."""
    link_targets: Codes
    """Row of the page that each placed link leads to, -1 if it was not read."""
    chrome_links: NDArray[np.bool_]
    """Whether each placed link stands in chrome."""
    main_places: NDArray[np.bool_]
    """Whether a block of main text stands at each place: the blocks of the corpus."""

    def main_text(self, row: int) -> str:
        """Main text of a page, one line a block."""
        return _main_text(self.blocks, self.main_places, row)

    def running_text(self, row: int) -> list[str]:
        """Main-text blocks of a page that are no headings."""
        part = slice(self.blocks.first[row], self.blocks.first[row + 1])
        numbers = self.blocks.at[part][self.main_places[part]]
        contexts = self.blocks.contexts
        return [self.blocks.texts[self.blocks.text[at]] for at in numbers if not contexts[self.blocks.context[at]].level]


@dataclass(frozen=True)
class Site(SiteBlocks):
    """The pages of a site with the words of their main texts."""

    text_hashes: Texts
    """Equal where words and punctuation are; ``""`` without words."""
    corpus: Corpus
    """Words of the main texts."""

    @property
    def without_words(self) -> SiteBlocks:
        """The pages and blocks alone: the words fill much memory."""
        return SiteBlocks(**{one.name: getattr(self, one.name) for one in fields(SiteBlocks)})


def site_of(columns: Columns, settings: Settings, kept: KeptParts | None = None) -> Site:
    """Settle the main texts of the pages of a site.

    Parameters
    ----------
    kept : KeptParts, optional
        What an earlier audit kept of the same pages, and keeps the main texts, if they are made anew.
    """
    blocks, links = columns.blocks, columns.links
    section = sections_of(columns.pages)
    words = _words_of(columns, section, settings) if kept is None else _kept_words(columns, section, settings, kept)
    main_places = words.reasons.is_main & blocks.has_text[blocks.at]
    pages = _in_languages(columns.pages, words.languages)
    row_of = pages.row_of if isinstance(pages, StoredPages) else {page.url: row for row, page in enumerate(pages)}
    target_of_url = np.fromiter((row_of.get(url, -1) for url in links.urls), np.int32, len(links.urls))
    return Site(
        pages,
        row_of,
        section,
        blocks,
        links,
        columns.images,
        words.reasons,
        gathered(gathered(target_of_url, links.url), links.at),
        gathered(~words.reasons.is_main, links.place),
        laid_down(main_places),
        words.text_hashes,
        words.corpus,
    )


def _in_languages(pages: Sequence[Page], languages: Sequence[str]) -> Sequence[Page]:
    if isinstance(pages, StoredPages):
        return pages.in_languages(languages)
    told = zip(pages, languages, strict=True)
    return tuple(page if page.language == language else replace(page, language=language) for page, language in told)


class _Words(NamedTuple):
    """The main texts of pages."""

    reasons: Reasons
    corpus: Corpus
    text_hashes: Texts
    languages: tuple[str, ...]


def _words_of(columns: Columns, section: NDArray[np.int64], settings: Settings) -> _Words:
    texts, blocks, pressed = columns.blocks.texts, columns.blocks, GrowingTexts()

    def hashed() -> Iterator[HashedTexts]:
        for part, characters in shared_out(partial(_hashed, texts), [*texts.parts(_BYTES_AT_ONCE)]):
            pressed.add(characters)
            yield part

    written = corpus_of_parts(hashed())
    reasons = reasons_not_main(blocks, columns.links, written, columns.pages, section, settings.text)
    main_places = reasons.is_main & blocks.has_text[blocks.at]
    main_at = blocks.text[blocks.at[main_places]].astype(np.int64)
    first = np.searchsorted(np.flatnonzero(main_places), blocks.first)
    corpus = written.arranged(main_at, first)
    del written
    main = _Main(texts, pressed.finished(), laid_down(main_at), first, corpus.words, corpus.offsets, settings.language)
    rows = range(0, len(columns.pages), _PAGES_AT_ONCE)
    parts = [(row, [page.declared_language for page in columns.pages[row : row + _PAGES_AT_ONCE]]) for row in rows]
    # What tells languages fills 80 MB.
    pages = [page for part in done_elsewhere(main.told, parts) for page in part]
    hashes = Texts.of([hashed for hashed, _ in pages])
    return _Words(reasons, corpus, hashes, tuple(intern(language) for _, language in pages))


def _hashed(texts: Texts, part: tuple[int, int]) -> tuple[HashedTexts, Texts]:
    """The words of some texts, and each of these without white space."""
    pressed = GrowingTexts()
    return hashed_texts(_folded_texts(texts.between(*part), pressed)), pressed.finished()


@dataclass(frozen=True)
class _Main:
    """What is known of the main texts of all pages when their words are."""

    texts: Texts
    """The different texts of blocks."""
    characters: Texts
    """The same folded and without white space."""
    at: NDArray[np.int64]
    """Number of the text of each block of main text."""
    first: NDArray[np.int64]
    """First block of each page."""
    words: NDArray[np.uint64]
    offsets: NDArray[np.int64]
    settings: Language

    def told(self, part: tuple[int, Sequence[str]]) -> list[tuple[str, str]]:
        """Hash and language of the main texts of some pages: from a row on, by what each page declares as its language."""
        result = []
        for row, declared in enumerate(part[1], start=part[0]):
            own = self.at[self.first[row] : self.first[row + 1]]
            words = self.words[self.offsets[row] : self.offsets[row + 1]]
            # A menu in another language does not count, and only here is it known what of a page is menu.
            language = language_of(_beginning(self.texts, own, 2 * CHECKED_CHARACTERS), declared, self.settings)
            result.append((text_hash(self.characters.digest_together(own), words), language))
        return result


def _folded_texts(texts: Texts, pressed: GrowingTexts) -> Iterator[str]:
    """Texts folded; `pressed` gets each without white space, too."""
    waiting: list[str] = []
    for text in texts:
        result = folded(text)
        waiting.append("".join(result.split()))
        if len(waiting) == _TEXTS_AT_ONCE:
            pressed.add(waiting)
            waiting = []
        yield result
    pressed.add(waiting)


def _beginning(texts: Texts, numbers: NDArray[np.int64], n_characters: int) -> str:
    """The first characters of some texts, each on a line of its own."""
    n_texts, result = _BEGINNING, texts.lines(numbers[:_BEGINNING])
    while len(result) < n_characters and n_texts < len(numbers):
        n_texts *= 4
        result = texts.lines(numbers[:n_texts])
    return result[:n_characters]


def _kept_words(columns: Columns, section: NDArray[np.int64], settings: Settings, kept: KeptParts) -> _Words:
    depends = {
        "reading": kept.key_of("reading"),
        "text": settings.text.model_dump(mode="json"),
        "language": settings.language.model_dump(mode="json"),
    }
    return kept.part("words", depends, lambda: _words_of(columns, section, settings), _tables_of_words, _words_of_tables)


def _tables_of_words(words: _Words) -> Tables:
    corpus = words.corpus
    return {
        "pages": {
            "text_hash": words.text_hashes,
            "language": words.languages,
            "n_words": np.diff(corpus.offsets),
            "n_blocks": np.diff(corpus.first_blocks),
        },
        "words": {"hash": corpus.words},
        "blocks": {"n_words": np.diff(corpus.block_offsets).astype(np.int32)},
        "clauses": {"step": np.diff(corpus.clause_offsets, prepend=0).astype(np.int32)},
        "vocabulary": {"hash": np.array(list(corpus.vocabulary), np.uint64), "word": list(corpus.vocabulary.values())},
        "places": {"reason": words.reasons.of},
        "reasons": {"name": words.reasons.names},
    }


def _words_of_tables(tables: Tables) -> _Words:
    pages, told = tables["pages"], tables["vocabulary"]
    corpus = Corpus(
        np.asarray(tables["words"]["hash"]),
        offsets_of(np.asarray(pages["n_words"])),
        offsets_of(np.asarray(tables["blocks"]["n_words"])),
        offsets_of(np.asarray(pages["n_blocks"])),
        offsets_of(np.asarray(tables["clauses"]["step"]))[1:],
        dict(zip(np.asarray(told["hash"]).tolist(), told["word"], strict=True)),
    )
    reasons = Reasons(tuple(tables["reasons"]["name"]), np.asarray(tables["places"]["reason"]))
    return _Words(reasons, corpus, cast(Texts, pages["text_hash"]), tuple(map(intern, pages["language"])))


def sections_of(pages: Sequence[Page]) -> NDArray[np.int64]:
    """A number for each page, equal for pages of one host whose addresses begin with the same folder."""
    number: Numbers[str] = Numbers()
    names = ("/".join(page.url.split("/", 4)[:4]) if page.url.count("/") > 3 else "" for page in pages)
    return np.array([number[name] for name in names], np.int64)


def _main_text(blocks: Blocks, main_places: NDArray[np.bool_], row: int) -> str:
    part = slice(blocks.first[row], blocks.first[row + 1])
    return blocks.texts.lines(blocks.text[blocks.at[part][main_places[part]]])
