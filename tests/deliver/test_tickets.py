"""Each step is in one ticket of its owner, whatever the plan; servers get rules for what was seen and no more."""

from __future__ import annotations

import csv
import re
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pandas as pd
import pytest
from hypothesis import given, settings
from random_sites import SITES, write_site

import mardok
from mardok.deliver.server_rules import server_rules
from mardok.deliver.tickets import anchors_of, tickets, tickets_csv
from mardok.demo.troubles import url
from mardok.errors import HandoffError
from tests.plan.test_plan import EXPENSIVE

HOST = "https://www.host.example"
REFERENCE = re.compile(r"([0-9a-f]{10})/(\d+)(?:-(\d+))?")


def steps_of(references: str) -> list[tuple[str, int]]:
    found = [REFERENCE.fullmatch(one) for one in references.split()]
    assert all(found)
    return [(one[1], order) for one in filter(None, found) for order in range(int(one[2]), int(one[3] or one[2]) + 1)]


def check_tickets(folder: Path, audit: mardok.Audit) -> None:
    """Every step that asks for work stands in exactly one ticket, of its own owner, and the hours are the plan's."""
    rows = list(csv.DictReader((folder / "tickets.csv").read_text("utf-8").splitlines(keepends=True)))
    chosen = audit.plan[~audit.plan["action"].eq("leave")]
    work = audit.steps[audit.steps["proposal"].isin(chosen["proposal"]) & audit.steps["step"].ne("leave")]
    owner_of = {(row.proposal, row.order): row.owner for row in work.itertuples()}
    listed = [(step, row["owner"]) for row in rows for step in steps_of(row["steps"])]
    assert Counter(step for step, _ in listed) == Counter(owner_of.keys())
    assert all(owner_of[step] == owner for step, owner in listed)
    assert sum(float(row["hours"]) for row in rows) == pytest.approx(
        chosen["effort_hours"].sum(), abs=0.01 * len(rows) + 0.01
    )
    assert len({row["ticket"] for row in rows}) == len(rows)
    for row in rows:
        assert row["title"]
        assert row["description"]
        assert row["test"]
        assert {proposal for proposal, _ in steps_of(row["steps"])} == set(row["proposal"].split())
        text = (folder / "tickets" / f"{row['owner']}.md").read_text("utf-8")
        assert f"Ticket {row['ticket']}," in text


@settings(max_examples=25, deadline=None, **EXPENSIVE)
@given(SITES)
def test_every_step_is_in_one_ticket_of_its_owner(tmp_path: Path, pages: dict[str, Any]) -> None:
    audit = mardok.audit(write_site(tmp_path / "pages.jsonl", pages))
    try:
        mardok.hand_off(audit, tmp_path / "out", all_proposals=True)
    except HandoffError:
        return
    check_tickets(tmp_path / "out", audit)


def test_the_tickets_of_the_demo_say_what_to_do_and_when_it_is_done(demo: mardok.Audit, tmp_path: Path) -> None:
    mardok.hand_off(demo, tmp_path / "out", all_proposals=True)
    check_tickets(tmp_path / "out", demo)
    server, editor, writer = (
        (tmp_path / "out" / "tickets" / f"{owner}.md").read_text("utf-8") for owner in ("server", "editor", "writer")
    )
    tuning = url("/blog/tuning-your-violin-for-the-first-time/")
    moved = re.search(r"^Ticket (\w+),(?:(?!^## ).)*move what is worth keeping", editor, re.MULTILINE | re.DOTALL)
    assert moved is not None
    assert f"Wait until ticket {moved[1]} is closed" in server.partition(f"{tuning} →")[0].rpartition("\n## ")[2]
    lost = f"{url('/repairs/varnish/')}: the link 'a lost instrument' leads to {url('/blog/the-lost-post/')}"
    assert lost in editor
    assert f"{url('/spring-offer/')}: take its redirect out, so that it answers." in server
    assert f"{url('/strings-sale/')} → {url('/spring-offer/')}" in server
    assert "write for 'too much rosin'" in writer
    assert not set(demo.plan.loc[demo.plan["rank"] == 1, "owner"]) & {"server"}  # an editor changes a link for it


