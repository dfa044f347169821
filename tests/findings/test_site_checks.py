"""Troubles that lie between pages, or between pages and what the server says: each on a site that has no other, and its like
that is none."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import pytest

import mardok
from mardok.vocabulary import CheckId
from tests.conftest import Response
from tests.findings.test_checks import PAGES as TROUBLES_OF_ONE_PAGE

HOST = "https://www.wyndale.example"
WORDS = {
    "/": "We hire out instruments in the valley. Each is set up by hand, brought to the door and fetched in summer.",
    "/cellos/": "A cello sounds best when its bridge has been cut for the player. Ours are measured before they leave.",
    "/bows/": "Horse hair wears out within a school year. Bring the stick on a Monday, and it is ready before the weekend.",
    "/cases/": "Hard shells keep the frost away from old varnish. Soft bags weigh less, but ask for care in trains.",
    "/rosin/": "Dark rosin grips in winter while the light sort suits damp summers. A cake lasts unless it is dropped.",
}
TITLES = {
    "/": "Violins for hire in the valley",
    "/cellos/": "Cellos cut for the player",
    "/bows/": "New hair for tired bows",
    "/cases/": "Cases that keep frost out",
    "/rosin/": "Rosin for winter and summer",
}
GERMAN = (
    "Wir verleihen Geigen im ganzen Tal und bringen sie bis vor die Haustür. Jede wird von Hand eingerichtet, bevor sie die "
    "Werkstatt verlässt, und im Sommer holen wir sie auf Wunsch wieder ab. Die Saiten sind im Preis enthalten."
)
NOTHING: set[tuple[str, str]] = set()


def document(
    path: str, *, head: str = "", body: str = "", title: str = "", h1: str = "", text: str = "", lang: str = "en"
) -> str:
    """A page without any trouble; links lead to all others."""
    menu = "".join(f"<li><a href={other}>{TITLES[other]}</a>" for other in TITLES if other != path)
    words = text or WORDS.get(path, "")
    return (
        f"<!doctype html><html lang={lang}><head><title>{title or TITLES.get(path, path)}</title>"
        f"<meta name=description content='{words.partition('. ')[0]}.'>{head}</head>"
        f"<body><nav><ul>{menu}</ul></nav><main><h1>{h1 or 'About ' + path.strip('/')}</h1><p>{words}</p>{body}</main>"
    )


@dataclass
class Case:
    """What differs from the site without troubles, and all that must be found then."""

    found: set[tuple[str, str]]
    pages: dict[str, str] = field(default_factory=dict)
    """HTML by path."""
    answers: dict[str, tuple[int, str, str]] = field(default_factory=dict)
    """Status, what a header says (its name, a colon, its value), and text by path or address."""
    kinds: dict[str, str] = field(default_factory=dict)
    """What the crawler asked for, by path, where that is no page."""

    def responses(self) -> list[Response]:
        result: list[Response] = []
        for path, html in {**{path: document(path) for path in TITLES}, **self.pages}.items():
            result.append((address(path), 200, [], html.encode()))
        for path, (status, header, text) in self.answers.items():
            name, _, value = header.partition(": ")
            result.append((address(path), status, [(name, value)] if name else [], text.encode()))
        return result


def address(path: str) -> str:
    return path if "//" in path else HOST + path


def moved(to: str) -> tuple[int, str, str]:
    return 301, f"Location: {address(to)}", ""


def sitemap(*paths: str) -> tuple[int, str, str]:
    listed = "".join(f"<url><loc>{address(path)}</loc></url>" for path in paths)
    return (
        200,
        "Content-Type: application/xml",
        f"<urlset xmlns='http://www.sitemaps.org/schemas/sitemap/0.9'>{listed}</urlset>",
    )


def link(path: str) -> str:
    return f"<p>More is told about this on <a href={path}>the page of {path.strip('/')} that we wrote</a>.</p>"


GONE = (404, "Content-Type: text/html", "<title>404</title>")
PLAIN = (200, "Content-Type: text/plain", "")
LONG = "A sentence about what holds the sound post of a violin in its place, " * 4
ON_DE = document("/de/", title="Geigen im Tal zu leihen", text=GERMAN, lang="de")
FACT = "<p>The lid of the case that the firm sends along has two locks, one strap, a pocket for music and a blanket.</p>"

CASES: dict[str, Case] = {
    "a site without troubles": Case(NOTHING),
    "two titles": Case(
        {("/bows/", "title-duplicate"), ("/cases/", "title-duplicate")},
        {"/cases/": document("/cases/", title="NEW hair for  tired bows")},
    ),
    "two descriptions": Case(
        {("/bows/", "description-duplicate"), ("/cases/", "description-duplicate")},
        {"/cases/": document("/cases/").replace(WORDS["/cases/"].partition(". ")[0], WORDS["/bows/"].partition(". ")[0], 1)},
    ),
    "two h1": Case(
        {("/bows/", "h1-duplicate"), ("/cases/", "h1-duplicate")},
        {"/cases/": document("/cases/", h1="About bows")},
    ),
    "one h1 in two languages": Case(
        NOTHING,
        {
            "/de/": ON_DE.replace("About de", "About bows"),
            "/bows/": document("/bows/", body=link("/de/")),
        },
    ),
    "a description in another language": Case(
        {("/cases/", "description-language")},
        {
            "/de/": ON_DE,
            "/bows/": document("/bows/", body=link("/de/")),
            "/cases/": document("/cases/").replace(
                WORDS["/cases/"].partition(". ")[0], GERMAN.partition(". ")[0] + " und dem Tal", 1
            ),
        },
    ),
    "a picture for networks on most pages": Case(
        {("/rosin/", "social-missing")},
        {path: document(path, head="<meta property=og:image content=/i.png>") for path in TITLES if path != "/rosin/"},
    ),
    "a picture for networks on no page": Case(
        NOTHING, {"/rosin/": document("/rosin/", head="<meta property=og:locale content=en>")}
    ),
    "h3 without h2": Case(
        {("/bows/", "h2-missing"), ("/bows/", "heading-skipped")},
        {
            "/bows/": document(
                "/bows/", body="<h3>Sticks</h3>" + "".join(f"<p>Part {n} of it. {WORDS['/']}" for n in "abcdefgh") * 2
            )
        },
    ),
    "two h2": Case({("/bows/", "h2-duplicate")}, {"/bows/": document("/bows/", body="<h2>Hair</h2><p>x<h2>Hair</h2><p>y")}),
    "a long h2": Case({("/bows/", "h2-long")}, {"/bows/": document("/bows/", body=f"<h2>{LONG}</h2><p>x")}),
    "a heading in the menu": Case(
        {(path, "heading-repeated") for path in TITLES},
        {path: document(path).replace("<nav>", "<nav><h3>All that we do</h3>") for path in TITLES},
    ),
    "a picture that is gone": Case(
        {("/bows/", "image-broken")},
        {"/bows/": document("/bows/", body="<img src=/bow.png alt=Bow><img src=/cake.png alt=Rosin>")},
        {"/bow.png": (404, "Content-Type: image/png", ""), "/cake.png": (200, "Content-Type: image/png", "x")},
        {"/bow.png": "image", "/cake.png": "image"},
    ),
    "two redirects in a row": Case(
        {("/old/", "redirect-chain")}, {}, {"/old/": moved("/older/"), "/older/": moved("/bows/")}
    ),
    "one redirect": Case(NOTHING, {}, {"/old/": moved("/bows/")}),
    "redirects in a circle": Case(
        {("/old/", "redirect-loop"), ("/older/", "redirect-loop")},
        {},
        {"/old/": moved("/older/"), "/older/": moved("/old/")},
    ),
    "a redirect to an error": Case({("/old/", "redirect-broken")}, {}, {"/old/": moved("/gone/"), "/gone/": GONE}),
    "a redirect away from the site": Case(NOTHING, {}, {"/old/": moved("https://other.example/")}),
    "a canonical on another site": Case(
        {("/bows/", "canonical-other-host")},
        {"/bows/": document("/bows/", head="<link rel=canonical href=https://other.example/bows/>")},
    ),
    "a canonical of itself": Case(NOTHING, {"/bows/": document("/bows/", head=f"<link rel=canonical href={HOST}/bows/>")}),
    "an English page in the German folder": Case(
        {("/de/bows/", "text-untranslated")},
        {
            "/de/": ON_DE,
            "/bows/": document("/bows/", head="<link rel=alternate hreflang=de href=/de/bows/>", body=FACT),
            "/cases/": document("/cases/", body=link("/de/")),
            "/de/bows/": document(
                "/de/bows/",
                title="Neue Haare",
                h1="Neue Haare",
                text=WORDS["/bows/"],
                body=FACT,
                head="<link rel=alternate hreflang=en href=/bows/><link rel=alternate hreflang=de href=/de/bows/>",
            ),
        },
    ),
    "only the sitemap leads there": Case(
        {("/strings/", "page-orphan")},
        {
            "/strings/": document(
                "/strings/",
                title="Strings of gut and steel",
                text="Gut strings go out of tune in rain. Steel does not mind.",
            )
        },
        {"/sitemap.xml": sitemap(*TITLES, "/strings/")},
    ),
    "a closed page that a text leads to": Case(
        {("/closed/", "link-blocked")},
        {"/bows/": document("/bows/", body=link("/closed/"))},
        {"/robots.txt": (200, "Content-Type: text/plain", "User-agent: *\nDisallow: /closed/\n")},
    ),
    "a closed basket that a text leads to": Case(
        NOTHING,
        {"/bows/": document("/bows/", body=link("/basket/"))},
        {"/robots.txt": (200, "Content-Type: text/plain", "User-agent: *\nDisallow: /basket/\n")},
    ),
    "HTML as robots.txt": Case(
        {("/robots.txt", "robots-html")}, {}, {"/robots.txt": (200, "Content-Type: text/html", "<html><title>Hello</title>")}
    ),
    "HTML as a sitemap": Case(
        {("/sitemap.xml", "sitemap-html")},
        {},
        {"/sitemap.xml": (200, "Content-Type: text/html", "<html><title>Hello</title>")},
        {"/sitemap.xml": "sitemap"},
    ),
    "a sitemap with a page that is gone": Case(
        {("/old/", "sitemap-not-indexable"), ("/gone/", "sitemap-not-indexable")},
        {},
        {"/sitemap.xml": sitemap(*TITLES, "/gone/", "/old/"), "/gone/": GONE, "/old/": moved("/bows/")},
    ),
    "a page without words": Case(
        {("/empty/", "page-empty")},
        {
            "/empty/": document("/empty/").replace("<h1>About empty</h1><p></p>", ""),
            "/bows/": document("/bows/", body=link("/empty/")),
        },
    ),
    "an error under status 200": Case(
        {("/lost/", "page-soft-404")},
        {
            "/lost/": document("/lost/", title="Page not found", h1="Page not found", text="Perhaps it has moved."),
            "/bows/": document("/bows/", body=link("/lost/")),
        },
    ),
    "a page about what is lost": Case(
        NOTHING,
        {
            "/lost/": document(
                "/lost/",
                title="What to do when a violin is not found in the cloakroom",
                h1="Lost in the cloakroom",
                text="Tell the porter of the house first. He knows which instruments went home with others.",
            ),
            "/bows/": document("/bows/", body=link("/lost/")),
        },
    ),
    "a site that is closed": Case(
        {("/", "site-closed")},
        {"/": document("/", head="<meta name=robots content=noindex>")},
    ),
    "a script that is gone": Case(
        {("/bows/", "page-part-broken")},
        {"/bows/": document("/bows/", head="<script src=/a.js></script><script src=/b.js></script>")},
        {"/a.js": (500, "Content-Type: text/javascript", ""), "/b.js": (200, "Content-Type: text/javascript", "1")},
        {"/a.js": "part", "/b.js": "part"},
    ),
    "a page with and without a slash": Case(
        {("/bows", "variant-answers")}, {"/bows": document("/bows/"), "/cases/": document("/cases/", body=link("/bows"))}
    ),
    "a slash too few that is redirected": Case(NOTHING, {}, {"/bows": moved("/bows/")}),
}


@pytest.mark.parametrize("case", CASES)
def test_all_that_is_wrong_with_a_site_is_told_and_nothing_else(case: str, warc: Callable[..., Path]) -> None:
    checks = mardok.audit(
        warc(*CASES[case].responses(), kinds={address(path): kind for path, kind in CASES[case].kinds.items()})
    ).checks
    found = {(str(row.url).removeprefix(HOST), str(row.check)) for row in checks.itertuples()}
    assert found == CASES[case].found
    assert not checks.duplicated(["url", "check", "value", "detail"]).any()


def test_every_check_is_found_on_a_page_of_these_tests() -> None:
    of_one_page = {check for _, checks in TROUBLES_OF_ONE_PAGE.values() for check in checks}
    of_a_site = {check for case in CASES.values() for _, check in case.found}
    of_words = {CheckId.TEXT_MISSPELT, CheckId.TEXT_VARIANTS_MIXED, CheckId.TEXT_CONTRADICTS}  # tests/proofing
    assert of_one_page | of_a_site == {str(check) for check in CheckId} - of_words
