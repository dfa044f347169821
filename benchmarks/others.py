"""What parts of an audit cost beside other libraries that do such a thing: seconds of ours as a share of theirs, in one run.

Run: ``python benchmarks/others.py [PAGES] [TURNS]``, with lxml, datasketch, rensa and pydivsufsort installed. Medians of
turns that take one library after the other. Sites: generated pages; a class reference and a manual in 26 languages, which
are downloaded as Debian's packages; of these every seventh page and every second one are read.

- Reading: pages from bytes to their fields, in one process; by lxml title, meta and link elements, blocks with
  their element, landmark and path of classes, links with address and anchor text, images, scripts, structured data, form
  fields, words shown as code. Ours adds limits, directives and links within their block.
- Join: pairs of pages from 0.8 resemblance on, from words. MinHash takes 128 permutations and 32 bands, which find 0.99999
  of the pairs at 0.8; its pairs are not verified, and its shingles are made before the clock runs.
- Runs: runs of eight words and passages on several pages, against a suffix array (divsufsort) of all words with its longest
  common prefixes (Kasai et al. 2001), of which nothing is made.
"""

from __future__ import annotations

import json
import re
import statistics
import sys
import tempfile
import time
from collections.abc import Callable, Sequence
from itertools import islice
from pathlib import Path
from typing import Any
from urllib.parse import urljoin

import numpy as np
from cost import TREES, fetched
from sites import Site

from mardok.compare.copies import all_pairs
from mardok.compare.join import shingle_sets
from mardok.compare.passages import passages_of
from mardok.compare.runs import repeated_runs
from mardok.extract.element_context import BLOCK_TAGS
from mardok.extract.extraction import extract_page
from mardok.settings import Settings
from mardok.sources.opening import raw_pages
from mardok.sources.raw import OpenIntake, RawPage
from mardok.text.hashes import corpus_of, word_hashes
from mardok.text.words import folded

_UNSEEN = frozenset(["script", "style", "template", "noscript", "svg"])
_LANDMARKS = frozenset(["nav", "header", "footer", "aside", "main"])
_EVERY = {"class reference": 7, "manual in 26 languages": 2}


class _Tree:
    """The fields of a page, from lxml's tree."""

    def __init__(self, raw: RawPage) -> None:
        self.url = raw.url
        self.blocks: list[tuple[Any, ...]] = []
        self.texts: list[str] = []
        self.links: list[tuple[str, str, str]] = []
        self.places: list[tuple[str, str]] = [("body", "")]
        self.metas: list[dict[str, str]] = []
        self.elements: list[dict[str, str]] = []
        self.images: list[tuple[str, str | None]] = []
        self.loaded: list[str] = []
        self.types: list[Any] = []
        self.code: list[str] = []
        self.title = self.declared = ""
        self.n_fields = self.unseen = 0
        self.read(raw)

    def read(self, raw: RawPage) -> None:
        from lxml import etree, html

        for event, element in etree.iterwalk(html.document_fromstring(raw.body or b"<p>"), events=("start", "end")):
            if not isinstance(element.tag, str):
                if event == "end" and element.tail and not self.unseen:
                    self.texts.append(element.tail)
            elif event == "start":
                self.start(element)
            else:
                self.end(element)

    def end_block(self, tag: str) -> None:
        text = " ".join("".join(self.texts).split())
        if text or self.links:
            self.blocks.append((text, tag, *self.places[-1], self.links.copy()))
        self.texts.clear()
        self.links.clear()

    def start(self, element: Any) -> None:
        tag, get = element.tag, element.get
        if tag in BLOCK_TAGS:
            self.end_block(tag)
            label = ".".join([tag, *(get("class") or "").split()]) + (f"@{get('role')}" if get("role") else "")
            chrome, path = self.places[-1]
            is_hidden = get("hidden") is not None or get("aria-hidden") == "true" or "display:none" in get("style", "")
            chrome = "hidden" if is_hidden else tag if tag in _LANDMARKS else get("role") or chrome
            self.places.append((chrome, f"{path}/{label}"))
        self.unseen += tag in _UNSEEN
        if tag == "a" and get("href"):
            self.links.append(
                (urljoin(self.url, get("href")), " ".join("".join(element.itertext()).split()), get("rel", ""))
            )
        elif tag == "img":
            self.images.append((urljoin(self.url, get("src", "")), get("alt")))
        elif tag == "meta":
            self.metas.append(dict(element.attrib))
        elif tag == "link":
            self.elements.append(dict(element.attrib))
        elif tag == "title":
            self.title = self.title or " ".join((element.text or "").split())
        elif tag == "html":
            self.declared = get("lang", "")
        elif tag == "script" and get("src"):
            self.loaded.append(urljoin(self.url, get("src")))
        elif tag == "script" and "ld+json" in get("type", ""):
            self.types.append(json.loads(element.text or "{}"))
        elif tag in ("input", "select", "textarea"):
            self.n_fields += 1
        elif tag in ("code", "kbd", "samp", "tt", "var"):
            self.code += re.findall(r"[^\W\d_]{3,40}", element.text or "")
        if element.text and not self.unseen and tag != "title":
            self.texts.append(element.text)

    def end(self, element: Any) -> None:
        self.unseen -= element.tag in _UNSEEN
        if element.tag in BLOCK_TAGS:
            self.end_block(element.tag)
            self.places.pop()
        if element.tail and not self.unseen:
            self.texts.append(element.tail)


