"""What an audit keeps: a later one that uses it is, table by table, what it would be if it had read its pages again."""

from __future__ import annotations

import io
import json
import logging
import random
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Literal, NamedTuple, get_args, get_origin

import numpy as np
import pandas as pd
import pytest
from conftest import DEMO_SEARCH, DEMO_WARC
from hypothesis import HealthCheck, given
from hypothesis import settings as hypothesis_settings
from hypothesis import strategies as st
from random_sites import SITES, write_site

import mardok
from mardok import inputs, pipeline
from mardok import kept as kept_module
from mardok.compare import join, relations
from mardok.deliver import report_parts
from mardok.deliver.report import report_html
from mardok.findings import copy_analysis, phrase_analysis
from mardok.kept import KeptParts, digest_of
from mardok.kept_rows import columns_of_rows, rows_of_columns
from mardok.proofing import job
from mardok.settings import Section
from mardok.text import site_tables
from mardok.vocabulary import CheckId

UNTOUCHED = {"work", "crawl", "drafts", "topic", "versus", "recheck"}
"""Sections that no audit looks at."""


def others(section: Section, path: tuple[str, ...] = ()) -> Iterator[tuple[str, mardok.Settings]]:
    """Each setting with settings in which it is another than by default; what only names files has none."""
    for name, field in type(section).model_fields.items():
        value, place = getattr(section, name), (*path, name)
        if isinstance(value, Section):
            yield from others(value, place)
            continue
        named = [get_args(one)[0] for one in get_args(field.annotation) if get_origin(one) is Literal]
        tried: list[Any] = [not value] if isinstance(value, bool) else []
        if isinstance(value, (int, float)):
            tried += [value + 1, value - 1, value * 1.25 + 0.01, value * 0.75]
        elif isinstance(value, tuple):
            tried += [
                [*value, *named],
                [*value, "bows"],
                [*value[:-1], *(one + 1 for one in value[-1:] if isinstance(one, int))],
            ]
        for other in tried:
            told = other
            for key in reversed(place):
                told = {key: told}
            try:
                settings = mardok.Settings.model_validate(told)
            except ValueError:
                continue
            if settings != mardok.Settings():
                yield ".".join(place), settings
                break


def same(one: mardok.Audit, other: mardok.Audit) -> None:
    assert set(one.tables) == set(other.tables)
    for name in one.tables:
        pd.testing.assert_frame_equal(one.tables[name], other.tables[name], obj=name)
    told = [audit.meta.model_dump(exclude={"made"}) for audit in (one, other)]
    assert told[0] == told[1]
    meta = one.meta.model_copy(update={"made": other.meta.made})
    assert report_html(one.tables, meta, one.kept) == report_html(other.tables, other.meta)


