"""Drafts against the audited demo: what is told of planted cases, of odd files, and what the command answers."""

from __future__ import annotations

import json
import os
import random
import re
import subprocess
import sys
import zipfile
from collections.abc import Callable
from html import escape
from importlib.resources import files
from io import BytesIO
from pathlib import Path

import docx
import pytest
from conftest import DEMO_WARC
from warcio.archiveiterator import ArchiveIterator

import mardok
from mardok.compare.resemblance import common_wording
from mardok.demo import troubles
from mardok.drafts.reading import read_draft
from mardok.text.words import words
from mardok.vocabulary import DraftAdvice, DraftRule

HOST = troubles.HOST
ALONE = (
    "/blog/buzzing-violin/", "/blog/choosing-a-teacher/", "/blog/holding-the-violin/", "/blog/learning-as-an-adult/",
    "/blog/practising-in-a-flat/", "/repairs/bridge-fitting/", "/repairs/pegs/",
)  # fmt: skip
"""Pages in no group, with texts of their own."""
SEARCHED = (*ALONE[:2], "/blog/learning-as-an-adult/")
"""Those for which search shows them when it is asked for what their titles say, and no more."""
MODELS = {
    "/instruments/harrow-student-violin/": "harrow", "/instruments/lindgren-advanced-violin/": "lindgren",
    "/instruments/marlow-viola/": "marlow", "/instruments/oblong-case/": "oblong", "/instruments/ottery-cello/": "ottery",
    "/instruments/penhallow-cello/": "penhallow", "/instruments/tolland-double-bass/": "tolland",
}  # fmt: skip
"""Instruments with the names of their models."""
OTHERS = dict(zip(ALONE, (*ALONE[1:], ALONE[0]), strict=True))
"""For each another one."""


def body_of(demo: mardok.Audit, path: str) -> list[str]:
    """Paragraphs of a page without its H1."""
    page = demo.pages.iloc[demo.row_of(path)]
    return [line for line in page["main_text"].split("\n") if line != page["h1"]]


def markdown(title: str, lines: list[str], **fields: str) -> str:
    head = "".join(f"{name}: {value}\n" for name, value in {"title": title, **fields}.items())
    return f"---\n{head}---\n\n# {title}\n\n" + "\n\n".join(lines) + "\n"


def edited(lines: list[str], every: int) -> list[str]:
    """The same with every so many words exchanged."""
    result, n = [], 0
    for line in lines:
        words = line.split()
        for at in range(len(words)):
            n += 1
            if n % every == 0:
                words[at] = f"plover{n}"
        result.append(" ".join(words))
    return result


def title_of(demo: mardok.Audit, path: str) -> str:
    return str(demo.pages.iloc[demo.row_of(path)]["h1"])


ONCE = "At the boathouse the keeper lent us a ladder, and the heron on the seventh rung would not move for anyone."
NEW = [
    "The ferry to the island takes eleven passengers, a goat and one double bass, in whatever order they arrive.",
    "Nobody sells tickets. You hand the captain something to read, and he decides while the gulls decide about your lunch.",
    ONCE,
]
GERMAN = [
    "Die Fähre zur Insel fährt nur, wenn der Wind aus Westen kommt und der Kapitän gefrühstückt hat.",
    "Wer ein Instrument dabei hat, sitzt innen und zahlt nicht, denn die Überfahrt ist ohnehin feucht genug.",
]


