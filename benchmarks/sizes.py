"""Whole audits of sites that are hard for their size, and of usual ones, in two sizes: seconds of a processor, and memory.

Run: ``python benchmarks/sizes.py [CASE ...]``. Growth is what a page takes at the larger size over that at the smaller one,
in seconds and in memory beyond what an audit of nothing takes: 1 is linear.
"""

from __future__ import annotations

import csv
import random
import resource
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

import mardok

HOST = "https://www.host.example"
TEXT = "We hire violins by the month, mend bows, and cut bridges for schools, whatever the size of the school is. " * 8
STEMS = ("bow", "violin", "cello", "maple", "spruce")
WORDS = [f"{stem}{number}{end}" for stem in STEMS for number in range(800) for end in ("", "s")]
FAMILY, LISTED = 50, 19
"""Pages of one product in a shop; articles that one list of a magazine shows."""
NOTHING_GB = 0.16
"""What an audit of nothing takes: libraries."""
_Row = tuple[str, str, str, str, str]
HEADING = ("url", "title", "text", "redirect_url", "robots")
WITH_HTML = ("url", "html")


def _empty(n: int) -> Iterator[_Row]:
    yield from ((f"{HOST}/{number}", "", "", "", "") for number in range(n))


def _identical(n: int) -> Iterator[_Row]:
    yield from ((f"{HOST}/{number}", "Hire", TEXT, "", "") for number in range(n))


def _parameters(n: int) -> Iterator[_Row]:
    yield (f"{HOST}/hire", "Hire", TEXT, "", "")
    yield from ((f"{HOST}/hire?a={number}&b={number % 7}", "Hire", TEXT, "", "") for number in range(n))


def _redirects(n: int) -> Iterator[_Row]:
    yield from ((f"{HOST}/{number}", "", "", f"{HOST}/{number + 1}", "") for number in range(n))


def _noindex(n: int) -> Iterator[_Row]:
    yield from ((f"{HOST}/{number}", f"Page {number}", f"{TEXT} {number}", "", "noindex") for number in range(n))


def _shop(n: int) -> Iterator[_Row]:
    """Products in families of fifty sizes: the same text but for twenty words."""
    for number in range(n):
        of_family, own = random.Random(number // FAMILY), random.Random(-number - 1)
        text = " ".join([*of_family.choices(WORDS, k=230), f"size {number % FAMILY}", *own.choices(WORDS, k=20)])
        name = " ".join(of_family.choices(WORDS, k=3))
        yield f"{HOST}/{number // FAMILY}/{number % FAMILY}", f"{name} size {number % FAMILY}", text, "", ""


def _magazine(n: int) -> Iterator[tuple[str, str]]:
    """Articles, and a list of every nineteen of them with the beginning of each."""
    for first in range(0, n, LISTED + 1):
        texts = {number: random.Random(number).choices(WORDS, k=250) for number in range(first + 1, first + 1 + LISTED)}
        teasers = "".join(
            f"<p><a href=/{number}>{' '.join(text[:3])}</a> {' '.join(text[:30])}" for number, text in texts.items()
        )
        yield f"{HOST}/{first}", f"<title>List {first}</title><h1>List {first}</h1>{teasers}"
        for number, text in texts.items():
            title = " ".join(text[:3])
            yield (
                f"{HOST}/{number}",
                f"<title>{title}</title><h1>{title}</h1><p>{' '.join(text)}<p><a href=/{first}>List</a>",
            )


CASES: dict[str, tuple[int, int, Callable[[int], Iterator[tuple[str, ...]]]]] = {
    "empty pages": (20_000, 100_000, _empty),
    "pages with one text": (4_000, 20_000, _identical),
    "parameters of one page": (600, 3_000, _parameters),
    "redirects in one chain": (4_000, 20_000, _redirects),
    "pages with noindex": (4_000, 20_000, _noindex),
    "shop in families of fifty": (10_000, 100_000, _shop),
    "magazine with teasers": (10_000, 100_000, _magazine),
}


def audit(case: str, size: int) -> None:
    """Audit a site and write the folder; print seconds of a processor and gigabytes."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "site.csv"
        with path.open("w", newline="") as file:
            writer = csv.writer(file)
            rows = CASES[case][2](size)
            writer.writerow(WITH_HTML if case == "magazine with teasers" else HEADING)
            writer.writerows(rows)
        mardok.audit(path).save(Path(folder) / "audit")
        used = [resource.getrusage(who) for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)]
        print(sum(one.ru_utime + one.ru_stime for one in used), used[0].ru_maxrss / 1e6)


def main() -> None:
    """Measure and print."""
    if len(sys.argv) == 3 and sys.argv[2].isdigit():
        audit(sys.argv[1], int(sys.argv[2]))
        return
    for case in sys.argv[1:] or CASES:
        seconds_of, memory_of = [], []
        for size in CASES[case][:2]:
            call = [sys.executable, __file__, case, str(size)]
            done = subprocess.run(call, capture_output=True, text=True, check=True)
            seconds, gigabytes = map(float, done.stdout.split())
            seconds_of.append(seconds / size)
            memory_of.append((gigabytes - NOTHING_GB) / size)
            print(f"{size:>10} {case:30} {seconds:6.1f} s {gigabytes:5.2f} GB", flush=True)
        growth = seconds_of[1] / seconds_of[0], memory_of[1] / memory_of[0]
        print(f"{'growth':>10} {case:30} {growth[0]:6.2f}   {growth[1]:5.2f}", flush=True)


if __name__ == "__main__":
    main()
