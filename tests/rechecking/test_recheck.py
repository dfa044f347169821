"""The made-up site and what came after: every planted outcome is told, and nothing else; the command and its files."""

from __future__ import annotations

import csv
import datetime
import json
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
from conftest import DEMO_SEARCH, DEMO_WARC
from web_server import Handler, send, serving

import mardok
from mardok.demo import build, later, troubles
from mardok.demo.search import FIRST_DAY, later_rows
from mardok.demo.site import responses
from mardok.demo.troubles import url
from mardok.rechecking.changes import changes_table
from mardok.rechecking.comparable import can_check, differing_settings, not_comparable
from mardok.rechecking.state import State
from mardok.rechecking.verdict import Compared
from mardok.tables import RECHECK_TABLES
from mardok.vocabulary import Change, CheckId, Measure, Outcome, StepKind, Subject

FOLDER = DEMO_WARC.parent
Run = Callable[..., subprocess.CompletedProcess[str]]
EVENTS = (Change.GONE, Change.NEW, Change.NEW_PAGE, Change.WORSE, Change.BETTER, Change.NOT_SEEN)


@pytest.fixture(scope="module")
def decided(demo: mardok.Audit) -> mardok.Audit:
    return later.decided(demo)


@pytest.fixture(scope="module")
def states() -> list[mardok.Audit]:
    searches = [DEMO_SEARCH, FOLDER / build.LATER_SEARCH_FILE]
    return [
        mardok.audit(FOLDER / build.DEPLOYED_FILE, search=DEMO_SEARCH),
        mardok.audit(FOLDER / build.LATER_FILE, search=searches),
    ]


@pytest.fixture(scope="module")
def result(decided: mardok.Audit, states: list[mardok.Audit]) -> mardok.Rechecked:
    return mardok.recheck(decided, *states, changed=later.CHANGED)


def test_the_shipped_files_are_what_the_builder_makes(tmp_path: Path) -> None:
    build.build(tmp_path)
    for name in (build.DEPLOYED_FILE, build.LATER_FILE, build.LATER_SEARCH_FILE):
        assert (tmp_path / name).read_bytes() == (FOLDER / name).read_bytes()


def expected_outcome(row: Any) -> Outcome:
    """What the table of the truth says of a step."""
    path = row.url.removeprefix(troubles.HOST) if row.url.startswith(f"{troubles.HOST}/") else row.url
    if row.rule in tuple(CheckId):
        return later.REPAIRED.get((path, row.rule), Outcome.NOT_DONE)
    if row.rule == "site-name-loss" and row.step == StepKind.RETITLE:
        if path in later.MOOT:
            return Outcome.NOT_TESTABLE
        return Outcome.DONE if path.startswith(later.WITHOUT_NAME) else Outcome.NOT_DONE
    if row.step == StepKind.RELINK and path in later.MOOT:
        return Outcome.NOT_TESTABLE
    return later.OUTCOMES.get((path, row.step), Outcome.DONE if row.step == StepKind.LEAVE else Outcome.NOT_DONE)


def test_every_planted_outcome_is_told_and_nothing_else(result: mardok.Rechecked) -> None:
    rows = list(result.verified.itertuples())
    told = {(row.url, row.step, row.rule, row.proposal): row.outcome for row in rows}
    assert told == {(row.url, row.step, row.rule, row.proposal): expected_outcome(row) for row in rows}
    assert {row.outcome for row in rows} >= set(Outcome) - {Outcome.PARTLY}
    assert result.is_decided
    assert not result.is_well
    assert set(result.verified["proposal"]) == set(result.plan["proposal"])
    assert result.plan["decision"].eq("accept").all()


