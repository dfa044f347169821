"""What reading and comparing pages costs, as multiples of a bare parse of the same pages by Lexbor (P, one core).

Run: ``python benchmarks/compare.py [PAGES]``, with scikit-learn installed for the last row. Every figure is the least of
several turns in one run; memory is measured in processes of their own.
"""

from __future__ import annotations

import resource
import subprocess
import sys
import time
from collections.abc import Callable
from importlib.util import find_spec

import numpy as np
from selectolax.lexbor import LexborHTMLParser
from sites import Site
from timing import TURNS, least

from mardok.compare.accounting import account
from mardok.compare.copies import all_pairs, find_copies
from mardok.compare.join import contained_pairs, shingle_sets, shingles_of_several
from mardok.compare.passages import passages_of
from mardok.compare.phrases import phrases_of
from mardok.compare.relations import PageSets, Relations, Traits, page_sets, relations_of
from mardok.compare.runs import repeated_runs
from mardok.extract.extraction import extract_batches
from mardok.settings import Settings
from mardok.sources.raw import RawPage
from mardok.text.hashes import Corpus, corpus_of, word_hashes
from mardok.text.stems import stemmed
from mardok.text.words import folded

_PARSED = 3000
_FEW = 10_000
"""Pages of the site that larger ones are measured against."""


def related(pages: PageSets, corpus: Corpus, minimum: float) -> Relations:
    """The relations of pages, as an audit takes them, from a least resemblance on; without containment."""
    n = corpus.n_texts
    traits = Traits(np.zeros(n, np.int64), np.arange(n), np.ones(n, bool), 0.85)
    rules = {"resemblance": minimum, "containment_words": 10**9}
    return relations_of(pages, corpus, traits, Settings().pairs.model_copy(update=rules))


def by_vectorizer(texts: list[str], minimum: float) -> int:
    """Pairs by scikit-learn's hashed shingles and a blocked sparse product; how many there are."""
    from sklearn.feature_extraction.text import HashingVectorizer

    made = HashingVectorizer(ngram_range=(3, 3), binary=True, norm=None, alternate_sign=False, n_features=2**22)
    matrix = made.transform(texts).astype(np.float32)
    sizes, transposed, found = np.diff(matrix.indptr), matrix.T.tocsr(), 0
    for first in range(0, len(texts), 256):
        product = (matrix[first : first + 256] @ transposed).tocoo()
        a, b = product.row + first, product.col
        found += int((product.data / (sizes[a] + sizes[b] - product.data) >= minimum).sum()) - min(256, len(texts) - first)
    return found // 2


def grown(n_pages: int, minimum: float) -> tuple[float, float]:
    """How many times as much the join of a site costs a page as that of 10,000; and peak gigabytes, input included."""
    call = [sys.executable, __file__, "join", str(n_pages), str(minimum)]
    done = subprocess.run(call, capture_output=True, text=True, check=True)
    seconds, of_few, gigabytes = map(float, done.stdout.split())
    return seconds / n_pages / (of_few / _FEW), gigabytes


def wording_alone(n_pages: int) -> None:
    """Count the phrases and passages of a site, and print seconds of each and gigabytes."""
    corpus = corpus_of(map(folded, Site(n_pages).texts()))
    everyone = np.ones(n_pages, bool)
    begun = time.perf_counter()
    phrases_of(
        stemmed(corpus, ["en"] * n_pages, ()), everyone, ~everyone, range(2, 5), Settings().phrases.least_uses(n_pages)
    )
    counted = time.perf_counter()
    passages_of(repeated_runs(corpus, everyone), n_pages)
    done = time.perf_counter()
    print(counted - begun, done - counted, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6)


def join_alone(n_pages: int, minimum: float) -> None:
    """Join a site and print seconds, those of a site of 10,000 pages, and gigabytes."""

    def joined(n: int) -> Callable[[], object]:
        corpus = corpus_of(map(folded, Site(n).texts()))
        pages = page_sets(corpus, np.arange(n))
        return lambda: related(pages, corpus, minimum)

    many = joined(n_pages)
    many()
    gigabytes = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    few = joined(_FEW)
    # In turns, since the speed of a machine changes.
    times = [(least(many, 1), least(few, 3)) for _ in range(3)]
    print(*map(min, zip(*times, strict=True)), gigabytes)


