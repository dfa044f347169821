"""What the report looks things up in: the tables of an audit as compressed parts of one HTML file.

In:  the tables of an audit.
Out: parts by name, JSON as gzip (RFC 1952) as base64; the most needed first, as many as the report may hold.

Pages go by numbers, their places in the part ``pages``: those that the plan is about, and the first 50,000 others by clicks
and link weight. Texts are told of pages in groups.
"""

from __future__ import annotations

import base64
import gzip
import json
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import Any, NamedTuple

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.deliver.shown_pages import MOST_OTHERS, pages_by_importance
from mardok.figures import section_of
from mardok.findings.elsewhere import Elsewhere
from mardok.findings.passage_texts import passage_texts
from mardok.kept import KeptParts, digest_of, digest_of_frame
from mardok.sentences import clipped, sentence, topic_text
from mardok.sharing import shared_out
from mardok.sheets import told_queries
from mardok.store import TableStore
from mardok.tables import TABLES, cells_of
from mardok.vocabulary import Action, Band, Evidence, GroupKind, GroupRole, SlotKind, StepKind

Tables = Mapping[str, pd.DataFrame]
Rows = NDArray[np.int64]

MOST_BYTES = 25_000_000
"""Bytes of the whole report."""
_GZIP_LEVEL = 4
"""A report is 4% larger than at level 6, as measured, and takes two thirds of the time to compress."""
_SAMPLE, _TOO_LARGE = 1 << 14, 2
"""Rows of a part by which its size is told, and times the room from which it is too large, whatever the other rows are."""
_KEPT_BYTES = 600_000
"""Bytes that are left for what is not a part."""
_MOST_PROPOSALS, _MOST_STEPS, _MOST_BASIS = 2_000, 200, 6_000
_MOST_GROUPS, _MOST_MEMBERS = 4_000, 1_000
_MOST_PAIRS = 400_000
_MOST_CHECK_ROWS = 300
_MOST_WORDINGS = 300
_MOST_EVIDENT, _MOST_EVIDENT_QUERIES = 8, 6
"""Pages of a proposal whose figures are shown, and queries."""
_OF_GROUPS = (Action.MERGE, Action.CANONICAL, Action.REWRITE, Action.RETITLE, Action.EXPAND)
_MOST_TEXT = 700
"""Characters of a text that is quoted."""
_MOST_BLOCKS = 3_000
_MOST_QUERIES = 10
_MOST_STRETCHES = 10
_MOST_RIVAL_GROUPS, _MOST_RIVAL_QUERIES = 300, 10
_MOST_UNANSWERED, _MOST_WAITING = 500, 1000
_MOST_SLIPS = 2_000
_TEXT_PAGES, _READ_PAGES, _SHEET_PAGES = 100, 2_000, 1_024
"""Pages whose texts, or sheets, make one part."""
_LISTED = (
    "url", "title", "h1", "nearest_url", "final_url", "reason", "language", "kind", "thin", "thin_reason", "indexable",
    "status", "words", "own_words", "shared_words", "boilerplate_words", "copies", "inlinks", "clicks", "clicks_before",
    "impressions", "link_weight", "nearest_resemblance",
)  # fmt: skip
_SHEET = (
    "description", "site_name", "kind_reason", "declared_language", "canonical_url", "redirect_url", "robots", "index_state",
    "in_sitemap", "depth", "script_words", "external_links", "conversions", "sessions",
)  # fmt: skip
_SHEET_FACTS = (*_SHEET, "words", "main_text", "target_phrase", "topic_fields", "topic_uses", "topic_first_word")


@dataclass(frozen=True)
class Parts:
    """Parts of a report."""

    data: dict[str, str] = field(default_factory=dict)
    """Base64 by name."""
    left_out: dict[str, int] = field(default_factory=dict)
    """What there is no room for: how many proposals, pages, groups, pairs, texts, sheets."""


