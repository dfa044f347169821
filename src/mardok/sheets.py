"""All that an audit knows of one page.

In:  the tables of an audit, and the row of a page.
Out: a sheet whose parts are read when asked for: what ``mardok page`` prints, the report shows and a notebook draws.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import Any

import numpy as np

from mardok.findings.elsewhere import Elsewhere, Stretch
from mardok.sentences import clipped
from mardok.store import Columns, TableStore
from mardok.tables import PAGES
from mardok.vocabulary import GroupRole

Rows = list[dict[str, Any]]
"""Rows of a table by column name; None where a cell is missing."""
_FACTS = (
    "url", "kind", "kind_reason", "thin", "thin_reason", "status", "redirect_url", "final_url", "indexable", "reason",
    "robots", "canonical_url", "declared_language", "language", "variant_of", "title", "site_name", "description",
    "h1", "main_query", "position", "words", "own_words", "shared_words", "boilerplate_words", "copies", "inlinks",
    "depth", "in_sitemap", "link_weight", "script_words", "clicks", "clicks_before", "impressions", "external_links",
    "conversions", "sessions", "index_state", "target_phrase", "topic_fields", "topic_uses", "topic_first_word",
    "nearest_url", "nearest_resemblance", "source",
)  # fmt: skip


class PageSheet:
    """One page of an audit."""

    def __init__(self, store: TableStore, row: int, elsewhere: Elsewhere | None = None) -> None:
        self._store, self._row = store, row
        if elsewhere is not None:
            self._elsewhere = elsewhere

    @cached_property
    def facts(self) -> dict[str, Any]:
        """The page's row of the table of pages, without its text."""
        return self._store.row("pages", self._row, _FACTS)

    @property
    def url(self) -> str:
        """Address of the page."""
        return str(self.facts["url"])

    @cached_property
    def main_text(self) -> str:
        """The main text, one line a block."""
        return str(self._store.row("pages", self._row, ["main_text"])["main_text"])

    @cached_property
    def blocks(self) -> Rows:
        """Blocks in the order of the page, with whether they are main text, and why not."""
        return _rows(_without(self._store.of_page("blocks", self._row), "page"))

    @property
    def outline(self) -> Rows:
        """Headings of the main text: ``level`` and ``text``."""
        return [{"level": one["level"], "text": one["text"]} for one in self.blocks if one["level"] and one["main"]]

    @cached_property
    def alternates(self) -> Rows:
        """The hreflang alternates that the page names."""
        return _rows(_without(self._store.of_page("alternates", self._row), "page", "target_page"))

    @property
    def topic(self) -> dict[str, Any]:
        """The target phrase, which fields say all of it, and how the text uses it; empty if there is none."""
        facts = self.facts
        if not facts["target_phrase"]:
            return {}
        first = facts["topic_first_word"]
        return {
            "phrase": facts["target_phrase"],
            "said_by": facts["topic_fields"].split(", ") if facts["topic_fields"] else [],
            "uses": facts["topic_uses"],
            "first_word": None if first is None else first + 1,
        }

    @cached_property
    def phrases(self) -> Rows:
        """The phrases that the page uses most."""
        return _rows(_without(self._store.of_page("page_phrases", self._row), "page", "place"))

    @cached_property
    def queries(self) -> Rows:
        """Queries that show the page, the most impressions first; figures a month, in the span of the page's clicks.

        Without spans that are compared they are those of all search data, and ``clicks_before`` is None.
        """
        return told_queries(_rows(self._store.of_page("queries", self._row)))

    @cached_property
    def relatives(self) -> Rows:
        """Pages that are kept as a pair with this one, the nearest first."""
        result = []
        for own, other, this_in_it, it_in_this in (
            ("url_a", "url_b", "a_in_b", "b_in_a"),
            ("url_b", "url_a", "b_in_a", "a_in_b"),
        ):
            result += [
                {
                    "resemblance": pair["resemblance"],
                    "this_in_it": pair[this_in_it],
                    "it_in_this": pair[it_in_this],
                    "shared_words": pair["shared_words"],
                    "url": pair[other],
                }
                for pair in _rows(self._store.where("pairs", own, self.url))
            ]
        return sorted(result, key=lambda relative: (-relative["resemblance"], relative["url"]))

    @cached_property
    def _elsewhere(self) -> Elsewhere:
        return Elsewhere.of(self._store)

    @property
    def copied_share(self) -> float:
        """Share of the page's words that stand on other pages too, 0 to 1."""
        return self._elsewhere.share(self._row, int(self.facts["words"]))

    @property
    def n_elsewhere(self) -> int:
        """Stretches of the page that stand on other pages too."""
        return self._elsewhere.n_stretches(self._row)

    def elsewhere(self, most: int | None = None) -> list[Stretch]:
        """Stretches that stand on other pages too, in their order; the longest only if more than `most` do."""
        has_any = self.n_elsewhere > 0
        return self._elsewhere.stretches(self._row, self.main_text if has_any else "", most)

    @cached_property
    def linking(self) -> Rows:
        """Pages that link here, those with the most link weight first: ``url``, ``anchor``, ``where``, ``link_weight``.

        One row a page and wording; links of the furniture come after those in running text.
        """
        links = self._store.numbered("links", "target_page", self._row)
        rows = {(one["page"], one["anchor"], one["chrome"]): None for one in _rows(links) if one["page"] != self._row}
        result = []
        for page, anchor, in_chrome in rows:
            facts = self._store.row("pages", page, ("url", "link_weight"))
            where = "furniture" if in_chrome else "text"
            result.append({"url": facts["url"], "anchor": anchor, "where": where, "link_weight": facts["link_weight"]})
        return sorted(result, key=lambda row: (row["where"] == "furniture", -(row["link_weight"] or 0.0), row["url"]))

    @cached_property
    def groups(self) -> Rows:
        """Groups that the page is in: ``kind``, ``role``, ``pages``, ``evidence``, ``confidence``, ``keeper``."""
        result = []
        for own in _rows(self._store.where("groups", "url", self.url)):
            members = self._store.where("groups", "group", own["group"])
            keepers = [url for url, role in zip(members["url"], members["role"], strict=True) if role == GroupRole.KEEPER]
            about = {name: own[name] for name in ("evidence", "confidence")}
            result.append(
                {
                    "kind": own["kind"],
                    "role": own["role"],
                    "pages": len(members["url"]),
                    **about,
                    "keeper": keepers[0] if keepers else None,
                }
            )
        return result

    @cached_property
    def checks(self) -> Rows:
        """What is wrong with the page."""
        return _rows(_without(self._store.where("checks", "url", self.url), "url"))

    @cached_property
    def slips(self) -> Rows:
        """Words and signs that are wrong in its text: where they stand (``block``, ``start``, ``end``), ``check``,
        ``written``, ``right``."""
        places = _rows(_without(self._store.of_page("slip_places", self._row), "page"))
        numbers = np.array([place["slip"] for place in places], np.int64)
        told = _rows(self._store.rows("slips", numbers, ("check", "written", "right", "decision")))
        return [
            {**{name: place[name] for name in ("block", "start", "end")}, **_without(slip, "decision")}
            for place, slip in zip(places, told, strict=True)
            if not slip["decision"]
        ]

    @cached_property
    def steps(self) -> Rows:
        """What the plan does to the page, best proposal first."""
        ranks = dict(
            zip(self._store.column("plan", "proposal").tolist(), self._store.column("plan", "rank").tolist(), strict=True)
        )
        rows = [{"rank": ranks[row["proposal"]], **row} for row in _rows(self._store.where("steps", "url", self.url))]
        rows.sort(key=lambda row: (row["rank"], row["order"]))
        return [{name: row[name] for name in ("rank", "proposal", "step", "target", "detail")} for row in rows]

    def as_dict(self) -> dict[str, Any]:
        """Everything, for programs."""
        urls = self._store.column("pages", "url").tolist() if self.n_elsewhere else []
        return {
            "page": self._store.row("pages", self._row, PAGES.names),
            "blocks": self.blocks,
            "alternates": self.alternates,
            "topic": self.topic,
            "phrases": self.phrases,
            "queries": self.queries,
            "relatives": self.relatives,
            "copied_share": self.copied_share,
            "elsewhere": [
                {
                    "words": one.words,
                    "boilerplate": one.is_boilerplate,
                    "other_pages": one.other_pages,
                    "for_example": urls[one.example] if one.example >= 0 else "",
                    "text": clipped(one.text),
                }
                for one in self.elsewhere()
            ],
            "groups": self.groups,
            "checks": self.checks,
            "slips": self.slips,
            "steps": self.steps,
        }

    def _repr_html_(self) -> str:
        from mardok.deliver.notebook import sheet_html  # only where a notebook asks for it

        return sheet_html(self)


def told_queries(rows: Sequence[Mapping[str, Any]]) -> Rows:
    """Rows of the table of queries of one page as :attr:`PageSheet.queries` tells them."""
    end = "_now" if any(row["impressions_now"] is not None for row in rows) else ""
    told = [
        {
            "query": row["query"],
            **{name: row[f"{name}{end}"] for name in ("impressions", "clicks", "position")},
            "clicks_before": row["clicks_before"],
            "share": row["share"],
            "competing": row["competing"],
        }
        for row in rows
    ]
    return sorted(told, key=lambda row: (-row["impressions"], row["query"]))


def _rows(columns: Columns) -> Rows:
    names = list(columns)
    return [dict(zip(names, row, strict=True)) for row in zip(*columns.values(), strict=True)]


def _without(columns: Mapping[str, Any], *names: str) -> dict[str, Any]:
    return {name: values for name, values in columns.items() if name not in names}
