"""What is hard for comparing pages, and how it grows: seconds and memory of a process of its own, from texts to relations.

Run: ``python benchmarks/growth.py``. Each case is taken at a fifth of its size and at its size.
"""

from __future__ import annotations

import random
import resource
import subprocess
import sys
import time
from collections.abc import Callable, Iterator

import numpy as np

from mardok.compare.relations import Traits, page_sets, relations_of
from mardok.settings import Settings
from mardok.text.hashes import corpus_of


def _family(n_pages: int) -> Iterator[str]:
    chance = random.Random(1)
    words = [f"word{number}" for number in range(5000)]
    pasted = chance.choices(words, k=400)
    for _ in range(n_pages):
        yield " ".join(chance.choice(words) if chance.random() < 0.03 else word for word in pasted)


def _short(n_pages: int, vocabulary: int) -> Iterator[str]:
    chance = random.Random(1)
    words = [f"word{number}" for number in range(vocabulary)]
    for _ in range(n_pages):
        yield " ".join(chance.choices(words, k=10))


def _long(n_words: int) -> Iterator[str]:
    chance = random.Random(1)
    words = [f"word{number}" for number in range(30_000)]
    yield " ".join(chance.choices(words, k=n_words))
    yield "a short page that stands beside it"


CASES: dict[str, tuple[int, Callable[[int], Iterator[str]]]] = {
    "near-identical pages": (20_000, _family),
    "pages with one text": (100_000, lambda n: (" ".join(f"word{k}" for k in range(400)) for _ in range(n))),
    "empty pages": (100_000, lambda n: ("" for _ in range(n))),
    "pages of ten words, large vocabulary": (50_000, lambda n: _short(n, 50_000)),
    "pages of ten words, small vocabulary": (50_000, lambda n: _short(n, 50)),
    "words of one page": (10_000_000, _long),
}


def find_copy_groups(case: str, size: int) -> None:
    """Relate the pages of a case, and print seconds and gigabytes."""
    texts = list(CASES[case][1](size))
    number = {text: code for code, text in enumerate(dict.fromkeys(texts))}
    same = np.array([number[text] for text in texts], np.int64)
    begun = time.perf_counter()
    corpus = corpus_of(texts)
    pages = page_sets(corpus, np.arange(len(texts)))
    traits = Traits(np.zeros(len(texts), np.int64), same, corpus.n_words >= Settings().copies.minimum_words, 0.85)
    relations_of(pages, corpus, traits, Settings().pairs)
    print(time.perf_counter() - begun, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6)


def main() -> None:
    """Measure and print."""
    if len(sys.argv) == 3:
        find_copy_groups(sys.argv[1], int(sys.argv[2]))
        return
    for case, (size, _) in CASES.items():
        for part in (size // 5, size):
            call = [sys.executable, __file__, case, str(part)]
            done = subprocess.run(call, capture_output=True, text=True, check=True)
            seconds, gigabytes = map(float, done.stdout.split())
            print(f"{part:>10} {case:40} {seconds:6.1f} s {gigabytes:5.1f} GB", flush=True)


if __name__ == "__main__":
    main()