def report_parts(tables: TableStore, kept: KeptParts | None = None) -> Parts:
    """All parts, the most needed first; each takes what it needs of the room that is left, or is cut down to it.

    Parameters
    ----------
    kept : KeptParts, optional
        What an earlier audit kept of these tables; takes the sheets of the pages.
    """
    parts = Parts()
    room = MOST_BYTES - _KEPT_BYTES
    order = _groups_in_order(tables)
    # The pages come first, since all else goes by their numbers; half of the room at most is theirs.
    urls = tables.frame("pages", ["url", "clicks", "link_weight"])
    ordered, most_pages = pages_by_importance(urls, tables["plan"], tables.parts("steps"))
    row_of = {url: row for row, url in enumerate(urls["url"])}
    parts.data["pages"], most_pages = _fitting(
        room // 2, most_pages, lambda most: _pages(tables, _Listed(row_of, ordered[:most]))
    )
    listed = _Listed(row_of, ordered[:most_pages])
    room -= len(parts.data["pages"])
    builders: dict[str, tuple[int, Callable[[int], Any]]] = {
        "plan": (_MOST_STEPS, lambda most: _plan(tables, listed, most)),
        "groups": (_MOST_MEMBERS, lambda most: _groups(tables, order, listed, most)),
        "checks": (_MOST_CHECK_ROWS, lambda most: _checks(tables, listed, most)),
        "wording": (_MOST_WORDINGS, lambda most: _wording(tables, listed, most)),
        "rivals": (_MOST_RIVAL_GROUPS, lambda most: _rivals(tables, order, listed, most)),
        "unanswered": (_MOST_UNANSWERED, lambda most: _unanswered(tables, listed, most)),
        "link_plan": (_MOST_WAITING, lambda most: _waiting_links(tables, listed, most)),
        "proof": (_MOST_SLIPS, lambda most: _proof(tables, listed, most)),
        "pairs": (_MOST_PAIRS, lambda most: _pairs(tables, listed, most)),
    }

    def made(name: str) -> _Made:
        """One of these, or the texts, as if all that is left of the room were for it."""
        if name == "texts":
            return _Made(_packed_texts(room, tables, order, listed), 0)
        packed, most = _fitting(room, *builders[name])
        return _Made([([], packed)], most)

    # The texts take longest: while one process makes them, another makes the rest.
    names = ["texts", *builders]
    made_of = dict(zip(names, shared_out(made, names), strict=True))
    most_of: dict[str, int] = {}
    for name in builders:
        [(_, packed)], most_of[name] = made_of[name]
        if len(packed) > room:
            packed, most_of[name] = _fitting(room, *builders[name])
        parts.data[name] = packed
        room -= len(packed)
    texts = ((rows, partial(str, packed)) for rows, packed in made_of["texts"].packed)
    for kind, chunks in (("texts", texts), ("sheets", _packed_sheets(tables, listed, kept))):
        index: dict[int, int] = {}
        for number, (rows, pack) in enumerate(chunks):
            packed = pack() if room > 0 else ""
            if not packed or len(packed) > room:
                room = 0
                parts.left_out[kind] = parts.left_out.get(kind, 0) + len(rows)
                continue
            room -= len(packed)
            parts.data[f"{kind}-{number}"] = packed
            index |= dict.fromkeys(rows, number)
        parts.data[f"{kind}-index"] = _packed(index)
    totals = {
        "proposals": len(tables["plan"]) - _MOST_PROPOSALS,
        "pages": len(listed.number) - 1 - len(listed.rows),
        "groups": len(order) - _MOST_GROUPS,
        "pairs": len(tables["pairs"]) - most_of["pairs"],
    }
    parts.left_out.update({name: n for name, n in totals.items() if n > 0})
    return parts


class _Made(NamedTuple):
    """What a part of the report is."""

    packed: list[tuple[list[int], str]]
    """In pieces, each with the numbers of the pages that it is about, if it is about some."""
    most: int
    """Rows that were asked for."""


def _fitting(room: int, most: int, build: Callable[[int], Any]) -> tuple[str, int]:
    """A part with as many rows as there is room for, and that number: the first asked for, or a half, a quarter ..."""
    if most > _SAMPLE:  # what is by far too large is not made to see that
        of_sample = len(_packed(build(_SAMPLE))) / _SAMPLE
        while most > _SAMPLE and of_sample * most > _TOO_LARGE * room:
            most //= 2
    packed = _packed(build(most))
    while len(packed) > room and most:
        most //= 2
        packed = _packed(build(most))
    return packed, most


def _packed_texts(room: int, tables: TableStore, order: Sequence[_Group], listed: _Listed) -> list[tuple[list[int], str]]:
    """The texts of :func:`_texts`, as many as there is room for; ``""`` in place of the others."""
    result = []
    for rows, content in _texts(tables, order, listed):
        packed = _packed(content) if room > 0 else ""
        room = room - len(packed) if len(packed) <= room else 0
        result.append((rows, packed))
    return result


