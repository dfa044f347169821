"""``mardok page``: one page of an audit.

In:  an audit folder and an address.
Out: what was read of the page, what counts as its text, its relatives and its steps.
"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import pandas as pd
import typer
from rich.console import Console
from rich.table import Table

import mardok
from mardok.cli.console import answer_console, print_json, records, shown
from mardok.findings.elsewhere import Elsewhere, Stretch
from mardok.plan.wording import FIRST_WORDS, clipped, percent, topic_told

_VERDICTS = {"": "main", "doubt": "main, in doubt"}
"""What is said of blocks that count, by their reason; of others the reason itself is."""
_SHOWN_RELATIVES = 10
_SHOWN_QUERIES = 10
_FACTS = (
    "kind", "kind_reason", "thin", "thin_reason", "status", "redirect_url", "final_url", "indexable", "reason", "robots",
    "canonical_url", "declared_language", "language", "title", "site_name", "description", "h1", "words", "own_words",
    "shared_words", "boilerplate_words", "copies", "inlinks", "depth", "in_sitemap", "link_weight", "script_words", "clicks",
    "clicks_before", "impressions", "external_links", "conversions", "sessions", "index_state",
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
    found = mardok.load(folder)
    row = found.row_of(url)
    facts = found.pages.iloc[row]
    elsewhere = Elsewhere(found.pages, found.tables["passages"])
    parts: dict[str, Any] = {
        "page": records(found.pages.iloc[[row]])[0],
        "blocks": records(_of_page(found, "blocks", row)),
        "alternates": records(_of_page(found, "alternates", row).drop(columns=["target_page"])),
        "topic": _topic(facts),
        "phrases": records(_of_page(found, "page_phrases", row).drop(columns=["place"])),
        "queries": _queries(found, row),
        "relatives": _relatives(found, facts["url"]),
        "copied_share": float(elsewhere.shares()[row]),
        "elsewhere": [_stretch(found, stretch) for stretch in elsewhere.stretches(row)],
        "groups": records(_groups(found, facts["url"])),
        "checks": records(found.checks[found.checks["url"] == facts["url"]].drop(columns=["url"])),
        "steps": records(_steps(found, facts["url"])),
    }
    if as_json:
        print_json(parts)
        return
    console = answer_console()
    _print_facts(console, parts)
    if text:
        _print_blocks(console, parts["blocks"])
    else:
        _print_table(console, "Heading outline", _outline(parts["blocks"]))
    told = topic_told(*facts[["topic", "topic_fields", "topic_uses", "topic_first_word", "words"]])
    if told:
        console.print()
        console.print(shown("Target phrase", style="bold"))
        console.print(shown(told))
    _print_table(console, "Phrases", parts["phrases"])
    _print_table(console, _queries_heading(parts["queries"]), parts["queries"][:_SHOWN_QUERIES])
    _print_table(console, "Relatives", parts["relatives"][:_SHOWN_RELATIVES])
    copied = f"Text that stands elsewhere too: {percent(parts['copied_share'])} of the words"
    _print_table(console, copied, parts["elsewhere"])
    _print_table(console, "Groups", parts["groups"])
    _print_table(console, "Checks", parts["checks"])
    _print_table(console, "Steps", parts["steps"])


def _of_page(found: mardok.Audit, table: str, row: int) -> pd.DataFrame:
    frame = found.tables[table]
    return frame[frame["page"] == row].drop(columns=["page"])


def _topic(facts: pd.Series) -> dict[str, Any]:
    """The target phrase and where it stands."""
    if not facts["topic"]:
        return {}
    first = facts["topic_first_word"]
    return {
        "phrase": facts["topic"],
        "said_by": facts["topic_fields"].split(", ") if facts["topic_fields"] else [],
        "in_first_words": bool(pd.notna(first) and first < FIRST_WORDS),
        "uses": int(facts["topic_uses"]),
        "uses_per_1000_words": round(1000 * int(facts["topic_uses"]) / max(int(facts["words"]), 1), 1),
    }


def _queries(found: mardok.Audit, row: int) -> list[dict[str, Any]]:
    """Queries that show the page, the most impressions first."""
    own = _of_page(found, "queries", row).sort_values(["impressions", "query"], ascending=[False, True])
    return records(own[["query", "impressions", "clicks", "position", "share", "competing"]])


def _queries_heading(queries: list[dict[str, Any]]) -> str:
    more = f", the first {_SHOWN_QUERIES} of {len(queries)}" if len(queries) > _SHOWN_QUERIES else ""
    return f"Queries that show it, figures a month{more}"


def _relatives(found: mardok.Audit, url: str) -> list[dict[str, Any]]:
    """Kept pairs with the page in them, the nearest first."""
    pairs = found.pairs
    own = records(pairs[(pairs["url_a"] == url) | (pairs["url_b"] == url)])
    turned = [
        {
            "resemblance": pair["resemblance"],
            "this_in_it": pair["a_in_b"] if pair["url_a"] == url else pair["b_in_a"],
            "it_in_this": pair["b_in_a"] if pair["url_a"] == url else pair["a_in_b"],
            "shared_words": pair["shared_words"],
            "url": pair["url_b"] if pair["url_a"] == url else pair["url_a"],
        }
        for pair in own
    ]
    return sorted(turned, key=lambda relative: (-relative["resemblance"], relative["url"]))


def _stretch(found: mardok.Audit, stretch: Stretch) -> dict[str, Any]:
    return {
        "words": stretch.words,
        "boilerplate": stretch.is_boilerplate,
        "other_pages": stretch.other_pages,
        "for_example": found.pages["url"][stretch.example] if stretch.example >= 0 else "",
        "text": clipped(stretch.text),
    }


def _groups(found: mardok.Audit, url: str) -> pd.DataFrame:
    groups = found.groups
    own = groups[groups["url"] == url]
    keepers = groups[groups["role"] == "keeper"].set_index("group")["url"]
    told = own.assign(pages=own["group"].map(groups["group"].value_counts()), keeper=own["group"].map(keepers))
    return told[["kind", "role", "pages", "evidence", "confidence", "keeper"]]


def _steps(found: mardok.Audit, url: str) -> pd.DataFrame:
    steps = found.steps[found.steps["url"] == url]
    ranks = found.plan.set_index("proposal")["rank"]
    told = steps.assign(rank=steps["proposal"].map(ranks)).sort_values(["rank", "order"])
    return told[["rank", "proposal", "step", "target", "detail"]]


def _outline(blocks: list[dict[str, Any]]) -> list[dict[str, Any]]:
    return [
        {"level": f"H{block['level']}", "heading": block["text"]} for block in blocks if block["level"] and block["main"]
    ]


def _print_facts(console: Console, parts: dict[str, Any]) -> None:
    facts = parts["page"]
    console.print(shown(facts["url"], style="bold"))
    table = Table(box=None, show_header=False, pad_edge=False, padding=(0, 2, 0, 0))
    table.add_column(style="dim", no_wrap=True)
    table.add_column(overflow="fold")
    for name in _FACTS:
        if facts[name] is not None and facts[name] != "":
            table.add_row(name.replace("_", " "), shown(_cell(name, facts[name])))
    for alternate in parts["alternates"]:
        table.add_row(f"hreflang {alternate['hreflang']}", shown(alternate["url"]))
    console.print(table)


def _print_blocks(console: Console, blocks: list[dict[str, Any]]) -> None:
    console.print()
    console.print(shown("Blocks, in the order of the page", style="bold"))
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0))
    table.add_column("counts")
    table.add_column("tag", style="dim")
    table.add_column("text", overflow="fold")
    for block in blocks:
        verdict = _VERDICTS.get(block["reason"], block["reason"])
        table.add_row(
            shown(verdict, "" if block["main"] else "dim"),
            block["tag"],
            shown(block["text"], "" if block["main"] else "dim"),
        )
    console.print(table)


def _print_table(console: Console, heading: str, rows: list[dict[str, Any]]) -> None:
    if not rows:
        return
    console.print()
    console.print(shown(heading, style="bold"))
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0))
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
    if name in ("position", "competing") or (name in ("clicks", "impressions") and as_figure):
        return f"{value:,.1f}"
    if name in ("clicks", "clicks_before", "impressions"):
        return f"{value:,.1f} a month"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return str(value)
