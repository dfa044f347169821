"""``mardok pair``: two pages side by side, word by word.

In:  an audit folder and two addresses.
Out: how much they share, and what differs.
"""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer
from rich.text import Text

import mardok
from mardok.cli.console import answer_console, new_table, print_json, shown
from mardok.sentences import counted

if TYPE_CHECKING:
    from mardok.deliver.side_by_side import Stretch


def pair(
    folder: Annotated[Path, typer.Argument(help="Audit folder.", show_default=False)],
    url_a: Annotated[str, typer.Argument(help="Address of one page.", show_default=False)],
    url_b: Annotated[str, typer.Argument(help="Address of the other.", show_default=False)],
    as_json: Annotated[bool, typer.Option("--json", help="Print as JSON.")] = False,
) -> None:
    """Show two pages side by side, word by word.

    Words in [brackets] differ; what both pages have in common is shortened.

    Example: mardok pair audit https://www.host.example/a https://www.host.example/b
    """
    from mardok.deliver.side_by_side import side_by_side  # only here: the other commands start without word lists

    finished = mardok.load(folder)
    both = finished.pair(url_a, url_b)
    if as_json:
        runs = [{"same": run.is_same, "a": " ".join(run.a), "b": " ".join(run.b)} for run in both.runs]
        print_json({**vars(both), "runs": runs})
        return
    console = answer_console()
    console.print(shown(both.sentence))
    table = new_table(padding=(0, 2, 1, 0), expand=True)
    table.add_column(shown(both.url_a), ratio=1, overflow="fold")
    table.add_column(shown(both.url_b), ratio=1, overflow="fold")
    for row in side_by_side(both.runs):
        if row.n_left_out:
            same = shown(f"... {counted('word', row.n_left_out)} the same ...", style="dim italic")
            table.add_row(same, same)
        else:
            table.add_row(_cell(row.a), _cell(row.b))
    console.print(table)


def _cell(stretches: Iterable[Stretch]) -> Text:
    cell = Text()
    for stretch in stretches:
        if stretch.is_same:
            cell.append_text(shown(f"{stretch.text} "))
        else:  # reversed, since any colour of its own is unreadable on some background
            cell.append_text(shown(f"[{stretch.text}]", style="bold reverse")).append(" ")
    return cell
