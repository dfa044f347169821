"""What a person decided follows the proposal into the next plan, or is told to have found none."""

from __future__ import annotations

import csv
import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import mardok
from mardok.errors import HandoffError, TableError
from mardok.plan.decisions import Decided, follow, with_actions, with_decisions
from mardok.plan.proposal import NO_CLICKS, Proposal
from mardok.settings import Settings
from mardok.sources.decisions import PlanDecision, read_decisions
from mardok.sources.raw import OpenIntake
from mardok.sources.table import has_empty_last_column
from mardok.vocabulary import Action, Confidence, CopyRule, Decision, Evidence

HOST = "https://www.host.example"


def proposal(id: str, pages: str, action: Action = Action.MERGE, **basis: Any) -> Proposal:
    """A proposal about pages that are called by single letters; the first stays."""
    urls = tuple(f"{HOST}/{page}/" for page in pages)
    return Proposal(
        id=id, action=action, rule=CopyRule.SAME_PROMISE, keeper=urls[0], urls=urls,
        gain=NO_CLICKS, effort_hours=1, confidence=Confidence.HIGH, evidence=Evidence.TEXT,
        summary="", why="", unless="", steps=(), basis=basis,
    )  # fmt: skip


def decided(id: str, pages: str, decision: Decision = Decision.ACCEPT, **other: Any) -> PlanDecision:
    urls = frozenset(f"{HOST}/{page}/" for page in pages)
    given_ = {"note": f"note of {id}", "place": "row 2", "urls": urls, "proposed": "merge", **other}
    return PlanDecision(proposal=id, decision=decision, **given_)


def test_a_decision_follows_its_id_whatever_the_pages_are() -> None:
    found, rest = follow([proposal("p", "ab"), proposal("q", "cd")], [decided("p", "xyz")])
    assert found == {"p": Decided(Decision.ACCEPT, "note of p")}
    assert rest == []


# (pages then, pages now, actions then and now, whether the decision follows)
FOLLOWING = [
    ("ab", "ab", ("merge", Action.MERGE), True),
    ("ab", "abc", ("merge", Action.MERGE), True),
    ("ab", "abcd", ("merge", Action.MERGE), True),  # just half
    ("ab", "abcde", ("merge", Action.MERGE), False),
    ("abcd", "ab", ("merge", Action.MERGE), True),
    ("ab", "cd", ("merge", Action.MERGE), False),
    ("ab", "ab", ("merge", Action.CANONICAL), True),  # work on the same group of pages
    ("ab", "ab", ("rewrite", Action.LEAVE), True),
    ("ab", "ab", ("merge", Action.EXPAND), False),  # other work on the same pages
    ("ab", "ab", ("repair", Action.TRIM), False),
    ("ab", "ab", ("trim", Action.TRIM), True),
    ("", "ab", ("", Action.MERGE), False),
]


@pytest.mark.parametrize(("then", "now", "actions", "follows"), FOLLOWING)
def test_a_decision_without_its_id_follows_at_least_half_of_its_pages(
    then: str, now: str, actions: tuple[str, Action], follows: bool
) -> None:
    found, rest = follow([proposal("new", now, actions[1])], [decided("old", then, proposed=actions[0])])
    assert found == ({"new": Decided(Decision.ACCEPT, "note of old")} if follows else {})
    assert len(rest) == (not follows)


def test_the_most_alike_come_together_first_and_each_once() -> None:
    found, rest = follow(
        [proposal("one", "abcd"), proposal("two", "abce")], [decided("x", "abc"), decided("y", "abce"), decided("z", "abcd")]
    )
    assert {name: one.note for name, one in found.items()} == {"one": "note of z", "two": "note of y"}
    assert [one.proposal for one in rest] == ["x"]