def _packed(content: Any) -> str:
    raw = json.dumps(content, ensure_ascii=False, separators=(",", ":"), default=_plain, allow_nan=False)
    return base64.b64encode(gzip.compress(raw.encode("utf-8", "replace"), _GZIP_LEVEL, mtime=0)).decode("ascii")


def _plain(value: Any) -> Any:
    if hasattr(value, "item"):
        return value.item()
    raise TypeError(f"{value!r} is not for JSON")


class _Listed:
    """The pages that the report lists."""

    def __init__(self, row_of: Mapping[str, int], rows: NDArray[np.int64]) -> None:
        self.row_of, self.rows = row_of, np.sort(rows)
        self.number = np.full(len(row_of) + 1, -1, np.int64)
        """Number of each row's page; -1 for pages that are not listed, and for row -1."""
        self.number[self.rows] = np.arange(len(rows))

    def of_url(self, url: str) -> int | str:
        """Number of a page, or its address where it is not listed."""
        number = int(self.number[self.row_of.get(url, -1)])
        return number if number >= 0 else url


def _records(frame: pd.DataFrame) -> list[dict[str, Any]]:
    return [{str(name): value for name, value in row.items()} for row in frame.to_dict("records")]


def _numbers(column: pd.Series, decimals: int) -> list[float | int | None]:
    """Figures with some decimals, None where there are none."""
    values = column.to_numpy(dtype=float, na_value=np.nan)
    rounded = np.round(values, decimals)
    whole = decimals == 0
    return [None if np.isnan(value) else int(value) if whole else float(value) for value in rounded.tolist()]


def _coded(column: pd.Series) -> dict[str, list[Any]]:
    """Recurring text as names and numbers."""
    codes, names = pd.factorize(column.astype(object), sort=True)
    return {"names": names.tolist(), "codes": codes.tolist()}


def _steps(tables: TableStore, *names: str) -> Iterator[tuple[Any, ...]]:
    """Cells of the table of steps, of which only some rows are in memory: it is the largest that the report needs."""
    return (row for part in tables.parts("steps") for row in cells_of(part, names))


def _plan(tables: TableStore, listed: _Listed, most_steps: int) -> dict[str, Any]:
    plan = tables["plan"].head(_MOST_PROPOSALS)
    keepers, shown = set(plan["keeper"]), set(plan["proposal"])
    steps: dict[str, list[list[Any]]] = {proposal: [] for proposal in shown}
    n_steps: Counter[str] = Counter()
    worked: dict[str, str] = {}
    about: dict[str, list[str]] = {proposal: [] for proposal in shown}
    evidence = _Evidence(tables, listed)
    for proposal, url, step, target, detail in _steps(tables, "proposal", "url", "step", "target", "detail"):
        if proposal not in shown:
            continue
        if url not in keepers:
            worked.setdefault(proposal, url)
        if step not in (StepKind.RELINK, StepKind.REPAIR) and len(about[proposal]) < _MOST_EVIDENT:
            about[proposal].append(url)
        n_steps[proposal] += 1
        if n_steps[proposal] <= most_steps:
            steps[proposal].append([listed.of_url(url), step, listed.of_url(target) if target else "", detail])
    return {
        "proposals": [
            {
                **row,
                "band_name": str(sentence(f"band.{Band(row['band']).name.lower()}")),
                "section": section_of(worked.get(row["proposal"], row["keeper"])),
                "keeper": listed.of_url(row["keeper"]) if row["keeper"] else "",
                "basis": json.loads(row["basis"]) if len(row["basis"]) <= _MOST_BASIS else None,
                "steps": steps[row["proposal"]],
                "n_steps": n_steps[row["proposal"]],
                "rests_on": evidence.of(row, about[row["proposal"]]),
            }
            for row in _records(plan)
        ]
    }


