"""Work begun beside other work gives what it would give alone, whatever becomes of its process."""

from __future__ import annotations

import multiprocessing
import os
import re
import signal
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from mardok.extract import extraction
from mardok.extract.html import Document
from mardok.processes import begin
from mardok.settings import Extract, Settings
from mardok.sources.raw import RawPage


def test_work_is_done_beside_where_there_are_two_processes() -> None:
    large = np.arange(3_000_000)
    for jobs, is_apart in ((1, False), (2, True)):
        process, doubled = begin(lambda: (os.getpid(), large * 2), jobs)()
        assert (process != os.getpid()) == is_apart
        assert (doubled == large * 2).all()


def test_work_that_fails_says_why_where_it_is_asked_for(capfd: pytest.CaptureFixture[str]) -> None:
    def fail() -> None:
        raise ValueError("no page")

    asked = begin(fail, 2)
    with pytest.raises(ValueError, match="no page"):
        asked()
    assert capfd.readouterr() == ("", "")


@pytest.mark.parametrize("ends", ["killed", "cannot be sent"])
def test_work_whose_process_ends_early_is_done_again_and_that_is_logged(
    ends: str, capfd: pytest.CaptureFixture[str], caplog: pytest.LogCaptureFixture
) -> None:
    own = os.getpid()

    def work() -> object:
        if os.getpid() == own:
            return "done here"
        if ends == "killed":
            os.kill(os.getpid(), signal.SIGKILL)
        return lambda: None  # no process can send that to another

    assert begin(work, 2)() == "done here"
    assert capfd.readouterr() == ("", "")
    assert "the work is done again" in caplog.text


@pytest.mark.parametrize(
    ("end", "reason"), [(signal.SIGKILL, "killed"), (signal.SIGSEGV, "cannot read"), ("spin", "longer to read than 0.5 s")]
)
@pytest.mark.parametrize("jobs", [1, 3])
def test_the_page_that_ends_a_reading_process_is_named_and_all_others_are_read(
    monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture, end: int | str, reason: str, jobs: int
) -> None:
    own, read = os.getpid(), extraction.read_document

    def mortal(text: str, *more: Any, **further: Any) -> Document:
        if "deadly" in text and os.getpid() != own:
            if isinstance(end, int):
                os.kill(os.getpid(), end)
            re.fullmatch(r"(a|a)*b", "a" * 100)  # comes back long after the sun has gone out
        return read(text, *more, **further)

    monkeypatch.setattr(extraction, "read_document", mortal)
    raws = [RawPage(f"https://host.example/{n}", "test", 200, (), b"<p>text") for n in range(400)]
    raws[150] = replace(raws[150], body=b"<p>deadly")
    settings = Settings(extract=Extract(max_seconds=0.5))
    pages = [page for batch in extraction.extract_batches(iter(raws), settings, jobs) for page in batch.pages]
    assert [page.url for page in pages] == [raw.url for raw in raws]
    assert [page.url for page in pages if not page.is_html] == [raws[150].url]
    assert reason in pages[150].trouble
    assert pages[150].unread == (pages[150].trouble,)
    assert f"{raws[150].url}: " in caplog.text
    assert not multiprocessing.active_children()


@pytest.mark.parametrize("jobs", [1, 3])
def test_readers_end_with_whoever_began_them_even_in_the_middle_of_an_expression(tmp_path: Path, jobs: int) -> None:
    site = tmp_path / "site.csv"
    site.write_text("url,title\nhttps://host.example/,x\n")
    begin = [sys.executable, "-c", SPINNING, str(site), str(jobs)]
    with subprocess.Popen(begin, stdout=subprocess.PIPE, text=True) as process:
        assert process.stdout is not None
        reader = int(process.stdout.readline())
        process.kill()
        process.wait()
        ended = time.monotonic() + 5
        while Path(f"/proc/{reader}").exists() and time.monotonic() < ended:
            time.sleep(0.01)
        assert not Path(f"/proc/{reader}").exists()


SPINNING = """
import os, re, sys, mardok
from mardok.extract import extraction
def spin(raw, settings):
    print(os.getpid(), flush=True)
    re.fullmatch(r"(a|a)*b", "a" * 100)
extraction.extract_page = spin
mardok.audit(sys.argv[1], jobs=int(sys.argv[2]))
"""
