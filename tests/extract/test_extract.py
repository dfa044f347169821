"""Facts of one page, from HTML as it is met."""

from __future__ import annotations

import re
import sys

import pytest
import stopwordsiso
from hypothesis import given, settings
from hypothesis import strategies as st
from selectolax.lexbor import LexborHTMLParser

from mardok.extract import html as html_module
from mardok.extract import language as language_module
from mardok.extract import template_cache
from mardok.extract.batch import batch_of
from mardok.extract.extraction import extract_page
from mardok.extract.html import read_document
from mardok.extract.indexable import NotIndexable, blocked_by, noindex_reason
from mardok.extract.language import language_of
from mardok.extract.page import Page
from mardok.extract.signs import set_apart_words
from mardok.settings import Language, Settings
from mardok.sources.element_kinds import element_names
from mardok.sources.limits import within_limits
from mardok.sources.raw import RawPage
from mardok.text.columns import columns_of
from mardok.text.site import site_of
from mardok.vocabulary import NoindexReason

URL = "https://host.example/a/b"
HTML = ("content-type", "text/html")


def page_of(html: str | bytes, *headers: tuple[str, str], status: int | None = 200, **sections: object) -> Page:
    body = html if isinstance(html, bytes) else html.encode()
    return extract_page(RawPage(URL, "test", status, (HTML, *headers), body), Settings(**sections))


def main_text(html: str, **text: object) -> str:
    chosen = Settings.model_validate({"text": text})
    return site_of(columns_of([batch_of([page_of(html, text=chosen.text)])]), chosen).main_text(0)


# (HTML inside the body, main text)
MAIN_TEXTS = [
    ("<p>vio<b>lin</b>s and<br>bows<p>cel&shy;lo", "violins and bows\ncel\u00adlo"),
    ("<div>one<p>two</p>three</div>", "one\ntwo\nthree"),
    ("<table><tr><td>a<td>b<tr><th>c</table>", "a\nb\nc"),
    ("<nav>menu</nav><header>top</header><p>text<footer>end</footer>", "text"),
    ("<main><header>H</header>text<footer>F</footer></main><p>outside", "H\ntext\nF"),
    ("<article><footer>by her</footer></article><aside>see also</aside>", "by her"),
    ("<div role=navigation>menu</div><div role=dialog>cookies</div><p>text", "text"),
    ("<p>shown<p hidden>a<p aria-hidden=true>b<p style='DISPLAY : none'>c<noscript>d</noscript>", "shown"),
    ("<form>Name <input value=x><select><option>A</select><textarea>t</textarea><button>Go</button></form>", "Name"),
    ("<div class='Breadcrumb'>Start</div><p>say <button>B</button>it <span hidden>h</span>now", "say it now"),
    (
        "<script>var a = '<p>no</p>'</script><style>p{}</style><template><p>t</template><svg><title>s</title></svg><p>yes",
        "yes",
    ),
    ("<nav>only a menu</nav><footer>and a footer</footer>", "and a footer"),
    ("<P>UPPER<p>a &lt; b &amp;amp; c&nbsp;d", "UPPER\na < b &amp; c d"),
    ("<!-- a > b --><p title='x > y <p>'>kept</p><iframe><p>no</p></iframe>", "kept"),
    ("<h1>Bows<a href='#bows' title='Link'>\u00b6</a></h1><p>a<a href='#b'> [1] </a>b", "Bows\na [1] b"),
    (
        "<p>Use <a href='#x'><code>XTS</code>-<b>AES</b></a><div>or<a href='#y'>, <i>now</i></a></div>",
        "Use XTS-AES\nor, now",
    ),
    ("<div title='a'<b>one</div><p x<ul>two<ul <li>three</ul>", "one\ntwo\nthree"),
    ("", ""),
]


@pytest.mark.parametrize(("body", "expected"), MAIN_TEXTS)
def test_main_text(body: str, expected: str) -> None:
    assert main_text(f"<html><head><title>T</title></head><body>{body}") == expected


