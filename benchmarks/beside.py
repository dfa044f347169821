"""Ten sites of 20,000 pages beside each other, and one phrase in an audit of 100,000: seconds of a processor and memory.

Run: ``python benchmarks/beside.py [FOLDER]``. A site of 20,000 pages in 40 sections is audited with search data and told to
be a part of one, so that chance is asked; its tables are laid side by side five times for the phrase. The bases are reading
what is compared of each audit, and reading the texts of all pages. The audits are kept in FOLDER, if one is named.
"""

from __future__ import annotations

import dataclasses
import json
import random
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from recheck import HOST, multiply

import mardok
from mardok.beside.site import audited_site

_WORDS = [f"word{n}" for n in range(5000)]
_LINKS, _TEXT_WORDS, _SECTIONS, _PAGES, _SITES = 12, 90, 40, 20_000, 10
_SAID = 200
"""Of so many pages one mentions the phrase."""
_SEARCHED = 7
"""Of so many pages one is shown by search."""
_PHRASE = "violin hire"
_SHOWN = {"audits": "read what is compared", "versus": "ten sites", "texts": "read all texts", "topic": "one phrase"}


def write_site(folder: Path, n_pages: int) -> None:
    """A site in sections, and its search data."""
    draw = random.Random(7)
    urls = [f"{HOST}/s{number % _SECTIONS}/{number}" for number in range(n_pages)]
    with (folder / "pages.jsonl").open("w") as pages, (folder / "search.csv").open("w") as search:
        search.write("query,page,clicks,impressions,position\n")
        for number, url in enumerate(urls):
            own = random.Random(number if number % 9 else number - number % 90)
            text = " ".join(own.choices(_WORDS, k=_TEXT_WORDS)) + (
                f" with {_PHRASE} by the month" if number % _SAID == 1 else ""
            )
            links = "".join(f"<a href='{draw.choice(urls)}'>to {n}</a> " for n in range(_LINKS))
            title = f"{_PHRASE.title()} {number}" if number % (50 * _SAID) == 2 else f"Page {number}"
            image = "<img src=/a.png>" if number % _SECTIONS < _SECTIONS // 4 else ""
            html = f"<html lang=en><title>{title}</title><h1>{title}</h1>{image}<p>{text}</p><p>{links}</p>"
            pages.write(json.dumps({"url": url, "status": 200, "html": html}) + "\n")
            if number % _SEARCHED == 0:
                search.write(f"{_PHRASE if number < _SAID else f'page {number}'},{url},{number % 5},{50 + number % 90},7\n")


def main() -> None:
    """Measure and print."""
    if len(sys.argv) == 3:
        measure(sys.argv[1], Path(sys.argv[2]))
        return
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(sys.argv[1]) if len(sys.argv) > 1 else Path(temporary)
        if not (folder / "many").is_dir():
            write_site(folder, _PAGES)
            made = mardok.audit(folder / "pages.jsonl", search=folder / "search.csv", jobs=2)
            totals = {**made.meta.totals, "crawl": {**made.meta.totals["crawl"], "whole": False, "gaps": ["a limit"]}}
            dataclasses.replace(made, meta=made.meta.model_copy(update={"totals": totals})).save(folder / "one")
            multiply(made, folder / "many")
        took: dict[str, float] = {}
        for what, name in _SHOWN.items():
            call = [sys.executable, __file__, what, str(folder)]
            seconds, gigabytes = map(float, subprocess.run(call, capture_output=True, text=True, check=True).stdout.split())
            took[what] = seconds
            print(f"{name:22} {seconds:6.1f} s of one processor {gigabytes:5.2f} GB", flush=True)
        print(f"ratios {took['versus'] / took['audits']:.1f} and {took['topic'] / took['texts']:.1f}")


def measure(what: str, folder: Path) -> None:
    """Do one of the four, and print seconds of one processor and gigabytes."""
    begun = time.process_time()
    if what == "audits":
        for _ in range(_SITES):
            audited_site(mardok.load(folder / "one"))
    elif what == "texts":
        len(mardok.load(folder / "many").tables.column("pages", "main_text"))
    elif what == "versus":
        with tempfile.TemporaryDirectory() as out:
            mardok.versus([folder / "one"] * _SITES).save(Path(out) / "versus")
    else:
        with tempfile.TemporaryDirectory() as out:
            mardok.topic(folder / "many", _PHRASE).save(Path(out) / "topic")
    print(time.process_time() - begun, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6)


if __name__ == "__main__":
    main()