def test_a_cell_that_a_spreadsheet_would_run_is_text(page_table: Callable[..., Path]) -> None:
    rows = [{"url": f"{HOST}/{name}", "title": "=1+1", "text": "one two three " * 20} for name in "ab"]
    audit = mardok.audit(page_table(rows))
    chosen = audit.plan.assign(summary="=1+1")
    made = tickets(chosen, audit.steps, {}, audit.meta.settings)
    cells = [row["description"] for row in csv.DictReader(tickets_csv(made).splitlines(keepends=True))]
    assert cells
    assert all(cell.startswith("'=1+1") for cell in cells)


def test_the_words_of_links_are_those_of_the_page_that_links() -> None:
    links = pd.DataFrame(
        [
            (0, f"{HOST}/x", "one"),
            (0, f"{HOST}/x", "two"),
            (1, f"{HOST}/x", ""),
            (1, "y", "z"),
        ],
        columns=["page", "url", "anchor"],
    )
    found = anchors_of(links, [f"{HOST}/a", f"{HOST}/b"], {f"{HOST}/x"})
    assert found == {(f"{HOST}/a", f"{HOST}/x"): ["one", "two"], (f"{HOST}/b", f"{HOST}/x"): []}


def step(path: str, target: str, pattern: str, kind: str = "redirect", rule: str = "variants-redirected") -> dict[str, str]:
    def full(one: str) -> str:
        return one if "//" in one or not one else f"{HOST}{one}"

    return {"url": full(path), "step": kind, "target": full(target), "pattern": pattern, "rule": rule}


# (what it is about, steps, further pages that answer, how many rules for paths and for origins there are)
SEEN: list[tuple[str, list[dict[str, str]], list[str], int, int]] = [
    ("one page without a slash", [step("/a", "/a/", "slash-added")], [], 0, 0),
    ("three in one folder", [step(f"/x/{n}", f"/x/{n}/", "slash-added") for n in "abc"], [], 1, 0),
    ("three and one that stays", [step(f"/x/{n}", f"/x/{n}/", "slash-added") for n in "abc"], ["/x/d"], 0, 0),
    ("one that stays elsewhere", [step(f"/x/{n}", f"/x/{n}/", "slash-added") for n in "abc"], ["/y"], 1, 0),
    ("a host that goes", [step("https://host.example/", "/", "host")], [], 0, 2),
    ("a host with a page that stays", [step("https://host.example/", "/", "host")], ["https://host.example/own/"], 0, 0),
]


@pytest.mark.parametrize(("moves", "stays", "paths", "origins"), [case[1:] for case in SEEN], ids=[case[0] for case in SEEN])
def test_no_rule_is_broader_than_what_was_seen(
    moves: list[dict[str, str]], stays: list[str], paths: int, origins: int
) -> None:
    known = [*(one["url"] for one in moves), *(one["target"] for one in moves)]
    known += [one if "//" in one else f"{HOST}{one}" for one in stays]
    found = server_rules(pd.DataFrame(moves), pd.DataFrame({"url": known, "status": [200] * len(known)}))
    assert (len(found.writings), len(found.origins)) == (paths, origins)
    for move in moves:
        path = move["url"].removeprefix(HOST)
        by_rule = [target + str(writing.rewritten(path)) for _, target, writing in found.writings if writing.rewritten(path)]
        whole = dict(found.origins)
        origin = "/".join(move["url"].split("/")[:3])
        assert move["target"] in (found.single.get(move["url"]), *by_rule) or origin in whole
    for _, _, writing in found.writings:
        assert all(writing.rewritten(one) is None for one in (*stays, "/other/page", "/page"))


def test_chains_loops_and_gone_pages_are_in_the_files_for_servers() -> None:
    steps = [
        step("/old", "/new/", "", "repair", "redirect-chain"),
        step("/a/", "", "", "repair", "redirect-loop"),
        step("/b/", "/a/", "", "repair", "redirect-loop"),
        step("/lost", "", "", "repair", "redirect-broken"),
        step("/gone/", "", "", "retire", "thin-forgotten"),
    ]
    found = server_rules(pd.DataFrame(steps), pd.DataFrame({"url": [f"{HOST}/new/"], "status": [200]}))
    assert found.single == {f"{HOST}/old": f"{HOST}/new/", f"{HOST}/b/": f"{HOST}/a/"}
    assert found.gone == [f"{HOST}/gone/"]