def test_selectors_of_the_settings_win() -> None:
    body = "<nav><p class=own>menu text</p></nav><p>other <i class=promo>buy</i></p><p mardok-chosen=ignore>tricky</p>"
    assert main_text(body, only=".own") == "menu text"
    assert main_text(body, ignore=[".promo"]) == "other\ntricky"


def test_links_say_where_they_stand() -> None:
    html = (
        "<base href=/x/><nav><a href=/n>Nav</a></nav><p>See <a href='c?d=1#e' rel='NoFollow UGC'> our <b>list</b></a>."
        "<a href=mailto:a@b>mail</a><a href=/img><img src=p.png alt='A picture'></a></p>"
        "<a href=/card><h2>Card</h2><p>two</p></a><p><a title='An href=' href=/real>real</a></p>"
    )
    page = page_of(html)
    found = {link.url.removeprefix("https://host.example"): (block, link) for block in page.blocks for link in block.links}
    assert list(found) == ["/n", "/x/c?d=1", "/img", "/card", "/real"]
    assert found["/n"][0].context.chrome == "nav"
    block, link = found["/x/c?d=1"]
    assert (block.text[link.start : link.end], link.anchor, link.rel) == ("our list", "our list", "nofollow ugc")
    assert (found["/img"][1].anchor, found["/img"][0].text) == ("A picture", "")
    assert (found["/card"][1].anchor, found["/card"][0].text) == ("Card two", "Card")
    assert [(image.url, image.alt) for image in page.images] == [("https://host.example/x/p.png", "A picture")]


def test_frames_and_image_maps_are_links_without_text() -> None:
    frames = page_of("<frameset><frame src=menu.html><frame src=/main title=Main></frameset>")
    areas = page_of("<map name=m><area href=/bows alt='The bows' shape=rect><area nohref alt=none></map>")
    found = [
        (block.text, link.url, link.anchor) for page in (frames, areas) for block in page.blocks for link in block.links
    ]
    assert found == [
        ("", "https://host.example/a/menu.html", ""),
        ("", "https://host.example/main", "Main"),
        ("", "https://host.example/bows", "The bows"),
    ]


def test_missing_and_empty_alt_texts_are_kept_apart() -> None:
    assert [image.alt for image in page_of("<img src=a><img src=b alt><img src=c alt=' x '>").images] == [None, "", " x "]


def test_directives_of_headers_and_elements() -> None:
    page = page_of(
        "<html lang=en-GB><title> A \n B </title><title>C</title><meta name=Description content=' d  e '>"
        "<meta name=ROBOTS content='NoIndex, follow'><meta name=bingbot content=noarchive>"
        "<link rel='canonical next' href='../c#x'><link rel=alternate hreflang=DE href=/de/><h1>One</h1><h3>Two</h3>",
        ("x-robots-tag", "googlebot: none"),
        ("x-robots-tag", "unavailable_after: 25 Jun 2030 15:00:00 GMT"),
        ("link", '</other>; rel="canonical", </fr/>; rel=alternate; hreflang="fr"'),
    )
    assert (page.title, page.description, page.declared_language) == ("A B", "d e", "en-gb")
    assert page.canonical_url == "https://host.example/c"
    assert page.alternates == (("de", "https://host.example/de/"), ("fr", "https://host.example/fr/"))
    assert page.robots == (
        ("googlebot", "none"), ("", "unavailable_after: 25 jun 2030 15:00:00 gmt"), ("", "noindex"), ("", "follow"),
        ("bingbot", "noarchive"),
    )  # fmt: skip
    assert [(block.context.level, block.text) for block in page.blocks] == [(1, "One"), (3, "Two")]
    assert page_of("<body><div><link rel=canonical href=/bad></div>").canonical_url == ""


