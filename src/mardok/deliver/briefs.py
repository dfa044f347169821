"""Briefs: Markdown for a writer, for each proposal whose pages are to be rewritten, expanded or merged.

In:  the tables of an audit, and a proposal with its steps.
Out: the brief, and for merges a draft of the merged page; what pages say is quoted as text.
"""

from __future__ import annotations

import json
import re
from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from itertools import takewhile
from typing import Any

import numpy as np
import pandas as pd

from mardok.compare.contradictions import Contradiction, contradictions, sentences_of
from mardok.deliver.lacking import MovedText, lacking_blocks, plain_line, teased_words
from mardok.sentences import clipped, counted, hours, listing, path_of, sentence
from mardok.store import TableStore
from mardok.tables import TABLES
from mardok.text.spans import WordSpans
from mardok.text.stems import plain_words, stems
from mardok.text.words import words
from mardok.visible import visible
from mardok.vocabulary import Action, StepKind

BRIEFED = (Action.REWRITE, Action.EXPAND, Action.MERGE)
_OF_PAGE = ("title", "h1", "main_text", "words", "own_words", "target_phrase", "language", "redirect_url")
_ROWS_OF_PAGE: Mapping[str, Sequence[str]] = {
    "blocks": ("page", "level", "text", "main", "reason"),
    "queries": ("page", "query", "brand", "impressions", "clicks", "position"),
    "passages": ("page", "word", "words", "own"),
    "teasers": ("page", "word", "words"),
}
"""Tables that have rows of a page, with the columns that are asked for."""
_SPECIAL = re.compile(r"([\\`*_{}\[\]<>#|~!]|^[-+](?=\s))")
_MOST_PAGES = 200
_ABOUT = (StepKind.REWRITE, StepKind.EXPAND, StepKind.MOVE_TEXT, StepKind.REDIRECT, StepKind.CANONICAL)
"""Steps to pages that a brief tells of."""
_MOVING = (StepKind.REDIRECT, StepKind.CANONICAL)
_LEAST_COMMON = 2
"""Words, function words apart, that a passage has in common with the block that it is put behind."""
_MOST_COMPARED, _MOST_FACTS = 6, 12
"""Pages whose facts are compared, and facts that are told."""
_MOST_PASSAGES, _MOST_QUERIES, _MOST_HEADINGS, _MOST_RELATIVES = 12, 20, 40, 5
_QUOTED = 700
"""Characters of a passage that are quoted."""


def markdown_text(text: object) -> str:
    """Text in which no sign means anything to Markdown."""
    return _SPECIAL.sub(r"\\\1", " ".join(visible(str(text)).split()))


def records(frame: pd.DataFrame) -> list[dict[str, Any]]:
    """Rows by column name."""
    return [{str(name): value for name, value in row.items()} for row in frame.to_dict("records")]


class Tables:
    """What the tables of an audit hold of some pages.

    Parameters
    ----------
    urls : collection of str
        Addresses of these pages; others are left out.
    """

    def __init__(self, tables: TableStore, urls: Collection[str]) -> None:
        self.pairs = tables["pairs"]
        known = {url: row for row, url in enumerate(tables.column("pages", "url").tolist())}
        self.row_of = {url: known[url] for url in urls if url in known}
        rows = np.unique(np.array([*self.row_of.values()], np.int64))
        cells = zip(*tables.rows("pages", rows, _OF_PAGE).values(), strict=True)
        self.pages = {
            row: dict(zip(_OF_PAGE, values, strict=True)) for row, values in zip(rows.tolist(), cells, strict=True)
        }
        self._rows = {
            name: TABLES[name].part(tables.of_pages(name, rows, names), names) for name, names in _ROWS_OF_PAGE.items()
        }
        others = tables.frame("pages", ["url", "variant_of"])
        self.variants = frozenset(others.loc[others["variant_of"] != "", "url"])

    def leads_on(self, url: str) -> bool:
        """Whether an address redirects already, so that nothing of its own is to be read there."""
        page = self.pages[self.row_of[url]]
        return bool(page["redirect_url"]) or not page["words"]

    def of(self, name: str, row: int) -> pd.DataFrame:
        """Rows of a table that belong to a page."""
        frame = self._rows[name]
        first, last = (frame["page"].searchsorted(row, side) for side in ("left", "right"))
        return frame.iloc[first:last]


def urls_of(plan: pd.DataFrame, steps: Iterable[pd.DataFrame]) -> set[str]:
    """Addresses of all pages that briefs for some proposals may speak of.

    Parameters
    ----------
    plan : DataFrame
        The proposals.
    steps : iterable of DataFrame
        Their steps.
    """
    result = set(plan["keeper"])
    for own in steps:
        result |= {*own["url"], *own["target"]}
    for basis in plan["basis"]:
        result |= json.loads(basis).get("impressions_by_name", {}).keys()
    return result