class _Evidence:
    """What a proposal rests on, as rows of small tables."""

    def __init__(self, tables: Tables, listed: _Listed) -> None:
        self.tables, self.listed = tables, listed
        pairs = tables["pairs"]
        names = ("url_a", "url_b", "resemblance")
        self.resemblance = {(a, b): value for a, b, value in zip(*(pairs[name].tolist() for name in names), strict=True)}
        rivals = tables["groups"][tables["groups"]["kind"] == GroupKind.RIVALS]
        self.rivals = [(str(group), set(part["url"])) for group, part in rivals.groupby("group")]

    def of(self, proposal: Mapping[str, Any], urls: Sequence[str]) -> dict[str, Any]:
        """Queries with the figures of each page, what texts have in common, and the group whose positions are drawn."""
        keeper = proposal["keeper"]
        pages = list(dict.fromkeys(filter(None, [keeper, *urls])))[:_MOST_EVIDENT]
        group = next((group for group, own in self.rivals if set(pages) <= own), "") if len(pages) > 1 else ""
        is_search = proposal["evidence"] == Evidence.SEARCH or proposal["action"] in _OF_GROUPS
        return {
            "queries": self._queries(pages) if pages and is_search else [],
            "shares": [
                [self.listed.of_url(url), self.listed.of_url(keeper), round(share, 6)]
                for url in pages
                if keeper and url != keeper
                for share in [self.resemblance.get((min(url, keeper), max(url, keeper)))]
                if share is not None
            ],
            "group": group,
        }

    def _queries(self, pages: Sequence[str]) -> list[list[Any]]:
        rows = [self.listed.row_of[url] for url in pages if url in self.listed.row_of]
        queries = self.tables["queries"]
        if queries.empty or not rows:
            return []
        asked = pd.concat([_of_page(queries, row) for row in rows])
        asked = asked[~asked["brand"]]
        several = asked.groupby("query", observed=True)["page"].transform("nunique") > (len(rows) > 1)
        shown = asked.loc[several.to_numpy()]
        total = shown.groupby("query", observed=True)["impressions"].sum().sort_values(ascending=False, kind="stable")
        has_spans = bool(shown["impressions_now"].notna().any())
        ends = ("_now", "_before") if has_spans else ("",)
        names = [f"{name}{end}" for end in ends for name in ("clicks", "impressions", "position")]
        return [
            [
                str(query),
                [
                    [
                        int(self.listed.number[row["page"]]),
                        *(None if pd.isna(row[name]) else round(row[name], 1) for name in names),
                    ]
                    for row in _records(shown[shown["query"] == query])
                ],
            ]
            for query in total.index[:_MOST_EVIDENT_QUERIES]
        ]


def _tenths(value: float) -> float | None:
    return None if pd.isna(value) else round(float(value), 1)


def _pages(tables: TableStore, listed: _Listed) -> dict[str, Any]:
    pages = tables.frame("pages", _LISTED).iloc[listed.rows]
    nearest = [int(listed.number[listed.row_of.get(url, -1)]) for url in pages["nearest_url"]]
    final = [int(listed.number[listed.row_of.get(url, -1)]) for url in pages["final_url"]]
    return {
        "url": pages["url"].tolist(),
        "title": [clipped(title, _MOST_TEXT) for title in pages["title"]],
        "h1": [clipped(h1, _MOST_TEXT) for h1 in pages["h1"]],
        "nearest": nearest,
        "final": final,
        **{name: _coded(pages[name]) for name in ("reason", "language", "kind", "thin", "thin_reason")},
        "section": _coded(pages["url"].map(section_of)),
        "indexable": pages["indexable"].astype(int).tolist(),
        **{
            name: _numbers(pages[name], 0)
            for name in ("status", "words", "own_words", "shared_words", "boilerplate_words", "copies", "inlinks")
        },
        **{name: _numbers(pages[name], 1) for name in ("clicks", "clicks_before", "impressions")},
        **{name: _numbers(pages[name], 6) for name in ("link_weight", "nearest_resemblance")},
    }


@dataclass
class _Group:
    """A group with its pages, the keeper first."""

    id: str
    kind: str
    phrase: str
    evidence: str
    confidence: str
    has_keeper: bool
    urls: list[str] = field(default_factory=list)


def _groups_in_order(tables: TableStore) -> list[_Group]:
    """Groups, those that the plan names first first, variants last."""
    place_of = {proposal: at for at, proposal in enumerate(tables["plan"]["proposal"])}
    grouped, named = set(tables["groups"]["url"]), dict[str, int]()
    for proposal, url, step in _steps(tables, "proposal", "url", "step"):
        if step != StepKind.RELINK and url in grouped:
            named[url] = min(named.get(url, len(place_of)), place_of[proposal])
    columns = ["group", "kind", "phrase", "evidence", "confidence", "role", "url"]
    groups: dict[str, _Group] = {}
    # The table is ordered so that the keeper of a group comes first, the others by address.
    for group, kind, phrase, evidence, confidence, role, url in zip(
        *(tables["groups"][name].tolist() for name in columns), strict=True
    ):
        known = groups.setdefault(group, _Group(group, kind, phrase, evidence, confidence, role == GroupRole.KEEPER))
        known.urls.append(url)

    def order(group: _Group) -> tuple[Any, ...]:
        place = place_of.get(group.id, len(place_of) + min(named.get(url, len(place_of)) for url in group.urls))
        return group.kind == GroupKind.VARIANTS, place, group.id

    return sorted(groups.values(), key=order)


