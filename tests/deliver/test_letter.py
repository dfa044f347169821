"""The letter and the briefs say what the tables say, and nothing in them comes alive that a page says."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import pytest

import mardok
from mardok.deliver.briefs import Tables, brief, markdown_text, records
from mardok.deliver.handoff import chosen_proposals
from mardok.deliver.letter import letter
from mardok.errors import HandoffError

HOST = "https://www.host.example"
TEXT = (
    "Whoever outgrows a violin brings it back in any month and takes the next size home for the same price. Cracks from "
    "frost are mended free of charge, scratches are not counted at all, and a lost chin rest costs what he asks. "
)
HOSTILE = "![x](javascript:alert(1)) <script>alert(2)</script> `code` # not a heading * not a list | no cell"


def test_the_letter_says_what_the_totals_say(demo: mardok.Audit) -> None:
    plan = chosen_proposals(demo.plan, all_proposals=True)
    text = letter(plan, demo.meta)
    totals = demo.meta.totals
    assert text.startswith("# What we propose for your site\n")
    assert f"We read {totals['pages']} pages, {totals['indexable']} of which search engines may list." in text
    assert f"- {totals['pages_with_copies']} pages have copies" in text
    in_clicks = plan[plan["gain_unit"] == "clicks/month"]
    expected = in_clicks["gain"].sum()
    below, above = (((in_clicks["gain"] - in_clicks[end]) ** 2).sum() ** 0.5 for end in ("gain_low", "gain_high"))
    interval = f"between {expected - below:,.0f} and {expected + above:,.0f} in four cases of five"
    assert f"are expected to bring {expected:,.0f} clicks a month, {interval}" in text
    assert f"{plan['at_risk'].sum():.1f} clicks a month come from queries for which only a page that goes is found" in text
    rows = re.findall(r"^\| ([a-z ]+) \| ([\d,]+) \| ([\d,]+) \|$", text, re.MULTILINE)
    assert [name.replace(" ", "_") for name, _, _ in rows] == list(totals["outcome"]["today"])
    for name, today, after in rows:
        assert int(today.replace(",", "")) == totals["outcome"]["today"][name.replace(" ", "_")]
        assert int(after.replace(",", "")) == totals["outcome"]["all"][name.replace(" ", "_")]
    numbered = re.findall(r"^(\d+)\. \*\*(.+?)\*\* \(", text, re.MULTILINE)
    shown = plan[(plan["band"] == 1) | (plan["gain"] != 0)]
    assert [int(rank) for rank, _ in numbered] == shown["rank"].head(10).tolist()
    assert [summary for _, summary in numbered] == [markdown_text(summary) for summary in shown["summary"].head(10)]
    assert f"{len(shown) - 10} proposals more are in the workbook." in text
    by_owner = plan[~plan["rank"].isin(shown["rank"])].groupby("owner")["effort_hours"].agg(["size", "sum"])
    told = re.findall(
        r"^- For (?:the )?([a-z ]+), without a gain that can be told: (\d+) proposals?, ([\d.]+) hours?", text, re.M
    )
    assert [(int(n), float(hours)) for _, n, hours in told] == list(by_owner.itertuples(index=False, name=None))


def test_a_part_of_the_plan_has_a_letter_of_its_own(demo: mardok.Audit) -> None:
    few = demo.plan.head(2)
    text = letter(few, demo.meta)
    assert "the plan has 2 proposals" in text
    assert "more are in the workbook" not in text
    gapped = demo.meta.model_copy(update={"totals": {**demo.meta.totals, "crawl": {"whole": False, "gaps": ["a", "b"]}}})
    assert "of which search engines may list; not the whole site: a; b." in letter(few, gapped)
    unsearched = demo.meta.model_copy(update={"totals": {**demo.meta.totals, "search": None}})
    assert "clicks a month came from search" not in letter(few, unsearched)


def test_nobody_is_handed_what_nobody_accepted(demo: mardok.Audit) -> None:
    with pytest.raises(HandoffError, match="accept"):
        chosen_proposals(demo.plan, all_proposals=False)
    decided = demo.plan.assign(decision=["accept", "reject", "later", *[""] * (len(demo.plan) - 3)])
    assert chosen_proposals(decided, all_proposals=False)["rank"].tolist() == [1]
    work = demo.plan.loc[~demo.plan["action"].isin(["leave"]), "rank"].tolist()
    assert chosen_proposals(decided, all_proposals=True)["rank"].tolist() == [rank for rank in work if rank not in (2, 3)]


def test_every_brief_quotes_its_pages_and_ends_with_what_can_be_counted(demo: mardok.Audit) -> None:
    tables = Tables(demo.tables)
    for proposal in records(demo.plan[demo.plan["action"].isin(["merge", "rewrite", "expand"])]):
        steps = records(demo.steps[demo.steps["proposal"] == proposal["proposal"]])
        text = brief(proposal, steps, tables)
        assert text.startswith(f"# {markdown_text(proposal['summary'])}\n")
        assert f"Unless {markdown_text(proposal['unless'])}." in text
        headings = re.findall(r"^## (https?://\S+)$", text, re.MULTILINE)
        assert len(headings) == len(set(headings))
        assert set(headings) <= {step["url"] for step in steps}
        for step in steps:
            if step["url"] in headings and step["step"] != "leave":
                assert f"- **{step['step'].replace('_', ' ')}**: {markdown_text(step['detail'])}" in text
        done = text.partition("## Done means\n\n")[2].strip().splitlines()
        assert 1 <= len(done) <= 2
        assert all(line.startswith("- ") for line in done)


def test_what_pages_say_stays_text_in_briefs(page_table: Callable[..., Path], tmp_path: Path) -> None:
    rows = [
        {
            "url": f"{HOST}/{name}/",
            "html": f"<html lang=en><title>{escaped} strings</title><h1>{escaped}</h1><p>{TEXT}{more}",
        }
        for name, more in (("a", ""), ("b", f"<p>And this stands nowhere else at all: {HOSTILE.replace('<', '&lt;')}"))
        for escaped in [HOSTILE.replace("<", "&lt;")]
    ]
    audit = mardok.audit(page_table(rows))
    mardok.hand_off(audit, tmp_path / "out", all_proposals=True)
    texts = [path.read_text("utf-8") for path in [tmp_path / "out" / "letter.md", *(tmp_path / "out" / "briefs").iterdir()]]
    assert len(texts) > 1
    for text in texts:
        assert not re.search(r"(?<!\\)<script|(?<!\\)`code|(?<!\\)!\[x|(?<!\\)\]\(javascript", text)
        assert not re.search(r"^\s*(?:# not a heading|\* not a list)", text, re.MULTILINE)
    assert any("stands nowhere else at all" in text for text in texts)