def brief(proposal: Mapping[str, Any], steps: Sequence[Mapping[str, Any]], tables: Tables, draft_file: str = "") -> str:
    """The brief for a proposal.

    Parameters
    ----------
    proposal : mapping
        A row of the plan.
    steps : sequence of mapping
        Its steps, in order.
    draft_file : str, optional
        File with a draft of the merged page, where there is one.
    """
    worked = [step for step in steps if step["step"] in _ABOUT and step["url"] in tables.row_of]
    urls = list(dict.fromkeys(step["url"] for step in worked))
    # An address that redirects already has no text to quote: it is named, and that is all.
    leads_on = [url for url in urls if tables.leads_on(url)]
    stated = [url for url in urls if not tables.leads_on(url)]
    compared, facts = _facts(proposal, stated, tables)
    lacking = _lacking(proposal, steps, facts, tables)
    lines = [
        f"# {markdown_text(proposal['summary'])}", "",
        str(sentence("brief.proposal", id=proposal["proposal"], hours=hours(proposal["effort_hours"]),
                     confidence=proposal["confidence"])), "",
        markdown_text(proposal["why"]), "",
        str(sentence("brief.unless", unless=markdown_text(proposal["unless"]))), "",
    ]  # fmt: skip
    if proposal["keeper"]:
        key = "brief.keeper" if proposal["action"] == Action.MERGE else "brief.compare"
        lines += [str(sentence(key, page=f"<{proposal['keeper']}>")), ""] if stated != [proposal["keeper"]] else []
    if leads_on:
        pages = listing([f"<{url}>" for url in leads_on], most=_MOST_PAGES)
        lines += [str(sentence("brief.also", n=len(leads_on), pages=pages)), ""]
    if draft_file:
        lines += [str(sentence("brief.draft", file=f"`{draft_file}`")), ""]
    lines += _table(str(sentence("brief.facts")), _fact_rows(compared, facts))
    for url in stated[:_MOST_PAGES]:
        lines += list(_page(url, proposal, [step for step in steps if step["url"] == url], lacking, tables))
    if len(stated) > _MOST_PAGES:
        lines += [str(sentence("brief.more-pages", n=len(stated) - _MOST_PAGES)), ""]
    done = _done(proposal, moves_text=any(lacking.values()), has_facts=bool(facts))
    lines += [f"## {sentence('brief.done')}", "", *(f"- {line}" for line in done), ""]
    return "\n".join(lines)


def merged_draft(steps: Sequence[Mapping[str, Any]], tables: Tables) -> str:
    """A draft of the page that several become: the keeper's text in its outline, with what only the others say in its place.

    A passage of another page follows the block that it follows there, as far as the keeper has that block; else the block
    that has most words in common with it, function words apart; where none has, the passage before it, or the end.

    Parameters
    ----------
    steps : sequence of mapping
        Steps of the proposal, in order.

    Returns
    -------
    str
        Markdown; ``""`` where no text moves.
    """
    moving = [(step["url"], step["target"]) for step in steps if step["step"] == StepKind.MOVE_TEXT]
    if not moving or moving[0][1] not in tables.row_of:
        return ""
    kept = moving[0][1]
    blocks = _main_blocks(tables.row_of[kept], tables)
    language = str(tables.pages[tables.row_of[kept]]["language"])
    place_of = {plain_line(text): place for place, (_, text) in enumerate(blocks)}
    after: dict[int, list[tuple[str, str]]] = defaultdict(list)
    for url in dict.fromkeys(url for url, _ in moving if url in tables.row_of):
        unique = {plain_line(text) for text in _unique(tables.row_of[kept], tables.row_of[url], tables)}
        place = len(blocks)
        for level, text in _main_blocks(tables.row_of[url], tables):
            if plain_line(text) in place_of:
                place = place_of[plain_line(text)]
            elif plain_line(text) in unique and not level:
                place = _nearest_block(text, blocks, language, place)
                after[place].append((url, text))
    lines = [f"# {sentence('draft.title', page=markdown_text(kept))}", "", str(sentence("draft.note")), ""]
    for place, (level, text) in enumerate(blocks):
        lines += [f"{'#' * (level + 1)} {markdown_text(text)}" if level else markdown_text(text), ""]
        lines += _moved(after.get(place, ()))
    if after.get(len(blocks)):
        lines += [f"## {sentence('draft.rest')}", "", *_moved(after[len(blocks)])]
    return "\n".join(lines)


def _nearest_block(text: str, blocks: Sequence[tuple[int, str]], language: str, else_there: int) -> int:
    """The block that has most words in common with a passage, function words and endings apart."""
    said = _stems(text, language)
    common = [0 if level else len(said & _stems(block, language)) for level, block in blocks]
    best = max(common, default=0)
    return common.index(best) if best >= _LEAST_COMMON else else_there


