"""Bytes in: whatever a file holds, every page that can be read is read, and the rest is told."""

from __future__ import annotations

import gzip
import os
import zlib
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

import brotli
import pandas as pd
import pytest
from conftest import html, warc_bytes
from hypothesis import given, settings
from hypothesis import strategies as st

import mardok
from mardok.settings import Search as SearchSettings
from mardok.sources.body import BodyError, decoded, without_chunks
from mardok.sources.html_folder import html_files
from mardok.sources.raw import OpenIntake
from mardok.sources.search_data import read_search
from mardok.sources.warc import read_warc

LIMIT = 1_000_000
HTML = ("Content-Type", "text/html")
HTML_SUFFIXES = {".html", ".htm", ".xhtml"}
FIVE = [(f"https://host.example/{n}", 200, [], html(f"page number {n} " * 40)) for n in range(5)]


def read(path: Path) -> tuple[list[str], OpenIntake]:
    intake = OpenIntake()
    return [page.url[-1] for page in read_warc(path, intake, LIMIT)], intake


def chunked(body: bytes, size: int) -> bytes:
    pieces = [body[at : at + size] for at in range(0, len(body), size)]
    return b"".join(b"%x;ext=1\r\n%s\r\n" % (len(piece), piece) for piece in pieces) + b"0\r\n\r\n"


@given(st.binary(max_size=300), st.integers(1, 50))
def test_chunks_are_taken_off(body: bytes, size: int) -> None:
    assert without_chunks(chunked(body, size)) == (body, True)


@pytest.mark.parametrize(
    ("coding", "pack"),
    [
        ("gzip", gzip.compress),
        ("deflate", zlib.compress),
        ("deflate", lambda body: zlib.compress(body)[2:-4]),
        ("br", brotli.compress),
        ("br, gzip", lambda body: gzip.compress(brotli.compress(body))),
        ("gzip", lambda body: body),  # many collectors store the decoded body under the old header
        ("unheard-of", lambda body: body),
    ],
)
def test_content_codings_are_taken_off(coding: str, pack: Callable[[bytes], bytes]) -> None:
    body = html("fresh strings " * 500)
    assert decoded(pack(body), coding, LIMIT) == body


@pytest.mark.parametrize(
    ("coding", "body", "reason"),
    [
        ("gzip", gzip.compress(b"\0" * 50_000_000), "larger than 1 MB"),
        ("br", brotli.compress(b"\0" * 50_000_000), "larger than 1 MB"),
        ("gzip", gzip.compress(b"x" * 9000)[:40], "breaks off"),
        ("br", brotli.compress(bytes(range(256)) * 90)[:40], "breaks off"),
        ("gzip", b"no gzip at all", "damaged"),
        ("br", b"no brotli at all", "damaged"),
        ("zstd", b"(\xb5/\xfd", "cannot be read"),
    ],
    ids=["gzip-bomb", "br-bomb", "gzip-cut", "br-cut", "gzip-none", "br-none", "zstd"],
)
def test_a_body_that_cannot_be_decoded_says_why(coding: str, body: bytes, reason: str) -> None:
    with pytest.raises(BodyError, match=reason):
        decoded(body, coding, LIMIT)


@given(st.binary(max_size=80), st.sampled_from(["gzip", "deflate", "br"]))
def test_no_bytes_break_the_decoders(body: bytes, coding: str) -> None:
    with suppress(BodyError):
        decoded(body, coding, LIMIT)
    without_chunks(body)


@pytest.mark.parametrize("name", ["site.warc.gz", "site.warc"])
def test_a_crawl_is_read_as_it_was_written(warc: Callable[..., Path], name: str) -> None:
    path = warc(
        *FIVE[:2],
        ("https://host.example/moved", 301, [("Location", "/1")], b""),
        ("https://host.example/list.pdf", 200, [("Content-Type", "application/pdf")], b"%PDF"),
        ("https://host.example/robots.txt", 200, [("Content-Type", "text/plain")], b"User-agent: *\nDisallow: /1"),
        ("https://host.example/2", 503, [], b"busy"),
        ("https://host.example/2", 200, [HTML, ("Transfer-Encoding", "chunked")], chunked(html("at last"), 7)),
        ("https://host.example/3", 200, [HTML, ("Content-Encoding", "br")], brotli.compress(html("air"))),
        ("https://host.example/4", 200, [HTML, ("Content-Encoding", "gzip")], b"\x1f\x8bnothing"),
        name=name,
    )  # fmt: skip
    audit = mardok.audit(path)
    pages = audit.pages.set_index("url")
    assert pages.loc["https://host.example/moved", ["redirect_url", "reason"]].tolist() == [
        "https://host.example/1",
        "redirect",
    ]
    assert pages.loc["https://host.example/1", "reason"] == "robots.txt"
    assert pages.loc["https://host.example/2", ["status", "main_text"]].tolist() == [200, "at last"]
    assert pages.loc["https://host.example/3", "main_text"] == "air"
    assert pages.loc["https://host.example/4", "reason"].startswith("unreadable: compressed body")
    assert audit.meta.skipped == {"application/pdf": 1}
    assert audit.tables["unread"]["url"].tolist() == ["https://host.example/4"]