def case(kind: str, path: str, demo: mardok.Audit) -> tuple[str, dict[str, str], DraftAdvice, DraftRule | None, str]:
    """A draft, how it is asked about, and what must be told: advice, rule, page."""
    title, lines, other = title_of(demo, path), body_of(demo, path), OTHERS.get(path, "")
    go_on = (DraftAdvice.GO_ON, None, "")
    if kind == "a copy":
        return markdown(title, edited(lines, 60)), {}, DraftAdvice.EXTEND, DraftRule.COPY, path
    if kind == OTHER_PROMISE:
        another = re.sub(MODELS[path], "Greywether", markdown(title, lines), flags=re.IGNORECASE)
        return another, {}, DraftAdvice.TELL_APART, DraftRule.COPY_OF_OTHER, path
    if kind == "two pages made one":
        text = markdown("Two old stories in one", [*lines, ONCE, *body_of(demo, other)])
        return text, {}, DraftAdvice.EXTEND, DraftRule.HOLDS_TWO, ""
    if kind == "rewritten enough":
        return markdown("Ferries, goats and what they cost", [*NEW, *edited(lines, 4)]), {}, *go_on
    if kind == "the same promise in other words":
        turned = " ".join(re.sub(r"[?:,]", "", title).split()[::-1])
        if path not in SEARCHED:
            return markdown(turned, NEW), {}, DraftAdvice.TELL_APART, DraftRule.PROMISED, path
        return markdown(turned, NEW), {}, DraftAdvice.EXTEND, DraftRule.PROMISED_AND_SHOWN, path
    if kind == "another language":
        return markdown(title, GERMAN * 3, lang="de"), {}, *go_on
    if kind == "a phrase that we are found for":
        queries = {"/blog/holding-the-violin/": "how to hold a violin", "/repairs/pegs/": "violin pegs slipping"}
        if path in queries:  # asked in other words than any page promises
            return "", {"phrase": queries[path]}, DraftAdvice.EXTEND, DraftRule.SHOWN, path
        if path not in SEARCHED:
            return "", {"phrase": title}, DraftAdvice.TELL_APART, DraftRule.PROMISED, path
        return "", {"phrase": title}, DraftAdvice.EXTEND, DraftRule.PROMISED_AND_SHOWN, path
    if kind == "nothing alike":
        return markdown(f"Ferries and {path.strip('/').rpartition('/')[2][:3]} goats", NEW), {}, *go_on
    assert kind == "the page itself"
    return markdown(title, edited(lines, 40)), {"url": path}, *go_on


OTHER_PROMISE = "a copy that promises something else"
KINDS = (
    "a copy", OTHER_PROMISE, "two pages made one", "rewritten enough",
    "the same promise in other words", "another language", "a phrase that we are found for", "nothing alike",
    "the page itself",
)  # fmt: skip


CASES = [(kind, path) for kind in KINDS for path in (MODELS if kind == OTHER_PROMISE else ALONE)]


@pytest.mark.parametrize(("kind", "path"), CASES)
def test_planted_drafts_are_told_rightly(kind: str, path: str, demo: mardok.Audit, tmp_path: Path) -> None:
    text, asked, advice, rule, page = case(kind, path, demo)
    file = tmp_path / "draft.md"
    file.write_text(text)
    report = mardok.check_draft(
        demo, *([file] if text else []), phrases=[asked["phrase"]] if "phrase" in asked else (),
        urls=[asked["url"]] if "url" in asked else (),
    )  # fmt: skip
    (one,) = report.drafts
    assert (one.advice, report.is_clear) == (advice, advice == DraftAdvice.GO_ON), str(one.sentence)
    if kind == "nothing alike":
        assert str(one.sentence) == "Go on: no page of the site says or promises the same."
    if rule is not None:
        assert one.findings[0].rule == rule
        assert one.findings[0].url in ([f"{HOST}{page}"] if page else [f"{HOST}{path}", f"{HOST}{OTHERS[path]}"])
    if kind == "two pages made one":
        shown = {relative.url for relative in one.alike.relatives if relative.page_in_draft > 0.8}
        assert shown == {f"{HOST}{path}", f"{HOST}{OTHERS[path]}"}
    if kind == "the page itself":
        assert one.draft.url == f"{HOST}{path}"
        assert f"{HOST}{path}" not in {relative.url for relative in one.alike.relatives}
        assert f"{HOST}{path}" not in json.dumps(one.queries)


TEXT = [
    "The ferry takes eleven passengers, a goat and one double bass.",
    "You pay by the month and stop when you like.",
    "What the gulls leave of your lunch is yours, and so is the rental calculator.",
]