@given(
    st.lists(st.sets(st.sampled_from("abcdef"), min_size=1), max_size=6),
    st.lists(st.sets(st.sampled_from("abcdef"), min_size=1), max_size=6),
)
def test_no_decision_is_lost_or_used_twice(now: list[set[str]], then: list[set[str]]) -> None:
    proposals = [proposal(f"now{n}", "".join(sorted(pages))) for n, pages in enumerate(now)]
    earlier = [decided(f"then{n}", "".join(sorted(pages))) for n, pages in enumerate(then)]
    found, rest = follow(proposals, earlier)
    used = [one.note.removeprefix("note of ") for one in found.values()] + [one.proposal for one in rest]
    assert sorted(used) == sorted(one.proposal for one in earlier)
    for name, one in found.items():
        a, b = now[int(name[3:])], then[int(one.note.removeprefix("note of then"))]
        assert len(a & b) >= 0.5 * max(len(a), len(b))
    for one in rest:  # nothing that fits stands free
        b = then[int(one.proposal[4:])]
        free = [pages for n, pages in enumerate(now) if f"now{n}" not in found]
        assert all(len(a & b) < 0.5 * max(len(a), len(b)) for a in free)


# (figures then, figures now, what the note says of it: "" where it stays rejected)
CHANGES = [
    ('{"clicks": 100}', {"clicks": 100}, ""),
    ('{"clicks": 100}', {"clicks": 80}, ""),
    ('{"clicks": 100}', {"clicks": 74}, "clicks"),
    ('{"clicks": 100}', {"clicks": 140}, "clicks"),
    ('{"clicks": 0}', {"clicks": 0}, ""),
    ('{"clicks": 0}', {"clicks": 1}, "clicks"),
    ('{"clicks": 100}', {"impressions": 7}, ""),
    ('{"is_far": true}', {"is_far": False}, ""),
    ("", {"clicks": 9}, ""),
    ("no JSON", {"clicks": 9}, ""),
]


@pytest.mark.parametrize(("then", "now", "named"), CHANGES)
def test_what_was_rejected_is_raised_again_only_where_its_figures_are_others(
    then: str, now: dict[str, Any], named: str
) -> None:
    found, _ = follow([proposal("p", "ab", **now)], [decided("p", "ab", Decision.REJECT, basis=then)])
    assert found["p"].decision == (Decision.NONE if named else Decision.REJECT)
    assert found["p"].note.startswith("note of p")
    assert named in found["p"].note
    accepted, _ = follow([proposal("p", "ab", **now)], [decided("p", "ab", basis=then)])
    assert accepted["p"] == Decided(Decision.ACCEPT, "note of p")


def test_a_group_that_grew_is_raised_again_with_both_numbers() -> None:
    found, _ = follow([proposal("p", "abc")], [decided("p", "ab", Decision.REJECT)])
    assert found["p"].decision == Decision.NONE
    assert "2" in found["p"].note
    assert "3" in found["p"].note


def test_another_action_is_a_setting_that_holds_the_pages_by_name() -> None:
    settings = Settings()
    assert with_actions(settings, [decided("p", "ab")]) is settings
    changed = with_actions(settings, [decided("p", "ab", action="leave"), decided("q", "c", action="canonical")]).plan
    assert changed.leave == (*settings.plan.leave, f"{HOST}/a/", f"{HOST}/b/")
    assert changed.keep_reachable == (*settings.plan.keep_reachable, f"{HOST}/c/")
    starred = with_actions(settings, [replace(decided("p", ""), urls=frozenset([f"{HOST}/?q=[a]*"]), action="leave")]).plan
    assert starred.leave[-1] == f"{HOST}/[?]q=[[]a][*]"  # a pattern that means this address and no other


def test_an_edited_plan_is_taken_over_by_id_and_refused_where_the_steps_would_be_others() -> None:
    plan = pd.DataFrame({"proposal": ["p", "q"], "decision": ["", "accept"], "note": ["", "old"]})
    edited = with_decisions(plan, [decided("p", "", Decision.REJECT), decided("unknown", "")])
    assert edited["decision"].tolist() == ["reject", ""]
    assert edited["note"].tolist() == ["note of p", ""]
    for asked, said in (({"keeper": f"{HOST}/b/"}, f"keeper {HOST}/b/"), ({"action": "leave"}, "action 'leave'")):
        with pytest.raises(HandoffError, match="audit again with the edited plan") as refused:
            with_decisions(plan, [decided("p", "", **asked)])
        assert said in str(refused.value)
        assert str(refused.value).startswith("row 2: ")


