"""The command line, as a user meets it."""

from __future__ import annotations

import fcntl
import json
import os
import pty
import re
import shutil
import struct
import subprocess
import sys
import termios
from collections.abc import Callable
from pathlib import Path

import pandas as pd
import pytest
from conftest import DEMO_SEARCH, DEMO_WARC, html, warc_bytes

from mardok.demo.troubles import url
from mardok.store import FileStore

Run = Callable[..., "subprocess.CompletedProcess[str]"]
WARC_PAGES = [(f"https://host.example/{n}", 200, [], html(f"number {n} " * 60)) for n in range(3)]


def digest(folder: Path) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in sorted(folder.glob("*.csv"))}


def test_the_demo_ends_with_a_plan_and_a_report(run: Run, tmp_path: Path) -> None:
    done = run("demo", tmp_path / "here")
    assert done.returncode == 0
    assert "164 pages read, 148 of them indexable" in done.stdout
    assert "Merge /bow-rehairing-service/" in done.stdout
    report = Path(done.stdout.split("Report: ")[1].strip())
    assert report == tmp_path / "here" / "audit" / "report.html"
    assert report.stat().st_size > 50_000
    assert done.stderr == ""
    again = run("demo", tmp_path / "there")
    assert digest(tmp_path / "here" / "audit") == digest(tmp_path / "there" / "audit")
    assert again.stdout.splitlines()[:-1] != []


def test_the_demo_is_laid_beside_other_firms(run: Run, run_here: Run, tmp_path: Path) -> None:
    done = run("demo", tmp_path / "here", "--others")
    assert done.returncode == 0
    told = " ".join(done.stdout.split())
    assert "Answer 'What if I damage the violin?'" in told
    assert "ninepin-music.example has 26 words of ours word for word" in told
    assert told.endswith("versus/versus.html")
    assert done.stderr == ""
    table = pd.read_csv(tmp_path / "here" / "versus" / "versus.csv").set_index(["measure", "number"])
    corbel, ninepin = (table.loc[[("alt-texts", number)]].iloc[0] for number in (2, 3))
    assert (corbel["cause"], corbel["without_cause"], ninepin["value"]) == ("/instruments/", 0.0, 0.0)
    assert table.loc[[("descriptions", 3)]].iloc[0]["value"] == 1.0
    for page in ("topic/topic.html", "versus/versus.html"):
        assert "<script" not in (tmp_path / "here" / page).read_text("utf-8")
    audits = (tmp_path / "here" / "audit", tmp_path / "here" / "others" / "corbel-strings.example" / "audit")
    listed = run_here("versus", "--list", *audits)
    assert [line.split()[0] for line in listed.stdout.splitlines()[1:]] == [
        "corbel-strings.example",
        "wyndale-violin-hire.example",
    ]
    assert "clicks fell by" in listed.stdout
    as_json = json.loads(run_here("versus", *audits, "-o", tmp_path / "versus", "--json", "--without", "title-long").stdout)
    assert {site["name"] for site in as_json["sites"]} == {line.split()[0] for line in listed.stdout.splitlines()[1:]}
    topic = json.loads(run_here("topic", audits[0], "bow rehair", "--json").stdout)
    assert topic["verdict"] == "several"


def test_one_process_or_more_give_the_same_bytes(run: Run, tmp_path: Path) -> None:
    for jobs in (1, 3):
        assert run("audit", DEMO_WARC, "--search", DEMO_SEARCH, "-o", tmp_path / f"{jobs}", "--jobs", jobs).returncode == 0
    assert digest(tmp_path / "1") == digest(tmp_path / "3")