def main() -> None:
    """Measure and print."""
    if sys.argv[1:2] == ["join"]:
        join_alone(int(sys.argv[2]), float(sys.argv[3]))
        return
    if sys.argv[1:2] == ["wording"]:
        wording_alone(int(sys.argv[2]))
        return
    n_pages = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    site, settings = Site(n_pages), Settings()
    numbers = range(n_pages // 10, n_pages // 10 + _PARSED)
    header = (("content-type", "text/html; charset=utf-8"),)
    raws = [RawPage(site.url(n), "site", 200, header, site.html(n).encode()) for n in numbers]
    # Each turn takes pages of its own: a page read for the second time is known in part.
    turns = [raws[first::TURNS] for first in range(TURNS)]
    texts = list(site.texts())
    some = texts[n_pages // 10 : n_pages // 10 + _PARSED]
    other = [text.replace("e", "\u00e9") for text in some]

    parse = min(least(lambda part=part: [LexborHTMLParser(raw.body) for raw in part], 1) / len(part) for part in turns)
    size = len(raws[0].body or b"")
    print(f"{n_pages} pages; P is {parse * 1e6:.0f} microseconds a page of {size / 1000:.0f} KB")

    def row(what: str, seconds: float, pages: int) -> None:
        print(f"{what:58} {seconds / pages / parse:6.2f} P")

    # As an audit reads them: what was read of a page is packed with that of others, and not kept as objects.
    read = min(least(lambda part=part: list(extract_batches(part, settings)), 1) / len(part) for part in turns)
    row("parse and all fields, packed", read, 1)
    row("words from text, ASCII", least(lambda: word_hashes(map(folded, some))), len(some))
    row("words from text, other", least(lambda: word_hashes(map(folded, other))), len(other))
    corpus = corpus_of(map(folded, texts))
    row("shingles and their sets", least(lambda: shingle_sets(corpus.words, corpus.offsets)), n_pages)
    pages = page_sets(corpus, np.arange(n_pages))
    for minimum in (0.8, 0.5):
        row(f"join at {minimum}", least(lambda m=minimum: related(pages, corpus, m)), n_pages)  # type: ignore[misc]
    everyone, nowhere, is_counted = np.arange(n_pages), np.zeros(n_pages, np.int64), np.ones(n_pages, bool)
    runs = repeated_runs(corpus, is_counted)
    row("runs of eight words on two pages or more", least(lambda: repeated_runs(corpus, is_counted)), n_pages)
    row("passages", least(lambda: passages_of(runs, n_pages)), n_pages)
    row(
        "words accounted for",
        least(lambda: account(corpus, runs, is_counted, everyone, nowhere, nowhere[:0], settings.boilerplate)),
        n_pages,
    )
    fewest = settings.phrases.least_uses(n_pages)
    begun = time.perf_counter()
    stems = stemmed(corpus, ["en"] * n_pages, ())  # once: a word is stemmed only when it is new
    row("stems", time.perf_counter() - begun, n_pages)
    row("phrases of 2 to 4 words", least(lambda: phrases_of(stems, is_counted, ~is_counted, range(2, 5), fewest)), n_pages)
    several = shingles_of_several(pages.sets)
    inside = least(lambda: contained_pairs(pages.sets, several, np.arange(n_pages), 0.8, 0.5, 20))
    row("containment from 0.8, after the join", inside, n_pages)
    for minimum in (0.8, 0.5):
        growth, gigabytes = grown(100_000, minimum)
        print(f"100,000 pages at {minimum}: {growth:.2f} times the cost a page of 10,000; {gigabytes * 10:.0f} KB a page")
    call = [sys.executable, __file__, "wording", "100000"]
    done = subprocess.run(call, capture_output=True, text=True, check=True)
    phrases, passages, gigabytes = map(float, done.stdout.split())
    costs = f"phrases of 2 to 4 words {phrases / 100_000 / parse:.2f} P, passages {passages / 100_000 / parse:.2f} P"
    print(f"100,000 pages: {costs}, {gigabytes:.1f} GB")
    if find_spec("sklearn") is None:
        print("scikit-learn is not installed: no comparison with its vectorizer")
        return
    theirs = least(lambda: by_vectorizer(texts, 0.8), 2)
    hashed = word_hashes(map(folded, texts))
    for start, work in (
        ("text", lambda: find_copies(texts, minimum=0.8)),
        ("words", lambda: all_pairs(shingle_sets(*hashed), 0.8)),
        ("sets of shingles", lambda: all_pairs(pages.sets, 0.8)),
    ):
        print(f"{n_pages} pages at 0.8, from {start}: scikit-learn takes {theirs / least(work):.0f} times as long")


if __name__ == "__main__":
    main()