def _groups(tables: TableStore, order: Sequence[_Group], listed: _Listed, most_members: int) -> list[dict[str, Any]]:
    hashes = tables.column("pages", "text_hash")
    result = []
    for group in order[:_MOST_GROUPS]:
        rows = [row for row in (listed.row_of[url] for url in group.urls) if listed.number[row] >= 0][: max(most_members, 1)]
        if not rows:
            continue
        kept = hashes[rows[0]]
        result.append(
            {
                "id": group.id, "kind": group.kind, "phrase": group.phrase, "evidence": group.evidence,
                "confidence": group.confidence, "has_keeper": group.has_keeper, "n": len(group.urls),
                "members": [int(listed.number[row]) for row in rows],
                "identical": [int(hashes[row] == kept != "") for row in rows],
            }
        )  # fmt: skip
    return result


def _checks(tables: TableStore, listed: _Listed, most_rows: int) -> list[dict[str, Any]]:
    """Troubles by check; those of a template are shown first."""
    n: Counter[str] = Counter()
    n_of_template: Counter[str] = Counter()
    shown: dict[tuple[str, bool], list[list[Any]]] = defaultdict(list)
    for part in tables.parts("checks"):
        for told, its in part.groupby(["check", "is_template"]):
            check, is_template = str(told[0]), bool(told[1])
            n[check] += len(its)
            n_of_template[check] += len(its) if is_template else 0
            known = shown[check, is_template]
            first = its.head(most_rows - len(known))[["url", "value", "detail"]]
            known += ([listed.of_url(url), value, detail] for url, value, detail in first.itertuples(index=False, name=None))
    result = [
        {
            "check": check, "n": n[check],
            **{about: str(sentence(f"check.{check}.{about}")) for about in ("trouble", "cost", "mend")},
            "templates": n_of_template[check], "rows": [*shown[check, True], *shown[check, False]][:most_rows],
        }
        for check in n
    ]  # fmt: skip
    return sorted(result, key=lambda one: (not one["templates"], -one["n"], one["check"]))


def _wording(tables: TableStore, listed: _Listed, most: int) -> dict[str, Any]:
    phrases, n_phrases = _commonest_phrases(tables, most)
    boilerplate = tables["boilerplate"].sort_values(["word_share", "text"], ascending=[False, True]).head(most)
    passages = passage_texts(tables["passages"], tables, most)
    return {
        "phrases": phrases,
        "n_phrases": n_phrases,
        "sections": [
            {
                "section": section,
                "pages": int(part["section_pages"].iloc[0]),
                "phrases": part[["phrase", "pages", "uses"]].to_numpy(object).tolist(),
            }
            for section, part in tables["section_phrases"].groupby("section")
        ],
        "boilerplate": [
            [clipped(row["text"], _MOST_TEXT), row["words"], row["pages"], listed.of_url(row["example_url"]), row["where"],
             bool(row["copies"]), float(row["word_share"])]
            for row in _records(boilerplate)
        ],
        "n_boilerplate": len(tables["boilerplate"]),
        "passages": [
            [clipped(row["text"], _MOST_TEXT), int(row["words"]), int(row["pages"]), int(row["pasted_words"]),
             listed.of_url(row["example_url"]), bool(row["boilerplate"])]
            for row in _records(passages[passages["pages"] > 1])
        ],
        "n_passages": int(tables["passages"]["passage"].nunique()),
    }  # fmt: skip


def _commonest_phrases(tables: TableStore, most: int) -> tuple[list[list[Any]], int]:
    """Phrases of several words on most pages, each with its pages and uses; and how many there are."""
    n_words, pages, uses = (tables.column("phrases", name) for name in ("words", "pages", "uses"))
    at = np.flatnonzero(n_words > 1)
    order = at[np.lexsort((-uses[at], -pages[at]))]
    if most < len(order):  # of those that tie with the last one the alphabet decides
        least_pages, least_uses = pages[order[most - 1]], uses[order[most - 1]]
        is_tied = (pages[order] == least_pages) & (uses[order] >= least_uses)
        order = order[((pages[order] > least_pages) | is_tied) & (most > 0)]
    told = tables.rows("phrases", np.sort(order), ["phrase", "pages", "uses"])
    rows = sorted(zip(*told.values(), strict=True), key=lambda row: (-row[1], -row[2], row[0]))
    return list(map(list, rows[:most])), len(at)


