"""What kind of thing a page is, whose words it has and what its address is, on sites nobody prepared."""

from __future__ import annotations

import json
import random
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pandas as pd
import pytest

import mardok
from mardok.compare.brand import brand_queries
from mardok.compare.titles import split_titles
from mardok.compare.topics import find_promises
from mardok.extract.batch import batch_of
from mardok.extract.extraction import extract_page
from mardok.extract.language import language_of
from mardok.settings import Language, Settings, Variants
from mardok.sources.raw import RawPage
from mardok.text.columns import columns_of
from mardok.text.site import Site, site_of
from mardok.urls import variant_form

HOST = "https://www.host.example"
WORDS = "bow string pegs bridge maple spruce varnish soundpost chinrest scroll rib purfling mute rosin case neck nut tuner"
Row = dict[str, object]


def prose(seed: int, n: int = 120) -> str:
    chosen = random.Random(seed)
    return " ".join(chosen.choice(WORDS.split()) for _ in range(n)).capitalize() + "."


def row(path: str, title: str, body: str, head: str = "", **more: object) -> Row:
    html = f"<html lang=en><head><title>{title}</title>{head}</head><body><h1>{title}</h1>{body}"
    return {"url": path if path.startswith("http") else f"{HOST}{path}", "status": 200, "html": html, **more}


def site_with(rows: list[Row]) -> Site:
    pages = [extract_page(RawPage(str(one["url"]), "test", 200, (), str(one["html"]).encode()), Settings()) for one in rows]
    return site_of(columns_of([batch_of(pages)]), Settings())


def by_path(pages: pd.DataFrame, column: str) -> dict[str, object]:
    return dict(zip(pages["url"].str.removeprefix(HOST), pages[column], strict=True))


def test_links_in_sentences_make_no_listing_and_pictures_of_the_template_none_of_pictures(
    page_table: Callable[..., Path],
) -> None:
    icons = "".join(f"<img src=/icon{n}.png alt=x>" for n in range(6))
    links = "".join(f"<p>{prose(n, 30)} See <a href=/p{n}>the page</a>. {prose(n + 50, 12)}</p>" for n in range(6))
    teasers = "".join(f"<h3><a href=/p{n}>{prose(n, 4)}</a></h3><p>{prose(n + 70, 12)}</p>" for n in range(6))
    rows = [row(f"/p{n}", f"Page {n}", f"<p>{prose(n + 200, 45)}</p>{icons}") for n in range(9)]
    rows += [row("/prose", "Prose", links), row("/list", "All of them", teasers)]
    rows += [row("/album", "Album", "".join(f"<img src=/a{n}.jpg alt=x>" for n in range(6)) + "<p>In spring.</p>")]
    rows += [row("/services/setup", "Setup", f"<p>{prose(400)}</p>"), row("/x9", "Careers", f"<p>{prose(401)}</p>")]
    kinds = by_path(mardok.audit(page_table(rows)).pages, "kind")
    assert kinds == {
        **{f"/p{n}": "article" for n in range(9)},
        "/prose": "article", "/list": "listing", "/album": "media", "/services/setup": "service", "/x9": "utility",
    }  # fmt: skip


@pytest.mark.parametrize(("usual", "thin"), [(400, True), (200, False), (60, False)])
def test_the_limit_of_thin_pages_is_half_of_what_is_usual_within_bounds(
    usual: int, thin: bool, page_table: Callable[..., Path]
) -> None:
    rows = [row(f"/p{n}", f"Page {n}", f"<p>{prose(n, usual)}</p>") for n in range(24)]
    pages = mardok.audit(page_table([*rows, row("/short", "Short", f"<p>{prose(99, 130)}</p>")])).pages
    assert (by_path(pages, "thin")["/short"] == "yes") is thin