def as_html(title: str, lines: list[str]) -> str:
    body = "".join(f"<p>{escape(line)}</p>" for line in lines)
    return f"<html lang=en><title>{escape(title)}</title><main><h1>{escape(title)}</h1>{body}</main>"


def as_docx(path: Path, title: str, lines: list[str]) -> None:
    document = docx.Document()
    document.core_properties.title = title
    document.add_heading(title, 1)
    for line in lines:
        document.add_paragraph(line)
    document.save(str(path))


def test_every_kind_of_file_says_the_same(demo: mardok.Audit, tmp_path: Path) -> None:
    title = "Crossing by goat and ferry"
    (tmp_path / "a.html").write_text(as_html(title, TEXT))
    (tmp_path / "b.md").write_text(markdown(title, TEXT))
    (tmp_path / "c.txt").write_text("\n\n".join([title, *TEXT]))
    (tmp_path / "d.md").write_text(f'+++\ntitle = "{title}"\nlang = "en"\n+++\n' + "\n\n".join(TEXT))
    as_docx(tmp_path / "e.docx", title, TEXT)
    told = [mardok.check_draft(demo, tmp_path / name).drafts[0] for name in ("a.html", "b.md", "c.txt", "d.md", "e.docx")]
    for one in told:
        assert one.draft.text.split("\n") == [title, *TEXT]
        assert (one.draft.page.title, one.draft.page.h1, one.draft.language) == (title, title, "en")
        assert [phrase.text for phrase in one.draft.phrases] == ["crossing by goat and ferry"]
        assert [(passage.text, passage.is_boilerplate) for passage in one.alike.pasted] == [(TEXT[1].rstrip("."), True)]
        assert [(link.url, link.anchor) for link in one.links_out] == [(f"{HOST}/rental-calculator/", "rental calculator")]
        assert one.advice == DraftAdvice.GO_ON


def test_a_page_with_its_template_is_read_as_the_audit_read_it(demo: mardok.Audit, tmp_path: Path) -> None:
    with DEMO_WARC.open("rb") as stream:
        bodies = {
            record.rec_headers.get_header("WARC-Target-URI"): record.content_stream().read()
            for record in ArchiveIterator(stream)
            if record.rec_type == "response"
        }
    for path in ("/hire/", "/blog/holding-the-violin/", "/de/preise/", "/instruments/marlow-viola/"):
        (tmp_path / "page.html").write_bytes(bodies[f"{HOST}{path}"])
        (one,) = mardok.check_draft(demo, tmp_path / "page.html", urls=[path]).drafts
        assert one.draft.url == f"{HOST}{path}"
        assert one.draft.text == demo.pages.iloc[demo.row_of(path)]["main_text"]
        assert DraftRule.COPY not in {finding.rule for finding in one.findings}


def test_relatives_are_those_of_a_slow_comparison_with_every_page(demo: mardok.Audit, tmp_path: Path) -> None:
    pages = demo.pages[demo.pages["indexable"] & (demo.pages["variant_of"] == "")]
    for path, every in (("/violin-hire/oxenby-vale/", 9), ("/hire/sizes/1-8/", 20), ("/faq/", 7), ("/terms/", 50)):
        lines = edited(body_of(demo, path), every)
        (tmp_path / "draft.md").write_text(markdown("Of gulls", lines))
        (one,) = mardok.check_draft(demo, tmp_path / "draft.md").drafts
        slow = {}
        for page in pages.itertuples():
            shared = common_wording(one.draft.text, page.main_text)
            is_long = min(len(one.draft.words), page.words) >= 30
            if shared.resemblance >= 0.5 or (max(shared[1:]) >= 0.8 and is_long):
                slow[page.url] = shared
        found = {
            relative.url: (relative.resemblance, relative.draft_in_page, relative.page_in_draft)
            for relative in one.alike.relatives
        }
        assert found == slow
        theirs = {
            tuple(run) for text in pages["main_text"] for run in zip(*(words(text)[k:] for k in range(8)), strict=False)
        }
        own = words(one.draft.text)
        covered = {at + k for at in range(len(own) - 7) if tuple(own[at : at + 8]) in theirs for k in range(8)}
        assert sum(passage.words for passage in one.alike.pasted) == len(covered)


