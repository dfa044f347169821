"""Which blocks of a page are its main text.

In:  the blocks of all pages with the landmarks they stand in and the links that cover them.
Out: for each place where a block stands why it is not main text, if it is not.

Main text is what stands in a main landmark, else in the body, without chrome. What looks like furniture and stands on many
pages is chrome too: menus and notices outside the landmarks. Neither half is enough: a list of links may be what a page is
for, and a pasted description stands on many pages. The settings ``text.only`` and ``text.ignore`` win over all that. If
nothing is left of a page, its main text is the body without navigation.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.extract.html import NOTICE
from mardok.settings import Text
from mardok.text.columns import Blocks, Codes, Links
from mardok.text.distinct import distinct

_MENU_BLOCKS = 3
_TITLE_LENGTH = 100
"""Characters of the longest block that may be a title in a menu."""
_NEVER_MAIN = ("nav", "hidden", "noscript", "form control", "menu", NOTICE)
_FIXED = ("", "outside main", "menu", NOTICE, "in text.ignore", "not in text.only")
_MAIN, _OUTSIDE_MAIN, _MENU, _NOTICE, _IGNORED, _NOT_ONLY = range(len(_FIXED))


@dataclass(frozen=True)
class Reasons:
    """Why blocks are not main text, at each place where one stands."""

    names: tuple[str, ...]
    """The reasons; the first is ``""``: main text."""
    of: NDArray[np.int8]
    """Number of the reason at each place."""

    @property
    def is_main(self) -> NDArray[np.bool_]:
        """Whether the block at each place is main text."""
        return np.asarray(self.of == _MAIN)


def reasons_not_main(blocks: Blocks, links: Links, settings: Text) -> Reasons:
    """Why each block of a site is not main text, wherever it stands."""
    page, n_pages, at = blocks.page, len(blocks.first) - 1, blocks.at
    names = tuple(dict.fromkeys([*_FIXED, *(context.chrome for context in blocks.contexts)]))
    number = {name: code for code, name in enumerate(names)}
    of_context = np.array([number[context.chrome] for context in blocks.contexts], np.int8)

    def on_page(places: NDArray[np.bool_]) -> NDArray[np.bool_]:
        return np.bincount(page[places], minlength=n_pages) > 0

    reasons = of_context[blocks.context][at] if len(at) else np.zeros(0, np.int8)
    has_text = blocks.has_text[at]
    in_main = blocks.where(lambda context: context.in_main)[at]
    reasons[(reasons == _MAIN) & on_page(in_main & has_text)[page] & ~in_main] = _OUTSIDE_MAIN
    like = _like_furniture(blocks, links, settings)
    furniture = np.where(_recurring(blocks, page, like, n_pages, settings), like, _MAIN).astype(np.int8)[at]
    is_furniture = (furniture != _MAIN) & (reasons == _MAIN)
    reasons[is_furniture] = furniture[is_furniture]
    _take_up_remnants(blocks, reasons)
    is_ignored = blocks.where(lambda context: context.chosen == "ignore")[at]
    reasons[is_ignored] = _IGNORED
    is_chosen = blocks.where(lambda context: context.chosen == "only")[at]
    has_only = on_page(is_chosen)
    is_limited = has_only[page] & ~is_ignored
    reasons[is_limited] = np.where(is_chosen[is_limited], _MAIN, _NOT_ONLY)
    is_empty = ~on_page((reasons == _MAIN) & has_text)
    never = np.isin(names, _NEVER_MAIN)
    reasons[(is_empty & ~has_only)[page] & ~is_ignored & ~never[reasons]] = _MAIN
    return Reasons(names, reasons)


def _take_up_remnants(blocks: Blocks, reasons: NDArray[np.int8]) -> None:
    """Mark what is left of menus at either end of a page: short blocks among those of a menu, such as a neighbour's title.

    The words of a menu recur, the titles it names do not. A run of blocks from the first or last of a page on is a menu if
    three of its blocks are, and half of all, and none is longer than a title.
    """
    n_menus = np.concatenate([np.zeros(1, np.int64), np.cumsum(reasons == _MENU)])[blocks.first]
    is_h1 = blocks.where(lambda context: context.level == 1)
    for page in np.flatnonzero(np.diff(n_menus) >= _MENU_BLOCKS):
        start, stop = int(blocks.first[page]), int(blocks.first[page + 1])
        places = [place for place in range(start, stop) if blocks.text[blocks.at[place]]]
        remnants: set[int] = set()
        for run in (places, places[::-1]):
            n_marked = end = 0
            for length, place in enumerate(run, start=1):
                if reasons[place] not in (_MAIN, _MENU) or len(blocks.text[blocks.at[place]]) > _TITLE_LENGTH:
                    break
                n_marked += bool(reasons[place] == _MENU)
                if reasons[place] == _MENU and n_marked >= _MENU_BLOCKS and 2 * n_marked >= length:
                    end = length
            remnants.update(place for place in run[:end] if reasons[place] == _MAIN and not is_h1[blocks.at[place]])
        if len(remnants) < np.count_nonzero(reasons[places] == _MAIN):  # a page is not left without any text
            reasons[np.array(sorted(remnants), np.int64)] = _MENU


def _like_furniture(blocks: Blocks, links: Links, settings: Text) -> NDArray[np.int8]:
    """What each block looks like: a menu where links cover it, the notice it calls itself, or nothing known."""
    n_links = np.diff(links.first)
    covered = np.bincount(np.repeat(np.arange(len(n_links)), n_links), links.end - links.start, minlength=len(n_links))
    lengths = np.fromiter(map(len, blocks.text), np.int64, len(blocks.text))
    found = np.where(blocks.where(lambda context: context.place == NOTICE), _NOTICE, _MAIN)
    is_links = (n_links > 0) & (lengths > 0) & (covered >= settings.menu_link_share * lengths)
    return np.where(is_links, _MENU, found).astype(np.int8)


def _recurring(blocks: Blocks, page: Codes, like: NDArray[np.int8], n_pages: int, settings: Text) -> NDArray[np.bool_]:
    """Blocks like furniture whose text stands in such blocks of many pages."""
    number: dict[str, int] = {}
    candidates = np.flatnonzero(like != _MAIN)
    text = np.full(len(blocks.text), -1, np.int64)
    text[candidates] = [number.setdefault(blocks.text[block], len(number)) for block in candidates.tolist()]
    placed = text[blocks.at]
    once = distinct(placed[placed >= 0] * n_pages + page[placed >= 0]) // max(n_pages, 1)
    least = max(settings.menu_pages, settings.menu_page_share * n_pages)
    is_usual = np.append(np.bincount(once, minlength=len(number)) >= least, False)
    return np.asarray(is_usual[text])