def test_empty_pages_are_broken_and_neither_thin_nor_copies(page_table: Callable[..., Path]) -> None:
    foot = "<div class=foot><p>Wyndale has let violins by the month since 1987.</p></div>"
    rows = [row(f"/p{n}", f"Page {n}", f"<div><p>{prose(n)}</p></div>{foot}") for n in range(9)]
    for name, inside in (("map", "<iframe src=/m></iframe>"), ("app", "<div id=root></div>")):
        rows.append({"url": f"{HOST}/{name}", "html": f"<html lang=en><title>Shown</title>{inside}{foot}"})
    audit = mardok.audit(page_table(rows))
    empty = audit.checks[audit.checks["check"] == "page-empty"]
    assert dict(zip(empty["url"].str.removeprefix(HOST), empty["value"], strict=True)) == {
        "/map": "frame", "/app": "furniture",
    }  # fmt: skip
    pages = audit.pages.set_index("url").loc[empty["url"]]
    assert (pages[["words", "copies"]] == 0).all().all()
    assert (pages["thin"] == "").all()
    assert pages["reason"].str.startswith("not compared: ").all()
    assert audit.groups.empty
    assert (audit.plan["action"] == "repair").any()


@pytest.mark.parametrize(
    ("title", "text", "n_pages", "is_missing"),
    [
        ("404", "Nothing stands here.", 1, True),
        ("Error 404 | Wyndale", "Nothing stands here.", 1, True),
        ("Page not found", "Nothing stands here.", 1, True),
        ("Seite nicht gefunden", "Hier steht nichts.", 1, True),
        ("Wyndale", "Sorry, the page you asked for could not be found. Try the menu.", 4, True),
        ("Wyndale", "Diese Seite existiert nicht mehr oder existiert nicht unter diesem Namen.", 4, True),
        ("Wyndale", "Sorry, the page you asked for could not be found. Try the menu.", 1, False),
        ("Wyndale", "This string is out of stock. Ask for it in the shop.", 4, False),
        ("Bow 404", "A bow of pernambuco, number 404 of its maker.", 1, False),
        ("Page not found: a history of music that was lost", "It was lost in a fire.", 1, False),
    ],
)
def test_an_error_text_under_200_is_known_by_what_it_says(
    title: str, text: str, n_pages: int, is_missing: bool, page_table: Callable[..., Path]
) -> None:
    rows = [row(f"/p{n}", title, f"<p>{text}") for n in range(n_pages)]
    rows += [row(f"/q{n}", f"Bows of year {n}", f"<p>{prose(n)}") for n in range(3)]
    checks = mardok.audit(page_table(rows)).checks
    assert (checks["check"] == "page-soft-404").sum() == is_missing * n_pages


@pytest.mark.parametrize(
    ("address", "body", "is_variant"),
    [
        ("/list?sort=price", lambda n: prose(n + 500), True),  # in another order nothing else is the same
        ("/list?sessionid=7", lambda n: prose(n + 500), True),
        ("/list;jsessionid=A7", lambda n: prose(n + 500), True),
        ("/printer/list", lambda n: prose(n)[:200], True),
        ("/list?colour=red", lambda n: prose(n + 500), False),
        ("/list?colour=red", lambda n: prose(n), True),
    ],
)
def test_variants_are_decided_by_address_first(
    address: str, body: Callable[[int], str], is_variant: bool, page_table: Callable[..., Path]
) -> None:
    rows = [row("/list", "All bows", f"<p>{prose(3)}</p>"), row(address, "All bows", f"<p>{body(3)}</p>")]
    groups = mardok.audit(page_table(rows)).groups
    assert ("variants" in set(groups["kind"])) is is_variant


def test_an_address_that_shows_something_else_is_no_variant(page_table: Callable[..., Path]) -> None:
    rows = [row("/list", "All bows", f"<p>{prose(3)}</p>"), row("/list?view=cases", "Cases", f"<p>{prose(4)}</p>")]
    assert mardok.audit(page_table(rows)).groups.empty
    assert variant_form(f"{HOST}/a;sid=5?b=1", Variants()).identity == ("host.example/a", (("b", "1"),))


def test_a_site_that_names_another_host_says_so_first(page_table: Callable[..., Path], tmp_path: Path) -> None:
    rows = [
        row(f"/p{n}", f"Page {n}", f"<p>{prose(n)}</p>", f'<link rel=canonical href="https://live.example/p{n}">')
        for n in range(4)
    ]
    table, out = page_table(rows), tmp_path / "a:b"
    call = [sys.executable, "-m", "mardok", "audit", str(table), "-o", out.name]

    def run(*arguments: str) -> str:
        return subprocess.run(arguments, capture_output=True, text=True, cwd=tmp_path, check=False).stdout

    first = run(*call)
    assert first.startswith("Nothing can be said of 4 pages: their canonical names another host")
    assert "--set extract.disregard=canonical" in " ".join(first.split())
    again = subprocess.run(
        [*call, "--set", "extract.disregard=canonical"], capture_output=True, text=True, cwd=tmp_path, check=False
    )
    assert again.stdout.startswith("4 pages read, 4 of them indexable")
    shown = subprocess.run(
        [*call[:3], "page", out.name, f"{HOST}/p1", "--json"], capture_output=True, text=True, cwd=tmp_path, check=False
    )
    assert json.loads(shown.stdout)["page"]["indexable"]  # an audit folder with a colon in its name is read back