def test_links_to_a_draft_are_those_that_phrases_tells(demo: mardok.Audit, demo_folder: Path) -> None:
    report = mardok.check_draft(demo, phrases=["open seams"])
    told = mardok.mentions(demo, ["open seams"])
    free = set(told.loc[(told["place"] == "text") & (told["link_url"] == ""), "url"])
    assert {link.url for link in report.drafts[0].links_in} == free
    assert len(free) > 1
    weights = [link.link_weight for link in report.drafts[0].links_in]
    assert weights == sorted(weights, reverse=True)
    again = mardok.check_draft(demo_folder, phrases=["open seams"])
    assert again.as_dict()["drafts"] == report.as_dict()["drafts"]


HEADS = {
    "the title of another page": ("Violin hire prices", "h1-duplicate", "/hire/prices/"),
    "a series": ("Violin hire in Northwick", "", ""),
    "a series that has it already": ("Violin hire in Skarrow", "", "/violin-hire/skarrow/"),
}


@pytest.mark.parametrize("what", HEADS)
def test_a_title_is_held_against_its_neighbours(what: str, demo: mardok.Audit) -> None:
    title, check, page = HEADS[what]
    (one,) = mardok.check_draft(demo, title=title).drafts
    told = {trouble.check: trouble.detail for trouble in one.heads.troubles}
    assert (check in told) == bool(check)
    if check:
        assert told[check] == f"{HOST}{page}"
    series = one.heads.series
    assert (series is not None) == what.startswith("a series")
    if series is not None:
        assert (series.pattern, series.slot) == ("violin hire in ...", title.split()[-1].lower())
        assert series.same_slot == (f"{HOST}{page}" if page else "")


def test_the_head_of_a_whole_page_is_checked(demo: mardok.Audit, tmp_path: Path) -> None:
    html = as_html("Of gulls and ferries", TEXT).replace("</main>", "<h4>Prices</h4><p>Ask the goat.</p></main>")
    (tmp_path / "page.html").write_text(html)
    (one,) = mardok.check_draft(demo, tmp_path / "page.html").drafts
    told = [str(trouble.text) for trouble in one.heads.troubles]
    assert {trouble.check for trouble in one.heads.troubles} == {"description-missing", "heading-skipped", None}
    assert any("(Wyndale Violin Hire)" in text for text in told)
    (tmp_path / "page.html").write_text(html.replace("</title>", " | Wyndale Violin Hire</title>"))
    (named,) = mardok.check_draft(demo, tmp_path / "page.html").drafts
    assert None not in {trouble.check for trouble in named.heads.troubles}


def test_drafts_are_held_against_each_other(demo: mardok.Audit, tmp_path: Path) -> None:
    files = {
        "one.md": markdown("Crossing by ferry", NEW * 2),
        "two.md": markdown("A goat's afternoon", edited(NEW * 2, 60)),
        "three.md": markdown(
            "Ferry crossings", ["Nothing of what the others say stands here, and the tide has the rest of it."]
        ),
        "four.md": markdown("Of lamps", ["Paraffin burns with a yellow flame, and the wick has to be cut on Sundays."]),
    }
    for name, text in files.items():
        (tmp_path / name).write_text(text)
    report = mardok.check_draft(demo, *(tmp_path / name for name in files))
    told = {one.draft.name: [(finding.rule, finding.url) for finding in one.findings] for one in report.drafts}
    assert told == {
        "one.md": [(DraftRule.DRAFT_ALIKE, "two.md"), (DraftRule.DRAFT_PROMISES, "three.md")],
        "two.md": [(DraftRule.DRAFT_ALIKE, "one.md")],
        "three.md": [(DraftRule.DRAFT_PROMISES, "one.md")],
        "four.md": [],
    }


