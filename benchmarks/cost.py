"""What whole audits cost, with the folder written, beside an earlier version of Mardok: seconds of a processor, and memory.

Run: ``python benchmarks/cost.py [OTHER_PYTHON] [TURNS]``. OTHER_PYTHON is the interpreter of an environment in which another
version is installed; both are run in turns, and the medians compared. Sites: 10,000 generated pages; a class reference of
10,140 pages (Debian: openjdk-17-doc); a manual in 26 languages, 3,302 pages (debian-handbook). Debian's packages are
downloaded into a temporary folder. Each audit is a process of its own that reads in one process; the second one has another
threshold for copies.
"""

from __future__ import annotations

import os
import shutil
import statistics
import subprocess
import sys
import tempfile
from collections import defaultdict
from collections.abc import Mapping
from pathlib import Path

from sites import Site, write_warc

_TURNS = 3
TREES = {
    "class reference": ("openjdk-17-doc", "usr/share/doc/openjdk-17-jre-headless"),
    "manual in 26 languages": ("debian-handbook", "usr/share/doc/debian-handbook/html"),
}


def fetched(package: str, inside: str, folder: Path) -> Path:
    """A folder of HTML out of one of Debian's packages."""
    place = folder / package
    place.mkdir()
    subprocess.run(["apt-get", "download", "-q", package], cwd=place, check=True, capture_output=True)
    archive = next(place.glob("*.deb"))
    subprocess.run(["dpkg-deb", "-x", archive, place / "tree"], check=True)
    return place / "tree" / inside


def measured(python: str, arguments: list[str], more: Mapping[str, str]) -> tuple[float, float]:
    """Seconds of a processor, child processes included, and GiB of the largest process, with `more` in the environment."""
    nowhere = [(os.POSIX_SPAWN_OPEN, stream, os.devnull, os.O_WRONLY, 0) for stream in (1, 2)]
    # Whoever does not keep bytecode compiles the program anew each time; an installed version would have it.
    kept = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    child = os.posix_spawn(python, [python, "-m", "mardok", *arguments], {**kept, **more}, file_actions=nowhere)
    _, status, used = os.wait4(child, 0)
    if os.waitstatus_to_exitcode(status) not in (0, 1):
        raise SystemExit(f"{python} -m mardok {' '.join(arguments)}: failed")
    return used.ru_utime + used.ru_stime, used.ru_maxrss / 2**20


def main() -> None:
    """Measure and print."""
    pythons = {"this": (sys.executable, {}), "this, pure Python": (sys.executable, {"MARDOK_PURE_PYTHON": "1"})}
    if len(sys.argv) > 1:
        pythons["other"] = (sys.argv[1], {})
    turns = int(sys.argv[2]) if len(sys.argv) > 2 else _TURNS
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        warc = folder / "site.warc.gz"
        write_warc(Site(10_000), str(warc))
        sources = {"generated": [str(warc)]}
        for site, (package, inside) in TREES.items():
            sources[site] = [str(fetched(package, inside, folder)), "--base", "https://www.host.example/"]
        for site, source in sources.items():
            seconds: dict[tuple[str, str], list[float]] = defaultdict(list)
            memory: dict[tuple[str, str], list[float]] = defaultdict(list)
            for turn in range(turns):
                for who, (python, more) in pythons.items():
                    out = ["--jobs", "1", "-o", str(folder / f"audit-{who[-5:]}-{turn}")]
                    for which, chosen in (("first", []), ("second", ["--set", "copies.resemblance=0.9"])):
                        spent, peak = measured(python, ["audit", *source, *out, *chosen], more)
                        seconds[who, which].append(spent)
                        memory[who, which].append(peak)
                    shutil.rmtree(out[-1])
            middle = {key: statistics.median(times) for key, times in seconds.items()}
            print(f"{site}:")
            for (who, which), median in middle.items():
                print(f"  {which} audit, {who}: {median:.1f} s, {max(memory[who, which]):.2f} GiB")
            for who in pythons:
                print(f"  second of first, {who}: {middle[who, 'second'] / middle[who, 'first']:.2f}")
                if "other" in pythons:
                    print(f"  first, {who}, of other: {middle[who, 'first'] / middle['other', 'first']:.2f}", flush=True)


if __name__ == "__main__":
    main()