@pytest.mark.harm
def test_the_same_input_gives_the_same_bytes_wherever_and_however_it_is_read(tmp_path: Path) -> None:
    folder = tmp_path / "it's a \u00fc;b"
    folder.mkdir()
    source = folder / "site $HOME.csv"
    text = "We hire violins by the month, mend bows and cut bridges, \u00fcber \u5c0f. " * 9
    rows = [f'https://host.example/{n},Page {n % 7},"{text} {n % 5}"' for n in range(60)]
    source.write_text("\n".join(["url,title,text", *rows]), "utf-8")
    source.chmod(0o400)
    folder.chmod(0o500)
    (tmp_path / "real").mkdir()
    (tmp_path / "link").symlink_to(tmp_path / "real")
    base = {name: value for name, value in os.environ.items() if name in ("PATH", "PYTHONPATH", "VIRTUAL_ENV")}
    made = []
    for number, (environment, where, jobs) in enumerate(
        [
            ({"HOME": str(tmp_path), "LANG": "en_GB.UTF-8", "TZ": "UTC", "PYTHONHASHSEED": "0"}, tmp_path / "plain", 1),
            ({"LANG": "C", "LC_ALL": "C", "TZ": "Pacific/Kiritimati", "PYTHONHASHSEED": "1"}, tmp_path / "a b\n c", 2),
            ({"LANG": "tr_TR.UTF-8", "TZ": "America/Caracas", "PYTHONHASHSEED": "77"}, tmp_path / "-o", 3),
            ({"PYTHONHASHSEED": "5", "PYTHONUTF8": "0"}, tmp_path / "link", 4),
        ]
    ):
        command = [sys.executable, "-m", "mardok", "audit", str(source), f"--output={where}", "--jobs", str(jobs)]
        done = subprocess.run(command, env={**base, **environment}, cwd=tmp_path, capture_output=True, check=False)
        assert done.returncode == 0, (number, done)
        made.append(digest(where) | {path.name: path.read_bytes() for path in sorted(where.glob("data/*"))})
    folder.chmod(0o700)
    assert (tmp_path / "link").is_symlink()
    assert all(one == made[0] for one in made)


def test_an_audit_is_made_again_from_its_folder_with_other_settings(run: Run, tmp_path: Path) -> None:
    out = tmp_path / "audit"
    source = tmp_path / "site.warc.gz"
    shutil.copy(DEMO_WARC, source)
    assert run("audit", source, "-o", out, "--set", "text.ignore=.cookie-note").returncode == 0
    words = json.loads(run("page", out, url("/contact/"), "--json").stdout)["page"]["words"]
    done = run("audit", out, "-o", out, "--set", "copies.resemblance=0.95", "--json")
    answer = json.loads(done.stdout)
    assert answer["totals"]["pages_with_copies"] < 31
    assert json.loads(run("page", out, url("/contact/"), "--json").stdout)["page"]["words"] == words
    source.unlink()
    done = run("audit", out, "-o", out)
    assert done.returncode == 2
    assert "no longer there" in done.stderr


def test_page_and_pair_answer_from_the_folder(run_here: Run, demo_folder: Path) -> None:
    shown = run_here("page", demo_folder, url("/repairs/bow-rehair/"))
    assert shown.returncode == 0
    for part in ("Bow rehair | Wyndale Violin Hire", "Heading outline", "Relatives", "96%", "Steps", "stays: "):
        assert part in shown.stdout
    text = run_here("page", demo_folder, url("/contact/"), "--text").stdout
    assert "breadcrumb" in text
    assert "Ring the workshop" in text
    pair = run_here("pair", demo_folder, url("/repairs/bow-rehair/"), url("/bow-rehairing-service/"))
    assert "Resemblance 96%" in pair.stdout
    assert "[thirty-eight]" in pair.stdout
    assert "[thirty-six]" in pair.stdout
    as_json = json.loads(run_here("pair", demo_folder, url("/terms/"), url("/hire/terms/"), "--json").stdout)
    assert as_json["identical_text"]
    assert as_json["resemblance"] == 1
    assert [run["same"] for run in as_json["runs"]] == [True]
    unknown = run_here("page", demo_folder, url("/contakt/"))
    assert unknown.returncode == 2
    assert "near it are" in unknown.stderr


def test_phrases_answers_in_words_rows_and_json(run_here: Run, demo_folder: Path, tmp_path: Path) -> None:
    out = tmp_path / "p.csv"
    listed = run_here("phrases", demo_folder, "--under", "/blog/", "--with", "strings", "--top", "1", "-o", out)
    assert "violin strings" in out.read_text("utf-8")
    assert "e string" in listed.stdout
    assert "old strings" not in listed.stdout  # most of them stand in teasers
    assert f"all are in {out}" in " ".join(listed.stdout.split())
    told = run_here("phrases", demo_folder, "violin hire", "hire a violin")
    assert "71 mentions of 'violin hire' and 'hire a violin' on 30 pages: 25 in links, 30 in headings" in told.stdout
    linking = json.loads(run_here("phrases", demo_folder, "violin hire", "--link-to", url("/hire/"), "--json").stdout)
    assert {row["anchor"] for row in linking["links"]} == {"violin hire"}
    assert len(linking["links"]) == 16
    near = run_here("phrases", demo_folder, "violn hire")
    assert near.stdout.split() == [
        "None",
        "of",
        "the",
        "pages",
        "asked",
        "about",
        "uses",
        "'violn",
        "hire'.",
        "Used",
        "phrases",
        "near",
        "it:",
        "'violin",
        "hire'.",
    ]
    warned = run_here("phrases", demo_folder, "violin hire", "--link-to", url("/basket/"))
    assert (warned.returncode, "is not indexable (robots.txt)" in warned.stderr) == (0, True)
    pasted = run_here("phrases", demo_folder, "--passages", "--under", "/instruments/")
    assert "Instruments are exchanged without charge" in " ".join(pasted.stdout.split())
    pages = tmp_path / "pages.txt"
    pages.write_text(f"# asked about\n{url('/hire/')}\n", "utf-8")
    assert "on 1 page" in run_here("phrases", demo_folder, "--pages", pages, "--words", "2").stdout


