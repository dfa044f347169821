"""Read in parts, a site is what it is read at once: however it is cut, whatever is damaged, whoever reads it."""

from __future__ import annotations

import json
import logging
import os
import random
import shutil
import signal
import subprocess
import sys
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from pathlib import Path
from typing import Any

import pandas as pd
import pytest
from conftest import DEMO_SEARCH, DEMO_WARC, html, warc_bytes
from hypothesis import HealthCheck, given
from hypothesis import settings as hypothesis_settings
from hypothesis import strategies as st

import mardok
from mardok.errors import SourceError
from mardok.extract.extraction import extract_batches
from mardok.kept import KeptParts, claimed_working_folder
from mardok.processes import Lost, is_worker
from mardok.progress import tell_nobody
from mardok.sources.opening import pages_of_slice, raw_pages, slices_of
from mardok.sources.raw import Intake, OpenIntake, RawPage
from mardok.sources.warc import Stretch, stretches_of
from mardok.tasks import reading
from mardok.tasks.child import Child
from mardok.tasks.reading import ReadingTask, read_in_parts
from mardok.tasks.runners import Processes
from mardok.text.columns import columns_of

BASE = "https://www.host.example/"
OPENING = mardok.Settings().sources


def same(one: mardok.Audit, other: mardok.Audit) -> None:
    assert set(one.tables) == set(other.tables)
    for name in one.tables:
        pd.testing.assert_frame_equal(one.tables[name], other.tables[name], obj=name)
    told = [audit.meta.model_dump(exclude={"made", "settings"}) for audit in (one, other)]
    assert told[0] == told[1]


def parted(n_pages: int) -> mardok.Settings:
    return mardok.read_settings(None, [f"work.part_pages={n_pages}"])


def read_whole(paths: Sequence[Path]) -> tuple[list[RawPage], Intake]:
    intake = OpenIntake()
    return list(raw_pages(paths, BASE, intake, OPENING)), intake.closed()


def read_cut(paths: Sequence[Path], most: int) -> tuple[list[RawPage], Intake]:
    intake, pages = OpenIntake(), []
    for part in slices_of(paths, BASE, intake, most, partial(stretches_of, most=most)):
        met = OpenIntake()
        own = list(pages_of_slice(part, met, OPENING))
        pages += own
        intake.add(met.closed())
    return pages, intake.closed()


SITE = [
    *[(f"{BASE}p{n}", 200, [], html(f"page number {n} " * 40)) for n in range(7)],
    (f"{BASE}robots.txt", 200, [("Content-Type", "text/plain")], b"User-agent: *\nDisallow: /x"),
    (f"{BASE}nowhere", 404, [], html("not found")),
    (f"{BASE}sitemap.xml", 200, [("Content-Type", "text/xml")], b"<urlset><url><loc>/p1</loc></url></urlset>"),
    (f"{BASE}probe", 200, [], html("soft")),
    (f"{BASE}p3", 200, [], html("a later answer")),
    (f"{BASE}i.png", 200, [("Content-Type", "image/png")], b"PNG"),
    (f"{BASE}within", 200, [], warc_bytes([(f"{BASE}phantom", 200, [], html("phantom"))], gzip=False)[0]),
]


@hypothesis_settings(deadline=None, max_examples=150, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    most=st.integers(1, 9),
    gzip=st.booleans(),
    seed=st.integers(0, 1 << 30),
    harm=st.sampled_from(["", "cut", "flip", "hole"]),
)
def test_a_crawl_cut_anywhere_and_damaged_is_the_crawl(tmp_path: Path, most: int, gzip: bool, seed: int, harm: str) -> None:
    chance = random.Random(seed)
    responses = chance.sample(SITE, chance.randint(1, len(SITE)))
    raw, _ = warc_bytes(responses, gzip=gzip, kinds={f"{BASE}probe": "probe"})
    at = chance.randrange(40, len(raw))
    raw = {
        "": raw,
        "cut": raw[:at],
        "flip": raw[:at] + bytes([raw[at] ^ 1 << chance.randrange(8)]) + raw[at + 1 :],
        "hole": raw[:at] + raw[at + chance.randrange(1, 200) :],
    }[harm]
    path = tmp_path / "site.warc"
    path.write_bytes(raw)
    try:
        expected = read_whole([path])
    except SourceError:
        with pytest.raises(SourceError):
            read_cut([path], most)
        return
    assert read_cut([path], most) == expected