@pytest.mark.parametrize("is_gzip", [True, False])
def test_a_file_cut_anywhere_gives_the_pages_before_the_cut_and_says_so(tmp_path: Path, is_gzip: bool) -> None:
    data, starts = warc_bytes(FIVE, gzip=is_gzip)
    path = tmp_path / "cut.warc"
    for cut in [*range(starts[2] - 3, starts[2] + 40), *range(starts[2] + 40, starts[3] + 1, 17)]:
        path.write_bytes(data[:cut])
        found, intake = read(path)
        whole = sum(cut >= end for end in starts[1:])
        # The checksum of a gzip member and the line breaks behind a plain record are no part of the page.
        is_all_there = cut >= starts[whole + 1] - (8 if is_gzip else 4)
        assert len(found) in {whole, whole + is_all_there}, cut
        assert bool(intake.unread) == (cut not in starts and (is_gzip or not is_all_there)), cut
        assert len(intake.unread) <= 1


@pytest.mark.parametrize("is_gzip", [True, False])
def test_reading_goes_on_behind_damage(tmp_path: Path, is_gzip: bool) -> None:
    data, starts = warc_bytes(FIVE, gzip=is_gzip)
    path = tmp_path / "damaged.warc"
    for at in (starts[2], starts[2] + 5) + ((starts[2] + 200,) if is_gzip else ()):
        path.write_bytes(data[:at] + b"\0" * 30 + data[at + 30 :])
        found, intake = read(path)
        assert found == ["0", "1", "3", "4"]
        assert len(intake.unread) == 1


@settings(max_examples=60, deadline=None)
@given(noise=st.binary(max_size=60), at=st.integers(0, 2000), is_gzip=st.booleans())
def test_no_noise_in_a_crawl_breaks_reading(
    tmp_path_factory: pytest.TempPathFactory, noise: bytes, at: int, is_gzip: bool
) -> None:
    data, _ = warc_bytes(FIVE, gzip=is_gzip)
    path = tmp_path_factory.getbasetemp() / "noise.warc"
    path.write_bytes(data[:at] + noise + data[at + len(noise) :])
    with suppress(mardok.SourceError):  # the noise may hit the very beginning
        found, _ = read(path)
        assert len(found) <= len(FIVE)


def test_a_folder_is_read_with_its_addresses(tmp_path: Path) -> None:
    (tmp_path / "guide" / "deep").mkdir(parents=True)
    for name in ("index.html", "guide/index.html", "guide/a b.htm", "guide/deep/\u00e4.html"):
        (tmp_path / name).write_bytes(html(name))
    (tmp_path / "style.css").write_text("p {}")
    audit = mardok.audit(tmp_path, base="https://docs.example/v1")
    assert audit.pages["url"].tolist() == [
        "https://docs.example/v1/",
        "https://docs.example/v1/guide/",
        "https://docs.example/v1/guide/a%20b.htm",
        "https://docs.example/v1/guide/deep/%C3%A4.html",
    ]
    assert audit.meta.skipped == {".css": 1}