def _of_page(frame: pd.DataFrame, row: int) -> pd.DataFrame:
    """Rows of a table, ordered by page, that belong to one."""
    page = frame["page"].to_numpy()
    return frame.iloc[np.searchsorted(page, row, "left") : np.searchsorted(page, row, "right")]


def _rivals(tables: Tables, order: Sequence[_Group], listed: _Listed, most: int) -> dict[str, Any]:
    """For each group of rivals the queries with figures, and the positions over time."""
    result = {}
    if tables["queries"].empty:
        return {}
    for group in [group for group in order if group.kind == GroupKind.RIVALS][:most]:
        rows = [listed.row_of[url] for url in group.urls]
        asked = pd.concat([_of_page(tables["queries"], row) for row in rows])
        several = asked[~asked["brand"]].groupby("query", observed=True)["page"].transform("nunique") > 1
        shared = asked.loc[several.index[several]]
        total = shared.groupby("query", observed=True)["impressions"].sum().sort_values(ascending=False, kind="stable")
        queries = [
            [str(query), [
                [int(listed.number[row["page"]]), round(row["clicks"], 1), round(row["impressions"], 1),
                 round(row["position"], 1)]
                for row in _records(shared[shared["query"] == query])
            ]]
            for query in total.index[:_MOST_RIVAL_QUERIES]
        ]  # fmt: skip
        stated = pd.concat([_of_page(tables["positions"], row) for row in rows])
        lines: dict[str, dict[str, Any]] = {}
        for page, line in stated.groupby("page"):
            number = str(int(listed.number[int(str(page))]))
            for query, by_week in line.groupby("query", observed=True):
                weeks, positions = by_week["week"].astype(str).tolist(), by_week["position"].round(1).tolist()
                lines.setdefault(str(query), {})[number] = [weeks, positions]
        result[group.id] = {"queries": queries, "lines": lines}
    return result


def _unanswered(tables: Tables, listed: _Listed, most: int) -> dict[str, Any]:
    """Queries that are asked and not said."""
    unanswered = tables["unanswered"]
    rows = _records(unanswered.head(most))
    return {
        "n": len(unanswered),
        "rows": [
            [row["query"], listed.of_url(row["url"]), round(row["impressions"], 1), round(row["clicks"], 1),
             round(row["position"], 1), row["missing"], row["promised"]]
            for row in rows
        ],
    }  # fmt: skip


def _waiting_links(tables: Tables, listed: _Listed, most: int) -> dict[str, Any]:
    """Links that wait to be made: those to the pages that fewest link to first."""
    plan = tables["link_plan"].sort_values(["pages_that_link", "target", "weight"], ascending=[True, True, False]).head(most)
    return {
        "rows": [
            [listed.of_url(row["target"]), listed.of_url(row["source"]), row["words_to_link"], row["sentence"],
             int(row["pages_that_link"])]
            for row in _records(plan)
        ]
    }  # fmt: skip


def _proof(tables: TableStore, listed: _Listed, most: int) -> dict[str, Any]:
    """Slips, those of most pages first; figures that disagree; words that no dictionary knows."""
    (slips, n_slips), (unknown, n_unknown) = (_undecided(tables, name, most) for name in ("slips", "unknown_words"))
    facts = tables["contradictions"]
    weightiest = facts["slot"].map({str(slot): place for place, slot in enumerate(SlotKind)}).argsort(kind="stable")
    facts = facts.iloc[weightiest]
    return {
        "n_slips": n_slips,
        "slips": [
            [str(sentence(f"check.{row['check']}.trouble")), row["written"], row["right"], row["where"], int(row["pages"]),
             listed.of_url(row["url"]), row["sentence"]]
            for row in _records(slips)
        ],
        "facts": [
            [row["text"], row["slot"], row["value"], int(row["pages"]), listed.of_url(row["url"]), row["other_value"],
             int(row["other_pages"]), listed.of_url(row["example_url"])]
            for row in _records(facts.head(most))
        ],
        "is_looked_up": len(tables.column("site_words", "uses")) > 0,
        "n_unknown": n_unknown,
        "unknown": [
            [row["word"], row["language"], int(row["uses"]), int(row["pages"]), listed.of_url(row["url"])]
            for row in _records(unknown)
        ],
    }  # fmt: skip


