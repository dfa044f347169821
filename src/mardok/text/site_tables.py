"""The site's blocks, links, images and alternates as tables.

In:  a :class:`mardok.text.site.Site`.
Out: tables as :mod:`mardok.tables` declares them; ``page`` and ``target_page`` are rows of the pages.
"""

from __future__ import annotations

import pandas as pd

from mardok.tables import ALTERNATES, BLOCKS, IMAGES, LINKS
from mardok.text.site import Site


def site_tables(site: Site) -> dict[str, pd.DataFrame]:
    """The tables by name."""
    return {
        "blocks": BLOCKS.frame(
            (row, number, block.text, block.tag, block.place, block.level, not reason, reason)
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
