"""What one page says and another does not.

In:  the text of the page that stays, and the page that goes.
Out: the blocks that are to be moved, if they are worth keeping.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from mardok.text.words import words


@dataclass(frozen=True)
class MovedText:
    """The text of a page that goes."""

    main_text: str
    h1: str
    boilerplate: tuple[str, ...]
    """Blocks of it that many pages carry."""
    teasers: tuple[tuple[int, int], ...]
    """First word and number of words of each stretch that teases another page."""


def lacking_blocks(kept_text: str, moved: MovedText) -> list[str]:
    """Blocks of a page that the page that stays does not have word for word, in their order.

    What many pages carry is left out, and what teases another page: that page says it in full.
    """
    there = {plain_line(line) for line in (*kept_text.split("\n"), *moved.boilerplate, moved.h1)}
    teased = teased_words(len(words(moved.main_text)), moved.teasers)
    result, at = [], 0
    for line in moved.main_text.split("\n"):
        n_words = len(words(line))
        is_teaser = n_words > 0 and 2 * int(teased[at : at + n_words].sum()) > n_words
        at += n_words
        if plain_line(line) not in there and not is_teaser:
            result.append(line)
    return result


def teased_words(n_words: int, teasers: Iterable[tuple[int, int]]) -> np.ndarray[tuple[int], np.dtype[np.bool_]]:
    """For each word of a page whether it stands in a teaser of another page."""
    result = np.zeros(n_words + 1, bool)
    for first, n in teasers:
        result[first : first + n] = True
    return result


def plain_line(line: str) -> str:
    """A line as it is compared with others."""
    return " ".join(str(line).split()).casefold()