def _undecided(tables: TableStore, table: str, most: int) -> tuple[pd.DataFrame, int]:
    """The first rows of a table that nobody has decided about, and how many there are."""
    first, n = [], 0
    for part in tables.parts(table):
        its = part[part["decision"] == ""]
        first.append(its.head(max(most - n, 0)))
        n += len(its)
    return pd.concat(first, ignore_index=True), n


def _pairs(tables: Tables, listed: _Listed, most: int) -> dict[str, Any]:
    pairs = tables["pairs"]
    if len(pairs) > most:
        pairs = pairs.nlargest(most, "resemblance")
    a, b = (np.array([listed.number[listed.row_of[url]] for url in pairs[name]], np.int64) for name in ("url_a", "url_b"))
    kept = (a >= 0) & (b >= 0)
    shares = {name: np.round(pairs[name].to_numpy() * 1e6).astype(np.int64) for name in ("resemblance", "a_in_b", "b_in_a")}
    shown = {"a": a, "b": b, **shares, "shared_words": pairs["shared_words"].to_numpy()}
    return {name: values[kept].tolist() for name, values in shown.items()}


def _texts(tables: TableStore, order: Sequence[_Group], listed: _Listed) -> Iterator[tuple[list[int], dict[str, Any]]]:
    """Blocks of the pages that stand in groups of variants, copies or rivals, the group that matters most first."""
    shown = [group for group in order[:_MOST_GROUPS] if group.kind != GroupKind.SERIES]
    grouped = [url for group in shown for url in group.urls[:_MOST_MEMBERS]]
    rows = [row for row in dict.fromkeys(map(listed.row_of.__getitem__, grouped)) if listed.number[row] >= 0]
    for begin in range(0, len(rows), _TEXT_PAGES):
        chunk = rows[begin : begin + _TEXT_PAGES]
        if begin % _READ_PAGES == 0:  # each time of reading goes through many pages that are not asked for
            asked = np.array(rows[begin : begin + _READ_PAGES], np.int64)
            blocks = tables.of_pages("blocks", asked, ["page", "text", "main", "reason"])
            bounds = np.searchsorted(blocks["page"], np.arange(len(listed.number)))
        known: dict[str, int] = {}
        pages = {}
        for row in chunk:
            own = slice(bounds[row], min(bounds[row + 1], bounds[row] + _MOST_BLOCKS))
            pages[str(int(listed.number[row]))] = {
                "t": [known.setdefault(text, len(known)) for text in blocks["text"][own]],
                "m": list(map(int, blocks["main"][own])),
                "r": blocks["reason"][own],
            }  # fmt: skip
        yield [int(listed.number[row]) for row in chunk], {"texts": list(known), "pages": pages}


def _short(value: Any) -> Any:
    return clipped(value, _MOST_TEXT) if isinstance(value, str) else value


def keep_sheets(tables: TableStore, kept: KeptParts) -> None:
    """Make and keep the sheets of a site of which all pages are listed, whatever its plan is, for the report to come.

    Parameters
    ----------
    tables : TableStore
        Those that the plan has no part in.
    """
    row_of = {url: row for row, url in enumerate(tables.column("pages", "url").tolist())}
    if len(row_of) <= MOST_OTHERS:
        for _, pack in _packed_sheets(tables, _Listed(row_of, np.arange(len(row_of))), kept):
            pack()


def _packed_sheets(
    tables: TableStore, listed: _Listed, kept: KeptParts | None
) -> Iterator[tuple[Sequence[int], Callable[[], str]]]:
    """The sheets of pages, those of some pages with what packs them; as an earlier audit kept them or made anew."""
    depends = _depends_of_sheets(tables, listed, kept) if kept is not None else None
    if kept is not None and depends is not None:
        known = kept.found("sheets", depends, lambda its: list(map(str, its["sheets"]["packed"])))
        if known is not None:
            numbers = range(len(listed.rows))
            for place, packed in enumerate(known):
                yield numbers[place * _SHEET_PAGES : (place + 1) * _SHEET_PAGES], partial(str, packed)
            return
    made: list[str] = []

    def pack(content: dict[str, Any]) -> str:
        made.append(_packed(content))
        return made[-1]

    n_chunks = 0
    for rows, content in _sheets(tables, listed):
        n_chunks += 1
        yield rows, partial(pack, content)
    if kept is not None and depends is not None and len(made) == n_chunks:  # else there was no room for some
        kept.keep("sheets", depends, {"sheets": {"packed": made}})