REFUSED: dict[str, tuple[str, bytes | None, list[str], str]] = {
    "no such file": ("missing.md", None, [], "cannot be read: No such file"),
    "an empty file": ("empty.md", b" \n", [], "is empty"),
    "a binary file": ("image.txt", b"\x89PNG\0\0", [], "is no text"),
    "no kind of draft": ("draft.pdf", b"%PDF", [], "is no draft that can be read"),
    "a large file": ("large.txt", b"word " * 10_000_000, [], "has 50 MB, more than any page"),
    "no .docx": ("draft.docx", b"PK\x03\x04 nothing", [], "cannot be read as .docx"),
    "no TOML": ("draft.md", b"+++\ntitle = \n+++\nx", [], "cannot be read as TOML"),
    "signs only": ("draft.txt", b"... --- ...", [], "holds no word"),
    "another site": ("draft.md", b"# Gulls", ["--url", "https://other.example/"], "is no address of this site"),
    "no address": ("draft.md", b"# Gulls", ["--url", "gulls and ferries"], "is no address of this site"),
    "too many addresses": ("draft.md", b"# Gulls", ["--url", "/a/", "--url", "/b/"], "give one address a draft"),
    "a title beside a draft": ("draft.md", b"# Gulls", ["--title", "Gulls"], "is for a page that is planned only"),
    "a phrase without words": ("draft.md", b"# Gulls", ["--phrase", "..."], "holds no word to look for"),
    "a setting that there is not": ("draft.md", b"# Gulls", ["--set", "draft.x=1"], "there is no such setting"),
    "an output that cannot be": ("draft.md", b"# Gulls", ["-o", "/nowhere/brief.md"], "cannot be written"),
}


@pytest.mark.parametrize("what", REFUSED)
def test_what_is_no_draft_is_refused_in_one_line(
    what: str, demo_folder: Path, tmp_path: Path, run_here: Callable[..., subprocess.CompletedProcess[str]]
) -> None:
    name, body, options, said = REFUSED[what]
    if body is not None:
        (tmp_path / name).write_bytes(body)
    done = run_here("draft", demo_folder, tmp_path / name, *options)
    assert done.returncode == 2
    assert done.stdout == ""
    (line,) = done.stderr.splitlines()
    assert line.startswith("mardok: ")
    assert said in line


def test_a_damaged_docx_is_read_or_refused(tmp_path: Path) -> None:
    as_docx(tmp_path / "whole.docx", "Of gulls", TEXT)
    whole, draw = (tmp_path / "whole.docx").read_bytes(), random.Random(3)
    with zipfile.ZipFile(BytesIO(whole)) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    n_refused = 0
    for number in range(300):
        damaged = bytearray(whole)
        for _ in range(draw.randrange(1, 6)):
            damaged[draw.randrange(len(damaged))] = draw.randrange(256)
        if number % 3:
            name = draw.choice(sorted(parts))
            part = bytearray(parts[name])
            for _ in range(draw.randrange(1, 8)):
                part[draw.randrange(len(part))] = draw.randrange(32, 127)
            into = BytesIO()
            with zipfile.ZipFile(into, "w") as archive:
                for other, body in parts.items():
                    if other != name or number % 5:
                        archive.writestr(other, bytes(part) if other == name else body)
            damaged = bytearray(into.getvalue())
        (tmp_path / "draft.docx").write_bytes(damaged)
        try:
            assert read_draft(tmp_path / "draft.docx", 1_000_000).html.startswith(b"<!doctype html>")
        except mardok.SourceError:
            n_refused += 1
    assert 50 < n_refused < 300


def test_nothing_to_ask_about_is_refused(
    demo_folder: Path, tmp_path: Path, run_here: Callable[..., subprocess.CompletedProcess[str]]
) -> None:
    assert "name a FILE" in run_here("draft", demo_folder).stderr
    bomb = BytesIO()
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("word/document.xml", b" " * 60_000_000)
    (tmp_path / "bomb.docx").write_bytes(bomb.getvalue())
    done = run_here("draft", demo_folder, tmp_path / "bomb.docx")
    assert (done.returncode, "unpacks to 60 MB" in done.stderr) == (2, True)