def test_a_folder_whose_pages_name_themselves_without_suffix_is_the_site_it_serves(tmp_path: Path) -> None:
    for name, canonical in (("about", "/about"), ("hire/bows", "/hire/bows/"), ("hire/pegs", "/hire/other"), ("index", "/")):
        (tmp_path / name).parent.mkdir(exist_ok=True)
        head = f"<link rel=canonical href='{canonical}'><title>{name}</title>"
        (tmp_path / f"{name}.html").write_text(f"<html lang=en>{head}<h1>{name}</h1><a href=/about>x</a><p>{prose(1)}")
    pages = mardok.audit(tmp_path, base=HOST).pages
    assert by_path(pages, "indexable") == {"/": True, "/about": True, "/hire/bows/": True, "/hire/pegs.html": False}
    assert by_path(pages, "inlinks")["/about"] == 3


def test_what_another_page_mostly_says_is_a_finding_and_a_chapter_is_not(page_table: Callable[..., Path]) -> None:
    own = [f"<h2>Part {n}</h2><p>{prose(n, 900)}</p>" for n in range(9)]
    rows = [row(f"/c{n}", f"Part {n}", own[n]) for n in range(4)]
    rows.append(row("/all", "The manual", "".join(own[:4])))
    rows.append(row("/old", "Care of bows", own[5] + f"<p>{prose(80, 170)}</p>"))
    rows.append(row("/new", "Care of bows", own[5] + f"<p>{prose(81, 900)}</p>"))
    rows.append(row("/appendix", "Appendix", own[6] + f"<p>{prose(82, 900)}</p>"))
    rows.append(row("/chapter", "Bridges", own[6] + f"<p>{prose(83, 170)}</p>"))
    audit = mardok.audit(page_table(rows))
    steps = {
        url.removeprefix(HOST): (step, target.removeprefix(HOST))
        for url, step, target in audit.steps[["url", "step", "target"]].itertuples(index=False)
        if step in ("redirect", "trim")
    }
    assert steps == {"/old": ("redirect", "/new"), "/chapter": ("trim", "/appendix")}
    pages = audit.pages.set_index("url")
    for n in range(4):
        assert pages.loc[f"{HOST}/c{n}", ["thin", "thin_reason"]].tolist() == [
            "no", f"it is a chapter of {HOST}/all, which has all chapters on one page",
        ]  # fmt: skip


def test_copies_of_one_page_make_no_boilerplate_and_what_is_pasted_counts_once(page_table: Callable[..., Path]) -> None:
    pasted = "Every hire comes with a cake of rosin and with a soft cloth for the strings of the violin."
    rows = [row(f"/copy{n}", "One text", f"<p>{prose(1)}</p>") for n in range(7)]
    rows += [row(f"/p{n}", f"Page {n}", f"<p>{prose(n + 40)}</p><p>{pasted}</p><p>Try a soft cloth.</p>") for n in range(9)]
    audit = mardok.audit(page_table(rows))
    pages = audit.pages.set_index("url")
    assert (pages.loc[[f"{HOST}/copy{n}" for n in range(7)], "boilerplate_words"] == 0).all()
    assert (pages.loc[[f"{HOST}/p{n}" for n in range(9)], "boilerplate_words"] > 0).all()
    phrases = audit.tables["phrases"].set_index("phrase")
    assert "cake of rosin" not in phrases.index or phrases.loc["cake of rosin", "uses"] == 1
    order = audit.tables["phrases"][["uses", "phrase"]]
    assert order.equals(order.sort_values(["uses", "phrase"], ascending=[False, True], ignore_index=True))
    told = mardok.phrases(audit, sizes=(3, 3)).set_index("phrase")
    assert told.loc["cake of rosin", ["uses", "boilerplate_uses"]].tolist() == [1, 8]