# (page, why it is not indexable)
REASONS = [
    (page_of("<p>x"), None),
    (page_of("<p>x", status=None), None),
    (page_of("<p>x", status=404), (NoindexReason.STATUS, "404")),
    (page_of("<meta name=robots content=none>"), (NoindexReason.NOINDEX, "")),
    (page_of("<meta name=otherbot content=noindex>"), None),
    (page_of("<p>x", ("x-robots-tag", "googlebot: noindex")), (NoindexReason.NOINDEX, "")),
    (page_of("<link rel=canonical href=/other>"), (NoindexReason.CANONICAL_ELSEWHERE, "")),
    (page_of("<link rel=canonical href=b>"), None),
    (page_of("<meta http-equiv=Refresh content='0; URL=/there'>"), (NoindexReason.REDIRECT, "")),
    (page_of("<meta http-equiv=refresh content='5; url=/there'>"), None),
    (page_of("<meta http-equiv=refresh content='0; url=b'>"), None),
    (page_of("", ("location", "/there"), status=302), (NoindexReason.REDIRECT, "")),
]


@pytest.mark.parametrize(("page", "reason"), REASONS)
def test_a_page_is_indexable_or_says_why_not(page: Page, reason: tuple[NoindexReason, str] | None) -> None:
    assert noindex_reason(page, lambda _: False, ["googlebot"]) == (NotIndexable(*reason) if reason else None)


def test_robots_txt_counts_for_its_origin() -> None:
    is_blocked = blocked_by({"https://host.example": "User-agent: *\nDisallow: /a/\nAllow: /a/b$"}, ["googlebot"])
    assert is_blocked("https://host.example/a/c")
    assert not is_blocked("https://host.example/a/b")
    assert not is_blocked("http://host.example/a/c")


@pytest.mark.parametrize(
    ("body", "header", "title"),
    [
        ("\ufeff<title>\u00e4</title>".encode(), "text/html; charset=latin-1", "\u00e4"),
        ("<title>\u00e4</title>".encode("latin-1"), "text/html; charset=ISO-8859-1", "\u00e4"),
        ("<meta charset=windows-1251><title>\u0436</title>".encode("cp1251"), "text/html", "\u0436"),
        ("<title>\u00e4</title>".encode(), "text/html", "\u00e4"),
        ("<title>\u201cx\u201d</title>".encode("cp1252"), "text/html", "\u201cx\u201d"),
        ("<title>\u3042</title>".encode("utf-16"), "text/html", "\u3042"),
    ],
)
def test_encoding_by_the_rules_of_the_web(body: bytes, header: str, title: str) -> None:
    assert extract_page(RawPage(URL, "test", 200, (("content-type", header),), body), Settings()).title == title


GERMAN = "Der Bogen liegt in dem Kasten, und die Geige ist noch nicht gestimmt, weil sie erst gestern gekommen ist. " * 2
ENGLISH = "The bow lies in the case, and the violin is not yet in tune, because it has come to us only yesterday. " * 2


@pytest.mark.parametrize(
    ("text", "declared", "language"),
    [(ENGLISH, "en-GB", "en"), (ENGLISH, "de", "en"), (GERMAN, "", "de"), ("Bogen", "de-AT", "de"), ("Bogen", "", "")],
)
def test_a_declared_language_is_checked_and_a_missing_one_found(text: str, declared: str, language: str) -> None:
    assert language_of(text, declared, Language()) == language


WORDS = ["the", "und", "nie", "och", "\u0438", "violin", "x", "qx", "\u5f13", "\u30b1\u30fc\u30b9", "\uac00", "\u0e01"]


@given(st.lists(st.sampled_from(WORDS), max_size=30), st.sampled_from([0.0, 0.12, 0.5]))
def test_the_classifier_is_asked_wherever_its_answer_might_count(told: list[str], share: float) -> None:
    text, rules = " ".join(told), Language(function_word_share=share)
    is_shown = [language_module._is_shown(one, text, told, rules) for one in sorted(stopwordsiso.langs())]
    assert language_module._can_be_shown(text, told, rules) == any(is_shown)