def test_what_came_and_went_is_what_was_planted(result: mardok.Rechecked) -> None:
    changes = result.changes

    def pages(change: Change, check: CheckId) -> set[str]:
        own = changes[(changes["change"] == change) & (changes["id"] == check)]
        return {address.removeprefix(troubles.HOST) for address in own["url"]}

    gone = {check: pages(Change.GONE, check) for check in (CheckId.H1_MISSING, CheckId.LINK_BROKEN, CheckId.REDIRECT_LOOP)}
    assert gone == {
        CheckId.H1_MISSING: {"/careers/"},
        CheckId.LINK_BROKEN: {"/repairs/varnish/"},
        CheckId.REDIRECT_LOOP: {"/spring-offer/", "/strings-sale/"},
    }
    assert pages(Change.NEW, CheckId.REDIRECT_CHAIN) == {
        "/bow-service/", "/spring-offer/", f"{troubles.INSECURE}/repairs/",
    }  # fmt: skip
    assert pages(Change.NEW, CheckId.CANONICAL_NOINDEX) == {"/blog/how-to-apply-rosin/?print=1"}
    new = {page.path for page in later.NEW_PAGES}
    on_new = changes[(changes["change"] == Change.NEW_PAGE) & (changes["subject"] != Subject.PROPOSAL)]
    on_new = on_new[~on_new["detail"].str.contains("of a template")]
    assert {address.removeprefix(troubles.HOST) for address in on_new["url"]} == new
    thin = changes[(changes["subject"] == Subject.THIN) & (changes["change"] == Change.NEW_PAGE)]
    assert thin["url"].tolist() == [url("/blog/open-day-in-may/")]
    assert changes[changes["change"].eq(Change.NOT_SEEN)].empty  # every address was asked for
    last = result.tables["changes_last"]
    undone = last[(last["subject"] == Subject.CHECK) & (last["change"] == Change.NEW)]
    # Between the last two the redirects of a host were dropped, and a copy of an old page came.
    assert set(undone["id"]) == {CheckId.VARIANT_ANSWERS, CheckId.H1_DUPLICATE}
    assert undone.loc[undone["id"] == CheckId.H1_DUPLICATE, "url"].tolist() == [url(later.COPIED_FROM)]


def test_the_effect_holds_the_truth(result: mardok.Rechecked) -> None:
    table = result.effect.set_index(["kind", "unit", "measure"])
    row = table.loc[("expected", "", Measure.CLICKS)]
    gains = {url(path): places for path, places in later.GAINS.items()}
    merged = {url(path): url(kept) for path, kept in later.MERGED.items()}
    with_change, without = (
        pd.DataFrame(
            later_rows(*given, later.CHANGED), columns=["date", "query", "page", "clicks", "impressions", "position"]
        )
        for given in ((gains, merged), ({}, {}))
    )
    assert row["effect_low"] > 0
    assert "fewer" in result.effect_text
    since = later.CHANGED.isoformat()
    true = sum(sign * frame.loc[frame["date"] >= since, "clicks"].sum() for sign, frame in ((1, with_change), (-1, without)))
    weeks = (later.CHANGED - FIRST_DAY).days // 7
    months = (82 - weeks) * 7 / 30.44
    assert row["effect_low"] <= true / months <= row["effect_high"] * 1.05
    keeper = table.loc[("page", url("/blog/how-to-tune-a-violin/"), Measure.CLICKS)]
    assert keeper["effect_low"] > 0
    assert keeper["pages"] >= 3  # with those that were merged into it
    assert keeper["expected_low"] <= keeper["expected"] <= keeper["expected_high"]
    query = table.loc[("query", "how to tune a violin", Measure.POSITION)]
    assert query["after"] < query["before"]


def test_the_same_audit_twice_has_no_changes(demo: mardok.Audit, demo_folder: Path, states: list[mardok.Audit]) -> None:
    again = mardok.recheck(demo, mardok.load(demo_folder))
    assert set(again.changes["change"]) == {Change.LEFT}
    assert set(again.work["outcome"]) == {Outcome.NOT_DONE, Outcome.NOT_TESTABLE}
    assert again.is_well
    assert not again.is_decided
    assert "No effect" in again.effect_text
    for one in states:
        assert set(mardok.recheck(one, one).changes["change"]) == {Change.LEFT}


