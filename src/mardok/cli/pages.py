"""``mardok pages``: pages by any finding.

In:  an audit folder, and what has to hold.
Out: the pages, each with what was found.
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

import mardok
from mardok.cli.console import answer_console, new_table, print_json, records, shown
from mardok.sentences import clipped, counted, sentence

if TYPE_CHECKING:
    import pandas as pd
    from rich.table import Table

_FIGURES = ("words", "inlinks")
_SEARCH_FIGURES = ("clicks", "impressions", "position")


def pages(
    folder: Annotated[Path, typer.Argument(metavar="DIR", help="Audit folder.", show_default=False)],
    check: Annotated[str, typer.Option(help="Only pages on which this check found something, such as h1-missing.")] = "",
    copies_of: Annotated[str, typer.Option(help="Only copies of this page.")] = "",
    variants_of: Annotated[str, typer.Option(help="Only other addresses of this page.")] = "",
    thin: Annotated[bool, typer.Option("--thin", help="Only thin pages.")] = False,
    query: Annotated[str, typer.Option(help="Only pages that search shows for this query.")] = "",
    under: Annotated[
        list[str] | None, typer.Option(help="Only pages whose path begins so, or fits a pattern with *.")
    ] = None,
    top: Annotated[int, typer.Option(min=1, help="Rows to show.")] = 25,
    out: Annotated[Path | None, typer.Option("-o", "--output", help="CSV file for all rows.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print all rows as JSON.")] = False,
) -> None:
    """List pages by what was found of them; all that is asked has to hold.

    Example: mardok pages audit --check h1-missing

    Example: mardok pages audit --copies-of /violin-hire/aldbrunn/ -o copies.csv
    """
    found = mardok.find_pages(
        mardok.load(folder),
        check=check,
        copies_of=copies_of,
        variants_of=variants_of,
        thin=thin,
        query=query,
        under=tuple(under or ()),
    )
    if out is not None:
        from mardok.folder import write_rows  # only here: to print needs no tables

        write_rows(out, found)
    if as_json:
        print_json({"pages": records(found)})
        return
    console = answer_console()
    console.print(shown(sentence("answer.pages", pages=counted("page", len(found)))))
    if len(found):
        console.print(_table(found.head(top)))
    if len(found) > top:
        where = sentence("answer.all-in", path=out) if out is not None else sentence("answer.how-to-see-all")
        console.print(shown(sentence("answer.more-rows", n=len(found) - top, where=where)))


def _table(rows: pd.DataFrame) -> Table:
    has_search, has_found = bool(rows["impressions"].notna().any()), bool((rows["found"] != "").any())
    table = new_table()
    table.add_column("page", ratio=3, overflow="fold")
    for name in (*_FIGURES, *(_SEARCH_FIGURES if has_search else ())):
        table.add_column(name, justify="right")
    if has_found:
        table.add_column("found", ratio=2, overflow="fold")
    for row in records(rows):
        cells = [f"{row[name]:,}" for name in _FIGURES]
        cells += [f"{row[name]:,.1f}" if row[name] is not None else "" for name in _SEARCH_FIGURES] if has_search else []
        table.add_row(shown(row["url"]), *cells, *([shown(clipped(row["found"]))] if has_found else []))
    return table
