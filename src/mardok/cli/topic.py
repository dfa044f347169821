"""``mardok topic``: all about one phrase.

In:  an audit folder, a phrase, and perhaps pages of others.
Out: who should rank, who does, who mentions it; what pages of others have and ours has not.
"""

from __future__ import annotations

import datetime
import os
from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

import mardok
from mardok.cli.console import answer_console, errors, new_table, print_json, progress_line, shown
from mardok.cli.crawl import summary_text, tell_hints
from mardok.errors import SelectionError
from mardok.progress import Progress
from mardok.sentences import counted, path_of, quoted, sentence

if TYPE_CHECKING:
    from rich.console import Console

_SHOWN_PAGES, _SHOWN_SUGGESTIONS, _SHOWN_LINKS = 8, 12, 5


def topic(
    folder: Annotated[Path, typer.Argument(help="Audit folder.", show_default=False)],
    phrase: Annotated[str, typer.Argument(help="What it is about, such as 'violin hire'.", show_default=False)],
    out: Annotated[Path | None, typer.Option("-o", "--output", help="Folder to write.", show_default=False)] = None,
    rivals: Annotated[
        list[str] | None,
        typer.Option(help="Pages of others: a WARC file, a folder, a table, or an address to fetch, one page each."),
    ] = None,
    targets: Annotated[
        Path | None, typer.Option(help="Table of phrases with the page meant for each; by default that of the audit.")
    ] = None,
    jobs: Annotated[int, typer.Option(min=1, help="Processes to use.")] = os.cpu_count() or 1,
    as_json: Annotated[bool, typer.Option("--json", help="Print the answer as JSON.")] = False,
) -> None:
    """Show all about one phrase: who promises it, who is found for it, what pages of others have and ours has not.

    Example: mardok topic audit "violin hire" --rivals rivals.warc.gz -o topic
    """
    from mardok.folder import claimed  # only here: the other commands start without tables and settings

    with claimed(out) if out is not None else nullcontext():
        with progress_line() as progress:
            sources = _fetched(rivals or [], folder, out, progress)
            answer = mardok.topic(folder, phrase, rivals=sources, targets=targets, jobs=jobs, progress=progress)
        if out is not None:
            answer.save(out)
    if as_json:
        print_json(answer.as_dict())
    else:
        print_topic(answer, out)


def _fetched(rivals: list[str], folder: Path, out: Path | None, progress: Progress) -> list[str]:
    """What pages of others are read from, with addresses fetched into a WARC file of this day beside the answer."""
    addresses = [one for one in rivals if one.lower().startswith(("http://", "https://"))]
    if not addresses:
        return rivals
    if out is None:
        raise SelectionError(f"{addresses[0]}: to fetch pages, name the folder to write: -o DIR; they are kept beside it")
    name = f"{out.name}-rivals-{datetime.datetime.now(datetime.UTC).date()}.warc.gz"
    settings = mardok.load(folder).meta.settings
    summary = mardok.crawl(out=out.with_name(name), listed=addresses, settings=settings, progress=progress)
    errors.print(shown(summary_text(summary)))
    tell_hints(summary)
    return [*(one for one in rivals if one not in addresses), str(summary.path)]


def print_topic(answer: mardok.TopicAnswer, out: Path | None) -> None:
    """The answer: who promises it, who is found for it, what others have."""
    from mardok.beside.topic_page import field_name, place_text, suggestion_text
    from mardok.vocabulary import MeantBy

    console, site = answer_console(), answer.on_site
    console.print(shown(site.sentence, style="bold"))
    if site.meant_by == MeantBy.TARGETS:
        console.print(shown(sentence("topic-answer.meant-targets", page=path_of(site.meant))))
    _print_search(console, answer)
    if site.proposal is not None:
        row = site.proposal
        console.print(shown(sentence("topic-answer.proposal", rank=row["rank"], summary=row["summary"])))
    if site.promisers:
        table = new_table(show_edge=False)
        for title in ("page that promises it", "where"):
            table.add_column(title, ratio=1, overflow="fold")
        for one in site.promisers[:_SHOWN_PAGES]:
            told = (f"{field_name(field)} ({place_text(field, place)})" for field, place in one.places.items())
            table.add_row(shown(path_of(one.url)), shown(", ".join(told)))
        console.print()
        console.print(table)
    if site.linking.waiting:
        console.print()
        console.print(shown(sentence("topic-answer.waiting-count", n=len(site.linking.waiting))))
        for link in site.linking.waiting[:_SHOWN_LINKS]:
            told_link = sentence(
                "topic-answer.waiting", page=path_of(link.url), anchor=quoted(link.anchor), text=link.sentence
            )
            console.print(shown(f"- {told_link}"))
    if site.linking.n_left:
        console.print(shown(sentence("topic-answer.not-looked-at", n=site.linking.n_left)))
    for query in answer.asked[:_SHOWN_LINKS]:
        told_query = sentence(
            "topic-answer.asked", query=quoted(query.query), words=query.missing, impressions=query.impressions
        )  # fmt: skip
        console.print(shown(f"- {told_query}"))
    if answer.others.pages:
        console.print()
        pages = counted("page", len(answer.others.pages))
        console.print(shown(sentence("topic-answer.others", pages=pages), style="bold"))
        for suggestion in answer.suggestions[:_SHOWN_SUGGESTIONS]:
            console.print(shown(f"- {suggestion_text(suggestion)}"))
        more = len(answer.suggestions) - _SHOWN_SUGGESTIONS
        if more > 0:
            console.print(shown(sentence("topic-answer.more", n=more)))
        for passage in answer.common[:2]:
            told_passage = sentence("topic-answer.common", page=passage.page, words=passage.words, text=passage.text)
            console.print(shown(f"- {told_passage}"))
    for note in answer.others.notes:
        errors.print(shown(f"mardok: {note}"))
    if out is not None:
        console.print(shown(sentence("topic-answer.report", path=out.resolve())), soft_wrap=True)


def _print_search(console: Console, answer: mardok.TopicAnswer) -> None:
    """Who is found for the phrase, now and before."""
    search = answer.on_site.searched
    if search is None or not search.shown:
        return
    urls = {one.row: path_of(one.url) for one in search.shown}
    if search.since:
        console.print(shown(sentence("topic-answer.leads-since", day=search.since)))
    if search.leader_before not in (-1, search.leader) and search.leader_before in urls:
        console.print(shown(sentence("topic-answer.led-before", page=urls[search.leader_before])))
    table = new_table(show_edge=False)
    table.add_column("page that search shows", ratio=1, overflow="fold")
    for title in ("queries", "impressions", "clicks", "before", "position", "before"):
        table.add_column(title, justify="right")
    for one in search.shown[:_SHOWN_PAGES]:
        cells = (
            (one.impressions_now, 0), (one.clicks_now, 1), (one.clicks_before, 1), (one.position_now, 1),
            (one.position_before, 1),
        )  # fmt: skip
        told = (("" if value != value else f"{value:,.{decimals}f}") for value, decimals in cells)
        table.add_row(shown(path_of(one.url)), f"{one.n_queries:,}", *told)
    console.print()
    console.print(table)
