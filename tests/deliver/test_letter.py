"""The letter and the briefs say what the tables say, and nothing in them comes alive that a page says."""

from __future__ import annotations

import io
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pandas as pd
import pytest
from docx import Document

import mardok
from mardok.deliver.briefs import Tables, brief, markdown_text, records
from mardok.deliver.handoff import chosen_proposals
from mardok.deliver.letter import DOCUMENT_FILE, HTML_FILE, Letter, as_markdown, letter, letter_files
from mardok.deliver.tickets import tickets
from mardok.errors import HandoffError
from mardok.meta import AuditMeta

HOST = "https://www.host.example"
TEXT = (
    "Whoever outgrows a violin brings it back in any month and takes the next size home for the same price. Cracks from "
    "frost are mended free of charge, scratches are not counted at all, and a lost chin rest costs what he asks. "
)
HOSTILE = "![x](javascript:alert(1)) <script>alert(2)</script> `code` # not a heading * not a list | no cell"


def letter_of(demo: mardok.Audit, chosen: pd.DataFrame, meta: AuditMeta | None = None) -> Letter:
    steps = demo.steps[demo.steps["proposal"].isin(chosen["proposal"])]
    meta = meta or demo.meta
    return letter(chosen, demo.plan, tickets(chosen, steps, {}, meta.settings), meta, "www.host.example")


def test_the_letter_says_what_the_totals_say(demo: mardok.Audit) -> None:
    plan = chosen_proposals(demo.plan, all_proposals=True)
    told = letter_of(demo, plan)
    text = as_markdown(told)
    totals = demo.meta.totals
    assert text.startswith("# What we propose for www.host.example\n")
    assert f"Of {totals['pages']} pages that we read, search engines can index {totals['indexable']};" in text
    search = totals["search"]
    assert f"{search['clicks_now']:,.0f} clicks a month in the last 13 weeks, after {search['clicks_before']:,.0f}" in text
    assert f"{totals['duplicates']['pages']} pages repeat another page" in text
    in_clicks = plan[plan["gain_unit"] == "clicks/month"]
    expected = in_clicks["gain"].sum()
    below, above = (((in_clicks["gain"] - in_clicks[end]) ** 2).sum() ** 0.5 for end in ("gain_low", "gain_high"))
    interval = f"in four cases of five it brings between {expected - below:,.0f} and {expected + above:,.0f}"
    assert f"It is expected to bring {expected:,.0f} more clicks a month; {interval}" in text
    assert f"{plan['at_risk'].sum():.1f} clicks a month are at risk" in text
    outcome = totals["outcome"]
    rows = next(part.rows for part in told.parts if part.header and part.header[1] == "today")
    assert [[int(cell.replace(",", "")) for cell in row[1:]] for row in rows] == [
        [outcome["today"][name], outcome["all"][name]] for name in outcome["today"]
    ]
    numbered = re.findall(r"^(\d+)\. \*\*(.+?)\*\*: ", text, re.MULTILINE)
    shown = plan[(plan["band"] == 1) | (plan["gain"] != 0)]
    assert [int(number) for number, _ in numbered] == list(range(1, 8))  # from 1, whatever the ranks
    assert [summary for _, summary in numbered] == [markdown_text(summary) for summary in shown["summary"].head(7)]
    assert f"{len(shown) - 7} more proposals with a gain are in the workbook." in text
    by_owner = plan[~plan["rank"].isin(shown["rank"])].groupby("owner")["effort_hours"].agg(["size", "sum"])
    owners = re.findall(r"(\d+) proposals? for the [a-z ]+ \\?\(([\d.]+) hours?", text)
    assert [(int(n), float(hours)) for n, hours in owners] == list(by_owner.itertuples(index=False, name=None))


def test_a_part_of_the_plan_has_a_letter_of_its_own(demo: mardok.Audit) -> None:
    few = demo.plan.head(2)
    text = as_markdown(letter_of(demo, few))
    assert "The plan has 2 proposals" in text
    assert "are in the workbook" not in text
    gapped = demo.meta.model_copy(update={"totals": {**demo.meta.totals, "crawl": {"whole": False, "gaps": ["a", "b"]}}})
    assert "Not all of the site was read (a; b)" in as_markdown(letter_of(demo, few, gapped)).replace("\\", "")
    unsearched = demo.meta.model_copy(update={"totals": {**demo.meta.totals, "search": None}})
    assert "clicks a month in" not in as_markdown(letter_of(demo, few, unsearched)).partition("## What we propose")[0]


def test_the_letter_says_the_same_in_its_three_forms_and_prints_to_two_pages(
    demo: mardok.Audit, browser: Any, tmp_path: Path
) -> None:
    told = letter_of(demo, chosen_proposals(demo.plan, all_proposals=True))
    files = letter_files(told)
    (tmp_path / HTML_FILE).write_bytes(files[HTML_FILE])
    page = browser.new_page()
    page.goto((tmp_path / HTML_FILE).as_uri())
    assert len(re.findall(rb"/Type\s*/Page[^s]", page.pdf(prefer_css_page_size=True))) <= 2
    shown = " ".join(page.inner_text("body").split())
    page.close()
    document = Document(io.BytesIO(files[DOCUMENT_FILE]))
    written = " ".join(paragraph.text for paragraph in document.paragraphs)
    cells = {cell.text for table in document.tables for row in table.rows for cell in row.cells}
    for part in told.parts:
        for text in (
            part.heading,
            *part.paragraphs,
            *part.bullets,
            *(one for item in part.items for one in (item[0], item[2])),
        ):
            assert " ".join(text.split()) in shown
            assert text in written
        assert {cell for row in part.rows for cell in row} <= cells


def test_nobody_is_handed_what_nobody_accepted(demo: mardok.Audit) -> None:
    with pytest.raises(HandoffError, match="accept"):
        chosen_proposals(demo.plan, all_proposals=False)
    decided = demo.plan.assign(decision=["accept", "reject", "later", *[""] * (len(demo.plan) - 3)])
    assert chosen_proposals(decided, all_proposals=False)["rank"].tolist() == [1]
    work = demo.plan.loc[~demo.plan["action"].isin(["leave"]), "rank"].tolist()
    assert chosen_proposals(decided, all_proposals=True)["rank"].tolist() == [rank for rank in work if rank not in (2, 3)]


def test_every_brief_quotes_its_pages_and_ends_with_what_can_be_counted(demo: mardok.Audit) -> None:
    tables = Tables(demo.tables, demo.pages["url"].tolist())
    for proposal in records(demo.plan[demo.plan["action"].isin(["merge", "rewrite", "expand"])]):
        steps = records(demo.steps[demo.steps["proposal"] == proposal["proposal"]])
        text = brief(proposal, steps, tables)
        assert text.startswith(f"# {markdown_text(proposal['summary'])}\n")
        assert f"Do not do this if {markdown_text(proposal['unless'])}." in text
        headings = re.findall(r"^## (https?://\S+)$", text, re.MULTILINE)
        assert len(headings) == len(set(headings))
        assert set(headings) <= {step["url"] for step in steps}
        for step in steps:
            if step["url"] in headings and step["step"] != "leave":
                assert f"- **{step['step'].replace('_', ' ')}**: {markdown_text(step['detail'])}" in text
        done = text.partition("## Done means\n\n")[2].strip().splitlines()
        assert 1 <= len(done) <= 3
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
