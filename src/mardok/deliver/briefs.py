"""Briefs: one page of Markdown for a writer, for each page that is to be rewritten, expanded or merged.

In:  the tables of an audit, and a proposal with its steps.
Out: Markdown; what pages say is quoted as text.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import pandas as pd

from mardok.sentences import counted, hours, sentence
from mardok.text.spans import WordSpans
from mardok.vocabulary import Action, StepKind

BRIEFED = (Action.REWRITE, Action.EXPAND, Action.MERGE)
_SPECIAL = re.compile(r"([\\`*_{}\[\]<>#|~!+])")
_MOST_PAGES = 200
_MOST_PASSAGES, _MOST_QUERIES, _MOST_HEADINGS, _MOST_RELATIVES = 12, 20, 40, 5
_QUOTED = 700
"""Characters of a passage that are quoted."""


def markdown_text(text: object) -> str:
    """Text in which no sign means anything to Markdown."""
    return _SPECIAL.sub(r"\\\1", " ".join(str(text).split()))


def records(frame: pd.DataFrame) -> list[dict[str, Any]]:
    """Rows by column name."""
    return [{str(name): value for name, value in row.items()} for row in frame.to_dict("records")]


class Tables:
    """The tables of an audit, ready to be asked for single pages."""

    def __init__(self, tables: Mapping[str, pd.DataFrame]) -> None:
        self.tables = tables
        self.pages = tables["pages"]
        self.row_of = {url: row for row, url in enumerate(self.pages["url"])}

    def of(self, name: str, row: int) -> pd.DataFrame:
        """Rows of a table that belong to a page."""
        frame = self.tables[name]
        first, last = (frame["page"].searchsorted(row, side) for side in ("left", "right"))
        return frame.iloc[first:last]


def brief(proposal: Mapping[str, Any], steps: Sequence[Mapping[str, Any]], tables: Tables) -> str:
    """The brief for a proposal.

    Parameters
    ----------
    proposal : mapping
        A row of the plan.
    steps : sequence of mapping
        Its steps, in order.
    """
    about = (StepKind.REWRITE, StepKind.EXPAND, StepKind.MOVE_TEXT, StepKind.REDIRECT, StepKind.CANONICAL)
    urls = [step["url"] for step in steps if step["step"] in about and step["url"] in tables.row_of]
    lines = [
        f"# {markdown_text(proposal['summary'])}", "",
        str(sentence("brief.proposal", id=proposal["proposal"], hours=hours(proposal["effort_hours"]),
                     confidence=proposal["confidence"])), "",
        markdown_text(proposal["why"]), "", str(sentence("brief.unless", unless=markdown_text(proposal["unless"]))), "",
    ]  # fmt: skip
    if proposal["keeper"]:
        lines += [str(sentence("brief.keeper", page=f"<{proposal['keeper']}>")), ""]
    stated = list(dict.fromkeys(urls))
    for url in stated[:_MOST_PAGES]:
        lines += list(_page(url, proposal, [step for step in steps if step["url"] == url], tables))
    if len(stated) > _MOST_PAGES:
        lines += [str(sentence("brief.more-pages", n=len(stated) - _MOST_PAGES)), ""]
    moves_text = any(step["step"] == StepKind.MOVE_TEXT for step in steps)
    lines += [f"## {sentence('brief.done')}", "", *(f"- {line}" for line in _done(proposal, moves_text=moves_text)), ""]
    return "\n".join(lines)


def _page(url: str, proposal: Mapping[str, Any], steps: Sequence[Mapping[str, Any]], tables: Tables) -> Iterator[str]:
    row = tables.row_of[url]
    page = tables.pages.iloc[row]
    yield f"## {url}"
    yield ""
    for step in steps:
        if step["step"] != StepKind.LEAVE:
            yield f"- **{step['step'].replace('_', ' ')}**: {markdown_text(step['detail'])}"
    yield f"- title now: {markdown_text(page['title']) or 'none'}"
    yield f"- target phrase now: {markdown_text(page['target_phrase']) or 'none'}"
    n_words = counted("word", int(page["words"]))
    counts = n_words if pd.isna(page["own_words"]) else sentence("brief.words", words=n_words, own=page["own_words"])
    yield f"- {counts}"
    yield ""
    yield from _table(str(sentence("brief.queries")), _queries(row, tables))
    yield from _list(str(sentence("brief.headings")), _headings(row, tables))
    yield from _list(str(sentence("brief.relatives")), _relatives(url, tables))
    target = next(
        (step["target"] for step in steps if step["step"] in (StepKind.MOVE_TEXT, StepKind.REDIRECT, StepKind.CANONICAL)), ""
    )
    if proposal["action"] == Action.MERGE and target in tables.row_of:
        yield from _quotes(str(sentence("brief.keeper-lacks")), _unique(tables.row_of[target], row, tables))
    else:
        yield from _quotes(str(sentence("brief.pasted")), _pasted(row, tables))


def _queries(row: int, tables: Tables) -> list[list[str]]:
    own = tables.of("queries", row).sort_values(["impressions", "query"], ascending=[False, True]).head(_MOST_QUERIES)
    if own.empty:
        return []
    rows = [["query", "impressions", "clicks", "position"], ["---", "---:", "---:", "---:"]]
    return rows + [
        [markdown_text(query), f"{impressions:,.0f}", f"{clicks:,.1f}", f"{position:.1f}"]
        for query, impressions, clicks, position in own[["query", "impressions", "clicks", "position"]].itertuples(
            index=False, name=None
        )
    ]


def _headings(row: int, tables: Tables) -> list[str]:
    blocks = tables.of("blocks", row)
    shown = blocks[(blocks["level"] > 0) & blocks["main"]].head(_MOST_HEADINGS)
    return [
        f"H{level}: {markdown_text(text)}" for level, text in shown[["level", "text"]].itertuples(index=False, name=None)
    ]


def _relatives(url: str, tables: Tables) -> list[str]:
    pairs = tables.tables["pairs"]
    own = pairs[(pairs["url_a"] == url) | (pairs["url_b"] == url)].sort_values(
        ["resemblance", "url_a", "url_b"], ascending=[False, True, True]
    )
    return [
        str(sentence("brief.relative", page=f"<{b if a == url else a}>", share=resemblance))
        for a, b, resemblance in own[["url_a", "url_b", "resemblance"]]
        .head(_MOST_RELATIVES)
        .itertuples(index=False, name=None)
    ]


def _pasted(row: int, tables: Tables) -> list[str]:
    stretches = tables.of("passages", row)
    # A listing that shows the beginning of a page takes nothing from it: the page keeps its opening.
    stretches = stretches[~stretches["own"]].sort_values(["words", "word"], ascending=[False, True]).head(_MOST_PASSAGES)
    spans = WordSpans(str(tables.pages["main_text"][row]))
    return [
        _cut(spans.written(int(word), int(n)))
        for word, n in stretches.sort_values("word")[["word", "words"]].itertuples(index=False, name=None)
    ]


def _unique(kept: int, moved: int, tables: Tables) -> list[str]:
    """Blocks of a page that the keeper does not have word for word, in their order; what many pages carry is left out."""
    there = {_plain(line) for line in str(tables.pages["main_text"][kept]).split("\n")}
    blocks = tables.of("blocks", moved)
    there |= {_plain(text) for text in blocks.loc[blocks["reason"] == "boilerplate", "text"]}
    own = [line for line in str(tables.pages["main_text"][moved]).split("\n") if _plain(line) not in there]
    return [_cut(line) for line in own[:_MOST_PASSAGES]]


def _plain(line: str) -> str:
    return " ".join(str(line).split()).casefold()


def _cut(text: str) -> str:
    return text if len(text) <= _QUOTED else f"{text[:_QUOTED].rsplit(' ', 1)[0]} ..."


def _done(proposal: Mapping[str, Any], *, moves_text: bool) -> list[str]:
    """What can be counted when the work is done; ``mardok recheck`` counts it."""
    if proposal["action"] == Action.MERGE:
        names = ["text-moved" if moves_text else "nothing-to-write", "redirected"]
    elif proposal["action"] == Action.EXPAND:
        names = ["expanded"]
    else:
        names = ["apart", "unquoted"]
    return [str(sentence(f"brief.done-means.{name}")) for name in names]


def _table(heading: str, rows: Sequence[Sequence[str]]) -> Iterator[str]:
    if rows:
        yield f"### {heading}"
        yield ""
        yield from (f"| {' | '.join(row)} |" for row in rows)
        yield ""


def _list(heading: str, items: Sequence[str]) -> Iterator[str]:
    if items:
        yield f"### {heading}"
        yield ""
        yield from (f"- {item}" for item in items)
        yield ""


def _quotes(heading: str, texts: Sequence[str]) -> Iterator[str]:
    if texts:
        yield f"### {heading}"
        yield ""
        for text in texts:
            yield f"> {markdown_text(text)}"
            yield ""
