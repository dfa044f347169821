"""What the library logs is shown by the command line while it runs, and left to others afterwards."""

from __future__ import annotations

import logging
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from mardok.cli.console import hide_log, show_log

Run = Callable[..., subprocess.CompletedProcess[str]]


@pytest.fixture
def library() -> logging.Logger:
    return logging.getLogger("mardok.anything")


def test_warnings_are_one_line_on_standard_error(library: logging.Logger, capsys: pytest.CaptureFixture[str]) -> None:
    show_log(logging.WARNING)
    try:
        library.info("nobody asked for this")
        library.warning("%s is done again:\nfor want of \x1b[31mmemory", "it")
    finally:
        hide_log()
    assert capsys.readouterr() == ("", "mardok: it is done again: for want of \ufffd[31mmemory\n")
    library.warning("said to nobody")
    assert "said to nobody" not in "".join(capsys.readouterr())


def test_a_level_that_is_asked_for_twice_says_things_once(
    library: logging.Logger, capsys: pytest.CaptureFixture[str]
) -> None:
    for level in (logging.WARNING, logging.INFO):
        show_log(level)
    library.info("once")
    hide_log()
    assert capsys.readouterr().err == "mardok: once\n"


@pytest.mark.parametrize("arguments", [["--version"], ["--verbose", "--version"], ["page", "nowhere", "x"], ["--nothing"]])
def test_the_log_is_left_to_others_however_the_command_ends(arguments: list[str], run_here: Run, tmp_path: Path) -> None:
    before = logging.getLogger("mardok").handlers[:], logging.getLogger("mardok").level
    done = run_here(*(str(tmp_path / one) if one == "nowhere" else one for one in arguments))
    assert done.returncode == (0 if "--version" in arguments else 2)
    assert (logging.getLogger("mardok").handlers, logging.getLogger("mardok").level) == before


def test_a_defect_ends_in_one_line_and_leaves_a_report_without_a_name_of_the_client(
    run_here: Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(*_: object, **__: object) -> None:
        raise RuntimeError("a wheel came\noff")

    monkeypatch.setattr("mardok.load", broken)
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    done = run_here("page", tmp_path / "client-name", "/")
    assert done.returncode == 70
    assert len(done.stderr.splitlines()) == 1
    report = next(tmp_path.glob("mardok-report-*.txt"))
    assert str(report) in done.stderr
    assert "RuntimeError: a wheel came" in report.read_text()
    assert "client-name" not in report.read_text()