def test_teasers_are_no_wording_of_the_section_that_lists_them(page_table: Callable[..., Path]) -> None:
    said = [f"The soundpost tool {n} turns the soundpost tool of {prose(n, 9)}" for n in range(8)]
    rows = [row(f"/blog/{n}", f"Tool {n}", f"<p>{said[n]}</p><p>{prose(n + 90)}</p>") for n in range(8)]
    lists = "".join(f"<h3><a href=/blog/{n}>Tool {n}</a></h3><p>{said[n]}</p>" for n in range(8))
    rows += [row(f"/news/{n}", f"News {n}", f"<p>{prose(n + 300)}</p>{lists * (n < 2)}") for n in range(9)]
    audit = mardok.audit(page_table(rows))
    sections = audit.tables["section_phrases"]
    assert "soundpost tool" in set(sections.loc[sections["section"].str.contains("/blog/"), "phrase"])
    assert "soundpost tool" not in set(sections.loc[sections["section"].str.contains("/news/"), "phrase"])
    asked = {
        folder: set(mardok.phrases(audit, mardok.Selection(under=(folder,)))["phrase"]) for folder in ("/blog/", "/news/")
    }
    assert "soundpost tool" in asked["/blog/"] - asked["/news/"]


def test_what_many_lists_tease_is_the_text_of_the_page_and_what_is_pasted_is_not(page_table: Callable[..., Path]) -> None:
    said = [f"{prose(n + 700, 30)} " for n in range(6)]
    pasted = "Every bow in this shop was rehaired, straightened and played in by the one who sells it to you."
    rows = [row(f"/blog/{n}", f"Tool {n}", f"<p>{said[n]}</p><p>{prose(n + 90)}</p>") for n in range(6)]
    lists = "".join(f"<h3><a href=/blog/{n}>Tool {n}</a></h3><p>{said[n]}</p>" for n in range(6))
    rows += [row(f"/tag/{n}", f"Tag {n}", f"<p>{prose(n + 300)}</p>{lists}") for n in range(7)]
    for n in range(8):
        beside = "".join(
            f"<p>Beside it lies <a href=/bows/{other % 8}>bow {other % 8}</a> today." for other in (n + 1, n + 2)
        )
        rows.append(row(f"/bows/{n}", f"Bow {n}", f"<p>{prose(n + 200, 60)}</p><p>{pasted}</p>{beside}"))
    audit = mardok.audit(page_table(rows))
    pages = audit.pages.assign(path=audit.pages["url"].str.removeprefix(HOST)).set_index("path")
    posts, tags, bows = (pages[pages.index.str.startswith(f"/{name}/")] for name in ("blog", "tag", "bows"))
    assert (posts["boilerplate_words"] + posts["shared_words"] <= 2).all()  # "Tool 1" stands on every tag, too
    assert (tags["words"] - tags["own_words"] >= 180).all()
    assert (bows["boilerplate_words"] >= len(pasted.split())).all()


def test_a_language_is_told_by_evidence_or_not_at_all() -> None:
    names = "Wyndale Aldmoor Brackwell Dunn Selstead Kelgate Marshgate Uffley Owlpen Cadbrook Hartlemere Netherfold " * 3
    assert language_of(names, "", Language()) == ""
    assert language_of(names, "en", Language()) == "en"
    assert (
        language_of("the bow is in the case that the player has with her when she is at home " * 3, "de", Language()) == "en"
    )
    assert language_of("弓は楽器のケースの中にあります。" * 30, "", Language()) == "ja"


def test_a_folder_of_a_language_that_is_not_translated_yet_is_known(page_table: Callable[..., Path]) -> None:
    english = (
        "the player keeps the bow in the case at home and says that it is good to have it there at any time of the year"
    )
    rows = []
    for name in ("bow", "case", "pegs"):
        text = f"<p>{english} for the {name}. {prose(len(name), 40)} of the {name} and the hand that holds it.</p>"
        rows += [row(f"/en/{name}", f"The {name}", text), row(f"/it/{name}", f"The {name}", text)]
        rows[-1]["html"] = str(rows[-1]["html"]).replace("lang=en", "lang=it")
    audit = mardok.audit(page_table(rows))
    checks = audit.checks[audit.checks["check"] == "text-untranslated"]
    assert set(checks["url"].str.removeprefix(HOST)) == {"/it/bow", "/it/case", "/it/pegs"}
    assert audit.groups.empty


