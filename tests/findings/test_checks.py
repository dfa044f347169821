"""Troubles of single pages, kinds of pages, and what sits in a template."""

from __future__ import annotations

import io
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from warcio.statusandheaders import StatusAndHeaders
from warcio.warcwriter import WARCWriter

import mardok
from mardok.findings.letter_widths import width_px
from mardok.findings.page_check import Check, PageCheck, once_a_template, with_templates
from mardok.settings import Checks, Settings

HOST = "https://www.wyndale.example"
TEXT = "<p>" + "the violin is set up by hand and the strings are fresh when it is brought to the door " * 4
PLAIN = "<title>Hire a violin</title><meta name=description content='A violin for a month, brought to the door.'>"
FINE = f"{PLAIN}<h1>Violins for a month</h1>{TEXT}"

PAGES: dict[str, tuple[str, set[str]]] = {
    "fine": (FINE, set()),
    "no title": (FINE.replace("<title>Hire a violin</title>", ""), {"title-missing"}),
    "narrow letters": (FINE.replace("Hire a violin", "illicit little " * 7), set()),
    "wide letters": (FINE.replace("Hire a violin", "WOMBAT MAMMALS " * 4), {"title-long"}),
    "one word": (FINE.replace("Hire a violin", "Violin"), {"title-short"}),
    "says nothing": (FINE.replace("Hire a violin", "Welcome"), {"title-empty-words"}),
    "no description": (FINE.replace("description", "other"), {"description-missing"}),
    "short description": (FINE.replace("A violin for a month, brought to the door.", "A violin."), {"description-short"}),
    "long description": (FINE.replace("to the door.", "to the door of the house at the mill " * 6), {"description-long"}),
    "stuffed": (
        FINE.replace("A violin for a month", "Violin hire, violins, violin rent, cheap violin"), {"description-stuffed"},
    ),
    "no h1": (FINE.replace("h1>", "h2>"), {"h1-missing"}),
    "two h1": (FINE + "<h1>More</h1>", {"h1-several"}),
    "h1 is an image": (FINE.replace("Violins for a month", "<img src=a.png alt=Violins>"), {"h1-image"}),
    "h1 is hidden": (FINE.replace("<h1>", "<h1 style='display:none'>"), {"h1-hidden"}),
    "skipped": (FINE + "<h2>Bows</h2><h4>Hair</h4><p>x", {"heading-skipped"}),
    "in order": (FINE + "<h2>Bows</h2><h3>Hair</h3><h2>Cases</h2><p>x", set()),
    "flat": (FINE + TEXT * 9, {"heading-flat"}),
    "no alt": (FINE + "<img src=a.png><img src=b.png alt=''>", {"image-alt-missing"}),
    "insecure": (FINE + "<script src=http://cdn.example/a.js></script>", {"page-insecure-parts"}),
    "linked insecurely": (FINE + "<a href=http://other.example/>a site that is no part of the page</a>", set()),
    "escaped twice": (FINE + "<p>bows &amp;amp; cases", {"text-double-escaped"}),
    "code": (FINE + "<pre>write &amp;amp; for an ampersand</pre>", set()),
    "a sample in a cell": (FINE + "<table><tr><td>an ampersand<td><code>&amp;amp;</code></table>", set()),
    "wrong encoding": (FINE + "<p>cafÃ© and crÃ¨me", {"text-encoding-broken"}),
    "lost letters": (FINE + "<p>caf\ufffd", {"text-encoding-broken"}),
    "right encoding": (FINE + "<p>café, Ã la carte, £5, ÃO", set()),
    "a word twice": (FINE + "<p>Set the the bridge upright.", {"text-doubled-word"}),
    "a comma behind a space": (FINE + "<p>The bow , the case and the rosin.", {"text-comma"}),
    "half a pair of brackets": (FINE + "<p>The bow (with its case is ready for you.", {"text-bracket"}),
    "a wrong article": (FINE + "<p>This is an violin for every hand and ear.", {"text-article"}),
    "a small letter": (FINE + "<p>The bow is ready. the case is not, as we see.", {"text-capital"}),
    "filler text": (FINE + "<p>Lorem ipsum dolor sit amet.", {"text-leftover"}),
    "broken link": (FINE + "<a href=/gone>the lost page</a>", {"link-broken"}),
    "redirected link": (FINE + "<a href=/old>the old page</a>", {"link-redirected"}),
    "empty words": (FINE + "<a href=/fine>Click here!</a>", {"link-text-empty"}),
    "empty words in other letters": (FINE + "<a href=/fine>\uff28\uff25RE</a>", {"link-text-empty"}),
    "empty words behind an arrow": (FINE + "<a href=/fine>\u2192 mehr</a>", {"link-text-empty"}),
    "empty words, cut by a soft hyphen": (FINE + "<a href=/fine>mo\u00adre</a>", {"link-text-empty"}),
    "words that begin alike": (FINE + "<a href=/fine>Hereford</a> <a href=/fine>He\u0301re</a>", set()),
    "two canonicals": (
        "<head><link rel=canonical href=/c><link rel=canonical href=/d></head>" + FINE, {"canonical-several"},
    ),
    "canonical is gone": ("<head><link rel=canonical href=/gone></head>" + FINE, {"canonical-broken"}),
    "canonical moved": ("<head><link rel=canonical href=/old></head>" + FINE, {"canonical-redirected"}),
    "canonical is noindex": ("<head><link rel=canonical href=/hidden></head>" + FINE, {"canonical-noindex"}),
    "canonical leads on": ("<head><link rel=canonical href=/pointing></head>" + FINE, {"canonical-chain"}),
    "no way back": ("<head><link rel=alternate hreflang=de href=/fine></head>" + FINE, {"hreflang-one-way"}),
    "alternate is gone": ("<head><link rel=alternate hreflang=de href=/gone></head>" + FINE, {"hreflang-broken"}),
    "alternate of itself": (
        "<head><link rel=canonical href=/pointing><link rel=alternate hreflang=en href=/page></head>" + FINE,
        {"canonical-hreflang", "canonical-chain"},
    ),
}  # fmt: skip


