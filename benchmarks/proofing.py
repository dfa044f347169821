"""What proofreading costs beside reading: seconds of a processor, child processes included, and memory.

Run: ``python benchmarks/proofing.py [PAGES]``, by default 100,000 pages. Words are those of the system's British dictionary
(Debian: hunspell-en-gb), one in fifty a term that no dictionary knows, one in two thousand misspelt, one in five hundred a
figure. The base is reading the same pages: from the WARC file to main texts, in one process.
"""

from __future__ import annotations

import random
import resource
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from sites import Site, write_warc

import mardok
from mardok.inputs import InputFiles, read_inputs
from mardok.progress import tell_nobody
from mardok.proofing.dictionary import find_dictionaries, stems_of
from mardok.proofing.job import proof_facts, proofread
from mardok.proofing.texts import texts_of_site
from mardok.settings import Settings
from mardok.text.site import site_of

_PAGES = 100_000
_TERM, _ERROR, _FIGURE = 0.02, 0.0005, 0.002


class Written(Site):
    """A site in English words, with terms, errors and figures."""

    def __init__(self, n_pages: int) -> None:
        super().__init__(n_pages, family_share=0.01)
        stems = [word for one in find_dictionaries("en") if one.name == "en_GB" for word in stems_of(one)]
        plain = sorted({word for word in stems if word.isascii() and word.islower() and word.isalpha() and len(word) > 3})
        draw = random.Random(1)
        draw.shuffle(plain)
        terms = self._words[30:]  # made of letters by chance: hardly any is a word
        chosen = [draw.choice(terms) if draw.random() < _TERM else plain[n % len(plain)] for n in range(len(terms))]
        # By chance the articles would stand before the wrong words all the time.
        self._words = [{"a": "its", "an": "their"}.get(word, word) for word in self._words[:30]] + chosen

    def words(self, page: int) -> list[str]:
        """Words of the main text, some misspelt, some figures."""
        draw = random.Random(f"slips/{page}")
        result = super().words(page)
        for at, word in enumerate(result):
            chance = draw.random()
            if at and word == result[at - 1]:  # as nobody writes
                result[at] = "over"
            if chance < _ERROR and len(word) > 4:
                cut = draw.randrange(1, len(word))
                result[at] = word[:cut] + word[cut + 1 :]
            elif chance < _ERROR + _FIGURE:
                result[at] = str(draw.randrange(2, 90))
        return result


def spent() -> float:
    """Seconds of a processor, of this process and its children that have ended."""
    own, ended = (resource.getrusage(who) for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN))
    return own.ru_utime + own.ru_stime + ended.ru_utime + ended.ru_stime


def main() -> None:
    """Measure and print."""
    n_pages = int(sys.argv[1]) if len(sys.argv) > 1 else _PAGES
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "site.warc.gz"
        write_warc(Written(n_pages), str(path))
        settings = Settings()
        begun = spent()
        columns, _ = read_inputs(InputFiles((path,), None, (), None, None, None), settings, 1, tell_nobody)
        site = site_of(columns, settings)
        reading = spent() - begun
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
        print(f"{n_pages:,} pages, {int(site.corpus.n_words.sum()):,} words: reading {reading:.1f} s", flush=True)
        every = np.ones(len(site.pages), bool)
        for name, asked in (("slips and facts", False), ("with spelling", True)):
            begun, wall = spent(), time.monotonic()
            texts = texts_of_site(site, every, np.zeros(int(site.main_places.sum()), bool))
            chosen = mardok.read_settings(None, [f"proof.spelling={str(asked).lower()}"])
            found = proofread(texts, proof_facts(site, {}, chosen), chosen.proof)
            seconds = spent() - begun
            told = f"{len(found.tables['slips']):,} slips, {len(found.tables['unknown_words']):,} unknown words"
            ratio = f"{seconds / reading:.2f} of reading"
            print(f"{name}: {seconds:.1f} s ({time.monotonic() - wall:.1f} s by the clock), {ratio}; {told}", flush=True)
        after = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
        print(f"memory: {before:.2f} GB before, {after:.2f} GB at most", flush=True)


if __name__ == "__main__":
    main()
