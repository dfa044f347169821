"""The site's blocks, links, images and alternates as tables.

In:  a :class:`mardok.text.site.Site`.
Out: tables as :mod:`mardok.tables` declares them; ``page`` and ``target_page`` are rows of the pages.
"""

from __future__ import annotations

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.tables import ALTERNATES, BLOCKS, IMAGES, LINKS
from mardok.text.site import Site


def site_tables(site: Site, is_boilerplate: NDArray[np.bool_]) -> dict[str, pd.DataFrame]:
    """The tables by name.

    Parameters
    ----------
    is_boilerplate : ndarray of bool
        For each block of the corpus, which are the blocks of main text, whether it is boilerplate.
    """
    blocks, links, images = site.blocks, site.links, site.images
    is_main = (site.reasons == "").astype(bool)
    reasons = site.reasons.copy()
    reasons[is_main] = np.where(is_boilerplate, "boilerplate", "")
    at = np.lexsort((links.start, links.block, links.page))
    return {
        "blocks": BLOCKS.frame(
            {
                "page": blocks.page,
                "block": np.arange(len(blocks.text)) - np.repeat(blocks.first[:-1], np.diff(blocks.first)),
                "text": blocks.text,
                "tag": blocks.tag,
                "place": blocks.place,
                "level": blocks.level,
                "main": is_main,
                "reason": reasons,
            }
        ),
        "links": LINKS.frame(
            {
                "page": links.page[at],
                "block": links.block[at],
                "start": links.start[at],
                "end": links.end[at],
                "url": links.urls[links.url[at]],
                "target_page": site.link_targets[at],
                "anchor": links.anchor[at],
                "rel": links.rel[at],
                "chrome": site.chrome_links[at],
            }
        ),
        "images": IMAGES.frame({"page": images.page, "url": images.url, "alt": images.alt, "has_alt": images.has_alt}),
        "alternates": ALTERNATES.frame(
            (row, hreflang, url, site.row_of.get(url, -1))
            for row, page in enumerate(site.pages)
            for hreflang, url in page.alternates
        ),
    }
