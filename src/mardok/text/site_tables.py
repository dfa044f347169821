"""The site's blocks, links, images and alternates as tables.

In:  a :class:`mardok.text.site.Site`.
Out: tables as :mod:`mardok.tables` declares them; ``page`` and ``target_page`` are rows of the pages.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.extract.page import Context
from mardok.memory import give_back_memory
from mardok.tables import ALTERNATES, BLOCKS, IMAGES, LINKS, Recurring
from mardok.text.columns import Blocks, Codes
from mardok.text.site import SiteBlocks


def site_tables(site: SiteBlocks, is_boilerplate: NDArray[np.bool_]) -> dict[str, pd.DataFrame]:
    """The tables by name.

    Parameters
    ----------
    is_boilerplate : ndarray of bool
        For each block of the corpus, which are the blocks of main text, whether it is boilerplate.
    """
    images = site.images
    # Each is large, and what is needed to make it is as large again.
    blocks = _blocks_table(site, is_boilerplate)
    give_back_memory()
    links = _links_table(site)
    give_back_memory()
    return {
        "blocks": blocks,
        "links": links,
        "images": IMAGES.frame(
            {
                "page": images.page,
                "url": Recurring(images.url, images.urls),
                "alt": Recurring(images.alt, images.alts),
                "has_alt": images.has_alt,
            }
        ),
        "alternates": ALTERNATES.frame(
            (row, hreflang, url, site.row_of.get(url, -1))
            for row, page in enumerate(site.pages)
            for hreflang, url in page.alternates
        ),
    }


def _blocks_table(site: SiteBlocks, is_boilerplate: NDArray[np.bool_]) -> pd.DataFrame:
    blocks = site.blocks
    shown = np.flatnonzero(blocks.has_text[blocks.at])
    at = blocks.at[shown]
    reasons = site.reasons.of.copy()
    reasons[np.flatnonzero(site.main_places)[is_boilerplate]] = len(site.reasons.names)
    return BLOCKS.frame(
        {
            "page": blocks.page[shown],
            "block": numbers_in_page(blocks)[shown],
            "text": Recurring(blocks.text[at], blocks.texts),
            "tag": _context_column(blocks, at, lambda context: context.tag),
            "place": _context_column(blocks, at, lambda context: context.place),
            "level": np.array([context.level for context in blocks.contexts], np.int32)[blocks.context[at]],
            "main": site.main_places[shown],
            "reason": Recurring(reasons[shown], (*site.reasons.names, "boilerplate")),
        }
    )


def _links_table(site: SiteBlocks) -> pd.DataFrame:
    blocks, links = site.blocks, site.links
    block = np.where(blocks.has_text[blocks.at], numbers_in_page(blocks), np.int32(-1))[links.place]
    # They stand in the order of the table, but for those without text, which come first on their page.
    is_in_text = block >= 0
    order: Codes | slice = slice(None)
    if not is_in_text.all():
        order = np.argsort(links.page * np.int64(2) + is_in_text, kind="stable").astype(np.int32)
    at = links.at[order]
    return LINKS.frame(
        {
            "page": links.page[order],
            "block": block[order],
            "start": links.start[at],
            "end": links.end[at],
            "url": Recurring(links.url[at], links.urls),
            "target_page": site.link_targets[order],
            "anchor": Recurring(links.anchor[at], links.anchors),
            "rel": Recurring(links.rel[at], links.rels),
            "chrome": site.chrome_links[order],
        }
    )


def numbers_in_page(blocks: Blocks) -> Codes:
    """The number of the block at each place among those of its page that have text."""
    before = np.cumsum(blocks.has_text[blocks.at], dtype=np.int32) - np.int32(1)
    at_begin = np.concatenate([np.zeros(1, np.int32), before + np.int32(1)])[blocks.first[:-1]]
    return np.asarray(before - np.repeat(at_begin, np.diff(blocks.first)), np.int32)


def _context_column(blocks: Blocks, at: Codes, what: Callable[[Context], str]) -> Recurring:
    names, number = np.unique([what(context) for context in blocks.contexts], return_inverse=True)
    return Recurring(number.astype(np.int8)[blocks.context[at]], names.tolist())
