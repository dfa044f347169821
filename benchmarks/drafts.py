"""The link plan of a large site, and a draft checked against it: seconds of a processor and memory.

Run: ``python benchmarks/drafts.py [PAGES [FOLDER]]``, by default 100,000 pages. Three pages of five have a phrase of their
own, and each page says two of these. The base is a bare parse of the same pages by Lexbor, of a sample and reckoned for all.
The audit is kept in FOLDER, if one is named.
"""

from __future__ import annotations

import random
import re
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from selectolax.lexbor import LexborHTMLParser
from sites import Site, write_warc

import mardok
from mardok.findings import phrase_analysis

_PAGES, _SAMPLE = 100_000, 2000
_TARGETS = 5, 3
"""Of so many pages so many have a phrase of their own."""
_SAYS = 2
"""Phrases of others that a page says."""


class Linking(Site):
    """A site whose pages say what other pages are about."""

    def phrase(self, page: int) -> str:
        """What a page is about; ``""`` if nothing of its own."""
        every, some = _TARGETS
        if page % every >= some:
            return ""
        draw = random.Random(f"phrase/{page}")
        return f"{draw.choice(self._words[2000:])} {draw.choice(self._words[2000:])} {draw.choice(self._words[2000:])}"

    def words(self, page: int) -> list[str]:
        """Words of the main text, with what it says of other pages."""
        words = super().words(page)
        draw = random.Random(f"says/{self.seed}/{page}")
        for _ in range(_SAYS):
            at = draw.randrange(len(words))
            words[at : at + 3] = self.phrase(draw.randrange(self.n_pages)).split() or words[at : at + 3]
        return words

    def html(self, page: int) -> str:
        """A page under its own phrase."""
        title = (self.phrase(page) or "stories").capitalize()
        html = re.sub("<title>.*?</title>", f"<title>{title} | A site</title>", super().html(page), count=1)
        return re.sub("<h1>.*?</h1>", f"<h1>{title}</h1>", html, count=1)


def main() -> None:
    """Measure and print."""
    if len(sys.argv) > 3:
        measure(sys.argv[3], Path(sys.argv[2]))
        return
    n_pages = int(sys.argv[1]) if len(sys.argv) > 1 else _PAGES
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(sys.argv[2]) if len(sys.argv) > 2 else Path(temporary)
        site = Linking(n_pages, family_share=0.01)
        if not (folder / "audit").is_dir():
            make(site, folder)
        for what in ("texts", "draft", "planned"):
            call = [sys.executable, __file__, str(n_pages), str(folder), what]
            seconds, gigabytes = map(float, subprocess.run(call, capture_output=True, text=True, check=True).stdout.split())
            print(f"{what:10} {seconds:6.2f} s of one processor {gigabytes:5.2f} GB", flush=True)


def make(site: Linking, folder: Path) -> None:
    """Audit the site; what the link plan took beside a bare parse."""
    plan_links, seconds = phrase_analysis.plan_links, []

    def timed(*arguments: Any) -> Any:
        begun = time.process_time()
        result = plan_links(*arguments)
        seconds.append(time.process_time() - begun)
        return result

    phrase_analysis.plan_links = timed
    sample = [site.html(page) for page in range(0, site.n_pages, max(site.n_pages // _SAMPLE, 1))]
    begun = time.process_time()
    for html in sample:
        LexborHTMLParser(html)
    parse = (time.process_time() - begun) * site.n_pages / len(sample)
    write_warc(site, str(folder / "site.warc.gz"))
    audit = mardok.audit(folder / "site.warc.gz", jobs=1)
    audit.save(folder / "audit")
    n_targets, n_links = len(set(audit.tables["wordings"]["page"])), len(audit.tables["link_plan"])
    print(f"{site.n_pages:,} pages, {n_targets:,} targets, {n_links:,} links", flush=True)
    told = f"{seconds[0]:6.2f} s of one processor, a bare parse {parse:6.2f} s: {seconds[0] / parse:.2f} of it"
    print(f"link plan  {told}", flush=True)


def measure(what: str, folder: Path) -> None:
    """Do one thing, and print seconds of one processor and gigabytes."""
    begun = time.process_time()
    audit = mardok.load(folder / "audit")
    if what == "texts":
        len(audit.tables.column("pages", "main_text"))
    elif what == "planned":
        mardok.check_draft(audit, title="Herons under the old bridge")
    else:
        text = audit.tables.row("pages", 777, ["main_text"])["main_text"].split("\n")
        draft = folder / "draft.md"
        parts = ["# Herons under the old bridge", *text[: len(text) // 2], "Herons stand in it. " * 40]
        draft.write_text("\n\n".join(parts))
        mardok.check_draft(audit, draft).as_dict()
    print(time.process_time() - begun, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6)


if __name__ == "__main__":
    main()