def test_the_command_answers_writes_a_brief_and_tells_a_pipeline(
    demo_folder: Path, tmp_path: Path, run_here: Callable[..., subprocess.CompletedProcess[str]]
) -> None:
    drafts = Path(str(files("mardok.demo"))) / "drafts"
    done = run_here("draft", demo_folder, *sorted(drafts.iterdir()), "-o", tmp_path / "brief.md")
    assert done.returncode == 3
    assert "tuning-a-violin.md: Extend /blog/how-to-tune-a-violin/ instead." in done.stdout
    assert "violin-hire-for-weddings.md: Go on" in done.stdout
    brief = (tmp_path / "brief.md").read_text()
    assert brief.count("\n# ") == 2
    assert "## What stands on the site already" in brief
    fine = run_here("draft", demo_folder, drafts / "violin-hire-for-weddings.md", "--json")
    assert fine.returncode == 0
    (told,) = json.loads(fine.stdout)["drafts"]
    assert (told["advice"], told["findings"], told["copied_share"]) == ("go-on", [], 0.0)
    assert [link["anchor"] for link in told["links_out"]] == ["bow rehair", "shoulder rest", "rental calculator"]
    draft = drafts / "tuning-a-violin.md"
    rules = []
    for least in ("0.8", "0.99"):
        done = run_here("draft", demo_folder, draft, "--set", f"pairs.containment={least}", "--json")
        rules.append(json.loads(done.stdout)["drafts"][0]["findings"][0]["rule"])
    assert rules == ["contained", "promised-and-shown"]


def test_the_hook_and_the_job_of_the_docs_keep_copies_out(demo_folder: Path, tmp_path: Path) -> None:
    docs = (Path(__file__).parents[2] / "docs" / "drafts.md").read_text()
    hook, job = re.findall(r"```sh\n(#!/bin/sh\n.*?|git diff.*?)```", docs, re.DOTALL)
    drafts = Path(str(files("mardok.demo"))) / "drafts"
    site = tmp_path / "site"
    (site / "content").mkdir(parents=True)
    (site / "audit").symlink_to(demo_folder)
    (tmp_path / "bin").mkdir()
    (tmp_path / "bin" / "mardok").write_text(f'#!/bin/sh\nexec "{sys.executable}" -m mardok "$@"\n')
    (tmp_path / "bin" / "mardok").chmod(0o755)
    names = {"GIT_AUTHOR_NAME": "A", "GIT_AUTHOR_EMAIL": "a@host.example", "GIT_COMMITTER_NAME": "A"}
    environment = {
        **os.environ, **names, "GIT_COMMITTER_EMAIL": "a@host.example", "PATH": f"{tmp_path / 'bin'}:{os.environ['PATH']}",
        "GIT_CONFIG_GLOBAL": "/dev/null", "BASE": "main",
    }  # fmt: skip

    def call(*command: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(command, cwd=site, env=environment, capture_output=True, text=True, check=False)

    def add(name: str) -> None:
        (site / "content" / name).write_bytes((drafts / name).read_bytes())
        call("git", "add", f"content/{name}")

    call("git", "init", "-qb", "main")
    call("git", "commit", "-q", "--allow-empty", "-m", "Begin")
    (site / ".git" / "hooks").mkdir(exist_ok=True)
    (site / ".git" / "hooks" / "pre-commit").write_text(hook)
    (site / ".git" / "hooks" / "pre-commit").chmod(0o755)
    call("git", "checkout", "-qb", "branch")
    add("violin-hire-for-weddings.md")
    assert call("git", "commit", "-qm", "A page of its own").returncode == 0
    assert call("sh", "-c", job).returncode == 0
    assert "Go on" in (site / "brief.md").read_text()
    add("tuning-a-violin.md")
    refused = call("git", "commit", "-qm", "A copy")
    assert refused.returncode != 0
    assert "Extend /blog/how-to-tune-a-violin/ instead" in refused.stdout + refused.stderr
    call("git", "commit", "-qnm", "A copy, in spite of the hook")
    assert call("sh", "-c", job).returncode != 0
    assert "Extend" in (site / "brief.md").read_text()
