"""Sites that nobody would make on purpose: broken markup, odd characters, addresses and headers, loops of redirects.

What is asked of an audit of such a site is that it comes to an end, with tables as declared, a plan that is proven safe (an
unsafe one raises), a report, a folder that can be read back, and a hand-over.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from pathlib import Path

import pytest
from conftest import Response, warc_bytes

import mardok
from mardok.tables import TABLES
from mardok.urls import normal_url

WORDS = [
    "violin", "hire", "bow", "=1+1", "<script>", "&amp;lt;", "{{7*7}}", "%00", "\\", "@x", "|", "\ufffd", "\u0130",
    "\xbd", "\xdf", "\ufb00", "\U0001f3bb", "\u202e", "\u200b", "\u00ad", "\x00", "\x1f", "\u2028",
    "e\u0301\u0301\u0301", "x" * 300, "\u5c0f\u63d0\u7434", "\u0e44\u0e27\u0e42\u0e2d\u0e25\u0e34\u0e19",
    "\u0915\u092e\u093e\u0928",
]  # fmt: skip
HEADS = [
    "<title>{}</title>", "<meta name=description content=\"{}\">", "<meta name=robots content='noindex, {}'>",
    "<link rel=canonical href='/{}'>", "<link rel=alternate hreflang='{}' href='/p/1'>", "<base href='/{}'>",
    "<meta http-equiv=refresh content='0;url=/{}'>", "<meta property=og:site_name content='{}'>",
    '<script type="application/ld+json">{{"@type":"{}"}}</script>',
]  # fmt: skip
TAGS = [
    "p", "div", "table", "nav", "h1", "h3", "b", "svg", "math", "select", "option", "textarea", "template",
    "script", "style", "iframe", "noscript", "form", "input", "button", "frameset", "plaintext", "main", "header",
    "dialog", "pre", "ul", "li", "td",
]  # fmt: skip
PIECES = [
    *(f"<{tag}>" for tag in TAGS), *(f"</{tag}>" for tag in TAGS), "<a name=t>", "<!--", "-->",
    "<img src=//h0.example/i.png>", "<img alt='' src='http:'>", '<div title="', '">', "<p a<b>", "<p hidden>",
    "&#1;", "<li", "<h1><img src=x></h1>",
]  # fmt: skip
PATHS = [
    "a", "A", "b/", "c/index.html", "d?x=1", "%E4", "p/{}", "p/{}/", "print/{}", "x%20y", "\xe9", "..;/", "tag/{}",
    "de/p/{}",
]  # fmt: skip
SUFFIXES = ["", "", "", "?utm_source=x", "?page=2", "?s=%22", "#f", "?utm_source=x&id={}"]
TARGETS = ["", "//", "javascript:x", "http://[", "?", "#", "https://elsewhere.example/"]
UNSEEN = frozenset([*map(chr, range(9)), *map(chr, range(14, 32)), "\u202e", "\u2066", "\u200f"])
SAME = "We hire violins by the month, mend bows, and cut bridges for schools, whatever the size. " * 6

pytestmark = pytest.mark.harm


def site(chance: random.Random) -> Iterator[Response]:
    """Answers of a few hundred addresses."""

    def text(n: int) -> str:
        return " ".join(chance.choices(WORDS, k=n))

    def body(addresses: list[str]) -> bytes:
        if chance.random() < 0.3:
            return f"<title>violin hire {chance.randrange(3)}</title><h1>hire</h1><p>{SAME}{text(2)}".encode()
        lang = chance.choice(["en", "de", "", "zz", f"x-{text(1)}"])
        told = "".join(
            chance.choice(HEADS).format(text(3).replace("'", "").replace('"', "")) for _ in range(chance.randrange(5))
        )
        parts = [f"<html lang='{lang}'><head>{told}</head><body>"]
        for _ in range(chance.randrange(12)):
            parts += [chance.choice(PIECES), text(chance.randrange(30))]
            if chance.random() < 0.4:
                parts.append(f"<a href='{chance.choice(addresses)}'>{text(2)}</a>")
        return "".join(parts).encode("utf-8", "surrogatepass")

    made = [
        f"https://h{chance.randrange(3)}.example/" + (chance.choice(PATHS) + chance.choice(SUFFIXES)).format(n % 30, n % 7)
        for n in range(300)
    ]
    for address in made:
        url = normal_url(address)
        assert url is not None
        kind = chance.random()
        if kind < 0.15:
            yield url, chance.choice([301, 302, 308]), [("Location", chance.choice(made + TARGETS))], b""
        elif kind < 0.2:
            yield url, chance.choice([404, 500, 410, 200]), [("Content-Type", "text/html")], b""
        else:
            charset = chance.choice(["", "; charset=utf-8", "; charset=latin-1", "; charset=nonsense"])
            yield url, 200, [("Content-Type", f"text/html{charset}")], body(made)


@pytest.mark.parametrize("seed", range(8))
def test_a_hostile_site_is_audited_to_the_end(seed: int, tmp_path: Path) -> None:
    chance = random.Random(seed)
    responses = list(site(chance))
    warc, search = tmp_path / "site.warc.gz", tmp_path / "search.csv"
    warc.write_bytes(warc_bytes(responses)[0])
    asked = ["violin hire", "hire", "bow", "\u202e", "=1+1"]
    rows = [
        f"{chance.choice(asked)},{chance.choice(responses)[0]},{chance.randrange(5)},{chance.randrange(5, 300)},"
        f"{chance.random() * 30 + 1:.1f},2026-{chance.randrange(1, 11):02}-0{chance.randrange(1, 8)}"
        for _ in range(500)
    ]
    search.write_text("\n".join(["query,page,clicks,impressions,position,date", *rows]), "utf-8")
    audit = mardok.audit(warc, search=search)
    audit.save(tmp_path / "out")
    again = mardok.load(tmp_path / "out")
    for name, table in again.tables.items():
        TABLES[name].check(table)
    assert set(again.steps["url"]) <= set(again.pages["url"])
    moved = again.steps[again.steps["step"].isin(["redirect", "canonical"])]
    assert set(moved["target"]) <= set(again.pages.loc[again.pages["indexable"], "url"])
    mardok.hand_off(again, tmp_path / "orders", all_proposals=True)
    assert (tmp_path / "orders" / "redirects.csv").read_text("utf-8").count("\n") >= moved["step"].eq("redirect").sum()
    for path in tmp_path.rglob("*.*"):
        if path.suffix in (".csv", ".md", ".txt", ".conf", ".html") and path != search and path.name != "report.html":
            assert UNSEEN.isdisjoint(path.read_text("utf-8")), path
    assert "<script>document" not in (tmp_path / "out" / "report.html").read_text("utf-8")


def test_a_redirect_into_an_address_that_gets_a_canonical_and_a_page_of_nothing_visible(tmp_path: Path) -> None:
    host, page = "https://www.host.example", [("Content-Type", "text/html; charset=utf-8")]
    same = f"<title>Hire</title><h1>Hire</h1><p>{SAME}".encode()
    responses: list[Response] = [
        (f"{host}/", 200, page, b"<title>Home</title><p>A home page that says what is to be found here."),
        (f"{host}/a", 200, page, same),
        (f"{host}/a?utm_source=x", 200, page, same),
        (f"{host}/old", 301, [("Location", "/a?utm_source=x")], b""),
        (f"{host}/blank", 200, page, b"<title>Blank</title><p>&#8203;&shy;"),
    ]
    path = tmp_path / "site.warc.gz"
    path.write_bytes(warc_bytes(responses)[0])
    audit = mardok.audit(path)
    assert audit.pages.set_index("url")["words"][f"{host}/blank"] == 0
    assert f"{host}/blank" not in set(audit.pages["url"].iloc[audit.tables["blocks"]["page"]])
    steps = audit.steps.set_index("url")[["step", "target"]]
    assert tuple(steps.loc[f"{host}/a?utm_source=x"]) == ("canonical", f"{host}/a")
    assert tuple(steps.loc[f"{host}/old"]) == ("redirect", f"{host}/a")