@pytest.mark.parametrize("command", ["demo", "audit", "page", "pair", "phrases", "recheck", "versus", "topic", "draft"])
def test_help_has_an_example(run_here: Run, command: str) -> None:
    assert f"Example: mardok {command}" in run_here(command, "--help").stdout


BAD_CALLS: list[tuple[list[str], str]] = [
    (["audit", "missing.warc.gz", "-o", "out"], "missing.warc.gz: there is no such file or folder"),
    (["audit", "empty", "-o", "out", "--base", "https://host.example/"], "holds no HTML file"),
    (["audit", "folder", "-o", "out"], "--base https://host.example/"),
    (["audit", "folder", "-o", "out", "--base", "host"], "--base 'host': expected an http(s) address"),
    (["audit", "no-url.csv", "-o", "out"], "has no column 'url'; its columns are 'address', 'text'"),
    (["audit", "only-url.csv", "-o", "out"], "beside 'url' it needs at least one of html, text"),
    (
        ["audit", "good.warc", "-o", "out", "--set", "copies.likeness=1"],
        "setting 'copies.likeness': there is no such setting",
    ),
    (["audit", "good.warc", "-o", "out", "--set", "copies.resemblance=3"], "less than or equal to 1; got 3"),
    (["audit", "good.warc", "-o", "out", "--set", "text.only=a["], "'a[' is not a CSS selector"),
    (["audit", "good.warc", "-o", "out", "--settings", "bad.toml"], "bad.toml: cannot be read as a TOML settings file"),
    (["audit", "good.warc", "-o", "theirs"], "theirs: is not empty and not an audit folder"),
    (["audit", "good.warc", "-o", "good.warc"], "good.warc: is a file"),
    (["audit", "good.warc", "-o", "out", "--search", "nothing.csv"], "nothing.csv: there is no such search file"),
    (["audit", "good.warc", "-o", "out", "--search", "no-url.csv"], "has no column 'query'"),
    (["audit", "nonsense.warc", "-o", "out"], "does not begin like a WARC file"),
    (["audit", "empty.warc", "-o", "out"], "the file is empty"),
    (["audit", "images.warc", "-o", "out"], "no page could be read; skipped 1 of type image/png"),
    (["audit", "notes.txt", "-o", "out"], "expected .warc, .warc.gz"),
    (["audit", "good.warc"], "Missing option '-o'"),
    (["page", "theirs", "https://host.example/"], "theirs: is not an audit folder"),
    (["pair", "nowhere", "a", "b"], "nowhere: there is no such folder"),
    (["phrases", "theirs"], "theirs: is not an audit folder"),
    (["versus", "theirs"], "name the folder to write: -o DIR; or ask for one line a site: --list"),
    (["versus", "theirs", "-o", "out"], "name two audits at least, ours first"),
    (["versus", "theirs", "nowhere", "-o", "out"], "theirs: is not an audit folder"),
    (["versus", "theirs", "nowhere", "--list", "-o", "out"], "--list writes no folder"),
    (["topic", "theirs", "bows"], "theirs: is not an audit folder"),
    (["topic", "theirs", "bows", "--rivals", "https://host.example/"], "name the folder to write: -o DIR"),
]


