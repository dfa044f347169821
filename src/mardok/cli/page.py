"""``mardok page``: one page of an audit.

In:  an audit folder and an address.
Out: what was read of the page, what counts as its text, its relatives and its steps.
"""

from __future__ import annotations

from collections import defaultdict
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console
from rich.text import Text as RichText

import mardok
from mardok.cli.console import answer_console, new_table, print_json, shown
from mardok.sentences import percent, sentence, topic_text

_VERDICTS = {"": "main", "doubt": "main, in doubt"}
"""What is said of blocks that count, by their reason; of others the reason itself is."""
_SHOWN_RELATIVES = 10
_SHOWN_LINKING = 10
_SHOWN_QUERIES = 10
_FACTS = (
    "kind", "kind_reason", "thin", "thin_reason", "status", "redirect_url", "final_url", "indexable", "reason",
    "robots", "canonical_url", "variant_of", "declared_language", "language", "title", "site_name", "description",
    "h1", "words", "own_words", "shared_words", "boilerplate_words", "copies", "inlinks", "depth", "in_sitemap",
    "link_weight", "script_words", "clicks", "clicks_before", "impressions", "main_query", "position",
    "external_links", "conversions", "sessions", "index_state",
)  # fmt: skip


def page(
    folder: Annotated[Path, typer.Argument(help="Audit folder.", show_default=False)],
    url: Annotated[str, typer.Argument(help="Address of the page.", show_default=False)],
    text: Annotated[
        bool, typer.Option("--text", help="Show each block with whether it counts as main text, and why not.")
    ] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Print as JSON.")] = False,
) -> None:
    """Show one page: facts, text, relatives, steps.

    Example: mardok page audit https://www.host.example/hire/ --text
    """
    finished = mardok.load(folder)
    sheet = finished.page(url)
    if as_json:
        print_json(sheet.as_dict())
        return
    console = answer_console()
    search = finished.meta.totals["search"]
    span = str((search or {}).get("now") or sentence("span.whole"))
    _print_facts(console, sheet)
    if text:
        _print_blocks(console, sheet.blocks, sheet.slips)
    else:
        outline = [{"level": f"H{heading['level']}", "heading": heading["text"]} for heading in sheet.outline]
        _print_table(console, "Heading outline", outline)
    facts = sheet.facts
    stated = topic_text(*(facts[name] for name in ("target_phrase", "topic_fields", "topic_uses", "topic_first_word")))
    if stated:
        console.print()
        console.print(shown("Target phrase", style="bold"))
        console.print(shown(stated))
    _print_table(console, "Phrases", sheet.phrases)
    _print_table(console, _queries_heading(sheet.queries, span), sheet.queries[:_SHOWN_QUERIES])
    _print_table(console, "Pages that link to it", sheet.linking[:_SHOWN_LINKING])
    _print_table(console, "Relatives", sheet.relatives[:_SHOWN_RELATIVES])
    parts = sheet.as_dict()
    copied = str(sentence("answer.elsewhere", share=parts["copied_share"]))
    _print_table(console, copied, parts["elsewhere"])
    _print_table(console, "Groups", sheet.groups)
    _print_table(console, "Checks", sheet.checks)
    _print_table(console, "Steps", sheet.steps)


def _queries_heading(queries: list[dict[str, Any]], span: str) -> str:
    if len(queries) <= _SHOWN_QUERIES:
        return str(sentence("answer.queries", span=span))
    return str(sentence("answer.first-queries", first=_SHOWN_QUERIES, n=len(queries), span=span))


def _print_facts(console: Console, sheet: mardok.PageSheet) -> None:
    facts = sheet.facts
    console.print(shown(facts["url"], style="bold"))
    table = new_table(show_header=False)
    table.add_column(style="dim", no_wrap=True)
    table.add_column(overflow="fold")
    for name in _FACTS:
        if facts[name] is not None and facts[name] != "":
            table.add_row(name.replace("_", " "), shown(_cell(name, facts[name])))
    for alternate in sheet.alternates:
        table.add_row(f"hreflang {alternate['hreflang']}", shown(alternate["url"]))
    console.print(table)


def _print_blocks(console: Console, blocks: list[dict[str, Any]], slips: list[dict[str, Any]]) -> None:
    console.print()
    console.print(shown("Blocks, in the order of the page", style="bold"))
    table = new_table()
    table.add_column("counts")
    table.add_column("tag", style="dim")
    table.add_column("text", overflow="fold")
    if slips:
        table.add_column("words", overflow="fold")
    of_block: dict[int, list[dict[str, Any]]] = defaultdict(list)
    for slip in slips:
        of_block[slip["block"]].append(slip)
    for block in blocks:
        verdict = _VERDICTS.get(block["reason"], block["reason"])
        table.add_row(
            shown(verdict, "" if block["main"] else "dim"),
            block["tag"],
            _marked(block, of_block[block["block"]]),
            *([shown("\n".join(map(_slip, of_block[block["block"]])))] if slips else []),
        )
    console.print(table)


def _marked(block: dict[str, Any], slips: list[dict[str, Any]]) -> RichText:
    """The text of a block with the words that are wrong marked."""
    text = shown(block["text"], "" if block["main"] else "dim")
    if len(text) == len(block["text"]):  # no sign in it is shown by another
        for slip in slips:
            text.stylize("bold underline red", slip["start"], slip["end"])
    return text


def _slip(slip: dict[str, Any]) -> str:
    return f"{slip['written']} → {slip['right']}" if slip["right"] else f"{slip['written']}: {slip['check']}"


def _print_table(console: Console, heading: str, rows: list[dict[str, Any]]) -> None:
    if not rows:
        return
    console.print()
    console.print(shown(heading, style="bold"))
    table = new_table()
    for name in rows[0]:
        table.add_column(name.replace("_", " "), overflow="fold", justify="right" if name in _NUMBERS else "left")
    for row in rows:
        table.add_row(*(shown(_cell(name, value, as_figure=True)) for name, value in row.items()))
    console.print(table)


_NUMBERS = frozenset(
    [
        "resemblance",
        "this_in_it",
        "it_in_this",
        "shared_words",
        "pages",
        "rank",
        "words",
        "other_pages",
        "uses",
        "impressions",
        "clicks",
        "clicks_before",
        "link_weight",
        "position",
        "share",
        "competing",
    ]
)


def _cell(name: str, value: Any, *, as_figure: bool = False) -> str:
    if value is None:
        return ""
    if name in ("resemblance", "this_in_it", "it_in_this", "share"):
        return percent(value)
    if name == "link_weight":
        return f"{percent(value)} of the site's"
    if name in ("position", "competing") or (name in ("clicks", "clicks_before", "impressions") and as_figure):
        return f"{value:,.1f}"
    if name in ("clicks", "clicks_before", "impressions"):
        return f"{value:,.1f} a month"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return str(value)
