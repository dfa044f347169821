"""``mardok pair``: two pages side by side, word by word.

In:  an audit folder and two addresses.
Out: how much they share, and what differs.
"""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.table import Table
from rich.text import Text

import mardok
from mardok.cli.console import answer_console, print_json, shown
from mardok.deliver.side_by_side import Stretch, side_by_side
from mardok.plan.wording import count, percent


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
    found = mardok.load(folder)
    a, b = (found.pages.iloc[found.row_of(url)] for url in (url_a, url_b))
    figures = _figures(a, b)
    runs = found.difference(url_a, url_b)
    if as_json:
        shown_runs = [{"same": run.is_same, "a": " ".join(run.a), "b": " ".join(run.b)} for run in runs]
        print_json({"url_a": a["url"], "url_b": b["url"], **figures, "runs": shown_runs})
        return
    console = answer_console()
    console.print(shown(_sentence(figures)))
    table = Table(box=None, pad_edge=False, padding=(0, 2, 1, 0), expand=True)
    table.add_column(shown(a["url"]), ratio=1, overflow="fold")
    table.add_column(shown(b["url"]), ratio=1, overflow="fold")
    for row in side_by_side(runs):
        if row.n_left_out:
            same = shown(f"... {count(row.n_left_out, 'word')} the same ...", style="dim italic")
            table.add_row(same, same)
        else:
            table.add_row(_cell(row.a), _cell(row.b))
    console.print(table)


def _figures(a: Any, b: Any) -> dict[str, Any]:
    pairs = mardok.find_copies([a["main_text"], b["main_text"]], minimum=1e-9)
    exact = pairs.iloc[0].to_dict() if len(pairs) else {"resemblance": 0.0, "a_in_b": 0.0, "b_in_a": 0.0}
    return {
        "identical_file": bool(a["bytes_hash"]) and a["bytes_hash"] == b["bytes_hash"],
        "identical_text": bool(a["text_hash"]) and a["text_hash"] == b["text_hash"],
        **{name: float(exact[name]) for name in ("resemblance", "a_in_b", "b_in_a")},
        "words_a": int(a["words"]),
        "words_b": int(b["words"]),
    }


def _sentence(figures: dict[str, Any]) -> str:
    if figures["identical_file"]:
        begin = "Identical files. "
    elif figures["identical_text"]:
        begin = "Identical text. "
    else:
        begin = ""
    return (
        f"{begin}Resemblance {percent(figures['resemblance'])}; "
        f"{percent(figures['a_in_b'])} of the left page ({count(figures['words_a'], 'word')}) is in the right one, "
        f"{percent(figures['b_in_a'])} of the right page ({count(figures['words_b'], 'word')}) in the left one."
    )


def _cell(stretches: Iterable[Stretch]) -> Text:
    cell = Text()
    for stretch in stretches:
        if stretch.is_same:
            cell.append_text(shown(f"{stretch.text} "))
        else:  # reversed, since any colour of its own is unreadable on some background
            cell.append_text(shown(f"[{stretch.text}]", style="bold reverse")).append(" ")
    return cell
