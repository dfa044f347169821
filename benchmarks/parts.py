"""What a working folder costs: whole audits in parts beside the same at once, and the second audit of each.

Run: ``python benchmarks/parts.py [N_PAGES] [TURNS] [JOBS]``. Both are run in turns; each audit is a process of its own, with
the folder written.
"""

from __future__ import annotations

import shutil
import statistics
import sys
import tempfile
import time
from collections import defaultdict
from pathlib import Path

from cost import measured
from sites import Site, write_warc


def main() -> None:
    """Measure and print."""
    n_pages, turns, jobs = (int(told) for told in [*sys.argv[1:], *("10000", "3", "1")[len(sys.argv) - 1 :]])
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        warc, work = folder / "site.warc.gz", folder / "work"
        write_warc(Site(n_pages), str(warc))
        seconds: dict[str, list[float]] = defaultdict(list)
        walls: dict[str, list[float]] = defaultdict(list)
        memory: dict[str, float] = defaultdict(float)
        for _ in range(turns):
            for who, more in (("at once", []), ("in parts", ["--work", str(work)])):
                for which, chosen in (("first", []), ("second", ["--set", "copies.resemblance=0.9"])):
                    begun = time.perf_counter()
                    command = ["audit", str(warc), "-o", str(folder / who), "--jobs", str(jobs), *more, *chosen]
                    spent, peak = measured(sys.executable, command, {})
                    walls[f"{which}, {who}"].append(time.perf_counter() - begun)
                    seconds[f"{which}, {who}"].append(spent)
                    memory[f"{which}, {who}"] = max(memory[f"{which}, {who}"], peak)
                shutil.rmtree(folder / who)
            shutil.rmtree(work)
    for which, spent_each in seconds.items():
        wall, spent = statistics.median(walls[which]), statistics.median(spent_each)
        print(f"{which}: {wall:.1f} s, of processors {spent:.1f} s, {memory[which]:.2f} GiB")
    for which in ("first", "second"):
        share = statistics.median(walls[f"{which}, in parts"]) / statistics.median(walls[f"{which}, at once"])
        print(f"{which} audit in parts of the same at once: {share:.2f}")


if __name__ == "__main__":
    main()
