"""``mardok phrases``: the wording of a page, a section or the site.

In:  an audit folder, which pages are asked about, and perhaps wordings of one thing.
Out: the phrases those pages use; what is pasted; who mentions the thing; or which mentions could become links.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer
from rich.console import Console
from rich.text import Text

import mardok
from mardok.cli.console import answer_console, errors, new_table, print_json, records, shown
from mardok.errors import SelectionError
from mardok.sentences import clipped, counted, listing, path_of, percent, quoted, sentence

if TYPE_CHECKING:
    import pandas as pd

_SIZES = re.compile(r"(\d+)(?:-(\d+))?")


def phrases(
    audit: Annotated[Path, typer.Argument(metavar="DIR", help="Audit folder.", show_default=False)],
    text: Annotated[
        list[str] | None,
        typer.Argument(help='Wordings of one thing, such as "violin rental" "rent a violin".', show_default=False),
    ] = None,
    under: Annotated[
        list[str] | None, typer.Option(help="Only pages whose path begins so, or fits a pattern with *.")
    ] = None,
    language: Annotated[str, typer.Option(help="Only pages in this language (ISO 639-1).")] = "",
    kind: Annotated[str, typer.Option(help="Only pages of this kind.")] = "",
    page: Annotated[list[str] | None, typer.Option(help="Only this page.")] = None,
    pages: Annotated[Path | None, typer.Option(help="Only the pages in this file, one address a line.")] = None,
    words: Annotated[str, typer.Option(help="Words of a phrase, such as 3 or 2-4.")] = "",
    by: Annotated[str, typer.Option(help="Order: typical, pages or uses.")] = "",
    with_: Annotated[str, typer.Option("--with", help="Only phrases with these words.")] = "",
    exact: Annotated[bool, typer.Option("--exact", help="Mentions in these very words, no inflected forms.")] = False,
    passages: Annotated[
        bool, typer.Option("--passages", help="Text of eight words or more that stands on other pages too.")
    ] = False,
    link_to: Annotated[str, typer.Option(help="Only mentions that could become a link to this page, one row a page.")] = "",
    top: Annotated[int, typer.Option(min=1, help="Rows to show.")] = 25,
    out: Annotated[Path | None, typer.Option("-o", "--output", help="CSV file for all rows.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print all rows as JSON.")] = False,
) -> None:
    """Show the phrases of the site, a section or a page; or who mentions something.

    Example: mardok phrases audit --under /blog/

    Example: mardok phrases audit "violin hire" "hire a violin" --link-to https://www.host.example/hire/
    """
    finished = mardok.load(audit)
    selection = mardok.Selection(tuple(under or ()), language, kind, (*(page or ()), *_addresses(pages)))
    wordings = text or []
    if passages:
        if wordings or link_to:
            raise SelectionError("--passages: lists what is pasted, whatever it says; leave out TEXT and --link-to")
        rows = mardok.passages(finished, selection)
        answer = _Answer("passages", _told_passages(rows), rows)
    elif link_to:
        if not wordings:
            raise SelectionError(
                "--link-to: say what is mentioned, for example: mardok phrases DIR 'violin hire' --link-to URL"
            )
        _warn_of_target(finished, link_to)
        rows = mardok.missing_links(finished, wordings, link_to, selection, exact=exact)
        stated = _told_links(rows, link_to)
        if rows.empty and mardok.mentions(finished, wordings, selection, exact=exact).empty:
            stated = _nobody(finished, wordings)
        answer = _Answer("links", stated, rows)
    elif wordings:
        rows = mardok.mentions(finished, wordings, selection, exact=exact)
        answer = _Answer("mentions", _told_mentions(finished, rows, wordings), rows)
    else:
        rows = mardok.phrases(finished, selection, sizes=_sizes(words), containing=with_, order=by)
        from mardok.questions import selected_rows  # only here: stemmers take longer to import than others to answer

        n_pages = len(selected_rows(finished, selection))
        answered = sentence("answer.phrases", phrases=counted("phrase", len(rows)), pages=counted("page", n_pages))
        answer = _Answer("phrases", str(answered), rows)
    answer.give(out, top, as_json=as_json)


def _addresses(path: Path | None) -> list[str]:
    if path is None:
        return []
    try:
        lines = path.read_text("utf-8-sig").splitlines()
    except (OSError, UnicodeDecodeError) as error:
        raise SelectionError(f"{path}: cannot be read as a text file of addresses: {error}") from error
    result = [line.strip() for line in lines if line.strip() and not line.startswith("#")]
    if not result:
        raise SelectionError(f"{path}: holds no address; write one a line")
    return result


def _sizes(words: str) -> tuple[int, int] | None:
    if not words:
        return None
    match = _SIZES.fullmatch(words.strip())
    if match is None:
        raise SelectionError(f"--words {words}: expected a number such as 3, or two such as 2-4")
    return int(match[1]), int(match[2] or match[1])


def _warn_of_target(finished: mardok.Audit, url: str) -> None:
    target = finished.tables.row("pages", finished.row_of(url), ("url", "final_url", "indexable", "reason"))
    if target["final_url"] != target["url"]:
        warning = sentence("answer.target-moved", url=target["url"], end=target["final_url"])
        errors.print(shown(f"mardok: {warning}"))
    elif not target["indexable"]:
        warning = sentence("answer.target-not-indexable", url=target["url"], reason=target["reason"])
        errors.print(shown(f"mardok: {warning}"))


def _told_passages(rows: pd.DataFrame) -> str:
    return str(sentence("answer.passages", passages=counted("passage", len(rows)), n=int(rows["boilerplate"].sum())))


def _told_links(rows: pd.DataFrame, link_to: str) -> str:
    return str(sentence("answer.links", pages=counted("page-mentions", len(rows)), url=link_to))


def _told_mentions(finished: mardok.Audit, rows: pd.DataFrame, wordings: Sequence[str]) -> str:
    if rows.empty:
        return _nobody(finished, wordings)
    in_links = int((rows["link_url"] != "").sum())
    headings = int(((rows["place"] == "heading") & (rows["link_url"] == "")).sum())
    stated = sentence(
        "answer.mentions",
        mentions=counted("mention", len(rows)),
        asked=_asked(wordings),
        pages=counted("page", rows["url"].nunique()),
        in_links=in_links,
        headings=headings,
        n_text=len(rows) - in_links - headings,
    )
    return str(stated)


def _asked(wordings: Sequence[str]) -> str:
    return str(listing(map(quoted, wordings), most=4))


def _nobody(finished: mardok.Audit, wordings: Sequence[str]) -> str:
    from mardok.questions import near_phrases  # only here: stemmers take longer to import than others to answer

    near = dict.fromkeys(near for wording in wordings for near in near_phrases(finished, wording))
    if not near:
        return str(sentence("answer.nobody", asked=_asked(wordings)))
    return str(sentence("answer.nobody-near", asked=_asked(wordings), near=_asked(list(near))))


class _Answer:
    """What is to be said, and the rows behind it."""

    def __init__(self, what: str, stated: str, rows: pd.DataFrame) -> None:
        self.what, self.stated, self.rows = what, stated, rows

    def give(self, out: Path | None, top: int, *, as_json: bool) -> None:
        if out is not None:
            from mardok.folder import write_rows  # only here: to print needs no tables

            write_rows(out, self.rows)
        if as_json:
            print_json({"answer": self.stated, self.what: records(self.rows)})
            return
        console = answer_console()
        console.print(shown(self.stated))
        if len(self.rows):
            console.print()
            self._print(console, self.rows.head(top))
        if len(self.rows) > top:
            where = sentence("answer.all-in", path=out) if out is not None else sentence("answer.how-to-see-all")
            console.print(shown(sentence("answer.more-rows", n=len(self.rows) - top, where=where)))

    def _print(self, console: Console, rows: pd.DataFrame) -> None:
        table = new_table()
        if self.what == "phrases":
            has_rest = bool(self.rows["typical"].any())
            table.add_column("phrase", ratio=1, overflow="fold")
            for name in ("pages", "uses", "pasted", *(["typical"] if has_rest else [])):
                table.add_column(name, justify="right")
            for row in records(rows):
                figures = [f"{row[name]:,}" for name in ("pages", "uses", "boilerplate_uses")]
                figures += [f"{row['typical']:.1f}"] if has_rest else []
                table.add_row(shown(row["phrase"]), *figures)
        elif self.what == "passages":
            for name in ("words", "pages", "pasted words"):
                table.add_column(name, justify="right")
            table.add_column("boilerplate")
            table.add_column("text and a page with it", ratio=1, overflow="fold")
            for row in records(rows):
                stated = Text.assemble(shown(clipped(row["text"])), "\n", shown(row["example_url"], "dim"))
                figures = [f"{row[name]:,}" for name in ("words", "pages", "pasted_words")]
                table.add_row(*figures, "yes" if row["boilerplate"] else "no", stated)
        elif self.what == "links":
            table.add_column("mentions", justify="right")
            table.add_column("link passes", justify="right")
            table.add_column("page and sentence", ratio=1, overflow="fold")
            table.add_column("words to link", overflow="fold")
            for row in records(rows):
                stated = Text.assemble(shown(row["url"], "bold"), "\n", shown(row["sentence"]))
                table.add_row(str(row["mentions"]), percent(row["link_weight"]), stated, shown(row["anchor"]))
        else:
            table.add_column("page and sentence", ratio=1, overflow="fold")
            table.add_column("where", overflow="fold")
            for url, own in rows.groupby("url", sort=False):
                table.add_row(shown(url, "bold"), shown(counted("use", len(own)), "dim"))
                for row in records(own):
                    where = f"link to {path_of(row['link_url'])}" if row["link_url"] else row["place"]
                    table.add_row(shown(f"  {row['sentence']}"), shown(where))
        console.print(table)
