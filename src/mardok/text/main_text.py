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

from mardok.extract.state import NOTICE
from mardok.settings import Text
from mardok.text.columns import Blocks, Codes
from mardok.text.distinct import distinct, first_of_equal

_MENU_BLOCKS = 2
_LABELS = ("th", "dt")
"""Tags whose text names what stands beside it, even where every such name is a link to its explanation."""
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


def reasons_not_main(blocks: Blocks, section: NDArray[np.int64], settings: Text) -> Reasons:
    """Why each block of a site is not main text, wherever it stands.

    Parameters
    ----------
    section : ndarray of int64, shape (n_pages,)
        Equal for pages of one section.
    """
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
    like = _like_furniture(blocks, settings)
    furniture = np.where(_recurring(blocks, page, like, section, settings), like, _MAIN).astype(np.int8)[at]
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
    two of its blocks are, and half of all, and none is longer than a title.
    """
    n_menus = np.concatenate([np.zeros(1, np.int64), np.cumsum(reasons == _MENU)])[blocks.first]
    is_heading = blocks.where(lambda context: context.level > 0)
    lengths = blocks.lengths[blocks.text]
    for page in np.flatnonzero(np.diff(n_menus) >= _MENU_BLOCKS):
        start, stop = int(blocks.first[page]), int(blocks.first[page + 1])
        places = [place for place in range(start, stop) if lengths[blocks.at[place]]]
        remnants: set[int] = set()
        for run in (places, places[::-1]):
            n_marked = end = 0
            for length, place in enumerate(run, start=1):
                if reasons[place] not in (_MAIN, _MENU) or lengths[blocks.at[place]] > _TITLE_LENGTH:
                    break
                n_marked += bool(reasons[place] == _MENU)
                if reasons[place] == _MENU and n_marked >= _MENU_BLOCKS and 2 * n_marked >= length:
                    end = length
            remnants.update(place for place in run[:end] if reasons[place] == _MAIN and not is_heading[blocks.at[place]])
        if len(remnants) < np.count_nonzero(reasons[places] == _MAIN):  # a page is not left without any text
            reasons[np.array(sorted(remnants), np.int64)] = _MENU


def _like_furniture(blocks: Blocks, settings: Text) -> NDArray[np.int8]:
    """What each block looks like: a menu where links cover it, the notice it calls itself, or nothing known."""
    found = np.where(blocks.where(lambda context: context.place == NOTICE), _NOTICE, _MAIN)
    # Signs part the links of a menu, and count for nothing.
    is_links = (blocks.n_letters > 0) & (blocks.n_linked_letters >= settings.menu_link_share * blocks.n_letters)
    is_links &= ~blocks.where(lambda context: context.tag in _LABELS)
    return np.where(is_links, _MENU, found).astype(np.int8)


def _recurring(
    blocks: Blocks, page: Codes, like: NDArray[np.int8], section: NDArray[np.int64], settings: Text
) -> NDArray[np.bool_]:
    """Blocks like furniture whose text stands in such blocks of many pages of the site, or of a section."""
    n_pages, n_texts = max(len(section), 1), len(blocks.texts)
    is_like = (like != _MAIN)[blocks.at]
    once = distinct(blocks.text[blocks.at[is_like]].astype(np.int64) * n_pages + page[is_like])
    text, its_page = once // n_pages, once % n_pages

    is_usual = np.bincount(text, minlength=n_texts) >= max(settings.menu_pages, settings.menu_page_share * len(section))
    sizes = np.bincount(section, minlength=1)
    placed = np.sort(text * len(sizes) + section[its_page])
    begins = np.flatnonzero(first_of_equal(placed))
    its_text, its_section = placed[begins] // len(sizes), placed[begins] % len(sizes)
    least = np.maximum(settings.menu_pages, settings.menu_section_share * sizes[its_section])
    is_usual[its_text[np.diff(begins, append=len(placed)) >= least]] = True
    return np.asarray(is_usual[blocks.text] & (like != _MAIN))