def test_a_folder_is_of_the_language_its_name_ends_with_where_most_of_its_pages_are(page_table: Callable[..., Path]) -> None:
    english = (
        "the player keeps the bow in the case at home and says that it is good to have it there at any time of the year"
    )
    german = "die Geige ist von Hand eingerichtet und die Saiten sind frisch wenn wir sie am Abend in die Werkstatt bringen"
    rows = [row(f"/manual-de/teil{n}", f"Teil {n}", f"<p>{german} {prose(n, 30)} {german}") for n in range(5)]
    for folder, seed in (("manual-de", 9), ("manual-en", 9), ("how-to-do-de", 8), ("how-to-do-en", 8)):
        rows.append(row(f"/{folder}/case", "The case", f"<p>{english}. {prose(seed, 140)} That is what {english}."))
    html = [str(one["html"]).replace("<html lang=en>", "<html>") for one in rows]
    audit = mardok.audit(page_table([{**one, "html": text} for one, text in zip(rows, html, strict=True)]))
    checks = audit.checks[audit.checks["check"] == "text-untranslated"]
    assert set(checks["url"].str.removeprefix(HOST)) == {"/manual-de/case"}
    assert set(audit.groups["url"].str.removeprefix(HOST)) == {"/how-to-do-de/case", "/how-to-do-en/case"}


BRANDS = {
    "Hollin Bow Supplies": ("https://www.hollinbows.example", {"hollin", "hollin bows"}, {"bow supplies", "bow"}),
    "The Long Furrow": (
        "https://longfurrow.example",
        {"long furrow", "the furrow"},
        {"how long do pegs last", "a long bow"},
    ),
}


@pytest.mark.parametrize("name", BRANDS)
def test_a_query_for_the_name_has_its_distinctive_part(name: str) -> None:
    host, meant, other = BRANDS[name]
    rows = [
        row(
            f"{host}/{n}",
            f"{prose(n // 2, 2)[:-1]} | {name}",
            f"<p>{prose(n)} How long a bow lasts. {name.split()[0]} says.</p>",
        )
        for n in range(20)
    ]
    titles = split_titles(site_with(rows))
    assert titles.all_names == [name]
    assert brand_queries(sorted(meant), titles).all()
    assert not brand_queries(sorted(other), titles).any()


def test_a_phrase_keeps_the_words_of_the_title_and_versions_are_words() -> None:
    titles = ["Tuning your violin for the first time", "Release 3.5.0", "Release 3.0.5"]
    rows = [row(f"/{n}", title, f"<p>{prose(n)}</p>") for n, title in enumerate(titles)]
    site = site_with(rows)
    said = find_promises(site, split_titles(site), []).topics
    assert [topic.phrase for topic in said] == ["tuning your violin for the first time", "release 3.5.0", "release 3.0.5"]
    assert said[1].stems != said[2].stems


def test_scripts_that_answer_with_an_error_social_tags_and_headings_are_told(page_table: Callable[..., Path]) -> None:
    tags = "<meta property=og:title content=x><meta property=og:image content=/x.png>"
    part = "<script src=/gone.js></script><link rel=stylesheet href=/fine.css>"
    rows = [row(f"/p{n}", f"Page {n}", f"<p>{prose(n)}</p>", tags + part) for n in range(3)]
    h3 = "".join(f"<h3>Part {n}</h3><p>{prose(n + 30, 120)}</p>" for n in range(3))
    rows.append(row("/bare", "Bare", f"<h2>Same</h2><p>{prose(50)}</p><h2>Same</h2><p>{prose(51)}</p>"))
    rows.append(row("/low", "Low", h3, tags))
    rows.append({"url": f"{HOST}/gone.js", "status": 404, "html": "<title>Gone</title>"})
    checks = mardok.audit(page_table(rows)).checks
    found = {check: set(part["url"].str.removeprefix(HOST)) for check, part in checks.groupby("check")}
    assert found["page-part-broken"] == {"/p0", "/p1", "/p2"}
    assert found["social-missing"] == {"/bare"}
    assert (found["h2-duplicate"], found["h2-missing"]) == ({"/bare"}, {"/low"})
