"""``mardok handoff``: a reviewed plan as work orders.

In:  an audit folder.
Out: a folder of files for server people, developers, editors and writers.
"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

import mardok
from mardok.cli.console import answer_console, print_json, shown
from mardok.sentences import counted

_TOLD = {
    "redirects.nginx.conf": "redirects for nginx",
    "redirects.apache.conf": "redirects for Apache, with redirects.apache.txt",
    "redirects.csv": "redirects, one a row",
    "canonicals.csv": "canonicals as link elements and headers",
    "out-of-index.csv": "noindex and retired addresses",
    "sitemap-removals.txt": "addresses to take out of the sitemap",
    "relinks.csv": "links to change",
    "addresses.txt": "all addresses of the plan, for the next crawl: mardok crawl --list",
    "audit.xlsx": "the workbook",
    "letter.md": "the letter; also as letter.html, to print, and letter.docx, to edit",
}


def handoff(
    folder: Annotated[Path, typer.Argument(help="Audit folder.", show_default=False)],
    out: Annotated[Path, typer.Option("-o", "--output", help="Folder to write.", show_default=False)],
    decisions: Annotated[
        Path | None, typer.Option(help="The edited plan (CSV or workbook); by default plan.csv in the audit folder.")
    ] = None,
    all_proposals: Annotated[
        bool, typer.Option("--all", help="Hand over what nobody rejected or put off, not only what was accepted.")
    ] = False,
    hours: Annotated[
        float | None,
        typer.Option(min=0.25, help="Hours that there are: hand over what is expected to bring most of what fits."),
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print what was written as JSON.")] = False,
) -> None:
    """Write redirect rules, canonicals, links to change, briefs, a workbook and a letter.

    Example: mardok handoff audit -o handoff
    """
    finished = mardok.load(folder)
    written = mardok.hand_off(
        finished, out, decisions=decisions or folder / "plan.csv", all_proposals=all_proposals, hours=hours
    )
    if as_json:
        print_json({"folder": str(out), "files": written.files})
        return
    console = answer_console()
    for name, what in _TOLD.items():
        console.print(shown(f"{out / name}: {what}, {_size(written.files[name])}"), soft_wrap=True)
    lists = sorted(name for name in written.files if name.startswith("tickets/"))
    console.print(shown(f"{out / 'tickets.csv'}: all tickets; for each owner {', '.join(lists)}"), soft_wrap=True)
    if written.briefs:
        stated = ", ".join(f"{n} to {action}" for action, n in written.briefs.items())
        briefs = counted("brief", sum(written.briefs.values()))
        console.print(shown(f"{out / 'briefs'}: {briefs} ({stated})"), soft_wrap=True)
    drafts = sum(name.startswith("drafts/") for name in written.files)
    if drafts:
        console.print(shown(f"{out / 'drafts'}: {counted('draft', drafts)} of merged pages"), soft_wrap=True)


def _size(n_bytes: int) -> str:
    return f"{n_bytes / 1000:,.0f} KB" if n_bytes >= 1000 else f"{n_bytes} bytes"
