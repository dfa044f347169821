"""What it costs to tell main text from furniture, as multiples of a bare parse of the same pages by Lexbor (P, one core).

Run: ``python benchmarks/main_text.py [PAGES | FOLDER]``: a made-up site of so many pages, or a folder of HTML. All figures
are of one run, the least of several turns. "Words" are cut once for each different block, as main texts need them anyway.
"""

from __future__ import annotations

import sys
import time
from pathlib import Path

from selectolax.lexbor import LexborHTMLParser
from sites import Site
from timing import least

import mardok
from mardok.extract.extraction import extract_batches
from mardok.settings import Settings
from mardok.sources.raw import RawPage
from mardok.text.columns import columns_of
from mardok.text.hashes import corpus_of
from mardok.text.main_text import reasons_not_main
from mardok.text.site import sections_of
from mardok.text.words import folded

_BASE = "https://docs.example/"


def pages_of(what: str) -> list[RawPage]:
    """The pages of a made-up site, or of a folder."""
    if what.isdigit():
        header = (("content-type", "text/html; charset=utf-8"),)
        site = Site(int(what))
        return [RawPage(site.url(page), "made", 200, header, site.html(page).encode()) for page in range(site.n_pages)]
    files = sorted(path for path in Path(what).rglob("*") if path.suffix in (".html", ".htm"))
    return [RawPage(f"{_BASE}{path.relative_to(what)}", what, 200, (), path.read_bytes()) for path in files]


def main(what: str) -> None:
    """Measure and print."""
    raws = pages_of(what)
    n, settings = len(raws), Settings()
    decoded = [raw.body.decode("utf-8", "replace") for raw in raws if raw.body is not None]
    parse = least(lambda: [LexborHTMLParser(text) for text in decoded]) / n
    columns = columns_of(extract_batches(iter(raws), settings))
    blocks, section = columns.blocks, sections_of(columns.pages)
    words = least(lambda: corpus_of(map(folded, blocks.texts))) / n
    written = corpus_of(map(folded, blocks.texts))
    decided = least(lambda: reasons_not_main(blocks, columns.links, written, columns.pages, section, settings.text)) / n
    whole = ""
    if not what.isdigit():
        begun = time.perf_counter()
        mardok.audit(what, base=_BASE)
        audit = (time.perf_counter() - begun) / n
        whole = f"; whole audit {audit / parse:.1f} P, of which {decided / audit:.1%}"
    print(f"{what}: {n} pages, {len(blocks.at) / n:.0f} blocks a page, P {parse * 1e6:.0f} us")
    print(f"words {words / parse:.2f} P, main text against furniture {decided / parse:.2f} P{whole}")


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "5000")