def compared(name: str, ours: Callable[[], object], theirs: Callable[[], object], turns: int) -> None:
    """Print the seconds of both, and the share."""
    spent: tuple[list[float], list[float]] = ([], [])
    for _ in range(turns):
        for work, times in zip((ours, theirs), spent, strict=True):
            begun = time.process_time()
            work()
            times.append(time.process_time() - begun)
    mine, other = map(statistics.median, spent)
    print(f"{name}: {mine:.3f} s, theirs {other:.3f} s: {mine / other:.2f}", flush=True)


def by_rust(tokens: list[list[str]]) -> int:
    """Candidates by MinHash and bands, in Rust."""
    import rensa

    known = rensa.RMinHash.from_token_sets(tokens, 128, 1)
    index = rensa.RMinHashLSH(0.8, 128, 32)
    index.insert_pairs(list(enumerate(known)))
    return sum(map(len, index.query_all(known)))


def by_datasketch(tokens: list[list[bytes]]) -> int:
    """Candidates by MinHash and bands, on numpy."""
    from datasketch import MinHash, MinHashLSH

    index = MinHashLSH(num_perm=128, params=(32, 4))
    known = MinHash.bulk(tokens, num_perm=128)
    for number, one in enumerate(known):
        index.insert(number, one)
    return sum(len(index.query(one)) for one in known)


def by_suffixes(words: np.ndarray[Any, Any]) -> int:
    """Longest common prefixes of neighbours in a suffix array."""
    from pydivsufsort import divsufsort, kasai

    order = divsufsort(words)
    return int((kasai(words, order) >= 8).sum())


def reading(name: str, pages: Sequence[RawPage], turns: int) -> None:
    """Compare how pages are read, in each turn others of them: what was read once is known."""
    settings = Settings()
    extract_page(pages[0], settings)  # loads what is loaded once
    slices = iter([pages[first::turns] for first in range(turns) for _ in range(2)])

    def read(reader: Callable[[RawPage], object]) -> None:
        for raw in next(slices):
            reader(raw)

    compared(
        f"reading {len(pages)} pages, {name}, against lxml",
        lambda: read(lambda raw: extract_page(raw, settings)),
        lambda: read(_Tree),
        turns,
    )


def main() -> None:
    """Measure and print."""
    n_pages = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    turns = int(sys.argv[2]) if len(sys.argv) > 2 else 5
    site = Site(n_pages)
    generated = [RawPage(site.url(page), "", 200, (), site.html(page).encode()) for page in range(min(n_pages, 2000))]
    reading("generated", generated, turns)
    with tempfile.TemporaryDirectory() as name:
        for tree, (package, inside) in TREES.items():
            folder = fetched(package, inside, Path(name))
            raws = raw_pages([folder], "https://www.host.example/", OpenIntake(), Settings().sources)
            reading(tree, list(islice(raws, 0, None, _EVERY[tree])), turns)
    texts = list(map(folded, site.texts()))
    words, offsets = word_hashes(texts)
    shingles = [[" ".join(own[at : at + 3]) for at in range(len(own) - 2)] for own in (text.split() for text in texts)]
    encoded = [[one.encode() for one in own] for own in shingles]

    def join() -> object:
        return all_pairs(shingle_sets(words, offsets), 0.8)

    compared(f"join of {n_pages} pages at 0.8, against MinHash in Rust", join, lambda: by_rust(shingles), turns)
    compared(f"join of {n_pages} pages at 0.8, against datasketch", join, lambda: by_datasketch(encoded), min(turns, 3))
    corpus, everyone = corpus_of(texts), np.ones(n_pages, bool)
    _, numbers = np.unique(words, return_inverse=True)
    compared(
        f"runs and passages of {n_pages} pages, against a suffix array",
        lambda: passages_of(repeated_runs(corpus, everyone), n_pages),
        lambda: by_suffixes(numbers.astype(np.int32)),
        turns,
    )


if __name__ == "__main__":
    main()
