"""What several tests need: WARC files, small sites, the audited demo, a browser."""

from __future__ import annotations

import io
import json
import os
import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack
from importlib.resources import files
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings
from warcio.statusandheaders import StatusAndHeaders
from warcio.warcwriter import WARCWriter

import mardok
from mardok.cli import main
from mardok.extract import extraction
from mardok.proofing.dictionary import find_dictionaries, opened

# In CI a failure must be the change's own: the same examples every time. Elsewhere every run tries new ones.
settings.register_profile("ci", derandomize=True)
if os.environ.get("CI"):
    settings.load_profile("ci")

Response = tuple[str, int, list[tuple[str, str]], bytes]
DEMO_WARC = Path(str(files("mardok.demo"))) / "site.warc.gz"
DEMO_SEARCH = Path(str(files("mardok.demo"))) / "search.csv"


def html(text: str, title: str = "A page", head: str = "") -> bytes:
    return f"<!doctype html><html lang=en><head><title>{title}</title>{head}</head><body><p>{text}</p>".encode()


def warc_bytes(
    responses: Sequence[Response], *, gzip: bool = True, kinds: Mapping[str, str] | None = None
) -> tuple[bytes, list[int]]:
    """A WARC file of the responses, and where each record begins; `kinds` tells what an address was asked for as."""
    buffer = io.BytesIO()
    writer = WARCWriter(buffer, gzip=gzip)
    starts = []
    for url, status, headers, body in responses:
        starts.append(buffer.tell())
        http = StatusAndHeaders(f"{status} Answer", headers or [("Content-Type", "text/html")], protocol="HTTP/1.1")
        own = {"Mardok-Kind": kinds[url]} if kinds and url in kinds else None
        payload = io.BytesIO(body)
        record = writer.create_warc_record(url, "response", payload=payload, http_headers=http, warc_headers_dict=own)
        writer.write_record(record)
    return buffer.getvalue(), starts


@pytest.fixture
def warc(tmp_path: Path) -> Callable[..., Path]:
    """Writes responses into a WARC file."""

    def write(*responses: Response, name: str = "site.warc.gz", kinds: Mapping[str, str] | None = None) -> Path:
        path = tmp_path / name
        path.write_bytes(warc_bytes(responses, gzip=name.endswith(".gz"), kinds=kinds)[0])
        return path

    return write


@pytest.fixture
def page_table(tmp_path: Path) -> Callable[[list[dict[str, Any]]], Path]:
    """Writes rows into a table of pages."""

    def write(rows: list[dict[str, Any]]) -> Path:
        path = tmp_path / "pages.jsonl"
        path.write_text("".join(json.dumps(row) + "\n" for row in rows), "utf-8")
        return path

    return write


@pytest.fixture(scope="session")
def demo() -> mardok.Audit:
    return mardok.audit(DEMO_WARC, search=DEMO_SEARCH)


@pytest.fixture(scope="session")
def demo_folder(demo: mardok.Audit, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("demo") / "audit"
    demo.save(folder)
    return folder


JUDGEMENT = frozenset(["compare", "deliver", "findings", "plan", "rechecking", "text"])


@pytest.fixture(autouse=True)
def pages_are_read_here(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """Where judgement is tested, on hundreds of small sites, no process is begun for each to read its pages."""
    if JUDGEMENT & set(request.path.parts):
        monkeypatch.setattr(extraction, "can_fork", lambda: False)


@pytest.fixture(scope="session")
def run() -> Callable[..., subprocess.CompletedProcess[str]]:
    """Runs the command line as a user does."""

    def call(*arguments: object) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-m", "mardok", *map(str, arguments)]
        environment = {**os.environ, "PYTHONWARNINGS": "error", "COLUMNS": "100"}
        return subprocess.run(command, capture_output=True, text=True, timeout=300, env=environment, check=False)

    return call


@pytest.fixture
def run_here(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> Callable[..., subprocess.CompletedProcess[str]]:
    """Runs the command line inside this process: many calls, no start-up."""

    def call(*arguments: object) -> subprocess.CompletedProcess[str]:
        monkeypatch.setattr("sys.argv", ["mardok", *map(str, arguments)])
        with pytest.raises(SystemExit) as left:
            main()
        return subprocess.CompletedProcess(arguments, int(left.value.code or 0), *capsys.readouterr())

    return call


@pytest.fixture(scope="session")
def browser() -> Iterator[Any]:
    """Debian's Chromium; on a machine without it the tests are skipped, in CI they fail."""
    path = shutil.which("chromium")
    if path is None:
        if os.environ.get("CI"):
            pytest.fail("Chromium is missing; .ci/run installs it")
        pytest.skip("needs Chromium (apt-get install chromium)")
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path=path, args=["--no-sandbox"])
        yield chromium
        chromium.close()


AFFIXES = "SET UTF-8\nTRY abcdefghijklmnopqrstuvwxyz\nSFX S Y 1\nSFX S 0 s .\n"
WORDS = (
    "violin/S", "string/S", "bow/S", "hire", "month", "every", "player/S", "send", "back", "the", "a", "for", "to", "we",
    "our", "workshop", "with", "and", "in", "care", "of", "take", "bring", "good", "instrument/S", "colour", "from",
    "their", "new",
)  # fmt: skip


@pytest.fixture
def dictionaries(tmp_path: Path) -> Path:
    """A folder with a small English dictionary, and none that the system has."""
    folder = tmp_path / "dictionaries"
    folder.mkdir()
    (folder / "en_GB.aff").write_text(AFFIXES, "utf-8")
    (folder / "en_GB.dic").write_text(f"{len(WORDS)}\n" + "\n".join(WORDS) + "\n", "utf-8")
    return folder


@pytest.fixture
def only_these(dictionaries: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """The same, where the system has no dictionary at all."""
    monkeypatch.setattr("mardok.proofing.dictionary._SYSTEM_FOLDERS", ())
    monkeypatch.setattr("mardok.proofing.dictionary._package_folder", list)
    return dictionaries


@pytest.fixture(scope="module")
def is_word() -> Iterator[Callable[[str, str], bool]]:
    """Whether one of Debian's dictionaries of a language knows a word."""
    with ExitStack() as stack:
        spellers = {
            language: [stack.enter_context(opened(one, 60)) for one in find_dictionaries(language)]
            for language in ("en", "de")
        }
        for language, needed in (("en", 2), ("de", 1)):
            if len(spellers[language]) < needed:
                if os.environ.get("CI"):
                    pytest.fail(f"dictionaries of {language!r} are missing; .ci/run installs them")
                pytest.skip("needs dictionaries (apt-get install hunspell-en-gb hunspell-en-us hunspell-de-de)")
        yield lambda language, word: any(one.knows([word])[0] for one in spellers[language])
