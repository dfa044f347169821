"""Sites for benchmarks, by size and seed: the same arguments give the same site.

A site has one template (head, menus, footer, cookie bar, related links), texts of 400 words from a vocabulary with the
usual skew, its commonest words those of English, near copies of every twentieth page at edit rates of 1, 5, 15 and 40
percent, and one family of five percent of all pages that share one text but for some words.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from io import BytesIO
from itertools import accumulate

from warcio.statusandheaders import StatusAndHeaders
from warcio.warcwriter import WARCWriter

WORDS_A_PAGE = 400
EDIT_RATES = (0.01, 0.05, 0.15, 0.4)
_VOCABULARY = 30_000
_COMMONEST = "the of and to in a is that for it as was with be by on not he this are or his from at which but have an"


class Site:
    """A site whose pages are made one at a time."""

    def __init__(self, n_pages: int, seed: int = 1, n_words: int = WORDS_A_PAGE, family_share: float = 0.05) -> None:
        self.n_pages, self.seed, self.n_words = n_pages, seed, n_words
        chance = random.Random(seed)
        letters = "eeeettaaooiinnsshhrrddlucmwfgypbvk"
        made = ["".join(chance.choices(letters, k=chance.randrange(2, 11))) for _ in range(_VOCABULARY)]
        common = _COMMONEST.split()
        self._words = common + made[len(common) :]
        self._weights = list(accumulate(1 / (rank + 3) for rank in range(_VOCABULARY)))
        self._family = int(family_share * n_pages)
        self._pasted = self._fresh(chance)

    def _fresh(self, chance: random.Random) -> list[str]:
        return chance.choices(self._words, cum_weights=self._weights, k=self.n_words)

    def words(self, page: int) -> list[str]:
        """Words of the main text of a page."""
        chance = random.Random(f"{self.seed}/{page}")
        if page < self._family:
            return self._edited(self._pasted, 0.03, chance)
        if page % 20 == 19:
            rate = EDIT_RATES[page // 20 % len(EDIT_RATES)]
            return self._edited(self.words(page - 1), rate, chance)
        return self._fresh(chance)

    def _edited(self, words: list[str], rate: float, chance: random.Random) -> list[str]:
        return [chance.choice(self._words) if chance.random() < rate else word for word in words]

    def texts(self) -> Iterator[str]:
        """Main text of each page."""
        for page in range(self.n_pages):
            yield " ".join(self.words(page))

    def html(self, page: int) -> str:
        """A page, some 22 kilobytes."""
        chance = random.Random(f"{self.seed}/links/{page}")
        words = self.words(page)
        paragraphs = []
        for number in range(0, len(words), 50):
            part = words[number : number + 50]
            part[10:12] = [f"<b>{' '.join(part[10:12])}</b>"]
            part[20:22] = [f'<a href="/p/{chance.randrange(self.n_pages)}.html">{" ".join(part[20:22])}</a>']
            tag = "<h2 class='section-heading'>" + " ".join(words[:4]) + "</h2>" if number % 200 == 0 else ""
            paragraphs.append(f"{tag}<p class='body-text column-{number % 3}'>{' '.join(part).capitalize()}.</p>")
        menu = "".join(
            f'<li class="menu-item menu-item-{n}"><a class="menu-link" href="/section/{n}/" data-track="menu-{n}">'
            f"Section {n}</a></li>"
            for n in range(60)
        )
        related = "".join(
            f'<div class="card"><a href="/p/{(page * 7 + n) % self.n_pages}.html">'
            f'<img src="/img/{n}.jpg" alt="" loading="lazy">'
            f"<span>{' '.join(chance.sample(self._words, 4))}</span></a></div>"
            for n in range(12)
        )
        return (
            f"<!DOCTYPE html><html lang='en'><head><meta charset='utf-8'><title>{' '.join(words[:6])} | A site</title>"
            f"<meta name='description' content='{' '.join(words[6:26])}'><link rel='canonical' href='/p/{page}.html'>"
            f"<style>{'.column{margin:0 auto;padding:12px}' * 40}</style>"
            f"<script>var state = {{}};{'state.x = 1;' * 120}</script></head>"
            f"<body><header><div class='top'><nav><ul>{menu}</ul></nav></div></header>"
            f"<div class='drawer'><ul>{menu}</ul></div>"
            f"<main><article><h1>{' '.join(words[:6])}</h1>{''.join(paragraphs)}</article></main>"
            f"<aside><h2>Related</h2>{related}</aside>"
            "<div class='cookies'><p>We keep one cookie. <a href='/privacy/'>More</a></p></div>"
            f"<footer><ul>{menu[: len(menu) // 4]}</ul><p>A site, made up</p></footer></body></html>"
        )

    def url(self, page: int) -> str:
        """Address of a page."""
        return f"https://www.site.example/p/{page}.html"


def write_warc(site: Site, path: str) -> None:
    """Write all pages of a site as a gzipped WARC file."""
    with open(path, "wb") as file:
        writer = WARCWriter(file, gzip=True)
        for page in range(site.n_pages):
            body = site.html(page).encode()
            headers = StatusAndHeaders("200 OK", [("Content-Type", "text/html; charset=utf-8")], protocol="HTTP/1.1")
            record = writer.create_warc_record(site.url(page), "response", payload=BytesIO(body), http_headers=headers)
            writer.write_record(record)