def site_with(body: str) -> list[dict[str, Any]]:
    """A page among those that it may point at."""
    other = TEXT.replace("violin", "cello").replace("hand", "heart")
    return [
        {"url": f"{HOST}/page", "status": 200, "html": f"<html lang=en>{body}"},
        {"url": f"{HOST}/fine", "status": 200,
         "html": "<html lang=en><title>Cellos by the year</title>"
                 f"<meta name=description content='A cello for a year and a day.'><h1>A cello for a year</h1>{other}"},
        {"url": f"{HOST}/old", "status": 301, "redirect_url": f"{HOST}/fine"},
        {"url": f"{HOST}/gone", "status": 404, "html": "<title>Gone away</title>"},
        {"url": f"{HOST}/hidden", "status": 200, "html": f"<html lang=en><meta name=robots content=noindex>{FINE}"},
        {"url": f"{HOST}/pointing", "status": 200, "html": "<html lang=en><head><link rel=canonical href=/fine></head>x"},
    ]  # fmt: skip


@pytest.mark.parametrize("case", PAGES)
def test_each_trouble_is_told_and_its_like_is_not(case: str, page_table: Callable[..., Path]) -> None:
    body, expected = PAGES[case]
    checks = mardok.audit(page_table(site_with(body))).checks
    assert set(checks.loc[checks["url"] == f"{HOST}/page", "check"]) == expected
    assert not (checks["url"] == f"{HOST}/fine").any()


@pytest.mark.parametrize(
    ("place", "reason"), [("gone", "canonical elsewhere, an error page (404)"), ("fine", "canonical elsewhere")]
)
def test_a_canonical_on_an_error_page_is_said_to_be_one(place: str, reason: str, page_table: Callable[..., Path]) -> None:
    pages = mardok.audit(page_table(site_with(f"<head><link rel=canonical href=/{place}></head>" + FINE))).pages
    assert pages.set_index("url").loc[f"{HOST}/page", "reason"] == reason


SHOWN_ON_PURPOSE = [
    "In a page write <code>&amp;gt;</code> for the sign, that is &amp;gt; with its semicolon",
    "A sign &amp; is turned into &amp;amp; before the text is shown to anybody who reads it",
    "The HTML entity &amp;nbsp; keeps the words of a line together wherever the line breaks",
    "Call it with the option 'k&amp;uuml;hl' and the word comes out as it was meant",
    "Who reads \u201c\u00c3\u00a9\u201d has opened the letter in a wrong encoding, and asks for it again",
    "<blockquote>It said \u00c3\u00a9 at the top</blockquote><p>That is \u00c3\u00a9, and we asked what was meant by it",
]