def _stems(text: str, language: str) -> set[str]:
    return set(stems([word for word in words(text) if word not in plain_words(language)], language))


def _moved(passages: Iterable[tuple[str, str]]) -> list[str]:
    return [
        line
        for url, text in passages
        for line in (f"> **{sentence('draft.from', page=f'<{url}>')}** {markdown_text(text)}", "")
    ]


def _main_blocks(row: int, tables: Tables) -> list[tuple[int, str]]:
    """Level (0 of no heading) and text of each block of a page's main text."""
    blocks = tables.of("blocks", row)
    shown = blocks[blocks["main"]]
    return [(int(level), str(text)) for level, text in shown[["level", "text"]].itertuples(index=False, name=None)]


def _facts(proposal: Mapping[str, Any], urls: Sequence[str], tables: Tables) -> tuple[list[str], list[Contradiction]]:
    """The pages of a merge, the one that stays first, and sentences that they end with different figures."""
    if proposal["action"] != Action.MERGE or proposal["keeper"] not in tables.row_of:
        return [], []
    pages = list(dict.fromkeys([proposal["keeper"], *urls]))[:_MOST_COMPARED]
    rows = [tables.row_of[url] for url in pages]
    texts = [str(tables.pages[row]["main_text"]) for row in rows]
    return pages, contradictions(texts, str(tables.pages[rows[0]]["language"]))


def _fact_rows(pages: Sequence[str], facts: Sequence[Contradiction]) -> list[list[str]]:
    if not facts:
        return []
    header = [str(sentence("brief.fact")), *(markdown_text(path_of(url)) for url in pages)]
    shown = [[markdown_text(clipped(one.text)), *map(markdown_text, one.values)] for one in facts[:_MOST_FACTS]]
    return [header, ["---"] * len(header), *shown]


def _lacking(
    proposal: Mapping[str, Any], steps: Sequence[Mapping[str, Any]], facts: Sequence[Contradiction], tables: Tables
) -> dict[str, list[str]]:
    """For each page of a merge the blocks with a sentence that the keeper lacks, without what the facts tell."""
    if proposal["action"] != Action.MERGE:
        return {}
    told = {plain_line(one) for fact in facts for one in fact.sentences}
    result = {}
    for step in steps:
        url, target = step["url"], step["target"]
        if step["step"] in _MOVING and url in tables.row_of and target in tables.row_of:
            own = _unique(tables.row_of[target], tables.row_of[url], tables)
            keeper = tables.pages[tables.row_of[target]]
            there = told | {plain_line(one) for one in sentences_of(str(keeper["main_text"]))}
            result[url] = [text for text in own if any(plain_line(one) not in there for one in sentences_of(text))]
    return result


def _page(
    url: str,
    proposal: Mapping[str, Any],
    steps: Sequence[Mapping[str, Any]],
    lacking: Mapping[str, Sequence[str]],
    tables: Tables,
) -> Iterator[str]:
    row = tables.row_of[url]
    page = tables.pages[row]
    yield f"## {url}"
    yield ""
    for step in steps:
        if step["step"] != StepKind.LEAVE:
            yield f"- **{step['step'].replace('_', ' ')}**: {markdown_text(step['detail'])}"
    yield f"- {sentence('brief.title-now', title=markdown_text(page['title']) or sentence('none'))}"
    yield f"- {sentence('brief.phrase-now', phrase=markdown_text(page['target_phrase']) or sentence('none'))}"
    n_words = counted("word", int(page["words"]))
    counts = n_words if pd.isna(page["own_words"]) else sentence("brief.words", words=n_words, own=page["own_words"])
    yield f"- {counts}"
    yield ""
    if proposal["action"] == Action.REWRITE:
        yield from _asked(url, proposal, tables)
    else:
        yield from _table(str(sentence("brief.queries")), _queries(tables.of("queries", row)))
    yield from _list(str(sentence("brief.headings")), _headings(row, tables))
    yield from _list(str(sentence("brief.relatives")), _relatives(url, tables))
    if proposal["action"] == Action.MERGE:
        yield from _quotes(
            str(sentence("brief.keeper-lacks")), [_cut(text) for text in lacking.get(url, ())][:_MOST_PASSAGES]
        )
    else:
        yield from _quotes(str(sentence("brief.pasted")), _pasted(row, tables))


