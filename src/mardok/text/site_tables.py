"""The site's blocks, links, images and alternates as tables.

In:  a :class:`mardok.text.site.Site`.
Out: tables as :mod:`mardok.tables` declares them; ``page`` and ``target_page`` are rows of the pages. Those with many rows a
     page are made some pages at a time, and written at once.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.extract.page import Context
from mardok.kept import KeptParts, digest_of
from mardok.large import Texts, large_empty, stretches
from mardok.tables import ALTERNATES, BLOCKS, FURNITURE, IMAGES, LINKS, Recurring
from mardok.text.columns import Blocks, Codes
from mardok.text.distinct import distinct, order_of_numbers
from mardok.text.furniture_parts import furniture_table
from mardok.text.hashes import Offsets
from mardok.text.site import SiteBlocks

_ROWS_AT_ONCE = 1 << 16


def file_blocks(site: SiteBlocks, is_boilerplate: NDArray[np.bool_], kept: KeptParts) -> None:
    """Write the table of blocks.

    Parameters
    ----------
    is_boilerplate : ndarray of bool
        For each block of the corpus, which are the blocks of main text, whether it is boilerplate.
    """
    depends = {"words": kept.key_of("words"), "boilerplate": digest_of(is_boilerplate)}
    kept.file(BLOCKS, depends, lambda: _blocks_frames(site, is_boilerplate, numbers_in_page(site.blocks)))


def file_site_tables(site: SiteBlocks, kept: KeptParts) -> None:
    """Write the tables of links, images, alternates and furniture."""
    depends = {"words": kept.key_of("words")}
    kept.file(LINKS, depends, lambda: _links_frames(site, numbers_in_page(site.blocks)))
    kept.file(IMAGES, depends, lambda: _images_frames(site))
    kept.file(ALTERNATES, depends, lambda: [_alternates_table(site)])
    kept.file(FURNITURE, depends, lambda: [furniture_table(site)])


def _alternates_table(site: SiteBlocks) -> pd.DataFrame:
    return ALTERNATES.frame(
        (row, hreflang, url, site.row_of.get(url, -1))
        for row, page in enumerate(site.pages)
        for hreflang, url in page.alternates
    )


def _slices(first: Offsets) -> Iterator[slice]:
    """The items of some pages at a time, from where those of each page begin; one without any, if there are none."""
    for begin, end in stretches(first, _ROWS_AT_ONCE):
        yield slice(int(first[begin]), int(first[end]))


def _blocks_frames(site: SiteBlocks, is_boilerplate: NDArray[np.bool_], numbers: Codes) -> Iterator[pd.DataFrame]:
    blocks, names = site.blocks, (*site.reasons.names, "boilerplate")
    level = np.array([context.level for context in blocks.contexts], np.int32)
    tags, places = (_names(blocks, what) for what in (lambda context: context.tag, lambda context: context.place))
    n_main = 0
    for part in _slices(blocks.first):
        reasons, is_main = site.reasons.of[part].copy(), site.main_places[part]
        main = np.flatnonzero(is_main)
        reasons[main[is_boilerplate[n_main : n_main + len(main)]]] = len(site.reasons.names)
        n_main += len(main)
        shown = np.flatnonzero(blocks.has_text[blocks.at[part]])
        at = blocks.at[part][shown]
        context = blocks.context[at]
        yield BLOCKS.frame(
            {
                "page": _pages(blocks.first, part)[shown],
                "block": numbers[part][shown],
                "text": Recurring(*_few(blocks.text[at], blocks.texts)),
                "tag": Recurring(tags.codes[context], tags.names),
                "place": Recurring(places.codes[context], places.names),
                "level": level[context] if len(context) else np.zeros(0, np.int32),
                "main": is_main[shown],
                "reason": Recurring(reasons[shown], names),
            }
        )


def _links_frames(site: SiteBlocks, numbers: Codes) -> Iterator[pd.DataFrame]:
    blocks, links = site.blocks, site.links
    first = np.searchsorted(links.page, np.arange(len(blocks.first)))
    for part in _slices(first):
        page, place = links.page[part], links.place[part]
        block = np.where(blocks.has_text[blocks.at[place]], numbers[place], np.int32(-1))
        # They stand in the order of the table, but for those without text, which come first on their page.
        is_in_text = block >= 0
        order: Codes | slice = slice(None)
        if not is_in_text.all():
            order = order_of_numbers(page * np.int64(2) + is_in_text)[0].astype(np.int32)
        at = links.at[part][order]
        yield LINKS.frame(
            {
                "page": page[order],
                "block": block[order],
                "start": links.start[at],
                "end": links.end[at],
                "url": Recurring(*_few(links.url[at], links.urls)),
                "target_page": site.link_targets[part][order],
                "anchor": Recurring(*_few(links.anchor[at], links.anchors)),
                "rel": Recurring(*_few(links.rel[at], links.rels)),
                "chrome": site.chrome_links[part][order],
            }
        )


def _images_frames(site: SiteBlocks) -> Iterator[pd.DataFrame]:
    images = site.images
    for part in _slices(np.searchsorted(images.page, np.arange(len(site.pages) + 1))):
        yield IMAGES.frame(
            {
                "page": images.page[part],
                "url": Recurring(*_few(images.url[part], images.urls)),
                "alt": Recurring(*_few(images.alt[part], images.alts)),
                "has_alt": images.has_alt[part],
            }
        )


def _few(codes: Codes, names: Texts) -> tuple[Codes, Texts]:
    """Numbers of names, and the names, without those that no number is of."""
    used = distinct(codes)
    return np.searchsorted(used, codes).astype(np.int32), names.selected(used.astype(np.int64))


def _pages(first: Offsets, part: slice) -> Codes:
    """The page of each item of some pages."""
    begin, end = np.searchsorted(first, [part.start, part.stop], side="right") - 1
    ends = np.append(np.maximum(first[begin : end + 1], part.start), part.stop)
    return np.repeat(np.arange(begin, end + 1, dtype=np.int32), np.diff(ends))


def numbers_in_page(blocks: Blocks) -> Codes:
    """The number of the block at each place among those of its page that have text."""
    result = large_empty(len(blocks.at), np.int32)
    for begin, end in stretches(blocks.first, _ROWS_AT_ONCE):
        first = blocks.first[begin : end + 1]
        n_texts = np.cumsum(blocks.has_text[blocks.at[first[0] : first[-1]]], dtype=np.int32)
        of_earlier = np.concatenate([np.zeros(1, np.int32), n_texts])[first[:-1] - first[0]]
        result[first[0] : first[-1]] = n_texts - np.repeat(of_earlier, np.diff(first)) - 1
    return result


def _names(blocks: Blocks, what: Callable[[Context], str]) -> Recurring:
    """What is true of each context."""
    names, number = np.unique([what(context) for context in blocks.contexts], return_inverse=True)
    return Recurring(number.astype(np.int32), names.tolist())