def test_no_folder_is_too_odd_to_list(tmp_path: Path) -> None:
    names = (
        "index.html", "index.HTM", "a.html", "a/index.htm", "a/b/Index.HTML", "a.d/x.y.html", ".html", "..html", "dot.",
        "none", "a/.hidden.htm", "a b.xhtml", "index/index.html", "z.HTML", "a-b/c.html",
        "d/" * 300 + "deep.html",
    )  # fmt: skip
    for name in names:
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).touch()
    (tmp_path / "again").symlink_to(tmp_path / "a")
    (tmp_path / "gone.html").symlink_to("nowhere")
    (tmp_path / "loop.html").symlink_to("loop.html")
    (tmp_path / "link.html").symlink_to("a.html")
    os.mkfifo(tmp_path / "pipe.html")
    intake = OpenIntake()
    found = html_files(tmp_path, "https://docs.example/", intake)
    paths = [path for path in sorted(tmp_path.rglob("*")) if path.is_file() and path.suffix.lower() in HTML_SUFFIXES]
    assert [file.path for file in found] == [path.relative_to(tmp_path).as_posix() for path in paths]
    assert intake.skipped == {"no suffix": 3}
    short = {file.path: file.short_url.removeprefix("https://docs.example/") for file in found if file.short_url}
    assert "a.html" not in short, "there is a folder of this name"
    assert short["a.d/x.y.html"] == "a.d/x.y"
    assert not [path for path in short if Path(path).stem == "index"]


@pytest.mark.parametrize("suffix", [".csv", ".jsonl", ".parquet", ".xlsx"])
def test_a_table_is_read_and_what_it_cannot_tell_is_said(tmp_path: Path, suffix: str) -> None:
    text = "\n".join(["Spare strings are kept in the case, and rosin lasts for years if it is not dropped. " * 4] * 2)
    frame = pd.DataFrame(
        {
            "URL": ["https://host.example/a", "https://host.example/b", "https://host.example/c", "no address"],
            "Text": [text, text, "Other words", ""],
            "title": ["Strings", "Strings", "", ""],
            "status": [200, 200, 404, 200],
        }
    )
    path = tmp_path / f"pages{suffix}"
    writers: dict[str, Callable[[], Any]] = {
        ".csv": lambda: frame.to_csv(path, index=False, sep=";", encoding="utf-8-sig"),
        ".jsonl": lambda: frame.to_json(path, orient="records", lines=True),
        ".parquet": lambda: frame.to_parquet(path),
        ".xlsx": lambda: frame.to_excel(path, index=False),
    }
    writers[suffix]()
    audit = mardok.audit(path)
    assert audit.pages["status"].tolist() == [200, 200, 404]
    assert [action for action in audit.plan["action"] if action != "repair"] == ["merge"]
    assert "links and link weight" in audit.meta.not_computed
    assert audit.tables["unread"]["place"].tolist() == ["row 5"]


def test_several_sources_are_one_site(warc: Callable[..., Path], tmp_path: Path) -> None:
    (tmp_path / "pages.csv").write_text("url,title\nhttps://host.example/0,Newer\nhttps://host.example/9,Nine\n")
    audit = mardok.audit(warc(*FIVE), tmp_path / "pages.csv")
    assert len(audit.pages) == 6
    assert audit.pages.set_index("url").loc["https://host.example/0", "title"] == "Newer"


SEARCH = "query,page,clicks,impressions,position,date\n"


def test_bad_search_rows_are_told_and_the_rest_used(tmp_path: Path) -> None:
    path = tmp_path / "search.csv"
    good = "Violin,https://host.example/,1,20,3.5,2026-01-05\n"
    path.write_text(
        SEARCH + good + "a,not an address,1,2,3,2026-01-05\n" + "a,https://host.example/,9,2,3,2026-01-05\n"
        "a,https://host.example/,1,2,0.5,2026-01-05\n" + "a,https://host.example/,1,2,3,5th of May\n" + good
        + "Total,,1,2,3,\n" + "short,https://host.example/\n" + "b,https://host.example/,-1,2,3,2026-01-06\n"
        + "b,https://host.example/,2,8,3,2026-01-06\n" + "never,https://host.example/,0,0,0,2026-01-06\n"
    )  # fmt: skip
    intake = OpenIntake()
    rows = read_search([path], SearchSettings(), intake)
    assert rows[["query", "clicks", "impressions"]].to_numpy().tolist() == [["violin", 1, 20], ["b", 2, 8]]
    told = {row.place: row.reason for row in intake.unread}
    expected = {
        "row 3": "column 'page': 'not an address'", "row 4": "column 'impressions': '2'",
        "row 5": "column 'position': '0.5'",
        "row 6": "column 'date': '5th of May'", "row 7": "stand in an earlier row", "row 8": "totals",
        "row 9": "2 cells where 6 were expected", "row 10": "column 'clicks': '-1'",
    }  # fmt: skip
    assert told.keys() == expected.keys()
    for place, reason in expected.items():
        assert reason in told[place]