@pytest.mark.parametrize("body", SHOWN_ON_PURPOSE)
def test_who_explains_codes_of_characters_shows_no_broken_text(body: str, page_table: Callable[..., Path]) -> None:
    rows = [{"url": f"{HOST}/x", "html": f"<html lang=en><title>Letters and signs</title><h1>Letters</h1><p>{body}.{TEXT}"}]
    assert not mardok.audit(page_table(rows)).checks["check"].isin(["text-double-escaped", "text-encoding-broken"]).any()


def test_a_basket_that_is_closed_may_stand_in_the_menu(tmp_path: Path) -> None:
    menu = "<nav><a href=/basket/>Basket</a></nav>"
    page = menu + FINE + "<p>Read on in <a href=/closed/reading/>the reading room</a>."
    path = tmp_path / "site.warc.gz"
    with path.open("wb") as file:
        writer = WARCWriter(file, gzip=True)
        for url, kind, body in (
            (f"{HOST}/robots.txt", "text/plain", "User-agent: *\nDisallow: /basket/\nDisallow: /closed/"),
            (f"{HOST}/fine", "text/html", f"<html lang=en>{page}"),
        ):
            head = StatusAndHeaders("200 OK", [("Content-Type", kind)], protocol="HTTP/1.1")
            writer.write_record(
                writer.create_warc_record(url, "response", payload=io.BytesIO(body.encode()), http_headers=head)
            )
    checks = mardok.audit(path).checks
    assert checks.loc[checks["check"] == "link-blocked", "url"].tolist() == [f"{HOST}/closed/reading/"]


def test_duplicates_name_one_another_and_not_across_languages(page_table: Callable[..., Path]) -> None:
    german = "<p>" + "die Geige ist von Hand eingerichtet und die Saiten sind frisch wenn wir sie bringen " * 4
    rows = [
        {"url": f"{HOST}/{name}", "html": f"<html lang=en>{PLAIN}<h1>{name}</h1>{TEXT.replace('hand', name)}"}
        for name in "abc"
    ]
    rows.append({"url": f"{HOST}/de/a", "html": f"<html lang=de>{PLAIN}<h1>Geigen</h1>{german}"})
    checks = mardok.audit(page_table(rows)).checks
    titles = checks[checks["check"] == "title-duplicate"].set_index("url")
    assert titles["detail"].to_dict() == {
        f"{HOST}/a": f"{HOST}/b and 1 more", f"{HOST}/b": f"{HOST}/a and 1 more", f"{HOST}/c": f"{HOST}/a and 1 more",
    }  # fmt: skip
    assert set(checks.loc[checks["check"] == "description-language", "url"]) == {f"{HOST}/de/a"}
    assert not (checks["check"] == "h1-duplicate").any()


def test_what_a_template_repeats_is_told_of_every_page_and_mended_once(page_table: Callable[..., Path]) -> None:
    def row(n: int) -> dict[str, str]:
        menu = "<nav><h3>All our pages</h3><a href=/old>Old page</a></nav>"
        more = "<a href=/p0>Read more</a>" if n else ""
        body = f"{menu}<h1>Page number {n}</h1>{TEXT.replace('hand', f'hand{n}')}{more}<img src=/logo.png>"
        described = f"<meta name=description content='All that can be said of number {n}.'>"
        return {"url": f"{HOST}/p{n}", "html": f"<html lang=en><title>Page number {n}</title>{described}{body}"}

    rows = [*map(row, range(8)), {"url": f"{HOST}/old", "status": 301, "redirect_url": f"{HOST}/p1"}]
    audit = mardok.audit(page_table(rows), settings=Settings.model_validate({"copies": {"resemblance": 1}}))
    assert audit.checks["is_template"].all()
    rows_of = audit.checks.groupby("check")["url"].nunique().to_dict()
    assert rows_of == {"heading-repeated": 8, "image-alt-missing": 8, "link-redirected": 8, "link-text-empty": 7}
    assert audit.checks.groupby("check")["pages"].agg(set).map(list).map(lambda found: found[0]).to_dict() == rows_of
    steps = audit.steps[audit.steps["step"].isin(["repair", "relink"])]
    assert len(steps) == 4  # one edit for each
    assert steps["detail"].str.contains("one edit of their template fixes").all()


