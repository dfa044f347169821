"""Which blocks of a page are its main text.

In:  the blocks of all pages with the elements they stand in and the links that cover them.
Out: for each place where a block stands why it is not main text, if it is not.

Main text is what stands in a main landmark, else in the body, without chrome. What recurs as a template does is chrome too,
see :mod:`mardok.text.furniture`. The settings ``text.only`` and ``text.ignore`` win over all that. If nothing is left of a
page, its main text is what other landmarks hold, as far as no other pages have it; a page of furniture only has none.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache, partial

import numpy as np
from numpy.typing import NDArray

from mardok.extract.batch import Numbers
from mardok.extract.page import Page
from mardok.large import Texts, counted_between, gathered, laid_down, large_empty, places_where, worked_out
from mardok.settings import Text
from mardok.sharing import begun
from mardok.text import furniture_pages as parts
from mardok.text.block_signs import BlockSigns, block_signs, carried
from mardok.text.columns import Blocks, Codes, Links
from mardok.text.elements import met_on_pages, path_codes, places_of, templates_of
from mardok.text.furniture import furniture
from mardok.text.hashes import Corpus, Ints
from mardok.text.stored_pages import MANY_PAGES
from mardok.text.words import folded
from mardok.vocabulary import BlockReason

_REASON_OF = {
    parts.MAIN: BlockReason.MAIN,
    parts.DOUBT: BlockReason.DOUBT,
    parts.MENU: BlockReason.MENU,
    parts.NAMED: BlockReason.NAMED_PART,
    parts.TEMPLATE: BlockReason.TEMPLATE,
    parts.EDGE: BlockReason.EDGE,
    parts.NOTICE: BlockReason.NOTICE,
}
"""What is said of a block that :mod:`mardok.text.furniture` has decided about."""
_FIXED = (*_REASON_OF.values(), BlockReason.OUTSIDE_MAIN, BlockReason.IGNORED, BlockReason.NOT_CHOSEN)
_MAIN, DOUBT = 0, 1
_LAST_RESORT = (
    "header", "footer", "aside", "dialog", BlockReason.NAMED_PART, BlockReason.EDGE, BlockReason.OUTSIDE_MAIN,
)  # fmt: skip
"""Reasons in spite of which a page's own text is its main text, if there is no other."""
_LONGEST_TITLE = 200
_TITLE_SHARE = 0.5
"""Share of a page's title that a block says, from which it is the title of the page."""


@dataclass(frozen=True)
class Reasons:
    """Why blocks are not main text, at each place where one stands."""

    names: tuple[str, ...]
    """The reasons; the first is ``""``: main text, the second ``doubt``: main text that may be furniture."""
    of: NDArray[np.int8]
    """Number of the reason at each place."""

    @property
    def is_main(self) -> NDArray[np.bool_]:
        """Whether the block at each place is main text."""
        return np.asarray(self.of <= DOUBT)


def reasons_not_main(
    blocks: Blocks, links: Links, written: Corpus, pages: Sequence[Page], section: NDArray[np.int64], settings: Text
) -> Reasons:
    """Why each block of a site is not main text, wherever it stands.

    Parameters
    ----------
    written : Corpus
        The words of the different texts of the blocks.
    section : ndarray of int64, shape (n_pages,)
        Equal for pages of one section.
    """
    page, at = blocks.page, blocks.at
    names = tuple(dict.fromkeys([*map(str, _FIXED), *(context.chrome for context in blocks.contexts)]))
    number = {name: code for code, name in enumerate(names)}
    of_context = np.array([number[context.chrome] for context in blocks.contexts], np.int8)

    def on_page(places: NDArray[np.bool_]) -> NDArray[np.bool_]:
        return counted_between(places, blocks.first) > 0

    # Arrays with an item for each place are most of what this takes: they lie where large arrays do.
    find_signs = partial(block_signs, blocks, links, written, settings.running_words)
    # Of a large site another process would have a copy of its own of what it finds.
    signing = (begun(find_signs) if len(pages) < MANY_PAGES else None) or find_signs
    reasons = large_empty(len(at), np.int8)
    reasons[:] = gathered(of_context[blocks.context], at) if len(at) else 0
    has_text = gathered(blocks.has_text, at)
    _release_headers(blocks, reasons, number.get("header", -1))
    in_main = gathered(blocks.where(lambda context: context.in_main), at)
    reasons[(reasons == _MAIN) & gathered(on_page(in_main & has_text & (reasons == _MAIN)), page) & ~in_main] = number[
        BlockReason.OUTSIDE_MAIN
    ]
    aside = number.get("aside", -1)
    undecided = places_where(((reasons == _MAIN) | (reasons == aside)) & has_text)
    codes = _decided(blocks, signing, pages, undecided, gathered(reasons == aside, undecided), section, settings)
    reasons[undecided] = np.array([number[_REASON_OF[code]] for code in range(len(_REASON_OF))], np.int8)[codes]
    is_ignored = gathered(blocks.where(lambda context: context.chosen == "ignore"), at)
    reasons[is_ignored] = number[BlockReason.IGNORED]
    is_chosen = gathered(blocks.where(lambda context: context.chosen == "only"), at)
    has_only = on_page(is_chosen)
    is_limited = gathered(has_only, page) & ~is_ignored
    reasons[is_limited] = np.where(is_chosen[is_limited], _MAIN, number[BlockReason.NOT_CHOSEN])
    is_empty = ~on_page((reasons <= DOUBT) & has_text) & ~has_only
    is_of_last_resort = np.array([name in _LAST_RESORT for name in names])
    last_resort = gathered(is_of_last_resort, reasons) & gathered(is_empty, page)
    reasons[last_resort & _stands_on_few(blocks, page, places_where(last_resort), settings)] = _MAIN
    return Reasons(names, reasons)


