"""The letter to the client, in three forms.

In:  the plan, the tickets and ``audit.json``.
Out: what was found, what is proposed, what is left as it is and what is needed from whom: as Markdown, as HTML that prints
     to two pages, and as a document that can be edited (ISO/IEC 29500).
"""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import pandas as pd

from mardok.deliver.briefs import markdown_text, records
from mardok.deliver.templating import rendered
from mardok.deliver.tickets import Ticket
from mardok.meta import AuditMeta
from mardok.plan.totals import gain_of_rows, told_apart
from mardok.sentences import counted, gain_text, hours, listing, sentence
from mardok.sentences.figures import day, whole
from mardok.visible import visible
from mardok.vocabulary import Action, Decision, GroupKind, Owner

MARKDOWN_FILE, HTML_FILE, DOCUMENT_FILE = "letter.md", "letter.html", "letter.docx"
_MOST = 7
"""Proposals that are told one by one: a letter has two pages."""
_MOST_LEFT = 4
_OUTCOMES = ("indexable_pages", "pages_with_copies", "copied_words", "thin_pages", "contested_queries")


@dataclass(frozen=True)
class Budget:
    """Hours that proposals had to fit into."""

    hours: float
    left_out: int
    """Proposals that did not fit."""


@dataclass(frozen=True)
class Part:
    """A part of the letter: a heading with what stands below it."""

    heading: str
    paragraphs: Sequence[str] = ()
    items: Sequence[tuple[str, str, str]] = ()
    """What is numbered: the matter, its figures, its reason."""
    bullets: Sequence[str] = ()
    header: Sequence[str] = ()
    rows: Sequence[Sequence[str]] = ()


@dataclass(frozen=True)
class Letter:
    """What the letter says."""

    title: str
    date: str
    parts: Sequence[Part]


def letter(
    chosen: pd.DataFrame,
    plan: pd.DataFrame,
    tickets: Sequence[Ticket],
    meta: AuditMeta,
    site: str,
    budget: Budget | None = None,
) -> Letter:
    """The letter.

    Parameters
    ----------
    chosen : DataFrame
        The proposals that are handed over, best first.
    plan : DataFrame
        The whole plan, for what is left as it is.
    tickets : sequence of Ticket
        What each owner is asked for.
    site : str
        Host of the site.
    """
    return Letter(
        str(sentence("letter.title", site=site)),
        day(_date(meta)),
        [_found(meta), _proposed(chosen, budget), _left(plan), _outcome(meta), _needed(tickets)],
    )


def _date(meta: AuditMeta) -> Any:
    import numpy as np

    return np.datetime64(datetime.fromisoformat(meta.made).date())


def _found(meta: AuditMeta) -> Part:
    totals = meta.totals
    search, twice = totals["search"], totals["duplicates"]
    pages, indexable = counted("page", totals["pages"]), totals["indexable"]
    if search and search["clicks_now"] is not None:
        told = {name: search[name] for name in ("clicks_now", "clicks_before", "now", "before")}
        read = sentence("letter.read-compared", pages=pages, indexable=indexable, **told)
    elif search:
        read = sentence("letter.read-searched", pages=pages, indexable=indexable, clicks=search["clicks"])
    else:
        read = sentence("letter.read", pages=pages, indexable=indexable)
    repeated = sentence(
        "letter.repeated", n=twice["pages"], share=twice["pages_share"], words=twice["words_share"],
        variants=counted("address", totals["variants"]),
    )  # fmt: skip
    rivals = counted("group", totals["groups"].get(GroupKind.RIVALS, 0))
    weak = sentence("letter.weak", n=totals["thin"], rivals=rivals)
    gaps = [] if totals["crawl"]["whole"] else [sentence("letter.gaps", gaps="; ".join(totals["crawl"]["gaps"]))]
    return Part(str(sentence("letter.heading.found")), [" ".join(map(str, [read, repeated, weak, *gaps]))])


def _proposed(chosen: pd.DataFrame, budget: Budget | None) -> Part:
    gain, at_risk = gain_of_rows(chosen), float(chosen["at_risk"].sum())
    told = [sentence("letter.plan", proposals=counted("proposal", len(chosen)), hours=hours(chosen["effort_hours"].sum()))]
    if gain.is_evident:
        told.append(sentence("letter.gain", expected=gain.expected, low=gain.low, high=gain.high))
    if at_risk >= _LEAST_RISK:
        told.append(sentence("letter.risk", clicks=at_risk))
    if budget is not None:
        proposals = counted("more-proposal", budget.left_out)
        told.append(sentence("letter.budget", hours=hours(budget.hours), proposals=proposals))
    first, rest = told_apart(chosen)
    items = [
        (
            str(row["summary"]),
            str(sentence("letter.figures", gain=gain_text(row), hours=hours(row["effort_hours"]), sure=row["confidence"])),
            str(row["why"]),
        )
        for row in records(first.head(_MOST))
    ]
    bullets = (
        [str(sentence("letter.more", proposals=counted("more-proposal", len(first) - _MOST)))] if len(first) > _MOST else []
    )
    bullets += [str(sentence("letter.without-gain", owners=listing(rest, most=len(rest))))] if rest else []
    return Part(str(sentence("letter.heading.proposed")), [" ".join(map(str, told))], items, bullets)