DATA = '<script type="application/ld+json">'
KIND_PAGES: dict[str, tuple[str, str, str]] = {
    "home": ("/", FINE, "home"),
    "home of a language": ("/en/", FINE, "home"),
    "tracked home": ("/?utm_source=x", FINE, "home"),
    "contact": ("/contact-us/", FINE, "utility"),
    "terms": ("/terms-and-conditions.html", FINE, "utility"),
    "contact lenses": ("/contact-lenses/", FINE, "article"),
    "login": ("/members/", FINE + "<form><input type=password></form>", "utility"),
    "product": ("/x", FINE + f'{DATA}{{"@graph":[{{"@type":["Thing","Product"]}}]}}</script>', "product"),
    "microdata": ("/x", FINE + "<div itemscope itemtype='https://schema.org/Product'></div>", "product"),
    "several products": ("/x", FINE + "<div itemscope itemtype='https://schema.org/Product'></div>" * 3, "listing"),
    "open graph": ("/x", FINE.replace("<title>", "<meta property='og:type' content='product.item'><title>"), "product"),
    "broken data": ("/blog/x", FINE + f'{DATA}{{"@type": "Product"</script>', "article"),
    "further page": ("/blog/page/2/", FINE, "listing"),
    "tag": ("/tag/bows/", FINE + "<a href=/fine>x</a>", "listing"),
    "calculator": ("/x", "<title>Costs</title><h1>Costs</h1><form><input><select></select></form><p>Add up.", "tool"),
    "search form": ("/x", "<title>Costs</title><form role=search><input><input></form><p>Add up.", "article"),
    "film": ("/x", "<title>A film</title><video src=a.mp4></video><p>The workshop in spring.", "media"),
    "pictures": ("/x", "<title>Pictures</title>" + "<img src=a.png alt=''>" * 5 + "<p>The workshop.", "media"),
    "running text": ("/x", FINE, "article"),
}  # fmt: skip


@pytest.mark.parametrize("case", KIND_PAGES)
def test_the_kind_of_a_page_is_told_by_its_signs(case: str, page_table: Callable[..., Path]) -> None:
    path, body, kind = KIND_PAGES[case]
    rows = [{"url": f"{HOST}{path}", "html": f"<html lang=en>{body}"}, *site_with(FINE)[1:]]
    pages = mardok.audit(page_table(rows)).pages.set_index("url")
    assert pages.loc[f"{HOST}{path}", "kind"] == kind, pages.loc[f"{HOST}{path}", "kind_reason"]
    assert pages.loc[f"{HOST}{path}", "kind_reason"]
    by_pattern = Settings.model_validate({"kinds": {"media": [path.partition("?")[0] + "*"]}})
    fixed = mardok.audit(page_table(rows), settings=by_pattern)
    assert fixed.pages.set_index("url").loc[f"{HOST}{path}", "kind"] == "media"


@given(st.text(max_size=60), st.text(max_size=60))
def test_widths_add_up(a: str, b: str) -> None:
    assert width_px(a + b, 20) == pytest.approx(width_px(a, 20) + width_px(b, 20))
    assert width_px("W" * 10, 20) > 2 * width_px("i" * 10, 20)


@given(st.lists(st.tuples(st.integers(0, 11), st.sampled_from("ab"), st.sampled_from(["", "x"])), max_size=40, unique=True))
def test_no_trouble_is_lost_when_those_of_templates_become_one(rows: list[tuple[int, str, str]]) -> None:
    kinds = ["article"] * 8 + ["product"] * 4
    troubles = [Check(row, f"title-{check}", "v", pattern=pattern) for row, check, pattern in rows]
    kept = with_templates(troubles, kinds, range(12), Checks(template_pages=3))
    assert sorted((one.row, one.check, one.pattern) for one in kept) == sorted(
        (one.row, one.check, one.pattern) for one in troubles
    )
    told = [
        PageCheck(f"{HOST}/{one.row:02}", one.check, one.value, one.pattern, "", one.n_pages, one.template) for one in kept
    ]
    assert sum(one.n_pages for _, one in once_a_template(sorted(told))) == len(rows)
    for one in kept:
        alike = [other for other in troubles if other[1::5] == one[1::5] and kinds[other.row] == kinds[one.row]]
        same = [other for other in alike if (other.check, other.pattern) == (one.check, one.pattern)]
        assert bool(one.template) == (len(same) >= 3 and len(same) >= 0.5 * kinds.count(kinds[one.row]))