ROWS = [
    {
        "url": f"{HOST}/{name}/",
        "html": f"<html lang=en><title>{name} strings</title><p>" + "our strings are made by hand " * 20,
    }
    for name in ("gut", "new/gut")
]


def edited_plan(folder: Path, **cells: str) -> list[PlanDecision]:
    """The decisions of the folder's plan when the row of its merge is edited."""
    plan = pd.read_csv(folder / "plan.csv", dtype=str, keep_default_na=False)
    at = plan["action"].tolist().index("merge")
    for name, value in cells.items():
        plan.loc[at, name] = value
    path = folder / "edited.csv"
    plan.to_csv(path, index=False)
    intake = OpenIntake()
    found = read_decisions(path, intake)
    reasons = [one.reason for one in intake.unread]
    assert all(one.place == f"row {at + 2}" and one.source == str(path) for one in intake.unread)
    return [*found, *(decided("refused", "", note=reason) for reason in reasons)]


def test_what_stands_in_an_edited_plan_is_followed_or_told(page_table: Callable[..., Path], tmp_path: Path) -> None:
    audit = mardok.audit(page_table(ROWS))
    folder = tmp_path / "audit"
    audit.save(folder)
    keeper = audit.plan.loc[audit.plan["action"] == "merge", "keeper"].item()
    member = next(url for url in audit.pages["url"] if url != keeper)
    assert edited_plan(folder) == []
    (accepted,) = edited_plan(folder, decision="ACCEPT", note="do it")
    assert (accepted.decision, accepted.note, accepted.urls) == (Decision.ACCEPT, "do it", frozenset(audit.pages["url"]))
    assert (accepted.keeper, accepted.action) == ("", "")
    (other,) = edited_plan(folder, keeper=member)
    assert other.keeper == member
    (reachable,) = edited_plan(folder, action="Canonical")
    assert reachable.action == "canonical"
    for cells, said in (
        ({"decision": "perhaps"}, "decision 'perhaps': is none of accept, reject"),
        ({"keeper": f"{HOST}/elsewhere/"}, "is none of the pages of proposal"),
        ({"action": "burn"}, "action 'burn': is none of"),
        ({"action": "expand"}, "cannot take the place of 'merge'"),
    ):
        (refused,) = edited_plan(folder, **cells)
        assert said in refused.note


def test_a_file_of_decisions_that_cannot_be_used_is_refused(tmp_path: Path) -> None:
    with pytest.raises(TableError, match="there is no such file of decisions"):
        read_decisions(tmp_path / "none.csv", OpenIntake())
    (tmp_path / "other.csv").write_text("proposal,verdict\np,yes\n", "utf-8")
    with pytest.raises(TableError, match="has no column 'decision'; its columns are 'proposal', 'verdict'"):
        read_decisions(tmp_path / "other.csv", OpenIntake())


@given(st.lists(st.tuples(*[st.text("a,\n\r\" '", max_size=4)] * 3), max_size=5), st.booleans())
def test_a_last_column_is_called_empty_only_if_it_is(rows: list[tuple[str, str, str]], is_edited: bool) -> None:
    rows = [(*row[:2], row[2] if is_edited else "") for row in rows]
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "steps.csv"
        with path.open("w", encoding="utf-8", newline="") as file:
            csv.writer(file, lineterminator="\n").writerows([("url", "step", "done"), *rows])
        is_empty = not any(row[2] for row in rows)
        assert is_empty or not has_empty_last_column(path, "done")
        assert has_empty_last_column(path, "done") or not is_empty or any("\n" in "".join(row) for row in rows)
        assert not has_empty_last_column(path, "step")
