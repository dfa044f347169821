"""How quick the report is in a browser, on a large site.

Run: ``python benchmarks/report.py [PAGES]``. Pages are short and stand in families of nine near copies, so that 50,000 pages
make 200,000 pairs. The base is what the browser needs to unpack and parse the same parts, with nothing drawn.
Needs Debian's chromium.
"""

from __future__ import annotations

import json
import random
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from playwright.sync_api import Page, sync_playwright

import mardok
from mardok.deliver.report import report_html

_WORDS = 60
_FAMILY = 9

_UNPACKED = """async () => {
  const begun = performance.now();
  for (const element of document.querySelectorAll('script[id^="part-"]')) {
    const bytes = Uint8Array.from(atob(element.textContent), (letter) => letter.charCodeAt(0));
    JSON.parse(await new Response(new Blob([bytes]).stream().pipeThrough(new DecompressionStream('gzip'))).text());
  }
  return performance.now() - begun;
}"""
_TYPED = """(text) => {
  const field = document.querySelector('section:not([hidden]) input[type=search]');
  const begun = performance.now();
  field.value = text;
  field.dispatchEvent(new Event('input'));
  document.body.offsetHeight;
  return performance.now() - begun;
}"""
_SORTED = """(title) => {
  const button = [...document.querySelectorAll('section:not([hidden]) th button')].find((one) => one.textContent === title);
  const begun = performance.now();
  button.click();
  document.body.offsetHeight;
  return performance.now() - begun;
}"""
_SLID = """(percent) => {
  const slider = document.querySelector('section:not([hidden]) input[type=range]');
  const begun = performance.now();
  slider.value = percent;
  slider.dispatchEvent(new Event('input'));
  document.body.offsetHeight;
  return performance.now() - begun;
}"""


def write_pages(path: Path, n_pages: int) -> None:
    """Families of near copies."""
    chance = random.Random(7)
    known = ["".join(chance.choices("aeioubdfglmnprstvw", k=chance.randrange(3, 9))) for _ in range(20_000)]
    with path.open("w") as file:
        for page in range(n_pages):
            if page % _FAMILY == 0:
                pasted = chance.choices(known, k=_WORDS)
            words = [chance.choice(known) if chance.random() < 0.03 else word for word in pasted]
            title = " ".join(words[:4])
            url = f"https://www.host.example/s{page % 30}/{page}-{'-'.join(words[:3])}/"
            file.write(json.dumps({"url": url, "title": title, "text": " ".join(words), "status": 200}) + "\n")


def shown(page: Page, view: str) -> float:
    """Milliseconds until a view stands."""
    begun = time.perf_counter()
    page.evaluate("view => { delete document.body.dataset.shown; location.hash = view; }", view)
    page.wait_for_selector("body[data-shown]")
    return (time.perf_counter() - begun) * 1000


def measure(page: Page, path: Path) -> dict[str, Any]:
    """Milliseconds of what a reader waits for."""
    begun = time.perf_counter()
    page.goto(path.as_uri(), wait_until="commit")
    page.wait_for_selector("body[data-shown]")
    found = {"opens": (time.perf_counter() - begun) * 1000}
    found |= {f"view {view}": shown(page, view) for view in ("plan", "pages", "copies", "wording", "checks", "rivals")}
    shown(page, "pages")
    found["filter by text"] = page.evaluate(_TYPED, "ba")
    found["filter by rare text"] = page.evaluate(_TYPED, "1234")
    page.evaluate(_TYPED, "")
    found["sort by words"] = page.evaluate(_SORTED, "Words")
    found["sort by address"] = page.evaluate(_SORTED, "Page")
    shown(page, "copies")
    found["threshold to 70%"] = page.evaluate(_SLID, 70)
    return found


def main() -> None:
    """Measure and print."""
    n_pages = int(sys.argv[1]) if len(sys.argv) > 1 else 50_000
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        write_pages(Path(folder) / "pages.jsonl", n_pages)
        begun = time.perf_counter()
        audit = mardok.audit(Path(folder) / "pages.jsonl")
        made = time.perf_counter()
        html = report_html(audit.tables, audit.meta)
        written = time.perf_counter()
        path = Path(folder) / "report.html"
        path.write_text(html, "utf-8")
        print(
            f"{n_pages} pages, {len(audit.pairs)} pairs, {len(audit.plan)} proposals; audit {made - begun:.0f} s, "
            f"report {written - made:.0f} s, {path.stat().st_size / 1e6:.1f} MB"
        )
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        found = measure(page, path)
        base = page.evaluate(_UNPACKED)
        print(f"base, all parts unpacked and parsed: {base:.0f} ms")
        for what, milliseconds in found.items():
            print(f"{what}: {milliseconds:.0f} ms, {milliseconds / base:.2f} of the base")
        browser.close()


if __name__ == "__main__":
    main()
