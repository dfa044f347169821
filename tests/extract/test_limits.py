"""A page has limits: what is past them is passed over and named, what is within them is read as it is, and each ends."""

from __future__ import annotations

import importlib.util
import random
import subprocess
import sys
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest
from conftest import DEMO_WARC, warc_bytes
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import mardok
from mardok.errors import MardokError
from mardok.extract.extraction import extract_pages
from mardok.extract.html import read_document
from mardok.settings import Extract, Settings
from mardok.sources.limits import within_limits
from mardok.sources.opening import raw_pages
from mardok.sources.raw import OpenIntake, RawPage

N = 100_000
BOMBS = {
    "nested": ("<div>" * N + "bows", "extract.max_depth"),
    "nested and ended": ("<div>" * 60_000 + "bows" + "</div>" * 60_000, "extract.max_depth"),
    "lists in lists": ("<p>bows" + "<ul><li>" * 60_000, "extract.max_depth"),
    "attributes": ("<p " + " ".join(f"a{n}" for n in range(N)) + ">bows", "extract.max_attributes"),
    "formatting that is left open": ("<p>bows" + "".join(f"<p><b a={n}>" for n in range(60_000)), "extract.max_depth"),
    "formatting before many paragraphs": ("<i><b><u><s><tt>" * 2000 + "<p>bows" * 20_000, "extract.max_depth"),
    "choices": ("<p>bows<select>" + "<option>x" * N, "extract.max_depth"),
    "signs in a text without markup": ("<p>bows<textarea>" + "<header x=y>" * N, "extract.max_blocks"),
    "lists that end a picture": ("<p>bows<svg>" + "<ol/>" * N, "extract.max_depth"),
    "tags behind signs in a value": ('<p>bows<h2 alt="<style>">' + "<ul>" * N, "extract.max_depth"),
    "tags behind a quote in a bare value": ('<p>bows<em role=a="x>' + "<dialog>" * N, "extract.max_depth"),
    "tags behind what is no comment": ("<p>bows<![CDATA[ <!--<i>" + "<nav>" * N, "extract.max_depth"),
    "tags behind what is data in a formula only": ("<p>bows<math><ul><![CDATA[" + "<ol>" * N, "extract.max_depth"),
    "tags behind an end of nothing": ("<p>bows</ <!--><i>" + "<nav>" * N, "extract.max_depth"),
    "tags behind an empty comment": ("<p>bows<!-->" + "<nav>" * N, "extract.max_depth"),
    "rows that part a text": ("<p>bows" + "<tr a=b>lorem ipsum " * 60_000, "extract.max_attributes"),
    "comments that part a text": ("<p>bows<table>" + "<!--x-->lorem ipsum " * 60_000, ""),
    "what is no comment parts a text": ("<p>bows<table>" + "<!x>lorem <?x>ipsum </ x> " * 20_000, ""),
    "fields in furniture": ("<p>bows<nav>" + "<div>" * 400 + "<input>" * 50_000, ""),
    "a refresh of blanks": (f'<meta http-equiv=refresh content="{" " * N}x"><p>bows', ""),
    "a robot of bots": (f"<meta name={'bot' * N}- content=x><p>bows", ""),
    "a title of dots": ("<title>" + "." * N + "</title><p>bows" + ". " * N, ""),
    "tags": ("<p>bows" + "<br>" * 5 * N, "extract.max_blocks"),
    "links": ("".join(f"<a href=/{n}>bows</a> " for n in range(20_000)), "extract.max_links"),
    "images": ("<p>bows" + "".join(f"<img src=/{n}>" for n in range(20_000)), "extract.max_images"),
    "inline images": ("<p>bows" + f"<img src='data:image/png;base64,{'x' * 1000}'>" * 5000, ""),
}