_LEAST_RISK = 0.5
"""Clicks a month from which a risk is told."""


def _left(plan: pd.DataFrame) -> Part:
    left = plan[(plan["action"] == Action.LEAVE) & (plan["decision"] != Decision.REJECT)]
    bullets = [str(row["summary"]) for row in records(left.head(_MOST_LEFT))]
    more = len(left) - _MOST_LEFT
    if more > 0:
        bullets.append(str(sentence("letter.more-left", n=more)))
    heading = str(sentence("letter.heading.left"))
    return Part(heading, [] if bullets else [str(sentence("letter.nothing-left"))], bullets=bullets)


def _outcome(meta: AuditMeta) -> Part:
    outcome = meta.totals["outcome"]
    today, after = outcome["today"], outcome["accepted"] or outcome["all"]
    header = [str(sentence(f"letter.column.{name}")) for name in ("matter", "today", "after")]
    rows = [[str(sentence(f"letter.outcome.{name}")), whole(today[name]), whole(after[name])] for name in _OUTCOMES]
    return Part(str(sentence("letter.heading.outcome")), header=header, rows=rows)


def _needed(tickets: Sequence[Ticket]) -> Part:
    header = [str(sentence(f"letter.column.{name}")) for name in ("owner", "tickets", "hours", "by")]
    rows = []
    for owner in Owner:
        own = [ticket for ticket in tickets if ticket.owner == owner]
        if own:
            spent = f"{sum(ticket.hours for ticket in own):.1f}"
            name = str(sentence(f"owner.{owner}"))
            rows.append([name[0].upper() + name[1:], str(len(own)), spent, str(sentence("letter.to-be-agreed"))])
    return Part(
        str(sentence("letter.heading.needed")), [str(sentence("letter.needed"))], header=header, rows=rows
    )  # fmt: skip


def letter_files(told: Letter) -> dict[str, bytes]:
    """The letter in its three forms, by the names of the files."""
    return {
        MARKDOWN_FILE: visible(as_markdown(told)).encode(),
        HTML_FILE: visible(rendered("letter.html.j2", {}, {"letter": told})).encode(),
        DOCUMENT_FILE: as_document(told),
    }


def as_markdown(told: Letter) -> str:
    """The letter as Markdown."""
    lines = [f"# {markdown_text(told.title)}", "", told.date, ""]
    for part in told.parts:
        lines += [f"## {markdown_text(part.heading)}", "", *_markdown_of(part)]
    return "\n".join(lines)


def _markdown_of(part: Part) -> Iterator[str]:
    for text in part.paragraphs:
        yield from (markdown_text(text), "")
    for number, (matter, figures, reason) in enumerate(part.items, start=1):
        yield from (
            f"{number}. **{markdown_text(matter)}**: {markdown_text(figures)}",
            "",
            f"   {markdown_text(reason)}",
            "",
        )
    yield from (f"- {markdown_text(text)}" for text in part.bullets)
    if part.bullets:
        yield ""
    if part.rows:
        yield f"| {' | '.join(map(markdown_text, part.header))} |"
        yield f"| --- |{' ---: |' * (len(part.header) - 1)}"
        yield from (f"| {' | '.join(map(markdown_text, row))} |" for row in part.rows)
        yield ""


def as_document(told: Letter) -> bytes:
    """The letter as a document for word processors."""
    from docx import Document  # only here: it takes longer to import than some commands to run
    from docx.shared import Cm, Pt

    document = Document()
    section = document.sections[0]
    section.page_width, section.page_height = Cm(21), Cm(29.7)
    section.left_margin = section.right_margin = Cm(2.2)
    section.top_margin = section.bottom_margin = Cm(1.8)
    document.styles["Normal"].font.size = Pt(10)
    document.core_properties.title = visible(told.title)
    document.core_properties.author = "Mardok"
    document.add_heading(visible(told.title), 0)
    document.add_paragraph(told.date)
    for part in told.parts:
        document.add_heading(visible(part.heading), 1)
        for text in part.paragraphs:
            document.add_paragraph(visible(text))
        for matter, figures, reason in part.items:
            paragraph = document.add_paragraph(style="List Number")
            paragraph.add_run(visible(matter)).bold = True
            paragraph.add_run(visible(f": {figures}"))
            paragraph.add_run().add_break()
            paragraph.add_run(visible(reason)).font.size = Pt(9)
        for text in part.bullets:
            document.add_paragraph(visible(text), style="List Bullet")
        if part.rows:
            table = document.add_table(rows=0, cols=len(part.header), style="Light Grid Accent 1")
            for cells in (part.header, *part.rows):
                for cell, text in zip(table.add_row().cells, cells, strict=True):
                    cell.text = visible(text)
    buffer = io.BytesIO()
    document.save(buffer)
    return buffer.getvalue()
