"""Work begun beside other work gives what it would give alone, whatever becomes of its process."""

from __future__ import annotations

import os
import signal

import numpy as np
import pytest

from mardok.extract import extraction
from mardok.extract.page import Page
from mardok.processes import begin
from mardok.settings import Settings
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


def test_pages_are_read_to_the_end_where_a_reading_process_is_killed(
    monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    own, read = os.getpid(), extraction.extract_page

    def mortal(raw: RawPage, settings: Settings) -> Page:
        if os.getpid() != own and raw.url.endswith("/150"):
            os.kill(os.getpid(), signal.SIGKILL)
        return read(raw, settings)

    monkeypatch.setattr(extraction, "extract_page", mortal)
    raws = [RawPage(f"https://host.example/{n}", "test", 200, (), b"<p>text") for n in range(400)]
    batches = list(extraction.extract_batches(iter(raws), Settings(), jobs=2))
    assert [page.url for batch in batches for page in batch.pages] == [raw.url for raw in raws]
    assert "pages are read in this one" in caplog.text