@pytest.mark.parametrize(("call", "message"), BAD_CALLS)
def test_a_wrong_call_gets_one_line_and_leaves_everything_as_it_was(
    run_here: Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, call: list[str], message: str
) -> None:
    for name in ("empty", "folder", "theirs"):
        (tmp_path / name).mkdir()
    files = {
        "folder/a.html": html("a"), "theirs/work.txt": b"mine", "notes.txt": b"x", "no-url.csv": b"address,text\n1,2\n",
        "good.warc": warc_bytes(WARC_PAGES, gzip=False)[0], "nonsense.warc": b"nonsense", "empty.warc": b"",
        "only-url.csv": b"url\nx\n",
        "bad.toml": b"[copies\n",
        "images.warc": warc_bytes([("https://host.example/i", 200, [("Content-Type", "image/png")], b"x")], gzip=False)[0],
    }  # fmt: skip
    for name, data in files.items():
        (tmp_path / name).write_bytes(data)
    monkeypatch.chdir(tmp_path)
    done = run_here(*call)
    assert done.returncode == 2
    assert done.stdout == ""
    assert message in done.stderr
    if message != "Missing option '-o'":
        assert done.stderr.count("\n") == 1
        assert done.stderr.startswith("mardok: ")
    assert {path.name for path in tmp_path.iterdir()} == {name.split("/")[0] for name in files} | {
        "empty",
        "folder",
        "theirs",
    }
    assert all((tmp_path / name).read_bytes() == data for name, data in files.items())


def test_a_failing_audit_leaves_the_earlier_one_as_it_was(run: Run, tmp_path: Path) -> None:
    good = tmp_path / "good.warc"
    good.write_bytes(warc_bytes(WARC_PAGES, gzip=False)[0])
    assert run("audit", good, "-o", tmp_path / "out").returncode == 0
    before = {path: path.read_bytes() for path in (tmp_path / "out").rglob("*") if path.is_file()}
    assert run("audit", tmp_path / "missing", "-o", tmp_path / "out").returncode == 2
    assert {path: path.read_bytes() for path in (tmp_path / "out").rglob("*") if path.is_file()} == before


def test_a_crawl_cut_in_the_middle_is_used_and_told_with_status_1(run: Run, tmp_path: Path) -> None:
    data, starts = warc_bytes(WARC_PAGES)
    path = tmp_path / "cut.warc.gz"
    path.write_bytes(data[: starts[2] + 150])
    done = run("audit", path, "-o", tmp_path / "out")
    assert done.returncode == 1
    assert "2 pages read" in done.stdout
    assert done.stderr.startswith(f"mardok: {path}, byte {starts[2]}")
    assert done.stderr.count("\n") == 1
    assert "Could not be read (1)" in (tmp_path / "out" / "report.html").read_text("utf-8")


BAD_QUESTIONS: list[tuple[list[str], str]] = [
    (["--words", "9"], "phrases of 9 to 9 words are not counted: give numbers from 1 to 6"),
    (["--words", "two"], "--words two: expected a number such as 3, or two such as 2-4"),
    (["--under", "/x/"], "no page asked about is under /x/; the sections with most pages are /"),
    (["--language", "fr"], "no page asked about has the language 'fr'; the languages with most pages are en, de"),
    (["--by", "beauty"], "order 'beauty': is not one of typical, pages, uses"),
    (
        ["--page", "https://www.wyndale-violin-hire.example/hir/"],
        "is not in this audit; near it are https://www.wyndale-violin-hire.example/hire/",
    ),
    (["--pages", "missing.txt"], "missing.txt: cannot be read as a text file of addresses"),
    (["--link-to", "https://www.wyndale-violin-hire.example/hire/"], "--link-to: say what is mentioned"),
    (["..."], "'...': holds no word to look for"),
    (["x", "--passages"], "--passages: lists what is pasted, whatever it says"),
]


@pytest.mark.parametrize(("question", "message"), BAD_QUESTIONS)
def test_a_wrong_question_gets_one_line(run_here: Run, demo_folder: Path, question: list[str], message: str) -> None:
    done = run_here("phrases", str(demo_folder), *question)
    assert (done.returncode, done.stdout, done.stderr.count("\n")) == (2, "", 1)
    assert message in done.stderr