@pytest.fixture
def reads(monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """Gets an entry each time pages are read."""
    told: list[int] = []
    read = inputs.extract_batches

    def noted(*args: Any) -> Any:
        told.append(1)
        return read(*args)

    monkeypatch.setattr(inputs, "extract_batches", noted)
    return told


def small_site(folder: Path) -> Path:
    """Pages with copies, variants, redirects, code, a broken link, foreign words, images and a form."""
    chance = random.Random(5)
    pool = re.findall(
        r"\w+", "violin bow string case rosin bridge scroll tuning hire repair workshop maker wood varnish peg"
    )
    texts = [" ".join(chance.choices(pool, k=60)) for _ in range(6)]
    texts += [f"{texts[0]} one more", f"{texts[1][:200]} otherwise", f"{texts[2]} {texts[3]}", texts[4], "the the text"]
    rows = []
    for n, text in enumerate(texts):
        links = "".join(f"<a href='/p{(n + k) % 13}/'>page {k} of {pool[n]}</a> " for k in range(3))
        rows.append(
            {
                "url": f"https://www.host.example/p{n}/",
                "status": 200,
                "html": f"<html lang=en><head><title>{pool[n].title()} and {pool[n + 1]} | A firm</title>"
                f"<meta name=description content='{text[:80]}'></head><body><header><nav>{links}</nav></header><main>"
                f"<h1>{pool[n]} {n}</h1><p>{text}, on <code>page{n}</code>.<p>Hire costs {30 + n % 2} a month in all.</p>"
                f"<img src=/i.png alt='a {pool[n]}'><form><input name=q></form></main><aside>\udcff {pool[3]}</aside>",
            }
        )
    rows.append({"url": "https://www.host.example/p0?utm_source=x", "status": 200, "html": rows[0]["html"]})
    rows.append({"url": "https://www.host.example/old/", "status": 301, "redirect_url": "https://www.host.example/p1/"})
    path = folder / "site.jsonl"
    path.write_text("".join(json.dumps(row) + "\n" for row in rows), "utf-8")
    return path


EVERY = [one for one in others(mardok.Settings()) if one[0].split(".")[0] not in UNTOUCHED]
OF_READING = ("sources.", "extract.", "text.only", "text.ignore")


@pytest.mark.parametrize("whole", [pytest.param(True, marks=pytest.mark.proof), False])
def test_whatever_setting_changes_all_is_as_if_the_pages_were_read_again(
    whole: bool, tmp_path: Path, reads: list[int]
) -> None:
    source = small_site(tmp_path)
    mardok.audit(source).save(tmp_path / "audit")
    always = [one for one in EVERY if one[0] in ("copies.resemblance", "text.ignore", "extract.max_blocks", "text.edges")]
    for name, settings in EVERY if whole else [*always, *random.Random(5).sample(EVERY, 6)]:
        fresh = mardok.audit(source, settings=settings)
        reads.clear()
        same(mardok.audit(source, earlier=tmp_path / "audit", settings=settings), fresh)
        assert bool(reads) == name.startswith(OF_READING), name


@given(SITES)
@hypothesis_settings(max_examples=8, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_any_site_is_the_same_from_what_was_kept(tmp_path: Path, pages: dict[str, dict[str, Any]]) -> None:
    source = write_site(tmp_path / "site.jsonl", pages)
    fresh = mardok.audit(source)
    fresh.save(tmp_path / "audit")
    same(mardok.audit(source, earlier=tmp_path / "audit"), fresh)


def test_an_audit_folder_and_search_data_do_without_reading_too(tmp_path: Path, reads: list[int]) -> None:
    mardok.audit(DEMO_WARC, search=DEMO_SEARCH).save(tmp_path / "audit")
    chosen = mardok.read_settings(None, ["copies.resemblance=0.9", "proof.articles=false"])
    fresh = mardok.audit(DEMO_WARC.resolve(), search=DEMO_SEARCH, settings=chosen)
    reads.clear()
    again = mardok.audit(tmp_path / "audit", search=DEMO_SEARCH, settings=chosen)
    same(again, fresh)
    again.save(tmp_path / "audit")
    same(mardok.audit(tmp_path / "audit", search=DEMO_SEARCH, settings=chosen), fresh)
    renewed = mardok.audit(
        tmp_path / "audit", search=DEMO_SEARCH, settings=mardok.read_settings(None, ["copies.resemblance=0.9"])
    )
    renewed.save(tmp_path / "audit")  # proofread again only: what was kept stays
    mardok.audit(tmp_path / "audit", search=DEMO_SEARCH)
    assert not reads


def test_of_a_large_site_nothing_is_begun_beside_and_the_answer_is_the_same(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    source, begun, begin = small_site(tmp_path), [], pipeline.beside
    monkeypatch.setattr(pipeline, "beside", lambda work, jobs: begun.append(jobs) or begin(work, jobs))
    audits = []
    for many, jobs in ((10**9, 2), (2, 1)):
        begun.clear()
        monkeypatch.setattr(pipeline, "MANY_PAGES", many)
        audits.append(mardok.audit(source, jobs=2))
        assert set(begun) == {jobs}
    for name in audits[0].tables:
        pd.testing.assert_frame_equal(*(one.tables[name] for one in audits))


@pytest.mark.parametrize("many_rows", [1, 10**9], ids=["written beside", "written at once"])
def test_what_a_second_process_made_is_kept_too(
    many_rows: int, tmp_path: Path, reads: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    source, audit = small_site(tmp_path), tmp_path / "audit"
    monkeypatch.setattr(kept_module, "_MANY_ROWS", many_rows)
    first = mardok.audit(source, jobs=2)
    first.save(audit, jobs=2)
    parts = {path.stem: json.loads(path.read_text("utf-8")) for path in (audit / "kept").glob("*.json")}
    assert {"reading", "words", "table_page_phrases", "proofread", "link_plan", "relations", "sheets"} <= set(parts)
    files = {path.name for path in (audit / "kept").iterdir()}
    tables = {f"{name}-{table}.parquet" for name, told in parts.items() for table in told["tables"]}
    assert files == tables | {f"{name}.json" for name in parts}
    for name, told in parts.items():
        for table, stated in told["tables"].items():
            assert len(pd.read_parquet(audit / "kept" / f"{name}-{table}.parquet")) == stated["rows"]
    reads.clear()
    monkeypatch.setattr(phrase_analysis, "stemmed_site", lambda *_: pytest.fail("made again"))
    monkeypatch.setattr(job, "proofread", lambda *_: pytest.fail("made again"))
    monkeypatch.setattr(site_tables, "_blocks_frames", lambda *_: pytest.fail("made again"))
    monkeypatch.setattr(job, "look_over", lambda *_: pytest.fail("made again"))
    monkeypatch.setattr(copy_analysis, "relations_of", lambda *_: pytest.fail("made again"))
    monkeypatch.setattr(pipeline, "checks_frames", lambda *_: pytest.fail("made again"))
    again = mardok.audit(source, jobs=1, earlier=audit)
    with monkeypatch.context() as sheets:
        sheets.setattr(report_parts, "_sheets", lambda *_: pytest.fail("made again"))
        report_html(again.tables, again.meta, again.kept)
    same(again, first)
    assert not reads
    monkeypatch.undo()
    chosen = mardok.read_settings(None, ["pairs.nearest=5", "phrases.words=[2, 3]"])
    mardok.audit(source, jobs=2, earlier=audit, settings=chosen).save(audit)
    monkeypatch.setattr(copy_analysis, "relations_of", lambda *_: pytest.fail("made again"))
    mardok.audit(source, earlier=audit, settings=chosen)


def test_copies_of_a_large_family_are_counted_anew_at_another_threshold(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(relations, "_LARGE_FAMILY", 10)
    monkeypatch.setattr(join, "_FAMILY_LIST", 4)
    chance, words = random.Random(3), [f"word{n}" for n in range(60)]
    rows = []
    for n in range(40):
        text = " ".join(f"{word}x" if chance.random() < 0.03 else word for word in words)
        rows.append({"url": f"https://www.host.example/p{n}", "title": "Bows", "text": text})
    source, audit = tmp_path / "site.jsonl", tmp_path / "audit"
    source.write_text("".join(json.dumps(row) + "\n" for row in rows), "utf-8")
    mardok.audit(source).save(audit)
    counts = set()
    for threshold in (0.6, 0.85, 0.97):
        chosen = mardok.read_settings(None, [f"copies.resemblance={threshold}"])
        fresh = mardok.audit(source, settings=chosen)
        same(mardok.audit(source, earlier=audit, settings=chosen), fresh)
        counts.add(int(fresh.pages["copies"].sum()))
    assert len(counts) == 3


def test_a_language_that_leads_elsewhere_leads_nowhere(tmp_path: Path) -> None:
    page = {"url": "https://www.host.example/", "html": "<html lang='../../../x'><p>Few words"}
    (tmp_path / "site.jsonl").write_text(json.dumps(page), "utf-8")
    mardok.audit(tmp_path / "site.jsonl").save(tmp_path / "a" / "b" / "audit")
    assert not [path for path in tmp_path.rglob("*.parquet") if "audit" not in path.parts]


def test_pages_that_changed_are_read_again(tmp_path: Path, reads: list[int]) -> None:
    folder = tmp_path / "site"
    folder.mkdir()
    (folder / "index.html").write_text("<p>Violins for hire in town", "utf-8")
    (folder / "leads-nowhere.js").symlink_to(folder / "nothing.js")
    base, audit = "https://www.host.example/", tmp_path / "audit"
    mardok.audit(folder, base=base).save(audit)
    reads.clear()
    assert len(mardok.audit(folder, base=base, earlier=audit).pages) == 1
    assert not reads
    mardok.audit(folder, base="https://other.example/", earlier=audit)
    assert len(reads) == 1
    (folder / "bows.html").write_text("<p>Bows for hire in town", "utf-8")
    assert len(mardok.audit(folder, base=base, earlier=audit).pages) == 2
    assert len(reads) == 2
    (folder / "bows.html").write_text("<p>Cases for sale today", "utf-8")
    assert "Cases" in mardok.audit(folder, base=base, earlier=audit).pages["main_text"].str.cat()


@pytest.mark.parametrize(
    "harm", ["a damaged file", "a missing file", "a damaged note", "a lost table", "another program", "no folder"]
)
def test_what_cannot_be_used_is_made_again(
    harm: str, tmp_path: Path, reads: list[int], monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    source, audit = small_site(tmp_path), tmp_path / "audit"
    fresh = mardok.audit(source)
    fresh.save(audit)
    reads.clear()
    part = audit / "kept" / "reading-texts.parquet"
    if harm == "a damaged file":
        raw = bytearray(part.read_bytes())
        raw[len(raw) // 2] ^= 1
        part.write_bytes(raw)
    elif harm == "a missing file":
        part.unlink()
    elif harm == "a damaged note":
        (audit / "kept" / "reading.json").write_text('{"tables": [1]}', "utf-8")
    elif harm == "a lost table":
        note = audit / "kept" / "reading.json"
        told = json.loads(note.read_text("utf-8"))
        del told["tables"]["texts"]
        note.write_text(json.dumps(told), "utf-8")
    elif harm == "another program":
        monkeypatch.setattr("mardok.kept.program_digest", lambda: "another")
    else:
        audit = tmp_path / "nothing"
    with caplog.at_level(logging.WARNING):
        same(mardok.audit(source, earlier=audit), fresh)
    assert reads
    assert ("reading is made again" in caplog.text) == (harm in ("a damaged file", "a missing file", "a lost table"))


@pytest.mark.parametrize("harm", ["changed", "gone"])
def test_a_table_is_taken_over_only_as_it_was_written(harm: str, tmp_path: Path, reads: list[int]) -> None:
    source, audit = small_site(tmp_path), tmp_path / "audit"
    fresh = mardok.audit(source)
    fresh.save(audit)
    table = audit / "data" / "links.parquet"
    written = table.read_bytes()
    if harm == "gone":
        table.unlink()
    else:
        table.write_bytes(written[:-1] + bytes([written[-1] ^ 1]))
    reads.clear()
    again = mardok.audit(source, earlier=audit)
    same(again, fresh)
    again.save(tmp_path / "again")
    assert (tmp_path / "again" / "data" / "links.parquet").read_bytes() == written
    assert not reads


def test_rows_come_back_as_they_were() -> None:
    class Row(NamedTuple):
        check: CheckId
        n: int
        share: float
        is_told: bool
        text: str
        pages: tuple[int, ...]
        words: frozenset[str]

    rows = [
        Row(CheckId.H1_MISSING, -3, 0.1, True, "\udcff", (2, 1), frozenset("ba")),
        Row(*[CheckId.H1_IMAGE, 0, 1e300, False, "", (), frozenset()]),
    ]
    for own in (rows, []):
        kept = KeptParts()
        columns = kept.part("x", {}, lambda own=own: columns_of_rows(own, Row), lambda told: {"t": told}, lambda _: {})
        back = rows_of_columns(columns, Row)
        assert back == own
        assert all(isinstance(row.check, CheckId) and isinstance(row.pages, tuple) for row in back)


def test_keys_tell_what_differs() -> None:
    told = [digest_of(*one) for one in (
        (np.arange(3),), (np.arange(3).astype(np.int32),), (np.arange(4),), ("a", "bc"), ("ab", "c"), ({"a": [1]},),
        ({"a": 1},), (np.zeros((2, 3)),), (np.zeros((3, 2)),),
    )]  # fmt: skip
    assert len(set(told)) == len(told)
    kept = KeptParts()
    assert kept.part("x", {}, lambda: 5, lambda value: {"t": {"n": np.array([value])}}, lambda _: 6) == 5


@given(st.lists(st.text(alphabet=st.characters(exclude_categories=()), max_size=5), max_size=5))
@hypothesis_settings(max_examples=50, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_texts_come_back_as_they_were(tmp_path_factory: pytest.TempPathFactory, texts: list[str]) -> None:
    folder, texts = tmp_path_factory.mktemp("audit"), ["\udcff", "x" * 70_000, *texts]
    kept = KeptParts()
    kept.part("x", {}, lambda: texts, lambda value: {"t": {"n": value}}, lambda _: [])
    kept.write(folder)
    found = KeptParts([folder]).part(
        "x", {}, lambda: pytest.fail("made again"), lambda _: {}, lambda tables: list(tables["t"]["n"])
    )
    assert found == texts


@pytest.mark.parametrize("jobs", [1, 2])
def test_a_part_that_has_no_room_is_not_kept(
    jobs: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    write, source = kept_module.write_part, small_site(tmp_path)

    def full(room: Path, name: str, *told: Any) -> dict[str, Any]:
        if name == "words":
            raise OSError(28, "No space left on device")
        return write(room, name, *told)

    monkeypatch.setattr(kept_module, "_MANY_ROWS", 1)
    monkeypatch.setattr(kept_module, "write_part", full)
    mardok.audit(source, jobs=jobs).save(tmp_path / "audit")
    assert caplog.messages == ["words is not kept for the next audit: No space left on device"]
    parts = {path.stem for path in (tmp_path / "audit" / "kept").glob("*.json")}
    assert "reading" in parts
    assert "words" not in parts
    monkeypatch.undo()
    same(mardok.audit(source, earlier=tmp_path / "audit"), mardok.audit(source))


def test_a_table_whose_file_has_no_room_is_whole_in_memory(monkeypatch: pytest.MonkeyPatch, demo: mardok.Audit) -> None:
    write = kept_module.write_table

    def full(table: Any, parts: Any, *files: Any) -> None:
        if not isinstance(files[0], io.BytesIO):
            list(parts)
            raise OSError(28, "No space left on device")
        write(table, parts, *files)

    monkeypatch.setattr(kept_module, "write_table", full)
    again = mardok.audit(DEMO_WARC, search=DEMO_SEARCH)
    for name in ("checks", "steps", "pages", "slips"):
        pd.testing.assert_frame_equal(again.tables[name], demo.tables[name], obj=name)
