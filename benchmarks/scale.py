"""What a large site costs, stage by stage, with a working folder: seconds and memory a page, and how both grow.

Run: ``python benchmarks/scale.py [JOBS] [N_PAGES ...]``. Each site is written as a WARC file first, with a family of up to
5,000 pages. Memory is that of all processes together that no file backs: what the system cannot take back by writing it to
disk. Beside each figure a page stands how it has grown since the site before.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import threading
import time
from collections import defaultdict
from pathlib import Path

from sites import Site, write_warc

import mardok

_SIZES = (20_000, 100_000)
_PAUSE_S = 0.2


def _memory(process: str = "self") -> int:
    """Bytes of a process and of those it began; of what several of them share each counts its part."""
    try:
        told = Path(f"/proc/{process}/smaps_rollup").read_text().splitlines()
        own = next((int(line.split()[1]) << 10 for line in told if line.startswith("Pss_Anon")), 0)
        begun = Path(f"/proc/{process}/task").glob("*/children")
        return own + sum(_memory(child) for listed in begun for child in listed.read_text().split())
    except OSError:  # it has ended
        return 0


def audit(warc: str, folder: str, jobs: int) -> None:
    """Audit a site, and print seconds and memory of each stage as JSON."""
    stages: dict[str, list[float]] = defaultdict(lambda: [0.0, 0.0])
    at, begun = "start", time.perf_counter()

    def enter(stage: str, _: int = 0) -> None:
        nonlocal at, begun
        name = stage.partition(",")[0]
        stages[at][0] += time.perf_counter() - begun
        at, begun = name, time.perf_counter()

    def watch() -> None:
        while True:
            stage, used = at, _memory()
            if stage == at:  # to ask takes time, too
                stages[stage][1] = max(stages[stage][1], used)
            time.sleep(_PAUSE_S)

    threading.Thread(target=watch, daemon=True).start()
    audit = mardok.audit(warc, work=f"{folder}/work", jobs=jobs, progress=enter)
    enter("writing the folder")
    audit.save(f"{folder}/audit", jobs=jobs)
    enter("end")
    print(json.dumps({name: told for name, told in stages.items() if name not in ("start", "end")}))


def main() -> None:
    """Measure and print."""
    if sys.argv[1:2] == ["--audit"]:
        audit(*sys.argv[2:4], int(sys.argv[4]))
        return
    jobs = int(sys.argv[1]) if len(sys.argv) > 1 else 1
    before: dict[str, tuple[float, float]] = {}
    for n_pages in map(int, sys.argv[2:] or _SIZES):
        with tempfile.TemporaryDirectory() as folder:
            warc = Path(folder, "site.warc.gz")
            write_warc(Site(n_pages, family_share=min(0.05, 5_000 / n_pages)), str(warc))
            called = [sys.executable, __file__, "--audit", str(warc), folder, str(jobs)]
            stages = json.loads(subprocess.run(called, stdout=subprocess.PIPE, check=True).stdout)
        stages["in all"] = [sum(told[0] for told in stages.values()), max(told[1] for told in stages.values())]
        print(f"{n_pages:,} pages", flush=True)
        for name, (seconds, memory) in stages.items():
            now = 1e3 * seconds / n_pages, memory / n_pages / 1e3
            was = before.get(name, now)
            grown = ", ".join(f"{a / b:.2f}" if b else "-" for a, b in zip(now, was, strict=True))
            each = f"{seconds:8.1f} s {now[0]:6.2f} ms a page {memory / 2**30:6.2f} GiB {now[1]:6.1f} KB a page"
            print(f"  {name:34} {each}; {grown}", flush=True)
            before[name] = now


if __name__ == "__main__":
    main()