def _stands_on_few(blocks: Blocks, page: Codes, places: Ints, settings: Text) -> NDArray[np.bool_]:
    """For each place whether it is one of some whose texts stand on few pages."""
    result = np.zeros(len(page), bool)
    if not len(places):
        return result
    texts = gathered(blocks.text, blocks.at)
    asked = np.zeros(len(blocks.texts), bool)
    asked[texts[places]] = True
    kept = places_where(gathered(asked, texts))
    once = met_on_pages(gathered(page, kept), gathered(texts, kept), len(blocks.texts))
    n_with = np.bincount(once % len(blocks.texts), minlength=len(blocks.texts))
    result[places] = n_with[texts[places]] < settings.recurring_pages
    return result


def _release_headers(blocks: Blocks, reasons: NDArray[np.int8], header: int) -> None:
    """Take headers that hold the H1 of a page, which has none elsewhere, for content as far as they are no menu."""
    is_h1 = blocks.where(lambda context: context.level == 1)
    tops = places_where(gathered(is_h1 & blocks.has_text, blocks.at))
    if not len(tops) or header < 0:
        return
    page = blocks.page
    is_content = reasons[tops] == _MAIN
    has_other = np.bincount(page[tops[is_content]], minlength=len(blocks.first) - 1) > 0
    texts = blocks.text[blocks.at[tops]]
    n_with = np.bincount(texts, minlength=1)
    depth_of = np.array([_header_depth(context.path) for context in blocks.contexts], np.int16)
    joint = gathered(blocks.joint, blocks.at)
    depths = gathered(depth_of[blocks.context], blocks.at)
    for place, text in zip(tops.tolist(), texts.tolist(), strict=True):
        # A logo as H1 stands on every page.
        if reasons[place] != header or has_other[page[place]] or n_with[text] > _MOST_SAME_H1:
            continue
        depth = int(depths[place])
        start, stop = place, place + 1
        while start > blocks.first[page[place]] and joint[start] >= depth:
            start -= 1
        while stop < blocks.first[page[place] + 1] and joint[stop] >= depth:
            stop += 1
        inside = slice(start, stop)
        reasons[inside][reasons[inside] == header] = _MAIN


_MOST_SAME_H1 = 2


def _header_depth(path: str) -> int:
    """How deep in a path the first header stands; 0 if there is none."""
    labels = path.split("/")
    return next((depth for depth, label in enumerate(labels, start=1) if label.startswith("header")), 0)


def _decided(
    blocks: Blocks,
    signing: Callable[[], BlockSigns],
    pages: Sequence[Page],
    places: Ints,
    is_aside: NDArray[np.bool_],
    section: Ints,
    settings: Text,
) -> NDArray[np.int8]:
    """What the blocks at some places are, one of the constants of :mod:`mardok.text.furniture_pages`."""
    at, page = gathered(blocks.at, places), gathered(blocks.page, places)
    paths, of_context = path_codes(blocks)
    path = gathered(of_context[blocks.context], at) if len(at) else np.zeros(0, np.int32)
    joint = carried(gathered(blocks.joint, blocks.at), places)
    joint[np.concatenate([[True], page[1:] != page[:-1]])[: len(page)]] = 0
    undecided = parts.Undecided(
        page,
        at,
        path,
        laid_down(joint),
        gathered(np.array([context.level for context in blocks.contexts], np.int8)[blocks.context], at),
        gathered(blocks.where(lambda context: context.in_main), at),
        is_aside,
    )
    own_titles = _say_the_title(blocks, pages, page, at)
    places_met = places_of(paths, path, page, len(pages))
    divisions = [*map(laid_down, (section, _folders(pages), templates_of(places_met, path, page, len(pages))))]
    return furniture(undecided, signing(), places_met, divisions, own_titles, settings)


def _folders(pages: Sequence[Page]) -> Ints:
    """A number for each page, equal for those of one folder: a manual or a shelf has menus of its own."""
    number: Numbers[str] = Numbers()
    return np.array([number[page.url.partition("?")[0].rpartition("/")[0]] for page in pages], np.int64)


def _say_the_title(blocks: Blocks, pages: Sequence[Page], page: Codes, at: Codes) -> NDArray[np.bool_]:
    """Whether blocks say most of the title of their page, and nothing else."""
    titles = Texts.of(page.title for page in pages)
    long, lengths = titles.lengths, blocks.lengths

    def may_say(text: Codes, its_page: Codes) -> NDArray[np.bool_]:
        own, whole = lengths[text], long[its_page]
        return np.asarray((own > 0) & (own <= whole) & (own >= _TITLE_SHARE * whole))

    text = gathered(blocks.text, at)
    result = worked_out(may_say, np.bool_, text, page).copy()
    asked = np.flatnonzero(result)
    folded_title = lru_cache(1)(lambda row: folded(titles[row]))
    result[asked] = [
        folded(one) in folded_title(row)
        for one, row in zip(blocks.texts.some(text[asked]), page[asked].tolist(), strict=True)
    ]
    return laid_down(result)
