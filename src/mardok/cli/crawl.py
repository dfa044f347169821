"""``mardok crawl``: collect a site.

In:  start addresses, options.
Out: a WARC file, and how it went in a few lines.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from pathlib import Path
from typing import Annotated

import typer

import mardok
from mardok.cli.console import answer_console, errors, print_json, progress_line, shown
from mardok.errors import SourceError
from mardok.sentences import counted, sentence
from mardok.vocabulary import SkipReason


def crawl(
    starts: Annotated[list[str] | None, typer.Argument(help="Start addresses.", show_default=False)] = None,
    out: Annotated[Path, typer.Option("-o", "--output", help="WARC file to write, or to go on with: NAME.warc.gz.")] = Path(
        "site.warc.gz"
    ),
    list_: Annotated[Path | None, typer.Option("--list", help="File of addresses to fetch, one a line.")] = None,
    images: Annotated[bool, typer.Option("--images", help="Ask for images too (HEAD), to find broken ones.")] = False,
    render: Annotated[bool, typer.Option("--render", help="Open pages in Chromium too, for what scripts add.")] = False,
    credentials: Annotated[
        str | None, typer.Option(help="File, or env:NAME, with user:password or headers, one Name: value a line.")
    ] = None,
    settings: Annotated[Path | None, typer.Option(help="Settings file (TOML).")] = None,
    set_: Annotated[list[str] | None, typer.Option("--set", help="One setting, such as crawl.max_pages=500.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print the summary as JSON.")] = False,
) -> None:
    """Collect a site politely; the same command goes on with a crawl that was broken off.

    Example: mardok crawl https://www.host.example/ -o site.warc.gz --set crawl.max_pages=500
    """
    asked = [f"crawl.{name}=true" for name, is_on in (("images", images), ("render", render)) if is_on]
    chosen = mardok.read_settings(settings, [*(set_ or []), *asked])
    with progress_line() as progress:
        summary = mardok.crawl(
            *(starts or []), out=out, listed=read_list(list_), settings=chosen, credentials=credentials, progress=progress
        )
    if as_json:
        print_json({**dataclasses.asdict(summary), "ending": summary.ending._asdict(), "hints": summary.hints})
    else:
        answer_console().print(shown(summary_text(summary)), soft_wrap=True)
    tell_hints(summary)


def read_list(path: Path | None) -> list[str]:
    """Addresses of a file, one a line; empty lines and lines that begin with ``#`` are passed over."""
    if path is None:
        return []
    try:
        lines = [line.strip() for line in path.read_text("utf-8-sig").splitlines()]
    except (OSError, UnicodeDecodeError) as error:
        raise SourceError(f"{path}: cannot be read as a list of addresses") from error
    return [line for line in lines if line and not line.startswith("#")]


def summary_text(summary: mardok.CrawlSummary) -> str:
    """How a crawl went, in a few lines."""
    pages, requests = counted("page-of-html", summary.n_html), counted("request", summary.n_fetched)
    if summary.n_before:
        lines = [str(sentence("answer.crawled-on", pages=pages, requests=requests, before=summary.n_before))]
    else:
        lines = [str(sentence("answer.crawled", pages=pages, requests=requests))]
    refused = summary.skipped.get(SkipReason.ROBOTS, 0)
    for what, counts in (
        ("Answers", {f"status {status}": n for status, n in sorted(summary.statuses.items())}),
        ("Images", {f"status {status}" if status else "no answer": n for status, n in sorted(summary.images.items())}),
        ("Refused", dict([("by robots.txt", refused)] if refused else [])),
        ("Skipped", {reason: n for reason, n in sorted(summary.skipped.items()) if reason != SkipReason.ROBOTS}),
        ("Failed", dict(sorted(summary.failures.items()))),
    ):
        if counts:
            lines.append(f"{what}: {_counts(counts)}.")
    lines.append(f"Crawl: {summary.path.resolve()}, {summary.ending}.")
    return "\n".join(lines)


def _counts(counts: Mapping[str, int]) -> str:
    return ", ".join(f"{what} ({n:,})" for what, n in counts.items())


def tell_hints(summary: mardok.CrawlSummary) -> None:
    """Say on standard error what a person should know before believing the crawl."""
    for hint in summary.hints:
        errors.print(shown(f"mardok: {hint}"))
