"""Pages without words of their own.

In:  the pages with what was read of them and their main texts.
Out: for each page why it is empty, if it is.

An empty page is broken, and nothing else: it is no copy of other empty pages, and not thin.
"""

from __future__ import annotations

import numpy as np

from mardok.text.site import Site

FRAME, FURNITURE, NO_TEXT = "frame", "furniture", "no text"
"""It shows another document only; the template's text only; no text at all."""
MEANINGS = {
    FRAME: "all it shows is another document, in a frame",
    FURNITURE: "all its text is furniture of the template",
    NO_TEXT: "it has no text; a script may write it (mardok crawl --render tells)",
}


def emptiness(site: Site) -> list[str]:
    """Why each page is empty, ``""`` for those that are not or that are no HTML pages which answered."""
    has_text = np.bincount(site.blocks.page[site.blocks.has_text[site.blocks.at]], minlength=len(site.pages)) > 0
    found = [""] * len(site.pages)
    for row in np.flatnonzero(site.corpus.n_words == 0).tolist():
        page = site.pages[row]
        if page.bytes_hash and page.status in (None, 200) and not page.redirect_url and not page.trouble:
            found[row] = FRAME if page.signs.n_frames else FURNITURE if has_text[row] else NO_TEXT
    return found