@pytest.mark.parametrize("bomb", BOMBS)
def test_every_page_ends_within_its_limits_and_what_is_past_them_is_named(bomb: str) -> None:
    html, setting = BOMBS[bomb]
    raw = RawPage("https://host.example/x", "test", 200, (("content-type", "text/html"),), html.encode())
    page = extract_pages([raw], Settings(extract=Extract(max_seconds=4)))[0]  # a page that takes longer has none
    assert any("bows" in block.text for block in page.blocks)
    assert page.unread == ((f"goes past {setting}; the part within it is used",) if setting else ())


def test_what_is_ordinary_is_read_as_it_is() -> None:
    pages = [raw.body.decode() for raw in raw_pages([DEMO_WARC], None, OpenIntake(), Settings().sources) if raw.body]
    row = "<tr><td><p>Bows<b>mended</b><td><svg><path d='M0 0'/><g><path/></g></svg><a href=/x>x</a></tr>"
    pages += [
        f"<table>{row * 3000}</table>",  # of tags that need no end
        "<p>Bows and <b>strings</b>, " * 5000,
        f"<script>{'if (a<b) {' * 5000}</script>{'<div><p>Bows</div>' * 3000}",
        "<!-- " + "<div>" * 5000 + " -->" + "<div>Bows</div>" * 3000,
    ]
    for html in pages:
        assert within_limits(html, Extract()) == (html, ())


def test_a_page_past_a_limit_is_listed_and_the_others_are_whole(tmp_path: Path) -> None:
    path = tmp_path / "site.warc.gz"
    ordinary = [(f"https://host.example/{n}", 200, [], f"<title>{n}</title><p>page {n}".encode()) for n in range(5)]
    path.write_bytes(warc_bytes([*ordinary, ("https://host.example/deep", 200, [], BOMBS["nested"][0].encode())])[0])
    audited = mardok.audit(path)
    assert audited.tables["unread"][["url", "reason"]].values.tolist() == [
        ["https://host.example/deep", "goes past extract.max_depth; the part within it is used"]
    ]
    assert len(audited.pages) == 6


def test_a_page_reads_the_same_whatever_was_read_before() -> None:
    odd = ["<script'><!--</script><ul><</ul>", "'><r hidden><plaintext></plaintext><ul><</ul>"]
    tags = [
        "ul",
        "/ul",
        "nav",
        "/nav",
        "!--",
        "script'",
        "script",
        "/script",
        "plaintext",
        "svg",
        "li",
        "a href=/b",
        "p hidden",
    ]
    tags += ["textarea", "/textarea", "b", "header", "/header"]
    pieces = [*(f"<{tag}>" for tag in tags), "-->", "<", "'>", "x</a>"]
    draw = random.Random(3)
    odd += ["".join(draw.choices(pieces, k=draw.randrange(3, 40))) for _ in range(1500)]
    odd += [f"{one}<ul>{'<li>Bows and strings' * 12}</ul>{one}" for one in odd[:300]]
    for html in odd:
        first = read_document(html, "https://host.example/x")
        assert all(read_document(html, "https://host.example/x") == first for _ in range(3)), html


@pytest.fixture(scope="module")
def fuzz() -> Any:
    """The fuzzing command as a module."""
    told = importlib.util.spec_from_file_location("fuzz", Path(__file__).parents[2] / "tools" / "fuzz.py")
    assert told is not None
    assert told.loader is not None
    module = importlib.util.module_from_spec(told)
    told.loader.exec_module(module)
    return module


@settings(max_examples=40, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large])
@given(
    target=st.sampled_from(["page", "forms", "warc", "sitemap", "robots", "settings", "address", "table", "answer"]),
    data=st.binary(),
)
def test_readers_raise_nothing_that_is_not_their_own(fuzz: Any, target: str, data: bytes) -> None:
    with suppress(MardokError):
        fuzz.TARGETS[target](data)


def test_inputs_that_once_crashed_or_hung_a_reader_no_longer_do() -> None:
    tool = Path(__file__).parents[2] / "tools" / "fuzz.py"
    done = subprocess.run(
        [sys.executable, str(tool), "--replay", "--seconds", "4"], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr
    assert done.stdout.count(": fine") == len(list((Path(__file__).parents[1] / "corpus").glob("*/*")))
