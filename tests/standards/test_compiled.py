"""What is compiled does as its definition in Python says, and nothing needs it."""

from __future__ import annotations

import csv
import filecmp
import io
import os
import random
import re
import subprocess
import sys
from importlib.metadata import version
from pathlib import Path

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from plain_forms import plain_forms

import mardok
import mardok.proofing.pieces  # what it compiles is loaded
from mardok.cells import neutral_cell
from mardok.compare import carriers, join, kept_pairs
from mardok.compiled import DEFINITIONS, is_compiled
from mardok.extract.html import read_document
from mardok.extract.page import Block, Context, Link
from mardok.settings import Extract
from mardok.sources import limits
from mardok.text import known_hashes
from mardok.text.words import letter_kinds, without_invisible
from mardok.urls import resolved_url
from mardok.vocabulary import GainUnit

PURE = {**os.environ, "MARDOK_PURE_PYTHON": "1"}
SMALL = st.sets(st.integers(0, 40))
NAMES = [
    "p",
    "li",
    "div",
    "span",
    "b",
    "i",
    "u",
    "font",
    "table",
    "td",
    "tr",
    "a",
    "option",
    "optgroup",
    "select",
    "script",
    "style",
    "title",
    "textarea",
    "xmp",
    "br",
    "img",
    "h1",
    "DIV",
    "x-y",
]
ATTRIBUTES = ["", "", " class=x", " a=b>", ' a="x>y"', " a='<b>'", " / ", "/", "\n"]
ODD = [
    "<!--",
    "-->",
    "--!>",
    "<!-->",
    "<!--->",
    "<!x>",
    "<?x>",
    "</>",
    '"',
    "'",
    ">",
    "<",
    "=",
    "/",
    'a="',
    "\x0b",
    "</scrſipt>",
    "<pé>",
    "<svg>",
    "text",
]
INLINE = [
    "a href='/b?c=1#d'",
    "a href='../b/'",
    "a href=#x",
    "a name=x",
    "b",
    "span hidden",
    "em",
    "button",
    "i class=x",
    "a rel=nofollow href=x",
]
BLOCK = [
    "p",
    "div",
    "ul",
    "li",
    "nav",
    "h1",
    "h2",
    "section class='a b'",
    "footer",
    "table",
    "tr",
    "td",
    "aside",
    "div role=search",
    "header",
]
EMPTY = [
    "<br>",
    "<wbr>",
    "<img src=x alt='a  b'>",
    "<img src=y>",
    "<hr>",
    "<input>",
    "<!-- x -->",
    "<script>a<b</script>",
    "<svg><a href=x>y</a></svg>",
    "<meta name=a content='b &amp; c'>",
    "<link rel=stylesheet href='http://h/x?a=1&amp;b'>",
    "<link style=x href=y>",
    "<img src=z style=a>",
]
TEXTS = [
    "bows ",
    " hire",
    "\u00a0",
    "&nbsp;",
    "&amp;lt;",
    " ",
    "\n\t",
    "\u2014",
    "\U0001f3bb",
    "violins",
    "&lt;b&gt;",
    "\x02",
    "\u3000",
    "#",
]
N_DOCUMENTS = 300_000 if os.environ.get("MARDOK_FULL_PROOFS") else 3000


@pytest.fixture(scope="module", autouse=True)
def built() -> None:
    if not is_compiled():
        assert not os.environ.get("CI"), "the compiled part is not built; .ci/run installs a compiler"
        pytest.skip("needs the compiled part (sh tools/setup.sh dev)")
    letter_kinds()  # takes a moment, once


def document(draw: random.Random, depth: int = 0) -> str:
    """Elements with texts, most of them closed."""
    parts = []
    for _ in range(draw.randrange(1, 7 - depth)):
        kind = draw.random()
        if kind < 0.35 or depth > 4:
            parts.append(draw.choice(TEXTS))
        elif kind < 0.5:
            parts.append(draw.choice(EMPTY))
        else:
            tag = draw.choice(INLINE if kind < 0.75 else BLOCK)
            end = f"</{tag.split()[0]}>" if draw.random() < 0.93 else ""
            parts.append(f"<{tag}>{document(draw, depth + 1)}{end}")
    return "".join(parts)


def test_all_that_has_a_compiled_form_is_loaded_in_it() -> None:
    assert len(DEFINITIONS) > 10
    assert all(form is not None for _, form in DEFINITIONS.values())


@given(st.text(st.sampled_from([*map(chr, [*range(0x200A, 0x2072), 0xAD, 0x61C, 0x180E, 0xFEFF, 0x10FFFF])])))
def test_invisible_signs_are_taken_out_alike(text: str) -> None:
    assert without_invisible(text) == DEFINITIONS["hashing.without_invisible"][0](text)


