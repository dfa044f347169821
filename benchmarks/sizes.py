"""Sites that are hard for their size alone: seconds and memory of whole audits, at a fifth of the size and at the size.

Run: ``python benchmarks/sizes.py``. Growth is the seconds a page takes at the size over those at a fifth: 1 is linear.
"""

from __future__ import annotations

import csv
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import mardok

HOST = "https://www.host.example"
TEXT = "We hire violins by the month, mend bows, and cut bridges for schools, whatever the size of the school is. " * 8
_Row = tuple[str, str, str, str, str]
HEADING = ("url", "title", "text", "redirect_url", "robots")


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


CASES: dict[str, tuple[int, Callable[[int], Iterator[_Row]]]] = {
    "empty pages": (100_000, _empty),
    "pages with one text": (20_000, _identical),
    "parameters of one page": (3_000, _parameters),
    "redirects in one chain": (20_000, _redirects),
    "pages with noindex": (20_000, _noindex),
}


def audit(case: str, size: int) -> None:
    """Audit a site and write the folder; print seconds and gigabytes."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "site.csv"
        with path.open("w", newline="") as file:
            writer = csv.writer(file)
            writer.writerow(HEADING)
            writer.writerows(CASES[case][1](size))
        begun = time.perf_counter()
        mardok.audit(path).save(Path(folder) / "audit")
        print(time.perf_counter() - begun, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6)


def main() -> None:
    """Measure and print."""
    if len(sys.argv) == 3:
        audit(sys.argv[1], int(sys.argv[2]))
        return
    for case, (size, _) in CASES.items():
        took = []
        for part in (size // 5, size):
            call = [sys.executable, __file__, case, str(part)]
            done = subprocess.run(call, capture_output=True, text=True, check=True)
            seconds, gigabytes = map(float, done.stdout.split())
            took.append(seconds / part)
            print(f"{part:>10} {case:30} {seconds:6.1f} s {gigabytes:5.2f} GB", flush=True)
        print(f"{'growth':>10} {case:30} {took[1] / took[0]:6.2f}", flush=True)


if __name__ == "__main__":
    main()