FIGURES = [
    ["violin hire", "https://host.example/a", 1204, 20500, 7.5, "2026-03-31"],
    ["öl", "https://host.example/b", 0, 12, 10, "2026-04-01"],
]
DIALECTS = {
    "plain.csv": ("query,page,clicks,impressions,position,date\n", "{},{},{},{},{},{}\n", "utf-8", lambda cells: cells),
    "comma.csv": (
        "\ufeffQuery;Page;Clicks;Impressions;Position;Date\r\n", "{};{};{};{};{};{}\r\n", "utf-8",
        lambda c: [c[0], c[1], f"{c[2]:,}".replace(",", "."), f"{c[3]:,}".replace(",", "."), str(c[4]).replace(".", ","),
                   ".".join(reversed(c[5].split("-")))],
    ),
    "quoted.csv": (
        '"query","page","clicks","impressions","position","date"\n', '"{}","{}","{}","{}","{}","{}"\n', "utf-8",
        lambda c: [c[0].upper(), c[1], f"{c[2]:,}", f"{c[3]:,}", f"{c[4]:.1f}", f"{c[5]} 00:00:00"],
    ),
    "wide.csv": (
        "query\tpage\tclicks\timpressions\tposition\tdate\n", "{}\t{}\t{}\t{}\t{}\t{}\n", "utf-16",
        lambda c: [c[0], c[1], f"{c[2]:,}".replace(",", "\u202f"), f"{c[3]}.0", c[4], "/".join(reversed(c[5].split("-")))],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", DIALECTS)
def test_search_figures_are_understood_in_whatever_way_they_are_written(tmp_path: Path, name: str) -> None:
    heading, line, encoding, written = DIALECTS[name]
    path = tmp_path / name
    path.write_text(heading + "".join(line.format(*written(cells)) for cells in FIGURES), encoding, newline="")
    intake = OpenIntake()
    rows = read_search([path], SearchSettings(), intake)
    assert intake.unread == []
    told = rows.assign(date=rows["date"].dt.strftime("%Y-%m-%d"))[SEARCH.strip().split(",")]
    assert told.to_numpy().tolist() == FIGURES


def test_parquet_with_other_headings_and_several_files_are_read(tmp_path: Path) -> None:
    dates = pd.to_datetime(["2026-03-31", "2026-04-01"])
    frame = pd.DataFrame(
        {"Suchbegriff": ["a", "b"], "page": ["https://host.example/"] * 2, "clicks": [1, 2], "impressions": [9, 9]}
    )
    frame.assign(position=2.5, date=dates).to_parquet(tmp_path / "one.parquet")
    (tmp_path / "two.csv").write_text("query,page,clicks,impressions,position\nc,https://host.example/,1,2,3\n")
    settings = SearchSettings(columns={"query": "Suchbegriff"})
    first = read_search([tmp_path / "one.parquet"], settings, OpenIntake())
    assert first["query"].tolist() == ["a", "b"]
    assert first["date"].tolist() == dates.tolist()
    frame.rename(columns={"Suchbegriff": "query"}).assign(position=2.5).to_parquet(tmp_path / "one.parquet")
    both = read_search([tmp_path / "one.parquet", tmp_path / "two.csv"], SearchSettings(), OpenIntake())
    assert both["query"].tolist() == ["a", "b", "c"]
    assert both["date"].isna().all()


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("query,page\n", r"no column 'clicks', only 'query', 'page'; .*--set search.columns.clicks=NAME"),
        (SEARCH + "a,b,c,d,e,f\n", "no row can be used; row 2, column 'page': 'b'"),
        (
            SEARCH + "a,https://host.example/,1,2,3,03/04/2026\n",
            "'03/04/2026' may be 2026-04-03 or 2026-03-04; .*date_format",
        ),
        ("query,page,query\n", "two columns have the same name"),
        ("", "the file is empty"),
    ],
)
def test_an_unusable_search_file_is_refused(tmp_path: Path, text: str, message: str) -> None:
    path = tmp_path / "search.csv"
    path.write_text(text)
    with pytest.raises(mardok.TableError, match=message):
        read_search([path], SearchSettings(), OpenIntake())