def test_random_documents_are_read_alike() -> None:
    draw = random.Random(1 if os.environ.get("CI") else None)
    url = "https://www.host.example/a/b?c"
    for _ in range(N_DOCUMENTS // 100):
        texts = ["<title>x</title>" + document(draw) + document(draw) for _ in range(100)]
        documents = [read_document(text, url) for text in texts]
        with plain_forms():
            for text, read in zip(texts, documents, strict=True):
                assert read_document(text, url) == read, text


def test_documents_called_flat_lose_no_tag() -> None:
    draw = random.Random(2 if os.environ.get("CI") else None)
    flat = 0
    for _ in range(N_DOCUMENTS):
        pieces = [
            "<" + draw.choice(["", "", "/"]) + draw.choice(NAMES) + draw.choice(ATTRIBUTES) + draw.choice([">", ">", ""])
            for _ in range(draw.randrange(1, 40))
        ]
        if draw.random() < 0.5:
            pieces.insert(draw.randrange(len(pieces)), draw.choice(ODD))
        text, most_open, most_formatting = "".join(pieces), draw.choice([1, 3, 8, 20]), draw.choice([0, 0, 2])
        if limits.is_surely_flat(text, most_open, most_formatting, 3, 10**6):
            flat += 1
            past: list[str] = []
            asked = Extract.model_construct(**{**Extract().model_dump(), "max_depth": most_open})
            assert limits.Nesting(asked, past, spares_formatting=most_formatting > 0).flattened(text) == text, text
            assert not past, text
    assert flat > N_DOCUMENTS // 5


@given(st.text(st.sampled_from("<<kKbH19-/ \u212a\u00e9"), max_size=100), st.integers(0, 300))
def test_names_of_elements_are_found_alike(text: str, n_more: int) -> None:
    text += "".join(f"<x{n}>" for n in range(n_more)) + "<abcdefghijklmnopqrs"
    plain, compiled = (form(text) for form in DEFINITIONS["names.element_names"] if form is not None)
    assert plain == compiled


SOUGHT = st.sampled_from(
    [
        "<", "<ul>", "<ul", "<UL ", "<nav\n", "<header\u3000", "<footer>", "<ulx", "mardok-part", "MARDOK-", "part",
        "-Part=1", "&", "amp;", "ld", "+json", "itemtype", "=", '"http', ":", "src=", "data=", "\xc2", "\xe2",
        "\u20ac", "\xc3", "\xe9", "\ufffd", "\U0001f3bb", "\u212a", " ", "x" * 255, "y" * 7, "<code>", "\u0663", "\xbd", "_",
        ' a="', " \u3000b", "/",
        "<CODE class=a>", "</code", "<tt\x0b>", "<i lang=it>", "<I LANG = de>", "<html lang=en>", "<b translate=no>",
        " lang=", "notranslate", ">", "a" * 20, "b" * 1190,
    ]
)  # fmt: skip


@settings(max_examples=1500)
@given(st.lists(SOUGHT, max_size=14).map("".join), st.booleans())
def test_what_is_looked_for_in_a_whole_document_is_found_alike(text: str, has_code: bool) -> None:
    names = ("names.part_begins", "names.count_stand_ins", "names.attributes", "nesting.count_tags", "signs.glance")
    for name in (*names, "signs.letter_words"):
        plain, compiled = (form(text) for form in DEFINITIONS[name] if form is not None)
        assert plain == compiled, name
    look = re.compile(rb"lang|no").search
    apart = [form(text.encode(), has_code, look) for form in DEFINITIONS["signs.texts_apart"] if form is not None]
    assert apart[0] == apart[1]


@given(
    st.lists(st.text(st.sampled_from("ab \u3000\x1f\x85\xa0\u4e2d\U0001f3bb\xe9\n\u200b\ud800")), max_size=6),
    st.integers(0, 3000),
)
def test_pieces_are_numbered_alike(texts: list[str], n_more: int) -> None:
    plain, compiled = (form() for form in DEFINITIONS["pieces.PieceTable"] if form is not None)
    for some in (texts, [" ".join(f"a{n % 1200}" for n in range(n_more))], texts[::-1]):
        assert [list(told) for told in plain.cut(some)] == [list(told) for told in compiled.cut(some)]
    assert list(plain.numbers().items()) == list(compiled.numbers().items())


CELLS = st.one_of(
    st.text(st.sampled_from("'=+-@\t\r\n\"a, \xe9\u4e2d\U0001f3bb\ud800\x7f"), max_size=6),
    st.sampled_from(list(GainUnit)),
    st.floats(),
    st.sampled_from([-0.0, -0.004, 0.05, 2.5, 1e22]),
    st.integers(),
    st.booleans(),
    st.none(),
)


@settings(max_examples=1000)
@given(st.integers(1, 3), st.data())
def test_cells_are_written_alike(n_columns: int, data: st.DataObject) -> None:
    n_rows = data.draw(st.integers(0, 4))
    digits = st.none() | st.integers(0, 6)
    columns = [data.draw(st.lists(CELLS, min_size=n_rows, max_size=n_rows)) for _ in range(n_columns)]
    decimals = [data.draw(digits | st.lists(st.integers(0, 6), min_size=n_rows, max_size=n_rows)) for _ in range(n_columns)]
    plain, compiled = (form(columns, decimals) for form in DEFINITIONS["cells.csv_rows"] if form is not None)
    assert plain == compiled
    shown = list(csv.reader(io.StringIO(plain.decode(), newline="")))
    assert [len(row) for row in shown] == [n_columns] * n_rows
    for row, values in zip(shown, zip(*columns, strict=True), strict=True):
        for cell, value in zip(row, values, strict=True):
            assert not isinstance(value, str) or cell == neutral_cell(value)


def test_columns_of_unequal_length_are_refused_alike() -> None:
    for form in DEFINITIONS["cells.csv_rows"]:
        assert form is not None
        for columns, decimals in (([["a"], []], [None, None]), ([[0.5]], [[1, 2]]), ([[0.5]], [])):
            with pytest.raises(ValueError, match=r"argument|length"):
                form(columns, decimals)


@given(
    st.lists(
        st.sampled_from(
            [
                "/",
                "..",
                ".",
                "a",
                "b.html",
                "?",
                "=",
                "&",
                "#",
                " ",
                "%",
                "\u00e9",
                ":",
                "\\",
                "http",
                "~",
                "-",
                "https://h",
                "a" * 600,
            ]
        )
    ),
    st.sampled_from(
        ["https://host.example/", "https://host.example/x/y?z=/a", "https://host.example/x/y/z/", "http://h/a%20b"]
    ),
)
@example(["..", "/", "..", "/", "..", "/", "a"], "https://host.example/x/y?z=/a")
def test_addresses_are_resolved_alike(pieces: list[str], base: str) -> None:
    assert resolved_url("".join(pieces), base) == DEFINITIONS["addresses.resolved_url"][0]("".join(pieces), base)


@given(
    st.text(
        st.sampled_from(
            "ab1'-.,: \n;(x\u00e9\u0301\u4e2d\u3042\u0e01\u0e31\u2014\u3001\u0300\U00020000\U0001f3bb\U000e0100\ud800"
        )
    )
)
@example("a'\u0301b-")
def test_words_are_hashed_alike(text: str) -> None:
    plain, compiled = (form(text) for form in DEFINITIONS["hashing.hashed_words"] if form is not None)
    for one, other in zip(plain, compiled, strict=True):
        assert one.dtype == other.dtype
        assert one.tolist() == other.tolist()


@given(st.data())
def test_blocks_are_packed_alike(data: st.DataObject) -> None:
    text = st.text(st.sampled_from("ab1 -\u00e9\u0660\u4e2d\U0001d7d8\ud800"), max_size=12)
    contexts = [Context("p", place, 0, "", in_main=False, chosen="") for place in ("nav", "main")]
    pool = []
    for words in data.draw(st.lists(text, min_size=1, max_size=6)):
        spans = data.draw(st.lists(st.tuples(*[st.integers(0, len(words))] * 2).map(sorted), max_size=3))
        links = tuple(Link(f"https://host.example/{end}", words[start:end], "", start, end) for start, end in spans)
        pool.append(Block(words, data.draw(st.sampled_from(contexts)), links, data.draw(st.integers(0, 127))))
    pool += [Block(*block) for block in pool]  # equal, and another object
    pages = data.draw(st.lists(st.lists(st.sampled_from(pool), max_size=8).map(tuple), max_size=4))
    plain, compiled = (form(pages) for form in DEFINITIONS["packing.packed_blocks"] if form is not None)
    assert plain == compiled


@given(st.sets(st.integers(0, (1 << 64) - 1), max_size=9), st.integers(0, 4))
def test_known_hashes_are_found_alike(few: set[int], shift: int) -> None:
    # Hashes that agree in the bits by which they stand in a table crowd into the next, and out of the last.
    known = np.sort(np.array([*{n << 13 * shift & (1 << 64) - 1 for n in range(300)} | few], np.uint64))
    hashes = np.concatenate([known, np.arange(50, dtype=np.uint64)])[::-1]
    numbers = known_hashes.KnownHashes(known).numbers(hashes)
    with plain_forms():
        assert known_hashes.KnownHashes(known).numbers(hashes).tolist() == numbers.tolist()
    assert (known[numbers[numbers >= 0]] == hashes[numbers >= 0]).all()
    assert ((numbers >= 0) == np.isin(hashes, known)).all()


@given(st.lists(SMALL, min_size=1, max_size=5), st.data())
def test_overlaps_are_those_of_sets(sets: list[set[int]], data: st.DataObject) -> None:
    sets += [set(range(200 * n, 200 * n + 2000)) for n in range(2)]  # so much longer that places are searched for
    hashes = np.concatenate([np.sort(np.array([*one], np.uint64)) for one in sets])
    offsets = np.concatenate([[0], np.cumsum([len(one) for one in sets])]).astype(np.int64)
    a, b = np.array(data.draw(st.lists(st.tuples(*[st.integers(0, len(sets) - 1)] * 2), min_size=1))).T
    common = [len(sets[one] & sets[other]) for one, other in zip(a.tolist(), b.tolist(), strict=True)]
    for form in DEFINITIONS["overlaps.common_sizes"]:
        assert form is not None
        assert form(hashes, offsets, a, b).tolist() == common


@given(st.lists(st.integers(0, 9)), SMALL, st.integers(1, 4))
def test_words_in_common_shingles_are_counted_alike(shingles: list[int], others: set[int], span: int) -> None:
    own = np.array(shingles, np.uint64)
    order = np.argsort(own)
    n_words = len(shingles) + span - 1
    inside = {at + k for at, one in enumerate(shingles) if one in others for k in range(span)}
    for form in DEFINITIONS["overlaps.words_within"]:
        assert form is not None
        assert form(own[order], order, np.array(sorted(others), np.uint64), n_words, span) == len(inside)


@given(st.lists(st.sets(st.integers(0, 8)), min_size=1, max_size=6), st.data())
def test_teased_runs_are_found_alike(runs: list[set[int]], data: st.DataObject) -> None:
    page = st.integers(0, len(runs) - 1)
    links = sorted(data.draw(st.sets(st.tuples(page, page))))
    source, target = np.array(links, np.int64).reshape(-1, 2).T.copy()
    first = np.concatenate([[0], np.cumsum([len(own) for own in runs])]).astype(np.int64)
    texts = np.array([run for own in runs for run in sorted(own)], np.int32)
    for form in DEFINITIONS["overlaps.teasing"]:
        assert form is not None
        n_with, last = form(source, target, first, texts, 9)
        for number, own in enumerate(runs):
            for at, run in enumerate(sorted(own), start=int(first[number])):
                having = [other for one, other in links if one == number and run in runs[other]]
                assert (n_with[at], last[at]) == (len(having), having[-1] if having else 0)


def test_sets_outside_of_what_is_given_are_an_error() -> None:
    hashes, offsets, one = np.arange(4, dtype=np.uint64), np.array([0, 2, 4]), np.array([0])
    for bad in ([2], [-1], [10**9]):
        with pytest.raises(IndexError):
            join.common_sizes(hashes, offsets, one, np.array(bad))
    with pytest.raises(IndexError):
        join.common_sizes(hashes, np.array([0, 9, 4]), one, one)
    with pytest.raises(IndexError):
        carriers.teasing(one, np.array([7]), offsets, np.zeros(4, np.int32), 1)
    with pytest.raises(ValueError, match="Buffer dtype mismatch"):
        kept_pairs.words_within(hashes.astype(np.float64), offsets, hashes, 4, 3)


def test_an_audit_in_pure_python_is_the_same(demo_folder: Path, tmp_path: Path) -> None:
    site = Path(mardok.__file__).parent / "demo"
    call = [
        sys.executable,
        "-m",
        "mardok",
        "audit",
        site / "site.warc.gz",
        "--search",
        site / "search.csv",
        "-o",
        tmp_path / "a",
    ]
    subprocess.run(call, env=PURE, capture_output=True, check=True)
    names = sorted(path.name for path in demo_folder.glob("*.csv"))
    assert len(names) > 5
    assert filecmp.cmpfiles(demo_folder, tmp_path / "a", names, shallow=False) == (names, [], [])


def test_the_version_says_whether_all_is_compiled() -> None:
    for environment, ending in ((dict(os.environ), ""), (PURE, ", pure Python")):
        told = subprocess.run(
            [sys.executable, "-m", "mardok", "--version"], env=environment, capture_output=True, text=True, check=True
        )
        assert told.stdout == f"mardok {version('mardok')}{ending}\n"