def test_a_page_that_holds_records_and_answers_to_head_belong_where_they_stand(warc: Callable[..., Path]) -> None:
    path = warc(*SITE)
    assert not [page for page in read_cut([path], 1)[0] if "phantom" in page.url]
    assert len(stretches_of(path, 1)) == len(SITE)


def write_folder(folder: Path) -> Path:
    (folder / "hire").mkdir(parents=True)
    for n in range(9):
        (folder / ("hire" if n % 2 else "") / f"p{n}.html").write_bytes(
            html(f"violin number {n} to hire " * 9, f"Violin {n}")
        )
    (folder / "hire.html").write_bytes(html("all that can be hired", "Hire"))
    (folder / "index.html").write_bytes(html("violins", "Home"))
    (folder / "style.css").write_text("a {}")
    return folder


@pytest.mark.parametrize("most", [3, 50])
def test_an_audit_in_parts_is_the_audit(most: int, tmp_path: Path) -> None:
    folder = write_folder(tmp_path / "site")
    table = tmp_path / "more.jsonl"
    table.write_text(json.dumps({"url": f"{BASE}p2.html", "html": "<p>later than the folder"}), "utf-8")
    sources = [DEMO_WARC, folder, table]
    whole = mardok.audit(*sources, base=BASE, search=DEMO_SEARCH)
    work = tmp_path / "work"
    told: list[str] = []
    first = mardok.audit(
        *sources, base=BASE, search=DEMO_SEARCH, work=work, settings=parted(most), jobs=1 + most % 2,
        progress=lambda stage, _: told.append(stage),
    )  # fmt: skip
    same(first, whole)
    n_parts = len(list((work / "parts").glob("reading-*.json")))
    assert f"reading pages, {n_parts} of {n_parts} parts" in told
    first.save(tmp_path / "audit")
    assert not (tmp_path / "audit" / "kept").exists()
    later = mardok.audit(*sources, base=BASE, search=DEMO_SEARCH, work=work, settings=parted(most), progress=noted(told))
    same(later, whole)
    assert not any("parts" in stage for stage in told)


def noted(told: list[str]) -> Callable[[str, int], None]:
    told.clear()
    return lambda stage, _: told.append(stage)