def in_a_terminal(columns: int, *arguments: object, **environment: str) -> str:
    """What the program writes to a terminal of a width."""
    ours, theirs = pty.openpty()
    fcntl.ioctl(theirs, termios.TIOCSWINSZ, struct.pack("HHHH", 50, columns, 0, 0))
    known = {name: value for name, value in os.environ.items() if name not in ("COLUMNS", "LINES", "NO_COLOR")}
    with subprocess.Popen(
        [sys.executable, "-m", "mardok", *map(str, arguments)], stdin=theirs, stdout=theirs, stderr=subprocess.DEVNULL,
        env={**known, "TERM": "xterm-256color", **environment},
    ) as process:  # fmt: skip
        os.close(theirs)
        written = b""
        while True:
            try:
                piece = os.read(ours, 65_536)
            except OSError:  # the other end is closed
                break
            if not piece:
                break
            written += piece
    os.close(ours)
    assert process.returncode == 0
    return written.decode("utf-8").replace("\r\n", "\n")


STYLE = re.compile(r"\x1b\[([0-9;]*)m")


def test_answers_fit_the_terminal(demo_folder: Path, tmp_path: Path) -> None:
    folder = shutil.copytree(demo_folder, tmp_path / "audit")
    pages = (url("/repairs/bow-rehair/"), url("/bow-rehairing-service/"))
    for columns, arguments in (
        (80, ["audit", folder, "-o", folder]),
        (80, ["page", folder, pages[0]]),
        (80, ["pair", folder, *pages]),
        (200, ["page", folder, pages[0], "--text"]),
    ):
        written = in_a_terminal(columns, *arguments, NO_COLOR="1")
        # A path that somebody may copy stays in one piece.
        lines = [line for line in STYLE.sub("", written).split("\n") if str(tmp_path) not in line]
        assert columns // 2 < max(map(len, lines)) <= columns
        codes = {int(code) for found in STYLE.findall(written) for code in found.split(";") if code}
        assert not codes & {*range(30, 50), *range(90, 108)}  # no colours


def test_a_pipe_that_takes_ascii_only_is_not_broken(demo_folder: Path) -> None:
    environment = {**os.environ, "PYTHONIOENCODING": "ascii", "PYTHONUTF8": "0", "LC_ALL": "C"}
    command = [sys.executable, "-m", "mardok", "page", demo_folder, url("/de/ueber-uns/")]
    plain = subprocess.run(command, capture_output=True, env=environment, check=True)
    assert b"?ber uns" in plain.stdout
    assert b"\x1b" not in plain.stdout
    as_json = subprocess.run([*command, "--json"], capture_output=True, env=environment, check=True)
    assert json.loads(as_json.stdout)["page"]["title"].startswith("\u00dcber uns")


def test_no_command_reads_what_has_a_row_for_each_page_or_link(
    run_here: Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whole, these tables would fill the memory of whoever has audited a million pages."""
    read = FileStore.__getitem__

    def read_small(store: FileStore, table: str) -> pd.DataFrame:
        assert table not in ("pages", "blocks", "links", "images", "fingerprints"), table
        return read(store, table)

    monkeypatch.setattr(FileStore, "__getitem__", read_small)
    folder = tmp_path / "audit"
    sources = (DEMO_WARC, "--search", DEMO_SEARCH, "-o", folder)
    assert run_here("audit", *sources).returncode == 0
    plan = pd.read_csv(folder / "plan.csv", dtype=str, keep_default_na=False)
    plan.assign(decision="accept").to_csv(folder / "plan.csv", index=False)
    draft = tmp_path / "draft.md"
    draft.write_text("# Hire a cello\n\nHire a cello from our workshop by the month.\n", "utf-8")
    hire, other = url("/violin-hire/"), tmp_path / "other"
    shutil.copytree(folder, other)
    for command in (
        ("audit", *sources, "--set", "copies.resemblance=0.85"),
        ("audit", folder, "-o", folder, "--set", "copies.resemblance=0.85", "--set", "proof.commas=false"),
        ("page", folder, hire),
        ("pair", folder, hire, url("/")),
        ("pages", folder, "--thin", "--under", "/"),
        ("pages", folder, "--query", "violin hire"),
        ("phrases", folder),
        ("phrases", folder, "--under", "/", "--by", "typical"),
        ("phrases", folder, "violin hire"),
        ("phrases", folder, "violin hire", "--link-to", hire),
        ("phrases", folder, "--passages"),
        ("topic", folder, "violin hire"),
        ("draft", folder, draft),
        ("versus", folder, "--list"),
        ("versus", folder, other, "-o", tmp_path / "versus"),
        ("handoff", folder, "-o", tmp_path / "orders"),
        ("recheck", folder, other, "-o", tmp_path / "since"),
    ):
        done = run_here(*command)
        assert done.returncode in (0, 3), (command, done.stderr)