def _asked(url: str, proposal: Mapping[str, Any], tables: Tables) -> Iterator[str]:
    """The queries that a page is to win, and those that it leaves to the page it competes with."""
    own = tables.of("queries", tables.row_of[url])
    own = own[~own["brand"]]
    basis = json.loads(proposal["basis"])
    shared = set(basis.get("rivals", {}).get(url, {}).get("queries", ()))
    if shared:
        yield from _table(str(sentence("brief.queries-to-win")), _queries(own[~own["query"].isin(shared)]))
        left = str(sentence("brief.queries-to-leave", page=f"<{proposal['keeper']}>"))
        yield from _table(left, _queries(own[own["query"].isin(shared)]))
        return
    # Of a series the queries that say what only this title says, whichever of the pages search shows for them.
    rows = [
        tables.row_of[page] for page in (*basis.get("impressions_by_name", {}), proposal["keeper"]) if page in tables.row_of
    ]
    slot = _only_here(*(str(tables.pages[tables.row_of[one]]["title"]) for one in (url, proposal["keeper"])))
    asked = pd.concat([own, *(tables.of("queries", row) for row in dict.fromkeys(rows))])
    named = asked[[bool(slot) and f" {slot} " in f" {' '.join(words(str(query)))} " for query in asked["query"]]]
    named = named.sort_values("impressions", ascending=False).drop_duplicates("query")
    yield from _table(str(sentence("brief.queries-to-win")), _queries(named))


def _only_here(title: str, other: str) -> str:
    """The words of a title between what it has in common with another at the beginning and at the end."""
    here, there = title.split(), other.split()
    head = _n_equal(here, there)
    tail = _n_equal(here[head:][::-1], there[head:][::-1])
    return " ".join(words(" ".join(here[head : len(here) - tail])))


def _n_equal(one: Iterable[str], other: Iterable[str]) -> int:
    """How many pieces are equal from the beginning on."""
    return len(list(takewhile(lambda pair: pair[0] == pair[1], zip(one, other, strict=False))))


def _queries(asked: pd.DataFrame) -> list[list[str]]:
    """Rows of the table of queries as those of a table in Markdown."""
    own = asked.assign(query=asked["query"].astype(str))
    own = own.sort_values(["impressions", "query"], ascending=[False, True]).head(_MOST_QUERIES)
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
    pairs = tables.pairs
    own = pairs[(pairs["url_a"] == url) | (pairs["url_b"] == url)].sort_values(
        ["resemblance", "url_a", "url_b"], ascending=[False, True, True]
    )
    own = own[~own["url_a"].isin(tables.variants) & ~own["url_b"].isin(tables.variants)]
    return [
        str(sentence("brief.relative", page=f"<{b if a == url else a}>", share=resemblance))
        for a, b, resemblance in own[["url_a", "url_b", "resemblance"]]
        .head(_MOST_RELATIVES)
        .itertuples(index=False, name=None)
    ]


def _pasted(row: int, tables: Tables) -> list[str]:
    """What a page has word for word in common with others, the longest passages, in their order.

    A listing that shows the beginning of the page takes nothing from it, and what the page shows of others is theirs.
    """
    stretches = tables.of("passages", row)
    merged: list[list[int]] = []
    for word, n in stretches.loc[~stretches["own"], ["word", "words"]].itertuples(index=False, name=None):
        if merged and word <= merged[-1][1]:
            merged[-1][1] = max(merged[-1][1], int(word + n))
        else:
            merged.append([int(word), int(word + n)])
    teased = teased_words(int(tables.pages[row]["words"]), _teasers(row, tables))
    kept = [(begin, end) for begin, end in merged if 2 * int(teased[begin:end].sum()) <= end - begin]
    longest = sorted(sorted(kept, key=lambda one: one[0] - one[1])[:_MOST_PASSAGES])
    spans = WordSpans(str(tables.pages[row]["main_text"]))
    return [_cut(spans.written(begin, end - begin)) for begin, end in longest]


def _teasers(row: int, tables: Tables) -> tuple[tuple[int, int], ...]:
    """First word and number of words of each teaser on a page."""
    return tuple(tables.of("teasers", row)[["word", "words"]].itertuples(index=False, name=None))


def _unique(kept: int, moved: int, tables: Tables) -> list[str]:
    """Blocks of a page that the keeper does not have word for word, in their order."""
    blocks, page = tables.of("blocks", moved), tables.pages[moved]
    boilerplate = tuple(blocks.loc[blocks["reason"] == "boilerplate", "text"])
    text = MovedText(str(page["main_text"]), str(page["h1"]), boilerplate, _teasers(moved, tables))
    return lacking_blocks(str(tables.pages[kept]["main_text"]), text)


def _cut(text: str) -> str:
    return text if len(text) <= _QUOTED else f"{text[:_QUOTED].rsplit(' ', 1)[0]} ..."


def _done(proposal: Mapping[str, Any], *, moves_text: bool, has_facts: bool) -> list[str]:
    """What can be counted when the work is done."""
    if proposal["action"] == Action.MERGE:
        written = ["text-moved"] if moves_text else [] if has_facts else ["nothing-to-write"]
        names = [*written, *(["facts-settled"] if has_facts else []), "redirected"]
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
