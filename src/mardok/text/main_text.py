"""Which blocks of a page are its main text.

In:  the blocks of all pages with the landmarks they stand in and the links that cover them.
Out: for each block why it is not main text, ``""`` if it is.

Main text is what stands in a main landmark, else in the body, without chrome. What looks like furniture and stands on many
pages is chrome too: menus and notices outside the landmarks. Neither half is enough: a list of links may be what a page is
for, and a pasted description stands on many pages. The settings ``text.only`` and ``text.ignore`` win over all that. If
nothing is left of a page, its main text is the body without navigation.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from mardok.extract.html import NOTICE
from mardok.settings import Text
from mardok.text.columns import Blocks, Links, Strings

_MENU_BLOCKS = 3
_TITLE_LENGTH = 100
"""Characters of the longest block that may be a title in a menu."""
_NEVER_MAIN = ("nav", "hidden", "noscript", "form control", "menu", NOTICE)


def reasons_not_main(blocks: Blocks, links: Links, settings: Text) -> Strings:
    """Why each block of a site is not main text; ``""`` for those that are."""
    page, n_pages = blocks.page, len(blocks.first) - 1
    reasons = blocks.chrome.copy()
    has_main = np.bincount(page[blocks.in_main], minlength=n_pages) > 0
    reasons[(reasons == "") & has_main[page] & ~blocks.in_main] = "outside main"
    like = _like_furniture(blocks, links, settings)
    furniture = _recurring(blocks, page, like, n_pages, settings)
    is_furniture = furniture & (reasons == "")
    reasons[is_furniture] = like[is_furniture]
    _take_up_remnants(blocks, reasons)
    is_ignored = blocks.chosen == "ignore"
    reasons[is_ignored] = "in text.ignore"
    has_only = np.bincount(page[blocks.chosen == "only"], minlength=n_pages) > 0
    is_limited = has_only[page] & ~is_ignored
    reasons[is_limited] = np.where(blocks.chosen[is_limited] == "only", "", "not in text.only")
    is_empty = np.bincount(page[reasons == ""], minlength=n_pages) == 0
    is_fallback = (is_empty & ~has_only)[page] & ~is_ignored & ~np.isin(reasons.astype(str), _NEVER_MAIN)
    reasons[is_fallback] = ""
    return reasons


def _take_up_remnants(blocks: Blocks, reasons: Strings) -> None:
    """Mark what is left of menus at either end of a page: short blocks among those of a menu, such as a neighbour's title.

    The words of a menu recur, the titles it names do not. A run of blocks from the first or last of a page on is a menu if
    three of its blocks are, and half of all, and none is longer than a title.
    """
    is_menu = (reasons == "menu").astype(bool)
    n_menus = np.concatenate([np.zeros(1, np.int64), np.cumsum(is_menu)])[blocks.first]
    for page in np.flatnonzero(np.diff(n_menus) >= _MENU_BLOCKS):
        start, stop = int(blocks.first[page]), int(blocks.first[page + 1])
        remnants: list[int] = []
        for run in (range(start, stop), range(stop - 1, start - 1, -1)):
            n_marked = end = 0
            for length, block in enumerate(run, start=1):
                if reasons[block] not in ("", "menu") or len(blocks.text[block]) > _TITLE_LENGTH:
                    break
                n_marked += bool(is_menu[block])
                if is_menu[block] and n_marked >= _MENU_BLOCKS and 2 * n_marked >= length:
                    end = length
            remnants += [block for block in run[:end] if not reasons[block] and blocks.level[block] != 1]
        if len(set(remnants)) < np.count_nonzero(reasons[start:stop] == ""):  # a page is not left without any text
            reasons[remnants] = "menu"


def _like_furniture(blocks: Blocks, links: Links, settings: Text) -> Strings:
    """What each block looks like: ``menu`` where links cover it, the notice it calls itself, or ``""``."""
    n_blocks = len(blocks.text)
    in_block = links.block >= 0
    at = blocks.first[links.page[in_block]] + links.block[in_block]
    covered = np.bincount(at, (links.end - links.start)[in_block], minlength=n_blocks)
    lengths = np.fromiter(map(len, blocks.text), np.int64, n_blocks)
    has_link = np.zeros(n_blocks, bool)
    has_link[at] = True
    found = np.where(blocks.place == NOTICE, NOTICE, "").astype(object)
    found[has_link & (covered >= settings.menu_link_share * lengths)] = "menu"
    return found


def _recurring(blocks: Blocks, page: NDArray[np.int64], like: Strings, n_pages: int, settings: Text) -> NDArray[np.bool_]:
    """Blocks like furniture whose text stands in such blocks of many pages."""
    candidates = np.flatnonzero(like != "")
    number: dict[str, int] = {}
    texts = np.fromiter(
        (number.setdefault(text, len(number)) for text in blocks.text[candidates]), np.int64, len(candidates)
    )
    once = np.unique(texts * n_pages + page[candidates]) // max(n_pages, 1)
    least = max(settings.menu_pages, settings.menu_page_share * n_pages)
    is_usual = np.bincount(once, minlength=len(number)) >= least
    found = np.zeros(len(like), bool)
    found[candidates] = is_usual[texts]
    return found
