"""What a page says, on templates nobody prepared: furniture goes, content stays, whatever it is called."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mardok.extract.batch import batch_of
from mardok.extract.extraction import extract_page
from mardok.extract.page import Page
from mardok.settings import Settings, Text
from mardok.sources.raw import RawPage
from mardok.text.columns import columns_of
from mardok.text.elements import elements_of, path_codes, places_of
from mardok.text.hashes import Hashes, corpus_of
from mardok.text.recurrence import recurrence
from mardok.text.site import Site, site_of

HOST = "https://www.host.example"
SAYINGS = """
bow string pegs bridge maple spruce varnish soundpost chinrest scroll rib purfling mute rosin case neck nut fine tuner holds
rings turns slips warms dries bends splits glues fits under over beside without before after slowly evenly twice
"""
WORDS = SAYINGS.split()
ABOUT = "Wyndale has let violins by the month since 1987 and keeps a workshop where every bow is looked at before it leaves."
GUARANTEE = (
    "Every violin is set up by hand before it leaves the workshop and comes with a guarantee of two years that covers the "
    "neck, the ribs and the scroll, wherever it is played and whoever plays it."
)
TOPICS = ["Bows", "Strings", "Cases", "Rosin", "Bridges", "Pegs", "Mutes", "Scrolls"]


def prose(seed: int, n: int = 60) -> str:
    chosen = random.Random(seed)
    return " ".join(chosen.choice(WORDS) for _ in range(n)).capitalize() + "."


def links(section: str, n: int = 6) -> list[tuple[str, str]]:
    return [(f"{TOPICS[k]} of the {section}", f"/{section}/{k}/") for k in range(n)]


def content(seed: int) -> list[str]:
    """What the page itself says, one block a line."""
    return [
        f"How {TOPICS[seed % 8].lower()} number {seed} sing",
        prose(3 * seed),
        f"Care for {seed}",
        prose(3 * seed + 1),
        GUARANTEE,
    ]


def builder(seed: int, section: str) -> str:
    """Nested divs of a page builder: names that say little, the core deep inside, boxes between."""
    menu = "".join(f'<div class="it"><a href="{url}">{text}</a></div>' for text, url in [*links("shop"), *links(section)])
    h1, one, h2, two, last = content(seed)
    related = "".join(
        f'<div class="card-{k}"><a href="/x/{seed + k}/">{prose(900 + seed + k, 4)}</a></div>' for k in (1, 2, 3)
    )
    return f"""<div class="w1"><div class="strip-top">Ring us between nine and five.</div>
    <div class="w2"><div class="w3">{menu}</div></div>
    <div class="row-crumbs"><a href="/">Start</a> / <a href="/{section}/">{section}</a> / {h1}</div>
    <div class="w4"><div class="w5 post-{seed}"><div class="w6"><h1>{h1}</h1></div>
    <div class="w6"><p>{one}<h2>{h2}</h2><p>{two}<p>{last}</p></div>
    <div class="sharebar"><span>Share on</span><a href="//a.example/">Mail</a><a href="//b.example/">Print</a></div></div>
    <div class="w7 related-box"><h3>Read on</h3>{related}</div></div>
    <div class="w8 newsletter"><p>One letter a month, no noise.</p></div>
    <div class="w9"><div><h3>Opening hours</h3><p>Weekdays nine to five</p></div><p>{ABOUT}</p>
    <p>&copy; 2019-2024 Wyndale. All rights reserved.</p>
    <p>Last updated: {seed % 28 + 1} May 2024, 10:{seed % 50 + 10}</p></div></div>"""


def tables(seed: int, section: str) -> str:
    """A layout of tables without a class or an id."""
    menu = "<br>".join(f'<a href="{url}">{text}</a>' for text, url in links(section, 8))
    before, after = content(seed - 1)[0], content(seed + 1)[0]
    around = (
        f'<a href="/{seed - 1}/">Before: {before}</a> | <a href="/">Start</a> | <a href="/{seed + 1}/">Next: {after}</a>'
    )
    h1, one, h2, two, last = content(seed)
    return f"""<table width=960><tr><td colspan=2><img src=/logo.gif alt=Wyndale>
    <a href=/hire/>Hire</a> <a href=/buy/>Buy</a> <a href=/us/>Us</a>
    <tr><td width=200>{menu}<td><p>{around}</p><h1>{h1}</h1><p>{one}</p><h2>{h2}</h2><p>{two}</p><p>{last}</p><p>{around}</p>
    <tr><td colspan=2><font size=1>Copyright 2003 Wyndale. <a href=/terms/>Terms</a></font></table>"""


def framework(seed: int, section: str) -> str:
    """Utility classes of a framework, no landmarks, ids made by a program, a drawer and a language switch."""
    menu = "".join(f'<li class="px-3 py-2"><a class="text-sm" href="{url}">{text}</a></li>' for text, url in links(section))
    h1, one, h2, two, last = content(seed)
    return f"""<div id="app-{seed}"><div class="flex items-center bg-white"><a href="/">Wyndale</a>
    <ul class="hidden md:flex">{menu}</ul>
    <div class="space-x-2"><a href="/de/{seed}/" hreflang="de">DE</a> <a href="/fr/{seed}/" hreflang="fr">FR</a></div></div>
    <div class="fixed inset-0" data-state="closed"><ul>{menu}</ul><p>Directions are at the bottom of every page.</p></div>
    <div class="container mx-auto"><div class="prose max-w-none"><h1>{h1}</h1><p>{one}</p>
    <h2>{h2}</h2><p>{two}</p><p>{last}</p></div></div>
    <div class="grid grid-cols-3 border-t"><div><p>Weekdays nine to five</p></div><div><a href="/imprint/">Imprint</a></div>
    <div><p>{ABOUT}</p></div></div><div class="cookie-layer">
    <p>We keep one cookie that counts visits and one that remembers what you
    put aside; you may refuse both of them now and change your mind later in the settings below this note.</p></div></div>"""


TEMPLATES = {"builder": builder, "tables": tables, "framework": framework}


def page_of(html: str, url: str) -> Page:
    body = f"<!DOCTYPE html><html lang=en><head><title>T</title></head><body>{html}".encode()
    return extract_page(RawPage(url, "test", 200, (("content-type", "text/html; charset=utf-8"),), body), Settings())


def site_made(bodies: list[str], text: Text | None = None, *, batches: int = 1, folder: str = "") -> Site:
    pages = [page_of(body, f"{HOST}{folder}/{number:03}") for number, body in enumerate(bodies)]
    parts = [batch_of(pages[k::batches]) for k in range(batches)]
    return site_of(columns_of(parts), Settings(text=text or Text()))


@pytest.mark.parametrize("name", TEMPLATES)
def test_the_text_of_a_page_is_what_only_its_template_does_not_repeat(name: str) -> None:
    site = site_made([TEMPLATES[name](seed, "hire" if seed < 14 else "repairs") for seed in range(28)])
    wrong = {row: site.main_text(row).split("\n") for row in range(28) if site.main_text(row).split("\n") != content(row)}
    assert not wrong, next(iter(wrong.values()))


@pytest.mark.parametrize("name", TEMPLATES)
def test_what_is_decided_depends_neither_on_the_order_of_pages_nor_on_batches(name: str) -> None:
    bodies = [TEMPLATES[name](seed, "hire" if seed % 3 else "repairs") for seed in range(20)]
    one, many = site_made(bodies), site_made(bodies, batches=7)
    assert [one.main_text(row) for row in range(20)] == [many.main_text(row) for row in range(20)]
    assert [one.reasons.names[k] for k in one.reasons.of] == [many.reasons.names[k] for k in many.reasons.of]


SAID = "<h1>Bow {n}</h1><p>{text}</p>"
CONTENT: dict[str, tuple[Callable[[int], str], Callable[[int], list[str]]]] = {
    "a description pasted on every product": (
        lambda _: f"<div class=d>{SAID}<p>{GUARANTEE}</p></div>", lambda _: [GUARANTEE]),
    "a short guarantee at the end of some products": (
        lambda n: f"<div class=d>{SAID}{'<p>Two years of guarantee.</p>' if n % 3 == 0 else ''}</div>",
        lambda n: ["Two years of guarantee."] if n % 3 == 0 else []),
    "a table of prices within the content": (
        lambda n: f"<div class=d>{SAID}<table><tr><th>Month<td>{n + 20} pounds"
        f"<tr><th>Year<td>{n + 200} pounds</table></div>",
        lambda n: ["Month", f"{n + 20} pounds", "Year", f"{n + 200} pounds"]),
    "an accordion that is closed at first": (
        lambda n: f"<div class=d>{SAID}<div class='accordion-body collapse' style='display: none'>"
        f"<p>Answer {n}: {prose(n + 77, 9)}</div></div>",
        lambda n: [f"Answer {n}: {prose(n + 77, 9)}"]),
    "tabs of which one is open": (
        lambda n: f"<div class=d>{SAID}<div role=tabpanel hidden><p>Details {n}: {prose(n + 50, 9)}</div></div>",
        lambda n: [f"Details {n}: {prose(n + 50, 9)}"]),
    "an aside with content": (
        lambda n: f"<div class=d>{SAID}<aside><p>{prose(n + 500, 40)}</aside><p>{prose(n + 900, 30)}</div>",
        lambda n: [prose(n + 500, 40), prose(n + 900, 30)]),
    "a teaser on a page that lists others": (
        lambda n: f"<div class=d>{SAID}<ul>"
        + "".join(f"<li><a href=/p{n}{k}>{prose(n * 9 + k, 5)}</a>" for k in range(4)) + "</ul></div>",
        lambda n: [prose(n * 9 + k, 5) for k in range(4)]),
    "a box with a warning that many pages have": (
        lambda n: f"<div class=d>{SAID}{'<div class=warning><p>Keep it away from heat.</p></div>' if n % 2 else ''}"
        f"<p>{prose(n + 40, 30)}</div>",
        lambda n: (["Keep it away from heat."] if n % 2 else []) + [prose(n + 40, 30)]),
}  # fmt: skip


@pytest.mark.parametrize("case", CONTENT)
def test_content_is_not_furniture_because_it_recurs(case: str) -> None:
    body, kept = CONTENT[case]
    menu = "<div class=menu>" + "".join(f"<a href={url}>{text}</a> " for text, url in links("shop")) + "</div>"
    foot = "<div class=bottom><p>Weekdays nine to five</p><p>&copy; 2024 Wyndale</p></div>"
    site = site_made([menu + body(n).format(n=n, text=prose(n)) + foot for n in range(24)])
    for n in range(24):
        assert site.main_text(n).split("\n") == [f"Bow {n}", prose(n), *kept(n)]


def test_opening_hours_are_furniture_but_on_the_page_about_them() -> None:
    foot = "<div class=foot><h3>Opening hours</h3><p>Weekdays nine to five</p></div>"
    pages = [f"<div class=d>{SAID.format(n=n, text=prose(n))}</div>{foot}" for n in range(12)]
    pages.append(f"<div class=d><h1>When we are here</h1><p>{prose(99)}</p><p>Weekdays nine to five</p></div>{foot}")
    site = site_made(pages)
    assert site.main_text(3) == f"Bow 3\n{prose(3)}"
    assert site.main_text(12) == f"When we are here\n{prose(99)}\nWeekdays nine to five"


def test_a_header_around_the_h1_is_content_and_one_around_a_logo_is_not() -> None:
    body = "<header><h1>{h1}</h1><p>By hand, {n} times a day</p></header><div><p>{text}</p></div>"
    own = site_made([body.format(h1=f"Bow {n}", n=n, text=prose(n)) for n in range(10)])
    assert own.main_text(4) == f"Bow 4\nBy hand, 4 times a day\n{prose(4)}"
    logo = site_made([body.format(h1="Wyndale", n=n, text=prose(n)) for n in range(10)])
    assert logo.main_text(4) == prose(4)


def test_a_page_of_furniture_only_has_no_text_of_its_own() -> None:
    foot = f"<div class=foot><p>{ABOUT}</p><p>Weekdays nine to five</p></div>"
    pages = [f"<div class=d>{SAID.format(n=n, text=prose(n))}</div>{foot}" for n in range(9)]
    site = site_made([*pages, f"<iframe src=/map></iframe>{foot}", foot])
    assert [site.main_text(row) for row in (9, 10)] == ["", ""]
    assert site.pages[9].signs.n_frames == 1
    # What stands in no other page is text, be it in the footer.
    alone = site_made(["<footer><p>The only words of the only page.</p></footer>"])
    assert alone.main_text(0) == "The only words of the only page."


def test_edges_can_be_switched_off_and_doubt_is_told() -> None:
    pages = [f"<h1>Bow {n}</h1><p>{prose(n)}</p><p>Last updated: {n + 1} May 2024</p>" for n in range(12)]
    on, off = site_made(pages), site_made(pages, Text(edges=False))
    assert on.main_text(2) == f"Bow 2\n{prose(2)}"
    assert off.main_text(2) == f"{on.main_text(2)}\nLast updated: 3 May 2024"
    assert "doubt" in {off.reasons.names[number] for number in off.reasons.of}
    assert off.reasons.is_main.all()


def test_labels_of_a_share_bar_are_words_of_their_own() -> None:
    page = page_of(
        "<p>Share on<a href=/m>Mail</a><a href=/l>Link</a><a href=/p>Print</a></p><p>pre<a href=/f>fix</a>es</p>", f"{HOST}/"
    )
    assert [block.text for block in page.blocks] == ["Share on Mail Link Print", "prefixes"]


def test_the_menu_of_another_language_does_not_decide() -> None:
    menu = "".join(f"<div><a href=/{k}>Die Geigen und die Bögen sind in der Werkstatt {k}</a></div>" for k in range(20))
    text = "the bow is in the case and it is kept there by those who play it with the hand that they have at that time"
    site = site_made([f"<div class=menu>{menu}</div><h1>Bow {n}</h1><p>{text} {prose(n, 20)}</p>" for n in range(9)])
    assert {page.language for page in site.pages} == {"en"}


@given(st.lists(st.tuples(st.integers(0, 5), st.integers(0, 11)), min_size=1, max_size=60), st.sampled_from([3, 1000]))
def test_recurrence_is_what_the_definition_says(things: list[tuple[int, int]], at_once: int) -> None:
    things = sorted(things, key=lambda thing: thing[1])
    keys: Hashes = np.array([key for key, _ in things], np.uint64) * np.uint64(0x9E3779B97F4A7C15)
    page = np.array([row for _, row in things], np.int32)
    section, template = np.arange(12) // 4, np.arange(12) % 2
    rules = Text(recurring_pages=2, recurring_share=0.5)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("mardok.text.recurrence._THINGS_AT_ONCE", at_once)
        patch.setattr("mardok.text.recurrence._LOOKED_AT_ONCE", at_once)
        found = recurrence(keys, page, [section, template], rules)
    for place, (key, row) in enumerate(things):
        rows = {other for one, other in things if one == key}
        usual = len(rows) >= 6
        for division in (section, template):
            its = [one for one in range(12) if division[one] == division[row]]
            usual |= len(rows & set(its)) >= max(2, 0.5 * len(its)) and len(rows) >= 2
        assert (found.n_pages[place], bool(found.is_usual[place])) == (len(rows), usual)
        assert bool(found.is_everywhere[place]) == (len(rows) >= max(2, 0.8 * 12))


NAMES = st.sampled_from(["div", "ul", "section", "div class=a"])
TREES = st.recursive(st.just("t"), lambda inner: st.tuples(NAMES, st.lists(inner, max_size=3)), max_leaves=12)


def markup(tree: object, texts: list[str]) -> str:
    if isinstance(tree, str):
        texts.append(f"t{len(texts)}")
        return f"<p>{texts[-1]}</p>"
    name, inner = tree  # type: ignore[misc]
    return f"<{name}>{''.join(markup(one, texts) for one in inner)}</{name.split()[0]}>"


def stretches(tree: object, at: int, found: set[tuple[int, int]]) -> int:
    """Add which texts each element holds, from text `at` on; the number of the text after it."""
    if isinstance(tree, str):
        found.add((at, at + 1))
        return at + 1
    end = at
    for one in tree[1]:  # type: ignore[index]
        end = stretches(one, end, found)
    if end > at:
        found.add((at, end))
    return end


@settings(deadline=None, max_examples=200)
@given(st.lists(TREES, min_size=1, max_size=3))
def test_elements_are_those_of_the_tree(trees: list[object]) -> None:
    texts: list[str] = []
    html = "".join(markup(tree, texts) for tree in trees)
    expected: set[tuple[int, int]] = set()
    end = 0
    for tree in trees:
        end = stretches(tree, end, expected)
    expected |= {(0, end)} if end else set()
    site = site_made([html])
    blocks = site.blocks
    assert [blocks.texts[k] for k in blocks.text[blocks.at]] == texts
    paths, of_context = path_codes(blocks)
    path = of_context[blocks.context[blocks.at]]
    places = places_of(paths, path, blocks.page, 1)
    found = elements_of(path, np.where(np.arange(len(path)) == 0, 0, blocks.joint[blocks.at]).astype(np.int8), places)
    assert set(zip(found.first.tolist(), found.end.tolist(), strict=True)) == expected
    assert len(found) == len(expected)


@given(
    st.lists(st.text("ab .,;()字é\u0301'-", max_size=8).map(lambda text: " ".join(text.split())), min_size=1, max_size=5),
    st.data(),
)
def test_words_arranged_anew_are_those_of_the_new_texts(texts: list[str], data: st.DataObject) -> None:
    used = [number for number, text in enumerate(texts) if text]
    pages = data.draw(st.lists(st.lists(st.sampled_from(used), max_size=4) if used else st.just([]), min_size=1, max_size=4))
    first = np.concatenate([[0], np.cumsum([len(page) for page in pages])]).astype(np.int64)
    found = corpus_of(texts).arranged(np.array([number for page in pages for number in page], np.int64), first)
    slow = corpus_of("\n".join(texts[number] for number in page) for page in pages)
    for name in ("words", "offsets", "block_offsets", "first_blocks", "clause_offsets"):
        assert getattr(found, name).tolist() == getattr(slow, name).tolist()
    assert found.vocabulary == slow.vocabulary


def test_identical_words_in_two_templates_are_one_text() -> None:
    same = content(50)
    bodies = [builder(seed, "hire") for seed in range(12)] + [framework(seed, "hire") for seed in range(20, 32)]
    bodies += [TEMPLATES[name](50, "hire") for name in ("builder", "framework")]
    site = site_made(bodies)
    assert site.main_text(24).split("\n") == site.main_text(25).split("\n") == same
    assert site.text_hashes[24] == site.text_hashes[25]
    assert replace(site.pages[24], url="") != site.pages[25]