def test_a_list_of_part_numbers_loads_no_classifier(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delitem(sys.modules, "py3langid", raising=False)
    assert language_of("qx-12 qy-30 qz-44 " * 20, "en", Language()) == "en"
    assert "py3langid" not in sys.modules


TAGS = [
    "a", "b", "p", "div", "span", "h1", "ul", "li", "table", "tr", "td", "nav", "main", "header", "br", "img", "button",
    "select", "option", "script", "svg", "form", "aside", "pre", "math", "input", "source",
]  # fmt: skip
PIECES = st.sampled_from(
    [f"<{tag}>" for tag in TAGS] + [f"</{tag}>" for tag in TAGS]
    + ["<a href=/x>", "<p hidden>", "<i aria-hidden=true>", "<!--", "-->", "<", "&#1;", "&#3;", "&lt;p&gt;", "word ", "x"]
    + [" ", "<div role=menu>", "<a href=y>", "<a href='#z'>", "<a href='?q'>", "<img src=i.png alt=I>", "<base href=/q/>"]
    + ["<a title='x href=' href=/r>", "<img title='x alt=' alt=J>", "<input>", "<video>", "</video>"]
)  # fmt: skip


@settings(max_examples=300, deadline=None)
@given(st.lists(PIECES, max_size=40).map("".join) | st.text(max_size=80))
def test_blocks_hold_the_text_the_parser_sees_and_links_stay_inside(html: str) -> None:
    document = read_document(html, URL)
    parser = LexborHTMLParser(html)
    parser.strip_tags(
        ["script", "style", "svg", "template", "iframe", "noembed", "noframes", "xmp", "title", "object", "canvas"]
    )
    parser.strip_tags(["audio", "video"])
    seen = sorted(re.sub("[\x01-\x03\xa0]", " ", parser.body.text() if parser.body else ""))
    if "head" not in html:
        letters = sorted("".join(block.text for block in document.blocks))
        # The sign of a link to a place in its own page is left out; where one may be, letters and digits are compared.
        is_compared = str.isalnum if "#z" in html else lambda c: not c.isspace()
        assert list(filter(is_compared, letters)) == list(filter(is_compared, seen))
    for block in document.blocks:
        assert block.text or block.links
        for link in block.links:
            assert 0 <= link.start < link.end <= len(block.text) or not block.text


@given(st.lists(st.tuples(st.text("aB7 ,.\u00e9\u6f22\u0301_", max_size=8), st.booleans()), max_size=6))
def test_letters_of_linked_blocks_are_counted(texts: list[tuple[str, bool]]) -> None:
    html = "".join(f"<p>{text}<a href=/x>{text[::2]}</a>" if is_linked else f"<p>{text}" for text, is_linked in texts)
    page = page_of(html)
    batch = batch_of([page])
    for place, block in zip(batch.blocks.places, page.blocks, strict=True):
        linked = [block.text[link.start : link.end] for link in block.links]
        assert batch.blocks.n_letters[place] == (sum(map(str.isalnum, block.text)) if block.links else 0)
        assert batch.blocks.n_linked_letters[place] == sum(map(str.isalnum, "".join(linked)))


@settings(max_examples=300, deadline=None)
@given(st.lists(PIECES, max_size=40).map("".join), st.sampled_from(["", "<ul><li><a href=y>z</a></ul>"]))
def test_shortcuts_and_what_is_remembered_change_nothing(html: str, menu: str) -> None:
    addresses = [URL, "https://host.example/c/", "http://other.example/a/b?c"]
    whole = menu + html + menu
    quick = [read_document(whole, url) for url in addresses * 2]
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(html_module, "_SPLIT", re.compile(rf"<(?:{html_module._RAW_TEXT}|(\b\B)|([^>]*>))", re.DOTALL))
        assert quick == [read_document(whole, url) for url in addresses] * 2


HEADINGS = [
    "<h1></h1>",
    "<h1>Bows</h1>",
    "<h1 hidden>Not shown</h1>",
    "<h2>Hire</h2>",
    "<h1><a href=/x><img src=a></a></h1>",
]


@given(st.lists(st.lists(st.sampled_from(HEADINGS), max_size=4).map("".join), max_size=4))
def test_packed_pages_keep_their_first_shown_h1(texts: list[str]) -> None:
    pages = [page_of(html) for html in texts]
    told = ["Bows" if "<h1>Bows" in html else "" for html in texts]
    assert [page.h1 for page in pages] == [page.h1 for page in batch_of(pages).pages] == told


PARTS = [
    "<ul><li><a href=/bows>Bows</a></li><li>Hire <b>now</b></li></ul>", "<nav class='m'><ul><li>One</li></ul>two</nav>",
    "<header><svg><path d=x /><title>t</title></svg><a href=y>Z</a></header>", "<ul><li>left <b>open</li></ul>",
    "<footer><p>Old <i hidden>words</i></p><img src=i.png alt=A></footer>", "<ul><li>x --> </li></ul>",
    "<nav>in <a href='#z'>#</a></nav>", "<ul><li><a name=q>n</a><br/></li></ul>", "<nav><svg><g><ul></ul></g></svg></nav>",
    "<ul><table><tr><td>x</td></tr></table></ul>", '<ul><li title="a > b">t</li></ul>', "<ul><li>a</li></div></ul>",
    "<header><h2>H</h2><div role=menu>m</div></header>", "<ul><p>p</p></ul>", "<nav></p></nav>",
    "<ul><li>&amp;ul;</li></ul>", "<ul><li>a&#1;b</li></ul>",
]  # fmt: skip
AROUND = [
    "<a name=t>", "<font>", "<nobr>", "<textarea>", "</textarea>", "<title>", "</title>", "<math>", "<template>",
    "</template>", "</svg>", "<noscript>", "<iframe>", "</iframe>", "<object>", "<frameset>", "<plaintext>", "<dl>", "<dd>",
    '<div title="', "<div title='", '">', "'>", "<div class=", "<MATH>", "<foreignObject>", "<caption>",
    "<ul mardok-part=1>", "<h2>", "<html>", "<p a<b>", "<ul <b>",
]  # fmt: skip


@settings(max_examples=1000, deadline=None)
@given(st.lists(PIECES | st.sampled_from(PARTS) | st.sampled_from(AROUND), max_size=14).map("".join))
def test_a_known_part_is_read_as_if_it_were_parsed(html: str) -> None:
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(template_cache, "_LEAST", 1)
        patch.setattr(html_module, "_KNOWN", template_cache.TemplateCache())
        for part in PARTS * 2:
            html_module._KNOWN.shortened(part, element_names(part))
        quick = read_document(html, URL)
        patch.setattr(html_module._KNOWN, "shortened", lambda *_: None)
        assert quick == read_document(html, URL)


def test_a_part_that_comes_again_is_not_parsed_again() -> None:
    known = template_cache.TemplateCache()
    menu = f"<ul>{''.join(f'<li><a href=/{n}/>Section {n}</a></li>' for n in range(20))}</ul>"
    assert [known.shortened(f"<p>{n}</p>{menu}<p>end</p>", {"ul"}) is not None for n in range(3)] == [False, True, True]
    assert known.shortened(menu, {"p"}) is None
    short = known.shortened(menu + menu, {"ul"})
    assert short is not None
    assert len(short.html) < len(menu)
    assert [part.markup for part in short.parts] == [menu.replace("=/", '="/').replace("/>", '/">')] * 2
    told = [template_cache.written_alone(part, part[1:].partition(">")[0].partition(" ")[0]) is not None for part in PARTS]
    assert template_cache.written_alone('<ul a=b="x>bows</ul>', "ul") is None  # its first tag is told from no text
    assert told == [True] * 3 + [False] + [True] * 4 + [False] * 2 + [True, False] + [True] * 2 + [False, True, False]


APART = st.sampled_from(
    [
        "<code>", "<CODE class=a>", "</code>", "<tt x>", "<i lang=it>", "<I LANG = de>", "<b translate=no>", "lang=",
        "<var>", "<p class='a notranslate'>", "<html lang=en>", "con fuoco ", "größte K\u212aİ ", "\ud800 ab",
        "<code", "translate",
    ]
)  # fmt: skip


@settings(max_examples=300, deadline=None)
@given(st.lists(APART | PIECES, max_size=25).map("".join))
def test_words_that_markup_sets_apart_are_those_of_its_elements(html: str) -> None:
    code = re.findall(r"<(?:code|kbd|samp|tt|var)(?:[ \t\n\f\r][^<>]*)?>([^<]+)", html, re.ASCII | re.IGNORECASE)
    tags = re.findall(r"<(?!html\b)[a-z][a-z0-9]{0,20}[ \t\n\f\r]([^<>]+)>([^<]+)", html, re.ASCII | re.IGNORECASE)
    sign = re.compile(r"(?:^|\s)(?:lang\s?=|translate=.?no\b|class=.{0,80}\bnotranslate\b)", re.ASCII | re.IGNORECASE)
    others = [text for attributes, text in tags if sign.search(attributes)]
    if html.lower().count(" lang=") < 2 and "translate" not in html.lower():
        others = []  # one is that of the page
    told = [word for text in code + others for word in re.findall(r"[^\W\d_]{3,40}", text.lower())]
    assert set_apart_words(html.encode("utf-8", "replace"), element_names(html)) == tuple(dict.fromkeys(told))


@settings(max_examples=200, deadline=None)
@given(
    st.lists(APART, max_size=8).map("".join),
    st.sampled_from([b"", b"\xff", b"\xef\xbb\xbf", b"\xed\xa0\x80", "\ufffd".encode()]),
)
def test_words_set_apart_are_the_same_in_bytes_that_are_no_text(html: str, odd: bytes) -> None:
    body = b"<meta charset=utf-8><code>ha%blf</code>%b<p>%b<tt>ca%bf" % (odd, odd, html.encode("utf-8", "replace"), odd)
    assert page_of(body).signs.set_apart == read_document(body.decode("utf-8", "replace"), URL).set_apart


@settings(max_examples=200, deadline=None)
@given(st.lists(st.sampled_from(["<", ">", "a", "<p b", "x" * 30, "<q>" + "y" * 59]), max_size=30).map("".join))
def test_long_tags_are_seen_however_the_text_around_them_is(html: str) -> None:
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("mardok.sources.limits._LONG_TAG", 60)
        patch.setattr("mardok.sources.limits._LONG_TAG_BEGINS", re.compile("<[^>]{60}"))
        looked: list[str] = []
        patch.setattr("mardok.sources.limits._with_fewer_attributes", lambda text, *_: looked.append(text) or text)
        within_limits(html, Settings().extract)
    assert bool(looked) == any(
        sign == "<" and ">" not in html[at + 1 : at + 61] and at + 60 < len(html) for at, sign in enumerate(html)
    )


@settings(max_examples=200, deadline=None)
@given(st.binary(max_size=200))
def test_no_bytes_break_extraction(body: bytes) -> None:
    page = page_of(body)
    assert all(block.text == " ".join(block.text.split()) for block in page.blocks)


def test_deep_nesting_and_long_words_are_read() -> None:
    page = page_of("<div>" * 5000 + "deep" + "x" * 100_000)
    assert page.blocks[0].text.startswith("deepxxx")


def test_a_menu_with_relative_links_leads_on_from_each_folder() -> None:
    menu = (
        "<nav><ul>"
        + "".join(f"<li><a href='{name}.html'>The page about {name}</a></li>" for name in "abcdefghij")
        + "</ul></nav>"
    )
    folders = ["https://menus.example/", "https://menus.example/de/", "https://menus.example/de/help/"]
    for order in (folders, folders[::-1], folders * 3):
        for folder in order:
            for _ in range(3):
                blocks = read_document(f"<title>x</title>{menu}<p>text", f"{folder}page.html").blocks
                assert {link.url.rpartition("/")[0] for block in blocks for link in block.links} == {folder[:-1]}