def test_checks_that_one_audit_was_not_asked_for_are_no_changes(
    demo: mardok.Audit, only_these: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("mardok.proofing.dictionary._SYSTEM_FOLDERS", (str(only_these),))
    asked = ["proof.spelling=true", "proof.articles=false"]
    changed = mardok.audit(DEMO_WARC, search=DEMO_SEARCH, settings=mardok.read_settings(assignments=asked))
    for one, other in ((demo, changed), (changed, demo)):
        spelled = not_comparable(one.meta, other.meta)
        assert not spelled
        assert set(changes_table(Compared(State(one), State(other)), spelled)["change"]) == {Change.LEFT}
    only = mardok.read_settings(assignments=["proof.spelling=true"]).proof
    assert can_check("text-misspelt", demo.meta) is False
    assert can_check("text-misspelt", changed.meta) is False  # no dictionary of German
    assert can_check("text-doubled-word", demo.meta) is only.doubled_words


SOME_SETTINGS = ("copies.resemblance=0.6", "thin.pages=2", "text.ignore=article", "plan.trim_share=0.1")


@pytest.mark.parametrize("setting", SOME_SETTINGS)
def test_what_another_setting_changes_is_left_out_and_named(demo: mardok.Audit, setting: str) -> None:
    changed = mardok.audit(DEMO_WARC, search=DEMO_SEARCH, settings=mardok.read_settings(assignments=[setting]))
    assert differing_settings(demo.meta, changed.meta) == [setting.partition("=")[0]]
    left_out = not_comparable(demo.meta, changed.meta)
    assert all(setting.partition("=")[0] in str(reason) for reason in left_out.values())
    changes = changes_table(Compared(State(demo), State(changed)), left_out)
    assert set(changes["change"]) <= {Change.LEFT}
    told = mardok.recheck(demo, changed)
    assert len(told.left_out) == len(left_out)


@pytest.mark.proof
def test_no_setting_is_taken_for_a_change_of_the_site(demo: mardok.Audit) -> None:
    for section, model in mardok.Settings().model_dump().items():
        for name, value in model.items():
            if isinstance(value, (bool, int, float)) and section not in ("crawl", "recheck", "sources", "extract"):
                other = (not value) if isinstance(value, bool) else value / 2 if value > 2 or isinstance(value, float) else 3
                other = int(other) if isinstance(value, int) else other
                try:
                    asked = mardok.read_settings(assignments=[f"{section}.{name}={str(other).lower()}"])
                except mardok.SettingsError:
                    continue
                changed = mardok.audit(DEMO_WARC, search=DEMO_SEARCH, settings=asked)
                found = changes_table(Compared(State(demo), State(changed)), not_comparable(demo.meta, changed.meta))
                assert set(found["change"]) <= {Change.LEFT}, (section, name)


def test_the_order_of_the_sources_is_no_change(demo: mardok.Audit, tmp_path: Path) -> None:
    backwards = tmp_path / "site.warc.gz"
    backwards.write_bytes(build.site_warc(responses()[::-1], datetime.date(2026, 11, 2)))
    assert set(mardok.recheck(demo, mardok.audit(backwards, search=DEMO_SEARCH)).changes["change"]) == {Change.LEFT}


def test_search_data_of_one_audit_only_leaves_out_what_needs_them(demo: mardok.Audit) -> None:
    without = mardok.audit(DEMO_WARC)
    told = mardok.recheck(demo, without)
    assert set(told.changes["change"]) <= {Change.LEFT}
    assert set(told.changes["subject"]) == {Subject.GROUP, Subject.CHECK}
    assert all("search data" in why for why in told.left_out.values())


def test_a_page_that_moved_is_the_same_page(page_table: Callable[..., Path]) -> None:
    def audited(address: str, **more: dict[str, str]) -> mardok.Audit:
        bodies = {"/": "<h1>Violins</h1><p>We hire violins by the month.", address: "<p>Bows are mended here on Mondays."}
        rows = [
            {"url": f"https://host.example{path}", "status": "200", "html": f"<title>The page of {path[1:4]}</title>{body}"}
            for path, body in bodies.items()
        ]
        return mardok.audit(page_table([*rows, *({"url": path, **row} for path, row in more.items())]))

    before = audited("/old/")
    gone = {"https://host.example/old/": {"status": "301", "redirect_url": "https://host.example/new/"}}
    for told, wanted in (
        (mardok.recheck(before, audited("/new/", **gone)), {Change.LEFT}),
        (mardok.recheck(before, audited("/new/")), {Change.NOT_SEEN, Change.NEW_PAGE}),
    ):
        found = told.changes[told.changes["id"] == CheckId.H1_MISSING]
        assert set(found["change"]) == wanted
        thin = told.changes[told.changes["subject"] == Subject.THIN]
        assert not thin["change"].isin([Change.GONE, Change.NEW]).any()


def test_what_was_not_crawled_is_not_seen_and_never_gone(demo: mardok.Audit, page_table: Callable[..., Path]) -> None:
    part = mardok.audit(
        page_table([{"url": url("/"), "html": "<title>Violins</title><p>Violins to hire.", "status": "200"}])
    )
    told = mardok.recheck(demo, part)
    assert not told.changed(Change.GONE, Subject.GROUP).size
    assert set(told.changes.loc[told.changes["url"] != url("/"), "change"]) <= {Change.NOT_SEEN, Change.NEW}


def test_the_command_writes_what_it_tells(
    decided: mardok.Audit, tmp_path: Path, run_here: Run, states: list[mardok.Audit]
) -> None:
    decided.save(tmp_path / "audit")
    states[0].save(tmp_path / "deployed")
    out = tmp_path / "recheck"
    told = run_here(
        "recheck", tmp_path / "audit", FOLDER / build.LATER_FILE, tmp_path / "deployed", "--search", DEMO_SEARCH,
        "--search", FOLDER / build.LATER_SEARCH_FILE, "--changed", later.CHANGED, "-o", out,
    )  # fmt: skip
    assert told.returncode == 3, told.stderr
    lines = told.stdout.splitlines()
    assert lines[0].startswith("32 proposals accepted, with ")
    assert "3 undone" in lines[1]
    assert any(line.startswith("undone") for line in lines)
    assert str(out / "recheck.html") in told.stdout
    names = {path.name for path in out.iterdir()}
    tables = {f"{name}.csv" for name in (*RECHECK_TABLES, "changes-last")}
    assert names == {"audit", "recheck.html", "recheck.json", *tables}
    for name, table in RECHECK_TABLES.items():
        with (out / f"{name}.csv").open(encoding="utf-8", newline="") as file:
            assert next(csv.reader(file)) == [column.name for column in table.columns if column.csv]
    as_told = json.loads((out / "recheck.json").read_text("utf-8"))
    assert as_told["steps"]["undone"] == 3
    assert as_told["well"] is False
    assert {tuple(row["outcomes"]) for row in as_told["verified"] if row["outcome"] == "undone"} == {("done", "not-done")}
    ages = {age["days"] for age in as_told["ages"]}
    assert (later.CRAWLED_LATER - datetime.date(2026, 11, 2)).days in ages
    again = run_here("recheck", tmp_path / "audit", out / "audit", "-o", out, "--json")  # the audit stays where it is
    assert again.returncode == 3
    assert json.loads(again.stdout)["steps"]["undone"] == 0  # nobody knows of the time between
    assert (out / "audit" / "audit.json").is_file()


def test_the_page_opens_without_a_request_and_has_every_step(result: mardok.Rechecked, tmp_path: Path, browser: Any) -> None:
    result.save(tmp_path / "recheck")
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    asked: list[str] = []
    complaints: list[str] = []
    page.on("request", lambda request: asked.append(request.url))
    page.on("console", lambda message: complaints.append(message.text) if message.type == "error" else None)
    page.goto((tmp_path / "recheck" / "recheck.html").as_uri())
    assert len(asked) == 1
    assert not complaints
    assert page.locator("details.card").count() == len(result.plan)
    assert page.locator("details.card tbody tr").count() == len(result.verified)
    assert page.locator(".key li").all_inner_texts()[3].strip() == "3 undone"
    assert page.evaluate("document.documentElement.scrollWidth") <= 1280
    page.set_viewport_size({"width": 320, "height": 800})
    assert page.evaluate("document.documentElement.scrollWidth") <= 320
    page.close()


def test_what_cannot_be_compared_is_refused_in_one_line(
    demo_folder: Path, tmp_path: Path, run_here: Run, states: list[mardok.Audit], page_table: Callable[..., Path]
) -> None:
    states[1].save(tmp_path / "later")
    other = mardok.audit(page_table([{"url": "https://other.example/", "text": "Bows and cases.", "status": "200"}]))
    other.save(tmp_path / "other")
    (tmp_path / "nothing").mkdir()
    old = tmp_path / "old"
    states[1].save(old)
    meta = json.loads((old / "audit.json").read_text("utf-8"))
    (old / "audit.json").write_text(json.dumps({**meta, "format": 4}), "utf-8")
    out = ["-o", tmp_path / "out"]
    for arguments, words in (
        ([tmp_path / "later", demo_folder], "is older than"),
        ([demo_folder, tmp_path / "other"], "--host wyndale-violin-hire.example=other.example"),
        ([demo_folder, tmp_path / "nothing"], "nothing"),
        ([tmp_path / "nothing", demo_folder], "is not an audit folder"),
        ([demo_folder, old], "has form 4"),
        ([demo_folder], "name what came after"),
        ([demo_folder, demo_folder, "--changed", "soon"], "YYYY-MM-DD"),
        ([demo_folder, demo_folder, "--host", "a"], "OLD=NEW"),
        ([demo_folder, demo_folder, "--live"], "name one or the other"),
        ([demo_folder, demo_folder, "--search", DEMO_SEARCH], "belong to a source"),
    ):
        told = run_here("recheck", *arguments, *out)
        assert told.returncode == 2, arguments
        assert words in told.stderr, told.stderr
        assert len(told.stderr.strip().splitlines()) == 1
        assert not (tmp_path / "out").exists()


def test_a_server_is_asked_for_what_it_carries_out(tmp_path: Path, run_here: Run, page_table: Callable[..., Path]) -> None:
    text = "We hire violins by the month, with a bow and a case, and bring them to your door on any weekday. " * 4
    pages = {"/": "Home of the violins", **dict.fromkeys(["/hire/", "/hire-2/", "/hire/?sort=a"], "Violins to hire")}
    answers: dict[str, tuple[int, str]] = {}

    def answer(handler: Handler) -> None:
        path = handler.path
        status, told = answers.get(path, (200, "") if path in pages else (404, ""))
        if status in (301, 302):
            send(handler, status=status, Location=told)
        else:
            send(handler, f"<html lang=en><title>{pages.get(path, 'Gone')}</title>{told}<p>{text}", status)

    with serving(answer) as server:
        html = {path: f"<html lang=en><title>{title}</title><p>{text}" for path, title in pages.items()}
        html["/"] += "Come in."
        rows = [{"url": server.base + path, "status": "200", "html": body} for path, body in html.items()]
        mardok.audit(page_table(rows)).save(tmp_path / "audit")
        steps = mardok.load(tmp_path / "audit").steps
        asked = steps[steps["step"].isin(["redirect", "canonical"])]
        assert len(asked) >= 2
        quick = ["--live", "-o", tmp_path / "out", "--json"]
        told = run_here("recheck", tmp_path / "audit", *quick)
        assert told.returncode == 0, told.stderr
        before = json.loads(told.stdout)["verified"]
        assert {row["outcome"] for row in before if row["step"] in ("redirect", "canonical")} == {"not-done"}
        assert {row["reason"] for row in before if row["step"] == "retitle"} <= {"not-asked"}
        for step in asked.itertuples():
            path, target = step.url.removeprefix(server.base), step.target
            answers[path] = (301, target) if step.step == "redirect" else (200, f"<link rel=canonical href='{target}'>")
        done = json.loads(run_here("recheck", tmp_path / "audit", *quick).stdout)["verified"]
        assert {row["outcome"] for row in done if row["step"] in ("redirect", "canonical")} == {"done"}
        first = next(step for step in asked.itertuples() if step.step == "redirect")
        answers[first.url.removeprefix(server.base)] = (302, "/on/")
        answers["/on/"] = (301, first.target)
        told = run_here("recheck", tmp_path / "audit", *quick)
        assert told.returncode == 3
        outcomes = {(row["url"], row["step"]): row for row in json.loads(told.stdout)["verified"]}
        assert outcomes[first.url, "redirect"]["reason"] == "redirect-chain"


def test_pages_that_could_not_be_read_are_told(tmp_path: Path, run_here: Run, warc: Callable[..., Path]) -> None:
    text = b"<html lang=en><title>Violins</title><p>We hire violins by the month."
    html, packed = ("Content-Type", "text/html"), ("Content-Encoding", "gzip")
    mardok.audit(warc(("https://host.example/", 200, [html], text), name="a.warc.gz")).save(tmp_path / "audit")
    broken = ("https://host.example/b", 200, [html, packed], b"no gzip")
    later_one = warc(("https://host.example/", 200, [html], text), broken, name="b.warc.gz")
    told = run_here("recheck", tmp_path / "audit", later_one, "-o", tmp_path / "out")
    assert told.returncode == 1
    assert "https://host.example/b" in told.stderr


def test_an_audit_into_a_folder_says_what_changed_there(demo: mardok.Audit, tmp_path: Path, run_here: Run) -> None:
    demo.save(tmp_path / "audit")
    same = run_here("audit", DEMO_WARC, "--search", DEMO_SEARCH, "-o", tmp_path / "audit")
    assert "no finding has come or gone" in same.stdout
    searches = ["--search", DEMO_SEARCH, "--search", FOLDER / build.LATER_SEARCH_FILE]
    told = run_here("audit", FOLDER / build.LATER_FILE, *searches, "-o", tmp_path / "audit")
    flat = " ".join(told.stdout.split())
    assert "Since the audit of" in flat
    assert "troubles found by checks: 47 gone" in flat
    assert "mardok recheck OLDER NEWER" in flat
    again = ["audit", FOLDER / build.LATER_FILE, *searches, "-o", tmp_path / "audit"]
    otherwise = run_here(*again, "--set", "copies.resemblance=0.9")
    assert "Not compared" in otherwise.stdout  # and of what is not compared nothing is said
    assert "come or gone" not in otherwise.stdout


def test_the_audits_of_two_days_are_put_in_order(decided: mardok.Audit, states: list[mardok.Audit]) -> None:
    one, other = (mardok.recheck(decided, *given, changed=later.CHANGED) for given in (states, states[::-1]))
    assert one.as_dict() == other.as_dict()
    assert np.isin([2.0, 1.0], one.history["audit"]).all()