@pytest.fixture
def read_parts(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """Gets the name of each part that is read."""
    names: list[str] = []
    original = Processes.results

    def told(self: Processes, tasks: Sequence[Any]) -> Iterator[Any]:
        names.extend(task.name for task in tasks)
        yield from original(self, tasks)

    monkeypatch.setattr(Processes, "results", told)
    return names


def test_only_what_has_changed_or_is_damaged_is_read_again(
    tmp_path: Path, read_parts: list[str], caplog: pytest.LogCaptureFixture
) -> None:
    folder, work = write_folder(tmp_path / "site"), tmp_path / "work"

    def audited() -> mardok.Audit:
        read_parts.clear()
        return mardok.audit(folder, base=BASE, work=work, settings=parted(4))

    audited()
    assert len(read_parts) == 3
    audited()
    assert read_parts == []
    (folder / "p0.html").write_bytes(html("quite another text stands here now"))
    assert "another text" in audited().pages["main_text"].str.cat(sep=" ")
    assert len(read_parts) == 1
    part = work / "parts" / "reading-000001-texts.parquet"
    part.write_bytes(part.read_bytes()[:-9])
    with caplog.at_level(logging.WARNING):
        audited()
    assert read_parts == ["reading-000001"]
    assert "is made again" in caplog.text
    (work / "parts" / "reading-000002.json").unlink()
    audited()
    assert read_parts == ["reading-000002"]
    note = work / "parts" / "reading-000000.json"
    note.write_text(note.read_text("utf-8").replace('"texts":', '"../texts":'), "utf-8")
    audited()
    assert read_parts == ["reading-000000"]
    for path in sorted(folder.rglob("p*.html"))[1:]:
        path.unlink()
    audited()
    assert {path.name for path in (work / "parts").glob("reading-*.json")} == {"reading-000000.json"}
    assert not list((work / "parts").glob("reading-000002*"))


def test_a_folder_that_is_no_working_folder_is_left_alone(
    tmp_path: Path, warc: Callable[..., Path], run_here: Callable[..., subprocess.CompletedProcess[str]]
) -> None:
    work, path = tmp_path / "mine", warc(*SITE[:2])
    work.mkdir()
    (work / "letter.txt").write_text("dear")
    refused = run_here("audit", path, "-o", tmp_path / "audit", "--work", work)
    assert (refused.returncode, refused.stderr.count("\n")) == (2, 1)
    assert "no working folder" in refused.stderr
    assert [one.name for one in work.iterdir()] == ["letter.txt"]
    refused = run_here("audit", path, "-o", tmp_path / "audit", "--work", work / "letter.txt")
    assert (refused.returncode, "is a file" in refused.stderr) == (2, True)


def test_a_working_folder_may_have_a_name_that_looks_like_an_address(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, warc: Callable[..., Path]
) -> None:
    path = warc(*SITE[:3])
    monkeypatch.chdir(tmp_path)
    for _ in range(2):
        audit = mardok.audit(path, work="a:b")
        audit.save("c:d")
        same(audit, mardok.audit(path))


def test_one_audit_works_in_a_folder_at_a_time(tmp_path: Path, warc: Callable[..., Path]) -> None:
    work = tmp_path / "work"
    command = [sys.executable, "-m", "mardok", "audit", str(warc(*SITE[:2])), "-o", str(tmp_path / "a"), "--work", str(work)]
    with claimed_working_folder(work):
        other = subprocess.run(command, capture_output=True, text=True, check=False)
    assert (other.returncode, other.stderr.count("\n")) == (2, 1)
    assert "another audit works there" in other.stderr


def test_a_full_disk_ends_the_audit_and_keeps_what_is_done(tmp_path: Path, warc: Callable[..., Path]) -> None:
    long = (f"{BASE}long", 200, [], html(" ".join(f"{n * n} violins" for n in range(9000))))
    path, work = warc(*SITE[:4], long), tmp_path / "work"
    command = [sys.executable, "-m", "mardok", "audit", str(path), "-o", str(tmp_path / "audit"), "--work", str(work)]
    command += ["--jobs", "1", "--set", "work.part_pages=2"]
    limit = "import os, resource, sys; resource.setrlimit(resource.RLIMIT_FSIZE, (9000,) * 2); os.execv(sys.argv[1], sys.argv[1:])"  # noqa: E501
    full = subprocess.run([sys.executable, "-c", limit, *command], capture_output=True, text=True, check=False)
    assert (full.returncode, full.stderr.count("\n")) == (2, 1), full.stderr
    assert "File too large; what is done stands in" in full.stderr
    assert {one.stem for one in (work / "parts").glob("reading-*.json")} == {"reading-000000", "reading-000001"}
    assert not list((work / "parts").glob("*.new-*"))
    same(mardok.audit(path, work=work, settings=parted(2)), mardok.audit(path))


def test_work_beside_may_end_and_fail_without_harm() -> None:
    child = Child()
    assert child.do(partial(signal.raise_signal, signal.SIGKILL)) == Lost(signal.SIGKILL)
    assert child.do(sys.getrecursionlimit) == sys.getrecursionlimit()
    assert [child.do(is_worker, alone=alone) for alone in (True, False, True)] == [True, False, True]
    with pytest.raises(FileNotFoundError):
        child.do(Path("nowhere-at-all").stat)
    number = child.do(os.getpid)
    assert child.do(os.getpid) == number != os.getpid()
    child.close()
    with pytest.raises(ProcessLookupError):
        os.kill(number, 0)


class Fatal:
    """Workers that end over one page."""

    def __init__(self, url: str) -> None:
        self.url, self.asked = url, 0

    def results(self, tasks: Sequence[ReadingTask]) -> Iterator[tuple[ReadingTask, Any]]:
        for task in tasks:
            self.asked += 1
            urls = [page.url for page in pages_of_slice(task.part, OpenIntake(), OPENING)]
            yield task, Lost(signal.SIGKILL) if self.url in urls else task()


def test_a_file_is_cut_once_and_again_when_it_changes(
    tmp_path: Path, warc: Callable[..., Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    n_cut = 0

    def cut(path: Path, most: int) -> list[Stretch]:
        nonlocal n_cut
        n_cut += 1
        return stretches_of(path, most)

    monkeypatch.setattr(reading, "stretches_of", cut)
    path, work = warc(*SITE), tmp_path / "work"
    for n_pages, expected in ((2, 1), (2, 1), (3, 2)):
        same(mardok.audit(path, work=work, settings=parted(n_pages)), mardok.audit(path))
        assert n_cut == expected
    warc(*SITE[:3])
    same(mardok.audit(path, work=work, settings=parted(3)), mardok.audit(path))
    assert n_cut == 3
    for file in (work / "parts").glob("cut_*.parquet"):
        file.write_bytes(b"damaged")
    same(mardok.audit(path, work=work, settings=parted(3)), mardok.audit(path))
    assert n_cut == 4


def test_a_page_that_ends_its_process_is_found_by_halving_and_named(tmp_path: Path, warc: Callable[..., Path]) -> None:
    path = warc(*SITE)
    fatal, settings = Fatal(f"{BASE}p5"), parted(8)
    with claimed_working_folder(tmp_path / "work") as work:
        pages, intake = read_in_parts([path], None, settings, KeptParts((), work), fatal, tell_nobody)
        again = Fatal("")
        kept = read_in_parts([path], None, settings, KeptParts((), work), again, tell_nobody)
        names = {one.stem for one in (work / "parts").glob("reading-*.json")}
    expected = columns_of(extract_batches(read_whole([path])[0], settings))
    assert [page.url for page in pages.pages] == [page.url for page in expected.pages]
    named = [one for one in intake.unread if one.url == f"{BASE}p5"]
    assert [one.reason for one in named] == ["its process was killed while it was read (for want of memory?)"]
    others = [page for page in pages.pages if page.url != f"{BASE}p5"]
    assert others == [page for page in expected.pages if page.url != f"{BASE}p5"]
    assert fatal.asked < 12
    assert (again.asked, kept[0].pages, kept[1]) == (0, pages.pages, intake)
    assert names == {f"reading-{n:06}" for n in range(len(names))}


@pytest.mark.harm
def test_an_audit_killed_at_any_time_goes_on(tmp_path: Path) -> None:
    chance, work = random.Random(7), tmp_path / "work"
    command = [
        sys.executable, "-m", "mardok", "audit", str(DEMO_WARC), "--search", str(DEMO_SEARCH), "-o", str(tmp_path / "audit"),
        "--work", str(work), "--set", "work.part_pages=5",
    ]  # fmt: skip
    n_killed = 0
    for _ in range(12):
        with subprocess.Popen(command, stderr=subprocess.PIPE, stdout=subprocess.PIPE, start_new_session=True) as process:
            try:
                process.communicate(timeout=chance.uniform(1.0, 6.0))
                break
            except subprocess.TimeoutExpired:
                process.kill()
                process.communicate()
                n_killed += 1
                shutil.rmtree(tmp_path / "audit", ignore_errors=True)
    else:
        subprocess.run(command, check=True, capture_output=True)
    assert n_killed > 1
    same(mardok.load(tmp_path / "audit"), mardok.audit(DEMO_WARC, search=DEMO_SEARCH))


def test_who_interrupts_is_told_where_it_goes_on(tmp_path: Path) -> None:
    work = tmp_path / "work"
    command = [
        sys.executable, "-m", "mardok", "audit", str(DEMO_WARC), "-o", str(tmp_path / "audit"), "--work", str(work),
        "--set", "work.part_pages=1",
    ]  # fmt: skip
    with subprocess.Popen(command, stderr=subprocess.PIPE, text=True) as process:
        while not list(work.glob("parts/reading-*.json")):
            assert process.poll() is None
        process.send_signal(signal.SIGINT)
        _, told = process.communicate()
    assert process.returncode == 130
    assert f"what is done stands in {work}: the same command goes on from there" in told
