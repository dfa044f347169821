"""Two audits of 100,000 pages compared: seconds and memory of a recheck, against reading the two tables of pages alone.

Run: ``python benchmarks/recheck.py [FOLDER]``. Sites of 20,000 pages are audited, and their tables laid side by side five
times. The audits are made once and kept in FOLDER, if one is named.
"""

from __future__ import annotations

import json
import random
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import pandas as pd

import mardok
from mardok.folder import write_folder
from mardok.tables import TABLES

HOST = "https://www.host.example"
_WORDS = [f"word{n}" for n in range(5000)]
_LINKS, _TEXT_WORDS = 12, 90
_PAGES, _TIMES = 20_000, 5
_ADDRESSES = (
    "url", "final_url", "variant_of", "nearest_url", "canonical_url", "redirect_url", "keeper", "target", "pattern_value",
    "url_a", "url_b", "example_url",
)  # fmt: skip
_IDS = ("proposal", "group")
_FAMILY = 8
"""Pages of which the last two are near copies of the first."""


def write_site(path: Path, n_pages: int, *, is_later: bool) -> None:
    """A site of families with copies; later a third of the copies redirects, and some titles are new."""
    draw = random.Random(7)
    with path.open("w") as file:
        for number in range(n_pages):
            first = number - number % _FAMILY
            own = random.Random(first if number - first > _FAMILY - 3 else number)
            text = " ".join(own.choices(_WORDS, k=_TEXT_WORDS))
            links = "".join(f"<a href='/{_linked(draw, n_pages)}'>to {n}</a> " for n in range(_LINKS))
            title = f"Page {first if number - first > _FAMILY - 3 else number}"
            row = {"url": f"{HOST}/{number}", "status": 200}
            if is_later and number - first > _FAMILY - 3 and number % 3 == 0:
                row |= {"status": 301, "redirect_url": f"{HOST}/{first}"}
            else:
                title += " anew" if is_later and number % 50 == 0 else ""
                row["html"] = f"<html lang=en><title>{title}</title><h1>{title}</h1><p>{text}</p><p>{links}</p>"
            file.write(json.dumps(row) + "\n")


def _linked(draw: random.Random, n_pages: int) -> int:
    """A page that is linked: of twenty links nineteen lead to the first pages of families, which stay."""
    number = draw.randrange(n_pages)
    return number if draw.random() < 0.05 else number - number % _FAMILY


def multiply(audit: mardok.Audit, folder: Path) -> None:
    """Write an audit whose tables are those of several such sites beside each other."""
    tables = {}
    for name, table in TABLES.items():
        parts = [_moved(audit.tables[name], number, len(audit.pages)) for number in range(_TIMES)]
        joined = pd.concat(parts, ignore_index=True)
        if name == "plan":
            joined["rank"] = range(1, len(joined) + 1)
        tables[name] = table.frame({column: joined[column].tolist() for column in table.names})
    write_folder(folder, tables, audit.meta.text, {})


def _moved(frame: pd.DataFrame, number: int, n_pages: int) -> pd.DataFrame:
    result = frame.copy()
    for column in frame.columns:
        if column in _ADDRESSES:
            result[column] = [str(url).replace(HOST, f"{HOST}/{number}", 1) for url in frame[column]]
        elif column in _IDS:
            result[column] = [f"{one[:-1]}{number}" for one in frame[column]]
        elif column in ("page", "target_page"):
            result[column] = frame[column].where(frame[column] < 0, frame[column] + number * n_pages)
    return result


def main() -> None:
    """Measure and print."""
    if len(sys.argv) == 4:
        measure(sys.argv[1], Path(sys.argv[2]), Path(sys.argv[3]))
        return
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(sys.argv[1]) if len(sys.argv) > 1 else Path(temporary)
        for name, is_later in (("before", False), ("after", True)):
            if not (folder / name).is_dir():
                write_site(folder / "pages.jsonl", _PAGES, is_later=is_later)
                multiply(mardok.audit(folder / "pages.jsonl", jobs=2), folder / name)
                (folder / "pages.jsonl").unlink()
        steps = pd.read_parquet(folder / "before" / "data" / "steps.parquet", columns=["step"])
        print(f"{_PAGES * _TIMES:,} pages, {len(steps):,} steps")
        took = []
        for what in ("tables", "recheck"):
            call = [sys.executable, __file__, what, str(folder / "before"), str(folder / "after")]
            seconds, gigabytes = map(float, subprocess.run(call, capture_output=True, text=True, check=True).stdout.split())
            took.append(seconds)
            print(f"{what:8} {seconds:6.1f} s of one processor {gigabytes:5.2f} GB", flush=True)
        print(f"ratio {took[1] / took[0]:.1f}")


def measure(what: str, before: Path, after: Path) -> None:
    """Do one of the two, and print seconds of one processor and gigabytes."""
    begun = time.process_time()
    if what == "tables":
        for folder in (before, after):
            len(mardok.load(folder).pages)
    else:
        with tempfile.TemporaryDirectory() as out:
            mardok.recheck(before, after).save(Path(out) / "recheck")
    print(time.process_time() - begun, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6)


if __name__ == "__main__":
    main()
