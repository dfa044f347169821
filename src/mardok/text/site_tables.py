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
        For each block of the corpus whether it is boilerplate.
    """
    of_main_blocks = iter(is_boilerplate.tolist())

    def reason_of(reason: str) -> str:
        return reason or ("boilerplate" if next(of_main_blocks) else "")

    return {
        "blocks": BLOCKS.frame(
            (row, number, block.text, block.tag, block.place, block.level, not reason, reason_of(reason))
            for row, page in enumerate(site.pages)
            for number, (block, reason) in enumerate(zip(page.blocks, site.chrome_reasons[row], strict=True))
        ),
        "links": LINKS.frame(
            (
                row, link.block, link.start, link.end, link.url, site.row_of.get(link.url, -1), link.anchor, link.rel,
                site.is_chrome_link(row, link),
            )
            for row, page in enumerate(site.pages)
            for link in page.links
        ),
        "images": IMAGES.frame(
            (row, image.url, image.alt or "", image.alt is not None)
            for row, page in enumerate(site.pages)
            for image in page.images
        ),
        "alternates": ALTERNATES.frame(
            (row, hreflang, url, site.row_of.get(url, -1))
            for row, page in enumerate(site.pages)
            for hreflang, url in page.alternates
        ),
    }  # fmt: skip
