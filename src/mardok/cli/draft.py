"""``mardok draft``: before publishing.

In:  an audit folder, drafts, or what a planned page is to be about.
Out: go on, extend a page instead, or tell it apart from one; what is pasted; which links wait. Exit status 3 if a draft
     would be a copy or a rival.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

import mardok
from mardok.cli.console import answer_console, print_json, progress_line, shown
from mardok.sentences import Text, sentence

if TYPE_CHECKING:
    from rich.console import Console

    from mardok.drafts.job import CheckedDraft

COPY_OR_RIVAL = 3
"""Exit status if a draft would be a copy or a rival."""
_SHOWN = 5
_LONGEST = 160


def draft(
    folder: Annotated[Path, typer.Argument(metavar="DIR", help="Audit folder.", show_default=False)],
    files: Annotated[
        list[Path] | None,
        typer.Argument(metavar="FILE", help="Drafts: HTML, Markdown, text or .docx.", show_default=False),
    ] = None,
    phrase: Annotated[list[str] | None, typer.Option(help="What the draft, or a page that is planned, is about.")] = None,
    title: Annotated[str, typer.Option(help="Title of a page that is planned only.")] = "",
    url: Annotated[list[str] | None, typer.Option(help="Where the draft is to stand; one a FILE, in their order.")] = None,
    assignments: Annotated[
        list[str] | None, typer.Option("--set", help="Another limit, such as copies.resemblance=0.9.")
    ] = None,
    out: Annotated[Path | None, typer.Option("-o", "--output", help="File for the brief, in Markdown.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print everything as JSON.")] = False,
) -> None:
    """Check drafts before they are published: do we have that, what is pasted, which links wait.

    Example: mardok draft audit new-post.md

    Example: mardok draft audit --phrase "violin hire for schools"
    """
    made = mardok.load(folder)
    settings = mardok.read_settings(assignments=assignments, base=made.meta.settings.model_dump()) if assignments else None
    with progress_line() as progress:
        report = mardok.check_draft(
            made, *(files or ()), phrases=phrase or (), title=title, urls=url or (), settings=settings, progress=progress
        )
    if out is not None:
        from mardok.folder import write_text  # only here: to print needs no tables

        write_text(out, report.brief())
    if as_json:
        print_json(report.as_dict())
    else:
        console = answer_console()
        for number, one in enumerate(report.drafts):
            if number:
                console.print()
            _print(console, one)
        if out is not None:
            console.print(shown(sentence("draft.answer.brief", path=out.resolve())), soft_wrap=True)
    if not report.is_clear:
        raise typer.Exit(COPY_OR_RIVAL)


def _print(console: Console, one: CheckedDraft) -> None:
    from mardok.drafts.brief import (
        finding_text,
        link_text,
        passage_text,
        pasted_summary,
        query_text,
        relative_text,
        series_text,
    )

    console.print(shown(sentence("draft.answer.of", name=one.draft.name, sentence=one.sentence), style="bold"))
    for finding in one.findings[1:_SHOWN]:
        console.print(shown(f"- {finding_text(finding)}"))
    if one.findings:
        console.print(shown(sentence("draft.answer.unless", unless=one.findings[0].unless)))
    pasted = sentence("draft.part.pasted")
    parts: list[tuple[Text, Sequence[Text]]] = [
        (sentence("draft.part.queries"), [query_text(row) for row in one.queries]),
        (sentence("draft.part.relatives"), [relative_text(relative) for relative in one.alike.relatives]),
        (pasted, [passage_text(passage, _LONGEST) for passage in one.alike.pasted]),
        (sentence("draft.part.facts"), [fact.text for fact in one.proof.facts]),
        (sentence("draft.part.slips"), [slip.text for slip in one.proof.slips]),
        (sentence("draft.part.head"), [trouble.text for trouble in one.heads.troubles]),
        (sentence("draft.part.links-in"), [link_text("link-in", link) for link in one.links_in]),
        (sentence("draft.part.links-out"), [link_text("link-out", link) for link in one.links_out]),
    ]
    for heading, lines in parts:
        if lines:
            console.print()
            console.print(shown(heading, style="bold"))
            if heading is pasted:
                console.print(shown(pasted_summary(one)))
            for line in lines[:_SHOWN]:
                console.print(shown(f"- {line}"))
            if len(lines) > _SHOWN:
                console.print(shown(sentence("draft.answer.more", n=len(lines) - _SHOWN)))
    if one.heads.series is not None:
        console.print()
        console.print(shown(series_text(one)))
    if one.proof.lacking:
        console.print()
        what = sentence("lacking.spelling")
        console.print(shown(sentence("answer.no-spelling", what=what, why=one.proof.lacking)))
