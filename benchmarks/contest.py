"""What titles, kinds, series, search data, rivals, thin pages and checks cost.

Run: ``python benchmarks/contest.py [PAGES [SEARCH_ROWS]]``. Pages are short, since this stage reads no texts but titles,
headings, addresses and links. Search rows are weekly, by country and device; every tenth query shows two pages that take
turns. P is a bare parse of the standard pages of the other benchmarks (``sites.py``) by Lexbor, one core, wall time.
"""

from __future__ import annotations

import json
import os
import random
import sys
import tempfile
import time
from collections.abc import Iterator
from itertools import pairwise
from pathlib import Path
from resource import RUSAGE_SELF, getrusage

import numpy as np
import pyarrow as pa
import pyarrow.csv
from selectolax.lexbor import LexborHTMLParser
from sites import Site

import mardok

_WORDS = 20_000
_WEEKS, _COUNTRIES, _DEVICES = 60, ("gbr", "usa", "deu"), ("desktop", "mobile")
_PARSED = 500


def pages(n_pages: int) -> Iterator[tuple[str, str]]:
    """Addresses and short pages with titles of their own, every fiftieth one alike with its neighbour's."""
    chance = random.Random(1)
    words = [f"w{number:x}" for number in range(_WORDS)]
    said: list[str] = []
    for page in range(n_pages):
        said = chance.sample(words, 5) if page % 50 != 1 else said[::-1]
        menu = "".join(f"<li><a href='/s{n}/p{n}/'>Section {n}</a></li>" for n in range(10))
        links = "".join(
            f"<p>{' '.join(chance.sample(words, 20))} <a href='{address(chance.randrange(n_pages))}'>{said[0]}</a></p>"
            for _ in range(3)
        )
        name = " ".join(said)
        body = (
            f"<html lang=en><title>{name} | Wyndale</title><meta name=description content='{name} of the bench'>"
            f"<body><nav><ul>{menu}</ul></nav><main><h1>{name}</h1>{links}</main>"
        )
        yield f"https://www.host.example{address(page)}", body


def address(page: int) -> str:
    """Path of a page."""
    return f"/s{page % 40}/p{page}/"


def write_search(path: Path, n_pages: int, n_rows: int) -> None:
    """A search file."""
    chance = np.random.default_rng(1)
    cells = _WEEKS * len(_COUNTRIES) * len(_DEVICES)
    n_pairs = n_rows // (cells // 6)  # a query and page is shown at a sixth of all moments
    pair = np.repeat(np.arange(n_pairs), cells // 6)
    moment = (
        np.concatenate([chance.permutation(cells)[: cells // 6] for _ in range(256)])
        .reshape(256, -1)[np.arange(n_pairs) % 256]
        .ravel()
    )
    query = np.where(pair % 10 == 1, pair - 1, pair)
    page = (pair * 7919) % n_pages
    leads = (moment // 6 // 9 + pair) % 2 == 0
    impressions = chance.poisson(np.where(leads, 18, 7)) + 1
    position = np.where(leads, 5.0, 13.0) + chance.integers(0, 20, len(pair)) / 10
    days = np.datetime64("2025-08-04") + 7 * (moment // 6).astype("timedelta64[D]")
    names = pa.array([f"what is w{number % _WORDS:x} {number}" for number in range(n_pairs)])
    urls = pa.array([f"https://www.host.example{address(number)}" for number in range(n_pages)])
    table = pa.table(
        {
            "date": pa.array(days),
            "query": names.take(pa.array(query)),
            "page": urls.take(pa.array(page)),
            "clicks": chance.binomial(impressions, 0.05),
            "impressions": impressions,
            "position": position,
            "country": pa.array(_COUNTRIES).take(pa.array(moment // 2 % 3)),
            "device": pa.array(_DEVICES).take(pa.array(moment % 2)),
        }
    )
    pa.csv.write_csv(table, path)


def main() -> None:
    """Measure and print."""
    n_pages = int(sys.argv[1]) if len(sys.argv) > 1 else 100_000
    n_rows = int(sys.argv[2]) if len(sys.argv) > 2 else 5_000_000
    standard = Site(_PARSED)
    bodies = [standard.html(page).encode() for page in range(_PARSED)]
    times = []
    for _ in range(5):
        begun = time.perf_counter()
        for body in bodies:
            LexborHTMLParser(body)
        times.append((time.perf_counter() - begun) / len(bodies))
    parse = min(times)
    print(f"{n_pages} pages, {n_rows} search rows; P is {parse * 1e6:.0f} microseconds; {os.cpu_count()} cores")
    told: list[tuple[str, float]] = []

    def progress(stage: str, _done: int) -> None:
        if not told or told[-1][0] != stage:
            told.append((stage, time.perf_counter()))

    with tempfile.TemporaryDirectory() as folder:
        search, site = Path(folder) / "search.csv", Path(folder) / "pages.jsonl"
        write_search(search, n_pages, n_rows)
        with site.open("w") as file:
            file.writelines(json.dumps({"url": url, "status": 200, "html": html}) + "\n" for url, html in pages(n_pages))
        told.append(("reading search data", time.perf_counter()))
        tables = mardok.audit(site, search=search, progress=progress).tables
    told.append(("end", time.perf_counter()))
    for (stage, start), (_, stop) in pairwise(told):
        print(f"{stage}: {stop - start:.1f} s, {(stop - start) / n_pages / parse:.3f} P a page")
    print(f"peak {getrusage(RUSAGE_SELF).ru_maxrss / 2**20:.2f} GiB")
    print(
        tables["groups"].groupby("kind")["group"].nunique().to_dict(),
        tables["plan"]["action"].value_counts().to_dict(),
        len(tables["checks"]),
    )


if __name__ == "__main__":
    main()
