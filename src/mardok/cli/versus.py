"""``mardok versus``: sites beside each other, on the same measures.

In:  audit folders, ours first.
Out: a folder with the comparison, and a table; or one line a site.
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

import mardok
from mardok.cli.console import answer_console, new_table, print_json, progress_line, records, shown
from mardok.errors import SelectionError
from mardok.sentences import listing, sentence

if TYPE_CHECKING:
    from collections.abc import Callable

    from mardok.beside.compared import ComparedSites

_LISTED = (
    ("site", False), ("day", False), ("pages", True), ("clicks", True), ("before", True), ("open", True),
    ("accepted", True), ("got worse", False),
)  # fmt: skip
"""Columns of the list, and whether they hold numbers."""
_LEAST_SITES = 2


def versus(
    folders: Annotated[list[Path], typer.Argument(help="Audit folders, ours first.", show_default=False)],
    out: Annotated[Path | None, typer.Option("-o", "--output", help="Folder to write.", show_default=False)] = None,
    without: Annotated[
        list[str] | None, typer.Option(help="A check: what the measures would be without its troubles.")
    ] = None,
    without_section: Annotated[
        list[str] | None, typer.Option(help="Beginning of a path: what they would be without these pages.")
    ] = None,
    only_list: Annotated[bool, typer.Option("--list", help="One line a site instead: date, pages, clicks, plan.")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Print the answer as JSON.")] = False,
) -> None:
    """Compare sites on the same measures, as shares of their pages.

    Example: mardok versus audit other/audit -o versus
    """
    if only_list:
        if out or without or without_section:
            raise SelectionError("--list writes no folder and leaves nothing out; give folders only")
        _print_list(folders, as_json=as_json)
        return
    if out is None:
        raise SelectionError("name the folder to write: -o DIR; or ask for one line a site: --list")
    from mardok.folder import claimed  # only here: the other commands start without tables and settings

    with claimed(out):
        with progress_line() as progress:
            result = mardok.versus(folders, without=without or (), without_section=without_section or (), progress=progress)
            progress("writing the comparison", 0)
        result.save(out)
    if as_json:
        print_json(result.as_dict())
        return
    print_versus(result, out)


def print_versus(result: ComparedSites, out: Path) -> None:
    """The answer: one row a measure, one column a site."""
    from mardok.beside.compared import chance_text, measure_name, value_text

    console = answer_console()
    for number, site in enumerate(result.sites):
        console.print(shown(sentence("versus.answer" if number else "versus.ours", name=site.name, read=site.read)))
    if result.is_adjusted:
        what = listing([*result.without, *result.without_section], most=6)
        console.print(shown(sentence("versus.without", what=what)))
    table = new_table(show_edge=False)
    table.add_column("measure", ratio=2, overflow="fold")
    for site in result.sites:
        table.add_column(shown(site.name), justify="right", overflow="fold")
    table.add_column("against ours, or where ours comes from", ratio=2, overflow="fold")
    for rows in result.by_measure():
        if rows[0]["of"] and sum(row["value"] == row["value"] for row in rows) < _LEAST_SITES:
            continue  # a kind of page that one site alone has compares with nothing; it stands in the files
        cells = []
        for row in rows:
            value = value_text(row["value"], row["unit"])
            adjusted = value_text(row["adjusted"], row["unit"])
            told = sentence("versus.adjusted", value=value, adjusted=adjusted) if adjusted else value
            cells.append(shown(told, style="" if row["comparable"] else "dim"))
        table.add_row(shown(measure_name(rows[0])), *cells, shown(_remark(rows, chance_text)))
    console.print(table)
    console.print(shown(sentence("versus.report", path=(out / "versus.html").resolve())), soft_wrap=True)


def _remark(rows: list[dict[str, Any]], about_chance: Callable[[dict[str, Any]], object]) -> str:
    """What a reader has to know of a measure, as far as one line holds it."""
    theirs = rows[1:]
    if len(theirs) == 1 and (theirs[0]["note"] or theirs[0]["chance"]):
        return str(theirs[0]["note"] or about_chance(theirs[0]))
    ours = rows[0]
    if ours["note"]:
        return str(ours["note"])
    return str(sentence("versus.remark", cause=ours["cause"], share=ours["cause_share"])) if ours["cause"] else ""


def _print_list(folders: list[Path], *, as_json: bool) -> None:
    told = mardok.overview(folders)
    if as_json:
        print_json({"sites": records(told)})
        return
    table = new_table(show_edge=False)
    for title, is_number in _LISTED:
        is_last = title == _LISTED[-1][0]
        table.add_column(title, justify="right" if is_number else "left", overflow="fold", no_wrap=not is_last)
    for row in records(told):
        clicks, before = ("" if row[name] is None else f"{row[name]:,.0f}" for name in ("clicks", "clicks_before"))
        counts = (f"{row[name]:,}" for name in ("pages", "open", "accepted"))
        pages, n_open, accepted = counts
        table.add_row(shown(row["site"]), row["day"], pages, clicks, before, n_open, accepted, shown(row["worse"]))
    answer_console().print(table)