def _depends_of_sheets(tables: TableStore, listed: _Listed, kept: KeptParts) -> dict[str, Any] | None:
    """All that the sheets depend on; None where that is not known, or only some pages have one: it would be much to read."""
    if len(listed.rows) < len(listed.row_of):
        return None
    result = {name: kept.key_of(name) for name in ("words", "table_page_phrases")}
    passages = (tables.column("passages", name) for name in ("page", "word", "words", "passage", "boilerplate"))
    facts = [name for name in _SHEET_FACTS if name != "main_text"]  # which the words of the site decide
    result |= {
        "listed": digest_of(listed.number),
        "pages": digest_of_frame(tables.frame("pages", facts)),
        "passages": digest_of(*passages),
        "queries": digest_of_frame(tables["queries"]),
    }
    return result if all(result.values()) else None


def _sheets(tables: TableStore, listed: _Listed) -> Iterator[tuple[list[int], dict[str, Any]]]:
    """What else is known of each page: facts, headings, phrases, queries, what of its text stands elsewhere."""
    is_listed = listed.number >= 0
    headings = tables.chosen(
        "blocks", ["page", "level", "text"], ["page", "level", "main"],
        lambda page, level, main: (level > 0) & main & is_listed[page],
    )  # fmt: skip
    outline = list(zip(headings["level"], map(_short, headings["text"]), strict=True))
    first_heading = np.searchsorted(headings["page"], np.arange(len(listed.number)))
    elsewhere = Elsewhere.of(tables)
    for begin in range(0, len(listed.rows), _SHEET_PAGES):
        chunk = listed.rows[begin : begin + _SHEET_PAGES]
        shown = {}
        facts = tables.rows("pages", chunk, _SHEET_FACTS)
        alternates, queries = (_by_page(tables, name, chunk) for name in ("alternates", "queries"))
        phrases = _phrases(tables, chunk)
        for row, *values in zip(chunk.tolist(), *facts.values(), strict=True):
            known = dict(zip(_SHEET_FACTS, values, strict=True))
            topic = (known[name] for name in ("target_phrase", "topic_fields", "topic_uses", "topic_first_word"))
            asked = told_queries(queries.get(row, ()))
            has_any = elsewhere.n_stretches(row) > 0
            shown[str(int(listed.number[row]))] = {
                **{name: _short(known[name]) for name in _SHEET if known[name] not in ("", None)},
                "topic": topic_text(*topic),
                "alternates": [[one["hreflang"], listed.of_url(one["url"])] for one in alternates.get(row, ())],
                "outline": outline[first_heading[row] : first_heading[row + 1]],
                "phrases": phrases.get(row, ()),
                "queries": [_figures(query) for query in asked[:_MOST_QUERIES]],
                "n_queries": len(asked),
                "n_elsewhere": elsewhere.n_stretches(row),
                "copied": round(elsewhere.share(row, int(known["words"])), 6) if has_any else 0.0,
                "elsewhere": [
                    (one.words, int(one.is_boilerplate), one.other_pages, int(listed.number[one.example]), clipped(one.text))
                    for one in elsewhere.stretches(row, known["main_text"], _MOST_STRETCHES)
                ] if has_any else [],
            }  # fmt: skip
        yield [int(listed.number[row]) for row in chunk], shown


def _phrases(tables: TableStore, pages: NDArray[np.int64]) -> dict[int, list[tuple[str, int]]]:
    """The phrases of each page with their uses."""
    result: dict[int, list[tuple[str, int]]] = defaultdict(list)
    columns = tables.of_pages("page_phrases", pages, ["page", "phrase", "uses"])
    for page, phrase, uses in zip(*columns.values(), strict=True):
        result[page].append((phrase, uses))
    return result


def _by_page(tables: TableStore, table: str, pages: NDArray[np.int64]) -> dict[int, list[dict[str, Any]]]:
    """Rows of a table by page, of those pages that have any."""
    names = TABLES[table].names
    result: dict[int, list[dict[str, Any]]] = {}
    for values in zip(*tables.of_pages(table, pages, names).values(), strict=True):
        row = dict(zip(names, values, strict=True))
        result.setdefault(row["page"], []).append(row)
    return result


_DECIMALS = {"clicks": 1, "impressions": 1, "position": 1, "share": 4, "competing": 1}


def _figures(query: Mapping[str, Any]) -> list[Any]:
    """A query with its figures, rounded."""
    figures = ((query[name], decimals) for name, decimals in _DECIMALS.items())
    return [query["query"], *(None if value is None else round(value, decimals) for value, decimals in figures)]
