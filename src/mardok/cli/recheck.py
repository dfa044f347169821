"""``mardok recheck``: was it done, was it done right, did it help.

In:  an audit folder, and later ones, a source, or the server.
Out: a folder with the answer, and the answer in a few lines; status 3 if something is undone, done otherwise or worse.
"""

from __future__ import annotations

import datetime
import os
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

import mardok
from mardok.cli.audit import tell_unread
from mardok.cli.console import answer_console, errors, new_table, print_json, progress_line, records, shown
from mardok.cli.crawl import summary_text, tell_hints
from mardok.progress import Progress
from mardok.sentences import Sentence, clipped, counted, listing, sentence
from mardok.vocabulary import Change, Outcome, StepKind, Subject

if TYPE_CHECKING:
    from rich.table import Table

_NOT_WELL = 3
_SHOWN = 8
_LONGEST = 160
_WORST_FIRST = (Outcome.UNDONE, Outcome.OTHERWISE, Outcome.NOT_DONE, Outcome.PARTLY)


def recheck(
    before: Annotated[Path, typer.Argument(help="Audit folder with the plan that was carried out.", show_default=False)],
    out: Annotated[Path, typer.Option("-o", "--output", help="Folder to write.", show_default=False)],
    after: Annotated[
        list[str] | None,
        typer.Argument(help="Later audit folders; or one source, or an address to crawl first.", show_default=False),
    ] = None,
    decisions: Annotated[
        Path | None, typer.Option(help="The edited plan (CSV or workbook); by default plan.csv in the audit folder.")
    ] = None,
    search: Annotated[list[Path] | None, typer.Option(help="Search data for a source, past the change.")] = None,
    host: Annotated[list[str] | None, typer.Option(help="OLD=NEW: compare a staging host as if it were the site.")] = None,
    changed: Annotated[str | None, typer.Option(help="Day of the change, YYYY-MM-DD.")] = None,
    live: Annotated[
        bool, typer.Option("--live", help="Ask the server: redirects, canonicals, noindex, retired addresses only.")
    ] = False,
    credentials: Annotated[
        str | None, typer.Option(help="For the server: a file, or env:NAME, as mardok crawl takes it.")
    ] = None,
    jobs: Annotated[int, typer.Option(min=1, help="Processes to use.")] = os.cpu_count() or 1,
    as_json: Annotated[bool, typer.Option("--json", help="Print the answer as JSON.")] = False,
) -> None:
    """Check again: each step verified, findings compared, the effect measured.

    Example: mardok recheck audit later.warc.gz --search search.csv --changed 2026-11-16 -o recheck
    """
    from mardok.folder import claimed  # only here: the other commands start without tables and settings

    with claimed(out):
        with progress_line() as progress:
            later = _crawled(after or [], before, out, credentials, progress)
            result = mardok.recheck(
                before, *later, decisions=decisions, search=search or (), hosts=host or (), changed=changed, live=live,
                credentials=credentials, jobs=jobs, progress=progress,
            )  # fmt: skip
            progress("writing the report", 0)
        result.save(out, jobs=jobs)
    if as_json:
        print_json(result.as_dict())
    else:
        print_recheck(result, out)
    is_unread = result.audit is not None and tell_unread(result.audit)
    if not result.is_well:
        raise typer.Exit(_NOT_WELL)
    if is_unread:
        raise typer.Exit(1)


def _crawled(after: list[str], before: Path, out: Path, credentials: str | None, progress: Progress) -> list[str]:
    """What came after, with an address crawled into a WARC file of this day, old addresses of the plan asked for, too."""
    starts = [one for one in after if one.lower().startswith(("http://", "https://"))]
    if not starts:
        return after
    first = mardok.load(before)
    steps = first.steps[first.steps["step"] != StepKind.LEAVE]
    name = f"{out.name}-{datetime.datetime.now(datetime.UTC).date()}.warc.gz"
    summary = mardok.crawl(
        *starts, out=out.with_name(name), listed=sorted(set(steps["url"])), settings=first.meta.settings,
        credentials=credentials, progress=progress,
    )  # fmt: skip
    errors.print(shown(summary_text(summary)))
    tell_hints(summary)
    return [*(one for one in after if one not in starts), str(summary.path)]


def print_recheck(result: mardok.Rechecked, out: Path) -> None:
    """The answer: what was promised and what came, what changed, what it brought, what needs a look first."""
    console = answer_console()
    for line in _lines(result):
        console.print(shown(line))
    worst = _worst_table(result)
    if worst is not None:
        console.print(shown(sentence("recheck.answer.worst"), style="bold"))
        console.print(worst)
    elif result.is_well:
        console.print(shown(sentence("recheck.answer.well")))
    console.print(shown(sentence("recheck.answer.report", path=(out / "recheck.html").resolve())), soft_wrap=True)


def _lines(result: mardok.Rechecked) -> Iterator[Sentence | str]:
    counts = {outcome.replace("-", "_"): n for outcome, n in result.counts.items()}
    key = "recheck.answer.decided" if result.is_decided else "recheck.answer.undecided"
    proposals = counted("proposal", len(result.plan))
    yield sentence(key, steps=counted("step", len(result.work)), proposals=proposals)
    yield sentence("recheck.answer.steps", **counts)
    for subject in Subject:
        numbers = [(change, len(result.changed(change, subject))) for change in Change]
        parts = [sentence(f"recheck.change.{change}", n=n) for change, n in numbers if n]
        if parts:
            told = str(sentence(f"recheck.subject.{subject}"))
            told = told[0].upper() + told[1:]
            yield sentence("recheck.answer.changes", subject=told, parts=", ".join(map(str, parts)))
    for what, why in result.left_out.items():
        yield sentence("recheck.answer.left-out", what=what, why=why)
    yield from result.notes
    yield result.effect_text
    if result.spans_text:
        yield f"({result.spans_text})"


def _worst_table(result: mardok.Rechecked) -> Table | None:
    """Steps that were not carried out as asked, the worst first, those of the best proposals before others."""
    rank = {proposal: place for place, proposal in enumerate(result.plan["proposal"])}
    rows = [
        (_WORST_FIRST.index(row["outcome"]), rank[row["proposal"]], row["order"], row)
        for row in records(result.verified)
        if row["outcome"] in _WORST_FIRST[:2] or (row["outcome"] in _WORST_FIRST and row["step"] != StepKind.LEAVE)
    ]
    if not rows:
        return None
    rows.sort(key=lambda one: one[:3])
    home = result.home
    table = new_table(show_edge=False)
    table.add_column("outcome", style="bold")
    table.add_column("step")
    table.add_column("address", ratio=2, overflow="fold")
    table.add_column("found", ratio=3, overflow="fold")
    for _, _, _, row in rows[:_SHOWN]:
        found = clipped(row["found"], _LONGEST)
        table.add_row(
            row["outcome"], row["step"].replace("_", " "), shown(row["url"].removeprefix(home) or "/"), shown(found)
        )
    if len(rows) > _SHOWN:
        table.add_row("", "", "", shown(listing([f"{len(rows) - _SHOWN:,} more in verified.csv"])))
    return table
