"""What a whole audit costs, from a gzipped WARC to the tables, as multiples of a bare parse of the same pages by Lexbor.

Run: ``python benchmarks/audit.py [PAGES]``. P is one such parse on one core, wall time. One audit in one process, one with
two that read HTML; each in a process of its own, whose memory is summed over it and its children (PSS).
"""

from __future__ import annotations

import os
import sys
import tempfile
import threading
import time
from pathlib import Path
from subprocess import run

from selectolax.lexbor import LexborHTMLParser
from sites import Site, write_warc

import mardok

_PARSED = 2000


def held_by(process: int) -> int:
    """Bytes held by a process and its children; what they share is counted once."""
    tasks = Path(f"/proc/{process}/task")
    try:
        children = [child for task in tasks.iterdir() for child in (task / "children").read_text().split()]
        lines = Path(f"/proc/{process}/smaps_rollup").read_text().splitlines()
    except OSError:  # it has just ended
        return 0
    own = sum(int(line.split()[1]) for line in lines if line.startswith("Pss:"))
    return own * 1024 + sum(held_by(int(child)) for child in children)


def audit_alone(warc: str, jobs: int) -> None:
    """Audit and print seconds and the peak of bytes."""
    peak, done = 0, threading.Event()

    def watch() -> None:
        nonlocal peak
        while not done.wait(0.1):
            peak = max(peak, held_by(os.getpid()))

    watcher = threading.Thread(target=watch)
    watcher.start()
    begun = time.perf_counter()
    mardok.audit(warc, jobs=jobs)
    seconds = time.perf_counter() - begun
    done.set()
    watcher.join()
    print(seconds, peak)


def main() -> None:
    """Measure and print."""
    if sys.argv[1:2] == ["alone"]:
        audit_alone(sys.argv[2], int(sys.argv[3]))
        return
    n_pages = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    site = Site(n_pages)
    bodies = [site.html(page).encode() for page in range(min(_PARSED, n_pages))]
    times = []
    for _ in range(5):
        begun = time.perf_counter()
        for body in bodies:
            LexborHTMLParser(body)
        times.append((time.perf_counter() - begun) / len(bodies))
    parse = min(times)
    print(f"{n_pages} pages; P is {parse * 1e6:.0f} microseconds a page of {len(bodies[0]) / 1000:.0f} KB")
    with tempfile.TemporaryDirectory() as folder:
        warc = str(Path(folder) / "site.warc.gz")
        write_warc(site, warc)
        for jobs in (1, 2):
            done = run([sys.executable, __file__, "alone", warc, str(jobs)], capture_output=True, text=True, check=True)
            seconds, peak = map(float, done.stdout.split())
            what = "one process" if jobs == 1 else "two processes"
            print(f"{what}: {seconds:.0f} s, {seconds / n_pages / parse:.1f} P a page, {peak / 2**30:.2f} GiB")


if __name__ == "__main__":
    main()
