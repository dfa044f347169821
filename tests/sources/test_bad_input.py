"""Input that is none: one line that says what and where, status 2, and never a traceback."""

from __future__ import annotations

import io
import json
import random
import subprocess
import zipfile
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import openpyxl
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

import mardok
from mardok.errors import MardokError
from mardok.sources.table import read_table

Run = Callable[..., subprocess.CompletedProcess[str]]
PAGES = "url,title,text,status\nhttps://host.example/,Bows,Bows and strings,200\nhttps://host.example/a,Hire,Hire one,200\n"


def workbook(rows: list[list[object]]) -> bytes:
    book = openpyxl.Workbook()
    for row in rows:
        book.active.append(row)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


WORKBOOK = workbook([["url", "title"], ["https://host.example/", "Bows"], ["https://host.example/a", "Hire"]])


def with_part(name: str, contents: bytes) -> bytes:
    """A workbook in which one part is another."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(WORKBOOK)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        for part in old.namelist():
            new.writestr(part, contents if part == name else old.read(part))
    return out.getvalue()


SHEET = "xl/worksheets/sheet1.xml"
CELL = '<row r="{row}"><c r="{cell}" t="inlineStr"><is><t>x</t></is></c></row>'
SHEET_OF = (
    '<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>{}</sheetData></worksheet>'
)
FAR = SHEET_OF.format(CELL.format(row=1, cell="XFD1") + CELL.format(row=1048576, cell="XFD1048576"))

BAD_PAGES: dict[str, tuple[str, bytes]] = {
    "a workbook cut short": ("p.xlsx", WORKBOOK[:-200]),
    "a workbook that is none": ("p.xlsx", b"no workbook"),
    "a workbook without its sheet": ("p.xlsx", with_part("xl/workbook.xml", b"<workbook/>")),
    "a workbook whose sheet is no XML": ("p.xlsx", with_part(SHEET, b"<worksheet><sheetData><row><c t='s'><v>99")),
    "a workbook with a word for a number": (
        "p.xlsx",
        with_part(SHEET, SHEET_OF.format('<row r="1"><c r="A1" t="s"><v>x</v></c></row>').encode()),
    ),
    "a workbook that unfolds": ("p.xlsx", with_part(SHEET, b" " * 600_000_000)),
    "a workbook with two cells at its far ends": ("p.xlsx", with_part(SHEET, FAR.encode())),
    "an empty workbook": ("p.xlsx", workbook([])),
    "Parquet cut short": ("p.parquet", b"PAR1 and no more PAR1"),
    "JSON nested deep": ("p.jsonl", b'{"url": "https://host.example/", "text": ' + b"[" * 100_000 + b"}"),
    "JSON of a number": ("p.jsonl", b"5\n"),
    "JSON with 5,000 digits": ("p.jsonl", b'{"url": "https://host.example/", "status": ' + b"9" * 5000 + b"}"),
    "an empty file": ("p.csv", b""),
    "one column twice": ("p.csv", b"url,url\nhttps://host.example/,x\n"),
    "bytes": ("p.csv", bytes(range(256)) * 10),
}


@pytest.mark.parametrize("what", BAD_PAGES)
def test_pages_that_cannot_be_read_are_refused_in_one_line(run_here: Run, tmp_path: Path, what: str) -> None:
    name, content = BAD_PAGES[what]
    (tmp_path / name).write_bytes(content)
    refused(run_here("audit", tmp_path / name, "-o", tmp_path / "out"), name)


def refused(done: subprocess.CompletedProcess[str], *words: str) -> None:
    assert done.returncode == 2, done
    assert "Traceback" not in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1, done.stderr
    assert all(word in done.stderr for word in words), done.stderr


SEARCH = "query,page,clicks,impressions,position,date\nbows,https://host.example/,{clicks},100,3,2030-01-01\n"
BAD_SEARCH: dict[str, tuple[str, bytes]] = {
    "clicks beyond all numbers": ("s.csv", SEARCH.format(clicks="1e999").encode()),
    "5,000 digits": ("s.csv", SEARCH.format(clicks="9" * 5000).encode()),
    "a heading in quotes without an end": ("s.csv", b'"query,page\n' * 3),
    "bad UTF-8": ("s.csv", SEARCH.format(clicks="1").encode().replace(b"bows", b"\xff\xfe")),
}


@pytest.mark.parametrize("what", BAD_SEARCH)
def test_search_data_that_cannot_be_read_are_refused_in_one_line(run_here: Run, tmp_path: Path, what: str) -> None:
    (tmp_path / "p.csv").write_text(PAGES)
    name, content = BAD_SEARCH[what]
    (tmp_path / name).write_bytes(content)
    refused(run_here("audit", tmp_path / "p.csv", "--search", tmp_path / name, "-o", tmp_path / "out"), name)


def test_parquet_with_lists_and_with_text_that_is_none(run_here: Run, tmp_path: Path) -> None:
    (tmp_path / "p.csv").write_text(PAGES)
    figures = {"clicks": [1], "impressions": [10], "position": [3.0], "page": ["https://host.example/"]}
    pq.write_table(pa.table({"query": ["bows"], "more": [[1, 2]], **figures}), tmp_path / "lists.PARQUET")
    done = run_here("audit", tmp_path / "p.csv", "--search", tmp_path / "lists.PARQUET", "-o", tmp_path / "out")
    assert done.returncode == 0, done.stderr
    bad = pa.Array.from_buffers(pa.string(), 1, [None, pa.array([0, 2], pa.int32()).buffers()[1], pa.py_buffer(b"\xff\xfe")])
    pq.write_table(pa.table({"query": bad, **figures}), tmp_path / "bad.parquet")
    refused(
        run_here("audit", tmp_path / "p.csv", "--search", tmp_path / "bad.parquet", "-o", tmp_path / "out"), "bad.parquet"
    )


def test_one_odd_row_costs_that_row(tmp_path: Path) -> None:
    odd = [
        {"url": "https://host.example/", "title": "half a character: \ud800", "text": "words of a page", "status": 200},
        {"url": "https://host.example/long", "title": "x", "text": "some words", "status": "9" * 20},
        {"url": "https://host.example/a", "title": "Hire", "text": "Hire a violin", "status": 200},
    ]
    path = tmp_path / "p.JSONL"
    path.write_text("\r\n".join(map(json.dumps, odd)))
    audited = mardok.audit(path)
    audited.save(tmp_path / "out")
    assert mardok.load(tmp_path / "out").pages["title"].tolist() == ["half a character: ?", "Hire", "x"]
    assert audited.tables["unread"]["reason"].tolist() == ["status '99999999999999999999' is none of HTTP; ignored"]


def test_every_way_to_end_a_line_and_to_write_a_suffix(tmp_path: Path) -> None:
    for end in ("\n", "\r\n", "\r"):
        (tmp_path / "P.CSV").write_bytes(PAGES.replace("\n", end).encode())
        assert len(mardok.audit(tmp_path / "P.CSV").pages) == 2
    (tmp_path / "P.XLSX").write_bytes(WORKBOOK)
    assert len(mardok.audit(tmp_path / "P.XLSX").pages) == 2


@pytest.mark.parametrize(
    "setting", ["copies.resemblance=" + "[" * 50_000, "crawl.max_pages=" + "9" * 5000, "a" * 3000 + "=1"]
)
def test_settings_beyond_all_bounds(run_here: Run, tmp_path: Path, setting: str) -> None:
    (tmp_path / "p.csv").write_text(PAGES)
    refused(run_here("audit", tmp_path / "p.csv", "-o", tmp_path / "out", "--set", setting), "setting")
    file = tmp_path / "m.toml"
    file.write_text("x = " + setting.partition("=")[2])
    refused(run_here("audit", tmp_path / "p.csv", "-o", tmp_path / "out", "--settings", file), "m.toml")


@pytest.mark.parametrize("command", [["page", "/"], ["pages"], ["phrases"], ["handoff"]])
@pytest.mark.parametrize(
    "cut", ["", "{}", "[]", '["mardok"]', '{"mardok": 1}', '{"mardok": "0.1"', "[" * 50_000, "half", "totals"]
)
def test_an_audit_folder_whose_description_is_not_whole(run_here: Run, tmp_path: Path, command: list[str], cut: str) -> None:
    (tmp_path / "p.csv").write_text(PAGES)
    mardok.audit(tmp_path / "p.csv").save(tmp_path / "out")
    description = tmp_path / "out" / "audit.json"
    whole = description.read_text()
    without_totals = json.dumps({**json.loads(whole), "totals": {}})
    description.write_text({"half": whole[: len(whole) // 2], "totals": without_totals}.get(cut, cut))
    more = ["-o", tmp_path / "files", "--all"] if command[0] == "handoff" else []
    done = run_here(command[0], tmp_path / "out", *command[1:], *more)
    if done.returncode:  # what needs no totals may well do without them
        refused(done, "audit.json" if cut != '{"mardok": 1}' else "audit again")


def test_no_bytes_make_a_reader_of_tables_raise_what_is_not_ours(tmp_path: Path) -> None:
    draw = random.Random(5)
    good = {"p.csv": PAGES.encode(), "p.xlsx": WORKBOOK, "p.jsonl": b'{"url": "https://host.example/", "title": "x"}\n' * 3}
    out = io.BytesIO()
    pq.write_table(pa.table({"url": ["https://host.example/"], "title": ["x"]}), out)
    good["p.parquet"] = out.getvalue()
    for number in range(120):
        name = draw.choice(list(good))
        content = bytearray(good[name])
        for _ in range(draw.choice([1, 3, 20])):
            content[draw.randrange(len(content))] = draw.randrange(256)
        path = tmp_path / f"{number}{name}"
        path.write_bytes(content)
        with suppress(MardokError):
            read_table(path)
