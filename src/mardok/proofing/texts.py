"""The texts of a site that are proofread.

In:  a site, or the tables of an audit of it.
Out: :class:`ProofTexts`: each different text of main text once, and where it stands.

Only pages that are compared count: indexable ones, of each set of variants one. Code is left out.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.large import Texts, gathered, places_where
from mardok.text.columns import Codes
from mardok.text.distinct import distinct
from mardok.text.site import Site
from mardok.text.site_tables import numbers_in_page
from mardok.text.stored_pages import held_texts

_TECHNICAL_WORDS = 100
"""Words that markup sets apart from which on a site is about code."""
_CODE_TAGS = ("pre", "listing", "xmp", "plaintext")


@dataclass(frozen=True)
class ProofTexts:
    """Texts and where they stand; a place is one block of one page."""

    urls: Sequence[str]
    """Address of each page."""
    languages: Sequence[str]
    """Language of each page."""
    texts: Texts
    """Each different text."""
    text: Codes
    """Number of the text at each place, shape (n_places,); by page and block in rising order."""
    page: Codes
    """Row of the page of each place."""
    block: Codes
    """Number of the block in its page, as in the table ``blocks``."""
    is_heading: NDArray[np.bool_]
    is_boilerplate: NDArray[np.bool_]
    pages_with_code: frozenset[int]
    """Pages that show code in blocks of its own."""
    set_apart: frozenset[str]
    """Words that markup sets apart on any page, in lower case."""

    @property
    def is_technical(self) -> bool:
        """Whether the site is about code."""
        return len(self.set_apart) >= _TECHNICAL_WORDS

    @cached_property
    def by_language(self) -> Mapping[str, NDArray[np.int64]]:
        """Numbers of the texts that stand on pages of each language (``""`` if that cannot be told), in rising order."""
        names = sorted({self.languages[row] for row in np.unique(self.page).tolist()})
        code = {name: number for number, name in enumerate(names)}
        of_page = np.array([code.get(name, -1) for name in self.languages], np.int64)
        of_place = of_page[self.page] if len(self.page) else np.zeros(0, np.int64)
        return {name: distinct(self.text[of_place == number].astype(np.int64)) for name, number in code.items()}

    @cached_property
    def _by_text(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Places in the order of their texts, and where those of each text begin."""
        order = np.argsort(self.text, kind="stable")
        return order, np.searchsorted(self.text[order], np.arange(len(self.texts) + 1))

    @cached_property
    def _only_page(self) -> NDArray[np.int64]:
        """Page of each text that stands in one place; -1 of others."""
        n_places = np.bincount(self.text, minlength=len(self.texts))
        result = np.full(len(self.texts), -1, np.int64)
        result[self.text] = self.page
        result[n_places != 1] = -1
        return result

    def pages_of_all(self, numbers: Sequence[int], language: str) -> list[int]:
        """Pages on which any of some texts of a language stands, in rising order."""
        only = self._only_page[list(numbers)]
        pages = set(np.unique(only[only >= 0]).tolist())
        for at in np.flatnonzero(only < 0).tolist():
            pages.update(self.pages_of(numbers[at], language))
        return sorted(pages)

    def places_of(self, text: int, language: str = "") -> list[int]:
        """Places of one text, on pages of one language if one is given."""
        order, first = self._by_text
        found = order[first[text] : first[text + 1]].tolist()
        return [one for one in found if not language or self.languages[self.page[one]] == language]

    def pages_of(self, text: int, language: str = "") -> list[int]:
        """Pages on which one text stands, likewise."""
        return list(dict.fromkeys(int(self.page[place]) for place in self.places_of(text, language)))


def texts_of_site(site: Site, is_compared: NDArray[np.bool_], is_boilerplate: NDArray[np.bool_]) -> ProofTexts:
    """The texts of a site that was just read.

    Parameters
    ----------
    is_compared : ndarray of bool, shape (n_pages,)
        Pages that count.
    is_boilerplate : ndarray of bool
        For each block of the corpus, which are the blocks of main text, whether it is boilerplate.
    """
    blocks = site.blocks
    is_code = np.array([context.tag in _CODE_TAGS for context in blocks.contexts], bool)
    is_heading = np.array([context.level > 0 for context in blocks.contexts], bool)
    main = places_where(site.main_places)
    at, page = gathered(blocks.at, main), gathered(blocks.page, main)
    stands_in_code = gathered(is_code[blocks.context], at)
    kept = places_where(gathered(is_compared, page) & ~stands_in_code)
    its = gathered(at, kept)
    return ProofTexts(
        held_texts((page.url for page in site.pages), len(site.pages)),
        [page.language for page in site.pages],
        blocks.texts,
        gathered(blocks.text, its),
        gathered(page, kept),
        gathered(numbers_in_page(blocks), gathered(main, kept)),
        gathered(is_heading[blocks.context], its),
        gathered(is_boilerplate, kept),
        frozenset(page[stands_in_code].tolist()),
        frozenset(word for page in site.pages for word in page.signs.set_apart),
    )


def texts_of_tables(
    pages: pd.DataFrame, blocks: pd.DataFrame, set_apart: Collection[str], uncompared: Collection[str] = ()
) -> ProofTexts:
    """The texts of an audit.

    Parameters
    ----------
    pages, blocks : DataFrame
        Tables of the audit.
    set_apart : collection of str
        Words that markup sets apart on any page.
    uncompared : collection of str
        Addresses of pages that take part in no comparison.
    """
    counts = pages["indexable"] & (pages["variant_of"] == "") & ~pages["url"].isin(uncompared)
    is_compared = counts.to_numpy(bool)
    page = blocks["page"].to_numpy(np.int32)
    is_main, is_code = blocks["main"].to_numpy(bool), blocks["tag"].isin(_CODE_TAGS).to_numpy(bool)
    kept = np.flatnonzero(is_main & is_compared[page] & ~is_code)
    texts = blocks["text"].cat
    return ProofTexts(
        pages["url"].tolist(),
        pages["language"].astype(str).tolist(),
        Texts.of(texts.categories),
        np.asarray(texts.codes, np.int32)[kept],
        page[kept],
        blocks["block"].to_numpy(np.int32)[kept],
        blocks["level"].to_numpy(np.int32)[kept] > 0,
        (blocks["reason"] == "boilerplate").to_numpy(bool)[kept],
        frozenset(page[is_main & is_code].tolist()),
        frozenset(set_apart),
    )
